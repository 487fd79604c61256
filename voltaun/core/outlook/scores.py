"""How past outlooks did, summed up: what each said, what came, and how often its bands held."""

from collections.abc import Sequence
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
    """What came of an outlook, as far as the log shows it; None what it does not.

    use_wh    used over these days, Wh
    level     quantiles of the level at the last reading of these days, and what was read there: fractions
    chance    that one of these days' readings would be below the everyday floor, and whether one was
    """

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


@dataclass(frozen=True)
class Horizon:
    """How outlooks so many days ahead did; losses are mean pinball losses over the five quantiles, Wh.

    coverage, use_coverage, level_coverage  how often the band from one to nine in ten held; None where nothing came
    """

    days: int
    forecasts: int
    coverage: float
    use_coverage: float | None
    level_coverage: float | None
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
            held = np.mean([each.quantiles[0] <= each.actual <= each.quantiles[4] for each in of])
            ours, theirs = (float(np.mean([pinball(getattr(each, name), each.actual) for each in of]))
                            for name in ("quantiles", "yardstick"))
            uses = [(each.use_wh, each.seen.use_wh) for each in of if each.seen.use_wh is not None]
            levels = [(each.seen.level, each.seen.level_read) for each in of if each.seen.level_read is not None]
            found.append(Horizon(days, len(of), float(held), _held(uses), _held(levels, 0.005), ours, theirs))
        return found

    def said(self, days: int) -> list[Said]:
        """What came of each chance that was said so many days ahead, as the log's readings show it."""
        told = [(round(each.seen.chance * 10), bool(each.seen.below)) for each in self.sun
                if each.days == days and each.seen.chance is not None]
        return [Said(tenths, len(came), sum(came)) for tenths in range(11)
                if (came := [below for said, below in told if said == tenths])]

    def level_coverage(self) -> float | None:
        """How often the band from one in ten to nine in ten held the level; None without any."""
        return _held([(each.quantiles, each.actual) for each in self.levels], 0.005)


def _held(of: Sequence[tuple[Sequence[float] | None, float | None]], grain: float = 0.0) -> float | None:
    """How often the band from one to nine in ten held what came, give or take a grain; None without any."""
    held = [band[0] - grain <= came <= band[4] + grain for band, came in of if band is not None and came is not None]
    return float(np.mean(held)) if held else None


def pinball(quantiles: Sequence[float], actual: float) -> float:
    """Mean pinball loss of the quantiles `outlook.QUANTILES`, in the quantity's unit.

    Reference: R. Koenker and G. Bassett, "Regression quantiles", Econometrica 46 (1978).
    """
    off = actual - np.asarray(quantiles)
    return float(np.mean(np.maximum(np.array(QUANTILES) * off, (np.array(QUANTILES) - 1) * off)))
