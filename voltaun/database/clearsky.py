"""Clear-sky tables: made once for each plane at a place, and kept in the database, or in a folder for commands
without one. A table that another version of the model made, or of our use of it, is made again.
"""

import sqlite3
from contextlib import suppress
from dataclasses import replace
from datetime import date
from functools import cache, lru_cache
from hashlib import sha256
from importlib.metadata import version
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np

from voltaun.core.rig.parts import SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.sky import clear_sky as sun
from voltaun.core.sky.clear_sky import (
    ALL_DAY_H,
    TABLE_LENGTH,
    PlaneKey,
    RigSun,
    make_table,
    plane_key,
    planes,
    rig_sun,
    stands_on,
)
from voltaun.database.files import write_bytes


def tables(connection: sqlite3.Connection, rig: Rig) -> list[np.ndarray]:
    """One table (Wh/m² each half hour of a year) for each of `planes`; what is missing is made now and kept."""
    return [_table(connection, plane) for plane in planes(rig)]


def aimed_tables(connection: sqlite3.Connection, rig: Rig, array: SolarArray, times: range,
                 day: date) -> dict[int, np.ndarray]:
    """The tables of an array where the rig stands on a day, by how many times a day it is aimed (0: as it is
    fixed); one that is fixed stands out as long when it is aimed."""
    place = stands_on(rig, day)
    out = array.hours_out if array.aimed_per_day else ALL_DAY_H
    return {n: _table(connection, plane_key(place, replace(array, aimed_per_day=n, hours_out=out))) for n in times}


def complete(connection: sqlite3.Connection, rig: Rig) -> bool:
    """Whether every table of the rig is kept already."""
    return all(_kept(connection, plane) is not None for plane in planes(rig))


def sun_of(connection: sqlite3.Connection, rig: Rig) -> RigSun | None:
    """The rig's clear-sky harvest; None without arrays."""
    return rig_sun(rig, tables(connection, rig))


def tables_in(folder: Path, rig: Rig) -> list[np.ndarray]:
    """As `tables`, kept as files in a folder, where it can be written."""
    return [_table_in(folder, plane) for plane in planes(rig)]


@cache
def made_by(module: ModuleType = sun) -> str:
    """What makes tables here: the model's version, and a mark of the module that uses it."""
    return f"pvlib {version('pvlib')}, {sha256(Path(str(module.__file__)).read_bytes()).hexdigest()[:12]}"


def _table(connection: sqlite3.Connection, plane: PlaneKey) -> np.ndarray:
    table = _kept(connection, plane)
    if table is not None:
        return table
    table = _made(plane)
    with suppress(sqlite3.OperationalError):  # a connection that only reads, or a file that is busy: another time
        connection.execute("INSERT OR REPLACE INTO clear_sky VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                           (*plane, table.astype("<f4").tobytes(), made_by()))
    return table


def _kept(connection: sqlite3.Connection, plane: Any) -> np.ndarray | None:
    row = connection.execute(
        """SELECT wh_per_m2 FROM clear_sky WHERE latitude = ? AND longitude = ? AND elevation_m = ?
                  AND tilt_deg = ? AND azimuth_deg = ? AND aimed_per_day = ? AND hours_out = ? AND made_by = ?""",
        (*plane, made_by())).fetchone()
    return None if row is None else np.frombuffer(row["wh_per_m2"], dtype="<f4")


def _table_in(folder: Path, plane: PlaneKey) -> np.ndarray:
    file = folder / f"{sha256(repr((plane, made_by())).encode()).hexdigest()[:24]}.f4"
    try:
        table = np.frombuffer(file.read_bytes(), dtype="<f4")
        if len(table) == TABLE_LENGTH:
            return table
    except (OSError, ValueError):
        pass
    table = _made(plane)
    with suppress(OSError):  # a full or read-only disk: the next command makes it again
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        write_bytes(file, table.astype("<f4").tobytes())
    return table


@lru_cache(maxsize=32)
def _made(plane: PlaneKey) -> np.ndarray:
    return make_table(plane)
