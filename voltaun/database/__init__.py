"""SQLite through sqlite3 and plain SQL: one module of queries per subject, core dataclasses in and out."""
