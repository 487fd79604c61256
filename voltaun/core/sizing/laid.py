"""Weather files laid out as years: recorded ones as they are, typical ones cut into weeks that are laid anew."""

from collections.abc import Sequence
from datetime import date

import numpy as np

from voltaun.core.sizing.calendar import NOMINAL
from voltaun.core.sky.weather import Weather

BLOCK_DAYS, WITHIN_DAYS, TRIED = 7, 21, 6
"""A typical year is laid anew in such blocks, each from so near its season, the best joined of so many tried."""


def laid(planes: Sequence[Sequence[np.ndarray]], weathers: Sequence[Weather], days: Sequence[date], count: int,
          rng: np.random.Generator) -> np.ndarray:
    """Irradiance on each plane in each hour of each year, W/m², (planes, hours, years)."""
    by_day = [np.stack([plane[:24 * weather.days].reshape(-1, 24) for plane in of]) for of, weather in
              zip(planes, weathers, strict=True)]  # (planes, days, 24) of each file
    recorded = [(n, year) for n, weather in enumerate(weathers) if not weather.typical
                for year in sorted({day.year for day in weather.dates}) if _whole(weather, year)]
    found = np.empty((len(planes[0]), 24 * len(days), count), dtype=np.float32)
    for year in range(count):
        if len(recorded) >= SEVERAL:
            which, of = recorded[year % len(recorded)]
            picked = [(which, row) for row in _rows_of_year(weathers[which], of, days)]
        else:
            picked = _blocks(by_day, weathers, days, rng)
        found[:, :, year] = np.concatenate([by_day[which][:, row] for which, row in picked], axis=1)
    return found


SEVERAL = 5
"""From so many recorded years on they are used as they are; of fewer the weeks are laid anew."""


def _whole(weather: Weather, year: int) -> bool:
    return weather.dates[0] <= date(year, 1, 1) and weather.dates[-1] >= date(year, 12, 31)


def _rows_of_year(weather: Weather, year: int, days: Sequence[date]) -> list[int]:
    """The rows of a recorded year; the early days are its own last ones where the year before is not there."""
    first = (date(year, 1, 1) - weather.first).days
    rows = []
    for day in days:
        of_year = (day - date(NOMINAL, 1, 1)).days
        row = first + of_year
        rows.append(row if row >= 0 else row + 365)
    return rows


def _blocks(by_day: list[np.ndarray], weathers: Sequence[Weather], days: Sequence[date],
            rng: np.random.Generator) -> list[tuple[int, int]]:
    picked: list[tuple[int, int]] = []
    bright = [_brightness(weather) for weather in weathers]
    for begin in range(0, len(days), BLOCK_DAYS):
        tried = []
        for _ in range(TRIED):
            which = int(rng.integers(len(by_day)))
            season = (days[begin].timetuple().tm_yday - weathers[which].first.timetuple().tm_yday)
            count = weathers[which].days
            years = count // 365
            row = season + 365 * int(rng.integers(years)) + int(rng.integers(-WITHIN_DAYS, WITHIN_DAYS + 1))
            rows = [(row + n) % count for n in range(min(BLOCK_DAYS, len(days) - begin))]
            joint = 0.0 if not picked else abs(bright[which][(row - 1) % count] - bright[picked[-1][0]][picked[-1][1]])
            tried.append((joint, which, rows))
        _, which, rows = min(tried, key=lambda each: each[0])
        picked += [(which, row) for row in rows]
    return picked


def _brightness(of: Weather) -> np.ndarray:
    """How bright each day is for its season: its sun against the most within a fortnight."""
    sums = of.ghi[:24 * of.days].reshape(-1, 24).sum(axis=1)
    around = np.stack([np.roll(sums, shift) for shift in range(-14, 15)])
    return np.asarray(sums / np.maximum(around.max(axis=0), 1e-6))
