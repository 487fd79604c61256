"""The steps of an outlook: hours, cut at local midnights."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from voltaun.core.instants import day_start, local_day
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun


@dataclass(frozen=True)
class Grid:
    """Steps of at most an hour, cut at local midnights, at the start and at `as_of`."""

    bounds: np.ndarray        # epoch seconds, (steps + 1,)
    days: list[date]
    day_of_step: np.ndarray
    clock_hours: np.ndarray
    now: int                  # the bound that is `as_of`

    @classmethod
    def between(cls, start: datetime, as_of: datetime, last_day: date, rig: Rig) -> "Grid":
        """The steps from an instant to the end of a local day."""
        first_day = local_day(start, rig.zone)
        days = [first_day + timedelta(days=n) for n in range((last_day - first_day).days + 1)]
        marks = {start.timestamp(), as_of.timestamp()}
        midnights = [day_start(day, rig.zone).timestamp() for day in [*days, last_day + timedelta(days=1)]]
        for begin, end in zip(midnights, midnights[1:], strict=False):
            marks.update(np.arange(begin, end, 3600.0).tolist())
        marks.add(midnights[-1])
        bounds = np.array(sorted(mark for mark in marks if mark >= start.timestamp()))
        middles = (bounds[1:] + bounds[:-1]) / 2
        day_of_step = np.searchsorted(midnights, middles, side="right") - 1
        clock = [datetime.fromtimestamp(middle, rig.zone).hour for middle in middles]
        return cls(bounds, days, day_of_step, np.array(clock), int(np.searchsorted(bounds, as_of.timestamp())))

    @property
    def months(self) -> list[int]:
        """The months (1–12) that the days lie in, in order of time."""
        return list(dict.fromkeys(day.month for day in self.days))

    @property
    def month_of_step(self) -> np.ndarray:
        """The place of each step's month among `months`."""
        months = self.months
        return np.asarray(np.array([months.index(day.month) for day in self.days])[self.day_of_step])

    def odd_days(self, zone: ZoneInfo) -> dict[int, np.ndarray]:
        """The days on which the clock changes: the real length of each clock hour, h, shape (24,), by the day's place.
        """
        found = {}
        for n, day in enumerate(self.days):
            begin, end = (day_start(day + timedelta(days=k), zone).timestamp() for k in (0, 1))
            if end - begin != 86_400:
                quarters = np.arange(begin, end, 900.0)
                clock = [datetime.fromtimestamp(at, zone).hour for at in quarters]
                found[n] = np.bincount(clock, minlength=24) / 4
        return found

    def kept_whole(self, by_hour: np.ndarray, zone: ZoneInfo) -> np.ndarray:
        """What flows in each clock hour of each day, shape (days, 24), such that a day on which an hour is skipped or
        comes twice has as much of it as any other."""
        made = by_hour
        for n, lengths in self.odd_days(zone).items():
            real, usual = (by_hour[n] * lengths).sum(), by_hour[n].sum()
            if real:
                made = made.copy() if made is by_hour else made
                made[n] *= usual / real
        return made

    @property
    def hours(self) -> np.ndarray:
        """The length of each step, h."""
        return np.diff(self.bounds) / 3600

    def steps_after(self, day: date) -> int:
        """The first step that lies after a local day of these."""
        return int(np.searchsorted(self.day_of_step, self.days.index(day), side="right"))

    def steps_of(self, n: int) -> slice:
        """The steps of the n-th day that are still ahead of `as_of`."""
        first, end = np.searchsorted(self.day_of_step, (n, n + 1))
        return slice(max(int(first), self.now), int(end))

    def harvest(self, sun: RigSun | None, shares: np.ndarray) -> np.ndarray:
        """Solar harvest in each step and future, Wh; each array held to its controller's limit."""
        total = np.zeros((len(self.hours), shares.shape[1]), shares.dtype)
        if sun is None:
            return total
        for array, limit in zip(sun.arrays, sun.limits_w, strict=True):
            made = shares[self.day_of_step]
            made *= np.diff(array.at(self.bounds))[:, None]
            if limit is not None:
                np.minimum(made, limit * self.hours[:, None], out=made)
            total += made
        if sun.input_limit_w is not None:
            np.minimum(total, sun.input_limit_w * self.hours[:, None], out=total)
        return total
