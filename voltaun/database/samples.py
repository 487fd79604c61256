"""Samples: brought in by the million in one transaction, with the sums of each hour kept beside them."""

import sqlite3
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, fields
from datetime import UTC, datetime

import numpy as np

from voltaun.core.log.samples import HOUR, Hours, Samples, from_rows, hours, in_order, joined
from voltaun.database.readings import instant_text

_INSERT = "INSERT OR IGNORE INTO sample VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)"
_NONE = from_rows([])
_BLOCK = 30 * 24 * HOUR
"""How much time is summed up again at once where samples came in between others, s."""


@dataclass(frozen=True)
class Brought:
    """What an import did: samples that were new, those whose instant was there already, rows out of order."""

    added: int
    same: int
    moved: int


class Bringing:
    """Samples on their way in, piece by piece, with the sums of their hours kept beside them.

    Each call is to be made in a transaction; between two of them other writers have their turn.
    An instant that is there already keeps the figures it has.
    """

    def __init__(self, connection: sqlite3.Connection, rig_id: int, import_id: int | None = None) -> None:
        self._connection, self._rig_id, self._import_id = connection, rig_id, import_id
        self._carried: Samples | None = None
        self._newest = -1
        self._between: list[tuple[int, int]] = []  # stretches of time that came in between samples already there
        self.rows = self.added = self.moved = 0

    def take(self, piece: Samples) -> None:
        """Keep a piece of samples, as they stand in the file."""
        if self._carried is None or self._newest_kept() != self._newest:
            self.finish()  # another wrote meanwhile: what was carried is written, and begun anew
            self._begin()
        self.rows += len(piece)
        piece, back, _ = in_order(piece)
        self.moved += back
        fresh, late = piece.part(piece.at > self._newest), piece.part(piece.at <= self._newest)
        if len(late):
            # Each run of them by itself: one wrong year is not all the years between.
            apart = np.flatnonzero(np.diff(late.at) > HOUR)
            firsts, lasts = late.at[np.concatenate(([0], apart + 1))], late.at[np.concatenate((apart, [-1]))]
            self._between += zip(firsts.tolist(), lasts.tolist(), strict=True)
            self.added += self._insert(late)
        if len(fresh):
            self.added += self._insert(fresh)
            self._newest = int(fresh.at[-1])
            self._carried = _sum_up(self._connection, self._rig_id,
                                    fresh if self._carried is None else joined(self._carried, fresh))

    def _newest_kept(self) -> int:
        newest = self._connection.execute("SELECT max(at) FROM sample WHERE rig_id = ?", (self._rig_id,)).fetchone()[0]
        return -1 if newest is None else int(newest)

    def _begin(self) -> None:
        self._newest = self._newest_kept()
        # The last hour that is there already is summed up again with what follows it, and with the sample just before.
        begin = self._newest // HOUR * HOUR
        self._carried = _NONE if self._newest < 0 else _stored(
            self._connection, self._rig_id, _just_before(self._connection, self._rig_id, begin), self._newest + 1)

    def _insert(self, samples: Samples) -> int:
        # One count for all: the number of rows changed is known only as a total.
        before = self._connection.total_changes
        self._connection.executemany(_INSERT, ((self._rig_id, *row, self._import_id) for row in samples.rows()))
        return self._connection.total_changes - before

    def finish(self) -> list[tuple[int, int]]:
        """Write the sums of the last hour; the stretches that `sum_up_again` is still to be called for."""
        if self._carried is not None and len(self._carried):
            _write_hours(self._connection, self._rig_id, hours(self._carried),
                         after=int(self._carried.at[0]) // HOUR * HOUR)
        return [(first, min(first + _BLOCK, end)) for start, end in _merged(self._between)
                for first in range(start // HOUR * HOUR, end + 1, _BLOCK)]

    @property
    def brought(self) -> Brought:
        """What came in so far."""
        return Brought(self.added, self.rows - self.added, self.moved)


def bring(connection: sqlite3.Connection, rig_id: int, pieces: Iterable[Samples]) -> Brought:
    """Keep a few pieces of samples at once. To be called in a transaction."""
    bringing = Bringing(connection, rig_id)
    for piece in pieces:
        bringing.take(piece)
    for start, end in bringing.finish():
        sum_up_again(connection, rig_id, start, end)
    return bringing.brought


def _sum_up(connection: sqlite3.Connection, rig_id: int, samples: Samples) -> Samples:
    """Write the sums of all hours but the last; what is still needed: the last hour and the hour before it."""
    last = int(samples.at[-1]) // HOUR * HOUR
    summed = hours(samples)
    whole = summed.hour < last
    _write_hours(connection, rig_id, Hours(*(getattr(summed, field.name)[whole] for field in fields(Hours))),
                 after=int(samples.at[0]) // HOUR * HOUR)
    keep = int(np.searchsorted(samples.at, last))
    # With the sample just before, so that what flowed from it is counted.
    return samples.part(slice(max(0, keep - 1), None))


def _write_hours(connection: sqlite3.Connection, rig_id: int, summed: Hours, after: int) -> None:
    """Write sums; the hour that holds only the sample carried over from before is not written again."""
    rows = [(rig_id, *row) for row in summed.rows() if row[0] >= after and not (row[0] == after and row[1] == 1)]
    connection.executemany("INSERT OR REPLACE INTO sample_hour VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", rows)


def sum_up_again(connection: sqlite3.Connection, rig_id: int, start: int, end: int) -> None:
    """Sum a stretch of time (seconds since 1970) up from the samples that stand in it. In a transaction."""
    begin = start // HOUR * HOUR
    until = (end // HOUR + 2) * HOUR  # what flowed across the end goes to the hour after it
    connection.execute("DELETE FROM sample_hour WHERE rig_id = ? AND hour >= ? AND hour < ?", (rig_id, begin, until))
    stored = _stored(connection, rig_id, _just_before(connection, rig_id, begin), until)
    if len(stored):
        summed = hours(stored)
        inside = summed.hour >= begin
        _write_hours(connection, rig_id,
                     Hours(*(getattr(summed, field.name)[inside] for field in fields(Hours))), after=-1)


def _just_before(connection: sqlite3.Connection, rig_id: int, instant: int) -> int:
    """The last sample before an instant, from which something flowed into what begins there; or the instant."""
    before = connection.execute("SELECT max(at) FROM sample WHERE rig_id = ? AND at < ?",
                                (rig_id, instant)).fetchone()[0]
    return instant if before is None else int(before)


def _merged(stretches: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Stretches of time that touch, as one."""
    merged: list[tuple[int, int]] = []
    for start, end in sorted(stretches):
        if merged and start <= merged[-1][1] + HOUR:
            merged[-1] = (merged[-1][0], max(end, merged[-1][1]))
        else:
            merged.append((start, end))
    return merged


def _stored(connection: sqlite3.Connection, rig_id: int, start: int, end: int) -> Samples:
    return from_rows(connection.execute(
        """SELECT at, volts, amps, watts, soc, charge_wh, discharge_wh FROM sample
           WHERE rig_id = ? AND at >= ? AND at < ? ORDER BY at""", (rig_id, start, end)))


def between(connection: sqlite3.Connection, rig_id: int, start: datetime, end: datetime) -> Samples:
    """The samples from one instant up to another."""
    return _stored(connection, rig_id, int(start.timestamp()), int(end.timestamp()))


def hours_between(connection: sqlite3.Connection, rig_id: int, start: float, end: float) -> Hours:
    """The sums of the hours that begin from one instant up to another (seconds since 1970)."""
    rows = connection.execute(
        """SELECT hour, samples, seconds, charge_wh, discharge_wh, soc_first, soc_last, soc_low, soc_high, volts_first
           FROM sample_hour WHERE rig_id = ? AND hour >= ? AND hour < ? ORDER BY hour""",
        (rig_id, start, end)).fetchall()
    table = np.array([tuple(row) for row in rows], dtype=float).reshape(-1, 10)
    return Hours(table[:, 0].astype(np.int64), table[:, 1].astype(np.int64), *table[:, 2:].T)


def span(connection: sqlite3.Connection, rig_id: int) -> tuple[int, int] | None:
    """The first and the last instant (seconds since 1970) that samples are kept of, or None."""
    # Two look-ups at the ends of the index; asked for together they would scan it.
    first = connection.execute("SELECT min(at) FROM sample WHERE rig_id = ?", (rig_id,)).fetchone()[0]
    last = connection.execute("SELECT max(at) FROM sample WHERE rig_id = ?", (rig_id,)).fetchone()[0]
    return None if first is None else (first, last)


def latest(connection: sqlite3.Connection, rig_id: int) -> Samples:
    """The last sample kept, or none."""
    found = span(connection, rig_id)
    return _stored(connection, rig_id, found[1], found[1] + 1) if found else _NONE


def packed(samples: Samples) -> bytes:
    """Samples in little room: eight bytes a figure, little-endian, a column after the other, deflated."""
    columns = np.stack([samples.at.astype("<f8"), *(np.asarray(each, dtype="<f8") for each in (
        samples.volts, samples.amps, samples.watts, samples.soc, samples.charge_wh, samples.discharge_wh))])
    return zlib.compress(columns.tobytes(), 6)


def unpacked(data: bytes, most_rows: int) -> Samples:
    """Samples from what `packed` made. Raises ValueError, also for more rows than that, without unpacking them."""
    inflating = zlib.decompressobj()
    try:
        raw = inflating.decompress(data, 56 * most_rows + 1)
    except zlib.error as error:
        raise ValueError(f"samples that cannot be unpacked ({error})") from error
    if len(raw) > 56 * most_rows or len(raw) % 56 or not inflating.eof:
        raise ValueError("samples that are not as they were written")
    table = np.frombuffer(raw, dtype="<f8").reshape(7, -1)
    if not np.isfinite(table[0]).all():
        raise ValueError("samples with no time")
    return Samples(table[0].astype(np.int64), *table[1:])


def months(connection: sqlite3.Connection, rig_id: int, start: int, end: int) -> Iterator[tuple[datetime, datetime]]:
    """The months (UTC) of a stretch of seconds since 1970 that hold samples, each as its begin and the next one's."""
    while True:
        found = connection.execute("SELECT min(at) FROM sample WHERE rig_id = ? AND at >= ? AND at <= ?",
                                   (rig_id, start, end)).fetchone()[0]
        if found is None:
            return
        month = datetime.fromtimestamp(found, UTC).replace(day=1, hour=0, minute=0, second=0)
        after = month.replace(year=month.year + month.month // 12, month=month.month % 12 + 1)
        yield month, after
        start = int(after.timestamp())


def take_out(connection: sqlite3.Connection, rig_id: int, start: int, end: int, now: datetime, removal: int,
             import_id: int | None = None) -> int:
    """Take out the samples from one second up to another (of one month at the most), so that `put_back` can bring
    them back; how many. In a transaction.

    removal  a number for the months of one removal (see `new_removal`); import_id  only what came with it
    """
    which, of = ("", ()) if import_id is None else (" AND import_id = ?", (import_id,))
    taken = from_rows(connection.execute(
        f"""SELECT at, volts, amps, watts, soc, charge_wh, discharge_wh FROM sample
            WHERE rig_id = ? AND at >= ? AND at < ?{which} ORDER BY at""", (rig_id, start, end, *of)))
    if not len(taken):
        return 0
    connection.execute(
        """INSERT INTO removed_samples (rig_id, at, removal, import_id, first_at, last_at, rows, packed)
           VALUES (?, ?, ?, ?, ?, ?, ?, ?)""",
        (rig_id, instant_text(now), removal, import_id, int(taken.at[0]), int(taken.at[-1]), len(taken), packed(taken)))
    connection.execute(f"DELETE FROM sample WHERE rig_id = ? AND at >= ? AND at < ?{which}", (rig_id, start, end, *of))
    sum_up_again(connection, rig_id, int(taken.at[0]), int(taken.at[-1]))
    return len(taken)


def new_removal(connection: sqlite3.Connection) -> int:
    """A number for a removal that begins."""
    return 1 + (connection.execute("SELECT max(removal) FROM removed_samples").fetchone()[0] or 0)


def removed(connection: sqlite3.Connection, rig_id: int, removal: int) -> list[int]:
    """The numbers of the months of a removal that are still out."""
    return [row["id"] for row in connection.execute(
        "SELECT id FROM removed_samples WHERE rig_id = ? AND removal = ? AND back = 0 ORDER BY id",
        (rig_id, removal))]


def put_back(connection: sqlite3.Connection, rig_id: int, number: int) -> int:
    """Bring a removed month back where no other samples stand meanwhile; how many. In a transaction."""
    row = connection.execute("SELECT * FROM removed_samples WHERE rig_id = ? AND id = ? AND back = 0",
                             (rig_id, number)).fetchone()
    bringing = Bringing(connection, rig_id, row["import_id"])
    bringing.take(unpacked(row["packed"], row["rows"]))
    bringing.finish()
    sum_up_again(connection, rig_id, row["first_at"], row["last_at"])
    connection.execute("UPDATE removed_samples SET back = 1 WHERE id = ?", (number,))
    return bringing.added


def out_of_import(connection: sqlite3.Connection, rig_id: int, import_id: int) -> list[int]:
    """The numbers of the months of an import that are out."""
    return [row["id"] for row in connection.execute(
        "SELECT id FROM removed_samples WHERE rig_id = ? AND import_id = ? AND back = 0 ORDER BY id",
        (rig_id, import_id))]


def removed_span(connection: sqlite3.Connection, rig_id: int, removal: int) -> tuple[int, int] | None:
    """The first and the last second of a removal, or None when nothing of it is out."""
    row = connection.execute("SELECT min(first_at), max(last_at) FROM removed_samples "
                             "WHERE rig_id = ? AND removal = ? AND back = 0", (rig_id, removal)).fetchone()
    return None if row[0] is None else (row[0], row[1])


def drop(connection: sqlite3.Connection, rig_id: int, start: int, end: int, import_id: int) -> None:
    """Take out what came with an import that did not end, for good. To be called in a transaction."""
    gone = connection.execute("DELETE FROM sample WHERE rig_id = ? AND at >= ? AND at < ? AND import_id = ?",
                              (rig_id, start, end, import_id)).rowcount
    if gone:
        sum_up_again(connection, rig_id, start, end)


def by_month(connection: sqlite3.Connection, rig_id: int) -> Iterator[Samples]:
    """All samples of a rig, a month (UTC) at a time."""
    found = span(connection, rig_id)
    for month, after in months(connection, rig_id, *found) if found else ():
        yield between(connection, rig_id, month, after)
