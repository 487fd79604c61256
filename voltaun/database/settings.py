"""Settings of the whole file, such as the key that signs sessions."""

import secrets
import sqlite3


def get(connection: sqlite3.Connection, name: str) -> str | None:
    """A setting's value, or None."""
    row = connection.execute("SELECT value FROM setting WHERE name = ?", (name,)).fetchone()
    return row["value"] if row else None


def session_key(connection: sqlite3.Connection) -> str:
    """The key that signs sessions; made when the file is new."""
    connection.execute("INSERT OR IGNORE INTO setting VALUES ('session_key', ?)", (secrets.token_hex(32),))
    return get(connection, "session_key")


def take(connection: sqlite3.Connection, told: dict[str, str]) -> None:
    """Keep settings from an archive where none stand; the file's own secret is never taken. In a transaction."""
    connection.executemany("INSERT OR IGNORE INTO setting (name, value) VALUES (?, ?)",
                           [(name, value) for name, value in told.items() if name != "session_key"])
