"""Opening the database file: whose it is, reading and writing connections, and the numbered migrations run at start.

Pages read on connections that cannot write and so never wait for a writer; what writes opens a connection of its own
and queues at SQLite's lock. A disk that is full or read-only still lets everything be read.
"""

from __future__ import annotations

import os
import re
import shutil
import sqlite3
from contextlib import closing, contextmanager, suppress
from glob import escape as glob_escape
from pathlib import Path
from typing import TYPE_CHECKING

from voltaun.database.files import LeftBeside, copy_database, refuse_left

if TYPE_CHECKING:
    from collections.abc import Iterator

APPLICATION_ID = 0x566F6C74
"""In the header of every file of ours ("Volt"), so that another program's is left alone."""

COPIES = "copies"
"""The folder beside the file in which its copies lie."""

PATIENCE = 10.0
"""How long a writer waits for another, s."""

_OUR_TABLES = {"rig", "bank", "reading", "setting"}
_HEADER = b"SQLite format 3\0"
LITTLE_ROOM = 2 ** 20
"""With less free space than this, bytes, what fails on a disk fails because it is full."""


class DatabaseFault(Exception):
    """The database cannot be opened; the message says why, in one line."""


class NotOurs(DatabaseFault):
    """What stands there is another program's, or no database at all."""


class NoDatabase(DatabaseFault):
    """There is no such file."""


def default_path() -> Path:
    """The file in the user's data folder."""
    import platformdirs
    return Path(platformdirs.user_data_dir("voltaun", appauthor=False)) / "voltaun.db"


def row_id(inserted: sqlite3.Cursor) -> int:
    """The number of the row that was just inserted."""
    assert inserted.lastrowid is not None
    return inserted.lastrowid


def connect(path: Path | str, patience: float = PATIENCE) -> sqlite3.Connection:
    """A connection that writes, on a file that is there, with foreign keys on; it waits `patience` s for another."""
    connection = sqlite3.connect(_address(path, "mode=rw"), uri=True, timeout=patience, isolation_level=None)
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA synchronous = FULL")
    connection.row_factory = sqlite3.Row
    return connection


def connect_reading(path: Path | str) -> sqlite3.Connection:
    """A connection that only reads, and waits for no writer.

    Where the disk takes not even the small file that readers share (it is full, or read-only), the database is read as
    it lies; what its write-ahead log still holds is then taken into memory with it.
    """
    connection = None
    try:
        connection = _opened(_address(path, "mode=ro"))
    except sqlite3.OperationalError:
        log = Path(f"{path}-wal")
        if not Path(path).exists():
            raise
        connection = _in_memory(path) if log.exists() and log.stat().st_size else _opened(
            _address(path, "mode=ro&immutable=1"))
    connection.row_factory = sqlite3.Row
    return connection


def _opened(address: str) -> sqlite3.Connection:
    connection = sqlite3.connect(address, uri=True, timeout=PATIENCE, isolation_level=None)
    try:
        connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
    except BaseException:
        connection.close()
        raise
    return connection


def _in_memory(path: Path | str) -> sqlite3.Connection:
    """The whole database in memory: in exclusive mode SQLite keeps the index of its log there, not on the disk."""
    with closing(sqlite3.connect(_address(path, "mode=rw"), uri=True, timeout=PATIENCE)) as source:
        source.execute("PRAGMA locking_mode = EXCLUSIVE")
        taken = sqlite3.connect(":memory:", isolation_level=None)
        source.backup(taken)
    taken.execute("PRAGMA query_only = ON")
    return taken


def _address(path: Path | str, options: str) -> str:
    return f"{Path(path).absolute().as_uri()}?{options}"


def prepare(path: Path, create: bool = True) -> None:
    """Bring the file to the newest migration, after a copy of it; create it if need be and asked for.

    Raises NoDatabase, DatabaseFault. Another program's file is refused untouched. A file that needs no migration is
    opened all the same when nothing can be written.
    """
    try:
        if not path.exists():
            if not create:
                raise NoDatabase(f"{path}: found nothing there, expected a Voltaun database")
            refuse_left(path)
            _create(path)
        have = version_of(path)
        newest = migrations()[-1][0]
        if have > newest:
            raise DatabaseFault(f"{path}: the database is of a newer Voltaun (its version {have}, known {newest})")
        if have == newest:
            _for_its_owner_alone(path)
            return
        with closing(connect(path)) as connection:
            if have:
                _copy_first(connection, path, have, newest)
            connection.execute("PRAGMA journal_mode = WAL")
            migrate(connection)
    except LeftBeside as left:
        raise DatabaseFault(f"{path}: {left}; `voltaun restore COPY` puts it aside by itself") from left
    except (sqlite3.Error, OSError, UnicodeDecodeError) as error:
        raise DatabaseFault(f"{path}: {in_words(error, path)}; expected a Voltaun database or a place for a new "
                            "one") from error


def _for_its_owner_alone(path: Path) -> None:
    """Give a file, what stands beside it and its copies, which an earlier release or another program may have made, the
    rights of new ones."""
    folder = path.parent / COPIES
    ours = [of for of in folder.glob(f"{glob_escape(path.stem)}*.db") if of.is_file()] if folder.is_dir() else []
    beside = [path.with_name(path.name + ending) for ending in ("", "-wal", "-shm", ".key", ".house")]
    for of, rights in (*((of, 0o600) for of in (*beside, *ours)), *([(folder, 0o700)] if ours else [])):
        with suppress(OSError):
            if of.stat().st_mode & 0o077:
                os.chmod(of, rights)


def _copy_first(connection: sqlite3.Connection, path: Path, have: int, newest: int) -> None:
    """A copy of a file that is about to be migrated, beside the dated ones."""
    folder = path.parent / COPIES
    folder.mkdir(mode=0o700, exist_ok=True)
    if not copy_database(connection, folder / f"{path.name}-before-migration-{have:04d}-to-{newest:04d}.db"):
        raise DatabaseFault(f"{path}: no whole copy could be made of it before its migration, so nothing was "
                            "changed; `voltaun check` tells what is wrong")


def _create(path: Path) -> None:
    """A new file, for its owner alone; a folder that is made for it too."""
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    if path.parent == default_path().parent:
        os.chmod(path.parent, 0o700)
    os.close(os.open(path, os.O_CREAT | os.O_WRONLY, 0o600))


def version_of(path: Path) -> int:
    """The migrations that a file of ours has had; 0 for an empty one. Raises DatabaseFault for what is not ours.

    The header is read first, so that nothing is written beside another program's file.
    """
    with path.open("rb") as opened:
        header = opened.read(100)
    if not header and not Path(f"{path}-wal").exists():
        return 0
    foreign = NotOurs(f"{path}: found no Voltaun database there, expected one, or another place")
    if header and header[:16] != _HEADER:
        raise foreign
    identity = int.from_bytes(header[68:72], "big")
    if identity not in (0, APPLICATION_ID):
        raise foreign
    if header and identity == 0 and int.from_bytes(header[60:64], "big") == 0 and not Path(f"{path}-wal").exists():
        raise foreign  # of another program that gave itself no number
    with closing(connect_reading(path)) as connection:
        if identity == 0 and not is_ours(connection):
            if connection.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]:
                raise foreign
            return 0
        return int(connection.execute("PRAGMA user_version").fetchone()[0])


def is_ours(connection: sqlite3.Connection) -> bool:
    """Whether the tables of a Voltaun database are there."""
    return {row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")} >= _OUR_TABLES


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
    have = connection.execute("PRAGMA user_version").fetchone()[0]
    connection.execute("PRAGMA secure_delete = ON")  # what is taken out of a file is not left lying in it
    connection.execute("PRAGMA foreign_keys = OFF")  # a table that is made anew must not take what points to it along
    for number, script in migrations():
        if number > have:
            # executescript would commit by itself; BEGIN … COMMIT inside makes it all or nothing.
            connection.executescript(f"BEGIN IMMEDIATE;\n{script}\nPRAGMA user_version = {number};\n"
                                     f"PRAGMA application_id = {APPLICATION_ID};\nCOMMIT;")
    connection.execute("PRAGMA foreign_keys = ON")


@contextmanager
def transaction(connection: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """One user action: all of it is kept, or nothing."""
    connection.execute("BEGIN IMMEDIATE")
    try:
        yield connection
        connection.execute("COMMIT")
    except BaseException:
        if connection.in_transaction:  # on a full disk SQLite has rolled back by itself
            with suppress(sqlite3.Error):
                connection.execute("ROLLBACK")
        raise


def hindrance(path: Path) -> str | None:
    """What keeps anything from being written just now, as `kind_of` calls it; None when nothing does."""
    try:
        if shutil.disk_usage(path.parent).free < LITTLE_ROOM:
            return "full"
        with closing(connect(path, patience=0)) as probe:
            probe.execute("BEGIN IMMEDIATE")
            probe.execute("ROLLBACK")
    except (sqlite3.Error, OSError) as error:
        return kind_of(error, path)
    return None


def kind_of(error: Exception, path: Path) -> str:
    """What kind of trouble the file has: "full", "read-only", "busy", "damaged" or "other".

    SQLite says "disk I/O error" or "unable to open" for several of them; the disk is asked which.
    """
    text = str(error).lower()
    if isinstance(error, UnicodeDecodeError) or "malformed" in text or "not a database" in text:
        return "damaged"
    if "locked" in text or "busy" in text:
        return "busy"
    if "full" in text or getattr(error, "errno", None) == 28:
        return "full"
    try:
        if os.statvfs(path.parent).f_flag & os.ST_RDONLY or "readonly" in text or "read-only" in text:
            return "read-only"
        if shutil.disk_usage(path.parent).free < LITTLE_ROOM:
            return "full"
    except OSError:
        pass
    return "other"


def in_words(error: Exception, path: Path) -> str:
    """The trouble in words for a line: `the disk is full`."""
    return {"full": "the disk is full", "read-only": "the disk is read-only", "busy": "another program holds the file",
            "damaged": "the file is damaged"}.get(kind_of(error, path), str(error))
