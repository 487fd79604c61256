"""Keeping the file safe: online copies, dated copies of which a few are kept, and bringing one back.

Dated copies are numbered on and kept by number, not by their day: a clock that was ahead, or stands still, can
neither push out the good ones nor have one made at every look.
"""

import os
import re
import sqlite3
from collections.abc import Iterable
from contextlib import closing, nullcontext, suppress
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path

from voltaun.database import settings
from voltaun.database.connection import (
    APPLICATION_ID,
    COPIES,
    DatabaseFault,
    connect,
    connect_reading,
    in_words,
    is_ours,
    migrations,
    prepare,
    transaction,
    version_of,
)
from voltaun.database.files import BESIDE, LeftBeside, copy_database, left_beside

KEPT_COPIES = 7


def backup(connection: sqlite3.Connection, to: Path, over: bool = False) -> None:
    """Copy the database to a file while others read and write it. Raises DatabaseFault, and then nothing is there.

    over  also in the place of what is no Voltaun database, or of a copy that holds something newer
    """
    if to.exists() and not to.is_file():
        raise DatabaseFault(f"{to}: found a {'folder' if to.is_dir() else 'device'}, expected a file to write")
    if to.exists() and not over:
        _may_be_written_over(connection, to)
    try:
        if not copy_database(connection, to):
            raise DatabaseFault(f"{to}: the copy is not whole; nothing was put there")
    except LeftBeside as left:
        raise DatabaseFault(f"{to}: {left}") from left
    except (sqlite3.Error, OSError) as error:
        raise DatabaseFault(f"{to}: {in_words(error, to)}; expected a place with enough room for the copy") from error


def _may_be_written_over(connection: sqlite3.Connection, to: Path) -> None:
    """Refuse to write over what is not ours, or is newer than what would take its place."""
    if not to.stat().st_size:
        return
    if not _is_ours(to):
        raise DatabaseFault(f"{to}: found a file that is no Voltaun database, expected a new name; --over writes over "
                            "it")
    try:
        with closing(connect_reading(to)) as standing:
            theirs, here = newest_in(standing), newest_in(connection)
    except sqlite3.Error:
        return  # a damaged copy holds nothing that could be compared
    if theirs > here:
        what = theirs[1] or "a newer Voltaun"
        raise DatabaseFault(f"{to}: found a copy with something of {what} in it, newer than all of the database, "
                            "expected another name; --over writes over it")


def _is_ours(path: Path) -> bool:
    """Whether a file is a database of ours, a damaged one too."""
    with path.open("rb") as opened:
        header = opened.read(72)
    if header[:16] == b"SQLite format 3\0" and int.from_bytes(header[68:72], "big") == APPLICATION_ID:
        return True
    try:
        return version_of(path) > 0
    except (DatabaseFault, sqlite3.Error, UnicodeDecodeError):
        return False


def newest_in(connection: sqlite3.Connection) -> tuple[int, str]:
    """The migrations a database has had, and the latest instant at which something of it was kept or changed."""
    version = connection.execute("PRAGMA user_version").fetchone()[0]
    moments = []
    for table, column in (("reading", "at"), ("reading_change", "changed_at"), ("rig_change", "changed_at"),
                          ("import", "at")):
        with suppress(sqlite3.OperationalError):  # the first releases had fewer tables
            moments.append(connection.execute(f"SELECT max({column}) FROM {table}").fetchone()[0])
    return version, max((at for at in moments if at), default="")


@dataclass(frozen=True)
class Copy:
    """A dated copy: where it lies, its number (0 for those of the first releases) and its day."""

    path: Path
    number: int
    day: date


def copies(database: Path, folder: Path | None = None) -> list[Copy]:
    """The dated copies of a database, the oldest first.

    folder  where to look; without it `copies` beside the database
    """
    shape = re.compile(rf"(?:{re.escape(database.name)}-(\d{{5}})|{re.escape(database.stem)})-(\d{{4}}-\d\d-\d\d)\.db")
    found = []
    folder = folder or _folder(database)
    for path in folder.iterdir() if folder.is_dir() else ():
        match = shape.fullmatch(path.name)
        with suppress(ValueError):
            if match:
                found.append(Copy(path, int(match[1] or 0), date.fromisoformat(match[2])))
    return sorted(found, key=lambda copy: (copy.number, copy.day))


def _folder(database: Path) -> Path:
    return database.parent / COPIES


def copy_of_the_day(connection: sqlite3.Connection, database: Path, now: datetime,
                    folder: Path | None = None) -> Path | None:
    """Make today's dated copy unless the newest one is of today; the copy, if made. Raises DatabaseFault.

    folder  see `copies`
    """
    before = copies(database, folder)
    if before and before[-1].day == now.date():
        return None
    return copy_now(connection, database, now, folder)


def copy_now(connection: sqlite3.Connection, database: Path, now: datetime, folder: Path | None = None) -> Path:
    """Make one more dated copy, and let go of those beyond `KEPT_COPIES`; the copy. Raises DatabaseFault."""
    before = copies(database, folder)
    into = folder or _folder(database)
    try:
        into.mkdir(mode=0o700, exist_ok=True)
    except OSError as error:
        raise DatabaseFault(f"{into}: {in_words(error, into)}; expected a folder for the copies") from error
    number = before[-1].number + 1 if before else 1
    made = into / f"{database.name}-{number:05d}-{now:%Y-%m-%d}.db"
    backup(connection, made)
    for old in copies(database, folder)[:-KEPT_COPIES]:
        old.path.unlink(missing_ok=True)
    return made


def whole(path: Path) -> bool:
    """Whether a file is a whole Voltaun database that this program can read."""
    return sound(path) and not newer(path)


def newer(path: Path) -> bool:
    """Whether a file is a database of a newer Voltaun."""
    try:
        return version_of(path) > migrations()[-1][0]
    except (sqlite3.Error, OSError, DatabaseFault, UnicodeDecodeError):
        return False


def sound(path: Path) -> bool:
    """Whether a file is a whole Voltaun database, also of a newer one."""
    try:
        if version_of(path) < 1:
            return False
        with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)) as source:
            return source.execute("PRAGMA integrity_check").fetchone()[0] == "ok" and is_ours(source)
    except (sqlite3.Error, OSError, DatabaseFault, UnicodeDecodeError):
        return False


def newest_whole(database: Path) -> Path | None:
    """The newest dated copy that is whole, or None."""
    return next((copy.path for copy in reversed(copies(database)) if whole(copy.path)), None)


@dataclass(frozen=True)
class Restored:
    """What stood in the place before: where it is now (None: nothing stood there), and whether it was damaged.

    Of a database that was gone only what SQLite had left beside it may be there, under that name and its endings.
    """

    before: Path | None
    damaged: bool = False


def restore(copy: Path, database: Path, now: datetime) -> Restored:
    """Put a copy in the place of the database; what stood there is kept beside it.

    A database that is whole is copied first; a damaged one is put aside as it is, and so is what SQLite left beside one
    that is gone. Another program's file is left alone. What was put there is looked through before this returns.
    Raises DatabaseFault.
    """
    if newer(copy):
        raise DatabaseFault(f"{copy}: found a copy of a newer Voltaun, expected one of this or an older one")
    if not whole(copy):
        raise DatabaseFault(f"{copy}: found no whole Voltaun database, expected a copy made by `voltaun backup`")
    try:
        if copy.resolve() == database.resolve():
            raise DatabaseFault(f"{copy}: found the database itself, expected a copy of it")
        restored = _put_aside(database, now)
        database.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with closing(sqlite3.connect(f"{copy.absolute().as_uri()}?mode=ro", uri=True)) as source:
            if restored is None:
                restored = Restored(_put_over(source, database, now))
            else:
                backup(source, database)
        prepare(database)
        with closing(connect(database)) as target, transaction(target):
            settings.new_epoch(target)
        if not whole(database):
            raise DatabaseFault(f"{database}: the copy {copy} was put there and is not whole; what stood there is in "
                                f"{restored.before or 'no file'}")
        return restored
    except (sqlite3.Error, OSError) as error:
        raise DatabaseFault(f"{database}: {in_words(error, database)}; expected room for the copy {copy}") from error


TRIES = 50
FIRST_PAGES = 8
"""From the first pages on the file is held, and nobody else writes; every database of ours has more."""


class _WrittenMeanwhile(Exception):
    """Something was kept since the copy of what stood there."""


def _put_over(source: sqlite3.Connection, database: Path, now: datetime) -> Path:
    """Put a copy over a database that others may be writing to; the copy of what stood there, with the last of what was
    acknowledged. Others wait while each of the two is made; where one of them came between, both are made again."""
    before = _free(database.with_name(f"{database.stem}-before-{now:%Y%m%d-%H%M%S}.db"))
    for _ in range(TRIES):
        try:
            _put_over_unless_written(source, database, before)
            return before
        except _WrittenMeanwhile:
            before.unlink()
    raise DatabaseFault(f"{database}: found somebody writing to it all the time, expected a moment of rest; stop "
                        "Voltaun, and restore it then")


def _put_over_unless_written(source: sqlite3.Connection, database: Path, before: Path) -> None:
    with closing(connect(database)) as holding, closing(connect(database)) as watching, \
            closing(connect(database)) as target:
        others = watching.execute("PRAGMA journal_mode").fetchone()[0] == "wal"  # as whoever serves it has it
        with transaction(holding) if others else nullcontext():
            watching.execute("SELECT count(*) FROM sqlite_master").fetchone()  # it knows of others' writing from now on
            version = watching.execute("PRAGMA data_version").fetchone()[0]
            backup(watching, before)

        def held(_status: int, left: int, _all: int) -> None:
            if others and left and watching.execute("PRAGMA data_version").fetchone()[0] != version:
                raise _WrittenMeanwhile
        source.backup(target, pages=FIRST_PAGES, progress=held)


def _put_aside(database: Path, now: datetime) -> Restored | None:
    """Put aside what cannot be written over; None for a database that is sound, which stays."""
    if not database.exists():
        if not left_beside(database):
            return Restored(None)
        left = _free(database.with_name(f"{database.stem}-left-{now:%Y%m%d-%H%M%S}.db"))
        _move(database, left, BESIDE)
        return Restored(left)
    if sound(database):
        return None
    with database.open("rb") as opened:
        header = opened.read(72)
    if header[:16] == b"SQLite format 3\0" and int.from_bytes(header[68:72], "big") not in (0, APPLICATION_ID):
        raise DatabaseFault(f"{database}: found another program's database, expected Voltaun's own or nothing")
    if _text(header):
        raise DatabaseFault(f"{database}: found a text file, expected a database to put the copy in the place of")
    aside = _free(database.with_name(f"{database.stem}-damaged-{now:%Y%m%d-%H%M%S}.db"))
    _move(database, aside, ("", *BESIDE))
    return Restored(aside, damaged=True)


def _text(header: bytes) -> bool:
    """Whether a file that begins like this is one that a person wrote, and no database whatever befell it."""
    try:
        begins = header.decode("utf-8", "strict")
    except UnicodeDecodeError as error:
        begins = header[:error.start].decode("utf-8") if error.start > len(header) - 4 else "\0"
    return bool(begins) and all(letter.isprintable() or letter in "\ufeff\r\n\t" for letter in begins)


def _move(database: Path, aside: Path, endings: Iterable[str]) -> None:
    for ending in endings:
        part = Path(f"{database}{ending}")
        if part.exists():
            os.replace(part, f"{aside}{ending}")


def _free(path: Path) -> Path:
    """A path like this one that nothing stands at."""
    tries = (path.with_stem(f"{path.stem}-{n}") for n in range(2, 1000))
    return path if not path.exists() else next(each for each in tries if not each.exists())
