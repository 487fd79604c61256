"""What the loads on the list take in a day, how well that is known, and how it lies over the hours."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from voltaun.core.rig.inverter import dc_energy, idle_energy
from voltaun.core.rig.parts import Load, Pattern
from voltaun.core.rig.rig import Rig

GRADES = {"metered": ("A", 0.10), "spot": ("B", 0.25), "trial": ("B", 0.25), "label": ("C", 0.50),
          "guess": ("D", 0.75)}
"""Evidence: its grade, and the relative standard deviation of a figure that rests on it."""


@dataclass(frozen=True)
class Line:
    """One line of the list: a load, or the inverter's own idle (then `load` is None), Wh a day at the battery."""

    load: Load | None
    wh: float
    grade: str
    sd_wh: float


@dataclass(frozen=True)
class Listed:
    """The loads of a month by what they take, with their sums at the battery, Wh a day."""

    lines: list[Line]

    @property
    def wh(self) -> float:
        """All of it."""
        return sum(line.wh for line in self.lines)

    @property
    def sd_wh(self) -> float:
        """Standard deviation of the sum, the lines' errors taken as independent."""
        return math.sqrt(sum(line.sd_wh ** 2 for line in self.lines))

    def side_wh(self, side: str) -> float:
        """What the loads of one side take; the idle is on neither."""
        return sum(line.wh for line in self.lines if line.load and line.load.side == side)


def listed(rig: Rig, month: int | None = None, idle_tested: bool = False) -> Listed:
    """The loads of a month (1–12; all of them without one), the largest first, and the inverter's idle.

    idle_tested  whether an inverter test has shown the idle, which then is as good as metered
    """
    lines = []
    for load in rig.loads:
        if month is None or month in load.months:
            grade, trust = GRADES[load.evidence]
            wh = load_dc_wh(rig, load)
            lines.append(Line(load, wh, grade, wh * trust))
    if rig.inverter and any(line.load and line.load.side == "ac" for line in lines):
        idle = idle_energy(rig.inverter, 24)
        grade, trust = GRADES["metered" if idle_tested else "label"]
        lines.append(Line(None, idle, grade, idle * trust))
    return Listed(sorted(lines, key=lambda line: line.wh, reverse=True))


@dataclass(frozen=True)
class Gap:
    """What the log says the bank loses beyond the list, Wh a day, and how sure that is (standard deviation)."""

    wh: float
    sd_wh: float

    @property
    def clear(self) -> bool:
        """Whether it is more than the figures' own doubt makes eight times in ten."""
        return abs(self.wh) > 1.28 * self.sd_wh


def gap(of: Listed, logged_wh: float, logged_sd_wh: float, days: int) -> Gap:
    """The log's use a day (Wh, its spread from day to day, and how many days it rests on) less the list's."""
    return Gap(logged_wh - of.wh, math.hypot(of.sd_wh, logged_sd_wh / math.sqrt(max(1, days))))


def daily_use(rig: Rig, month: int | None = None) -> float | None:
    """DC-side use of the listed loads, Wh a day; None when no load is listed.

    AC loads are divided by the inverter's efficiency and its idle is added once if there is any.
    With a month (1–12) only the loads of that month count.
    """
    return listed(rig, month).wh if rig.loads else None


def arriving_share(rig: Rig) -> float | None:
    """Share of what the AC loads and the idle take from the battery that arrives at the loads; None without any.

    The flat "AC is 80 % of DC" of the other school, blended from idle and efficiency.
    """
    ac_wh = sum(load.daily_wh for load in rig.loads if load.side == "ac")
    return ac_wh / dc_energy(rig.inverter, ac_wh, 24) if rig.inverter and ac_wh else None


def seasonal_wh(rig: Rig) -> list[float]:
    """What the loads that do not run all year take a day in each month, January first, Wh at the battery."""
    return [sum(load_dc_wh(rig, load) for load in rig.loads if len(load.months) < 12 and month in load.months)
            for month in range(1, 13)]


def load_dc_wh(rig: Rig, load: Load) -> float:
    """One load's Wh a day on the DC side, without the inverter's idle."""
    through = rig.inverter.efficiency if rig.inverter and load.side == "ac" else 1.0
    return load.daily_wh / through


def hourly_shape(rig: Rig, month: int) -> np.ndarray:
    """Share of a day's use in each local clock hour of a month (1–12), 24 numbers that sum to 1.

    A load that is always on is spread evenly, fixed hours and windows over their own hours; one out of season shapes
    nothing. With no load of that month on the list the day is flat.
    """
    shape = np.zeros(24)
    for load in rig.loads:
        if month in load.months:
            shape += load_dc_wh(rig, load) * hours_shape(load.pattern)
    if rig.inverter and any(load.side == "ac" and month in load.months for load in rig.loads):
        shape += idle_energy(rig.inverter, 24) / 24
    total = shape.sum()
    return shape / total if total > 0 else np.full(24, 1 / 24)


def hourly_shapes(rig: Rig, days: Sequence[date]) -> np.ndarray:
    """`hourly_shape` of each of some days, (days, 24)."""
    by_month = {month: hourly_shape(rig, month) for month in {day.month for day in days}}
    return np.array([by_month[day.month] for day in days])


def hours_shape(pattern: Pattern) -> np.ndarray:
    """Share of a load's day in each local clock hour, 24 numbers that sum to 1, from its pattern."""
    if isinstance(pattern, str):  # always
        return np.full(24, 1 / 24)
    start, end = pattern[1], pattern[2]
    if end <= start:
        end += 24
    # Overlap of [start, end] with each clock hour, wrapped round midnight.
    hours = np.arange(48)
    cover = np.clip(np.minimum(hours + 1, end) - np.maximum(hours, start), 0, 1)
    shape = cover[:24] + cover[24:]
    return np.asarray(shape / shape.sum())


def largest_set_running(rig: Rig) -> float | None:
    """Largest AC power that runs at once, W: loads that are always on, those of the hour, and one movable load.

    Movable loads can be kept apart, so only the largest of them counts. None when no AC load states its
    running W.
    """
    loads = _running(rig)
    if not loads:
        return None
    steady = sum(watts for load, watts in loads if load.pattern == "always")
    timed = np.zeros(24)
    for load, watts in loads:
        if load.pattern[0] == "hours":
            timed += watts * (hours_shape(load.pattern) > 0)
    movable = max((watts for load, watts in loads if load.pattern[0] == "window"), default=0.0)
    return float(steady + timed.max() + movable)


def _running(rig: Rig) -> list[tuple[Load, float]]:
    """The AC loads that state their running W, with it."""
    return [(load, load.running_w) for load in rig.loads if load.side == "ac" and load.running_w]


def largest_surge(rig: Rig) -> float | None:
    """Largest start-up with everything else running, W; None when no AC load states its figures."""
    stated = [load for load in rig.loads if load.side == "ac" and (load.running_w or load.surge_w)]
    starts = [max(0.0, (load.surge_w or 0.0) - (load.running_w or 0.0)) for load in stated]
    return (largest_set_running(rig) or 0.0) + max(starts) if stated else None
