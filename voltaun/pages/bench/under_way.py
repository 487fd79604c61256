"""Trials beside the log: a level that a hand wrote down while one runs is kept once, in the log, and the trial sees it.
"""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from sqlite3 import Connection

from flask import g

from voltaun.core.bench.runs import Mark, Run
from voltaun.core.log.reading import Reading
from voltaun.core.rig.sources import SOURCE_TABLE
from voltaun.database import readings
from voltaun.database.bench import KeptRun
from voltaun.database.readings import KeptReading
from voltaun.pages import context
from voltaun.pages.bench.shown import Shown, shown
from voltaun.pages.bench.trial_log import OWN_NOTES

STILL_RUNS = timedelta(hours=36)
"""A trial that was read so lately may be under way."""


def may_run(kept: KeptRun, now: datetime) -> bool:
    """Whether a trial may still be under way."""
    run = kept.run
    return (run.instrument != "label" and kept.state == "open" and kept.applied_at is None and not run.cut_off
            and bool(run.marks) and now - run.marks[-1].at <= STILL_RUNS)


def beside(db: Connection, rig_id: int, kept: KeptRun, now: datetime) -> dict[datetime, KeptReading]:
    """The log's readings that a trial sees, by their instants: levels between its own readings, and while it may run
    those after the last, as far as they go on as the trial does."""
    run = kept.run
    levels = run.instrument in ("drawdown", "capacity") or run.instrument == "harvest" and any(
        mark.soc is not None for mark in run.marks)
    if not levels or not run.marks or kept.applied_at is not None or kept.state != "open":
        return {}
    begun, last = run.marks[0].at, run.marks[-1].at
    end = last + STILL_RUNS if may_run(kept, now) else last
    own = {mark.at for mark in run.marks}
    logged = [each for each in readings.since(db, rig_id, begun, end + timedelta(seconds=1))
              if each.reading.soc is not None and each.reading.note not in OWN_NOTES and each.reading.at not in own]
    between, after = ([each for each in logged if (each.reading.at > last) == later] for later in (False, True))
    return {each.reading.at: each for each in (*between, *_going_on(run, after))}


def _going_on(run: Run, after: Sequence[KeptReading]) -> list[KeptReading]:
    """Those after the trial's last reading while the level moves as it does and nothing else charges."""
    fills = run.instrument == "harvest"
    stood = next((mark.soc for mark in reversed(run.marks) if mark.soc is not None), None)
    found = []
    for each in after:
        soc = each.reading.soc or 0.0
        other_way = stood is not None and (soc < stood if fills else soc > stood)
        if other_way or not fills and _charged(each.reading):
            break
        found.append(each)
        stood = soc
    return found


def _charged(reading: Reading) -> bool:
    return any(getattr(reading, name) for source in SOURCE_TABLE for name in (source.wh, source.hours) if name)


def seen(kept: KeptRun, runs: Sequence[KeptRun], usual_share: float | None = None) -> Shown:
    """A run as it stands, with what it sees of the log and of the other runs of the rig."""
    rig, run = context.rig(), seen_with(kept.run, beside(context.db(), g.kept.id, kept, g.now))
    others = [each.run for each in runs if each.state == "open"]  # a run beside itself tells nothing
    return shown(run, rig, g.now, context.sun() if run.instrument == "harvest" else None, usual_share, others)


def seen_with(run: Run, logged: dict[datetime, KeptReading]) -> Run:
    """The trial with what it sees of the log."""
    return replace(run, marks=(*run.marks, *(
        Mark(at, soc=each.reading.soc, reset=each.reading.answer == "reset", note=each.reading.note)
        for at, each in logged.items()))) if logged else run
