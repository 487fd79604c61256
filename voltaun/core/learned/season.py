"""The months in what the log teaches: how near a day is to each, and what its use is of the usual."""

from collections.abc import Mapping, Sequence
from datetime import date

import numpy as np

from voltaun.core.learned.use import cut_short, day_legs, days_of, free_of
from voltaun.core.log.ledger import Interval
from voltaun.core.rig.rig import Rig

SEASON_WIDTH = 30.0
"""Days of a season count by how near they are to the middle of the month (standard deviation, days)."""

MONTH_DAYS = 10.0
"""A month's own use is believed as if so many of its days had been as usual."""

_MIDDLES = np.array([(date(2023, month, 15) - date(2023, 1, 1)).days for month in range(1, 13)], dtype=float)


def nearness(days: Sequence[date]) -> np.ndarray:
    """How near each day lies to the middle of each month, 0 to 1, (12, days)."""
    of_year = np.array([day.timetuple().tm_yday - 1 for day in days], dtype=float)
    apart = np.abs(of_year - _MIDDLES[:, None])
    return np.asarray(np.exp(-0.5 * (np.minimum(apart, 365 - apart) / SEASON_WIDTH) ** 2))


def between_months(days: Sequence[date]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of each day the month before and after whose middles it lies between, and how far it is towards the second."""
    at = np.array([day.timetuple().tm_yday - 1 for day in days], dtype=float)
    after = np.searchsorted(_MIDDLES, at) % 12
    before = (after - 1) % 12
    gap = (_MIDDLES[after] - _MIDDLES[before]) % 365
    return before, after, ((at - _MIDDLES[before]) % 365) / gap


def on_days(months: np.ndarray, days: Sequence[date]) -> np.ndarray:
    """What stands for each month, (12,), on these days."""
    before, after, part = between_months(days)
    return np.asarray(months[before] * (1 - part) + months[after] * part)


def seasons_of_use(free: Mapping[date, float]) -> tuple[float, np.ndarray]:
    """The usual use a day, Wh, and what each month's is of it, drawn towards 1, (12,).

    free  Wh of the days that were not cut short, see `use.free_of`
    """
    mean = sum(free.values()) / len(free)
    near, off = nearness(list(free)), np.array(list(free.values())) / mean - 1
    return mean, np.maximum(1 + near @ off / (near.sum(axis=1) + MONTH_DAYS), 0.1)


def wanted(rig: Rig, made: Sequence[Interval]) -> dict[date, float]:
    """Of the logged days that were cut short at the hard floor, what is usual at that time of the year, Wh."""
    legs = day_legs(made)
    told = days_of(legs, rig.zone)
    cut = sorted(cut_short(told, legs, rig.zone, rig.bank.hard_floor))
    if not cut:
        return {}
    mean, months = seasons_of_use(free_of(told, set(cut)))
    return dict(zip(cut, (mean * on_days(months, cut)).tolist(), strict=True))
