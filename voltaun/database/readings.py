"""Readings: kept, edited, removed and brought back; every change can be taken back."""

import json
import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from voltaun.core.log.reading import FIELDS, Field, Reading, ordered_events
from voltaun.database import settings
from voltaun.database.connection import row_id

COLUMNS = tuple(field.name for field in FIELDS)
FOREVER = datetime.max.replace(tzinfo=UTC)


class InstantTaken(Exception):
    """Another reading already stands at this instant; `kept` is that one."""

    def __init__(self, kept: "KeptReading") -> None:
        self.kept = kept
        super().__init__(f"a reading at {kept.reading.at.isoformat()} is already kept")


class ReadingChanged(Exception):
    """The reading was changed or removed since it was shown; `kept` is it now, or None if it is gone."""

    def __init__(self, kept: "KeptReading | None") -> None:
        self.kept = kept
        super().__init__("the reading was changed meanwhile")


@dataclass(frozen=True)
class KeptReading:
    """A reading with its number in the file and its version."""

    id: int
    version: int
    reading: Reading


def instant_text(instant: datetime) -> str:
    """An instant as the file keeps it: UTC to the second, so that it sorts as text."""
    return instant.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _instant(text: str | None) -> datetime | None:
    return None if text is None else datetime.fromisoformat(text)


def _kept(row: sqlite3.Row) -> KeptReading:
    return KeptReading(row["id"], row["version"], reading_of(row))


def reading_of(row: dict[str, Any] | sqlite3.Row) -> Reading:
    """The reading that a row holds; ValueError when its texts do not hold what they should."""
    return Reading(**{field.name: _from_sql(field, row[field.name]) for field in FIELDS})


def _values(reading: Reading) -> dict[str, Any]:
    return {field.name: _to_sql(field, getattr(reading, field.name)) for field in FIELDS}


def _to_sql(field: Field, value: Any) -> Any:
    """A figure of a reading as its column keeps it."""
    if field.kind in ("instant", "clock"):
        return value and instant_text(value)
    if field.kind in ("fractions", "words"):
        return json.dumps(value)
    return value


def _from_sql(field: Field, value: Any) -> Any:
    if field.kind in ("instant", "clock"):
        return _instant(value)
    if field.kind == "fractions":
        return tuple(float(soc) for soc in json.loads(value))
    if field.kind == "words":
        return ordered_events(json.loads(value))
    return bool(value) if field.kind == "flag" else value


_BLANK = {field.name: _to_sql(field, field.blank) for field in FIELDS if field.name != "at"}
"""What a change noted before a column came is silent about."""


class KeptReadings(list[KeptReading]):
    """Readings in order of time; `skipped` rows hold none that can be read (see `read_back`)."""

    skipped = 0


def _all_kept(rows: sqlite3.Cursor) -> KeptReadings:
    found = KeptReadings()
    for row in rows:
        try:
            found.append(_kept(row))
        except (ValueError, TypeError, OverflowError):
            found.skipped += 1
    return found


def since(connection: sqlite3.Connection, rig_id: int, first: datetime, end: datetime = FOREVER) -> KeptReadings:
    """The rig's readings from an instant on, and before another, in order of time."""
    return _all_kept(connection.execute(
        "SELECT * FROM reading WHERE rig_id = ? AND removed = 0 AND at >= ? AND at < ? ORDER BY at",
        (rig_id, instant_text(first), instant_text(end))))


def some_days(connection: sqlite3.Connection, rig_id: int, count: int) -> bool:
    """Whether readings are of so many days (by their universal dates) or more."""
    found: int = connection.execute(
        """SELECT count(*) FROM (SELECT DISTINCT substr(at, 1, 10) FROM reading WHERE rig_id = ? AND removed = 0
                                 LIMIT ?)""", (rig_id, count)).fetchone()[0]
    return found >= count


def newest_at(connection: sqlite3.Connection, rig_id: int, at_bank: bool = False) -> datetime | None:
    """The instant of the newest reading, or of the newest that a monitor counted at the bank; None without any."""
    text = connection.execute("SELECT max(at) FROM reading WHERE rig_id = ? AND removed = 0 AND at_bank >= ?",
                              (rig_id, at_bank)).fetchone()[0]
    try:
        return _instant(text)
    except ValueError:
        return None


def before(connection: sqlite3.Connection, rig_id: int, end: datetime, count: int) -> list[KeptReading]:
    """The last `count` readings before an instant, in order of time."""
    rows = connection.execute(
        "SELECT * FROM reading WHERE rig_id = ? AND removed = 0 AND at < ? ORDER BY at DESC LIMIT ?",
        (rig_id, instant_text(end), count)).fetchall()
    return [_kept(row) for row in reversed(rows)]


def any_before(connection: sqlite3.Connection, rig_id: int, end: datetime) -> bool:
    """Whether a reading stands before an instant."""
    return bool(connection.execute("SELECT EXISTS (SELECT 1 FROM reading WHERE rig_id = ? AND removed = 0 AND at < ?)",
                                   (rig_id, instant_text(end))).fetchone()[0])


def first_from(connection: sqlite3.Connection, rig_id: int, start: datetime) -> KeptReading | None:
    """The first reading from an instant on, or None."""
    row = connection.execute("SELECT * FROM reading WHERE rig_id = ? AND removed = 0 AND at >= ? ORDER BY at LIMIT 1",
                             (rig_id, instant_text(start))).fetchone()
    return _kept(row) if row else None


def stamp(connection: sqlite3.Connection) -> tuple[Any, ...]:
    """Something that is other whenever a reading was added, changed, removed or brought back.

    Rows are never deleted, what comes in has a new number, and every other change is noted: so the two newest
    numbers tell, and both are read off the end of a table. Numbers can roll back when another file is put in the
    place of this one; the file's epoch tells that.
    """
    newest = connection.execute("SELECT (SELECT max(id) FROM reading), (SELECT max(id) FROM reading_change)").fetchone()
    return (*newest, settings.epoch(connection))


def everything(connection: sqlite3.Connection, rig_id: int) -> KeptReadings:
    """All of the rig's readings in order of time."""
    return _all_kept(connection.execute(
        "SELECT * FROM reading WHERE rig_id = ? AND removed = 0 ORDER BY at", (rig_id,)))


def with_events(connection: sqlite3.Connection, rig_id: int) -> KeptReadings:
    """The rig's readings on which something was done, in order of time."""
    return _all_kept(connection.execute(
        "SELECT * FROM reading WHERE rig_id = ? AND removed = 0 AND events <> '[]' ORDER BY at", (rig_id,)))


def get(connection: sqlite3.Connection, rig_id: int, reading_id: int) -> KeptReading | None:
    """One reading of the rig that is not removed, or None."""
    row = connection.execute("SELECT * FROM reading WHERE rig_id = ? AND id = ? AND removed = 0",
                             (rig_id, reading_id)).fetchone()
    return _kept(row) if row else None


def at(connection: sqlite3.Connection, rig_id: int, instant: datetime) -> KeptReading | None:
    """The reading at that instant, or None."""
    row = connection.execute("SELECT * FROM reading WHERE rig_id = ? AND at = ? AND removed = 0",
                             (rig_id, instant_text(instant))).fetchone()
    return _kept(row) if row else None


_KEPT_NAMES = (*COLUMNS, "rig_id", "import_id")
_INSERT = (f"INSERT INTO reading ({', '.join(_KEPT_NAMES)}) "
           f"VALUES ({', '.join(f':{name}' for name in _KEPT_NAMES)})")
_UPDATE = (f"UPDATE reading SET {', '.join(f'{name} = :{name}' for name in (*COLUMNS, 'removed'))}, "
           "version = version + 1 WHERE id = :id")


def add(connection: sqlite3.Connection, rig_id: int, reading: Reading, now: datetime,
        import_id: int | None = None) -> int:
    """Keep a reading, perhaps as part of an import; the number of the change. To be called in a transaction.

    Raises InstantTaken when another reading stands at its instant (`kept.reading == reading` tells
    whether it is the same one, sent twice).
    """
    taken = at(connection, rig_id, reading.at)
    if taken is not None:
        raise InstantTaken(taken)
    reading_id = row_id(connection.execute(_INSERT, _values(reading) | {"rig_id": rig_id, "import_id": import_id}))
    return note_change(connection, reading_id, now, "added", None, import_id)


@dataclass(frozen=True)
class Sent:
    """A reading that a device typed out of reach and sent: as it stands in the log, None where it was removed, and
    whether it was changed there since it came."""

    kept: KeptReading | None
    changed: bool


def sent(connection: sqlite3.Connection, rig_id: int, mark: str) -> Sent | None:
    """What became of the reading that a device gave this mark; None where it was not taken in yet."""
    row = connection.execute("SELECT reading_id, version FROM sent WHERE mark = ?", (mark,)).fetchone()
    if row is None:
        return None
    kept = get(connection, rig_id, row["reading_id"])
    return Sent(kept, kept is None or kept.version != row["version"])


def note_sent(connection: sqlite3.Connection, mark: str, reading_id: int) -> None:
    """Note that it was taken in, as it stands now. To be called in the transaction that keeps the reading."""
    connection.execute("""INSERT OR REPLACE INTO sent (mark, reading_id, version)
                          SELECT ?, id, version FROM reading WHERE id = ?""", (mark, reading_id))


def add_many(connection: sqlite3.Connection, rig_id: int, readings: Iterable[Reading],
             import_id: int | None = None) -> None:
    """Keep many readings, none of which stands there yet. To be called in a transaction."""
    connection.executemany(_INSERT, (_values(reading) | {"rig_id": rig_id, "import_id": import_id}
                                     for reading in readings))


def edit(connection: sqlite3.Connection, rig_id: int, reading_id: int, version: int, reading: Reading,
         now: datetime, import_id: int | None = None) -> int:
    """Put a changed reading in place of the version that was shown; the number of the change.

    To be called in a transaction. Raises ReadingChanged, InstantTaken.
    """
    row = _row_at_version(connection, rig_id, reading_id, version)
    taken = at(connection, rig_id, reading.at)
    if taken is not None and taken.id != reading_id:
        raise InstantTaken(taken)
    connection.execute(_UPDATE, _values(reading) | {"id": reading_id, "removed": 0})
    return note_change(connection, reading_id, now, "edited", row, import_id)


def remove(connection: sqlite3.Connection, rig_id: int, reading_id: int, version: int, now: datetime) -> int:
    """Take a reading out of the log; the number of the change. In a transaction. Raises ReadingChanged."""
    row = _row_at_version(connection, rig_id, reading_id, version)
    connection.execute("UPDATE reading SET removed = 1, version = version + 1 WHERE id = ?", (reading_id,))
    return note_change(connection, reading_id, now, "removed", row)


def undo(connection: sqlite3.Connection, rig_id: int, change_id: int, now: datetime) -> datetime:
    """Take one change back: the reading is again as before it. The reading's instant.

    To be called in a transaction. Raises ReadingChanged when it was changed again since, InstantTaken
    when another reading has taken its place, LookupError when there is no such change.
    """
    change = connection.execute(
        """SELECT reading_change.before, reading.* FROM reading_change
           JOIN reading ON reading.id = reading_change.reading_id
           WHERE reading_change.id = ? AND reading.rig_id = ?""", (change_id, rig_id)).fetchone()
    if change is None:
        raise LookupError("there is no such change")
    reading_id = change["id"]
    newest = connection.execute("SELECT max(id) FROM reading_change WHERE reading_id = ?",
                                (reading_id,)).fetchone()[0]
    if newest != change_id:
        raise ReadingChanged(get(connection, rig_id, reading_id))
    as_it_is = row_values(change)
    # What was only added goes out again; anything else goes back to the row before the change.
    as_it_was = json.loads(change["before"]) if change["before"] else as_it_is | {"removed": 1}
    put_back(connection, rig_id, reading_id, as_it_was)
    note_change(connection, reading_id, now, "undone", as_it_is)
    return datetime.fromisoformat(as_it_was["at"])


def row_values(row: sqlite3.Row) -> dict[str, Any]:
    """A reading's row as a change keeps it."""
    return {name: row[name] for name in (*COLUMNS, "removed")}


def put_back(connection: sqlite3.Connection, rig_id: int, reading_id: int, as_it_was: dict[str, Any]) -> None:
    """Make a reading's row what a change kept of it. In a transaction. Raises InstantTaken."""
    as_it_was = _BLANK | as_it_was
    taken = at(connection, rig_id, datetime.fromisoformat(as_it_was["at"]))
    if not as_it_was["removed"] and taken is not None and taken.id != reading_id:
        raise InstantTaken(taken)
    connection.execute(_UPDATE, as_it_was | {"id": reading_id})


@dataclass(frozen=True)
class Change:
    """One change of a reading: when, what, and the reading before and after it (None: there was none)."""

    id: int
    at: datetime
    action: str
    before: Reading | None
    after: Reading | None


def history(connection: sqlite3.Connection, rig_id: int, reading_id: int) -> list[Change]:
    """Every change of a reading, the first first; one that came with a file begins without an `added`."""
    rows = connection.execute(
        """SELECT reading_change.* FROM reading_change JOIN reading ON reading.id = reading_change.reading_id
           WHERE reading_id = ? AND rig_id = ? ORDER BY reading_change.id""", (reading_id, rig_id)).fetchall()
    befores = [json.loads(row["before"]) if row["before"] else None for row in rows]
    now = connection.execute("SELECT * FROM reading WHERE id = ?", (reading_id,)).fetchone()
    stood = [*(before and reading_of(_BLANK | before) for before in befores), now and reading_of(now)]
    return [Change(row["id"], datetime.fromisoformat(row["changed_at"]), row["action"], stood[n], stood[n + 1])
            for n, row in enumerate(rows)]


def reading_before(before: str) -> Reading:
    """The reading that a change kept of before it."""
    return reading_of(_BLANK | json.loads(before))


def read_change(row: sqlite3.Row) -> None:
    """Read a row of `reading_change`; ValueError, KeyError or TypeError when it holds no change."""
    datetime.fromisoformat(row["changed_at"])
    if row["before"] is not None:
        reading_before(row["before"])


def _row_at_version(connection: sqlite3.Connection, rig_id: int, reading_id: int, version: int) -> dict[str, Any]:
    row = connection.execute("SELECT * FROM reading WHERE rig_id = ? AND id = ?", (rig_id, reading_id)).fetchone()
    if row is None or row["removed"] or row["version"] != version:
        raise ReadingChanged(get(connection, rig_id, reading_id))
    return row_values(row)


def note_change(connection: sqlite3.Connection, reading_id: int, now: datetime, action: str,
                before_it: dict[str, Any] | None, import_id: int | None = None) -> int:
    """Note a change of a reading with the row as it was before; its number. To be called in a transaction."""
    return row_id(connection.execute(
        "INSERT INTO reading_change (reading_id, changed_at, action, before, import_id) VALUES (?, ?, ?, ?, ?)",
        (reading_id, instant_text(now), action, before_it and json.dumps(before_it), import_id)))


@dataclass(frozen=True)
class Merged:
    """What an import did: how many readings were new, already there, and put in place of others."""

    added: int
    same: int
    replaced: int
    kept: int


class ReadingsDiffer(Exception):
    """The file has other figures for instants that are in the log; `pairs` of (kept, from the file)."""

    def __init__(self, pairs: list[tuple[KeptReading, Reading]]) -> None:
        self.pairs = pairs
        super().__init__(f"{len(pairs)} readings differ from those already in the log")


def merge(connection: sqlite3.Connection, rig_id: int, readings: list[Reading], now: datetime,
          differing: str | None = None, import_id: int | None = None) -> Merged:
    """Bring a file's readings into the log. To be called in a transaction.

    differing  "keep" or "replace" for readings whose instant is in the log with other figures; without a
               choice ReadingsDiffer is raised and nothing is written
    import_id  the import that they are part of
    """
    kept_at = {kept.reading.at: kept for kept in since(connection, rig_id, readings[0].at)} if readings else {}
    new = [reading for reading in readings if reading.at not in kept_at]
    pairs = [(kept_at[reading.at], reading) for reading in readings
             if reading.at in kept_at and kept_at[reading.at].reading != reading]
    if pairs and differing not in ("keep", "replace"):
        raise ReadingsDiffer(pairs)
    add_many(connection, rig_id, new, import_id)
    if differing == "replace":
        for kept, reading in pairs:
            edit(connection, rig_id, kept.id, kept.version, reading, now, import_id)
    same = len(readings) - len(new) - len(pairs)
    replaced = len(pairs) if differing == "replace" else 0
    return Merged(len(new), same, replaced, len(pairs) - replaced)
