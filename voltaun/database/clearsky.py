"""Clear-sky tables: made once for each plane at a place, and kept."""

import sqlite3

import numpy as np

from voltaun.core.rig import Rig
from voltaun.core.sun import PlaneKey, RigSun, make_table, planes, rig_sun


def tables(connection: sqlite3.Connection, rig: Rig) -> list[np.ndarray]:
    """One table (Wh/m² each half hour of a year) for each array; what is missing is made now and kept."""
    return [_table(connection, plane) for plane in planes(rig)]


def sun_of(connection: sqlite3.Connection, rig: Rig) -> RigSun | None:
    """The rig's clear-sky harvest; None without arrays."""
    return rig_sun(rig, tables(connection, rig))


def _table(connection: sqlite3.Connection, plane: PlaneKey) -> np.ndarray:
    row = connection.execute(
        """SELECT wh_per_m2 FROM clear_sky WHERE latitude = ? AND longitude = ? AND elevation_m = ?
                  AND tilt_deg = ? AND azimuth_deg = ?""", plane).fetchone()
    if row is not None:
        return np.frombuffer(row["wh_per_m2"], dtype="<f4")
    table = make_table(plane)
    connection.execute("INSERT OR IGNORE INTO clear_sky VALUES (?, ?, ?, ?, ?, ?)",
                       (*plane, table.astype("<f4").tobytes()))
    return table
