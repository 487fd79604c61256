"""Clear-sky energy on each array's plane: a table for a typical year, and what is read from it.

Only `make_table` needs pvlib, whose import takes a second or two; it is called once for each plane at a
place and its table is kept. Everything else is NumPy on that table.
"""

from dataclasses import dataclass
from datetime import datetime

import numpy as np

from voltaun.core.rig import Place, Rig

STEPS_PER_DAY = 48
TABLE_LENGTH = 365 * STEPS_PER_DAY
ALBEDO = 0.25

_DAY = 86_400
_FIRST_OF_MONTH = np.array([0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334])
DAYS_IN_MONTH = np.diff(np.append(_FIRST_OF_MONTH, 365))

PlaneKey = tuple[float, float, float, float, float]


def plane_key(place: Place, tilt_deg: float, azimuth_deg: float) -> PlaneKey:
    """What a table depends on, rounded to where the difference no longer matters (0.01°, 10 m)."""
    return (round(place.latitude, 2), round(place.longitude, 2), round(place.elevation_m, -1) + 0.0,
            round(tilt_deg, 1), round(azimuth_deg, 1) % 360)


def planes(rig: Rig) -> list[PlaneKey]:
    """The plane of each array of the rig, in the rig's order."""
    return [plane_key(rig.place, array.tilt_deg, array.azimuth_deg) for array in rig.arrays]


def make_table(plane: PlaneKey) -> np.ndarray:
    """Clear-sky energy on a plane for each half hour (UTC) of a year without a 29 February, Wh/m².

    plane  (latitude °, longitude °, elevation m, tilt °, azimuth °), see `plane_key`
    Returns float32 of shape (17520,).

    References: P. Ineichen and R. Perez, "A new airmass independent formulation for the Linke turbidity
    coefficient", Solar Energy 73 (2002), with pvlib's monthly climatology of turbidity; J. E. Hay and
    J. A. Davies (1980) for the sky's diffuse light on a tilted plane. Computed by pvlib.
    """
    import pandas as pd
    from pvlib.irradiance import get_extra_radiation, get_total_irradiance
    from pvlib.location import Location

    latitude, longitude, elevation, tilt, azimuth = plane
    place = Location(latitude, longitude, "UTC", elevation)
    middles = pd.date_range("2023-01-01", periods=TABLE_LENGTH, freq="30min", tz="UTC") + pd.Timedelta("15min")
    position = place.get_solarposition(middles)
    clear = place.get_clearsky(middles, model="ineichen", solar_position=position)
    total = get_total_irradiance(tilt, azimuth, position["apparent_zenith"], position["azimuth"],
                                 clear["dni"], clear["ghi"], clear["dhi"], albedo=ALBEDO,
                                 dni_extra=get_extra_radiation(middles), model="haydavies")
    watts = np.nan_to_num(total["poa_global"].to_numpy()).clip(min=0)
    return (watts * (24 / STEPS_PER_DAY)).astype(np.float32)


class RunningTotal:
    """A table of a typical year as a running total that any two instants can be read from.

    29 February repeats 28 February, so that the total never runs backwards.
    """

    def __init__(self, table: np.ndarray):
        if table.shape != (TABLE_LENGTH,):
            raise ValueError(f"found a table of shape {table.shape}, expected ({TABLE_LENGTH},)")
        self._sum = np.concatenate(([0.0], np.cumsum(table, dtype=float)))
        self._steps = np.arange(TABLE_LENGTH + 1) * (_DAY / STEPS_PER_DAY)
        self._leap_day = float(table[58 * STEPS_PER_DAY:59 * STEPS_PER_DAY].sum(dtype=float))

    def at(self, epoch) -> np.ndarray:
        """Running total since 1970 at these instants (seconds since the epoch), in the table's unit."""
        seconds = np.asarray(epoch, dtype=float)
        whole = seconds.astype("int64").astype("datetime64[s]")
        years = whole.astype("datetime64[Y]")
        in_year = seconds - years.astype("datetime64[s]").astype("int64")
        year = years.astype("int64") + 1970
        leap = ((year % 4 == 0) & (year % 100 != 0)) | (year % 400 == 0)
        extra = leap & (in_year >= 59 * _DAY)
        past = year - 1
        leaps_before = past // 4 - past // 100 + past // 400 - 477  # 477 leap years before 1970
        total = np.interp(in_year - extra * _DAY, self._steps, self._sum)
        return total + (year - 1970) * self._sum[-1] + (leaps_before + extra) * self._leap_day

    def between(self, start, end) -> np.ndarray:
        """Total between instants (seconds since the epoch), in the table's unit."""
        return self.at(end) - self.at(start)


@dataclass(frozen=True)
class RigSun:
    """Clear-sky harvest of every array of a rig, Wh at the battery's terminals, shade included."""

    arrays: tuple[RunningTotal, ...]
    limits_w: tuple[float | None, ...]
    total: RunningTotal

    def between(self, start: datetime, end: datetime) -> float:
        """Clear-sky harvest of the rig between two instants, Wh."""
        return float(self.total.between(start.timestamp(), end.timestamp()))


def rig_sun(rig: Rig, tables: list[np.ndarray]) -> RigSun | None:
    """Clear-sky harvest of the rig from one table (Wh/m²) per array; None for a rig without arrays.

    Clear-sky Wh = rated kW × clear-sky kWh/m² × 1000 × shade factor of the month.
    """
    if not rig.arrays:
        return None
    months = np.repeat(np.repeat(np.arange(12), DAYS_IN_MONTH), STEPS_PER_DAY)
    harvests = [table.astype(float) * array.rated_w / 1000 * np.array(array.shade_by_month)[months]
                for array, table in zip(rig.arrays, tables, strict=True)]
    return RigSun(tuple(RunningTotal(harvest) for harvest in harvests),
                  tuple(array.controller_limit_w for array in rig.arrays),
                  RunningTotal(np.sum(harvests, axis=0)))


def monthly_clear_sky(rig: Rig, tables: list[np.ndarray]) -> np.ndarray:
    """Mean clear-sky energy a day by month on the rig's planes, kWh/m², weighted by rated W; 12 numbers.

    Shade counts, so that kWh/m² × rated kW is what the panels see under a clear sky.
    """
    rated = np.array([array.rated_w for array in rig.arrays])
    by_month = np.array([month_means(table) * np.array(array.shade_by_month)
                         for array, table in zip(rig.arrays, tables, strict=True)])
    return rated @ by_month / rated.sum()


def month_means(table: np.ndarray) -> np.ndarray:
    """Mean energy a day by month from a table (Wh/m²), kWh/m²; 12 numbers."""
    by_day = table.reshape(365, STEPS_PER_DAY).sum(axis=1, dtype=float)
    return np.add.reduceat(by_day, _FIRST_OF_MONTH) / DAYS_IN_MONTH / 1000
