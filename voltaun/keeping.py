"""Keeping the file safe: online copies, dated copies of which a few are kept, bringing one back, and the check."""

import os
import sqlite3
from contextlib import closing
from datetime import datetime
from pathlib import Path

from voltaun.database import check
from voltaun.database.connection import DatabaseFault, connect, migrations, prepare

KEPT_COPIES = 7


def backup(connection: sqlite3.Connection, to: Path) -> None:
    """Copy the database to a file by SQLite's online copy, while others read and write it.

    The copy is made beside its place and put there when it is whole. Raises DatabaseFault.
    """
    part = to.with_name(to.name + ".part")
    try:
        part.unlink(missing_ok=True)
        with closing(sqlite3.connect(part)) as copy:
            connection.backup(copy, pages=2048)
            copy.execute("PRAGMA journal_mode = DELETE")
            if copy.execute("PRAGMA quick_check").fetchone()[0] != "ok":
                raise DatabaseFault(f"{to}: the copy is not whole; nothing was put there")
        os.replace(part, to)
    except (sqlite3.Error, OSError) as error:
        raise DatabaseFault(f"{to}: {error}; expected a place with enough room for the copy") from error
    finally:
        part.unlink(missing_ok=True)


def copies(database: Path) -> list[Path]:
    """The dated copies beside a database, the oldest first."""
    return sorted((database.parent / "copies").glob(f"{database.stem}-????-??-??.db"))


def copy_of_the_day(connection: sqlite3.Connection, database: Path, now: datetime) -> Path | None:
    """Make today's dated copy unless it is there, and let go of those beyond `KEPT_COPIES`; the copy, if made."""
    folder = database.parent / "copies"
    today = folder / f"{database.stem}-{now:%Y-%m-%d}.db"
    if today.exists():
        return None
    folder.mkdir(exist_ok=True)
    backup(connection, today)
    for old in copies(database)[:-KEPT_COPIES]:
        old.unlink(missing_ok=True)
    return today


def restore(copy: Path, database: Path, now: datetime) -> Path | None:
    """Put a copy in the place of the database; where what stood there was copied to, if there was anything.

    Raises DatabaseFault when the copy is not a whole Voltaun database; then nothing is changed.
    """
    try:
        with closing(sqlite3.connect(f"file:{copy}?mode=ro", uri=True)) as source:
            version = source.execute("PRAGMA user_version").fetchone()[0]
            whole = source.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            if not whole or not 1 <= version <= migrations()[-1][0] or not check.is_ours(source):
                raise DatabaseFault(f"{copy}: found no whole Voltaun database, expected a copy made by "
                                    "`voltaun backup`")
            before = None
            if database.exists():
                before = database.with_name(f"{database.stem}-before-{now:%Y%m%d-%H%M%S}.db")
                with closing(connect(database)) as standing:
                    backup(standing, before)
            database.parent.mkdir(parents=True, exist_ok=True)
            with closing(connect(database)) as target:
                source.backup(target)
        prepare(database)
        return before
    except sqlite3.Error as error:
        raise DatabaseFault(f"{copy}: {error}; expected a copy made by `voltaun backup`") from error
