"""Whether the file is whole: SQLite's own checks, and what must hold of the rigs, logs and sums in it."""

import sqlite3

from voltaun.core import days
from voltaun.core.learn import reckon
from voltaun.core.ledger import Balance, Interval
from voltaun.core.rig import Rig
from voltaun.database import clearsky, read_back, readings, rigs

GRAIN_WH = 1e-3


def faults(connection: sqlite3.Connection) -> list[str]:
    """Everything that does not hold, in words; empty when all is well."""
    try:
        found = [f"file: {row[0]}" for row in connection.execute("PRAGMA integrity_check(20)") if row[0] != "ok"]
        found += [f"table {row[0]}: row {row[1]} points to a row of {row[2]} that is not there"
                  for row in connection.execute("PRAGMA foreign_key_check")]
        if not found:  # what does not hold below would only be a consequence
            for rig_id, name in rigs.names(connection):
                found += [f"rig {name}: {words}" for words in _of_rig(connection, rig_id)]
    except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
        return [f"file: {error}"]
    return found


def _of_rig(connection, rig_id):
    unreadable = list(read_back.faults(connection, rig_id))
    if unreadable:
        yield from unreadable
        return
    yield from _ledger(connection, rig_id, rigs.get(connection, rig_id).rig)
    yield from _sums(connection, rig_id)


def _ledger(connection, rig_id, rig: Rig):
    """The books of every interval, and that splitting them into days loses nothing."""
    sun = clearsky.sun_of(connection, rig)
    account = reckon(rig, [each.reading for each in readings.everything(connection, rig_id)], sun)
    for interval in account.intervals:
        off = books_off(rig, interval)
        if abs(off) > GRAIN_WH:
            yield f"the books of the interval up to {interval.end.isoformat()} are off by {off:.3f} Wh"
    by_day = days.by_day(rig, account.intervals, sun)
    used = sum(interval.use_wh or 0.0 for interval in account.intervals)
    if abs(sum(day.use_wh for day in by_day.values()) - used) > GRAIN_WH * (1 + len(by_day)):
        yield "the days do not add up to the intervals"


def books_off(rig: Rig, interval: Interval) -> float:
    """By how much the books of an interval do not hold, Wh; 0 where a figure of them is not known."""
    if interval.unexplained_wh is None:
        return 0.0
    balance = Balance(rig.bank.charge_efficiency, rig.bank.standby_w * interval.hours, interval.direct_share)
    return (balance.stored(interval.harvest_wh, interval.use_wh) - interval.unexplained_wh
            - interval.stored_change_wh)


def _sums(connection, rig_id):
    """That the kept sums of the hours are those of the samples, as far as counting tells."""
    counted = connection.execute("SELECT count(*) FROM sample WHERE rig_id = ?", (rig_id,)).fetchone()[0]
    summed = connection.execute("SELECT total(samples) FROM sample_hour WHERE rig_id = ?", (rig_id,)).fetchone()[0]
    if counted != summed:
        yield f"{counted} samples, but the sums of their hours are of {summed:.0f}"
