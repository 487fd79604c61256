"""How past outlooks did, summed up: what each said, what came, and how often its bands held."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from voltaun.core.outlook.outlook import QUANTILES


@dataclass(frozen=True)
class Forecast:
    """One past outlook over k local days: the sun's quantiles, the yardstick's, and what came; all Wh.

    dawn_soc  quantiles of the level at first sun on the last of these days, fractions
    use_wh    quantiles of the use over these days, Wh on the DC side, without the hidden draw and standby
    chance_below  of going below the everyday floor at some time on these days
    seen  the same quantities where the log shows what came of them
    """

    as_of: datetime
    days: int
    quantiles: tuple[float, ...]
    yardstick: tuple[float, ...]
    actual: float
    dawn_soc: tuple[float, ...]
    use_wh: tuple[float, ...]
    chance_below: float
    seen: "Came"


@dataclass(frozen=True)
class Came:
    """What came of an outlook, as far as the readings show it; None what they do not.

    use, use_wh  quantiles of what would be used until the last reading of these days, and what was read there, Wh
    level     quantiles of the level at the last reading of these days, and what was read there: fractions
    chance    that one of these days' readings would be below the everyday floor, and whether one was
    """

    use: tuple[float, ...] | None = None
    use_wh: float | None = None
    level: tuple[float, ...] | None = None
    level_read: float | None = None
    chance: float | None = None
    below: bool | None = None


@dataclass(frozen=True)
class LevelForecast:
    """One past outlook of the level some days ahead at the instant of a reading; fractions."""

    as_of: datetime
    at: datetime
    quantiles: tuple[float, ...]
    actual: float


LEAST_CASES = 10
"""Of fewer cases than this no share is told."""


@dataclass(frozen=True)
class Held:
    """How often a range from one to nine in ten held what came."""

    held: int
    cases: int

    @property
    def share(self) -> float | None:
        """The share of the cases; None without any."""
        return self.held / self.cases if self.cases else None

    @property
    def enough(self) -> bool:
        """Whether there are so many cases that the share means something."""
        return self.cases >= LEAST_CASES


@dataclass(frozen=True)
class Horizon:
    """How outlooks so many days ahead did.

    sun, use, level  how often their ranges held; missed_wh  the mean distance of the sun's middle from what came, Wh
    loss, yardstick_loss  mean pinball losses of the sun over the five quantiles, Wh
    """

    days: int
    sun: Held
    use: Held
    level: Held
    missed_wh: float
    yardstick_missed_wh: float
    loss: float
    yardstick_loss: float


@dataclass(frozen=True)
class Said:
    """How often about this chance (tenths) of going below the floor was said, and how often it came."""

    tenths: int
    times: int
    came: int


@dataclass(frozen=True)
class Backtest:
    """All past outlooks of a log."""

    sun: list[Forecast]
    levels: list[LevelForecast]

    def horizons(self) -> list[Horizon]:
        """How they did, by how many days ahead."""
        found = []
        for days in sorted({each.days for each in self.sun}):
            of = [each for each in self.sun if each.days == days]
            ours, theirs = (float(np.mean([pinball(getattr(each, name), each.actual) for each in of]))
                            for name in ("quantiles", "yardstick"))
            missed, others = (float(np.mean([abs(getattr(each, name)[2] - each.actual) for each in of]))
                              for name in ("quantiles", "yardstick"))
            found.append(Horizon(days, _held((each.quantiles, each.actual) for each in of),
                                 _held((each.seen.use, each.seen.use_wh) for each in of),
                                 _held(((each.seen.level, each.seen.level_read) for each in of), 0.005), missed, others,
                                 ours, theirs))
        return found

    def said(self, days: int) -> list[Said]:
        """What came of each chance that was said so many days ahead, as the log's readings show it."""
        told = [(round(each.seen.chance * 10), bool(each.seen.below)) for each in self.sun
                if each.days == days and each.seen.chance is not None]
        return [Said(tenths, len(came), sum(came)) for tenths in range(11)
                if (came := [below for said, below in told if said == tenths])]

    def level_held(self) -> Held:
        """How often the range from one in ten to nine in ten held the level."""
        return _held([(each.quantiles, each.actual) for each in self.levels], 0.005)


def _held(of: Iterable[tuple[Sequence[float] | None, float | None]], grain: float = 0.0) -> Held:
    """How often the range from one to nine in ten held what came, give or take a grain."""
    held = [band[0] - grain <= came <= band[4] + grain for band, came in of if band is not None and came is not None]
    return Held(sum(held), len(held))


def pinball(quantiles: Sequence[float], actual: float) -> float:
    """Mean pinball loss of the quantiles `outlook.QUANTILES`, in the quantity's unit.

    Reference: R. Koenker and G. Bassett, "Regression quantiles", Econometrica 46 (1978).
    """
    off = actual - np.asarray(quantiles)
    return float(np.mean(np.maximum(np.array(QUANTILES) * off, (np.array(QUANTILES) - 1) * off)))
