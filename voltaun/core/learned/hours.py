"""At what hours the use comes, beyond what the list of loads says: seen where the log is read more than once a day.

The listed shape of a day is leaned towards one time or another,

    shape(h) × (1 + a·sin(2πh/24) + b·cos(2πh/24)),   h the local clock hour

and a and b follow from how each day's use was shared among its readings, by least squares with a belief that they are
near nothing (A. E. Hoerl and R. W. Kennard, "Ridge regression", Technometrics 12 (1970)).
"""

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from voltaun.core.learned.use import MIN_LEG_HOURS, UseLearned, grouped
from voltaun.core.log.ledger import READ, Interval
from voltaun.core.rig.loads import daily_use, hourly_shape
from voltaun.core.rig.rig import Rig

LEAST_OPEN = 0.7
"""The part of the use whose hours stay open even where the list of loads explains all of the sum."""

HOURS_DOUBT = 0.18
"""How far the use of which nobody knows the hours leans towards some time of the day, a share (standard deviation)."""

SURE_DOUBT = 0.05
"""However long the log, days differ: so far it may lean otherwise (standard deviation)."""

LEAST_SHARES = 10
"""With fewer parts of days read nothing is said of their hours."""

ANGLES = 2 * np.pi * (np.arange(24) + 0.5) / 24


@dataclass(frozen=True)
class Lean:
    """a and b of the shape's lean, shape (2,), the root of their covariance, shape (2, 2), and the parts of days read.
    """

    mean: np.ndarray
    root: np.ndarray
    parts: int = 0

    def shapes(self, rig: Rig, months: Sequence[int], standard: np.ndarray) -> np.ndarray:
        """Each future's share of a day's use in each clock hour of each of these months (1–12), shape
        (months, 24, futures), from normal numbers (2, futures)."""
        a, b = self.mean[:, None] + self.root @ standard
        tilt = np.clip(1 + np.sin(ANGLES)[:, None] * a + np.cos(ANGLES)[:, None] * b, 0.1, None)
        leaned = np.array([hourly_shape(rig, month) for month in months])[:, :, None] * tilt
        return np.asarray(leaned / leaned.sum(axis=1, keepdims=True))

    def shape(self, rig: Rig, month: int) -> np.ndarray:
        """The mean share of a day's use in each clock hour of a month (1–12), shape (24,)."""
        return np.asarray(self.shapes(rig, (month,), np.zeros((2, 1)))[0, :, 0])


LEAST_HOURS, LEAST_PART = 6.0, 0.1
"""From so many hours on, and so large a part of the day's use by the list, a stretch tells a use a day."""

LIST_DOUBT = 0.4
"""A day's use by the list of loads is in doubt by so much (a share, one standard deviation)."""

STRETCH_DOUBT, LEVEL_ERROR = 0.4, 0.01
"""A day's use by a few hours of it is in doubt as much as one by a list (a share, one standard deviation), and a level
that is shown in whole percent by so much of the bank."""


def first_use(rig: Rig, made: Sequence[Interval], energy_wh: float) -> UseLearned | None:
    """Use a day while the log has no leg of about a day, as after a single night: what was used over the part of a
    day's use that those hours have by the list of loads (without one, by their time).

    energy_wh  what the bank holds, Wh: where the use follows from levels, their error is part of the doubt. None with
    fewer than `LEAST_HOURS`, and where what was used is less than its doubt.
    """
    told = [each for each in made if each.use_wh is not None and not each.marked and not each.at_least
            and each.hours < MIN_LEG_HOURS]
    hours = sum(each.hours for each in told)
    if hours < LEAST_HOURS:
        return None
    used = sum(each.use_wh or 0.0 for each in told)
    part = sum(float(_over(_running(hourly_shape(rig, each.end.astimezone(rig.zone).month)), each, rig)[0])
               for each in told)
    reckoned = [each for each in told if each.use_basis != READ]
    error = energy_wh * LEVEL_ERROR * math.sqrt(2 * len(reckoned))
    if part < LEAST_PART or used <= error:
        return None
    mean, doubt = used / part, math.hypot(STRETCH_DOUBT, error / used)
    listed = daily_use(rig, told[-1].end.astimezone(rig.zone).month)
    if listed:  # two guesses at one day, each weighed by how well it is known; one that is far off counts for little
        off = math.log(listed / mean)
        believed = (doubt / LIST_DOUBT) ** 2 / (1 + (off / (2 * LIST_DOUBT)) ** 4)
        mean *= math.exp(off * believed / (1 + believed))
        doubt /= math.sqrt(1 + believed)
    return UseLearned(np.array([mean]), mean, mean * doubt, 1 - sum(each.hours for each in reckoned) / hours, hours)


class Shares:
    """How each day's use was shared among its readings: sums over the rows of the line, by when their day ended.

    For a part of a day with the share f of that day's use, S, A and B being the listed shape and its products with
    sine and cosine over the part (and over the day):  a (A − f·A_day) + b (B − f·B_day) = f·S_day − S
    """

    def __init__(self, rig: Rig, made: Sequence[Interval]):
        running = {month: _running(hourly_shape(rig, month)) for month in range(1, 13)}
        self.ends: list[datetime] = []
        sums = [np.zeros(7)]
        for group in grouped(made):
            if len(group) < 2 or any(interval.use_basis != READ for interval in group):
                continue
            use = np.array([interval.use_wh for interval in group], dtype=float)
            if use.sum() <= 0:
                continue
            month = group[-1].end.astimezone(rig.zone).month
            parts = np.array([_over(running[month], interval, rig) for interval in group])
            share = use[:-1] / use.sum()  # the last part follows from the others
            whole = parts.sum(axis=0)
            lean, off = parts[:-1, 1:] - share[:, None] * whole[1:], share * whole[0] - parts[:-1, 0]
            square = lean.T @ lean
            self.ends.append(group[-1].end)
            sums.append(sums[-1] + [square[0, 0], square[0, 1], square[1, 1], *(lean.T @ off), off @ off, len(off)])
        self._sums = np.array(sums)

    def lean(self, rig: Rig, use_wh: float, since: datetime, until: datetime) -> Lean:
        """The lean by the days that ended after `since` and up to `until`; use_wh  the use a day, to weigh the list."""
        open_part = max(LEAST_OPEN, 1 - (daily_use(rig) or 0.0) / use_wh) if use_wh else 0.0
        believed = HOURS_DOUBT * open_part
        first, end = bisect_right(self.ends, since), bisect_right(self.ends, until)
        xx, xy, yy, x_off, y_off, off, count = self._sums[end] - self._sums[first]
        if count < LEAST_SHARES or not believed:
            return Lean(np.zeros(2), believed * np.eye(2), int(count))
        square, toward = np.array([[xx, xy], [xy, yy]]), np.array([x_off, y_off])
        noise = off / count
        for _ in range(3):
            inverse = np.linalg.inv(square + noise / believed ** 2 * np.eye(2))
            mean = inverse @ toward
            noise = max(1e-6, (off - 2 * mean @ toward + mean @ square @ mean) / count)
        return Lean(mean, np.linalg.cholesky(noise * inverse + SURE_DOUBT ** 2 * open_part * np.eye(2)), int(count))


def _running(shape: np.ndarray) -> np.ndarray:
    """Running totals of a shape and of its products with sine and cosine, shape (25, 3)."""
    columns = np.stack((shape, shape * np.sin(ANGLES), shape * np.cos(ANGLES)), axis=1)
    return np.concatenate((np.zeros((1, 3)), np.cumsum(columns, axis=0)))


def _over(running: np.ndarray, interval: Interval, rig: Rig) -> np.ndarray:
    """The running totals over an interval's local clock hours."""
    local = interval.start.astimezone(rig.zone)
    begin = local.hour + local.minute / 60

    def until(clock: float) -> np.ndarray:
        days, hour = divmod(clock, 24)
        low = int(hour)
        return np.asarray(days * running[24] + running[low] + (hour - low) * (running[low + 1] - running[low]))
    return np.asarray(until(begin + interval.hours) - until(begin))
