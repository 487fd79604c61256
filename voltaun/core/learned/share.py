"""The share of clear-sky that is harvested, and what was likely spilt on days that were capped."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from voltaun.core.learned.use import Leg
from voltaun.core.log.ledger import Interval
from voltaun.core.sky.model import STARTUP_DAYS, STARTUP_SHARES, STARTUP_SKIES
from voltaun.core.stats import right_censored


@dataclass(frozen=True)
class ShareLearned:
    """Distribution of solar Wh / clear-sky Wh: ascending points and the weight of each (summing to 1)."""

    points: np.ndarray
    weights: np.ndarray
    days: int
    capped_days: int

    @property
    def mean(self) -> float:
        return float(self.points @ self.weights)

    def quantile(self, q: float | np.ndarray) -> np.ndarray:
        """The share below which this part of the days lies; `q` a fraction or an array of them."""
        return np.asarray(np.interp(q, np.cumsum(self.weights) - self.weights / 2, self.points))

    def mean_above(self, share: float) -> float:
        """Mean of the days that harvest more than this share; the share itself when none does."""
        above = self.points > share
        if not above.any():
            return share
        return float(self.points[above] @ self.weights[above] / self.weights[above].sum())


def share_of(legs: Sequence[Leg]) -> ShareLearned:
    """The distribution of the legs' shares, with the start-up skies, which weigh as much as `STARTUP_DAYS` of them."""
    known = [(leg.solar_wh / leg.clear_sky_wh, leg.capped) for leg in legs
             if leg.solar_wh is not None and leg.clear_sky_wh and leg.clear_sky_wh > 0]
    shares = np.array([share for share, _ in known])
    capped = np.array([is_capped for _, is_capped in known], dtype=bool)
    values = np.concatenate((shares, list(STARTUP_SHARES.values())))
    censored = np.concatenate((capped, np.zeros(len(STARTUP_SHARES), dtype=bool)))
    counts = np.concatenate((np.ones(len(shares)), STARTUP_DAYS * np.array(list(STARTUP_SKIES.values()))))
    points, weights = right_censored(values, censored, counts)
    return ShareLearned(points, weights, len(known), int(capped.sum()))


def with_spilt(interval: Interval, share: ShareLearned) -> Interval:
    """Spilt on a capped interval: clear-sky × the share it would likely have reached, less what came in.

    That share is the sky word's usual one, or, without a word or when it was passed, the mean of the days
    that harvest more than this one did.
    """
    solar, clear = interval.harvest["solar"], interval.clear_sky_wh
    if not interval.capped or solar is None or not clear:
        return interval
    likely = STARTUP_SHARES.get(interval.sky or "", 0.0)
    if likely <= solar / clear:
        likely = share.mean_above(solar / clear)
    return replace(interval, spilt_wh=max(0.0, likely * clear - solar))
