"""Use per day, from legs of about a day."""

from dataclasses import dataclass
from datetime import datetime

import numpy as np

from voltaun.core.log.ledger import READ, Interval

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
    trusted = not any(interval.marked for interval in group)
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
