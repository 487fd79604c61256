"""Weather years: what the sun may leave and what may be used, hour by hour, in many years that may come.

Each begins thirty days early, on the second of December before its first of January, so that what it is begun with is
forgotten when it counts. A year is drawn from what the log shows of each season, from the user's word on it, or from
weather files; and each has its own bank, its own unseen draw and its own hours of use, which nobody knows exactly.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from voltaun.core.instants import day_start
from voltaun.core.learned.use import USE, Leg, days_of
from voltaun.core.outlook.ask import Known
from voltaun.core.outlook.autonomy import drain
from voltaun.core.outlook.beliefs import bank_energy, unseen_draws
from voltaun.core.rig.rig import Rig
from voltaun.core.series import Kind, Seen, draw, learn
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import SKY, STARTUP_SHARES, SkyDay
from voltaun.core.sky.weather import Weather
from voltaun.core.stats import right_censored

EARLY_DAYS, DAYS = 30, 395
NOMINAL = 2023
"""The calendar that a year is laid out in."""

SEASONS = ("summer", "autumn", "winter", "spring")
"""From December on, three months each, south of the equator; half a year on in the north."""

SEASON_WIDTH = 30.0
"""Days of a season count by how near they are to the middle of the month (standard deviation, days)."""

UNSEEN = 0.6
"""How far the mean share of a season that nobody has seen is off, on the logit (standard deviation)."""

SPELLS = 15.0
"""So many days of a season count as one look at its mean: spells of weather last."""

SEEN_DAYS = 5.0
"""With fewer days of a season known nothing is known of it, and other days stand in."""

WORD_DAYS = 21.0
"""The user's word on a season counts as so many logged days."""

MONTH_DAYS = 10.0
"""A month's own use is believed as if so many of its days had been as usual."""

RANKS = np.linspace(0.0, 1.0, 129)
_FLAT = Kind(points=(0.1, 0.3, 0.5, 0.7, 0.9), weights=(0.8,) * 5, forget_days=300.0, most=1.0, mixed=SKY.mixed)
_MIDDLES = np.array([(date(NOMINAL, month, 15) - date(NOMINAL, 1, 1)).days for month in range(1, 13)], dtype=float)


@dataclass(frozen=True)
class Years:
    """Weather years side by side, hours from midnight to midnight of the place's standard time.

    sun      of each array of the rig as it stands, and last of one W more: Wh, shape (arrays + 1, hours, years)
    use      Wh in each hour with what draws unseen, (hours, years)
    energy   factor on the bank's energy in each year, (years,); energy_wh  what it stands for today
    guesses  seasons of which nothing is known
    sources  what the years were made from: log, habit, file
    added_to  the array on whose plane and controller the one W more stands; None on a plane of its own
    other_suns  as `sun`, with something of the arrays otherwise
    draws    what was drawn for each year of what nobody knows, by its name, (years,)
    """

    sun: np.ndarray
    use: np.ndarray
    energy: np.ndarray
    energy_wh: float
    guesses: tuple[str, ...]
    sources: tuple[str, ...]
    added_to: int | None = 0
    other_suns: tuple[np.ndarray, ...] = ()
    draws: Mapping[str, np.ndarray] = field(default_factory=dict)

    @property
    def count(self) -> int:
        """How many years."""
        return int(self.use.shape[1])

    def since(self, hour: int) -> "Years":
        """The same from an hour on."""
        return replace(self, sun=self.sun[:, hour:], use=self.use[hour:],
                       other_suns=tuple(of[:, hour:] for of in self.other_suns))


def season_of(month: int, north: bool) -> str:
    """The season of a month (1–12)."""
    return SEASONS[(month + (6 if north else 0)) % 12 // 3]


def calendar() -> list[date]:
    """The days that a weather year is laid out in, the early ones first."""
    first = date(NOMINAL, 1, 1) - timedelta(days=EARLY_DAYS)
    return [first + timedelta(days=n) for n in range(DAYS)]


def month_shares(skies: Sequence[SkyDay], habits: Mapping[str, tuple[float, float, float]],
                 latitude: float) -> np.ndarray:
    """Mean share of clear sky in each month, (12,): by the log's days near it and the user's word on its season, and by
    the other days and the start-up skies as far as those do not tell."""
    return np.asarray(_season_tables(skies, habits, latitude > 0)[0].mean(axis=1))


def from_log(rig: Rig, known: Known, legs: Sequence[Leg], sun: RigSun | None, count: int, seed: int,
             habits: Mapping[str, tuple[float, float, float]] | None = None) -> Years:
    """Years as the log and the user's word tell them.

    known  what the log tells; legs  all of its legs, for the use of the seasons
    habits  for a season (see `SEASONS`) what part of its days is bright, mixed and dark
    """
    days, north = calendar(), rig.place.latitude > 0
    tables, weights = _season_tables(known.skies, habits or {}, north)
    shares = _shares(known.skies, tables, weights, days, count, seed)
    clear = _clear_sky(rig, sun, days)
    harvest = clear[:, :, None] * np.repeat(shares.astype(np.float32), 24, axis=0)[None]
    seen = dict.fromkeys(SEASONS, 0.0)
    for month in range(1, 13):
        seen[season_of(month, north)] += weights[month - 1] / 3
    guesses = [season for season in SEASONS if seen[season] < SEEN_DAYS]
    used = (["log"] if known.skies else []) + (["habit"] if habits else [])
    return _with_use(rig, known, legs, harvest, days, count, seed, tuple(guesses), tuple(used))


def from_files(rig: Rig, known: Known, legs: Sequence[Leg], planes: Sequence[Sequence[np.ndarray]],
               weathers: Sequence[Weather], share: float, count: int, seed: int) -> Years:
    """Years as weather files tell them.

    planes  of each file the irradiance on each array's plane, W/m², as `weather.on_plane` gives it
    share   what part of it a system gets into the battery
    Years that were recorded are used as they are, one after the other; a typical one has no rare spell, so it is cut
    into weeks that are laid anew, each from within three weeks of its season.
    """
    days, rng = calendar(), np.random.default_rng([seed, 11])
    laid = _laid(planes, weathers, days, count, rng)
    shade = _shade(rig, days)
    rated = np.array([array.rated_w for array in rig.arrays])
    harvest = laid * (share / 1000 * rated[:, None, None] * np.repeat(shade, 24, axis=1)[:, :, None])
    one = harvest[:1] / rated[0]
    return _with_use(rig, known, legs, np.concatenate((harvest, one)).astype(np.float32), days, count, seed, (),
                     ("file", "log") if known.skies else ("file",))


def _season_tables(skies: Sequence[SkyDay], habits: Mapping[str, tuple[float, float, float]],
                   north: bool) -> tuple[np.ndarray, np.ndarray]:
    """Of each month the share of clear sky at each of `RANKS`, (12, ranks), and how many days it rests on, (12,)."""
    of_year = np.array([day.day.timetuple().tm_yday - 1 for day in skies], dtype=float)
    values = np.array([day.share for day in skies])
    capped = np.array([day.capped for day in skies], dtype=bool)
    words = [STARTUP_SHARES[word] for word in ("clear", "mixed", "overcast")]
    tables, known = np.empty((12, len(RANKS))), np.empty(12)
    for month in range(12):
        apart = np.abs(of_year - _MIDDLES[month])
        near = np.exp(-0.5 * (np.minimum(apart, 365 - apart) / SEASON_WIDTH) ** 2)
        habit = habits.get(season_of(month + 1, north))
        told = WORD_DAYS * np.array(habit) if habit else np.zeros(3)
        known[month] = near.sum() + told.sum()
        # All other days and the start-up skies stand in where a season is hardly known.
        little = SEEN_DAYS / (SEEN_DAYS + known[month])
        far = little * SEEN_DAYS * np.ones(len(skies)) / max(1, len(skies))
        counts = np.concatenate((near + far, told, little * np.array(SKY.weights)))
        points, weights = right_censored(np.concatenate((values, words, SKY.points)), np.concatenate(
            (capped, np.zeros(3 + len(SKY.points), dtype=bool))), np.maximum(counts, 1e-9))
        tables[month] = np.interp(RANKS, np.cumsum(weights) - weights / 2, points)
    return tables, known


def _between_months(days: Sequence[date]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of each day the month before and after whose middles it lies between, and how far it is towards the second."""
    at = np.array([day.timetuple().tm_yday - 1 for day in days], dtype=float)
    after = np.searchsorted(_MIDDLES, at) % 12
    before = (after - 1) % 12
    gap = (_MIDDLES[after] - _MIDDLES[before]) % 365
    return before, after, ((at - _MIDDLES[before]) % 365) / gap


def _shares(skies: Sequence[SkyDay], tables: np.ndarray, weights: np.ndarray, days: Sequence[date], count: int,
            seed: int) -> np.ndarray:
    """Share of clear sky of each day and year: ranks go on as the log's do, each in the distribution of its season."""
    before, after, part = _between_months([day.day for day in skies])
    seen = []
    for n, day in enumerate(skies):
        table = tables[before[n]] * (1 - part[n]) + tables[after[n]] * part[n]
        seen.append(Seen(day.day, float(np.interp(day.share, table, RANKS)), day.capped))
    last = skies[-1].day if skies else days[0]
    (model,) = learn([seen], [last], _FLAT)
    model = replace(model, points=RANKS, ranks=RANKS)
    ranks = draw(model, last + timedelta(days=400), len(days), count, (seed, 12, 13))
    before, after, part = _between_months(days)
    at = np.clip(ranks, 0, 1) * (len(RANKS) - 1)
    low = np.minimum(at.astype(int), len(RANKS) - 2)

    def of(months: np.ndarray) -> np.ndarray:
        table = tables[months]
        first, second = (np.take_along_axis(table, low + step, axis=1) for step in (0, 1))
        return np.asarray(first + (second - first) * (at - low))
    shares = of(before) * (1 - part)[:, None] + of(after) * part[:, None]
    # A season's own mean is known no better than its days allow.
    doubt = UNSEEN / np.sqrt(1 + weights / SPELLS)
    off = np.random.default_rng([seed, 14]).standard_normal((4, count))[np.arange(1, 13) % 12 // 3] * doubt[:, None]
    shift = off[before] * (1 - part)[:, None] + off[after] * part[:, None]
    inside = np.clip(shares, 0.01, 0.99)
    return np.asarray(np.where((shares > 0.01) & (shares < 0.99),
                               1 / (1 + (1 - inside) / inside * np.exp(-shift)), shares))


def _clear_sky(rig: Rig, sun: RigSun | None, days: Sequence[date]) -> np.ndarray:
    """Clear-sky harvest of each array by the hour, and of one W more on the first's plane, Wh, (arrays + 1, hours)."""
    if sun is None:
        return np.zeros((1, 24 * len(days)), dtype=np.float32)
    begin = datetime(days[0].year, days[0].month, days[0].day, tzinfo=UTC).timestamp() - 3600 * standard_offset(rig)
    bounds = begin + 3600.0 * np.arange(24 * len(days) + 1)
    each = [np.diff(array.at(bounds)) for array in sun.arrays]
    return np.array([*each, each[0] / rig.arrays[0].rated_w], dtype=np.float32)


def standard_offset(rig: Rig) -> float:
    """The place's standard time ahead of UTC, h: the lesser of what is in force in January and in July."""
    return min((datetime(NOMINAL, month, 1, tzinfo=UTC) - day_start(date(NOMINAL, month, 1), rig.zone))
               / timedelta(hours=1) for month in (1, 7))


def _shade(rig: Rig, days: Sequence[date]) -> np.ndarray:
    """Each array's shade factor on each day, (arrays, days)."""
    return np.array([[array.shade_by_month[day.month - 1] for day in days] for array in rig.arrays])


def _with_use(rig: Rig, known: Known, legs: Sequence[Leg], harvest: np.ndarray, days: list[date], count: int, seed: int,
              guesses: tuple[str, ...], sources: tuple[str, ...]) -> Years:
    use = _use(rig, known, legs, days, count, seed)
    shapes = known.lean.shapes(rig, np.random.default_rng([seed, 15]).standard_normal((2, count)))
    by_hour = (use[:, None, :] * shapes[None]).reshape(-1, count)
    by_hour += unseen_draws(known.learned, np.random.default_rng([seed, 16]).standard_normal(count)) / 24
    energy = bank_energy(rig, known.learned, None)
    factor = np.maximum(energy.draw(np.random.default_rng([seed, 17]).standard_normal(count)) / energy.mean, 0.3)
    return Years(harvest, np.maximum(by_hour, 0.0).astype(np.float32), factor.astype(np.float32), energy.mean,
                 guesses, sources)


def _use(rig: Rig, known: Known, legs: Sequence[Leg], days: Sequence[date], count: int, seed: int) -> np.ndarray:
    """Use of each day and year, Wh: with its memory, its weekdays and its months; the list of loads by its own months
    while the log tells of fewer than a week."""
    told = days_of(legs, rig.zone)
    if known.use is None or not told:
        return _listed_use(rig, known, days, count, seed)
    mean = sum(told.values()) / len(told)
    months = _month_factors(told, mean)
    before, after, part = _between_months(list(told))
    usual = months[before] * (1 - part) + months[after] * part
    habit = known.use.weekdays
    seen = [Seen(day, wh / mean / usual[n] / habit[day.weekday()], False)
            for n, (day, wh) in enumerate(sorted(told.items()))]
    (model,) = learn([seen], [max(told)], USE)
    drawn = draw(model, max(told) + timedelta(days=400), len(days), count, (seed, 18, 19))
    before, after, part = _between_months(days)
    season = months[before] * (1 - part) + months[after] * part
    return np.asarray(drawn * mean * season[:, None] * habit[[day.weekday() for day in days], None])


def _month_factors(told: Mapping[date, float], mean: float) -> np.ndarray:
    """What each month's use is of the usual, drawn towards 1, (12,)."""
    of_year = np.array([day.timetuple().tm_yday - 1 for day in told], dtype=float)
    off = np.array(list(told.values())) / mean - 1
    factors = np.empty(12)
    for month in range(12):
        apart = np.abs(of_year - _MIDDLES[month])
        near = np.exp(-0.5 * (np.minimum(apart, 365 - apart) / SEASON_WIDTH) ** 2)
        factors[month] = 1 + (near @ off) / (near.sum() + MONTH_DAYS)
    return np.maximum(factors, 0.1)


def _listed_use(rig: Rig, known: Known, days: Sequence[date], count: int, seed: int) -> np.ndarray:
    rng = np.random.default_rng([seed, 18])
    by_month = {month: drain(rig, known.learned, month) for month in range(1, 13)}
    leaving = [by_month[day.month] for day in days]
    use = np.array([of.use_wh if of else 0.0 for of in leaving])
    spread = np.array([of.sd_wh / of.use_wh if of and of.use_wh else 0.0 for of in leaving])
    width = np.sqrt(np.log1p(spread ** 2))[:, None]
    unsure = 0.5 * float(spread.mean()) * rng.standard_normal(count)
    return np.asarray(use[:, None] * np.exp(rng.standard_normal((len(days), count)) * width * math.sqrt(0.75) + unsure))


BLOCK_DAYS, WITHIN_DAYS, TRIED = 7, 21, 6
"""A typical year is laid anew in such blocks, each from so near its season, the best joined of so many tried."""


def _laid(planes: Sequence[Sequence[np.ndarray]], weathers: Sequence[Weather], days: Sequence[date], count: int,
          rng: np.random.Generator) -> np.ndarray:
    """Irradiance on each plane in each hour of each year, W/m², (planes, hours, years)."""
    by_day = [np.stack([plane[:24 * weather.days].reshape(-1, 24) for plane in of]) for of, weather in
              zip(planes, weathers, strict=True)]  # (planes, days, 24) of each file
    recorded = [(n, year) for n, weather in enumerate(weathers) if not weather.typical
                for year in sorted({day.year for day in weather.dates}) if _whole(weather, year)]
    laid = np.empty((len(planes[0]), 24 * len(days), count), dtype=np.float32)
    for year in range(count):
        if len(recorded) >= SEVERAL:
            which, of = recorded[year % len(recorded)]
            picked = [(which, row) for row in _rows_of_year(weathers[which], of, days)]
        else:
            picked = _blocks(by_day, weathers, days, rng)
        laid[:, :, year] = np.concatenate([by_day[which][:, row] for which, row in picked], axis=1)
    return laid


SEVERAL = 5
"""From so many recorded years on they are used as they are; of fewer the weeks are laid anew."""


def _whole(weather: Weather, year: int) -> bool:
    return weather.dates[0] <= date(year, 1, 1) and weather.dates[-1] >= date(year, 12, 31)


def _rows_of_year(weather: Weather, year: int, days: Sequence[date]) -> list[int]:
    """The rows of a recorded year; the early days are its own last ones where the year before is not there."""
    first = (date(year, 1, 1) - weather.first).days
    rows = []
    for day in days:
        of_year = (day - date(NOMINAL, 1, 1)).days
        row = first + of_year
        rows.append(row if row >= 0 else row + 365)
    return rows


def _blocks(by_day: list[np.ndarray], weathers: Sequence[Weather], days: Sequence[date],
            rng: np.random.Generator) -> list[tuple[int, int]]:
    picked: list[tuple[int, int]] = []
    bright = [_brightness(of) for of in by_day]
    for begin in range(0, len(days), BLOCK_DAYS):
        tried = []
        for _ in range(TRIED):
            which = int(rng.integers(len(by_day)))
            season = (days[begin].timetuple().tm_yday - weathers[which].first.timetuple().tm_yday)
            count = weathers[which].days
            years = count // 365
            row = season + 365 * int(rng.integers(years)) + int(rng.integers(-WITHIN_DAYS, WITHIN_DAYS + 1))
            rows = [(row + n) % count for n in range(min(BLOCK_DAYS, len(days) - begin))]
            joint = 0.0 if not picked else abs(bright[which][(row - 1) % count] - bright[picked[-1][0]][picked[-1][1]])
            tried.append((joint, which, rows))
        _, which, rows = min(tried, key=lambda each: each[0])
        picked += [(which, row) for row in rows]
    return picked


def _brightness(of: np.ndarray) -> np.ndarray:
    """How bright each day is for its season: its sun against the most within a fortnight."""
    sums = of[0].sum(axis=1)
    around = np.stack([np.roll(sums, shift) for shift in range(-14, 15)])
    return np.asarray(sums / np.maximum(around.max(axis=0), 1e-6))
