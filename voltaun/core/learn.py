"""What the log teaches: use per day, the share of clear-sky that is harvested, what the bank holds and loses."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from voltaun.core.bank import effective_energy
from voltaun.core.effective import Estimate, Held, held
from voltaun.core.ledger import READ, Interval, Reading, intervals
from voltaun.core.rig import Rig
from voltaun.core.sky import STARTUP_DAYS, STARTUP_SHARES, STARTUP_SKIES
from voltaun.core.spread import right_censored
from voltaun.core.sun import RigSun

MIN_LEG_HOURS, MAX_LEG_HOURS = 18.0, 7 * 24.0
"""A leg is a run of intervals of about a day; longer gaps say nothing of a day's spread."""


@dataclass(frozen=True)
class Leg:
    """Whole intervals that together make about a day: hours, and Wh or None."""

    hours: float
    use_wh: float | None
    solar_wh: float | None
    clear_sky_wh: float | None
    capped: bool
    use_read: bool
    end: datetime


@dataclass(frozen=True)
class UseLearned:
    """Use on the DC side, Wh per 24 h: each leg's rate, their mean by time and their spread.

    read_share is how much of that time the use was read; reckoned use holds a hidden draw already.
    """

    rates: np.ndarray
    mean: float
    sd: float | None
    read_share: float = 1.0

    @property
    def intervals(self) -> int:
        """How many legs it rests on."""
        return len(self.rates)


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

    def quantile(self, q):
        """The share below which this part of the days lies; `q` a fraction or an array of them."""
        return np.interp(q, np.cumsum(self.weights) - self.weights / 2, self.points)

    def mean_above(self, share: float) -> float:
        """Mean of the days that harvest more than this share; the share itself when none does."""
        above = self.points > share
        if not above.any():
            return share
        return float(self.points[above] @ self.weights[above] / self.weights[above].sum())


@dataclass(frozen=True)
class Learned:
    """All that the log taught. `use` is None when no interval tells it, `held` with too few that were read whole."""

    use: UseLearned | None
    share: ShareLearned
    held: Held | None = None

    @property
    def hidden_draw_w(self) -> Estimate | None:
        """The steady unexplained draw, W."""
        return self.held and self.held.hidden_w

    @property
    def effective_energy_wh(self) -> Estimate | None:
        """What the bank holds by the log, Wh."""
        return self.held and self.held.energy_wh

    @property
    def steady_draw_w(self) -> float:
        """Hidden draw to reckon with, W: the estimate when it is clearly more than nothing, otherwise 0."""
        draw = self.hidden_draw_w
        return draw.estimate if draw and draw.low > 0 else 0.0


@dataclass(frozen=True)
class Account:
    """A log reckoned: its intervals with what was spilt, and what they teach."""

    intervals: list[Interval]
    learned: Learned


def reckon(rig: Rig, readings: Iterable[Reading], sun: RigSun | None) -> Account:
    """Reckon a log: intervals (see `ledger.intervals`), what they teach, and the sun spilt on capped days."""
    made = intervals(rig, readings, sun)
    learned = learn(rig, made)
    return Account([_with_spilt(interval, learned.share) for interval in made], learned)


def learn(rig: Rig, made: list[Interval]) -> Learned:
    """What a rig's intervals teach."""
    legs = day_legs(made)
    return Learned(use_of(legs), _share(legs), held(rig, made, effective_energy(rig).wh))


def day_legs(made: list[Interval]) -> list[Leg]:
    """Join following intervals into legs of about a day (18 h or more; gaps over a week are left out)."""
    legs, group, hours = [], [], 0.0
    for interval in made:
        group.append(interval)
        hours += interval.hours
        if hours >= MIN_LEG_HOURS:
            if hours <= MAX_LEG_HOURS:
                legs.append(_leg(group, hours))
            group, hours = [], 0.0
    return legs


def _leg(group: list[Interval], hours: float) -> Leg:
    def total(values):
        values = list(values)
        return None if None in values else sum(values)
    trusted = not any(mark in ("reset", "doubtful") for interval in group for mark in interval.marks)
    use_read = all(i.use_basis == READ for i in group)  # a doubtful sun leaves a use that was read as it is
    return Leg(hours, total(i.use_wh for i in group) if trusted or use_read else None,
               total(i.harvest["solar"] for i in group) if trusted else None,
               total(i.clear_sky_wh for i in group), any(i.capped for i in group),
               use_read, group[-1].end)


def use_of(legs: list[Leg]) -> UseLearned | None:
    """Use a day from legs; None when none of them tells it."""
    known = [leg for leg in legs if leg.use_wh is not None]
    if not known:
        return None
    rates = np.array([leg.use_wh / leg.hours * 24 for leg in known])
    hours = sum(leg.hours for leg in known)
    mean = sum(leg.use_wh for leg in known) / hours * 24
    read_share = sum(leg.hours for leg in known if leg.use_read) / hours
    return UseLearned(rates, mean, float(rates.std(ddof=1)) if len(rates) > 1 else None, read_share)


def _share(legs: list[Leg]) -> ShareLearned:
    known = [leg for leg in legs if leg.solar_wh is not None and leg.clear_sky_wh and leg.clear_sky_wh > 0]
    shares = np.array([leg.solar_wh / leg.clear_sky_wh for leg in known])
    capped = np.array([leg.capped for leg in known], dtype=bool)
    values = np.concatenate((shares, list(STARTUP_SHARES.values())))
    censored = np.concatenate((capped, np.zeros(len(STARTUP_SHARES), dtype=bool)))
    counts = np.concatenate((np.ones(len(shares)), STARTUP_DAYS * np.array(list(STARTUP_SKIES.values()))))
    points, weights = right_censored(values, censored, counts)
    return ShareLearned(points, weights, len(known), int(capped.sum()))


def _with_spilt(interval: Interval, share: ShareLearned) -> Interval:
    """Spilt on a capped interval: clear-sky × the share it would likely have reached, less what came in.

    That share is the sky word's usual one, or, without a word or when it was passed, the mean of the days
    that harvest more than this one did.
    """
    if not interval.capped:
        return interval
    solar, clear = interval.harvest["solar"], interval.clear_sky_wh
    likely = STARTUP_SHARES.get(interval.sky, 0.0)
    if likely <= solar / clear:
        likely = share.mean_above(solar / clear)
    return replace(interval, spilt_wh=max(0.0, likely * clear - solar))
