"""The outlook: the level of the bank over the next days in many futures.

Futures differ in sky and use, drawn from the log's own days, and in the learned means themselves, because
a short log does not know its own mean well.
"""

import math
from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np

from voltaun.core.autonomy import Drain, dark_autonomy, dark_autonomy_range, drain, energy_now
from voltaun.core.demand import hourly_shape
from voltaun.core.futures import Futures, run
from voltaun.core.habits import STARTUP_SHARES
from voltaun.core.instants import day_start, local_day
from voltaun.core.learn import STARTUP_DAYS, Account, Learned
from voltaun.core.ledger import Reading
from voltaun.core.rig import SKIES, Rig
from voltaun.core.sun import RigSun

LEARN_DAYS = 120
"""How far back the outlook looks for habits of sky and use: a season, so that a forgotten winter does not
weigh on a summer's week."""

STALE_DAYS, LOST_DAYS = 2.0, 10.0
"""After so many days without a reading the outlook says so; after so many it no longer claims a level."""

SHORTFALL_DAYS = 3
"""How many days ahead the advice on what to spare or put in looks."""

LEVEL_GRAIN = 1e-5
"""A level this little below a floor is at it: rounding, not a lack."""

QUANTILES = (0.10, 0.25, 0.50, 0.75, 0.90)

_NORMAL = np.linspace(-5, 5, 1001)
_NORMAL_CDF = np.array([0.5 * (1 + math.erf(z / math.sqrt(2))) for z in _NORMAL])


class NoOutlook(Exception):
    """There is not enough to reckon from; the message says what is missing."""


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
    dawn_soc: Range
    dusk_soc: Range
    chance_below_everyday_floor: float
    chance_below_hard_floor: float


@dataclass(frozen=True)
class Outlook:
    """The outlook from a last known level, seen from `as_of`."""

    as_of: datetime
    last_reading: datetime
    soc: float
    energy_wh: float
    above_floor_wh: float
    temp_c: float | None
    drain: Drain
    dark_days: dict[str, float]
    dark_range: dict[str, tuple[float, float]]
    today: DayOutlook | None
    days: list[DayOutlook]
    chance_below_everyday_floor: float
    chance_below_hard_floor: float
    first_risky_day: date | None
    shortfall_wh: float  # what would have to be spared or put in to keep nine chances in ten for three days
    times: list[datetime]
    fan: np.ndarray  # (times, quantiles)
    learned: Learned
    futures: int

    @property
    def stale_days(self) -> float:
        """Days since the last reading, when there are so many that it should be said; otherwise 0."""
        days = (self.as_of - self.last_reading) / timedelta(days=1)
        return days if days > STALE_DAYS else 0.0


def learning_window(readings: list[Reading], as_of: datetime) -> list[Reading]:
    """The readings up to `as_of` that the outlook learns from, in order of time."""
    first = as_of - timedelta(days=LEARN_DAYS)
    return sorted((r for r in readings if first <= r.at <= as_of), key=lambda r: r.at)


def last_level(readings: list[Reading], account: Account) -> tuple[datetime, float] | None:
    """The latest instant with a level, read or reckoned, and that level; None when there is none."""
    for interval in reversed(account.intervals):
        if interval.soc_end is not None:
            return interval.end, interval.soc_end
    if readings and readings[0].soc is not None:
        return readings[0].at, readings[0].soc
    return None


def recent_temperature(readings: list[Reading], as_of: datetime) -> float | None:
    """Mean of the bank temperatures noted in the last three days, °C; None when there is none."""
    noted = [r.temp_c for r in readings if r.temp_c is not None and r.at > as_of - timedelta(days=3)]
    return sum(noted) / len(noted) if noted else None


def outlook(rig: Rig, readings: list[Reading], account: Account, sun: RigSun | None, as_of: datetime,
            days: int = 10, futures: int = 2000, seed: int = 1,
            skies: dict[date, str] | None = None) -> Outlook:
    """Look `days` local days ahead of `as_of`, from the latest level known by then.

    readings, account  the learning window (see `learning_window`) and its reckoning
    sun     the rig's clear-sky harvest; skies  words given for coming days
    Raises NoOutlook when there is no level to start from or no use known, ValueError for a sky it cannot take.
    """
    level = last_level(readings, account)
    if level is None:
        raise NoOutlook("There is no reading of the level yet.")
    start, soc = level
    if as_of - start > timedelta(days=LOST_DAYS):
        raise NoOutlook(f"The last reading of the level is {(as_of - start).days} days old; "
                        "nobody can tell from it where the bank stands today.")
    skies = skies or {}
    this_day = local_day(as_of, rig.zone)
    for day, word in skies.items():
        if word not in SKIES:
            raise ValueError(f"sky: found {word!r}, expected one of {', '.join(SKIES)}")
        if not 0 <= (day - this_day).days <= days:
            raise ValueError(f"sky: found {day}, expected a day from {this_day} to {this_day + timedelta(days=days)}")
    leaving = drain(rig, account.learned, this_day.month)
    if leaving is None:
        raise NoOutlook("Nothing is known of the use yet: neither the log nor a list of loads tells it.")
    temp_c = recent_temperature(readings, as_of)
    energy = energy_now(rig, temp_c)

    grid = _Grid.between(start, as_of, this_day + timedelta(days=days), rig)
    # Single precision is far finer than any of this is known, and halves the memory that must be moved.
    shares = _draw_shares(seed, account.learned, grid.days, futures, skies).astype(np.float32)
    uses = _draw_uses(seed, account.learned, leaving, len(grid.days), futures).astype(np.float32)
    harvest = grid.harvest(sun, shares)
    shape = hourly_shape(rig)[grid.clock_hours] * grid.hours
    load = uses[grid.day_of_step]
    load *= shape[:, None]
    made = run(rig, energy, soc, harvest, load, grid.hours, temp_c)
    return _summary(rig, account.learned, made, grid, leaving, energy, temp_c, as_of, start, this_day)


@dataclass(frozen=True)
class _Grid:
    """Steps of at most an hour, cut at local midnights, at the start and at `as_of`."""

    bounds: np.ndarray        # epoch seconds, (steps + 1,)
    days: list[date]
    day_of_step: np.ndarray
    clock_hours: np.ndarray
    now: int                  # the bound that is `as_of`

    @classmethod
    def between(cls, start: datetime, as_of: datetime, last_day: date, rig: Rig) -> "_Grid":
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
    def hours(self) -> np.ndarray:
        return np.diff(self.bounds) / 3600

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


def _stream(seed: int, purpose: int) -> np.random.Generator:
    """A stream of its own for each purpose, drawn day by day: a longer outlook begins like a shorter one."""
    return np.random.default_rng([seed, purpose])


def _draw_shares(seed, learned: Learned, days: list[date], futures: int, skies) -> np.ndarray:
    """Share of clear-sky in each day and future: the log's own days in an order that persists like its own."""
    share = learned.share
    rho = share.persistence
    steps = _stream(seed, 0).standard_normal((len(days), futures))
    score = np.empty_like(steps)
    before = _last_score(share, futures, _stream(seed, 1))
    for n in range(len(days)):
        score[n] = before = rho * before + math.sqrt(1 - rho * rho) * steps[n]
    drawn = share.quantile(np.interp(score, _NORMAL, _NORMAL_CDF))
    spread = math.sqrt(float(share.weights @ (share.points - share.mean) ** 2)) / share.mean
    known = (share.days + STARTUP_DAYS) * (1 - rho) / (1 + rho)
    drawn = drawn * np.exp(_stream(seed, 2).standard_normal(futures) * spread / math.sqrt(known))
    for n, day in enumerate(days):
        if day in skies:
            # A word narrows its day: a fifth either way of that sky's usual share.
            drawn[n] = STARTUP_SHARES[skies[day]] * np.exp(0.2 * steps[n])
    return np.minimum(drawn, 1.1)


def _last_score(share, futures, rng) -> np.ndarray:
    """Where the latest day stood among all days, as a normal score; anywhere above for a capped day."""
    if share.last is None:
        return rng.standard_normal(futures)
    below = float(share.weights[share.points < share.last[0]].sum())
    at = float(share.weights[share.points == share.last[0]].sum())
    rank = rng.uniform(below, 1.0, futures) if share.last[1] else np.full(futures, below + at / 2)
    return np.interp(np.clip(rank, 0.001, 0.999), _NORMAL_CDF, _NORMAL)


def _draw_uses(seed, learned: Learned, leaving: Drain, days: int, futures: int) -> np.ndarray:
    """Use in each day and future, Wh, with the steady hidden draw: whole days of the log drawn again."""
    rng = _stream(seed, 3)
    if leaving.days_known >= 7:
        drawn = rng.choice(learned.use.rates, size=(days, futures)) * (learned.use.mean
                                                                       / learned.use.rates.mean())
    else:
        width = math.sqrt(math.log1p((leaving.sd_wh / leaving.use_wh) ** 2)) if leaving.use_wh else 0.0
        drawn = leaving.use_wh * np.exp(rng.standard_normal((days, futures)) * width - width ** 2 / 2)
    unsure = leaving.sd_wh / leaving.use_wh / math.sqrt(max(1, leaving.days_known)) if leaving.use_wh else 0.0
    return drawn * np.exp(_stream(seed, 4).standard_normal(futures) * unsure) + leaving.hidden_wh


def _summary(rig, learned, made: Futures, grid, leaving, energy, temp_c, as_of, start, this_day) -> Outlook:
    count = made.level.shape[1]
    to_date = np.zeros(count)
    ever_below = ever_hard = np.zeros(count, dtype=bool)
    # Below the hard floor nothing more is taken out, so what went unserved counts as short as well.
    unserved, shortfall = made.part(slice(0, grid.now)).missing.sum(axis=0), 0.0
    outlooks = {}
    for n, day in enumerate(grid.days):
        steps = grid.steps_of(n)
        if day < this_day or steps.start >= steps.stop:
            continue
        hours = made.part(steps)
        spilt, wanting = hours.spilt.sum(axis=0), hours.missing.sum(axis=0)
        solar = hours.harvest.sum(axis=0) - spilt
        if day > this_day:
            to_date = to_date + solar
        lowest = hours.level[1:].min(axis=0)
        below = lowest < rig.bank.everyday_floor - LEVEL_GRAIN
        below_hard = (wanting > LEVEL_GRAIN * energy) | (lowest < rig.bank.hard_floor - LEVEL_GRAIN)
        ever_below, ever_hard = ever_below | below, ever_hard | below_hard
        dawn, dusk = _dawn_and_dusk(hours.harvest, grid.clock_hours[steps])
        outlooks[day] = DayOutlook(
            day, _range(solar), _range(to_date), _range(spilt), _range(hours.used.sum(axis=0)),
            _range(hours.level[dawn]), _range(hours.level[dusk + 1]), float(below.mean()), float(below_hard.mean()))
        unserved = unserved + wanting
        if day <= this_day + timedelta(days=SHORTFALL_DAYS):
            short = (rig.bank.everyday_floor - lowest) * energy + unserved
            shortfall = max(shortfall, float(np.quantile(short, 0.9)))
    soc = float(np.median(made.level[grid.now]))
    floors = {"everyday_floor": rig.bank.everyday_floor, "hard_floor": rig.bank.hard_floor}
    listed = [outlooks[day] for day in grid.days if day > this_day]
    return Outlook(
        as_of=as_of, last_reading=start, soc=soc, energy_wh=energy,
        above_floor_wh=max(0.0, soc - rig.bank.everyday_floor) * energy, temp_c=temp_c, drain=leaving,
        dark_days={name: dark_autonomy(energy, soc, floor, leaving.wh) for name, floor in floors.items()},
        dark_range={name: dark_autonomy_range(energy, soc, floor, leaving) for name, floor in floors.items()},
        today=outlooks.get(this_day), days=listed,
        chance_below_everyday_floor=float(ever_below.mean()), chance_below_hard_floor=float(ever_hard.mean()),
        first_risky_day=next((day for day, o in outlooks.items() if o.chance_below_everyday_floor > 0.1), None),
        shortfall_wh=shortfall,
        times=[datetime.fromtimestamp(t, as_of.tzinfo) for t in grid.bounds],
        fan=_quantiles(made.level), learned=learned, futures=count)


def _range(values: np.ndarray) -> Range:
    return Range(*_quantiles(values).tolist())


def _quantiles(values: np.ndarray) -> np.ndarray:
    """QUANTILES of the futures (the last axis), linear between ranks; one sort serves all five."""
    ordered = np.sort(values, axis=-1)
    place = np.array(QUANTILES) * (values.shape[-1] - 1)
    low = place.astype(int)
    high = np.minimum(low + 1, values.shape[-1] - 1)
    return ordered[..., low] + (ordered[..., high] - ordered[..., low]) * (place - low)


def _dawn_and_dusk(harvest: np.ndarray, clock_hours: np.ndarray) -> tuple[int, int]:
    """First and last step of a day with sun on the panels; 8 and 20 o'clock where there is none."""
    sunny = np.flatnonzero(harvest.max(axis=1) > 0)
    if len(sunny):
        return int(sunny[0]), int(sunny[-1])
    return (int(np.searchsorted(clock_hours, 8).clip(0, len(clock_hours) - 1)),
            int(np.searchsorted(clock_hours, 20).clip(0, len(clock_hours) - 1)))
