"""Where the bank stands: its level as of now, what it holds, and what leaves it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from voltaun.core.learned.account import Account
from voltaun.core.log.ledger import Reading
from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.autonomy import Drain, dark_days_by_hour, drain, energy_now
from voltaun.core.outlook.beliefs import bank_energy, contradicted
from voltaun.core.outlook.flows import loads
from voltaun.core.outlook.grid import Grid
from voltaun.core.outlook.simulate import simulate
from voltaun.core.reasons import NoOutlook

LOST_DAYS = 10.0
"""After so many days without a reading nobody claims a level."""


@dataclass(frozen=True)
class Standing:
    """The last known level and the level now (fractions), the bank's energy at its temperature, and the drain.

    energy_wh  what is in force, or, where the log shows that it is something else, what is then believed
    rates, clock  what leaves the bank in each of the 24 clock hours with nothing coming in, Wh, and the local hour now
    """

    read_at: datetime
    read_soc: float
    soc: float
    energy_wh: float
    temp_c: float | None
    drain: Drain
    rates: tuple[float, ...]
    clock: float

    def above(self, floor: float) -> float:
        """Energy above a floor (a fraction), Wh; 0 below it."""
        return max(0.0, self.soc - floor) * self.energy_wh

    def days_to(self, floor: float) -> float:
        """Dark autonomy: the days down to a floor (a fraction) with nothing coming in; see `dark_days_by_hour`."""
        return dark_days_by_hour(self.above(floor), self.rates, self.clock)


def standing(ask: Ask) -> Standing:
    """Where the bank stands at `ask.as_of`: since the last level known it goes on by the usual use and the usual sky.

    Raises NoOutlook when there is no level to start from or no use known.
    """
    rig, known = ask.rig, ask.known
    level = last_level(known.readings, known.account)
    if level is None:
        raise NoOutlook("no_level")
    start, soc = level
    if ask.as_of - start > timedelta(days=LOST_DAYS):
        raise NoOutlook("level_too_old", days=(ask.as_of - start).days)
    leaving = drain(rig, known.learned, ask.today.month)
    if leaving is None:
        raise NoOutlook("no_use")
    temp_c = recent_temperature(known.readings, ask.as_of)
    believed = contradicted(rig, known.learned)
    energy = bank_energy(rig, known.learned, temp_c).mean if believed else energy_now(rig, temp_c)
    shape = known.lean.shapes(rig, np.zeros((2, 1)))[:, 0]
    rates = leaving.use_wh * shape + (leaving.standby_wh + leaving.hidden_wh) / 24
    local = ask.as_of.astimezone(rig.zone)
    return Standing(start, soc, _since(ask, start, soc, energy, temp_c, leaving, shape), energy, temp_c, leaving,
                    tuple(rates.tolist()), local.hour + local.minute / 60 + local.second / 3600)


def _since(ask: Ask, start: datetime, soc: float, energy: float, temp_c: float | None, leaving: Drain,
           shape: np.ndarray) -> float:
    """The level now: one future, of the mean use and of skies as they were logged or in the middle."""
    if ask.as_of <= start:
        return soc
    grid = Grid.between(start, ask.as_of, ask.today, ask.rig)
    logged = {day.day: day.share for day in ask.known.skies}
    shares = np.array([[logged.get(day, float(ask.known.sky.share(0.0)))] for day in grid.days])
    harvest = grid.harvest(ask.sun, shares)
    load = loads(ask, grid, np.full((len(grid.days), 1), leaving.use_wh), np.array([leaving.hidden_wh]),
                 shape[:, None])
    until = slice(0, grid.now)
    made = simulate(ask.rig, energy, soc, harvest[until], load[until], grid.hours[until], temp_c)
    return float(made.level[-1, 0])


def last_level(readings: Sequence[Reading], account: Account) -> tuple[datetime, float] | None:
    """The latest instant with a level, read or reckoned, and that level; None when there is none."""
    for interval in reversed(account.intervals):
        if interval.soc_end is not None:
            return interval.end, interval.soc_end
    if readings and readings[0].soc is not None:
        return readings[0].at, readings[0].soc
    return None


def recent_temperature(readings: Sequence[Reading], as_of: datetime) -> float | None:
    """Mean of the bank temperatures noted in the last three days, °C; None when there is none."""
    noted = [r.temp_c for r in readings if r.temp_c is not None and r.at > as_of - timedelta(days=3)]
    return sum(noted) / len(noted) if noted else None
