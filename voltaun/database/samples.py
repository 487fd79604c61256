"""Samples: brought in by the million in one transaction, with the sums of each hour kept beside them."""

import sqlite3
from collections.abc import Callable, Iterable
from dataclasses import dataclass, fields
from datetime import datetime

import numpy as np

from voltaun.core.samples import HOUR, Hours, Samples, from_rows, hours, in_order, joined

_INSERT = "INSERT OR IGNORE INTO sample VALUES (?, ?, ?, ?, ?, ?, ?, ?)"
_NONE = from_rows([])
_BLOCK = 30 * 24 * HOUR
"""How much time is summed up again at once where samples came in between others, s."""


class Cancelled(Exception):
    """The user stopped it; nothing of it is kept."""


@dataclass(frozen=True)
class Brought:
    """What an import did: samples that were new, those whose instant was there already, rows out of order."""

    added: int
    same: int
    moved: int


def bring(connection: sqlite3.Connection, rig_id: int, pieces: Iterable[Samples],
          go_on: Callable[[int], bool] = lambda rows: True) -> Brought:
    """Keep samples and the sums of their hours. To be called in a transaction.

    pieces  as they stand in the file; go_on  is told the rows read so far and answers whether to go on
    An instant that is there already keeps the figures it has. Raises Cancelled.
    """
    newest = connection.execute("SELECT max(at) FROM sample WHERE rig_id = ?", (rig_id,)).fetchone()[0]
    if newest is None:
        newest = -1
    # The last hour that is there already is summed up again with what follows it.
    carried = _stored(connection, rig_id, newest // HOUR * HOUR - HOUR, newest + 1) if newest >= 0 else _NONE
    rows = added = moved = 0
    between = []  # stretches of time that came in between samples already there
    for piece in pieces:
        rows += len(piece)
        piece, back, _ = in_order(piece)
        moved += back
        fresh = piece.part(piece.at > newest)
        late = piece.part(piece.at <= newest)
        if len(late):
            between.append((int(late.at[0]), int(late.at[-1])))
            added += _insert(connection, rig_id, late)
        if len(fresh):
            added += _insert(connection, rig_id, fresh)
            newest = int(fresh.at[-1])
            carried = _sum_up(connection, rig_id, joined(carried, fresh))
        if not go_on(rows):
            raise Cancelled
    if len(carried):
        _write_hours(connection, rig_id, hours(carried), after=int(carried.at[0]) // HOUR * HOUR)
    for start, end in _merged(between):
        _sum_up_again(connection, rig_id, start, end)
    return Brought(added, rows - added, moved)


def _insert(connection, rig_id, samples) -> int:
    # One count for all: the number of rows changed is known only as a total.
    before = connection.total_changes
    connection.executemany(_INSERT, ((rig_id, *row) for row in samples.rows()))
    return connection.total_changes - before


def _sum_up(connection, rig_id, samples) -> Samples:
    """Write the sums of all hours but the last; what is still needed: the last hour and the hour before it."""
    last = int(samples.at[-1]) // HOUR * HOUR
    summed = hours(samples)
    whole = summed.hour < last
    _write_hours(connection, rig_id, Hours(*(getattr(summed, field.name)[whole] for field in fields(Hours))),
                 after=int(samples.at[0]) // HOUR * HOUR)
    keep = int(np.searchsorted(samples.at, last))
    # With the sample just before, so that what flowed from it is counted.
    return samples.part(slice(max(0, keep - 1), None))


def _write_hours(connection, rig_id, summed: Hours, after: int) -> None:
    """Write sums; the hour that holds only the sample carried over from before is not written again."""
    rows = [(rig_id, *row) for row in summed.rows() if row[0] >= after and not (row[0] == after and row[1] == 1)]
    connection.executemany("INSERT OR REPLACE INTO sample_hour VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", rows)


def _sum_up_again(connection, rig_id, start, end) -> None:
    """Sum a stretch of time up from the samples that stand in it, a month at a time."""
    begin = start // HOUR * HOUR
    until = (end // HOUR + 2) * HOUR  # what flowed across the end goes to the hour after it
    connection.execute("DELETE FROM sample_hour WHERE rig_id = ? AND hour >= ? AND hour < ?", (rig_id, begin, until))
    for first in range(begin, until, _BLOCK):
        last = min(first + _BLOCK, until)
        before = connection.execute("SELECT max(at) FROM sample WHERE rig_id = ? AND at < ?",
                                    (rig_id, first)).fetchone()[0]
        stored = _stored(connection, rig_id, first if before is None else before, last)
        if len(stored):
            summed = hours(stored)
            inside = summed.hour >= first
            _write_hours(connection, rig_id,
                         Hours(*(getattr(summed, field.name)[inside] for field in fields(Hours))), after=-1)


def _merged(stretches):
    """Stretches of time that touch, as one."""
    merged = []
    for start, end in sorted(stretches):
        if merged and start <= merged[-1][1] + HOUR:
            merged[-1] = (merged[-1][0], max(end, merged[-1][1]))
        else:
            merged.append((start, end))
    return merged


def _stored(connection, rig_id, start, end) -> Samples:
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
