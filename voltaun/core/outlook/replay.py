"""The worst stretch of the log, run again from today's level: people trust it because it happened."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from voltaun.core.instants import day_start
from voltaun.core.learned.season import wanted
from voltaun.core.log.days import Day
from voltaun.core.log.ledger import Balance
from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.simulate import simulate
from voltaun.core.outlook.standing import Standing
from voltaun.core.rig.rig import Rig

DAYS = 5

GRAIN = 1e-5
"""A level this little below the floor is at it."""


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


def worst_stretch(ask: Ask, stands: Standing, days: Mapping[date, Day], length: int = DAYS) -> Again | None:
    """Run the `length` whole days that took most out of the bank again, with the sun they had and their use; where an
    empty bank cut that short, with the use that is usual then.

    What is left of today goes as the first of them did at those hours; then they follow one another.
    days  of the log. None when it holds no such stretch of whole days in a row.
    """
    asked = wanted(ask.rig, ask.known.account.intervals)
    days = {**days, **{when: replace(days[when], use_wh=max(days[when].use_wh, wh))
                       for when, wh in asked.items() if when in days}}
    first = _worst(ask.rig, days, length)
    if first is None:
        return None
    rig, stretch = ask.rig, [days[first + timedelta(days=n)] for n in range(length)]
    tomorrow = day_start(ask.today + timedelta(days=1), rig.zone)
    left = min((tomorrow - ask.as_of) / timedelta(hours=1), 24.0)
    whole = min(int(left), 23)
    hours = np.array([left - whole, *np.ones(whole + 24 * length)])
    use, sun = _by_hour(ask, stretch)
    # The hours of the first day that are left, then all of each.
    use, sun = (np.concatenate((of[23 - whole:24], of)) * hours for of in (use, sun))
    made = simulate(rig, stands.energy_wh, stands.soc, sun[:, None], use[:, None], hours, stands.temp_c)
    level = made.level[:, 0]
    ends = ask.as_of + np.cumsum(hours) * timedelta(hours=1)
    under = np.flatnonzero(level < rig.bank.everyday_floor - GRAIN)
    deepest = int(level.argmin())
    of_days = [level[:whole + 26], *(level[whole + 2 + 24 * n:whole + 26 + 24 * n] for n in range(1, length))]

    def at(step: int) -> datetime:
        return ask.as_of if step == 0 else ends[step - 1]
    return Again(first, stretch[-1].day, float(level[0]), tuple(float(of.min()) for of in of_days), at(deepest),
                 float(level[deepest]), at(int(under[0])) if len(under) else None, float(made.missing.sum()))


def _worst(rig: Rig, days: Mapping[date, Day], length: int) -> date | None:
    """The first of the whole days in a row that took most out of the bank."""
    nets = {}
    for when, day in days.items():
        if day.whole and not day.unknown & {"solar", "use"}:
            balance = Balance(rig.bank.charge_efficiency, rig.bank.standby_w * 24)
            nets[when] = balance.stored(day.harvest["solar"] + day.spilt_wh, day.use_wh)
    runs = [when for when in nets if all(when + timedelta(days=n) in nets for n in range(length))]
    return min(runs, key=lambda when: sum(nets[when + timedelta(days=n)] for n in range(length)), default=None)


def _by_hour(ask: Ask, stretch: Sequence[Day]) -> tuple[np.ndarray, np.ndarray]:
    """Use and sun, Wh in each clock hour of the days one after the other: the sun as the clear sky lay over them."""
    shape = ask.known.lean.shapes(ask.rig, np.zeros((2, 1)))[:, 0]
    use, sun = [], []
    for day in stretch:
        use.append(day.use_wh * shape)
        bounds = day_start(day.day, ask.rig.zone).timestamp() + 3600.0 * np.arange(25)
        clear = np.diff(ask.sun.total.at(bounds)) if ask.sun else np.zeros(24)
        came, whole = day.harvest["solar"] + day.spilt_wh, clear.sum()
        sun.append(came * clear / whole if whole > 0 else np.zeros(24))
    return np.concatenate(use), np.concatenate(sun)
