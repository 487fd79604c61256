"""Unexplained energy over time: steady stretches of it, with the day each began and ended."""

from dataclasses import dataclass
from datetime import datetime

import numpy as np

from voltaun.core.instants import hours_between
from voltaun.core.learned.capacity_fit import LONGEST_FIT_LEG_HOURS, METER_ERROR
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

    def wh_in(self, interval: Interval) -> float:
        """What of it lies in an interval, Wh."""
        end = interval.end if self.until is None else min(interval.end, self.until)
        return self.watts * max(0.0, hours_between(max(interval.start, self.since), end))


def draws(made: list[Interval], energy_wh: float, hard_floor: float, held_wh: float | None = None,
          most: int = 3) -> list[Draw]:
    """Stretches that stand out from the rest of the log, in order of time, at most so many.

    energy_wh  the bank's as the ledger reckoned with it, Wh; held_wh  as the log shows it, where it does: what the
               books do not explain is then that of a bank of this energy, or lost capacity would pass for a draw
    hard_floor  at or below it (a fraction) the cut-off acts and a draw stops with the rest: such intervals tell nothing
    A sum over a stretch holds the rounding of its two ends only, and the meters' error of each interval.
    """
    energy = held_wh or energy_wh
    used = [interval for interval in made
            if interval.all_read and 0 < interval.hours <= LONGEST_FIT_LEG_HOURS
            and min(interval.soc_start or 0.0, interval.soc_end or 0.0) > hard_floor + CUT_OFF_GRAIN]
    found, rest = [], used
    for _ in range(most):
        best = _clearest(rest, energy, energy / energy_wh)
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


def _clearest(rows: list[Interval], energy: float, ratio: float) -> tuple[int, int, float, float] | None:
    """(first, end, W, standard error) of the stretch that is furthest from the rest; None when none stands out.

    ratio  how many times the energy with which the ledger reckoned the bank has, which explains so much more
    """
    n = len(rows)
    if n < 10:
        return None
    left, stored, hours, harvest, use = np.array(
        [(row.unexplained_wh, row.stored_change_wh or 0.0, row.hours, row.harvest_wh, row.use_wh) for row in rows],
        dtype=float).T
    left = left + stored * (1 - ratio)
    variance = (METER_ERROR * harvest) ** 2 + (METER_ERROR * use) ** 2 + 25
    rounded = 2 * (rounding(level_grain(row.soc_end for row in rows)) * energy) ** 2
    # The spread that the middle half of the intervals shows, where that is more than the meters account for.
    off = (left - middle(left / hours) * hours) / np.sqrt(variance + rounded)
    scale = max(1.0, (middle(np.abs(off)) / 0.6745) ** 2)
    sums = np.stack([np.concatenate(([0.0], np.cumsum(column))) for column in (left, hours, scale * variance)])
    return _furthest(sums, scale * rounded)


_BLOCK = 64


def _furthest(sums: np.ndarray, rounded: float) -> tuple[int, int, float, float] | None:
    """(first, end, W, standard error) of the stretch that is furthest from the rest of the log.

    sums     running sums of Wh left over, hours and variance, shape (3, intervals + 1); rounded  variance at a
             stretch's ends, Wh²
    Blocks of beginnings and ends are looked through in the order of what is the most that they could hold, until no
    other could hold more than was found: of ten years of two readings a day that is a few hundredths of all pairs.
    """
    blocks = [slice(n, n + _BLOCK) for n in range(0, sums.shape[1], _BLOCK)]
    most = _most_of(sums, blocks, rounded)
    best, found = CERTAIN ** 2, None
    for place in np.argsort(most, axis=None)[::-1]:
        of_first, of_end = np.unravel_index(int(place), most.shape)
        if most[of_first, of_end] <= best:
            break
        inside = sums[:, None, blocks[of_end]] - sums[:, blocks[of_first], None]
        outside = sums[:, -1, None, None] - inside
        # Of a stretch and the rest of the log, the shorter is the one that stands out.
        legal = ((inside[1] >= LEAST_HOURS) & (inside[1] <= 0.5 * sums[1, -1]) & (outside[1] >= LEAST_HOURS))
        with np.errstate(divide="ignore", invalid="ignore"):
            watts = inside[0] / inside[1] - outside[0] / outside[1]
            variance = (inside[2] + rounded) / inside[1] ** 2 + (outside[2] + rounded) / outside[1] ** 2
            sure = np.where(legal & (np.abs(watts) >= LEAST_W), watts * watts / variance, 0.0)
        first, end = np.unravel_index(int(np.argmax(sure)), sure.shape)
        if sure[first, end] > best:
            best = float(sure[first, end])
            found = (blocks[of_first].start + int(first), blocks[of_end].start + int(end), float(watts[first, end]),
                     float(variance[first, end] ** 0.5))
    return found


def _most_of(sums: np.ndarray, blocks: list[slice], rounded: float) -> np.ndarray:
    """The most that (W / error)² can be in each block of beginnings and block of ends, shape (blocks, blocks).

    With X the running sum of Wh freed of its mean flow, W = (X_end − X_first) H / (H_in H_out), so that
    (W / error)² = H² (X_end − X_first)² / ((V_in + r) H_out² + (V_out + r) H_in²).
    """
    left, hours, variance = sums
    whole, spread = hours[-1], variance[-1]
    freed = left - left[-1] * hours / whole
    low, high = (np.array([of(freed[block]) for block in blocks]) for of in (np.min, np.max))
    apart = np.maximum(high[None, :] - low[:, None], high[:, None] - low[None, :])
    begins, ends = (np.array([sums[1:, block][:, n] for block in blocks]).T for n in (0, -1))
    shortest = np.maximum(begins[:, None, :] - ends[:, :, None], 0.0)  # of hours and of variance inside
    longest = np.maximum(ends[:, None, :] - begins[:, :, None], 0.0)
    error = ((shortest[1] + rounded) * (whole - np.minimum(longest[0], 0.5 * whole)) ** 2
             + (spread - longest[1] + rounded) * np.maximum(shortest[0], LEAST_HOURS) ** 2)
    return np.where(longest[0] >= LEAST_HOURS, (whole * apart) ** 2 / np.maximum(error, 1e-9), 0.0)
