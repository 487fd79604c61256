"""The hours of the planned day and when the bank will be full, from the outlook's own futures."""

from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from voltaun.core.dayplan.ahead import Ahead
from voltaun.core.outlook.prepare import Prepared
from voltaun.core.outlook.present import Middle
from voltaun.core.outlook.simulate import Futures
from voltaun.core.rig.bank import FULL_SOC
from voltaun.core.stats import quantiles

LEFT_OF_SUN = 0.05
"""Where less than this part of tomorrow's sun is left of today its plan is over, and the next day's begins."""

OVER_AT = 18
"""The clock hour from which on a day without sun is over."""


@dataclass(frozen=True)
class Hour:
    """One hour, or the rest of one: Wh in it, and the level at its end, a fraction."""

    start: datetime
    end: datetime
    solar_wh: Middle
    use_wh: Middle
    spilt_wh: Middle
    soc: Middle


@dataclass(frozen=True)
class Day:
    """The day that is planned: today while there is sun worth planning left of it, else tomorrow.

    hours  from now, or from midnight on; full_at  when the bank is full, as hours of the clock, where most futures
    fill it; chance_full  that it is full at some time of it
    """

    day: date
    steps: slice
    hours: tuple[Hour, ...]
    full_at: tuple[datetime, datetime, datetime] | None
    chance_full: float


def planned_day(ahead: Ahead) -> Day:
    """The hours of the day that is planned."""
    grid, ready = ahead.ready.grid, ahead.ready
    day = _which(ahead)
    steps = grid.steps_of(grid.days.index(day))
    part = ahead.made.part(steps)
    others = ready.not_sun(steps)
    generated = 0.0 if part.generated is None else part.generated
    spilt = _spilt(ready, part, steps)
    solar = np.maximum(part.harvest - others - generated - spilt, 0.0)
    each = [_middles(values) for values in (solar, part.used, spilt, part.level[1:])]
    hours = tuple(Hour(_at(grid.bounds[n]), _at(grid.bounds[n + 1]), *(of[n - steps.start] for of in each))
                  for n in range(steps.start, steps.stop))
    return Day(day, steps, hours, *_full(part.level, grid.bounds[steps.start:steps.stop + 1]))


def left_over(ahead: Ahead, day: Day, more: np.ndarray) -> list[Hour]:
    """The hours of the planned day with what is spilt in them once so many Wh more are used in each step, (steps,)."""
    begin = day.steps.start - ahead.steps.start
    steps = slice(begin, begin + len(day.hours))
    part = ahead.run(more, until=steps.stop).part(steps)
    spilt = _spilt(ahead.ready, part, day.steps)
    return [replace(hour, spilt_wh=of) for hour, of in zip(day.hours, _middles(spilt), strict=True)]


def _spilt(ready: Prepared, part: Futures, steps: slice) -> np.ndarray:
    """Sun that was spilt in these steps, Wh: a charger that finds the bank full gives less by itself."""
    generated = 0.0 if part.generated is None else part.generated
    return np.asarray(np.maximum(part.spilt - ready.not_sun(steps) - generated, 0.0))


def _which(ahead: Ahead) -> date:
    """The day to plan."""
    ask = ahead.ready.ask
    tomorrow = ask.today + timedelta(days=1)
    if tomorrow not in ahead.ready.grid.days:
        return ask.today
    left, coming = (_sun_left(ahead, day) for day in (ask.today, tomorrow))
    over = left <= LEFT_OF_SUN * coming if coming > 0 else ask.as_of.astimezone(ask.rig.zone).hour >= OVER_AT
    return tomorrow if over else ask.today


def _sun_left(ahead: Ahead, day: date) -> float:
    """Sun that nine in ten of the futures do not bring more of, on what is left of a day, Wh."""
    steps = ahead.ready.grid.steps_of(ahead.ready.grid.days.index(day))
    sun = (ahead.ready.harvest[steps] - ahead.ready.not_sun(steps)).sum(axis=0)
    return float(quantiles(sun, (0.9,))[0]) if steps.start < steps.stop else 0.0


def _full(level: np.ndarray, bounds: np.ndarray) -> tuple[tuple[datetime, datetime, datetime] | None, float]:
    """When the bank is first full, where it is in more than half of the futures: of those, and the chance of it."""
    full = level[1:] >= FULL_SOC
    ever = full.any(axis=0)
    chance = float(ever.mean())
    if chance <= 0.5:
        return None, chance
    at = np.sort(bounds[1:][full.argmax(axis=0)[ever]])
    low, middle, high = (_at(at[round(part * (len(at) - 1))]) for part in (0.1, 0.5, 0.9))
    return (low, middle, high), chance


def _middles(values: np.ndarray) -> list[Middle]:
    """The middle and the range of each step."""
    return [Middle(*map(float, row)) for row in quantiles(values, (0.1, 0.5, 0.9))]


def _at(seconds: float) -> datetime:
    return datetime.fromtimestamp(float(seconds), UTC)
