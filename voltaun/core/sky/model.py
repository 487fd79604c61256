"""How the sky goes on: the share of clear sky from day to day, learned from the log and drawn for the days ahead.

Each logged day is a share of what a clear sky would have given; see `series` for how it is learned and drawn.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from voltaun.core.series import Kind, Seen, Series, Word, draw, learn, to_score
from voltaun.core.stats import right_censored

STARTUP_SHARES = {"clear": 0.75, "mixed": 0.50, "overcast": 0.20, "storm": 0.05}
"""Share of clear-sky energy by sky word, until the log knows better."""

STARTUP_SKIES = {"clear": 0.40, "mixed": 0.35, "overcast": 0.20, "storm": 0.05}
"""How often each sky is taken to come, until the log knows better."""

STARTUP_DAYS = 4.0
"""How many logged days the start-up skies weigh as much as."""

WORD_DAYS = 3.0
"""How many logged days of a word its start-up share weighs as much as."""

SKY = Kind(points=tuple(STARTUP_SHARES.values()),
           weights=tuple(STARTUP_DAYS * STARTUP_SKIES[word] for word in STARTUP_SHARES), forget_days=300.0, most=1.1,
           mixed=0.98)

SkyModel = Series


@dataclass(frozen=True)
class SkyDay(Seen):
    """One logged day: its share of clear sky, whether that is only a least, and the word noted for it."""

    word: str | None


def learn_sky(days: Sequence[SkyDay], today: date, kind: Kind = SKY) -> SkyModel:
    """Learn from the logged days up to today; with none of them it is what is believed: the start-up skies, unless
    `kind` says otherwise."""
    return learn([days], [today], kind)[0]


def learn_skies(histories: Sequence[Sequence[SkyDay]], todays: Sequence[date]) -> list[SkyModel]:
    """The same for many histories at once (a backtest has hundreds)."""
    return learn(histories, todays, SKY)


def draw_shares(model: SkyModel, first: date, days: int, futures: int, seed: int,
                words: Mapping[date, Word] | None = None) -> np.ndarray:
    """Shares of clear sky, shape (days, futures), from `first` on; see `series.draw`."""
    return draw(model, first, days, futures, (seed, 1, 0), words)


def word_shares(days: Sequence[SkyDay]) -> dict[str, np.ndarray]:
    """For each word the shares of clear sky that its days have, 20 equally likely ones in ascending order.

    The log's own days of the word (capped ones as "at least"), and its start-up share a fifth either way, which
    weighs as much as three of them.
    """
    found = {}
    spread = np.exp(0.2 * to_score((np.arange(20) + 0.5) / 20))
    for word, usual in STARTUP_SHARES.items():
        noted = [day for day in days if day.word == word]
        values = np.concatenate(([day.share for day in noted], usual * spread))
        capped = np.array([day.capped for day in noted] + [False] * 20)
        points, weights = right_censored(values, capped, np.concatenate((np.ones(len(noted)),
                                                                         np.full(20, WORD_DAYS / 20))))
        found[word] = np.interp((np.arange(20) + 0.5) / 20, np.cumsum(weights) - weights / 2, points)
    return found
