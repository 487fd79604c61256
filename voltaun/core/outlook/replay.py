"""The worst stretch of the log, run again from today's level: people trust it because it happened."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from voltaun.core.instants import day_start
from voltaun.core.learned.season import wanted
from voltaun.core.log.days import Day
from voltaun.core.log.ledger import Balance, Interval
from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.flows import loads, planned
from voltaun.core.outlook.grid import Grid
from voltaun.core.outlook.present import Present
from voltaun.core.outlook.simulate import LEVEL_GRAIN, simulate
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import HAND, SOURCE_TABLE

DAYS = 5


@dataclass(frozen=True)
class Again:
    """The worst days of the log and where they would take the bank, hour by hour from now on.

    begins    the level now
    lowest    the lowest level of each of the days (fractions), what is left of today with the first of them
    at, soc   when it is lowest of all, and that level
    below     when it first is below the everyday floor; None when it stays above
    short_wh  what would be missing at the hard floor
    Whatever was started by hand in those days is left out.
    """

    first: date
    last: date
    begins: float
    lowest: tuple[float, ...]
    at: datetime
    soc: float
    below: datetime | None
    short_wh: float


def worst_days(rig: Rig, made: Sequence[Interval], days: Mapping[date, Day], length: int = DAYS) -> list[Day]:
    """The `length` whole days in a row of the log that took most out of the bank, with the sun they had and their use;
    where an empty bank cut that short, with the use that is usual then.

    made, days  the intervals of the log and its local days. Empty when it holds no such days in a row.
    """
    asked = wanted(rig, made)
    days = {**days, **{when: replace(days[when], use_wh=max(days[when].use_wh, wh))
                       for when, wh in asked.items() if when in days}}
    first = _worst(rig, days, length)
    return [days[first + timedelta(days=n)] for n in range(length)] if first else []


def run_again(ask: Ask, now: Present, stretch: Sequence[Day]) -> Again | None:
    """Run such days again from the level now; None where there are none.

    What is left of today goes as the first of them did at those hours; then they follow one another. What is planned
    is counted, as in the outlook.
    now  the present of the same question
    """
    if not stretch:
        return None
    rig, length = ask.rig, len(stretch)
    grid = Grid.between(ask.as_of, ask.as_of, ask.today + timedelta(days=length), rig)
    # What is left of today, then all of each.
    follow = [stretch[max(0, n - 1)] for n in range(len(grid.days))]
    uses = np.array([[of.use_wh] for of in follow])
    shapes = np.array([ask.known.lean.shape(rig, month) for month in grid.months])[:, :, None]
    load = loads(ask, grid, uses, np.zeros(1), shapes)
    sun = np.array([_sun_by_hour(ask, of) for of in follow])[grid.day_of_step, grid.clock_hours] * grid.hours
    blown = np.array([_unasked(of) - of.harvest["solar"] - of.spilt_wh for of in follow])[grid.day_of_step]
    came = sun + blown * grid.hours / 24 + planned(ask, grid)
    made = simulate(rig, now.energy_wh, now.soc.p50, came[:, None], load, grid.hours, now.temp_c)
    level = made.level[:, 0]
    under = np.flatnonzero(level < rig.bank.everyday_floor - LEVEL_GRAIN)
    deepest = int(level.argmin())
    ends = np.searchsorted(grid.day_of_step, range(2, length + 2))
    begins = [0, *ends[:-1]]
    of_days = [float(level[begin:end + 1].min()) for begin, end in zip(begins, ends, strict=True)]

    def at(step: int) -> datetime:
        return datetime.fromtimestamp(grid.bounds[step], ask.as_of.tzinfo)
    return Again(stretch[0].day, stretch[-1].day, float(level[0]), tuple(of_days), at(deepest), float(level[deepest]),
                 at(int(under[0])) if len(under) else None, float(made.missing.sum()))


_UNASKED = tuple(source.name for source in SOURCE_TABLE if source.by != HAND)
_TOLD = {*_UNASKED, "use"}


def _unasked(day: Day) -> float:
    """What came in on a day without anybody's doing, Wh: sun, what was spilt of it, wind and water."""
    return sum(day.harvest[source] for source in _UNASKED) + day.spilt_wh


def _worst(rig: Rig, days: Mapping[date, Day], length: int) -> date | None:
    """The first of the whole days in a row that took most out of the bank."""
    nets = {}
    for when, day in days.items():
        if day.whole and not day.unknown & _TOLD:
            balance = Balance(rig.bank.charge_efficiency, rig.bank.standby_w * 24)
            nets[when] = balance.stored(_unasked(day), day.use_wh)
    runs = [when for when in nets if all(when + timedelta(days=n) in nets for n in range(length))]
    return min(runs, key=lambda when: sum(nets[when + timedelta(days=n)] for n in range(length)), default=None)


def _sun_by_hour(ask: Ask, day: Day) -> np.ndarray:
    """Sun of a day, spilt with it, in each of its clock hours, Wh, as the clear sky lay over them."""
    bounds = day_start(day.day, ask.rig.zone).timestamp() + 3600.0 * np.arange(25)
    sun = ask.believed_sun
    clear = np.diff(sun.total.at(bounds)) if sun else np.zeros(24)
    came, whole = day.harvest["solar"] + day.spilt_wh, clear.sum()
    return np.asarray(came * clear / whole if whole > 0 else np.zeros(24))
