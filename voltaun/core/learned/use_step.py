"""A step in what is used that no load of the list explains: something new runs all day, or somebody more lives there.

The days ahead follow such a step by themselves within some weeks (see `use`); what is found here is its day, so that it
can be asked about, and so that the usual day is that of since then at once.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

import numpy as np

from voltaun.core.learned.use import ABSENT_SHARE
from voltaun.core.stats import middle, parted

LEAST_STEP = 1.6
"""Since the step so many times as much is used as before, or as little; of still less nobody is there."""

LOOKED_BACK_DAYS = 120
"""A step that is longer ago is how one lives."""

BLOCK_DAYS = 14
"""The middle of so many days is looked at first: where none stands out there is no step."""

LEAST_SIDE_DAYS, NEAR_DAYS = 21, 42
"""So many days on either side must tell of it: of those within so many of it, for a season grows slowly."""


@dataclass(frozen=True)
class UseStep:
    """From the day on another use, Wh a day: the middle of the days near it, before and since."""

    day: date
    before_wh: float
    since_wh: float

    @property
    def ratio(self) -> float:
        """How many times as much as before."""
        return self.since_wh / self.before_wh


def use_step(told: Mapping[date, float], today: date) -> UseStep | None:
    """The last clear step in what is used, None without one.

    told  Wh of days, with the loads of now (see `use.as_listed_now`)
    """
    days = sorted(day for day in told if 0 <= (today - day).days <= LOOKED_BACK_DAYS)
    if len(days) < 2 * LEAST_SIDE_DAYS:
        return None
    at, wh = np.array([day.toordinal() for day in days]), np.array([told[day] for day in days])
    middles = [middle(part) for part in np.array_split(wh, len(wh) // BLOCK_DAYS)]
    if max(middles) < 0.9 * LEAST_STEP * min(middles):
        return None  # as with nearly every log
    logs = np.log(np.maximum(wh, 0.05 * middle(wh) + 1e-9))
    n = parted(logs, LEAST_SIDE_DAYS)
    before, since = wh[:n][at[:n] >= at[n] - NEAR_DAYS], wh[n:][at[n:] < at[n] + NEAR_DAYS]
    if min(len(before), len(since)) < LEAST_SIDE_DAYS:
        return None
    found = UseStep(days[n], middle(before), middle(since))
    small, large = sorted((before, since), key=middle)
    if middle(large) < LEAST_STEP * middle(small) or np.quantile(large, 0.25) <= np.quantile(small, 0.75):
        return None
    return found if found.since_wh >= ABSENT_SHARE * found.before_wh else None
