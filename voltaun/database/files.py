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

    Only a whole copy is put in its place. Raises sqlite3.Error, OSError.
    """
    part = to.with_name(to.name + ".part")
    try:
        part.unlink(missing_ok=True)
        os.close(os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
        with closing(sqlite3.connect(part)) as copy:
            connection.backup(copy, pages=2048)
            copy.execute("PRAGMA journal_mode = DELETE")
            whole = _whole(copy)
        if whole:
            in_place(part, to)
        return whole
    finally:
        with suppress(OSError):
            part.unlink(missing_ok=True)
