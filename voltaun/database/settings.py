"""Settings of the whole file."""

import secrets
import sqlite3

_OF_THIS_FILE = ("session_key", "epoch", "second_place", "demo", "log")
"""What belongs to this file on this machine, and is neither given away nor taken from another."""


def get(connection: sqlite3.Connection, name: str) -> str | None:
    """A setting's value, or None."""
    row = connection.execute("SELECT value FROM setting WHERE name = ?", (name,)).fetchone()
    return row["value"] if row else None


def put(connection: sqlite3.Connection, name: str, value: str) -> None:
    """Keep a setting. To be called in a transaction."""
    connection.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (name, value))


def epoch(connection: sqlite3.Connection) -> str:
    """Something that is other whenever the file's content was put in place of another."""
    return get(connection, "epoch") or ""


def new_epoch(connection: sqlite3.Connection) -> None:
    """Say that the content is another now. To be called in a transaction."""
    put(connection, "epoch", secrets.token_hex(16))


def identity(connection: sqlite3.Connection) -> str:
    """Which log this is: the same wherever the file is moved or copied to, until a copy is made a log of its own."""
    return get(connection, "log") or ""


def new_identity(connection: sqlite3.Connection) -> None:
    """Make a copy a log of its own. To be called in a transaction."""
    put(connection, "log", secrets.token_hex(16))


def told(connection: sqlite3.Connection) -> dict[str, str]:
    """The settings that go into an archive."""
    return {name: value for name, value in connection.execute("SELECT name, value FROM setting ORDER BY name")
            if name not in _OF_THIS_FILE}


def take(connection: sqlite3.Connection, given: dict[str, str]) -> None:
    """Keep settings from an archive where none stand. To be called in a transaction."""
    connection.executemany("INSERT OR IGNORE INTO setting (name, value) VALUES (?, ?)",
                           [(name, value) for name, value in given.items() if name not in _OF_THIS_FILE])
