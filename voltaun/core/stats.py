"""Statistics that several things of the trade need: Student's t, and values that are only lower bounds."""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np


def middle(values: np.ndarray) -> float:
    """The median. (NumPy's own imports its masked arrays first, which a first page would wait for.)"""
    ordered = np.sort(values)
    n = len(ordered)
    return float(ordered[(n - 1) // 2] + ordered[n // 2]) / 2


def quantiles(values: np.ndarray, shares: Sequence[float]) -> np.ndarray:
    """The values that these shares of those along the last axis lie below, linear between ranks, (…, shares). (NumPy's
    own, which the tests compare, is slower for few, and imports its masked arrays as its median does.)"""
    at = np.array(shares) * (values.shape[-1] - 1)
    low = at.astype(int)
    high = np.minimum(low + 1, values.shape[-1] - 1)
    ordered = np.partition(values, sorted({*low.tolist(), *high.tolist()}), axis=-1)
    return np.asarray(ordered[..., low] + (ordered[..., high] - ordered[..., low]) * (at - low))


def t95(freedom: float) -> float:
    """Student's t that nine in ten lie within on both sides; `freedom` at least 1: 6.314, 2.920, 2.353 … 1.645."""
    return _student(max(1.0, freedom), 0.90)


def t975(freedom: float) -> float:
    """Student's t that nineteen in twenty lie within on both sides: 12.706, 4.303, 3.182 … 1.960."""
    return _student(max(1.0, freedom), 0.95)


@lru_cache(maxsize=256)
def _student(freedom: float, within: float) -> float:
    """The t that so much of the distribution lies within.

    With t = √n tan θ the density becomes cos θ to the power n − 1, which is summed up to that share of its whole.
    Reference: W. S. Gosset ("Student"), "The probable error of a mean", Biometrika 6 (1908).
    """
    # Beyond a few standard deviations nothing is left: there the steps would be wasted.
    widest = np.pi / 2 if freedom < 40 else np.arctan(8 / np.sqrt(freedom))
    theta = np.linspace(0, widest, 20_001)
    density = np.cos(theta) ** (freedom - 1)
    mass = np.concatenate(([0.0], np.cumsum(density[1:] + density[:-1])))
    return float(np.sqrt(freedom) * np.tan(np.interp(within * mass[-1], mass, theta)))


def right_censored(values: np.ndarray, censored: np.ndarray,
                   counts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The distribution of values of which some are only lower bounds: points and weights that sum to 1.

    values    observed or least values, shape (n,)
    censored  True where the value is only a lower bound, shape (n,)
    counts    how many observations each stands for, shape (n,)
    The weight of a lower bound is shared among all that was seen above it; what lies beyond the largest
    value is put on it.

    Reference: E. L. Kaplan and P. Meier, "Nonparametric estimation from incomplete observations",
    J. American Statistical Association 53 (1958). SciPy's `ecdf` gives the same for equal counts (the
    tests compare them); it is not used here because importing it would double the time to a first page.
    """
    order = np.lexsort((censored, values))
    values, censored, counts = values[order], censored[order], counts[order]
    at_risk = np.cumsum(counts[::-1])[::-1]
    stay = np.where(censored, 1.0, 1 - counts / at_risk)
    left = np.cumprod(stay)
    weights = np.concatenate(([1.0], left[:-1])) - left
    weights[-1] += left[-1]
    kept = weights > 0
    return values[kept], weights[kept]


def parted(values: np.ndarray, least: int) -> int:
    """Where values in order are best parted in two, each side about its own middle: the first index of the second side,
    with so many at least on either (least absolute deviations, so that a few figures that are off part nothing)."""
    def off(side: np.ndarray) -> float:
        return float(np.abs(side - middle(side)).sum())
    return min(range(least, len(values) - least + 1), key=lambda n: off(values[:n]) + off(values[n:]))
