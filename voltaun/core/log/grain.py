"""The grain that levels are rounded to, as the log shows it."""

from collections.abc import Iterable

import numpy as np

GRAINS = (0.10, 0.05, 0.02, 0.01, 0.005)
"""Whole, half and fifth parts of ten points, and of one: what displays and people round to."""

FINEST = 0.001
USUAL = 0.01

LEAST_LEVELS = 4
"""With fewer different levels seen a coarse grain would be chance."""


def level_grain(levels: Iterable[float | None]) -> float:
    """The coarsest of `GRAINS` on which all of these levels lie (fractions), `USUAL` while there are few."""
    told = np.array(sorted({level for level in levels if level is not None and level < 1.0}))
    if len(told) < LEAST_LEVELS:
        return USUAL
    return next((grain for grain in GRAINS if (np.abs(told / grain - np.round(told / grain)) < 1e-4).all()), FINEST)


def rounding(grain: float) -> float:
    """Standard deviation of what rounding to a grain takes off or adds: grain / √12."""
    return grain / 12 ** 0.5
