"""How much is used, through the seasons and as it grows: what the weeks of a log say of a year that is lived as now.

The use of a week is the usual one times a level, which may wander, times a season, which comes again each year, give
or take a week's own chance. How strongly each of them moves nobody knows: every combination of a few strengths is
weighed by how well it tells the log's weeks. What lies ahead has the level of the log's end, and in seasons that the
log has not seen the doubt that is left. (A Gaussian process: C. E. Rasmussen and C. K. I. Williams, "Gaussian
Processes for Machine Learning", MIT Press 2006, sections 2.2 and 5.4.)
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from itertools import product

import numpy as np

BIN_DAYS = 7
"""The use is looked at by the week."""

WANDERS = (0.03, 0.15, 0.40, 0.80)
"""How far the level wanders in a year, in parts of the usual use (standard deviation)."""

SEASONS = (0.03, 0.10, 0.25)
"""How far a season is off the year's mean, likewise."""

CHANCES = (0.04, 0.08, 0.16, 0.32)
"""How far a week is off both, likewise."""

SEASON_LENGTH = 1.0
"""How smooth the season is: a quarter of a year apart it is alike by exp(−1)."""

WINTER_MORE, FROM_LATITUDE = 0.12, 45.0
"""Before the log has seen it: so much more than the mean is used in midwinter, with its long evenings, and so much less
in midsummer, from this latitude on; towards the equator less and less. A guess, as people's logs show it."""

POINTS = 24
"""What lies ahead is told for so many parts of a year."""

YEAR, MIDWINTER = 365.25, 14.0
"""Days in a year; and midwinter in the north, by what people use, days after 1 January."""

LEAST_FACTOR = 0.1
"""Never less than this part of the usual use is drawn."""


@dataclass(frozen=True)
class UseLevel:
    """What the weeks tell: the usual use a day, Wh; the factors of it by which the log's days are to be measured; and
    those of a year ahead, each of so many drawn, at the middles of `POINTS` parts of a year from 1 January."""

    mean_wh: float
    first: int             # the first day of the log, as an ordinal
    logged: np.ndarray     # factor of each day from that one on
    weights: np.ndarray    # of each combination of strengths, (combinations,)
    ahead: np.ndarray      # mean factor, (combinations, POINTS)
    roots: np.ndarray      # a root of its covariance, (combinations, POINTS, POINTS)

    def factor(self, day: date) -> float:
        """The factor of a logged day."""
        return float(self.logged[int(np.clip(day.toordinal() - self.first, 0, len(self.logged) - 1))])

    def draw(self, days_of_year: np.ndarray, count: int, rng: np.random.Generator) -> np.ndarray:
        """Factors on days (0 to 364), each of so many drawn, (days, count)."""
        which = rng.choice(len(self.weights), count, p=self.weights)
        off = np.einsum("cij,cj->ci", self.roots[which], rng.standard_normal((count, POINTS)))
        points = self.ahead[which] + off
        at = (days_of_year / 365 * POINTS - 0.5) % POINTS
        low = at.astype(int)
        part = at - low
        made = points[:, low] * (1 - part) + points[:, (low + 1) % POINTS] * part
        return np.asarray(np.maximum(made, LEAST_FACTOR).T)


def use_level(told: Mapping[date, float], latitude: float) -> UseLevel | None:
    """How the use goes through seasons and growth; None without a day.

    latitude  of the place, degrees
    told  Wh of days, the days of longer legs at the leg's mean; without those that an empty bank cut short
    """
    if not told:
        return None
    ordinals = np.array([day.toordinal() for day in told])
    first = int(ordinals.min())
    wh = np.array(list(told.values()))
    mean = float(wh.mean())
    week = (ordinals - first) // BIN_DAYS
    counts = np.bincount(week)
    seen = np.flatnonzero(counts)
    new_year = date(date.fromordinal(first).year, 1, 1).toordinal() - first

    def usual(since: np.ndarray) -> np.ndarray:
        amount = WINTER_MORE * np.clip(latitude / FROM_LATITUDE, -1.0, 1.0)
        return np.asarray(amount * np.cos(2 * np.pi * (since - new_year - MIDWINTER) / YEAR))
    at = seen * float(BIN_DAYS) + BIN_DAYS / 2
    off = np.bincount(week, wh)[seen] / counts[seen] / (mean or 1.0) - 1.0 - usual(at)
    last = float(ordinals.max() - first)
    whole = np.arange(last + 1)
    points = new_year + (np.arange(POINTS) + 0.5) * YEAR / POINTS

    logged, evidence, ahead, roots = [], [], [], []
    for wander, season, chance in product(WANDERS, SEASONS, CHANCES):
        noise = chance ** 2 * np.maximum(BIN_DAYS / counts[seen], 1.0)
        covered = _level(at, at, wander) + _season(at, at, season) + np.diag(noise)
        root = np.linalg.cholesky(covered)
        solved = np.linalg.solve(covered, off)
        evidence.append(-0.5 * float(off @ solved) - float(np.log(np.diag(root)).sum()))
        logged.append(1 + usual(whole) + (_level(whole, at, wander) + _season(whole, at, season)) @ solved)
        # The level stays where it is at the log's end; the season is that of the time of the year.
        now = np.full(POINTS, last)
        with_log = _level(now, at, wander) + _season(points, at, season)
        ahead.append(1 + usual(points) + with_log @ solved)
        left = (_level(now, now, wander) + _season(points, points, season)
                - with_log @ np.linalg.solve(covered, with_log.T))
        values, vectors = np.linalg.eigh(left)
        roots.append(vectors * np.sqrt(np.maximum(values, 0.0)))
    weights = np.exp(np.array(evidence) - max(evidence))
    weights /= weights.sum()
    return UseLevel(mean, first, np.maximum(weights @ np.array(logged), LEAST_FACTOR), weights, np.array(ahead),
                    np.array(roots))


START = 0.5
"""How far the level at the log's beginning may be off the log's mean (standard deviation)."""


def _level(a: np.ndarray, b: np.ndarray, wander: float) -> np.ndarray:
    return np.asarray(START ** 2 + wander ** 2 * np.minimum(a[:, None], b) / YEAR)


def _season(a: np.ndarray, b: np.ndarray, season: float) -> np.ndarray:
    apart = np.sin(np.pi * (a[:, None] - b) / YEAR) / SEASON_LENGTH
    return np.asarray(season ** 2 * np.exp(-2 * apart ** 2))
