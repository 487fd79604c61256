"""What a night takes: a figure of its own from the first two levels of one.

Where the sun is down nothing comes in that was not written down, and two levels tell the use between them. It is known
long before a day is, and bounds what nobody has read yet: the level at dawn, and what may be spent tonight.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from voltaun.core.learned.use import CUT_GRAIN
from voltaun.core.log.ledger import DARK_SHARE, READ, Interval
from voltaun.core.sky.clear_sky import RigSun

LEAST_HOURS, MOST_HOURS = 3.0, 18.0
"""Two levels so far apart tell what a night takes."""

BETWEEN_NIGHTS, AS_NIGHTS = 0.25, 3.0
"""How unlike one another nights are before a log says, a share (standard deviation), believed as if so many nights had
shown it."""

LEVEL_GRAIN = 0.01 / math.sqrt(12)
"""What a level in whole percent is off, of the bank (standard deviation)."""

FADE_NIGHTS = 20.0
"""A night so many nights ago weighs 1/e of the last one."""


@dataclass(frozen=True)
class Nights:
    """What leaves the bank in the dark, W: of the mean night, how unlike nights are, how sure the mean is, and of how
    many nights it is known."""

    watts: float
    sd_w: float
    doubt_w: float
    count: int

    def draw(self, nights: int, futures: int, rng: np.random.Generator) -> np.ndarray:
        """W of each coming night in each future, shape (nights, futures)."""
        mean = self.watts + self.doubt_w * rng.standard_normal(futures)
        return np.asarray(np.maximum(0.0, mean + self.sd_w * rng.standard_normal((nights, futures))))


def nights_of(made: Sequence[Interval], energy_wh: float, hard_floor: float) -> Nights | None:
    """What nights take by the intervals that lie in the dark and tell their use; None where none does. Those that end
    at the hard floor (a fraction), where the load is cut off, tell a least and are left out.

    energy_wh  what the bank holds, Wh: where the use follows from levels, their grain is part of the doubt
    """
    told = [each for each in made if each.use_wh is not None and not each.marked and each.clear_sky_wh is not None
            and each.clear_sky_wh <= DARK_SHARE * energy_wh and LEAST_HOURS <= each.hours <= MOST_HOURS
            and (each.soc_end is None or each.soc_end > hard_floor + CUT_GRAIN)]
    if not told:
        return None
    watts = np.array([(each.use_wh or 0.0) / each.hours for each in told])
    hours = np.array([each.hours for each in told])
    grain = np.array([0.0 if each.use_basis == READ else math.sqrt(2) * LEVEL_GRAIN * energy_wh / each.hours
                      for each in told])
    last = told[-1].end
    weights = hours * np.exp([-(last - each.end) / timedelta(days=FADE_NIGHTS) for each in told])
    weights /= weights.sum()
    mean = float(weights @ watts)
    seen = float(weights @ (watts - mean) ** 2) - float(weights @ grain ** 2)
    count = 1.0 / float(weights @ weights)  # as many as weigh alike
    variance = (count * max(0.0, seen) + AS_NIGHTS * (BETWEEN_NIGHTS * mean) ** 2) / (count + AS_NIGHTS)
    return Nights(mean, math.sqrt(variance), math.sqrt((variance + float(weights @ grain ** 2)) / count), len(told))


def in_dark(sun: RigSun | None, bounds: np.ndarray, energy_wh: float) -> np.ndarray:
    """Which steps between these instants (seconds since 1970) lie in the dark: 0 where the sun is up, else the number
    of the night, from 1 on; shape (steps,)."""
    if sun is None:
        return np.zeros(len(bounds) - 1, dtype=int)
    hours = np.diff(bounds) / 3600
    dark = np.diff(sun.total.at(bounds)) <= DARK_SHARE * energy_wh * np.minimum(hours, 1.0) / 4
    begins = dark & ~np.concatenate(([False], dark[:-1]))
    return np.where(dark, np.cumsum(begins), 0)


def dark_hours(sun: RigSun, around: datetime, energy_wh: float) -> float:
    """How long it is dark in the night whose middle this is, h."""
    bounds = around.timestamp() + np.arange(-72, 73) * 600.0
    night = in_dark(sun, bounds, energy_wh)
    return float((night == night[72]).sum() / 6) if night[72] else 0.0
