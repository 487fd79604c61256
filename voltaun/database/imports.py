"""What came in at once (a log, a grid of days, a samples file), so that it can be taken back at once."""

import json
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from voltaun.database import readings
from voltaun.database.connection import row_id
from voltaun.database.readings import instant_text
from voltaun.database.rigs import COMING_IN

UNDER_WAY, KEPT, TAKEN_BACK = "under way", "kept", "taken back"


class AnotherUnderWay(Exception):
    """Another import is going on in this file."""


@dataclass(frozen=True)
class Import:
    """One import: when, of what kind and name, how many rows, the samples' first and last second, its state."""

    id: int
    at: datetime
    kind: str
    name: str
    rows: int
    first_at: int | None
    last_at: int | None
    state: str


@dataclass(frozen=True)
class Moved:
    """What taking an import back, or bringing it back, did: readings moved, and those left since they were changed
    or their place was taken meanwhile."""

    moved: int
    left: int


@contextmanager
def alone(database: Path) -> Iterator[None]:
    """Hold the right to bring samples in, which one at a time has over all processes. Raises AnotherUnderWay."""
    import fcntl
    with open(f"{database}-import", "w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise AnotherUnderWay("another import is under way; wait until it is done") from error
        yield


def begin(connection: sqlite3.Connection, rig_id: int, kind: str, name: str, now: datetime,
          state: str = KEPT) -> int:
    """Note an import that begins; its number. To be called in a transaction."""
    return row_id(connection.execute("INSERT INTO import (rig_id, at, kind, name, state) VALUES (?, ?, ?, ?, ?)",
                                     (rig_id, instant_text(now), kind, name[:200], state)))


def note(connection: sqlite3.Connection, import_id: int, rows: int, first_at: int | None = None,
         last_at: int | None = None, state: str = KEPT) -> None:
    """Note what an import came to. To be called in a transaction."""
    connection.execute("UPDATE import SET rows = ?, first_at = ?, last_at = ?, state = ? WHERE id = ?",
                       (rows, first_at, last_at, state, import_id))


def get(connection: sqlite3.Connection, rig_id: int, import_id: int) -> Import | None:
    """One import of a rig, or None."""
    row = connection.execute("SELECT * FROM import WHERE rig_id = ? AND id = ?", (rig_id, import_id)).fetchone()
    return row and import_of(row)


def import_of(row: sqlite3.Row) -> Import:
    """The import that a row holds."""
    return Import(row["id"], datetime.fromisoformat(row["at"]), row["kind"], row["name"], row["rows"],
                  row["first_at"], row["last_at"], row["state"])


def unfinished(connection: sqlite3.Connection) -> list[tuple[int, int]]:
    """Imports that were cut off, as (rig, import)."""
    return [(row["rig_id"], row["id"]) for row in connection.execute(
        "SELECT rig_id, id FROM import WHERE state = ?", (UNDER_WAY,))]


def cut_off(connection: sqlite3.Connection) -> bool:
    """Whether anything lies there of an import, or of an archive's rig, that did not end."""
    return bool(connection.execute("SELECT EXISTS (SELECT 1 FROM import WHERE state = ?) OR EXISTS (SELECT 1 FROM rig "
                                   "WHERE removed_at = ?)", (UNDER_WAY, COMING_IN)).fetchone()[0])


def forget(connection: sqlite3.Connection, import_id: int) -> None:
    """Forget an import of which nothing stands any more. To be called in a transaction."""
    connection.execute("DELETE FROM import WHERE id = ?", (import_id,))


def take_back(connection: sqlite3.Connection, rig_id: int, import_id: int, now: datetime) -> Moved:
    """Take the readings of an import back: what it added goes, what it replaced stands again. In a transaction.

    A reading that was changed by hand since stays as it is.
    """
    moved = left = 0
    for row, changes in _readings_of(connection, rig_id, import_id):
        if any(change["import_id"] != import_id for change in changes):
            left += 1
            continue
        first = changes[0]["before"] if changes and changes[0]["action"] == "edited" else None
        before = json.loads(first) if first else readings.row_values(row) | {"removed": 1}
        moved, left = _moved(connection, rig_id, row, before, "removed", now, import_id, moved, left)
    connection.execute("UPDATE import SET state = ? WHERE id = ?", (TAKEN_BACK, import_id))
    return Moved(moved, left)


def bring_back(connection: sqlite3.Connection, rig_id: int, import_id: int, now: datetime) -> Moved:
    """Bring the readings of an import that was taken back into the log again. To be called in a transaction."""
    moved = left = 0
    for row, changes in _readings_of(connection, rig_id, import_id):
        if not changes or changes[-1]["import_id"] != import_id or changes[-1]["action"] != "removed":
            left += 1
            continue
        before = json.loads(changes[-1]["before"])
        moved, left = _moved(connection, rig_id, row, before, "undone", now, import_id, moved, left)
    connection.execute("UPDATE import SET state = ? WHERE id = ?", (KEPT, import_id))
    return Moved(moved, left)


def _moved(connection: sqlite3.Connection, rig_id: int, row: sqlite3.Row, before: dict[str, str | float | None],
           action: str,
           now: datetime, import_id: int, moved: int, left: int) -> tuple[int, int]:
    as_it_is = readings.row_values(row)
    try:
        readings.put_back(connection, rig_id, row["id"], before)
    except readings.InstantTaken:
        return moved, left + 1
    readings.note_change(connection, row["id"], now, action, as_it_is, import_id)
    return moved + 1, left


def _readings_of(connection: sqlite3.Connection, rig_id: int,
                 import_id: int) -> Iterator[tuple[sqlite3.Row, list[sqlite3.Row]]]:
    """Every reading that an import added or replaced, as (row, its changes in order)."""
    rows = connection.execute(
        """SELECT * FROM reading WHERE rig_id = ? AND (import_id = ? OR id IN (
               SELECT reading_id FROM reading_change WHERE import_id = ?)) ORDER BY at""",
        (rig_id, import_id, import_id)).fetchall()
    for row in rows:
        yield row, connection.execute(
            "SELECT action, before, import_id FROM reading_change WHERE reading_id = ? ORDER BY id",
            (row["id"],)).fetchall()
