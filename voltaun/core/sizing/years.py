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

from voltaun.core.learned.level import use_level
from voltaun.core.learned.season import between_months, nearness
from voltaun.core.learned.use import (
    USE,
    Absence,
    Leg,
    absences,
    as_listed_now,
    cut_short,
    day_legs,
    days_of,
    days_within,
    free_of,
    gap_legs,
    mean_days,
)
from voltaun.core.outlook.ask import Known
from voltaun.core.outlook.autonomy import drain
from voltaun.core.outlook.beliefs import bank_energy, unseen_draws
from voltaun.core.rig.loads import daily_use, seasonal_wh
from voltaun.core.rig.rig import Rig
from voltaun.core.series import Kind, Seen, draw, learn
from voltaun.core.sizing.calendar import calendar, standard_offset
from voltaun.core.sizing.laid import laid
from voltaun.core.sizing.suns import AS_THEY_ARE, Aims, Suns, arranged, under_files, under_shares
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import SKY, STARTUP_SHARES, SkyDay
from voltaun.core.sky.weather import Weather
from voltaun.core.stats import right_censored

SEASONS = ("summer", "autumn", "winter", "spring")
"""From December on, three months each, south of the equator; half a year on in the north."""

UNSEEN = 0.9
"""How far the mean share of a season that nobody has seen is off, on the logit (standard deviation)."""

EVEN_LATITUDE, PER_DEGREE, MOST_SEASONAL = 36.0, 0.05, 0.9
"""So far from the equator winter and summer have, as a rule, the same share of clear sky; for each degree nearer to the
pole winter has less of it, on the logit, and towards the tropics, where summers are wet, more; at the most so much."""

SPELLS = 7.0
"""So many days of a season count as one look at its mean: spells of weather last."""

SEEN_DAYS = 5.0
"""With fewer days of a season known nothing is known of it: other days stand in, and the start-up skies."""

FEW_DAYS, START_TIMES = 60, 3.0
"""As long as fewer days are known in all, the start-up skies weigh more than before an outlook, up to so many times,
and a list of loads is heard."""

OTHER_DAYS = 0.2
"""A day of another season stands in for no more than so much of one: a single storm is not the year's weather."""

DAY_APART, SEASON_APART, LIST_APART = 0.4, 0.4, 0.4
"""How far a day's use is off the year's by itself and by its season, and how far a list of loads is (relative standard
deviations)."""

OTHER_LIST = 0.5
"""A list that is this far from the log, on the logarithm, is hardly one of all that runs, and counts for less."""

WORD_DAYS = 21.0
"""The user's word on a season counts as so many logged days."""

RANKS = np.linspace(0.0, 1.0, 129)
_FLAT = Kind(points=(0.1, 0.3, 0.5, 0.7, 0.9), weights=(0.8,) * 5, forget_days=300.0, most=1.0, mixed=SKY.mixed)


@dataclass(frozen=True)
class Years:
    """Weather years side by side, hours from midnight to midnight of the place's standard time.

    sun      of each array of the rig as it stands, and then of one W more at each spot: Wh, shape
             (arrays + spots, hours, years)
    use      Wh in each hour with what draws unseen, (hours, years)
    energy   factor on the bank's energy in each year, (years,); energy_wh  what it stands for today
    guesses  seasons of which nothing is known
    sources  what the years were made from: log, habit, file
    added_to  of each spot the array on whose plane and controller it is; None for a plane of its own
    other_suns  as `sun`, with something of the arrays otherwise
    draws    what was drawn for each year of what nobody knows, by its name, (years,)
    """

    sun: np.ndarray
    use: np.ndarray
    energy: np.ndarray
    energy_wh: float
    guesses: tuple[str, ...]
    sources: tuple[str, ...]
    added_to: tuple[int | None, ...] = (0,)
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


def month_shares(skies: Sequence[SkyDay], habits: Mapping[str, tuple[float, float, float]],
                 latitude: float) -> np.ndarray:
    """Mean share of clear sky in each month, (12,): by the log's days near it and the user's word on its season, and by
    the other days and the start-up skies as far as those do not tell."""
    return np.asarray(_season_tables(skies, habits, latitude > 0)[0].mean(axis=1))


def from_log(rig: Rig, known: Known, legs: Sequence[Leg], sun: RigSun | None, count: int, seed: int,
             habits: Mapping[str, tuple[float, float, float]] | None = None, aims: Aims = AS_THEY_ARE,
             other_sun: RigSun | None = None, all_year: bool = False) -> Years:
    """Years as the log and the user's word tell them.

    all_year  whether it is lived in all year, whatever absences the log shows

    known  what the log tells; legs  all of its legs, for the use of the seasons
    habits  for a season (see `SEASONS`) what part of its days is bright, mixed and dark
    other_sun  clear-sky harvest of the other planes of `aims`
    """
    days, north = calendar(), rig.place.latitude > 0
    tables, weights = _season_tables(known.skies, habits or {}, north)
    shares, level = _shares(known.skies, tables, weights, days, count, seed, rig.place.latitude)
    begin = datetime(days[0].year, days[0].month, days[0].day, tzinfo=UTC).timestamp() - 3600 * standard_offset(rig)
    rows = under_shares(rig, np.repeat(shares, 24, axis=0), begin, sun, aims, other_sun)
    seen = dict.fromkeys(SEASONS, 0.0)
    for month in range(1, 13):
        seen[season_of(month, north)] += weights[month - 1] / 3
    guesses = [season for season in SEASONS if seen[season] < SEEN_DAYS]
    used = (["log"] if known.skies else []) + (["habit"] if habits else [])
    return _with_use(rig, known, legs, arranged(rig, rows, aims, days), count, seed, guesses=tuple(guesses),
                     sources=tuple(used), draws=level, all_year=all_year)


def from_files(rig: Rig, known: Known, legs: Sequence[Leg], planes: Sequence[Sequence[np.ndarray]],
               weathers: Sequence[Weather], share: float, count: int, seed: int, aims: Aims = AS_THEY_ARE,
               all_year: bool = False) -> Years:
    """Years as weather files tell them.

    planes  of each file the irradiance on each array's plane and on the other ones of `aims`, W/m², as
            `weather.on_plane` gives it
    share   what part of it a system gets into the battery
    Years that were recorded are used as they are, one after the other; a typical one has no rare spell, so it is cut
    into weeks that are laid anew, each from within three weeks of its season.
    """
    days, rng = calendar(), np.random.default_rng([seed, 11])
    rows = laid(planes, weathers, days, count, rng) * under_files(rig, share, days, aims)[:, :, None]
    return _with_use(rig, known, legs, arranged(rig, rows, aims, days), count, seed,
                     sources=("file", "log") if known.skies else ("file",), all_year=all_year)


def _season_tables(skies: Sequence[SkyDay], habits: Mapping[str, tuple[float, float, float]],
                   north: bool) -> tuple[np.ndarray, np.ndarray]:
    """Of each month the share of clear sky at each of `RANKS`, (12, ranks), and how many days it rests on, (12,)."""
    values, nearest = np.array([day.share for day in skies]), nearness([day.day for day in skies])
    capped = np.array([day.capped for day in skies], dtype=bool)
    words = [STARTUP_SHARES[word] for word in ("clear", "mixed", "overcast")]
    tables, known = np.empty((12, len(RANKS))), np.empty(12)
    start = 1 + (START_TIMES - 1) * max(0.0, 1 - len(skies) / FEW_DAYS)
    for month, near in enumerate(nearest):
        habit = habits.get(season_of(month + 1, north))
        told = WORD_DAYS * np.array(habit) if habit else np.zeros(3)
        known[month] = near.sum() + told.sum()
        # All other days and the start-up skies stand in where a season is hardly known.
        little = SEEN_DAYS / (SEEN_DAYS + known[month])
        far = little * np.full(len(skies), min(OTHER_DAYS, SEEN_DAYS / max(1, len(skies))))
        counts = np.concatenate((near + far, told, little * start * np.array(SKY.weights)))
        points, weights = right_censored(np.concatenate((values, words, SKY.points)), np.concatenate(
            (capped, np.zeros(3 + len(SKY.points), dtype=bool))), np.maximum(counts, 1e-9))
        tables[month] = np.interp(RANKS, np.cumsum(weights) - weights / 2, points)
    return tables, known


def _shares(skies: Sequence[SkyDay], tables: np.ndarray, weights: np.ndarray, days: Sequence[date], count: int,
            seed: int, latitude: float) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Share of clear sky of each day and year: ranks go on as the log's do, each in the distribution of its season; and
    how far each season's mean was drawn from it, by its name."""
    before, after, part = between_months([day.day for day in skies])
    seen = []
    for n, day in enumerate(skies):
        table = tables[before[n]] * (1 - part[n]) + tables[after[n]] * part[n]
        seen.append(Seen(day.day, float(np.interp(day.share, table, RANKS)), day.capped))
    last = skies[-1].day if skies else days[0]
    (model,) = learn([seen], [last], _FLAT)
    model = replace(model, points=RANKS, ranks=RANKS)
    ranks = draw(model, last + timedelta(days=400), len(days), count, (seed, 12, 13))
    lay_stretches(ranks, seen, days, np.random.default_rng([seed, 20]))
    before, after, part = between_months(days)
    at = np.clip(ranks, 0, 1) * (len(RANKS) - 1)
    low = np.minimum(at.astype(int), len(RANKS) - 2)

    def of(months: np.ndarray) -> np.ndarray:
        table = tables[months]
        first, second = (np.take_along_axis(table, low + step, axis=1) for step in (0, 1))
        return np.asarray(first + (second - first) * (at - low))
    shares = of(before) * (1 - part)[:, None] + of(after) * part[:, None]
    # A season's own mean is known no better than its days allow.
    doubt = UNSEEN / np.sqrt(1 + weights / SPELLS)
    by_season = np.random.default_rng([seed, 14]).standard_normal((4, count))
    off = by_season[np.arange(1, 13) % 12 // 3] * doubt[:, None]
    off = off + (seasonal(latitude, weights) * doubt / UNSEEN)[:, None]
    shift = off[before] * (1 - part)[:, None] + off[after] * part[:, None]
    inside = np.clip(shares, 0.01, 0.99)
    drawn = {season_of(month, latitude > 0): off[month - 1] for month in range(1, 13)}
    return np.asarray(np.where((shares > 0.01) & (shares < 0.99),
                               1 / (1 + (1 - inside) / inside * np.exp(-shift)), shares)), drawn


def seasonal(latitude: float, weights: np.ndarray) -> np.ndarray:
    """What the seasons' shares of clear sky usually are beside those that the log has seen, by month, (12,), on the
    logit: midwinter below midsummer by `PER_DEGREE` for each degree beyond `EVEN_LATITUDE`.

    weights  how many days each month rests on
    """
    apart = np.clip(PER_DEGREE * (EVEN_LATITUDE - abs(latitude)), -MOST_SEASONAL, MOST_SEASONAL)
    to_winter = np.cos(2 * np.pi * (np.arange(12) - (0 if latitude > 0 else 6)) / 12)
    usual = apart / 2 * to_winter
    seen = float(usual @ weights / weights.sum()) if weights.sum() > 0 else 0.0
    return np.asarray(usual - seen)


STRETCH_DAYS, STRETCH_WITHIN, STRETCH_TRIED, STRETCH_MISSING = 14, 21, 4, 2
"""Every other year is laid from stretches of the log's own days, each from so near its season, the best joined of so
many tried; so many days of one may be missing."""


def lay_stretches(ranks: np.ndarray, seen: Sequence[Seen], days: Sequence[date], rng: np.random.Generator) -> None:
    """Lay every other year of ranks, (days, years), from the log's own stretches, in place: a model of day after day
    breaks spells, such as snow on the panels, that the log has seen whole. What the log has not seen stays drawn.

    seen  the rank of each logged day, 0 to 1, in order of time; days  what the rows are
    """
    told = {of.day: of for of in seen}
    begins = [day for day in told if sum(day + timedelta(days=n) in told for n in range(STRETCH_DAYS))
              >= STRETCH_DAYS - STRETCH_MISSING]
    of_year = np.array([day.timetuple().tm_yday for day in begins])
    for begin in range(0, len(days), STRETCH_DAYS) if begins else ():
        apart = np.abs(of_year - days[begin].timetuple().tm_yday)
        near = np.flatnonzero(np.minimum(apart, 365 - apart) <= STRETCH_WITHIN)
        if not len(near):
            continue
        for year in range(1, ranks.shape[1], 2):
            tried = [begins[n] for n in rng.choice(near, STRETCH_TRIED)]
            joint = [0.0 if not begin else abs(told[day].share - ranks[begin - 1, year]) for day in tried]
            first = tried[int(np.argmin(joint))]
            for n in range(min(STRETCH_DAYS, len(days) - begin)):
                of = told.get(first + timedelta(days=n))
                if of is not None:
                    ranks[begin + n, year] = rng.uniform(of.share, 1.0) if of.capped else of.share


def _with_use(rig: Rig, known: Known, legs: Sequence[Leg], suns: Suns, count: int, seed: int, *,
              guesses: tuple[str, ...] = (), sources: tuple[str, ...],
              draws: Mapping[str, np.ndarray] | None = None, all_year: bool = False) -> Years:
    use = _use(rig, known, legs, calendar(), count, seed, all_year)
    shapes = known.lean.shapes(rig, range(1, 13), np.random.default_rng([seed, 15]).standard_normal((2, count)))
    by_hour = (use[:, None, :] * shapes[[day.month - 1 for day in calendar()]]).reshape(-1, count)
    unseen = unseen_draws(known.learned, np.random.default_rng([seed, 16]).standard_normal(count))
    by_hour += unseen / 24
    # Wind and water spare what is used in their hour; what they bring beyond that is not counted on.
    for n, flow in enumerate(known.flows.values()):
        by_hour -= np.repeat(flow.draw(calendar(), count, seed, n) / 24, 24, axis=0)
    energy = bank_energy(rig, known.learned, None)
    factor = np.maximum(energy.draw(np.random.default_rng([seed, 17]).standard_normal(count)) / energy.mean, 0.3)
    drawn = {**(draws or {}), "use": use.mean(axis=0), "draw": np.broadcast_to(unseen, (count,)), "capacity": factor}
    return Years(suns.sun, np.maximum(by_hour, 0.0).astype(np.float32), factor.astype(np.float32), energy.mean,
                 guesses, sources, suns.added_to, suns.others, drawn)


LEAST_REST = 0.2
"""However much the list says of the loads of some months, this part of a day's use is taken to be of all months."""


def away_by_log(rig: Rig, known: Known) -> list[Absence]:
    """The weeks in which nobody was there, as the log shows: none while it tells of fewer than a week."""
    legs = as_listed_now(rig, day_legs(known.account.intervals))
    told = days_of(legs, rig.zone)
    free = free_of(told, cut_short(told, legs, rig.zone, rig.bank.hard_floor))
    if known.use is None or not free:
        return []
    return absences(gap_legs(known.account.intervals), sum(free.values()) / len(free), rig.zone)


def _use(rig: Rig, known: Known, legs: Sequence[Leg], days: Sequence[date], count: int, seed: int,
         all_year: bool = False) -> np.ndarray:
    """Use of each day and year, Wh: with its memory, its weekdays, its seasons and as it has grown; in the weeks of the
    year in which nobody was there, what an empty house uses. The list of loads by its own months while the log tells of
    fewer than a week."""
    told = days_of(legs, rig.zone)
    if known.use is None or not told:
        return _listed_use(rig, known, days, count, seed)
    cut, habit = cut_short(told, legs, rig.zone, rig.bank.hard_floor), known.use.weekdays
    free, away = free_of(told, cut), away_by_log(rig, known)
    gone = {of.last for of in away}
    lived = [leg for leg in gap_legs(known.account.intervals) if days_within(leg, rig.zone)[-1] not in gone]
    # What the list says of loads of some months only is left out of the log's days, and put in again by the month.
    listed = seasonal_wh(rig)

    def rest(day: date, wh: float) -> float:
        return max(wh - listed[day.month - 1], LEAST_REST * wh)
    by_mean = mean_days([*legs, *lived], rig.zone, habit)
    level = use_level({day: rest(day, wh) / habit[day.weekday()] for day, wh in sorted((by_mean | free).items())},
                      rig.place.latitude)
    assert level is not None
    seen = [Seen(day, rest(day, wh) / level.mean_wh / level.factor(day) / habit[day.weekday()], day in cut)
            for day, wh in sorted(told.items())]
    (model,) = learn([seen], [max(told)], USE)
    drawn = draw(model, max(told) + timedelta(days=400), len(days), count, (seed, 18, 19))
    of_year = np.array([day.timetuple().tm_yday - 1 for day in days])
    factors = level.draw(of_year, count, np.random.default_rng([seed, 21]))
    factors = factors * towards_list((daily_use(rig, month=1) or 0.0) - listed[0], level.mean_wh, len(told))
    use = drawn * level.mean_wh * factors * habit[[day.weekday() for day in days], None]
    use += np.array([listed[day.month - 1] for day in days])[:, None]
    for of in () if all_year else away:
        inside = np.isin(of_year, [(of.first + timedelta(days=n)).timetuple().tm_yday - 1
                                   for n in range((of.last - of.first).days + 1)])
        use[inside] = of.use_wh
    return np.asarray(use)


def towards_list(listed_wh: float, logged_wh: float, days: int) -> float:
    """What the log's use a day is to be multiplied by so that a list of the same loads beside it counts, as long as few
    days are known: both weigh by how far they may be off the year's use. 1 without a list."""
    if listed_wh <= 0 or logged_wh <= 0 or days >= FEW_DAYS:
        return 1.0
    off = DAY_APART ** 2 / days + (SEASON_APART * (1 - days / FEW_DAYS)) ** 2
    apart = math.log(listed_wh / logged_wh)
    same = math.exp(-0.5 * apart ** 2 / (OTHER_LIST ** 2 + off))
    return math.exp(apart * same * off / (off + LIST_APART ** 2))


def _listed_use(rig: Rig, known: Known, days: Sequence[date], count: int, seed: int) -> np.ndarray:
    rng = np.random.default_rng([seed, 18])
    by_month = {month: drain(rig, known.learned, month) for month in range(1, 13)}
    leaving = [by_month[day.month] for day in days]
    use = np.array([of.use_wh if of else 0.0 for of in leaving])
    if known.learned.use:
        told = days_of(day_legs(known.account.intervals), rig.zone)
        month = max(told).month if told else days[0].month
        use = use * towards_list(daily_use(rig, month) or 0.0, float(use.mean()), max(1, len(told)))
    spread = np.array([of.sd_wh / of.use_wh if of and of.use_wh else 0.0 for of in leaving])
    width = np.sqrt(np.log1p(spread ** 2))[:, None]
    unsure = 0.5 * float(spread.mean()) * rng.standard_normal(count)
    return np.asarray(use[:, None] * np.exp(rng.standard_normal((len(days), count)) * width * math.sqrt(0.75) + unsure))
