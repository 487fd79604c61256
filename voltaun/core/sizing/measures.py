"""What does as much without buying: measures by the rig's own names, and what each changes of a run."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from voltaun.core.rig.inverter import idle_energy
from voltaun.core.rig.loads import hours_shape, load_dc_wh
from voltaun.core.rig.parts import Inverter, Load
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.calendar import calendar
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.suns import Aims

ALL_YEAR = tuple(range(1, 13))

KINDS = ("leave_off", "shift", "inverter", "generator", "drive", "mains", "tilt", "away")
"""Loads left off, movable loads into the sun, the inverter off for some hours, a generator by a rule, driving, a
socket, an array tilted otherwise for some months, months not lived in."""

SUNNY = ("window", 10, 15, 5)
"""Into these clock hours movable loads are moved."""

DRIVE_AT, SOCKET_AT = 9, 9
"""Clock hours at which driving and a socket begin."""

DRIVE_EVERY, SOCKET_EVERY, SOCKET_HOURS = 3, 7, 6.0
RULE_ABOVE, RULE_STOP = 0.05, 0.60
"""What is looked at unless told: an hour's drive each three days, a socket once a week, a generator that is started
five points above the everyday floor and run to this level."""

AWAY_SHARE = 0.10
"""What is still used of the use in a month not lived in, unless told."""

NEEDS = {"leave_off": ("names",), "shift": ("names",), "inverter": ("hours",), "generator": ("names", "below", "until"),
         "drive": ("names", "hours", "every"), "mains": ("names", "hours", "every"), "tilt": ("names", "degrees"),
         "away": ("months",)}
LEGAL = {"below": (0.0, 1.0), "until": (0.0, 1.0), "hours": (0.0, 24.0), "every": (1, 365), "degrees": (0.0, 90.0),
         "share": (0.0, 1.0)}


@dataclass(frozen=True)
class Measure:
    """One thing that is done without buying.

    names   the loads, the source or the array it is done with
    below, until  levels, fractions: loads are left off only below it; a generator starts at one, stops at the other
    hours   of driving or at a socket each time, or that the inverter is on in a day; every  so many days
    months  in which it is done, 1–12; degrees  the tilt from level; share  of the use that is left in months away
    """

    kind: str
    names: tuple[str, ...] = ()
    below: float | None = None
    until: float | None = None
    hours: float | None = None
    every: int | None = None
    months: tuple[int, ...] = ALL_YEAR
    degrees: float | None = None
    share: float = AWAY_SHARE

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise ValueError(f"found the measure {self.kind!r}, expected one of {', '.join(KINDS)}")
        for name in NEEDS[self.kind]:
            if getattr(self, name) in (None, ()):
                raise ValueError(f"{self.kind}: found no {name}, expected some")
        for name, (low, high) in LEGAL.items():
            value = getattr(self, name)
            if value is not None and not low <= value <= high:
                raise ValueError(f"{self.kind}, {name}: found {value:g}, expected {low:g} to {high:g}")
        if not self.months or not set(self.months) <= set(ALL_YEAR):
            raise ValueError(f"{self.kind}: found months {list(self.months)}, expected some from 1 to 12")
        if self.kind == "generator" and not (self.below or 0) < (self.until or 0):
            raise ValueError(f"generator: found a start at {self.below:g} and a stop at {self.until:g}, expected the "
                             "stop above the start")

    @property
    def code(self) -> str:
        """What it is called in files: `drive:Ute`, and its figures where they are not the usual ones."""
        figures = [f"{name}={value:g}" for name in ("below", "until", "hours", "every", "degrees")
                   if (value := getattr(self, name)) is not None]
        months = [] if self.months == ALL_YEAR else ["months=" + "-".join(map(str, self.months))]
        return " ".join([f"{self.kind}:{', '.join(self.names)}", *figures, *months])


def from_code(text: str) -> Measure:
    """The measure that a code says: `drive:Ute hours=1 every=2 months=6-7-8`. Raises ValueError."""
    kind, _, rest = text.partition(":")
    words = rest.split(" ")
    given = [word.partition("=") for word in words if word.partition("=")[0] in (*LEGAL, "months")]
    names = " ".join(word for word in words if word.partition("=")[0] not in (*LEGAL, "months"))
    figures: dict[str, Any] = {}
    for name, _, value in given:
        if name == "months":
            figures[name] = tuple(int(month) for month in value.split("-"))
        else:
            figures[name] = int(value) if name == "every" else float(value)
    return Measure(kind.strip(), tuple(name.strip() for name in names.split(",") if name.strip()), **figures)


def usual_measures(rig: Rig) -> list[Measure]:
    """What this rig could do without buying anything, unless told otherwise."""
    found = []
    spare = tuple(load.name for load in rig.loads if load.priority == "spare")
    moved = tuple(load.name for load in rig.loads if load.pattern != "always" and load.pattern[0] == "window")
    if spare:
        found.append(Measure("leave_off", spare))
    if moved:
        found.append(Measure("shift", moved))
    if rig.vehicles:
        found.append(Measure("drive", (rig.vehicles[0].name,), hours=1.0, every=DRIVE_EVERY))
    if rig.mains:
        found.append(Measure("mains", (rig.mains[0].name,), hours=SOCKET_HOURS, every=SOCKET_EVERY))
    if rig.generators:
        found.append(Measure("generator", (rig.generators[0].name,), *usual_rule(rig)))
    return found


def usual_rule(rig: Rig) -> tuple[float, float]:
    """The levels between which a generator is run unless told otherwise."""
    start = min(rig.bank.everyday_floor + RULE_ABOVE, 0.95)
    return start, max(RULE_STOP, start + RULE_ABOVE)


def fits(rig: Rig, measure: Measure) -> bool:
    """Whether the rig has what the measure names."""
    if measure.kind == "inverter":
        return rig.inverter is not None
    parts: dict[str, Sequence[Any]] = {"leave_off": rig.loads, "shift": rig.loads, "drive": rig.vehicles,
                                       "mains": rig.mains, "generator": rig.generators, "tilt": rig.arrays}
    return set(measure.names) <= {part.name for part in parts.get(measure.kind, ())}


def aims_of(rig: Rig, measures: Sequence[Measure], aims: Aims) -> Aims:
    """The planes that are looked at, with those that a measure tilts an array to."""
    names = [array.name for array in rig.arrays]
    return replace(aims, tilted=tuple((names.index(of.names[0]), of.degrees or 0.0, of.months) for of in measures
                                      if of.kind == "tilt"))


def with_measure(rig: Rig, lane: Lane, measure: Measure, aims: Aims, watts: float | None = None) -> Lane:
    """The option with a measure beside what it has; watts  what a source gives instead of its own W, as with another
    charger."""
    held = np.array([day.month in measure.months for day in calendar()])
    by_day = np.zeros((len(held), 24))
    if measure.kind in ("leave_off", "shift"):
        for load in _named(rig.loads, measure):
            # A load is there only in its own months.
            there = held & np.array([day.month in load.months for day in calendar()])
            by_day[there] -= load_dc_wh(rig, load) * hours_shape(load.pattern)
            if measure.kind == "shift":
                by_day[there] += load_dc_wh(rig, load) * hours_shape(SUNNY)
        if measure.below is not None:
            return replace(lane, saved_low=(measure.below, -by_day.ravel()))
        return _using(lane, by_day)
    if measure.kind == "inverter":
        assert rig.inverter is not None and measure.hours is not None
        off = max(0.0, rig.inverter.hours_on_per_day - measure.hours)
        by_day[held] = -rig.inverter.idle_w * off / 24
        return _using(lane, by_day)
    if measure.kind == "away":
        share = np.repeat(np.where(held, measure.share, 1.0), 24)
        return replace(lane, use_share=share if lane.use_share is None else lane.use_share * share)
    if measure.kind == "generator":
        gives = watts or _named(rig.generators, measure)[0].gives_w
        return replace(lane, rule=(measure.below or 0.0, measure.until or 0.0, gives))
    if measure.kind == "tilt":
        (tilted,) = aims_of(rig, [measure], aims).tilted
        return replace(lane, sun=aims.tilted.index(tilted))
    return _brought(rig, lane, measure, held, watts)


def _brought(rig: Rig, lane: Lane, measure: Measure, held: np.ndarray, watts: float | None) -> Lane:
    """With driving, or a socket."""
    sources, begins = (rig.vehicles, DRIVE_AT) if measure.kind == "drive" else (rig.mains, SOCKET_AT)
    assert measure.hours is not None and measure.every is not None
    hours = np.clip(measure.hours - (np.arange(24) - begins) % 24, 0, 1)  # over midnight into the day's own morning
    by_day = np.zeros((len(held), 24))
    by_day[::measure.every] = hours * (watts or _named(sources, measure)[0].gives_w)
    by_day[~held] = 0.0
    brought = by_day.ravel()
    return replace(lane, brought_w=brought if lane.brought_w is None else lane.brought_w + brought)


def _named(parts: Sequence[Any], measure: Measure) -> list[Any]:
    return [part for part in parts if part.name in measure.names]


def _using(lane: Lane, by_day: np.ndarray) -> Lane:
    more = by_day.ravel()
    return replace(lane, more_wh=more if lane.more_wh is None else lane.more_wh + more)


def replacing(rig: Rig, lane: Lane, load: Load, daily_wh: float) -> Lane:
    """The option with a load that takes so much a day, Wh on its own side, in a listed one's place."""
    held = np.array([day.month in load.months for day in calendar()])
    by_day = np.zeros((len(held), 24))
    by_day[held] = load_dc_wh(rig, replace(load, daily_wh=daily_wh)) - load_dc_wh(rig, load)
    return _using(lane, by_day * hours_shape(load.pattern))


def with_inverter(rig: Rig, other: Inverter) -> Rig:
    """The rig with another inverter in the place of its own, as efficient and on for as long as that."""
    own = rig.inverter or Inverter()
    return replace(rig, inverter=replace(other, efficiency=own.efficiency, hours_on_per_day=own.hours_on_per_day))


def with_idle_of(rig: Rig, lane: Lane, changed: Rig) -> Lane:
    """The option with what another inverter takes by itself instead of today's."""
    idle = [idle_energy(of.inverter, 1) if of.inverter else 0.0 for of in (rig, changed)]
    return _using(lane, np.full((len(calendar()), 24), idle[1] - idle[0]))
