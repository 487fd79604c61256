"""The outlook: the level of the bank over the next days in many futures, summed up."""

from dataclasses import dataclass
from datetime import date, datetime

import numpy as np

from voltaun.core.learned.account import Learned
from voltaun.core.learned.hours import Lean
from voltaun.core.outlook.advice import Advice, advise
from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.beliefs import contradicted
from voltaun.core.outlook.flows import planned
from voltaun.core.outlook.lanes import RISKY
from voltaun.core.outlook.plans import GeneratorRule, Plan
from voltaun.core.outlook.prepare import Prepared, prepare
from voltaun.core.outlook.present import Present, present_of
from voltaun.core.outlook.simulate import LEVEL_GRAIN, Futures, simulate
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.model import SkyModel
from voltaun.core.stats import quantiles

QUANTILES = (0.10, 0.25, 0.50, 0.75, 0.90)

@dataclass(frozen=True)
class Range:
    """One quantity over all futures: what it is below in 10, 25, 50, 75 and 90 of a hundred."""

    p10: float
    p25: float
    p50: float
    p75: float
    p90: float


@dataclass(frozen=True)
class DayOutlook:
    """One local day ahead. Energies in Wh as the log would show them (after capping), levels fractions."""

    day: date
    solar_wh: Range
    solar_to_date_wh: Range
    spilt_wh: Range
    use_wh: Range
    unserved_wh: Range
    generator_wh: Range
    dawn_soc: Range
    dusk_soc: Range
    chance_below_everyday_floor: float
    chance_below_hard_floor: float


@dataclass(frozen=True)
class Lack:
    """Going below a floor at some time from now on: the chance over the whole span, the instant at which most futures
    first do (None: none does), and the first at which it has happened with more than `RISKY` chance (None: never)."""

    chance: float
    likeliest: datetime | None
    first: datetime | None


@dataclass(frozen=True)
class Outlook:
    """The outlook from a last known level, seen from `as_of`."""

    as_of: datetime
    present: Present
    advice: Advice
    energy_shown: bool  # the log shows that the bank holds something else than is in force, and that is reckoned with
    lean: Lean          # the hours of use
    today: DayOutlook | None
    days: list[DayOutlook]
    chance_below_everyday_floor: float
    chance_below_hard_floor: float
    lack: Lack                     # of the everyday floor
    first_risky_day: date | None
    times: list[datetime]
    fan: np.ndarray  # (times, quantiles)
    learned: Learned
    sky: SkyModel
    futures: int
    unserved_wh: Range         # from now on, over all of these days
    generator_hours: Range     # by plan and by rule
    generator_litres: Range | None
    plans: tuple[Plan, ...] = ()
    rule: GeneratorRule | None = None


def outlook(ask: Ask) -> Outlook:
    """Look ahead, from the latest level known.

    Raises NoOutlook when there is no level to start from or no use known, ValueError for a sky it cannot take.
    """
    return outlook_of(prepare(ask))[0]


def outlook_of(ready: Prepared) -> tuple[Outlook, Futures]:
    """The outlook of a question that was made ready, with its futures."""
    made = simulate(ready.ask.rig, ready.energy, ready.start, ready.harvest, ready.load, ready.grid.hours,
                    ready.standing.temp_c, ready.generator)
    now = present_of(ready, made.level[ready.grid.now])
    return _summary(ready, made, now, advise(ready, made, now)), made


@dataclass(frozen=True)
class _Day:
    """One day of the futures: columns of shape (futures,), Wh and fractions."""

    solar: np.ndarray
    spilt: np.ndarray
    used: np.ndarray
    unserved: np.ndarray  # of the load
    missing: np.ndarray   # of load and standby
    by_rule: np.ndarray
    lowest: np.ndarray
    dawn: np.ndarray
    dusk: np.ndarray


def _day(ready: Prepared, made: Futures, steps: slice) -> _Day:
    hours = made.part(steps)
    by_rule = np.zeros_like(hours.load) if hours.generated is None else hours.generated
    # A drive or a generator at night makes no dawn.
    others = ready.not_sun(steps) + by_rule
    dawn, dusk = dawn_and_dusk(hours.harvest - others, ready.grid.clock_hours[steps])
    # A charger that finds the bank full gives less by itself; what is spilt beyond that is the sun's.
    spilt = np.maximum(hours.spilt - others, 0.0)
    solar = np.maximum(hours.harvest - others - spilt, 0.0).sum(axis=0)
    return _Day(solar, spilt.sum(axis=0), hours.used.sum(axis=0), hours.unserved.sum(axis=0), hours.missing.sum(axis=0),
                by_rule.sum(axis=0), hours.level[1:].min(axis=0), hours.level[dawn], hours.level[dusk + 1])


class _Tally:
    """What adds up over the days of the futures."""

    def __init__(self, rig: Rig, energy: np.ndarray, count: int):
        self._bank, self._energy = rig.bank, energy
        self.to_date, self.unserved, self.by_rule = np.zeros(count), np.zeros(count), np.zeros(count)
        self.below, self.below_hard = np.zeros(count, dtype=bool), np.zeros(count, dtype=bool)

    def add(self, day: date, of: _Day, ahead: bool) -> DayOutlook:
        """Take a day in and sum it up; `ahead` of today."""
        bank = self._bank
        self.unserved, self.by_rule = self.unserved + of.unserved, self.by_rule + of.by_rule
        if ahead:
            self.to_date = self.to_date + of.solar
        below = of.lowest < bank.everyday_floor - LEVEL_GRAIN
        below_hard = (of.missing > LEVEL_GRAIN * self._energy) | (of.lowest < bank.hard_floor - LEVEL_GRAIN)
        self.below, self.below_hard = self.below | below, self.below_hard | below_hard
        return DayOutlook(day, _range(of.solar), _range(self.to_date), _range(of.spilt), _range(of.used),
                          _range(of.unserved), _range(of.by_rule), _range(of.dawn), _range(of.dusk),
                          float(below.mean()), float(below_hard.mean()))


def _summary(ready: Prepared, made: Futures, now: Present, advised: Advice) -> Outlook:
    ask, grid, rig, today = ready.ask, ready.grid, ready.ask.rig, ready.ask.today
    tally = _Tally(rig, ready.energy, made.level.shape[1])
    by_day = {}
    for n, day in enumerate(grid.days):
        steps = grid.steps_of(n)
        if day >= today and steps.start < steps.stop:
            by_day[day] = tally.add(day, _day(ready, made, steps), day > today)
    ran, litres = _generator_run(ready, tally.by_rule)
    return Outlook(
        as_of=ask.as_of, present=now, advice=advised, energy_shown=contradicted(rig, ask.known.learned),
        lean=ask.known.lean, today=by_day.get(today), days=[of for day, of in by_day.items() if day > today],
        chance_below_everyday_floor=float(tally.below.mean()), chance_below_hard_floor=float(tally.below_hard.mean()),
        lack=_lack(ready, made, rig.bank.everyday_floor),
        first_risky_day=next((day for day, of in by_day.items() if of.chance_below_everyday_floor > RISKY), None),
        times=[datetime.fromtimestamp(t, ask.as_of.tzinfo) for t in grid.bounds],
        fan=quantiles(made.level, QUANTILES), learned=ask.known.learned, sky=ask.known.sky, futures=ask.futures,
        unserved_wh=_range(tally.unserved), generator_hours=ran, generator_litres=litres, plans=tuple(ask.plans),
        rule=ask.rule)


def _lack(ready: Prepared, made: Futures, floor: float) -> Lack:
    grid = ready.grid
    below = made.level[grid.now + 1:] < floor - LEVEL_GRAIN
    ever, first = below.any(axis=0), below.argmax(axis=0)
    crossed = np.bincount(first[ever], minlength=len(below))  # futures that go below in each step for the first time
    risky = np.flatnonzero(np.cumsum(crossed) > RISKY * below.shape[1])

    def at(step: int) -> datetime:
        return datetime.fromtimestamp(grid.bounds[grid.now + 1 + step], ready.ask.as_of.tzinfo)
    likeliest = None
    if ever.any():
        of_day = grid.day_of_step[grid.now:]
        inside = of_day == np.bincount(of_day, crossed).argmax()  # the day on which most first do, and when on it
        likeliest = at(int(np.where(inside, crossed, -1).argmax()))
    return Lack(float(ever.mean()), likeliest, at(int(risky[0])) if len(risky) else None)


def _generator_run(ready: Prepared, by_rule: np.ndarray) -> tuple[Range, Range | None]:
    """Hours and litres that the generator comes to from now on, by plan and by rule."""
    if not ready.ask.rig.generators:
        return _range(np.zeros(1)), None
    generator = ready.ask.rig.generators[0]
    hours = (by_rule + planned(ready.ask, ready.grid, ("generator",)).sum()) / generator.gives_w
    litres = generator.fuel_l_per_hour
    return _range(hours), None if litres is None else _range(hours * litres)


def _range(values: np.ndarray) -> Range:
    return Range(*quantiles(values, QUANTILES).tolist())


def dawn_and_dusk(harvest: np.ndarray, clock_hours: np.ndarray) -> tuple[int, int]:
    """First and last step of a day with sun on the panels; 8 and 20 o'clock where there is none."""
    sunny = np.flatnonzero(harvest.max(axis=1) > 1e-3)  # Wh; in single precision a difference is not nought
    if len(sunny):
        return int(sunny[0]), int(sunny[-1])
    return (int(np.searchsorted(clock_hours, 8).clip(0, len(clock_hours) - 1)),
            int(np.searchsorted(clock_hours, 20).clip(0, len(clock_hours) - 1)))
