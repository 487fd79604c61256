"""A trial of the usual set, and one of what the sun brings, is a stretch of the log: what was read is a reading, and
not to be typed twice."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import pairwise
from sqlite3 import Connection
from typing import Any

from voltaun.core.bench.runs import Run
from voltaun.core.instants import hours_between
from voltaun.core.log.reading import PANELS_OFF, Reading
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCE_TABLE
from voltaun.database import bench, readings, rigs

NOTE, OF_SUN, OF_BANK = "From a drawdown trial", "From a harvest trial", "From a capacity test"
OWN_NOTES = (NOTE, OF_SUN, OF_BANK)


def counts(run: Run, rig: Rig) -> bool:
    """Whether what a run read stands in the log: all that is usual was on, and nothing charged; or all of the sun that
    came in was counted."""
    if run.instrument == "harvest":
        return [array.name for array in rig.arrays] == [run.subject]
    return run.instrument == "drawdown" and not run.subject


def stands_in_log(run: Run, rig: Rig) -> bool:
    """Whether a run's levels stand in the log, whatever moved them: today the bank is where the trial left it."""
    return counts(run, rig) or run.instrument in ("drawdown", "capacity")


def follow(db: Connection, rig_id: int, before: Run, after: Run, now: datetime) -> None:
    """Let the log follow a trial that was changed. To be called in a transaction; what a hand wrote down stays."""
    rig = rigs.there(db, rig_id).rig
    was, becomes = (_readings(db, rig_id, of, rig) if stands_in_log(of, rig) else {} for of in (before, after))
    for at in was.keys() - becomes.keys() | {at for at in was.keys() & becomes.keys() if was[at] != becomes[at]}:
        kept = readings.at(db, rig_id, at)
        if kept is not None and kept.reading.note in OWN_NOTES:
            readings.remove(db, rig_id, kept.id, kept.version, now)
    for at, reading in becomes.items():
        if was.get(at) != reading and readings.at(db, rig_id, at) is None:
            readings.add(db, rig_id, reading, now)


def _readings(db: Connection, rig_id: int, run: Run, rig: Rig) -> dict[datetime, Reading]:
    if not counts(run, rig):
        return _not_booked(run)
    if run.instrument != "harvest":
        return _levels(run, bool(rig.arrays))
    if not run.marks:
        return {}
    end = run.marks[-1].at + timedelta(seconds=1)
    by_hand = [each.reading.at for each in readings.since(db, rig_id, run.marks[0].at, end)
               if each.reading.note != OF_SUN]
    return _sun(run, by_hand)


def _sun(run: Run, by_hand: Sequence[datetime]) -> dict[datetime, Reading]:
    """The trial's readings with the sun between two of them. Where a hand wrote a reading between, its figures count
    from there, and nothing is known of the sun since."""
    made = {}
    shown: float | None = None
    for n, mark in enumerate(run.marks):
        begun = run.marks[n - 1].at if n else mark.at
        counter = 0.0 if mark.wh is None and not n else mark.wh
        came = None if counter is None or shown is None or counter < shown else counter - shown
        if any(begun < at < mark.at for at in by_hand):
            came = None
        if not n or mark.soc is not None or came is not None:
            made[mark.at] = Reading(mark.at, soc=mark.soc, solar_wh=came, note=OF_SUN)
        shown = counter
    return made


def _not_booked(run: Run) -> dict[datetime, Reading]:
    """The levels of a trial under a load of its own: where the bank stands, and what moved it is not booked."""
    shown = [(mark.at, mark.soc) for mark in run.marks if mark.soc is not None]
    if run.cut_off and run.marks and run.marks[-1].soc is None:  # what the display still says stays as it was typed
        shown.append((run.marks[-1].at, 0.0))
    note = OF_BANK if run.instrument == "capacity" else NOTE
    return {at: Reading(at, soc=soc, note=note, answer="reset" if n else "") for n, (at, soc) in enumerate(shown)}


def _levels(run: Run, panels: bool) -> dict[datetime, Reading]:
    """The trial's levels as readings. From the second on nothing came in since the one before; what moved the level in
    a stretch that is left out is not booked, and something may have come in."""
    levels = [mark for mark in run.marks if mark.soc is not None]
    made = {mark.at: Reading(mark.at, soc=mark.soc, note=NOTE) for mark in levels}
    nothing: dict[str, Any] = dict.fromkeys((source.wh for source in SOURCE_TABLE), 0.0)
    if panels:  # which were kept off: no word on the sky
        nothing["events"] = (PANELS_OFF,)
    for before, mark in pairwise(levels):
        begun = hours_between(run.marks[0].at, before.at) >= run.leave_out_hours
        apart = not begun or any(each.reset for each in run.marks if before.at < each.at <= mark.at)
        made[mark.at] = replace(made[mark.at], **({"answer": "reset"} if apart else nothing))
    return made


def standing(kept: bench.KeptRun) -> Run:
    """A run with the readings that count: none while it is abandoned."""
    return replace(kept.run, marks=()) if kept.state == "abandoned" else kept.run


def undo(db: Connection, rig_id: int, change_id: int, now: datetime) -> int:
    """Take a change of a run back, and the log with it; the run's number. As `bench.undo`."""
    run_id, before = bench.undo(db, rig_id, change_id, now)
    follow(db, rig_id, standing(before), standing(bench.there(db, rig_id, run_id)), now)
    return run_id
