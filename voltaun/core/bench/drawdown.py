"""A drawdown trial: how fast the level falls while nothing charges, and what that leaves of the hours."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise

import numpy as np

from voltaun.core.bench.runs import SOC_ERROR, Run, Stretch, levels, require_time
from voltaun.core.instants import hours_between
from voltaun.core.reasons import Misread, NotYet, Reason, reason
from voltaun.core.rig.bank import ENERGY_TRUST, EffectiveEnergy, effective_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.stats import t975

SOC_ERROR_COUNT = 4
"""That a display is off by half a point (`SOC_ERROR`) weighs as much as so many readings."""


@dataclass(frozen=True)
class Drawdown:
    """The finding of a drawdown trial; slopes are fractions of the bank an hour, positive for a falling level.

    low and high hold the slope 19 times in 20. lines are the stretches that count, each with its begin, the level that
    the slope has there, and its end. watts is all that left the bank, at the battery;
    load_wh_per_day is the load's own, on its own side, or None for the usual set.
    """

    slope: float
    low: float
    high: float
    lines: tuple[tuple[datetime, float, datetime], ...]
    last_soc: float
    used: int
    watts: float
    sd: float
    load_wh_per_day: float | None
    remarks: tuple[Reason, ...]

    def hours_to(self, floor: float, soc: float | None = None) -> tuple[float, float, float]:
        """Hours from a level (the last one read) down to a floor: likely, and the interval 19 times in 20."""
        fall = max(0.0, (self.last_soc if soc is None else soc) - floor)
        return (fall / self.slope, fall / self.high, fall / self.low if self.low > 0 else float("inf"))


def drawdown(run: Run, rig: Rig) -> Drawdown:
    """A drawdown trial: the least-squares slope of the level over time while nothing charges.

    Wh an hour = slope × effective energy. The load's own is what remains without the bank's standby and,
    for a load behind the inverter, its idle, through the efficiency. Needs three readings of the level. Stretches
    before a reading with `reset` are left out, as the begin is by `leave_out_hours`: what is left has one slope,
    from level to level of its own. Raises NotYet, and Misread where the level rises.
    """
    require_time(run, 3)
    shown = levels(run)
    if len(shown) < 3:
        raise NotYet("level_read_too_seldom", times=len(shown))
    stretches = _stretches(run)
    used = sum(map(len, stretches))
    if used - len(stretches) < 2:
        raise NotYet("too_little_is_left")
    slope, error, lines = _one_slope(stretches)
    if slope <= 0:
        raise NotYet("level_not_fallen")
    energy = effective_energy(rig)
    watts = slope * energy.wh
    sd = float(np.hypot(error / slope / 1.96, ENERGY_TRUST[energy.basis]))
    fell = sum(stretch[0][1] - stretch[-1][1] for stretch in stretches)
    return Drawdown(slope, slope - error, slope + error, lines, stretches[-1][-1][1], used, watts, sd,
                    _load_daily(run, rig, watts), tuple(_drawdown_remarks(run, rig, energy, fell)))


def _stretches(run: Run) -> list[Stretch]:
    """The readings of the level between the stretches that are left out; one that stands alone tells nothing."""
    found: list[Stretch] = [[]]
    for mark in run.marks:
        if mark.reset:
            found.append([])
        if mark.soc is not None and hours_between(run.marks[0].at, mark.at) >= run.leave_out_hours:
            found[-1].append((mark.at, mark.soc))
    for (_, before), (at, after) in (pair for stretch in found for pair in pairwise(stretch)):
        if after > before:
            raise Misread("level_rose", at, found=after, before=before)
    return [stretch for stretch in found if len(stretch) > 1]


def _one_slope(stretches: list[Stretch]) -> tuple[float, float, tuple[tuple[datetime, float, datetime], ...]]:
    """Fall an hour, the half width of the interval that holds it 19 times in 20, and each stretch's own line."""
    hours = [np.array([hours_between(stretch[0][0], at) for at, _ in stretch]) for stretch in stretches]
    soc = [np.array([level for _, level in stretch]) for stretch in stretches]
    x, y = (np.concatenate([values - values.mean() for values in of]) for of in (hours, soc))
    slope = (x @ y) / (x @ x)
    left = y - slope * x
    count = len(x) - len(stretches) - 1 + SOC_ERROR_COUNT
    error = t975(count) * np.sqrt((SOC_ERROR_COUNT * SOC_ERROR ** 2 + left @ left) / count / (x @ x))
    lines = tuple((stretch[0][0], float(level.mean() - slope * hour.mean()), stretch[-1][0])
                  for stretch, hour, level in zip(stretches, hours, soc, strict=True))
    return float(-slope), float(error), lines


def _load_daily(run: Run, rig: Rig, watts: float) -> float | None:
    if not run.subject:
        return None
    own = watts - rig.bank.standby_w
    if run.side == "ac" and rig.inverter:
        own = (own - rig.inverter.idle_w) * rig.inverter.efficiency
    return max(0.0, own) * 24


def _drawdown_remarks(run: Run, rig: Rig, energy: EffectiveEnergy, fell: float) -> Iterator[Reason]:
    if run.warm and run.leave_out_hours < 6:
        yield reason("drawn_down_warm")
    if rig.soc_from == "shunt":
        yield reason("counted_percent", wh=energy.wh, tested=energy.basis == "tested")
    if rig.soc_from == "volts":
        yield reason("percent_from_volts")
    if fell < 0.1:
        yield reason("fell_little")
