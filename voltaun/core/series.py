"""How a day's figure goes on from day to day: learned from the days that were seen, and drawn for the days ahead.

The figures are put on a normal scale by their own distribution (those that are only a least as "at least"), and there
each is the sum of

    a slow part, which wanders about the mean over weeks (season, spells), and
    a day's part, which follows the day before's a little.

How slow, how large and how persistent they are is not known but weighed: every combination on a grid is run through
the days, and counts by how well it told each next one. So few days give a wide fan, and days whose last weeks were
unlike the rest lean on them. How wild the days have lately been scales the day's part.

References: R. E. Kalman, "A new approach to linear filtering and prediction problems", J. Basic Engineering 82 (1960);
J. Tobin, "Estimation of relationships for limited dependent variables", Econometrica 26 (1958), for a day that is
only a lower bound (here the moments of the cut normal distribution).
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from voltaun.core.stats import right_censored

Numbers = float | np.ndarray

HISTORY_DAYS = 400
"""How far back days are learned from; older seasons say little of next week."""

ALIKE = 9
"""Shares that agree to so many decimals are the same one, whatever the last digit of a sum came to."""

LATELY_DAYS, LATELY_PRIOR = 15.0, 5.0
"""How wild the days lately were is told by about this many days, against a belief worth that many."""

_SLOW_DAYS, _SLOW_PARTS = (10.0, 30.0, 90.0), (0.0, 0.15, 0.3, 0.5, 0.7)
_PERSISTENCE = (0.0, 0.2, 0.4, 0.6)
_GRID = np.array([(math.exp(-1 / days), part, rho) for days in _SLOW_DAYS for part in _SLOW_PARTS
                  for rho in _PERSISTENCE]).T

_NORMAL = np.linspace(-5, 5, 2001)
_NORMAL_CDF = np.array([0.5 * (1 + math.erf(z / math.sqrt(2))) for z in _NORMAL])


def to_rank(score: Numbers) -> np.ndarray:
    """The part of a normal distribution that lies below a score."""
    return np.asarray(np.interp(score, _NORMAL, _NORMAL_CDF))


def to_score(rank: Numbers) -> np.ndarray:
    """The normal score below which this part lies; ranks from 0 to 1."""
    return np.asarray(np.interp(rank, _NORMAL_CDF, _NORMAL))


@dataclass(frozen=True)
class Seen:
    """One day that was seen: its share of the usual, and whether that is only a least."""

    day: date
    share: float
    capped: bool


@dataclass(frozen=True)
class Kind:
    """What is believed of a figure before any day is seen, and how fast days are forgotten.

    points, weights  shares and how many seen days each counts as
    forget_days      a day so old weighs 1/e of today's in the distribution
    most             no share is larger
    mixed            how much wider each combination is drawn than it is learned: futures of many combinations lie
                     wider apart than those of each, by which surprises are measured
    """

    points: tuple[float, ...]
    weights: tuple[float, ...]
    forget_days: float
    most: float
    mixed: float

    @property
    def days(self) -> float:
        """How many seen days the belief weighs as much as."""
        return sum(self.weights)


@dataclass(frozen=True)
class Series:
    """What the days taught: the distribution of shares, and where the figure stands now.

    points, ranks   shares in ascending order and the part of days below each
    chances         of each combination of the grid
    slow, daily     means of the two parts on the last seen day, per combination; spread their (2, 2) covariances
    lately          how wild the days have been, 1 as usual; unsure  standard deviation of the mean's own error
    days, capped_days, last   how many days it rests on, how many of them are only lower bounds, and the last of them
    """

    kind: Kind
    points: np.ndarray
    ranks: np.ndarray
    chances: np.ndarray
    slow: np.ndarray
    daily: np.ndarray
    spread: tuple[np.ndarray, np.ndarray, np.ndarray]
    lately: float
    unsure: float
    days: int
    capped_days: int
    last: date | None

    def share(self, score: Numbers) -> np.ndarray:
        """The share of clear sky of a normal score."""
        return np.asarray(np.interp(to_rank(score), self.ranks, self.points))


def learn(histories: Sequence[Sequence[Seen]], todays: Sequence[date], kind: Kind) -> list[Series]:
    """Learn from the days seen up to each of these todays; many histories at once take hardly longer than one."""
    kept = [[day for day in days if (today - day.day).days < HISTORY_DAYS]
            for days, today in zip(histories, todays, strict=True)]
    shapes = [_distribution(days, today, kind) for days, today in zip(kept, todays, strict=True)]
    length = max(((days[-1].day - days[0].day).days + 1 for days in kept if days), default=0)
    score = np.zeros((len(kept), length))
    seen, capped = np.zeros((len(kept), length), dtype=bool), np.zeros((len(kept), length), dtype=bool)
    for n, (days, (points, ranks, _)) in enumerate(zip(kept, shapes, strict=True)):
        if days:
            where = [length - 1 - (days[-1].day - day.day).days for day in days]
            seen[n, where] = True
            capped[n, where] = [day.capped for day in days]
            score[n, where] = to_score(np.clip(_ranks(days, points, ranks), 0.002, 0.998))
    of = _filtered(score, seen, capped)
    chances, lately = of.chances, of.lately
    return [Series(kind, points, ranks, chances[n], of.slow[n], of.daily[n],
                   (of.p_slow[n], of.p_daily[n], of.p_both[n]), float(lately[n]), 0.3 / math.sqrt(weight), len(kept[n]),
                   sum(day.capped for day in kept[n]), kept[n][-1].day if kept[n] else None)
            for n, (points, ranks, weight) in enumerate(shapes)]


def _ranks(days: Sequence[Seen], points: np.ndarray, ranks: np.ndarray) -> np.ndarray:
    """The rank of each day's share; of days alike the middle one of theirs."""
    shares = np.round([day.share for day in days], ALIKE)
    first, last = np.searchsorted(points, shares), np.searchsorted(points, shares, "right") - 1
    middle = (ranks[np.minimum(first, len(ranks) - 1)] + ranks[last]) / 2
    return np.asarray(np.where(first <= last, middle, np.interp(shares, points, ranks)))


def _distribution(days: Sequence[Seen], today: date, kind: Kind) -> tuple[np.ndarray, np.ndarray, float]:
    """Shares and their ranks, late days counting more, and how many days that is worth."""
    ages = np.array([(today - day.day).days for day in days], dtype=float)
    counts = np.concatenate((np.exp(-ages / kind.forget_days), kind.weights))
    values = np.round([*(day.share for day in days), *kind.points], ALIKE)
    capped = np.array([day.capped for day in days] + [False] * len(kind.points))
    points, weights = right_censored(values, capped, counts)
    return points, np.cumsum(weights) - weights / 2, float(counts.sum())


def _filtered(score: np.ndarray, seen: np.ndarray, capped: np.ndarray) -> "_Filter":
    """Run every combination of the grid through the days; all of shape (histories, days)."""
    of = _Filter(len(score))
    count = score.shape[1]
    for n in range(count):
        of.pass_a_day(seen[:, n])
        # Weighed anew counted from the end, so that no history depends on how long others are.
        of.see(score[:, n, None], seen[:, n], capped[:, n, None], weigh=(count - n) % 8 == 1)
    return of


@dataclass
class _Told:
    """What a day tells of the sum of both parts: by how much it is off, how much of it counts, its surprise, and the
    gain in log-likelihood."""

    off: np.ndarray
    counts: np.ndarray
    surprise: np.ndarray
    gain: np.ndarray


class _Filter:
    """A Kalman filter with two hidden parts, one slow and one daily, for every combination of `_GRID` at once.

    slow, daily               their means; p_slow, p_daily, p_both  their variances and covariance
    All are of shape (histories, combinations).
    """

    def __init__(self, histories: int):
        _, part, _ = _GRID
        shape = (histories, len(part))
        self.slow, self.daily, self._fit = np.zeros(shape), np.zeros(shape), np.zeros(shape)
        self.p_slow, self.p_daily = np.broadcast_to(part, shape).copy(), np.broadcast_to(1 - part, shape).copy()
        self.p_both = np.zeros(shape)
        self._wild, self._weight = np.full(histories, LATELY_PRIOR), np.full(histories, LATELY_PRIOR)
        self._begun = np.zeros(histories, dtype=bool)
        self._weighed = self.chances

    @property
    def chances(self) -> np.ndarray:
        """The chance of each combination, by how well it told each next day."""
        return _chances(self._fit)

    @property
    def lately(self) -> np.ndarray:
        """How wild the days were lately, 1 as usual, shape (histories,)."""
        return np.asarray(np.sqrt(self._wild / self._weight))

    def pass_a_day(self, seen: np.ndarray) -> None:
        """Both parts a day on, where a history has begun."""
        keep, part, rho = _GRID
        on = self._begun[:, None]
        self.slow, self.daily = np.where(on, keep * self.slow, self.slow), np.where(on, rho * self.daily, self.daily)
        self.p_slow = np.where(on, keep * keep * self.p_slow + part * (1 - keep * keep), self.p_slow)
        self.p_daily = np.where(on, rho * rho * self.p_daily + (1 - part) * (1 - rho * rho), self.p_daily)
        self.p_both = np.where(on, keep * rho * self.p_both, self.p_both)
        self._begun |= seen

    def see(self, score: np.ndarray, seen: np.ndarray, capped: np.ndarray, weigh: bool) -> None:
        """Take a day in, where it was seen."""
        variance = self.p_slow + self.p_daily + 2 * self.p_both + 1e-3
        told = self._told(score - self.slow - self.daily, variance, capped)
        here = seen[:, None]
        self._fit += np.where(here, told.gain, 0.0)
        to_slow, to_daily = (self.p_slow + self.p_both) / variance, (self.p_daily + self.p_both) / variance
        step, shrink = np.where(here, told.off, 0.0), np.where(here, told.counts, 0.0) * variance
        self.slow, self.daily = self.slow + to_slow * step, self.daily + to_daily * step
        self.p_slow, self.p_daily, self.p_both = (
            self.p_slow - shrink * to_slow ** 2, self.p_daily - shrink * to_daily ** 2,
            self.p_both - shrink * to_slow * to_daily)
        if weigh:
            self._weighed = self.chances
        fade, begun = math.exp(-1 / LATELY_DAYS), self._begun
        self._wild = np.where(begun, LATELY_PRIOR + (self._wild - LATELY_PRIOR) * fade, self._wild)
        self._wild += np.where(seen, (told.surprise * self._weighed).sum(axis=1), 0.0)
        self._weight = np.where(begun, LATELY_PRIOR + (self._weight - LATELY_PRIOR) * fade, self._weight) + seen

    @staticmethod
    def _told(off: np.ndarray, variance: np.ndarray, capped: np.ndarray) -> _Told:
        plain = _Told(off, np.ones(1), off * off / variance, -0.5 * (off * off / variance + np.log(variance)))
        if not capped.any():
            return plain
        sd = np.sqrt(variance)
        above = np.minimum(off / sd, 4.0)
        tail = np.maximum(1 - to_rank(above), 1e-6)
        hazard = np.exp(-above * above / 2) / math.sqrt(2 * math.pi) / tail
        # A day that is only a least surprises by what such days do on the average; to leave it out would count
        # the dark ones alone.
        counts = np.clip(hazard * (hazard - above), 0.0, 1.0)
        return _Told(np.where(capped, sd * hazard, off), np.where(capped, counts, 1.0),
                     np.where(capped, 1 + above * hazard, plain.surprise), np.where(capped, np.log(tail), plain.gain))


def _chances(fit: np.ndarray) -> np.ndarray:
    chances = np.exp(fit - fit.max(axis=1, keepdims=True))
    return np.asarray(chances / chances.sum(axis=1, keepdims=True))


@dataclass(frozen=True)
class Word:
    """What was said of a day: the shares such days have (ascending), and how far it is to be trusted, 0–1."""

    shares: np.ndarray
    trust: float


def draw(model: Series, first: date, days: int, futures: int, seed: Sequence[int],
         words: Mapping[date, Word] | None = None) -> np.ndarray:
    """Shares of the usual, shape (days, futures), from `first` on.

    Drawn day by day from streams of their own, so that a longer outlook begins like a shorter one. A given word
    is drawn in so many futures as it is trusted, and the days after it follow from what it brought.
    seed  of the two streams: (common seed, of the beginning, of the steps)
    """
    start, steps = np.random.default_rng([seed[0], seed[1]]), np.random.default_rng([seed[0], seed[2]])
    which = np.searchsorted(np.cumsum(model.chances), start.random(futures)).clip(0, len(model.chances) - 1)
    keep, part, rho = (column[which] for column in _GRID)
    p_slow, p_daily, p_both = (each[which] for each in model.spread)
    root = np.sqrt(np.maximum(p_slow, 0.0))
    common, own, mean = start.standard_normal((3, futures))
    slow = model.slow[which] + root * common
    tied = p_both / np.maximum(root, 1e-9)
    daily = model.daily[which] + tied * common + np.sqrt(np.maximum(p_daily - tied * tied, 0.0)) * own
    mean = mean * model.unsure
    # A short log knows the day's spread badly, too.
    wild = model.kind.mixed * model.lately * math.sqrt(1 + 4 / (model.days + model.kind.days))
    into_slow = np.sqrt(part * (1 - keep * keep))
    into_daily = np.sqrt((1 - part) * (1 - rho * rho)) * wild
    gap = max(0, (first - model.last).days - 1) if model.last else 0
    if gap:  # days nobody logged, all at once
        past = keep ** gap, rho ** gap
        slow = past[0] * slow + np.sqrt(part * (1 - past[0] ** 2)) * wild * start.standard_normal(futures)
        daily = past[1] * daily + np.sqrt((1 - part) * (1 - past[1] ** 2)) * wild * start.standard_normal(futures)
    drawn = np.empty((days, futures))
    for n in range(days):
        shocks = steps.standard_normal((2, futures))
        believed, among = steps.random((2, futures))
        slow = keep * slow + into_slow * shocks[0]
        daily = rho * daily + into_daily * shocks[1]
        share = model.share(slow + daily + mean)
        word = (words or {}).get(first + timedelta(days=n))
        if word is not None:
            told = np.interp(among, (np.arange(len(word.shares)) + 0.5) / len(word.shares), word.shares)
            yes = believed < word.trust
            share = np.where(yes, told, share)
            scored = to_score(np.clip(np.interp(share, model.points, model.ranks), 0.002, 0.998))
            daily = np.where(yes, scored - slow - mean, daily)
        drawn[n] = share
    return np.minimum(drawn, model.kind.most)
