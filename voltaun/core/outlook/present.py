"""What is said of now: the level, what lies above each floor and how long it lasts, all from the futures.

The figure is the middle of the futures and the range their one in ten and nine in ten; nothing is reckoned beside them.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.autonomy import Drain, dark_days
from voltaun.core.outlook.prepare import Prepared, prepare
from voltaun.core.outlook.simulate import simulate

FLOORS = ("everyday_floor", "hard_floor")

FRESH_HOURS = 3.0
"""A level read so lately is the level; an older one says when it was read."""

OLD_HOURS = 12.0
"""After so many hours with sun or use in them a level is no longer told without being asked for anew."""

VAGUE = 0.15
"""A level whose range is wider than this, a fraction, is no figure to decide on."""

GROWN = 1.5
"""A range that has not grown to so many times what it was when the level was read would not be narrower if it were
read anew."""

SILENT_DAYS = 3.0
"""After so many days without a reading nothing but that is claimed of now."""


@dataclass(frozen=True)
class Middle:
    """A quantity over the futures: what it is below in 10, 50 and 90 of a hundred."""

    p10: float
    p50: float
    p90: float


@dataclass(frozen=True)
class Present:
    """The bank at `as_of`: fractions, Wh above each floor, and days in hand to each without any charging and with use
    as planned."""

    as_of: datetime
    read_at: datetime
    read_soc: float
    soc: Middle
    energy_wh: float
    temp_c: float | None
    drain: Drain
    above_wh: dict[str, Middle]
    days: dict[str, Middle]
    below: float  # the chance that the level is below the everyday floor now
    as_read: float = 0.0  # how wide its range was when it was read, a fraction: volts tell it to ten points either way

    @property
    def age_hours(self) -> float:
        """Hours since the level was read."""
        return (self.as_of - self.read_at) / timedelta(hours=1)

    @property
    def fresh(self) -> bool:
        """Whether the level was read so lately that it needs no date."""
        return self.age_hours <= FRESH_HOURS

    @property
    def vague(self) -> bool:
        """Whether the level wants reading before anything is decided on it: not one that was read just now, nor one
        whose range was about as wide when it was read, as another reading would narrow nothing."""
        if self.fresh:
            return False
        wide = self.soc.p90 - self.soc.p10 > max(VAGUE, GROWN * self.as_read)
        return wide or (self.age_hours >= OLD_HOURS and self.drain.wh > 0)

    @property
    def silent(self) -> bool:
        """Whether the last reading is so old that nothing else is claimed."""
        return self.age_hours > 24 * SILENT_DAYS


def present_of(ready: Prepared, now_soc: np.ndarray) -> Present:
    """What is said of now.

    now_soc  the level of each future at `as_of`, a fraction, shape (futures,)
    """
    bank, stands, ahead = ready.ask.rig.bank, ready.standing, slice(ready.grid.now, None)
    hours = ready.grid.hours[ahead]
    gone = ready.load[ahead] + (bank.standby_w * hours).astype(ready.load.dtype)[:, None]
    np.cumsum(gone, axis=0, out=gone)
    above, days = {}, {}
    for name in FLOORS:
        wh = (now_soc - getattr(bank, name)) * ready.energy
        above[name] = middle_of(np.maximum(wh, 0.0))
        days[name] = middle_of(dark_days(wh, gone, hours))
    as_read = middle_of(ready.start)
    return Present(ready.ask.as_of, stands.read_at, stands.read_soc, middle_of(now_soc), stands.energy.mean,
                   stands.temp_c, stands.drain, above, days, float((now_soc < bank.everyday_floor - 1e-5).mean()),
                   as_read.p90 - as_read.p10)


def present(ask: Ask) -> Present:
    """What is said of now, where the days ahead are not wanted: the same figures as in the outlook of this question.

    Raises NoOutlook when there is no level to start from or no use known.
    """
    ready = prepare(ask)
    until = slice(0, ready.grid.now)
    made = simulate(ask.rig, ready.energy, ready.start, ready.harvest[until], ready.load[until],
                    ready.grid.hours[until], ready.standing.temp_c)
    return present_of(ready, made.level[-1])


def middle_of(values: np.ndarray) -> Middle:
    """The 10th, 50th and 90th of a hundred futures. No figure is taken between two of them, one of which may be
    endless."""
    ordered = np.sort(values)
    return Middle(*(float(ordered[round(part * (len(ordered) - 1))]) for part in (0.1, 0.5, 0.9)))
