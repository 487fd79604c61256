"""Use per day, from legs of about a day."""

from collections.abc import Iterable
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
    def total(values: Iterable[float | None]) -> float | None:
        told = [value for value in values if value is not None]
        return sum(told) if len(told) == len(group) else None
    trusted = not any(interval.marked for interval in group)
    use_read = all(i.use_basis == READ for i in group)  # a doubtful sun leaves a use that was read as it is
    return Leg(hours, total(i.use_wh for i in group) if trusted or use_read else None,
               total(i.harvest["solar"] for i in group) if trusted else None,
               total(i.clear_sky_wh for i in group), any(i.capped for i in group),
               use_read, group[-1].end)


def use_of(legs: list[Leg]) -> UseLearned | None:
    """Use a day from legs; None when none of them tells it."""
    known = [(leg.use_wh, leg.hours, leg.use_read) for leg in legs if leg.use_wh is not None]
    if not known:
        return None
    rates = np.array([wh / hours * 24 for wh, hours, _ in known])
    whole = sum(hours for _, hours, _ in known)
    mean = sum(wh for wh, _, _ in known) / whole * 24
    read_share = sum(hours for _, hours, read in known if read) / whole
    return UseLearned(rates, mean, float(rates.std(ddof=1)) if len(rates) > 1 else None, read_share)
