"""Weather files in the open formats that public services give away, told apart by their content.

EPW, TMY3 and TM2 (typical years by the hour) and the hourly CSV and JSON of PVGIS, read with pvlib; also in a zip, as
they are often given away. A file is taken whole or refused with the line that is wrong.
"""

import io
import json
import re
import tempfile
import warnings
import zipfile
import zlib
from collections.abc import Callable, Iterator
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from voltaun.core.rig.parts import Place
from voltaun.core.sky.weather import FAR_KM, FAR_M, Weather, distance_km, lit_in_the_dark
from voltaun.formats import OneFault

LARGEST = 40_000_000
"""A file larger than this, bytes, holds no weather by the hour."""

MOST_W = 1600.0
"""More than the sun can send to a square metre, W."""

HEADING_LINES = 60
"""A heading has no more lines than this before its table begins."""

YEAR = 8760
NOMINAL = 2023
"""The calendar in which a typical year is laid out: one without a 29 February."""


class WeatherFault(OneFault):
    """The file cannot be taken: which line, what was found and what was expected."""


def read_weather(data: bytes) -> Weather:
    """The weather of a file; WeatherFault when it is none of the formats, or has a gap, a fault or less than a year."""
    if len(data) > LARGEST:
        raise WeatherFault(f"found {len(data):,} bytes, expected a weather file by the hour, which is far smaller")
    for file in _unzipped(data) if data.startswith(b"PK") else [data]:
        text = file.decode("utf-8-sig", "replace").replace("\r\n", "\n")
        heading = text[:500]  # a heading is short, and no expression is let loose on more
        for begins, read in _FORMATS:
            if re.match(begins, heading):
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    return _checked(read, text)
    raise WeatherFault("found no weather file, expected EPW, TMY3, TM2, or the hourly CSV or JSON of PVGIS")


def _unzipped(data: bytes) -> Iterator[bytes]:
    """The files of a zip, one after the other; all of them no larger than a file by itself may be."""
    left = LARGEST
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            for member in packed.infolist():
                with packed.open(member) as file:
                    found = file.read(left + 1)
                left -= len(found)
                if left < 0:
                    raise WeatherFault(f"found over {LARGEST:,} bytes in a zip, expected a weather file by the hour, "
                                       "which is far smaller")
                yield found
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError) as error:
        raise WeatherFault(f"found a zip that cannot be unpacked ({error})") from error


def _checked(read: Callable[[str], Weather], text: str) -> Weather:
    """What was read, at a place on the earth; whatever a made-up file makes the readers stumble over is a fault."""
    try:
        found = read(text)
    except WeatherFault:
        raise
    except (KeyError, ValueError, TypeError, IndexError, AttributeError, OverflowError, RecursionError) as error:
        raise WeatherFault(f"found a file that cannot be read as what it begins as ({type(error).__name__})") from error
    if not (-90 <= found.latitude <= 90 and -180 <= found.longitude <= 180 and -500 <= found.elevation_m <= 9000
            and -14 <= found.utc_offset_h <= 14):
        raise WeatherFault(f"found a place at {found.latitude:g}, {found.longitude:g}, {found.elevation_m:g} m, UTC"
                           f"{found.utc_offset_h:+g}, expected one on the earth")
    return found


def remarks(weather: Weather, place: Place) -> list[str]:
    """What is to be said of a file for a place, in words; WeatherFault when it cannot stand for it."""
    if weather.latitude * place.latitude < 0:
        raise WeatherFault(f"found a file of latitude {weather.latitude:g}, expected the place's hemisphere: its "
                           "seasons are half a year apart")
    off, dark = noon_off(weather), lit_in_the_dark(weather)
    if abs(off) > NOON_H or dark > DARK_HOURS:
        found = (f"the sun {abs(off):.1f} h {'late' if off > 0 else 'early'}" if abs(off) > NOON_H else
                 f"sun in {dark} hours of night")
        raise WeatherFault(f"found {found}, expected hours in the place's standard time (is it in summer time?)")
    told, away, higher = [], distance_km(weather, place), weather.elevation_m - place.elevation_m
    if away > FAR_KM:
        told.append(f"found a file {away:.0f} km from the place; its weather may be another")
    if abs(higher) > FAR_M:
        told.append(f"found a file {abs(higher):.0f} m {'above' if higher > 0 else 'below'} the place; its weather may "
                    "be another")
    if weather.typical:
        told.append("a typical year has no rare spell in it; its weeks are laid anew to make many years")
    return told


DARK_HOURS = 15
"""A file with sun in more hours of night than this, beside rounding and mountains, is not in its standard time."""

NOON_H = 0.75
"""A file whose sun stands so many hours off the place's is not in its standard time."""


def noon_off(weather: Weather) -> float:
    """How late the file's sun is against its place's, h: the middle of each day's beam and diffuse light."""
    by_hour = weather.ghi[:24 * weather.days].reshape(-1, 24).sum(axis=0)
    middle = float(by_hour @ (np.arange(24) + 0.5) / by_hour.sum())
    return middle - (12 + weather.utc_offset_h - weather.longitude / 15)


def _table(text: str, read: Callable[[str], tuple[Any, dict[str, Any]]], suffix: str) -> tuple[Any, dict[str, Any]]:
    """What pvlib makes of the text; its readers want a file."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"weather{suffix}"
        path.write_text(text, encoding="utf-8")
        try:
            return read(str(path))
        except WeatherFault:
            raise
        except Exception as error:  # pvlib has no exceptions of its own
            raise WeatherFault(f"found a file that cannot be read as what it begins as ({error})") from error


def _epw(text: str) -> Weather:
    from pvlib.iotools import read_epw
    table, about = _table(text, read_epw, ".epw")
    # A year put together from months of several years, not years that follow one another.
    typical = len(table) == YEAR and table["year"].nunique() > 1
    return _by_rows(table, about["latitude"], about["longitude"], about["altitude"], about["TZ"], "EPW", 9, typical)


def _tmy3(text: str) -> Weather:
    from pvlib.iotools import read_tmy3
    table, about = _table(text, lambda path: read_tmy3(path, coerce_year=NOMINAL, map_variables=True), ".csv")
    return _by_rows(table, about["latitude"], about["longitude"], about["altitude"], about["TZ"], "TMY3", 3, True)


def _tm2(text: str) -> Weather:
    from pvlib.iotools import read_tmy2
    table, about = _table(text, read_tmy2, ".tm2")
    return _by_rows(table.rename(columns={"GHI": "ghi", "DNI": "dni", "DHI": "dhi"}), about["latitude"],
                    about["longitude"], about["altitude"], about["TZ"], "TM2", 2, True)


def _by_rows(table: Any, latitude: float, longitude: float, elevation: float, offset: float, kind: str,
             first_line: int, typical: bool) -> Weather:
    """Rows of whole years, in local standard time and each stamped at its hour's end."""
    if len(table) % YEAR not in (0, 24) or len(table) < YEAR:
        raise WeatherFault(f"found {len(table)} hours, expected a whole year of {YEAR}")
    sun = {name: table[name].to_numpy(dtype=float) for name in ("ghi", "dni", "dhi")}
    _check(sun, lambda row: f"line {row + first_line}")
    stamps = table.index
    for row in range(1, len(stamps)):
        step = (stamps[row] - stamps[row - 1]).total_seconds() / 3600
        if step != 1 and not (typical and abs(step) > 24):
            raise WeatherFault(f"line {row + first_line}: found a step of {step:g} h, expected the next hour")
    first = date(NOMINAL, 1, 1) if typical else stamps[0].date()
    return Weather(float(latitude), float(longitude), float(elevation), float(offset), first, sun["ghi"], sun["dni"],
                   sun["dhi"], typical, kind)


def _check(sun: dict[str, np.ndarray], where: Callable[[int], str]) -> None:
    for name, values in sun.items():
        wrong = np.flatnonzero(~((values >= 0) & (values <= MOST_W)))
        if len(wrong):
            row = int(wrong[0])
            raise WeatherFault(f"{where(row)}: found {name.upper()} {values[row]:g}, expected 0 to {MOST_W:g} W/m² "
                               "(a gap in the file?)")
    if not sun["ghi"].any():
        raise WeatherFault("found no sun in any hour, expected irradiance in W/m²")


def _pvgis_csv(text: str) -> Weather:
    lines = text.split("\n")
    head = next((n for n, line in enumerate(lines) if line.startswith("time,")), None)
    about = {}
    for line in lines[:min(head or 0, HEADING_LINES)]:
        name, _, value = line.partition(":")
        if number := re.match(r"\s*(-?[\d.]+)", value):
            about[name.partition(" (")[0]] = number[1]
    if head is None or "Latitude" not in about or "Longitude" not in about:
        raise WeatherFault("found no line that begins with time, expected the hourly CSV of PVGIS with its heading")
    names = lines[head].strip().split(",")
    rows = []
    for n, line in enumerate(lines[head + 1:], head + 2):
        if not re.match(r"\d{8}:\d{4},", line):
            break
        parts = line.strip().split(",")
        if len(parts) != len(names):
            raise WeatherFault(f"line {n}: found {len(parts)} columns, expected {len(names)}")
        rows.append(dict(zip(names, parts, strict=True)))
    return _pvgis(rows, about, lambda row: f"line {row + head + 2}")


def _pvgis_json(text: str) -> Weather:
    try:
        document = json.loads(text)
        place, mount = document["inputs"]["location"], document["inputs"]["mounting_system"]
        plane = mount.get("fixed", mount)
        rows = document["outputs"]["hourly"]
        about = {"Latitude": place["latitude"], "Longitude": place["longitude"], "Elevation": place["elevation"] or 0,
                 "Slope": plane["slope"]["value"], "Azimuth": plane["azimuth"]["value"]}
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise WeatherFault(f"found JSON without {error}, expected the hourly JSON of PVGIS") from error
    if not isinstance(rows, list) or not rows:
        raise WeatherFault("found no hours, expected outputs.hourly")
    return _pvgis(rows, about, lambda row: f"outputs.hourly[{row}]")


def _pvgis(rows: list[dict[str, Any]], about: dict[str, Any], where: Callable[[int], str]) -> Weather:
    """Hours in UTC on some plane, with beam and diffuse apart; turned to the horizontal and to standard time."""
    import pandas as pd
    from pvlib.irradiance import aoi
    from pvlib.location import Location
    if not rows or not {"time", "Gb(i)", "Gd(i)"} <= set(rows[0]):
        raise WeatherFault("found no columns Gb(i) and Gd(i), expected the hourly file with its radiation components")
    latitude, longitude, height, slope, facing = (float(about.get(name, 0) or 0) for name in (
        "Latitude", "Longitude", "Elevation", "Slope", "Azimuth"))
    stamps, beam, diffuse = list[datetime](), list[float](), list[float]()
    for n, row in enumerate(rows):
        try:
            at = datetime.strptime(str(row["time"]), "%Y%m%d:%H%M").replace(minute=0)
            beam.append(float(row["Gb(i)"]))
            diffuse.append(float(row["Gd(i)"]))
        except (ValueError, KeyError, TypeError) as error:
            raise WeatherFault(f"{where(n)}: found {error}, expected time,Gb(i),Gd(i)") from error
        if stamps and at - stamps[-1] != timedelta(hours=1):
            raise WeatherFault(f"{where(n)}: found {at:%Y-%m-%d %H:%M} after {stamps[-1]:%Y-%m-%d %H:%M}, expected the "
                               "next hour")
        stamps.append(at)
    if len(rows) < YEAR:
        raise WeatherFault(f"found {len(rows)} hours, expected a whole year of {YEAR} at least")
    _check({"ghi": np.array(beam) + np.array(diffuse)}, where)
    middles = pd.DatetimeIndex(stamps, tz="UTC") + pd.Timedelta("30min")
    sun = Location(latitude, longitude, "UTC", height).get_solarposition(middles)
    zenith = sun["apparent_zenith"].to_numpy()
    # PVGIS counts the azimuth from south over west.
    on = np.cos(np.radians(aoi(slope, facing + 180, zenith, sun["azimuth"].to_numpy())))
    dni = np.where((on > 0.05) & (zenith < 90), np.array(beam) / np.maximum(on, 0.05), 0.0).clip(0, MOST_W)
    dhi = np.array(diffuse) / ((1 + np.cos(np.radians(slope))) / 2)
    ghi = dhi + dni * np.cos(np.radians(zenith)).clip(min=0)
    offset = round(longitude / 15)
    begin = stamps[0] + timedelta(hours=offset)
    skip = (24 - begin.hour) % 24  # from a midnight of the place on, in whole days
    days = (len(rows) - skip) // 24
    part = slice(skip, skip + 24 * days)
    if days < 364:
        raise WeatherFault(f"found {days} whole days, expected a year")
    first = (begin + timedelta(hours=skip)).date()
    return Weather(latitude, longitude, height, float(offset), first, ghi[part], dni[part], dhi[part], False, "PVGIS")


_FORMATS: tuple[tuple[str, Callable[[str], Weather]], ...] = (
    (r"LOCATION,", _epw),
    (r"\d{6},[^,\n]*,[^,\n]*,\s*-?[\d.]+,\s*-?[\d.]+,\s*-?[\d.]+,\s*-?[\d.]+", _tmy3),
    (r"\s?\d{5} .{20,60}[NS]\s+\d+\s+\d+\s+[EW]\s+\d+\s+\d+\s+-?\d+", _tm2),
    (r"Latitude \(decimal degrees\):", _pvgis_csv),
    (r"\s*\{", _pvgis_json),
)
