"""Recorded or typical weather of a place by the hour, and what it leaves on a plane."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta, timezone
from functools import cached_property
from typing import Any

import numpy as np

from voltaun.core.rig.parts import Place, Stay

FILE_ALBEDO = 0.2
"""What the ground gives back, as the files' usual reckoning has it."""

FAR_KM, FAR_M = 100.0, 300.0
"""A file of a place so far off, or so much higher or lower, tells of other weather."""

EARTH_KM = 6371.0


@dataclass(frozen=True)
class Weather:
    """Hours of weather that follow one another, in the standard time of the place.

    first   the local standard day of the first hour; each row is one hour, from midnight on
    ghi, dni, dhi  mean global, beam and diffuse irradiance of the hour, W/m², shape (hours,)
    typical whether its months come from different years: such a year has no rare spell in it
    kind    the format it was read from
    on_planes  what `on_plane` gave before, W/m² of each hour, by tilt and azimuth
    """

    latitude: float
    longitude: float
    elevation_m: float
    utc_offset_h: float
    first: date
    ghi: np.ndarray
    dni: np.ndarray
    dhi: np.ndarray
    typical: bool
    kind: str
    on_planes: Mapping[tuple[float, float], np.ndarray] = field(default_factory=dict, compare=False)

    @property
    def days(self) -> int:
        """How many whole days it covers."""
        return len(self.ghi) // 24

    @cached_property
    def dates(self) -> list[date]:
        """The local standard day of each 24 rows."""
        return [self.first + timedelta(days=n) for n in range(self.days)]

    @property
    def covers(self) -> str:
        """What it covers, as `2005 to 2007` or `a typical year`."""
        last = self.first + timedelta(days=self.days - 1)
        if self.typical:
            return "a typical year"
        return f"{self.first.year}" if self.first.year == last.year else f"{self.first.year} to {last.year}"


def distance_km(weather: Weather, place: Place | Stay) -> float:
    """Along the earth's surface from the file's place to another, km (haversine)."""
    a, b = math.radians(weather.latitude), math.radians(place.latitude)
    east = math.radians(weather.longitude - place.longitude)
    half = math.sin((a - b) / 2) ** 2 + math.cos(a) * math.cos(b) * math.sin(east / 2) ** 2
    return 2 * EARTH_KM * math.asin(math.sqrt(half))


def lit_in_the_dark(weather: Weather) -> int:
    """How many hours of a file have sun (5 W/m² or more) though it stands below the horizon from their beginning to
    their end: next to none in standard time, one or two a day where the clock was put forward in summer."""
    elevation = _place(weather).get_solarposition(_hours(weather, len(weather.ghi) + 1))["elevation"].to_numpy()
    dark = np.maximum(elevation[:-1], elevation[1:]) < -1.0
    return int((dark & (weather.ghi >= 5.0)).sum())


def _place(weather: Weather) -> Any:
    from pvlib.location import Location
    return Location(weather.latitude, weather.longitude, "UTC", weather.elevation_m)


def _hours(weather: Weather, count: int) -> Any:
    """So many hours' beginnings from the file's first on, in UTC."""
    import pandas as pd
    zone = timezone(timedelta(hours=weather.utc_offset_h))
    start = datetime(weather.first.year, weather.first.month, weather.first.day, tzinfo=zone)
    return pd.date_range(start, periods=count, freq="h").tz_convert("UTC")


def on_plane(weather: Weather, tilt: float, azimuth: float) -> np.ndarray:
    """Mean irradiance on a fixed plane in each hour, W/m², shape (hours,).

    tilt  ° from the horizontal; azimuth  ° from north over east. With the sun at the middle of each hour; the sky's
    diffuse light after J. E. Hay and J. A. Davies (1980). Computed by pvlib, unless it was before.
    """
    if (tilt, azimuth) in weather.on_planes:
        return weather.on_planes[tilt, azimuth]
    from pvlib.irradiance import get_extra_radiation, get_total_irradiance
    middles = _hours(weather, len(weather.ghi)) + timedelta(minutes=30)
    sun = _place(weather).get_solarposition(middles)
    total: Any = get_total_irradiance(tilt, azimuth, sun["apparent_zenith"].to_numpy(), sun["azimuth"].to_numpy(),
                                      weather.dni, weather.ghi, weather.dhi, albedo=FILE_ALBEDO,
                                      dni_extra=get_extra_radiation(middles).to_numpy(), model="haydavies")
    return np.asarray(np.nan_to_num(np.asarray(total["poa_global"])).clip(min=0), dtype=np.float32)
