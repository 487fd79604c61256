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
