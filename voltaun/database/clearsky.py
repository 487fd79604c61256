"""Clear-sky tables: made once for each plane at a place, and kept."""

import sqlite3
from contextlib import suppress
from dataclasses import replace
from functools import lru_cache

import numpy as np

from voltaun.core.rig import Rig, SolarArray
from voltaun.core.sun import PlaneKey, RigSun, make_table, plane_key, planes, rig_sun, stands


def tables(connection: sqlite3.Connection, rig: Rig) -> list[np.ndarray]:
    """One table (Wh/m² each half hour of a year) for each of `planes`; what is missing is made now and kept."""
    return [_table(connection, plane) for plane in planes(rig)]


def aimed_tables(connection: sqlite3.Connection, rig: Rig, array: SolarArray, times: range) -> dict[int, np.ndarray]:
    """The tables of a portable array where the rig stands last, by how many times a day it is aimed."""
    return {n: _table(connection, plane_key(stands(rig)[-1], replace(array, aimed_per_day=n))) for n in times}


def complete(connection: sqlite3.Connection, rig: Rig) -> bool:
    """Whether every table of the rig is kept already."""
    return all(_kept(connection, plane) is not None for plane in planes(rig))


def sun_of(connection: sqlite3.Connection, rig: Rig) -> RigSun | None:
    """The rig's clear-sky harvest; None without arrays."""
    return rig_sun(rig, tables(connection, rig))


def _table(connection: sqlite3.Connection, plane: PlaneKey) -> np.ndarray:
    table = _kept(connection, plane)
    if table is not None:
        return table
    table = _made(plane)
    with suppress(sqlite3.OperationalError):  # a connection that only reads, or a file that is busy: another time
        connection.execute("INSERT OR IGNORE INTO clear_sky VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                           (*plane, table.astype("<f4").tobytes()))
    return table


def _kept(connection, plane) -> np.ndarray | None:
    row = connection.execute(
        """SELECT wh_per_m2 FROM clear_sky WHERE latitude = ? AND longitude = ? AND elevation_m = ?
                  AND tilt_deg = ? AND azimuth_deg = ? AND aimed_per_day = ? AND hours_out = ?""", plane).fetchone()
    return None if row is None else np.frombuffer(row["wh_per_m2"], dtype="<f4")


@lru_cache(maxsize=32)
def _made(plane: PlaneKey) -> np.ndarray:
    return make_table(plane)
