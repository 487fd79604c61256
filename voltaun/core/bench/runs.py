"""The bench: runs of an instrument, their readings, and what every finding has in common.

An instrument takes readings over hours or days and ends in a finding: a figure with its uncertainty, which
is applied to the rig with one action and stays traceable. The instruments are in `metering` (meter run,
label), `drawdown`, `trials` (capacity, inverter, harvest) and `cells` (hydrometer).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from itertools import pairwise

from voltaun.core.instants import hours_between
from voltaun.core.reasons import CounterFell, Misread, NotYet

INSTRUMENTS = ("meter", "drawdown", "capacity", "inverter", "harvest", "hydrometer", "label")

SOC_ERROR = 0.005
"""A display's percent is taken to be off by half a point."""


@dataclass(frozen=True)
class Mark:
    """One reading of a run; what the instrument does not show is None.

    wh           the meter's running counter, Wh (a capacity test: at the battery; a harvest: brought in)
    run_minutes  running counter of the minutes in which power flowed
    ah, ac_wh, other_wh  running counters of charge, of Wh behind the inverter, of a second meter's Wh
    soc          a fraction; volts at the bank; dc_w and ac_w are powers at this moment
    cells        of a flooded bank the specific gravity of each cell, in their order; ambient_c is then the acid's
    reset        what lies between the reading before and this one counts for nothing, and the user said so: the counter
                 was set back there, something else was on, or charged
    """

    at: datetime
    wh: float | None = None
    run_minutes: float | None = None
    soc: float | None = None
    volts: float | None = None
    ah: float | None = None
    ac_wh: float | None = None
    other_wh: float | None = None
    dc_w: float | None = None
    ac_w: float | None = None
    peak_w: float | None = None
    low_w: float | None = None
    ambient_c: float | None = None
    reset: bool = False
    note: str = ""
    cells: tuple[float, ...] = ()


@dataclass(frozen=True)
class Run:
    """One use of an instrument, with its readings in order of time and what was noted of it.

    subject          the load's or source's name; blank for the bank, the inverter or the usual set
    side             the side that a load's figure is measured on
    warm             whether the thing was started warm
    leave_out_hours  of a drawdown trial: how much of its beginning is left out, beside what its readings say
    cut_off          of a capacity test: whether its last reading was at the cut-off
    basis, watts, hours_a_day, duty, standby_w, surge_w, yearly_wh, daily_wh  of a label: what it rests on and says; its
                     standby is what it takes while it does not run, its surge at a start, W
    hours_a_day      of a meter run shorter than a day: how long a day it is so; 24 where it is on all the time
    read_on          of a capacity test whose Wh ran through sockets: "meter", one of one's own, or "display", the
                     station's
    """

    instrument: str
    subject: str = ""
    side: str = "ac"
    marks: tuple[Mark, ...] = ()
    warm: bool = False
    conditions: str = ""
    leave_out_hours: float = 0.0
    cut_off: bool = False
    basis: str = "label"
    watts: float | None = None
    hours_a_day: float | None = None
    duty: float | None = None
    standby_w: float | None = None
    surge_w: float | None = None
    yearly_wh: float | None = None
    daily_wh: float | None = None
    read_on: str = "meter"

    def __post_init__(self) -> None:
        object.__setattr__(self, "marks", tuple(sorted(self.marks, key=lambda mark: mark.at)))

    @property
    def hours(self) -> float:
        """From the first reading to the last, h."""
        return hours_between(self.marks[0].at, self.marks[-1].at) if self.marks else 0.0

    @property
    def ambient_c(self) -> float | None:
        """Mean of the ambient temperatures noted, °C."""
        noted = [mark.ambient_c for mark in self.marks if mark.ambient_c is not None]
        return sum(noted) / len(noted) if noted else None


def pieces(marks: Sequence[Mark]) -> list[list[Mark]]:
    """The readings cut where what lies before one of them is left out."""
    found: list[list[Mark]] = []
    for mark in marks:
        if mark.reset or not found:
            found.append([])
        found[-1].append(mark)
    return found


def hours_that_count(run: Run) -> float:
    """From the first reading to the last without what is left out, h."""
    return sum(hours_between(piece[0].at, piece[-1].at) for piece in pieces(run.marks))


def counted(marks: Sequence[Mark], name: str) -> float | None:
    """What a counter went up by between the readings that show it, without what is left out; None with fewer than two.

    Raises CounterFell where it falls.
    """
    rose = [each for piece in pieces(marks) if (each := _rose(piece, name)) is not None]
    return sum(rose) if rose else None


def _rose(piece: Sequence[Mark], name: str) -> float | None:
    shown: list[tuple[datetime, float]] = [(mark.at, getattr(mark, name)) for mark in piece
                                           if getattr(mark, name) is not None]
    for (_, before), (at, after) in pairwise(shown):
        if after < before:
            raise CounterFell("counter_fell", at, found=after, before=before)
    return shown[-1][1] - shown[0][1] if len(shown) > 1 else None


def from_nought(marks: Sequence[Mark], name: str) -> list[Mark]:
    """The readings with this counter begun at nought where the first one did not note it."""
    first, *rest = marks
    begun = getattr(first, name) is None and any(getattr(mark, name) is not None for mark in rest)
    return [replace(first, **{name: 0.0}) if begun else first, *rest]  # type: ignore[arg-type] # a counter's name


def require_time(run: Run, count: int = 2) -> None:
    """Raise NotYet unless there are so many readings, Misread where two of them are at one instant."""
    for before, after in zip(run.marks, run.marks[1:], strict=False):
        if after.at <= before.at:
            raise Misread("at_one_instant", after.at)
    if len(run.marks) < count:
        raise NotYet("too_few_readings", there=len(run.marks), needed=count)


Stretch = list[tuple[datetime, float]]
"""Readings of the level in a row: when, and what it was."""


def levels(run: Run) -> Stretch:
    """All readings of the level."""
    return [(mark.at, mark.soc) for mark in run.marks if mark.soc is not None]
