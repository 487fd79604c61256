"""Weather files that are kept with a rig."""

import base64
import sqlite3
import zlib
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

import numpy as np

from voltaun.core.rig.parts import SolarArray
from voltaun.core.sky import weather as sky
from voltaun.core.sky.weather import Weather, on_plane
from voltaun.database.clearsky import made_by
from voltaun.database.connection import row_id

LARGEST_HOURS = 40 * 8784
"""Forty years by the hour: no file that was taken holds more."""


@dataclass(frozen=True)
class KeptWeather:
    """A weather file with its number and its name."""

    id: int
    name: str
    weather: Weather


def add(connection: sqlite3.Connection, rig_id: int, name: str, weather: Weather) -> int:
    """Keep a file; its number. To be called in a transaction."""
    columns = np.stack((weather.ghi, weather.dni, weather.dhi))
    packed = base64.b64encode(zlib.compress(np.round(columns * 10).astype("<u2").tobytes(), 6)).decode("ascii")
    return row_id(connection.execute(
        """INSERT INTO weather (rig_id, name, kind, latitude, longitude, elevation_m, utc_offset_h, first_day, hours,
                                typical, packed) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)""",
        (rig_id, name, weather.kind, weather.latitude, weather.longitude, weather.elevation_m, weather.utc_offset_h,
         weather.first.isoformat(), len(weather.ghi), int(weather.typical), packed)))


def of_rig(connection: sqlite3.Connection, rig_id: int) -> list[KeptWeather]:
    """The files of a rig in the order in which they came."""
    rows = connection.execute("SELECT * FROM weather WHERE rig_id = ? AND removed = 0 ORDER BY id", (rig_id,))
    return [KeptWeather(row["id"], row["name"], weather_of(row)) for row in rows]


def numbers(connection: sqlite3.Connection, rig_id: int) -> tuple[int, ...]:
    """Which files a rig has; each stays as it came."""
    return tuple(row["id"] for row in connection.execute(
        "SELECT id FROM weather WHERE rig_id = ? AND removed = 0 ORDER BY id", (rig_id,)))


def weather_of(row: sqlite3.Row) -> Weather:
    """The weather that a row holds; ValueError when it holds none."""
    hours = row["hours"]
    if not 0 < hours <= LARGEST_HOURS:
        raise ValueError(f"found {hours} hours, expected at most {LARGEST_HOURS}")
    try:
        raw = zlib.decompressobj().decompress(base64.b64decode(row["packed"], validate=True), 6 * hours + 1)
    except zlib.error as error:
        raise ValueError(f"found weather that cannot be unpacked ({error})") from error
    if len(raw) != 6 * hours:
        raise ValueError(f"found {len(raw)} bytes of weather, expected {6 * hours}")
    ghi, dni, dhi = np.frombuffer(raw, "<u2").reshape(3, hours) / 10
    return Weather(row["latitude"], row["longitude"], row["elevation_m"], row["utc_offset_h"],
                   date.fromisoformat(row["first_day"]), ghi, dni, dhi, bool(row["typical"]), row["kind"])


def on_planes(connection: sqlite3.Connection, files: Sequence[KeptWeather],
              arrays: Sequence[SolarArray]) -> list[Weather]:
    """The weather of the files with what it leaves on the planes of these arrays, kept from before; what is missing is
    made now and kept, where the connection can."""
    return [replace(of.weather, on_planes={angles: _plane(connection, of, *angles) for angles in _angles(arrays)})
            for of in files]


def complete(connection: sqlite3.Connection, files: Sequence[KeptWeather], arrays: Sequence[SolarArray]) -> bool:
    """Whether nothing is missing of what `on_planes` is asked for."""
    return all((row := _row(connection, "length(w_per_m2)", of, *angles)) is not None
               and row[0] == 4 * len(of.weather.ghi) for of in files for angles in _angles(arrays))


def _angles(arrays: Sequence[SolarArray]) -> list[tuple[float, float]]:
    return sorted({(float(array.tilt_deg), float(array.azimuth_deg)) for array in arrays})


def _row(connection: sqlite3.Connection, what: str, of: KeptWeather, tilt: float, azimuth: float) -> Any:
    return connection.execute(f"""SELECT {what} FROM weather_plane WHERE weather_id = ? AND tilt_deg = ?
                                  AND azimuth_deg = ? AND made_by = ?""",
                              (of.id, tilt, azimuth, made_by(sky))).fetchone()


def _kept(connection: sqlite3.Connection, of: KeptWeather, tilt: float, azimuth: float) -> np.ndarray | None:
    row = _row(connection, "w_per_m2", of, tilt, azimuth)
    if row is None or len(row["w_per_m2"]) != 4 * len(of.weather.ghi):
        return None
    return np.frombuffer(row["w_per_m2"], dtype="<f4")


def _plane(connection: sqlite3.Connection, of: KeptWeather, tilt: float, azimuth: float) -> np.ndarray:
    found = _kept(connection, of, tilt, azimuth)
    if found is not None:
        return found
    made = on_plane(of.weather, tilt, azimuth)
    with suppress(sqlite3.OperationalError):  # a connection that only reads, or a file that is busy: another time
        connection.execute("INSERT OR REPLACE INTO weather_plane VALUES (?, ?, ?, ?, ?)",
                           (of.id, tilt, azimuth, made_by(sky), made.astype("<f4").tobytes()))
    return made


def set_removed(connection: sqlite3.Connection, rig_id: int, weather_id: int, removed: bool) -> bool:
    """Take a file away, or bring it back; whether there is such a one. To be called in a transaction."""
    return connection.execute("UPDATE weather SET removed = ? WHERE rig_id = ? AND id = ?",
                              (removed, rig_id, weather_id)).rowcount > 0
