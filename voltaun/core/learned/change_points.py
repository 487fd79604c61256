"""Unexplained energy over time: steady stretches of it, with the day each began and ended."""

from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from voltaun.core.instants import hours_between
from voltaun.core.learned.capacity_fit import LONGEST_HOURS, METER_ERROR
from voltaun.core.log.grain import level_grain, rounding
from voltaun.core.log.ledger import Interval
from voltaun.core.stats import middle

LEAST_HOURS = 60.0
"""A stretch is at least so long: a single evening's slip is not a draw."""

LEAST_W = 5.0
CERTAIN = 5.0
"""A stretch stands out by so many standard errors; lower would find one by chance in every other log."""


CUT_OFF_GRAIN = 0.005
"""A level so little above the hard floor is at it."""


@dataclass(frozen=True)
class Draw:
    """A stretch in which energy left (or, below 0, came in) unexplained: mean W more than at other times.

    until is None where it likely still goes on.
    """

    since: datetime
    until: datetime | None
    watts: float
    error_w: float


def draws(made: list[Interval], energy_wh: float, hard_floor: float, held_wh: float | None = None,
          most: int = 3) -> list[Draw]:
    """Stretches that stand out from the rest of the log, in order of time, at most so many.

    energy_wh  the bank's as the ledger reckoned with it, Wh; held_wh  as the log shows it, where it does: what the
               books do not explain is then that of a bank of this energy, or lost capacity would pass for a draw
    hard_floor  at or below it (a fraction) the cut-off acts and a draw stops with the rest: such intervals tell nothing
    A sum over a stretch holds the rounding of its two ends only, and the meters' error of each interval.
    """
    energy = held_wh or energy_wh
    used = [_of_energy(interval, energy / energy_wh) for interval in made
            if interval.all_read and 0 < interval.hours <= LONGEST_HOURS
            and min(interval.soc_start or 0.0, interval.soc_end or 0.0) > hard_floor + CUT_OFF_GRAIN]
    found, rest = [], used
    for _ in range(most):
        best = _clearest(rest, energy)
        if best is None:
            break
        first, end, watts, error = best
        # Its end is only known to a few days, so one that close to the last reading may well go on.
        goes_on = hours_between(rest[end - 1].end, used[-1].end) < LEAST_HOURS
        if rest[first] is used[0]:
            # What is less at the very beginning is better told as more ever since.
            found.append(Draw(rest[end - 1].end, None, -watts, error))
        else:
            found.append(Draw(rest[first].start, None if goes_on else rest[end - 1].end, watts, error))
        rest = rest[:first] + rest[end:]
    return sorted(found, key=lambda draw: draw.since)


def _of_energy(interval: Interval, ratio: float) -> Interval:
    """The interval as a bank of so many times the energy would explain it."""
    left, stored = interval.unexplained_wh or 0.0, interval.stored_change_wh or 0.0
    return replace(interval, unexplained_wh=left + stored * (1 - ratio))


def _clearest(rows: list[Interval], energy: float) -> tuple[int, int, float, float] | None:
    """(first, end, W, standard error) of the stretch that is furthest from the rest; None when none stands out."""
    n = len(rows)
    if n < 10:
        return None
    left, hours, harvest, use = np.array([(row.unexplained_wh, row.hours, row.harvest_wh, row.use_wh)
                                          for row in rows], dtype=float).T
    variance = (METER_ERROR * harvest) ** 2 + (METER_ERROR * use) ** 2 + 25
    rounded = 2 * (rounding(level_grain(row.soc_end for row in rows)) * energy) ** 2
    # The spread that the middle half of the intervals shows, where that is more than the meters account for.
    off = (left - middle(left / hours) * hours) / np.sqrt(variance + rounded)
    scale = max(1.0, (middle(np.abs(off)) / 0.6745) ** 2)
    sums = [np.concatenate(([0.0], np.cumsum(column))) for column in (left, hours, scale * variance)]
    inside = [column[None, :] - column[:, None] for column in sums]  # [first, end]
    outside = [column[-1] - part for column, part in zip(sums, inside, strict=True)]
    # Of a stretch and the rest of the log, the shorter is the one that stands out.
    legal = (inside[1] >= LEAST_HOURS) & (inside[1] <= 0.5 * sums[1][-1]) & (outside[1] >= LEAST_HOURS)
    with np.errstate(divide="ignore", invalid="ignore"):
        watts = inside[0] / inside[1] - outside[0] / outside[1]
        error = np.sqrt((inside[2] + scale * rounded) / inside[1] ** 2
                        + (outside[2] + scale * rounded) / outside[1] ** 2)
        sure = np.where(legal & (np.abs(watts) >= LEAST_W), np.abs(watts) / error, 0.0)
    first, end = np.unravel_index(int(np.argmax(sure)), sure.shape)
    if sure[first, end] < CERTAIN:
        return None
    return int(first), int(end), float(watts[first, end]), float(error[first, end])
