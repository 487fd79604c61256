"""How a trial stands while it runs: what flows, and until when by the clock the bank is down to a floor, or full.

It is told by each witness there is: the counters, the level on the display, and watts that were seen now and then.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from voltaun.core.bench.harvest import glimpsed_w
from voltaun.core.bench.runs import Run, counted, from_nought, hours_that_count, pieces
from voltaun.core.bench.trials import counters
from voltaun.core.instants import hours_between
from voltaun.core.reasons import Unreckoned
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.rig import Rig

FALLS = ("drawdown", "capacity")
"""Instruments under which the bank is emptied; under a harvest it fills."""

Reach = Callable[[datetime, float], datetime | None]
"""When a source that is not steady will have brought so many times what it brought so far, from an instant on; None
where it does not that day."""

MOST_HOURS = 24.0 * 365
"""What takes longer than this is never there."""


@dataclass(frozen=True)
class Until:
    """When a level is come to at the rate so far: `name` "everyday", "hard", "empty" or "full"; hours from the last
    reading, and the instant."""

    name: str
    level: float
    hours: float
    at: datetime


@dataclass(frozen=True)
class Witness:
    """What one of them says: by "counter", "level" or "glimpses"; W on the mean at the battery, out of it or into it;
    the level at the last reading by it, None where it tells none; and when it comes to the levels ahead."""

    by: str
    watts: float
    soc: float | None
    until: tuple[Until, ...]


@dataclass(frozen=True)
class Going:
    """How a trial stands at its last reading; the witness that is relied on first. passed is AC out of DC so far."""

    witnesses: tuple[Witness, ...]
    passed: float | None


def going(run: Run, rig: Rig, reach: Reach | None = None) -> Going | None:
    """How a trial of the bank or a source stands; None where nothing is told yet, at the cut-off, and for other
    instruments. `reach` is needed for the sun.

    W = Wh by the counters / h; points of the display × effective energy / h; or the watts seen, each joined to the
    next. Hours to a level = (level now − level) × effective energy / W.
    """
    if run.instrument not in (*FALLS, "harvest") or run.cut_off or len(run.marks) < 2:
        return None
    hours, falls = hours_that_count(run), run.instrument in FALLS
    if hours <= 0:
        return None
    (wh, passed), begun = _counted(run, rig), _begun_at(run)
    energy, through = effective_energy(rig).wh, 1.0 if falls else rig.bank.charge_efficiency
    shown = next((mark.soc for mark in reversed(run.marks) if mark.soc is not None), None)
    moved, seen = _moved(run, begun) * (-1 if falls else 1), glimpsed_w(run)
    found = []
    if wh:
        # What lies in a stretch that is left out moved the level all the same: then only the display tells it.
        counts = begun is not None and not any(mark.reset for mark in run.marks)
        found.append(("counter", wh / hours, _within(begun or 0.0, wh * through / energy, falls) if counts else shown))
    if moved > 0 and shown is not None:
        found.append(("level", moved * energy / through / hours, shown))
    if seen:
        found.append(("glimpses", seen, shown))
    levels = _floors(rig) if falls else (("full", 1.0),)
    told = tuple(Witness(by, watts, soc, tuple(_ahead(run.marks[-1].at, hours, watts * through / energy, soc, levels,
                                                      falls, reach))) for by, watts, soc in found)
    return Going(told, passed) if told else None


def _within(begun: float, share: float, falls: bool) -> float:
    return min(1.0, max(0.0, begun - share if falls else begun + share))


def _begun_at(run: Run) -> float | None:
    """The level at the first reading; a capacity test begins full where none was noted."""
    return 1.0 if run.instrument == "capacity" and run.marks[0].soc is None else run.marks[0].soc


def _counted(run: Run, rig: Rig) -> tuple[float | None, float | None]:
    """Wh at the battery by the counters so far, and AC out of DC."""
    try:
        if run.instrument == "capacity":
            out = counters(run, rig)
            return out.wh, out.ac / out.dc if out.ac and out.dc else None
        return (counted(from_nought(run.marks, "wh"), "wh"), None) if run.instrument == "harvest" else (None, None)
    except Unreckoned:
        return None, None


def _moved(run: Run, top: float | None) -> float:
    """How far the display's level moved in what counts, a fraction; rising is positive."""
    total = 0.0
    for n, piece in enumerate(pieces(run.marks)):
        levels = [mark.soc for mark in piece if mark.soc is not None]
        if not n and top is not None and piece[0].soc is None:
            levels = [top, *levels]
        total += levels[-1] - levels[0] if levels else 0.0
    return total


def _floors(rig: Rig) -> tuple[tuple[str, float], ...]:
    floors = (("everyday", rig.bank.everyday_floor), ("hard", rig.bank.hard_floor), ("empty", 0.0))
    return tuple((name, level) for name, level in floors if level > 0 or name == "empty")


def _ahead(last: datetime, hours: float, rate: float, soc: float | None, levels: tuple[tuple[str, float], ...],
           falls: bool, reach: Reach | None) -> Iterator[Until]:
    """When the levels ahead are come to at so much of the bank an hour."""
    for name, level in levels:
        if soc is None:
            continue
        way = soc - level if falls else level - soc
        if not 0 < way < MOST_HOURS * rate:
            continue
        at = last + timedelta(hours=way / rate) if reach is None else reach(last, way / (rate * hours))
        if at is not None:
            yield Until(name, level, hours_between(last, at), at)
