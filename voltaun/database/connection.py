"""Opening the database file: pragmas, and the numbered migrations run at start."""

import re
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class DatabaseFault(Exception):
    """The database cannot be opened; the message says why, in one line."""


def default_path() -> Path:
    """The file in the user's data folder."""
    import platformdirs
    return Path(platformdirs.user_data_dir("voltaun", appauthor=False)) / "voltaun.db"


def connect(path: Path | str) -> sqlite3.Connection:
    """A connection with foreign keys on, waiting up to ten seconds for another writer."""
    connection = sqlite3.connect(path, timeout=10, isolation_level=None)
    connection.row_factory = sqlite3.Row
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA synchronous = FULL")
    return connection


def prepare(path: Path) -> None:
    """Create the file if need be and bring it to the newest migration. Raises DatabaseFault."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        connection = connect(path)
        try:
            connection.execute("PRAGMA journal_mode = WAL")
            migrate(connection)
        finally:
            connection.close()
    except (sqlite3.Error, OSError) as error:
        raise DatabaseFault(f"{path}: {error}; expected a Voltaun database or a place for a new one") from error


def migrations() -> list[tuple[int, str]]:
    """The numbered migrations in order, as (number, SQL)."""
    found = []
    for file in (Path(__file__).parent / "migrations").iterdir():
        match = re.fullmatch(r"(\d{4})_\w+\.sql", file.name)
        if match:
            found.append((int(match[1]), file.read_text(encoding="utf-8")))
    return sorted(found)


def migrate(connection: sqlite3.Connection) -> None:
    """Run the migrations that the file has not had, each in a transaction of its own."""
    known = migrations()
    have = connection.execute("PRAGMA user_version").fetchone()[0]
    if have > known[-1][0]:
        raise DatabaseFault(f"the database is of a newer Voltaun (its version {have}, known {known[-1][0]})")
    for number, script in known:
        if number > have:
            # executescript would commit by itself; BEGIN … COMMIT inside makes it all or nothing.
            connection.executescript(f"BEGIN IMMEDIATE;\n{script}\nPRAGMA user_version = {number};\nCOMMIT;")


@contextmanager
def transaction(connection: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """One user action: all of it is kept, or nothing."""
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield connection
    except BaseException:
        if connection.in_transaction:  # on a full disk SQLite has rolled back by itself
            connection.execute("ROLLBACK")
        raise
    connection.execute("COMMIT")
