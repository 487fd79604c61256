"""Statistics that several things of the trade need: Student's t, and values that are only lower bounds."""

import numpy as np


def middle(values: np.ndarray) -> float:
    """The median. (NumPy's own imports its masked arrays first, which a first page would wait for.)"""
    ordered = np.sort(values)
    n = len(ordered)
    return float(ordered[(n - 1) // 2] + ordered[n // 2]) / 2


def t95(freedom: float) -> float:
    """Student's t that nine in ten lie within on both sides, by its expansion in 1/n; `freedom` at least 1."""
    n = max(1.0, freedom)
    return 1.645 + 1.524 / n + 1.42 / n ** 2


def t975(freedom: float) -> float:
    """Student's t that nineteen in twenty lie within on both sides, likewise."""
    n = max(1.0, freedom)
    return 1.96 + 2.372 / n + 2.82 / n ** 2


def right_censored(values, censored, counts) -> tuple[np.ndarray, np.ndarray]:
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
