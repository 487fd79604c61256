"""A trial of the usual set is a stretch of the log: its levels are readings, and not to be typed twice."""

from dataclasses import replace
from datetime import datetime
from itertools import pairwise
from sqlite3 import Connection
from typing import Any

from voltaun.core.bench.runs import Run
from voltaun.core.instants import hours_between
from voltaun.core.log.reading import PANELS_OFF, Reading
from voltaun.core.rig.sources import SOURCE_TABLE
from voltaun.database import bench, readings, rigs

NOTE = "From a drawdown trial"


def counts(run: Run) -> bool:
    """Whether a run's levels stand in the log: all that is usual was on, and nothing charged."""
    return run.instrument == "drawdown" and not run.subject


def follow(db: Connection, rig_id: int, before: Run, after: Run, now: datetime) -> None:
    """Let the log follow a trial that was changed. To be called in a transaction; what a hand wrote down stays."""
    panels = bool(rigs.there(db, rig_id).rig.arrays)
    was, becomes = (_levels(of, panels) if counts(of) else {} for of in (before, after))
    for at in was.keys() - becomes.keys() | {at for at in was.keys() & becomes.keys() if was[at] != becomes[at]}:
        kept = readings.at(db, rig_id, at)
        if kept is not None and kept.reading.note == NOTE:
            readings.remove(db, rig_id, kept.id, kept.version, now)
    for at, reading in becomes.items():
        if was.get(at) != reading and readings.at(db, rig_id, at) is None:
            readings.add(db, rig_id, reading, now)


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
