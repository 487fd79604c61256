"""Habits that a log shows: recent use against the long run, weekdays, the yield under each sky, skies by season."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from voltaun.core.log.days import Day
from voltaun.core.rig.parts import SKIES
from voltaun.core.sky.model import SkyDay, word_shares

_BOUNDS = (("clear", 0.64), ("mixed", 0.36), ("overcast", 0.12), ("storm", 0.0))
"""A day without a word is named by the share of clear sky that it brought, at least so much."""

RECENT_DAYS = 7
LEAST_WEEKDAYS = 28
LEAST_FOLLOWED = 4


@dataclass(frozen=True)
class Recent:
    """Use a day lately beside the long run, Wh, and whether the difference is more than chance (19 in 20)."""

    recent_wh: float
    long_run_wh: float
    days: int
    real: bool


@dataclass(frozen=True)
class SkyYield:
    """Share of clear sky under a word: the middle day, eight days in ten between low and high; days, capped."""

    middle: float
    low: float
    high: float
    days: int
    capped_days: int


@dataclass(frozen=True)
class SkyHabit:
    """One season: how often each word came, how often each followed which, and from how many days."""

    often: dict[str, float]
    follows: dict[str, dict[str, float]]
    days: int


def whole_days(days: Iterable[Day]) -> list[Day]:
    """The days that the log covers all but an hour or so of, in order."""
    return sorted((day for day in days if day.whole), key=lambda day: day.day)


def recent_use(days: list[Day]) -> Recent | None:
    """Mean use of the last seven whole days beside that of the days before; None with too few.

    Welch's comparison of two means: real where they lie more than two standard errors apart.
    """
    known = [day.use_wh for day in days if "use" not in day.unknown]
    late, before = known[-RECENT_DAYS:], known[:-RECENT_DAYS]
    if len(late) < RECENT_DAYS or len(before) < RECENT_DAYS:
        return None
    error = np.sqrt(np.var(late, ddof=1) / len(late) + np.var(before, ddof=1) / len(before))
    apart = abs(np.mean(late) - np.mean(before))
    return Recent(float(np.mean(late)), float(np.mean(before)), len(known), bool(apart > 2 * error))


def weekdays(days: list[Day]) -> dict[int, float] | None:
    """How much more than the mean is used on each weekday (0 Monday), Wh; None unless the pattern is real.

    Real: shuffling the days makes weekdays as different from one another less than once in a hundred times.
    """
    known = [(day.day.weekday(), day.use_wh) for day in days if "use" not in day.unknown]
    if len(known) < LEAST_WEEKDAYS:
        return None
    of, wh = np.array([each[0] for each in known]), np.array([each[1] for each in known])
    counts = np.bincount(of, minlength=7)
    if counts.min() < 3:
        return None
    wh = wh - wh.mean()

    def between(values: np.ndarray) -> np.ndarray:
        sums = np.apply_along_axis(lambda row: np.bincount(of, row, 7), -1, values)
        return np.asarray((sums ** 2 / counts).sum(axis=-1))
    shuffled = np.random.default_rng(1).permuted(np.tile(wh, (400, 1)), axis=1)
    if (between(shuffled) >= between(wh)).mean() >= 0.01:
        return None
    return dict(enumerate((np.bincount(of, wh, 7) / counts).tolist()))


def sky_word(day: SkyDay) -> str | None:
    """The day's word as it was noted, else by the share of clear sky it brought; None where that tells nothing."""
    if day.word or day.capped:
        return day.word
    return next(word for word, least in _BOUNDS if day.share >= least or word == "storm")


def yields(days: Sequence[SkyDay]) -> dict[str, SkyYield]:
    """Share of clear sky under each word that was noted, capped days as "at least".

    Where a word has few days its start-up share weighs in.
    """
    found = {}
    for word, shares in word_shares(days).items():
        noted = [day for day in days if day.word == word]
        low, middle, high = np.interp((0.1, 0.5, 0.9), (np.arange(len(shares)) + 0.5) / len(shares), shares)
        found[word] = SkyYield(float(middle), float(low), float(high), len(noted), sum(day.capped for day in noted))
    return found


def season(day: date, south: bool) -> str:
    """The season of a day by its quarter of the year, turned round south of the equator."""
    quarter = (day.month % 12) // 3
    return ("winter", "spring", "summer", "autumn")[(quarter + 2 * south) % 4]


def sky_habits(days: Sequence[SkyDay], south: bool) -> dict[str, SkyHabit]:
    """By season: how often each sky word came and which followed which, a share each."""
    words = {day.day: word for day in days if (word := sky_word(day))}
    found = {}
    for name in dict.fromkeys(season(day, south) for day in words):
        here = {day: word for day, word in words.items() if season(day, south) == name}
        often = {word: sum(each == word for each in here.values()) / len(here) for word in SKIES}
        follows = {}
        for word in SKIES:
            next_ones = [words[day + timedelta(days=1)] for day, each in here.items()
                         if each == word and day + timedelta(days=1) in words]
            if len(next_ones) >= LEAST_FOLLOWED:
                follows[word] = {then: next_ones.count(then) / len(next_ones) for then in SKIES}
        found[name] = SkyHabit(often, follows, len(here))
    return found


TRUST_PRIOR = 6.0
"""The usual trust in a given word weighs as much as so many words that were held against what came."""


def learned_trust(given: Sequence[tuple[date, int, str]], days: Sequence[SkyDay],
                  usual: Callable[[float], float]) -> Callable[[float], float]:
    """How far a sky word given so many days ahead comes true, 0–1, as a function of the days ahead.

    given  (day, how many days ahead, word) of days that are over; usual  the trust while nothing is known
    Words given about as far ahead (within two days) count; each is held against the day's own word, or the
    one that its share of clear sky names.
    """
    came = {day.day: word for day in days if (word := sky_word(day))}
    held = [(ahead, word == came[day]) for day, ahead, word in given if day in came]

    def trust(ahead: float) -> float:
        near = [true for lead, true in held if abs(lead - ahead) <= 2]
        return float(sum(near) + TRUST_PRIOR * usual(ahead)) / (len(near) + TRUST_PRIOR)
    return trust
