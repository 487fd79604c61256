"""The outlook: the level of the bank over the next days in many futures.

Futures differ in sky (see `sky`) and use, drawn from the log's own days, and in the learned means themselves,
because a short log does not know its own mean well. Plans and a rule for the generator count where they are told.
"""

import math
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from voltaun.core.autonomy import Drain, dark_autonomy, dark_autonomy_range, drain, energy_now
from voltaun.core.demand import daily_use, hourly_shape
from voltaun.core.futures import Futures, Started, run
from voltaun.core.instants import day_start, local_day
from voltaun.core.learn import Account, Learned, day_legs, use_of
from voltaun.core.ledger import Reading
from voltaun.core.plans import GeneratorRule, Plan, planned_hours, planned_watts, use_changes
from voltaun.core.rig import SKIES, Rig
from voltaun.core.sky import HISTORY_DAYS, SkyDay, SkyModel, Word, draw_shares, learn_sky, sky_days, word_shares
from voltaun.core.spread import middle
from voltaun.core.sun import RigSun

LEARN_DAYS = HISTORY_DAYS + 2
"""How far back the outlook looks for what the sky does."""

USE_DAYS = 120
"""How far back it looks for habits of use: a season, so that a forgotten winter does not weigh on a summer's week."""

TRUST = ((2.5, 0.9), (4.5, 0.8), (6.5, 0.65), (float("inf"), 0.5))
"""How far a word given so many days ahead is trusted, until the log has seen some come true or not."""

STALE_DAYS, LOST_DAYS = 2.0, 10.0
"""After so many days without a reading the outlook says so; after so many it no longer claims a level."""

SHORTFALL_DAYS = 3
"""How many days ahead the advice on what to spare or put in looks."""

HOURS_DOUBT = 0.4
"""How far the use of which nobody knows the hours leans towards some time of the day, a share (standard deviation)."""

LEVEL_GRAIN = 1e-5
"""A level this little below a floor is at it: rounding, not a lack."""

QUANTILES = (0.10, 0.25, 0.50, 0.75, 0.90)

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
    unserved_wh: Range
    generator_wh: Range
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
    sky: SkyModel
    futures: int
    unserved_wh: Range         # over all of these days
    generator_hours: Range     # by plan and by rule
    generator_litres: Range | None
    plans: tuple[Plan, ...] = ()
    rule: GeneratorRule | None = None

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


def recently(account: Account, as_of: datetime) -> Learned:
    """What the account teaches, with the use of the last `USE_DAYS` only (all of it while they tell nothing)."""
    late = [i for i in account.intervals if i.end > as_of - timedelta(days=USE_DAYS)]
    return replace(account.learned, use=use_of(day_legs(late)) or account.learned.use)


def usual_trust(lead_days: float) -> float:
    """How far a sky word given so many days ahead is trusted, 0–1; see `TRUST`."""
    return next(trust for most, trust in TRUST if lead_days <= most)


def outlook(rig: Rig, readings: list[Reading], account: Account, sun: RigSun | None, as_of: datetime,
            days: int = 10, futures: int = 2000, seed: int = 1, skies: dict[date, str] | None = None,
            plans: tuple[Plan, ...] = (), rule: GeneratorRule | None = None, trust=usual_trust,
            sky: SkyModel | None = None) -> Outlook:
    """Look `days` local days ahead of `as_of`, from the latest level known by then.

    readings, account  the learning window (see `learning_window`) and its reckoning
    sun     the rig's clear-sky harvest; skies  words given for coming days; trust  of a word by days ahead
    plans, rule  what is planned, and when the generator is started
    sky     the model of the sky, where it was learned already
    Raises NoOutlook when there is no level to start from or no use known, ValueError for a sky it cannot take.
    """
    ready = prepare(rig, readings, account, sun, as_of, days, futures, seed, skies, plans, rule, trust, sky)
    made = run(rig, ready.energy, ready.soc, ready.harvest, ready.load, ready.grid.hours, ready.temp_c, ready.generator)
    return _summary(rig, made, ready)


@dataclass(frozen=True)
class Prepared:
    """An outlook that only waits to be run: energies in Wh by step and future, shape (steps, futures)."""

    as_of: datetime
    start: datetime
    soc: float
    energy: float
    temp_c: float | None
    grid: "_Grid"
    harvest: np.ndarray
    load: np.ndarray
    planned: np.ndarray  # of the harvest, what planned sources give, (steps,)
    generator: Started | None
    learned: Learned
    sky: SkyModel
    drain: Drain
    plans: tuple[Plan, ...]
    rule: GeneratorRule | None

    def steps_after(self, day: date) -> int:
        """The first step that lies after this local day."""
        return int(np.searchsorted(self.grid.day_of_step, self.grid.days.index(day), side="right"))


def prepare(rig: Rig, readings: list[Reading], account: Account, sun: RigSun | None, as_of: datetime, days: int,
            futures: int, seed: int = 1, skies: dict[date, str] | None = None, plans: tuple[Plan, ...] = (),
            rule: GeneratorRule | None = None, trust=usual_trust, sky: SkyModel | None = None,
            logged: list[SkyDay] | None = None, learned: Learned | None = None) -> Prepared:
    """Everything an outlook needs before it is run; see `outlook` for what is given and raised.

    logged, learned  the sky's days and what the log taught lately, where they are known already
    """
    level = last_level(readings, account)
    if level is None:
        raise NoOutlook("There is no reading of the level yet.")
    start, soc = level
    if as_of - start > timedelta(days=LOST_DAYS):
        raise NoOutlook(f"The last reading of the level is {(as_of - start).days} days old; "
                        "nobody can tell from it where the bank stands today.")
    this_day = local_day(as_of, rig.zone)
    logged = sky_days(account.intervals, sun, rig.zone) if logged is None else logged
    words = _words(skies or {}, logged, this_day, days, trust)
    learned = learned or recently(account, as_of)
    leaving = drain(rig, learned, this_day.month)
    if leaving is None:
        raise NoOutlook("Nothing is known of the use yet: neither the log nor a list of loads tells it.")
    temp_c = recent_temperature(readings, as_of)
    grid = _Grid.between(start, as_of, this_day + timedelta(days=days), rig)
    sky = sky or learn_sky(logged, this_day)

    # Single precision is far finer than any of this is known, and halves the memory that must be moved.
    shares = _shares(sky, logged, grid.days, futures, seed, words).astype(np.float32)
    shape = hourly_shape(rig)
    factor, more = use_changes(rig, plans, grid.days, shape)
    uses = _draw_uses(seed, learned, leaving, factor, futures).astype(np.float32)
    harvest = grid.harvest(sun, shares)
    planned = planned_watts(rig, plans, grid.days)[grid.day_of_step, grid.clock_hours] * grid.hours
    harvest += planned[:, None]
    load = uses[grid.day_of_step]
    load *= (_shapes(rig, shape, leaving, seed, futures)[grid.clock_hours] * grid.hours[:, None]).astype(np.float32)
    load += (more[grid.day_of_step, grid.clock_hours] * grid.hours)[:, None]
    np.maximum(load, 0, out=load)
    return Prepared(as_of, start, soc, energy_now(rig, temp_c), temp_c, grid, harvest, load, planned,
                    _started(rig, rule, grid), learned, sky, leaving, tuple(plans), rule)


def _words(skies, logged, this_day, days, trust) -> dict[date, Word]:
    """The words given for coming days, with the shares that such days have."""
    for day, word in skies.items():
        if word not in SKIES:
            raise ValueError(f"sky: found {word!r}, expected one of {', '.join(SKIES)}")
        if not 0 <= (day - this_day).days <= days:
            raise ValueError(f"sky: found {day}, expected a day from {this_day} to {this_day + timedelta(days=days)}")
    known = word_shares(logged) if skies else {}
    return {day: Word(known[word], trust((day - this_day).days)) for day, word in skies.items()}


def _shares(sky, logged, days, futures, seed, words) -> np.ndarray:
    """Share of clear sky on each day: as it was logged where it was, drawn from there on."""
    fresh = [n for n, day in enumerate(days) if sky.last is None or day > sky.last]
    first = fresh[0] if fresh else len(days)
    shares = np.empty((len(days), futures))
    known = {day.day: day.share for day in logged}
    for n, day in enumerate(days[:first]):
        shares[n] = known.get(day, sky.share(0.0))
    if fresh:
        shares[first:] = draw_shares(sky, days[first], len(days) - first, futures, seed, words)
    return shares


def _started(rig, rule, grid) -> Started | None:
    if rule is None or not rig.generators:
        return None
    generator = rig.generators[0]
    hours = rule.litres / generator.fuel_l_per_hour if rule.litres is not None and generator.fuel_l_per_hour else np.inf
    allowed = rule.allows(grid.clock_hours) & (np.arange(len(grid.hours)) >= grid.now)
    return Started(rule.start, rule.stop, generator.gives_w, allowed, hours)


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


def _shapes(rig, shape, leaving: Drain, seed, futures) -> np.ndarray:
    """Each future's share of a day's use in each clock hour, (24, futures).

    What the listed loads do not explain of the use lies nobody knows when; so futures lean towards one time of
    the day or another, by `HOURS_DOUBT` of that part.
    """
    listed = daily_use(rig) or 0.0
    open_part = max(0.15, 1 - listed / leaving.use_wh) if leaving.use_wh else 0.0
    lean = _stream(seed, 5).standard_normal((2, futures)) * HOURS_DOUBT * open_part
    angle = 2 * np.pi * (np.arange(24) + 0.5) / 24
    tilt = np.clip(1 + np.sin(angle)[:, None] * lean[0] + np.cos(angle)[:, None] * lean[1], 0.1, None)
    leaned = shape[:, None] * tilt
    return leaned / leaned.sum(axis=0)


def _draw_uses(seed, learned: Learned, leaving: Drain, factor: np.ndarray, futures: int) -> np.ndarray:
    """Use in each day and future, Wh, with the steady hidden draw: whole days of the log drawn again, × plans."""
    rng, days = _stream(seed, 3), len(factor)
    if leaving.days_known >= 7:
        drawn = rng.choice(learned.use.rates, size=(days, futures)) * (learned.use.mean
                                                                       / learned.use.rates.mean())
    else:
        width = math.sqrt(math.log1p((leaving.sd_wh / leaving.use_wh) ** 2)) if leaving.use_wh else 0.0
        drawn = leaving.use_wh * np.exp(rng.standard_normal((days, futures)) * width - width ** 2 / 2)
    unsure = leaving.sd_wh / leaving.use_wh / math.sqrt(max(1, leaving.days_known)) if leaving.use_wh else 0.0
    return drawn * np.exp(_stream(seed, 4).standard_normal(futures) * unsure) * factor[:, None] + leaving.hidden_wh


def _summary(rig, made: Futures, ready: Prepared) -> Outlook:
    grid, leaving, energy, as_of = ready.grid, ready.drain, ready.energy, ready.as_of
    this_day = local_day(as_of, rig.zone)
    count = made.level.shape[1]
    to_date = np.zeros(count)
    ever_below = ever_hard = np.zeros(count, dtype=bool)
    # Below the hard floor nothing more is taken out, so what went unserved counts as short as well.
    unserved, shortfall = made.part(slice(0, grid.now)).missing.sum(axis=0), 0.0
    unmet, generated = np.zeros(count), np.zeros(count)
    outlooks = {}
    for n, day in enumerate(grid.days):
        steps = grid.steps_of(n)
        if day < this_day or steps.start >= steps.stop:
            continue
        hours = made.part(steps)
        spilt, wanting = hours.spilt.sum(axis=0), hours.missing.sum(axis=0)
        by_rule = np.zeros(count) if hours.generated is None else hours.generated.sum(axis=0)
        other = ready.planned[steps].sum() + by_rule
        # What is spilt is the sun's: a charger that finds the bank full gives less by itself.
        solar = np.maximum(hours.harvest.sum(axis=0) - other - spilt, 0.0)
        unmet, generated = unmet + hours.unserved.sum(axis=0), generated + by_rule
        if day > this_day:
            to_date = to_date + solar
        lowest = hours.level[1:].min(axis=0)
        below = lowest < rig.bank.everyday_floor - LEVEL_GRAIN
        below_hard = (wanting > LEVEL_GRAIN * energy) | (lowest < rig.bank.hard_floor - LEVEL_GRAIN)
        ever_below, ever_hard = ever_below | below, ever_hard | below_hard
        # A drive or a generator at night makes no dawn.
        others = ready.planned[steps][:, None] if hours.generated is None else (
            ready.planned[steps][:, None] + hours.generated)
        dawn, dusk = _dawn_and_dusk(hours.harvest - others, grid.clock_hours[steps])
        outlooks[day] = DayOutlook(
            day, _range(solar), _range(to_date), _range(spilt), _range(hours.used.sum(axis=0)),
            _range(hours.unserved.sum(axis=0)), _range(by_rule),
            _range(hours.level[dawn]), _range(hours.level[dusk + 1]), float(below.mean()), float(below_hard.mean()))
        unserved = unserved + wanting
        if day <= this_day + timedelta(days=SHORTFALL_DAYS):
            short = (rig.bank.everyday_floor - lowest) * energy + unserved
            shortfall = max(shortfall, float(_quantiles(short)[4]))
    soc = middle(made.level[grid.now])
    ran, litres = _generator_run(rig, ready.plans, generated, [day for day in grid.days if day >= this_day])
    floors = {"everyday_floor": rig.bank.everyday_floor, "hard_floor": rig.bank.hard_floor}
    listed = [outlooks[day] for day in grid.days if day > this_day]
    return Outlook(
        as_of=as_of, last_reading=ready.start, soc=soc, energy_wh=energy,
        above_floor_wh=max(0.0, soc - rig.bank.everyday_floor) * energy, temp_c=ready.temp_c, drain=leaving,
        dark_days={name: dark_autonomy(energy, soc, floor, leaving.wh) for name, floor in floors.items()},
        dark_range={name: dark_autonomy_range(energy, soc, floor, leaving) for name, floor in floors.items()},
        today=outlooks.get(this_day), days=listed,
        chance_below_everyday_floor=float(ever_below.mean()), chance_below_hard_floor=float(ever_hard.mean()),
        first_risky_day=next((day for day, o in outlooks.items() if o.chance_below_everyday_floor > 0.1), None),
        shortfall_wh=shortfall,
        times=[datetime.fromtimestamp(t, as_of.tzinfo) for t in grid.bounds],
        fan=_quantiles(made.level), learned=ready.learned, sky=ready.sky, futures=count, unserved_wh=_range(unmet),
        generator_hours=ran, generator_litres=litres, plans=ready.plans, rule=ready.rule)


def _generator_run(rig, plans, generated, days) -> tuple[Range, Range | None]:
    """Hours and litres that the generator comes to over these days, by plan and by rule."""
    if not rig.generators:
        return _range(np.zeros(1)), None
    generator = rig.generators[0]
    hours = generated / generator.gives_w + planned_hours(plans, "generator", days)
    litres = generator.fuel_l_per_hour
    return _range(hours), None if litres is None else _range(hours * litres)


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
    sunny = np.flatnonzero(harvest.max(axis=1) > 1e-3)  # Wh; in single precision a difference is not nought
    if len(sunny):
        return int(sunny[0]), int(sunny[-1])
    return (int(np.searchsorted(clock_hours, 8).clip(0, len(clock_hours) - 1)),
            int(np.searchsorted(clock_hours, 20).clip(0, len(clock_hours) - 1)))
