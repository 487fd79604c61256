"""Rigs: kept in tables of their own parts, read and written whole."""

import json
import sqlite3
from dataclasses import asdict, dataclass, fields

from voltaun.core.rig import Bank, Charger, Generator, Inverter, Load, Place, Rig, SolarArray

_CHARGERS = {"vehicle": "vehicles", "generator": "generators", "mains": "mains"}


class RigChanged(Exception):
    """Someone else saved the rig since it was read."""


class RigNameTaken(Exception):
    """Another rig already has this name."""


@dataclass(frozen=True)
class KeptRig:
    """A rig with its number in the file and the version that a later save must still find."""

    id: int
    version: int
    rig: Rig


def names(connection: sqlite3.Connection) -> list[tuple[int, str]]:
    """All rigs as (id, name), in order of name."""
    return [tuple(row) for row in connection.execute("SELECT id, name FROM rig WHERE removed = 0 ORDER BY name")]


def find(connection: sqlite3.Connection, name: str) -> KeptRig | None:
    """The rig of this name, or None."""
    row = connection.execute("SELECT id FROM rig WHERE name = ? AND removed = 0", (name,)).fetchone()
    return get(connection, row["id"]) if row else None


def get(connection: sqlite3.Connection, rig_id: int) -> KeptRig | None:
    """The rig of this number, or None."""
    row = connection.execute("SELECT * FROM rig WHERE id = ? AND removed = 0", (rig_id,)).fetchone()
    if row is None:
        return None
    bank = connection.execute("SELECT * FROM bank WHERE rig_id = ?", (rig_id,)).fetchone()
    inverter = connection.execute("SELECT * FROM inverter WHERE rig_id = ?", (rig_id,)).fetchone()
    arrays = connection.execute("SELECT * FROM solar_array WHERE rig_id = ? ORDER BY position", (rig_id,))
    chargers = connection.execute("SELECT * FROM charger WHERE rig_id = ? ORDER BY position", (rig_id,)).fetchall()
    loads = connection.execute("SELECT * FROM load WHERE rig_id = ? ORDER BY position", (rig_id,))
    groups = {group: tuple(_made(Generator if source == "generator" else Charger, part)
                           for part in chargers if part["source"] == source)
              for source, group in _CHARGERS.items()}
    rig = Rig(row["name"], _made(Place, row), _made(Bank, bank), inverter and _made(Inverter, inverter),
              use_side=row["use_side"], soc_from=row["soc_from"],
              not_yet_told=tuple(json.loads(row["not_yet_told"])),
              arrays=tuple(_made(SolarArray, part) for part in arrays),
              loads=tuple(_made(Load, part) for part in loads), **groups)
    return KeptRig(rig_id, row["version"], rig)


def add(connection: sqlite3.Connection, rig: Rig) -> int:
    """Keep a new rig; its number. To be called in a transaction. Raises RigNameTaken."""
    try:
        rig_id = connection.execute(
            """INSERT INTO rig (name, latitude, longitude, elevation_m, timezone, use_side, soc_from, not_yet_told)
               VALUES (:name, :latitude, :longitude, :elevation_m, :timezone, :use_side, :soc_from, :not_yet_told)""",
            _rig_row(rig)).lastrowid
    except sqlite3.IntegrityError as error:
        raise RigNameTaken(rig.name) from error
    _write_parts(connection, rig_id, rig)
    return rig_id


def save(connection: sqlite3.Connection, kept: KeptRig, rig: Rig) -> None:
    """Replace a kept rig by a changed one. To be called in a transaction.

    Raises RigChanged when the version read is no longer the one in the file, RigNameTaken.
    """
    try:
        changed = connection.execute(
            """UPDATE rig SET name = :name, latitude = :latitude, longitude = :longitude,
                      elevation_m = :elevation_m, timezone = :timezone, use_side = :use_side,
                      soc_from = :soc_from, not_yet_told = :not_yet_told, version = version + 1
               WHERE id = :id AND version = :version""",
            _rig_row(rig) | {"id": kept.id, "version": kept.version}).rowcount
    except sqlite3.IntegrityError as error:
        raise RigNameTaken(rig.name) from error
    if not changed:
        raise RigChanged(rig.name)
    connection.execute("DELETE FROM bank WHERE rig_id = ?", (kept.id,))
    connection.execute("DELETE FROM inverter WHERE rig_id = ?", (kept.id,))
    connection.execute("DELETE FROM solar_array WHERE rig_id = ?", (kept.id,))
    connection.execute("DELETE FROM charger WHERE rig_id = ?", (kept.id,))
    connection.execute("DELETE FROM load WHERE rig_id = ?", (kept.id,))
    _write_parts(connection, kept.id, rig)


def remove(connection: sqlite3.Connection, rig_id: int) -> None:
    """Take a rig and its log out of sight; `restore` brings them back. To be called in a transaction."""
    connection.execute("UPDATE rig SET removed = 1 WHERE id = ?", (rig_id,))


def restore(connection: sqlite3.Connection, rig_id: int) -> None:
    """Bring a removed rig back. To be called in a transaction. Raises RigNameTaken."""
    try:
        connection.execute("UPDATE rig SET removed = 0 WHERE id = ?", (rig_id,))
    except sqlite3.IntegrityError as error:
        raise RigNameTaken from error


def _rig_row(rig: Rig) -> dict:
    return asdict(rig.place) | {"name": rig.name, "use_side": rig.use_side, "soc_from": rig.soc_from,
                                "not_yet_told": json.dumps(rig.not_yet_told)}


def _write_parts(connection, rig_id, rig):
    connection.execute(
        """INSERT INTO bank VALUES (:rig_id, :chemistry, :unit_voltage_v, :unit_capacity_ah, :series, :parallel,
                                    :rated_energy_wh, :tested_energy_wh, :everyday_floor, :hard_floor,
                                    :charge_efficiency, :standby_w)""", _row(rig_id, 0, rig.bank))
    if rig.inverter:
        connection.execute(
            """INSERT INTO inverter VALUES (:rig_id, :idle_w, :efficiency, :continuous_w, :surge_w,
                                            :hours_on_per_day)""", _row(rig_id, 0, rig.inverter))
    connection.executemany(
        """INSERT INTO solar_array VALUES (:rig_id, :position, :name, :panel_w, :panels, :tilt_deg, :azimuth_deg,
                                           :shade_factor, :controller_limit_w)""",
        [_row(rig_id, n, array) for n, array in enumerate(rig.arrays)])
    connection.executemany(
        "INSERT INTO charger VALUES (:rig_id, :source, :position, :name, :charge_w, :fuel_l_per_hour)",
        [{"fuel_l_per_hour": None, "source": source} | _row(rig_id, n, charger)
         for source, group in _CHARGERS.items() for n, charger in enumerate(getattr(rig, group))])
    connection.executemany(
        """INSERT INTO load VALUES (:rig_id, :position, :name, :daily_wh, :side, :running_w, :surge_w, :priority,
                                    :pattern, :months, :evidence)""",
        [_row(rig_id, n, load) for n, load in enumerate(rig.loads)])


_AS_JSON = ("shade_factor", "pattern", "months")


def _row(rig_id, position, part) -> dict:
    row = {field.name: getattr(part, field.name) for field in fields(part)}
    row |= {name: json.dumps(row[name]) for name in _AS_JSON if name in row}
    return row | {"rig_id": rig_id, "position": position}


def _made(kind, row):
    values = {field.name: row[field.name] for field in fields(kind)}
    for name in _AS_JSON:
        if name in values:
            value = json.loads(values[name])
            values[name] = tuple(value) if isinstance(value, list) else value
    return kind(**values)
