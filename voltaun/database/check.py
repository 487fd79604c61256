"""Whether the file is whole: SQLite's own checks, and what must hold of the rigs, logs and sums in it."""

import sqlite3
from collections.abc import Collection, Iterator, Sequence

from voltaun.core.learned.account import reckon
from voltaun.core.log import days
from voltaun.core.log.days import Day
from voltaun.core.log.ledger import Interval
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.rig import Rig
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


def _of_rig(connection: sqlite3.Connection, rig_id: int) -> Iterator[str]:
    unreadable = list(read_back.faults(connection, rig_id))
    if unreadable:
        yield from unreadable
        return
    yield from _ledger(connection, rig_id, rigs.there(connection, rig_id).rig)
    yield from _sums(connection, rig_id)


def _ledger(connection: sqlite3.Connection, rig_id: int, rig: Rig) -> Iterator[str]:
    """That the intervals are those of the readings, one after the other, that their books hold, and that splitting
    them into days loses nothing."""
    sun = clearsky.sun_of(connection, rig)
    log = [each.reading for each in readings.everything(connection, rig_id)]
    made = reckon(rig, log, sun).intervals
    if len(made) != max(0, len(log) - 1):
        yield f"{len(log)} readings make {len(made)} intervals"
        return
    for before, after, interval in zip(log, log[1:], made, strict=False):
        at = f"the interval up to {interval.end.isoformat()}"
        if (interval.start, interval.end) != (before.at, after.at):
            yield f"{at} does not lie between its readings"
        if after.soc is not None and interval.soc_end != after.soc:
            yield f"{at} ends at another level than its reading"
        if after.solar_wh is not None and interval.harvest["solar"] != after.solar_wh:
            yield f"{at} has another harvest than its reading"
        off = books_off(rig, interval)
        if abs(off) > GRAIN_WH:
            yield f"the books of {at} are off by {off:.3f} Wh"
    yield from _split(made, days.by_day(rig, made, sun).values())


def _split(made: Sequence[Interval], by_day: Collection[Day]) -> Iterator[str]:
    """That the days hold what the intervals do."""
    for what, whole, split in (
            ("use", sum(each.use_wh or 0.0 for each in made), sum(day.use_wh for day in by_day)),
            ("harvest", sum(wh or 0.0 for each in made for wh in each.harvest.values()),
             sum(day.harvest_wh for day in by_day)),
            ("hours", sum(each.hours for each in made), sum(day.hours for day in by_day))):
        if abs(whole - split) > GRAIN_WH * (1 + len(by_day)):
            yield f"the {what} of the days, {split:.1f}, are not those of the intervals, {whole:.1f}"


def books_off(rig: Rig, interval: Interval) -> float:
    """By how much the books of an interval do not hold, Wh; 0 where a figure of them is not known.

    Written out here from what the levels say, apart from the ledger that made them: what came in, less what was lost
    in charging, used, lost standing by and unexplained, is what the bank gained.
    """
    harvest, use = interval.harvest_wh, interval.use_wh
    if interval.unexplained_wh is None or interval.soc_start is None or interval.soc_end is None or harvest is None \
            or use is None or "reset" in interval.marks:
        return 0.0
    straight = min(interval.direct_share * use, harvest)
    lost = (1 - rig.bank.charge_efficiency) * (harvest - straight)
    gained = (interval.soc_end - interval.soc_start) * effective_energy(rig).wh
    return harvest - lost - use - rig.bank.standby_w * interval.hours - interval.unexplained_wh - gained


def _sums(connection: sqlite3.Connection, rig_id: int) -> Iterator[str]:
    """That the kept sums of the hours are those of the samples, as far as counting tells."""
    counted = connection.execute("SELECT count(*) FROM sample WHERE rig_id = ?", (rig_id,)).fetchone()[0]
    summed = connection.execute("SELECT total(samples) FROM sample_hour WHERE rig_id = ?", (rig_id,)).fetchone()[0]
    if counted != summed:
        yield f"{counted} samples, but the sums of their hours are of {summed:.0f}"
