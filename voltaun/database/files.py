"""Writing files so that a power cut or a full disk leaves the old one or the new one, never a part of one."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing, suppress
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable
    from pathlib import Path


def in_place(part: Path, to: Path) -> None:
    """Put a file that was written beside its place there, and see that the disk knows."""
    descriptor = os.open(part, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)
    os.replace(part, to)
    with suppress(OSError):  # a share that cannot sync a folder has renamed all the same
        folder = os.open(to.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)


BESIDE = ("-wal", "-shm", "-journal")
"""What SQLite keeps beside a file. One that another file left there is played into whatever comes in its place."""


class LeftBeside(OSError):
    """Something that SQLite left of another database lies beside a place where none stands."""


def left_beside(database: Path) -> list[Path]:
    """What lies beside a place for a database of what SQLite keeps there."""
    return [part for ending in BESIDE if (part := database.with_name(database.name + ending)).exists()]


def refuse_left(database: Path) -> None:
    """Refuse a place for a new database beside which one that is gone left something: that would be played into it, or
    be thrown away, and it may be all that is left of the other. Raises LeftBeside."""
    left = left_beside(database)
    if left and not database.exists():
        raise LeftBeside(f"found {left[0].name}, which another database left there; move it away, or take another name")


def database_in_place(part: Path, to: Path) -> None:
    """Put a database that was written beside its place there; what belongs to the one that it replaces goes with that
    one. Raises LeftBeside, OSError."""
    refuse_left(to)
    for left in left_beside(to):
        left.unlink()
    in_place(part, to)


def write_file(to: Path, texts: Iterable[str]) -> None:
    """Write a text file whole, a piece after the other, or leave what stands there. Raises OSError."""
    if to.exists() and not to.is_file():
        raise IsADirectoryError(f"found a {'folder' if to.is_dir() else 'device'}")
    part = to.with_name(to.name + ".part")
    try:
        with part.open("w", encoding="utf-8", newline="") as opened:
            opened.writelines(texts)
        in_place(part, to)
    finally:
        part.unlink(missing_ok=True)


def write_bytes(to: Path, data: bytes, rights: int = 0o666) -> None:
    """Write a small file whole, or leave what stands there. Raises OSError."""
    part = to.with_name(f"{to.name}.{os.getpid()}.part")
    try:
        part.unlink(missing_ok=True)
        with os.fdopen(os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, rights), "wb") as opened:
            opened.write(data)
        in_place(part, to)
    finally:
        part.unlink(missing_ok=True)


def _whole(copy: sqlite3.Connection) -> bool:
    try:
        return bool(copy.execute("PRAGMA quick_check").fetchone()[0] == "ok")
    except sqlite3.DatabaseError:  # too damaged to be looked through
        return False


def copy_database(connection: sqlite3.Connection, to: Path) -> bool:
    """Copy a database to a file by SQLite's online copy, for its owner alone; whether the copy is whole.

    Only a whole copy is put in its place. Raises sqlite3.Error, LeftBeside, OSError.
    """
    part = to.with_name(to.name + ".part")
    try:
        for left in (part, *left_beside(part)):
            left.unlink(missing_ok=True)
        os.close(os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
        with closing(sqlite3.connect(part)) as copy:
            connection.backup(copy, pages=2048)
            copy.execute("PRAGMA journal_mode = DELETE")
            whole = _whole(copy)
        if whole:
            database_in_place(part, to)
        return whole
    finally:
        with suppress(OSError):
            part.unlink(missing_ok=True)
