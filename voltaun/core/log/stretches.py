"""Two stretches of the log beside one another, and whether what lies between them is more than chance."""

from dataclasses import dataclass
from datetime import date

import numpy as np

from voltaun.core.log.days import Day
from voltaun.core.stats import right_censored, t975

LEAST_DAYS_COMPARED = 3


@dataclass(frozen=True)
class Stretch:
    """Some days of the log: what they were like. Means and spreads a day; None where nothing tells."""

    first: date
    last: date
    days: int
    use_wh: float | None
    use_sd: float | None
    solar_wh: float | None
    share: float | None        # of clear sky, capped days as "at least so much"
    capped_days: int
    spilt_wh: float
    generator_hours: float
    below_floor: int
    uses: np.ndarray
    shares: np.ndarray
    capped: np.ndarray         # which of the shares are only a least


@dataclass(frozen=True)
class Difference:
    """What a figure is in the second stretch more than in the first, its standard error, whether it is real."""

    by: float
    error: float
    real: bool


def stretch(days: dict[date, Day], first: date, last: date, clear: dict[date, float],
            generator_hours: float = 0.0, below_floor: int = 0) -> Stretch:
    """What the whole days from first to last were like.

    clear  clear-sky harvest of each day, Wh; generator_hours and below_floor (days) as the readings tell
    Raises ValueError when the days are the wrong way round or fewer than `LEAST_DAYS_COMPARED` of them are logged.
    """
    if last < first:
        raise ValueError(f"found {first} to {last}, expected the earlier day first")
    inside = [day for when, day in days.items() if first <= when <= last and day.whole]
    if len(inside) < LEAST_DAYS_COMPARED:
        raise ValueError(f"found {len(inside)} whole days in the log from {first} to {last}, expected "
                         f"{LEAST_DAYS_COMPARED} or more")
    uses = np.array([day.use_wh for day in inside if "use" not in day.unknown])
    sunny = [day for day in inside if "solar" not in day.unknown]
    lit = [day for day in sunny if clear.get(day.day, 0) > 0]
    shares = np.array([day.harvest["solar"] / clear[day.day] for day in lit])
    capped = np.array([day.capped for day in lit], dtype=bool)
    return Stretch(first, last, len(inside), _mean(uses), _sd(uses),
                   _mean(np.array([day.harvest["solar"] for day in sunny])),
                   _censored_mean(shares, capped) if len(shares) else None, int(capped.sum()),
                   sum(day.spilt_wh for day in inside), generator_hours, below_floor, uses, shares, capped)


def difference(before: np.ndarray, after: np.ndarray) -> Difference | None:
    """Welch's comparison of two means; real where chance would make it less than once in twenty times.

    Reference: B. L. Welch, "The generalization of Student's problem when several different population
    variances are involved", Biometrika 34 (1947).
    """
    if len(before) < LEAST_DAYS_COMPARED or len(after) < LEAST_DAYS_COMPARED:
        return None
    parts = [float(np.var(each, ddof=1)) / len(each) for each in (before, after)]
    error = sum(parts) ** 0.5
    by = float(after.mean() - before.mean())
    if error == 0:
        return Difference(by, 0.0, by != 0)
    n = sum(parts) ** 2 / sum(part ** 2 / (len(each) - 1) for part, each in zip(parts, (before, after), strict=True))
    return Difference(by, error, abs(by) > t975(n) * error)


def share_difference(before: Stretch, after: Stretch) -> Difference | None:
    """How the share of clear sky differs, capped days as "at least": its error by drawing the days again.

    Reference: B. Efron, "Censored data and the bootstrap", J. American Statistical Association 76 (1981).
    """
    if min(len(before.shares), len(after.shares)) < LEAST_DAYS_COMPARED:
        return None
    rng = np.random.default_rng(1)
    drawn = []
    for _ in range(200):
        means = []
        for each in (before, after):
            which = rng.integers(0, len(each.shares), len(each.shares))
            means.append(_censored_mean(each.shares[which], each.capped[which]))
        drawn.append(means[1] - means[0])
    by, error = (after.share or 0.0) - (before.share or 0.0), float(np.std(drawn))
    return Difference(by, error, abs(by) > t975(len(before.shares) + len(after.shares) - 2) * error)


def _censored_mean(shares: np.ndarray, capped: np.ndarray) -> float:
    points, weights = right_censored(shares, capped, np.ones(len(shares)))
    return float(points @ weights)


def _mean(values: np.ndarray) -> float | None:
    return float(values.mean()) if len(values) else None


def _sd(values: np.ndarray) -> float | None:
    return float(values.std(ddof=1)) if len(values) > 1 else None
