"""Rigs: kept in tables of their own parts, read and written whole."""

import json
import sqlite3
from collections.abc import Collection
from dataclasses import asdict, dataclass, fields
from datetime import date, datetime
from typing import Any

from voltaun.core.instants import zone
from voltaun.core.rig.figures import Path, figures
from voltaun.core.rig.parts import PART_CLASSES, Bank, Inverter, Load, Place, SolarArray, SpillThing, Stay
from voltaun.core.rig.rig import DATED_GROUPS, Former, Rig, named_apart
from voltaun.core.rig.sources import STEADY
from voltaun.database.connection import row_id
from voltaun.database.readings import instant_text

_CLASSES = PART_CLASSES | {"loads": Load, "bank": Bank, "inverter": Inverter}
"""The class of each dated part, by its group."""

_PARTS = ("bank", "inverter", "solar_array", "charger", "load", "stay", "spill_list", "former")


ODD = (ValueError, TypeError, KeyError, IndexError, AttributeError, OverflowError, RecursionError, LookupError)
"""What reading a value raises that is not what it should be (a RigFaults and a UnicodeDecodeError are ValueErrors)."""


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


def there(connection: sqlite3.Connection, rig_id: int, also_removed: bool = False) -> KeptRig:
    """The rig of this number, which something else that is kept points to. Raises as `get`, and LookupError."""
    kept = get(connection, rig_id, also_removed)
    if kept is None:
        raise LookupError(f"there is no rig {rig_id}")
    return kept


def get(connection: sqlite3.Connection, rig_id: int, also_removed: bool = False) -> KeptRig | None:
    """The rig of this number, or None. Raises RigFaults, ValueError or TypeError when its rows hold no legal rig."""
    row = connection.execute("SELECT * FROM rig WHERE id = ?", (rig_id,)).fetchone()
    if row is None or row["removed"] and not also_removed:
        return None
    bank = connection.execute("SELECT * FROM bank WHERE rig_id = ?", (rig_id,)).fetchone()
    inverter = connection.execute("SELECT * FROM inverter WHERE rig_id = ?", (rig_id,)).fetchone()
    arrays = connection.execute("SELECT * FROM solar_array WHERE rig_id = ? ORDER BY position", (rig_id,))
    chargers = connection.execute("SELECT * FROM charger WHERE rig_id = ? ORDER BY position", (rig_id,)).fetchall()
    loads = connection.execute("SELECT * FROM load WHERE rig_id = ? ORDER BY position", (rig_id,))
    stays = connection.execute("SELECT * FROM stay WHERE rig_id = ? ORDER BY from_day", (rig_id,))
    groups = {"arrays": tuple(_made(SolarArray, part) for part in arrays),
              "loads": tuple(_made(Load, part) for part in loads)}
    groups["spill_list"] = tuple(_made(SpillThing, part) for part in connection.execute(
        "SELECT * FROM spill_list WHERE rig_id = ? ORDER BY position", (rig_id,)))
    groups |= {source.group: tuple(_made(PART_CLASSES[source.group], part) for part in chargers
                                   if part["source"] == source.name) for source in STEADY}
    former = tuple(_former(of["part"], json.loads(of["document"])) for of in connection.execute(
        "SELECT part, document FROM former WHERE rig_id = ? ORDER BY position", (rig_id,)))
    rig = Rig(row["name"], _made(Place, row), _made(Bank, bank), inverter and _made(Inverter, inverter),
              use_side=row["use_side"], soc_from=row["soc_from"],
              not_yet_told=tuple(json.loads(row["not_yet_told"])),
              places=tuple(_made(Stay, part) for part in stays), former=former, **named_apart(groups))
    return KeptRig(rig_id, row["version"], rig)


def add(connection: sqlite3.Connection, rig: Rig) -> int:
    """Keep a new rig; its number. To be called in a transaction. Raises RigNameTaken."""
    try:
        rig_id = row_id(connection.execute(
            """INSERT INTO rig (name, latitude, longitude, elevation_m, timezone, use_side, soc_from, not_yet_told)
               VALUES (:name, :latitude, :longitude, :elevation_m, :timezone, :use_side, :soc_from, :not_yet_told)""",
            _rig_row(rig)))
    except sqlite3.IntegrityError as error:
        raise RigNameTaken(rig.name) from error
    _write_parts(connection, rig_id, rig)
    return rig_id


def save(connection: sqlite3.Connection, kept: KeptRig, rig: Rig, now: datetime, run_id: int | None = None,
         found: Collection[Path] = (), source: str = "") -> int:
    """Replace a kept rig by a changed one; the number of the change. To be called in a transaction.

    Each figure that changes is noted with the time; those that a run on the bench `found`, with that run,
    whether they change or not. source "log" says that the log proposed them.
    Raises RigChanged when the version read is no longer the one in the file, RigNameTaken.
    """
    change = _replace(connection, kept, rig, now)
    before = figures(kept.rig)
    connection.executemany(
        "INSERT OR REPLACE INTO figure_origin (rig_id, path, value, at, run_id, source) VALUES (?, ?, ?, ?, ?, ?)",
        [(kept.id, json.dumps(path), json.dumps(value), instant_text(now), run_id, source)
         for path, value in figures(rig).items() if path in found or path not in before or before[path] != value])
    return change


def undo(connection: sqlite3.Connection, rig_id: int, change_id: int, now: datetime) -> None:
    """Put a rig back as it was before a change. To be called in a transaction.

    Raises RigChanged when it was saved again since, LookupError when there is no such change.
    """
    row = connection.execute("SELECT * FROM rig_change WHERE id = ? AND rig_id = ?", (change_id, rig_id)).fetchone()
    kept = get(connection, rig_id)
    if row is None or kept is None:
        raise LookupError("there is no such change")
    if row["version"] != kept.version:
        raise RigChanged(kept.rig.name)
    _replace(connection, kept, _from_document(json.loads(row["before"])), now)


@dataclass(frozen=True)
class Origin:
    """Where a figure came from: when it was set, the run that found it, or else "log" or "" (typed)."""

    at: datetime
    run_id: int | None
    instrument: str | None
    source: str = ""


def origins(connection: sqlite3.Connection, rig: KeptRig) -> dict[Path, Origin]:
    """Where those figures of the rig came from that still stand as they were then set, by path."""
    standing = {path: json.loads(json.dumps(value)) for path, value in figures(rig.rig).items()}
    rows = connection.execute(
        """SELECT path, value, at, run_id, source, instrument FROM figure_origin
           LEFT JOIN bench_run ON bench_run.id = figure_origin.run_id WHERE figure_origin.rig_id = ?""", (rig.id,))
    found = {tuple(json.loads(row["path"])): row for row in rows}
    return {path: Origin(datetime.fromisoformat(row["at"]), row["run_id"], row["instrument"], row["source"])
            for path, row in found.items() if path in standing and standing[path] == json.loads(row["value"])}


def _replace(connection: sqlite3.Connection, kept: KeptRig, rig: Rig, now: datetime) -> int:
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
    for table in _PARTS:
        connection.execute(f"DELETE FROM {table} WHERE rig_id = ?", (kept.id,))
    _write_parts(connection, kept.id, rig)
    return row_id(connection.execute(
        "INSERT INTO rig_change (rig_id, changed_at, version, before) VALUES (?, ?, ?, ?)",
        (kept.id, instant_text(now), kept.version + 1, json.dumps(_document(kept.rig)))))


def _document(rig: Rig) -> dict[str, Any]:
    """The whole rig as plain values, for `_from_document`."""
    document = asdict(rig)
    for part in (document["bank"], document["inverter"] or {}, *(of["part"] for of in document["former"]),
                 *(part for group in (*DATED_GROUPS, "places") for part in document[group])):
        part |= {name: part[name] and part[name].isoformat() for name in _DAYS if name in part}
    return document


_DAYS = ("from_day", "until_day")


def _former(group: str, values: dict[str, Any]) -> Former:
    """A part that is over, from its plain values."""
    return Former(group, _CLASSES[group](**_typed(values)))


def _from_document(document: dict[str, Any]) -> Rig:
    groups = PART_CLASSES | {"loads": Load, "places": Stay, "spill_list": SpillThing}
    parts = {"place": Place, "bank": Bank, "inverter": Inverter}
    former = tuple(_former(of["group"], of["part"]) for of in document.get("former", ()))
    made = {name: value and kind(**_typed(value)) for name, kind in parts.items() for value in (document[name],)}
    made |= named_apart({name: tuple(kind(**_typed(part)) for part in document.get(name, ()))
                         for name, kind in groups.items()})
    return Rig(name=document["name"], use_side=document["use_side"], soc_from=document["soc_from"],
               not_yet_told=tuple(document["not_yet_told"]), former=former, **made)


def _typed(values: dict[str, Any]) -> dict[str, Any]:
    """Values as JSON keeps them, in the types of the dataclasses: lists as tuples, days as dates."""
    typed: dict[str, Any] = {name: tuple(value) if isinstance(value, list) else value for name, value in values.items()}
    typed |= {name: date.fromisoformat(typed[name]) for name in _DAYS if typed.get(name)}
    typed |= {name: bool(typed[name]) for name in ("carried", "in_sun") if name in typed}
    return typed


@dataclass(frozen=True)
class Damaged:
    """A rig that cannot be read: its name, what is wrong ("" for nothing), and the latest of it that can be read."""

    name: str
    fault: str
    before: Rig | None


def damaged(connection: sqlite3.Connection, rig_id: int) -> Damaged | None:
    """What is wrong with a rig that is in sight, or None when there is no such rig."""
    row = connection.execute("SELECT name FROM rig WHERE id = ? AND removed = 0", (rig_id,)).fetchone()
    if row is None:
        return None
    try:
        get(connection, rig_id)
        return Damaged(row["name"], "", None)
    except ODD as error:
        fault = str(error)[:300] or type(error).__name__
    for change in connection.execute("SELECT before FROM rig_change WHERE rig_id = ? ORDER BY id DESC", (rig_id,)):
        try:
            return Damaged(row["name"], fault, _from_document(json.loads(change["before"])))
        except (ValueError, TypeError, KeyError, AttributeError):
            continue
    return Damaged(row["name"], fault, None)


def set_zone(connection: sqlite3.Connection, rig_id: int, timezone: str) -> None:
    """Give a rig that cannot be read for its zone another. To be called in a transaction."""
    connection.execute("UPDATE rig SET timezone = ?, version = version + 1 WHERE id = ?", (timezone, rig_id))


def put_in_place(connection: sqlite3.Connection, rig_id: int, rig: Rig) -> None:
    """Put a rig that can be read in the place of one that cannot. To be called in a transaction."""
    connection.execute(
        """UPDATE rig SET latitude = :latitude, longitude = :longitude, elevation_m = :elevation_m,
                  timezone = :timezone, use_side = :use_side, soc_from = :soc_from, not_yet_told = :not_yet_told,
                  version = version + 1 WHERE id = :id""", _rig_row(rig) | {"id": rig_id})
    for table in _PARTS:
        connection.execute(f"DELETE FROM {table} WHERE rig_id = ?", (rig_id,))
    _write_parts(connection, rig_id, rig)


def rig_before(before: str) -> Rig:
    """The rig that a change kept of before it."""
    return _from_document(json.loads(before))


def read_change(row: sqlite3.Row) -> None:
    """Read a row of `rig_change`; ValueError, KeyError or TypeError when it holds no legal rig."""
    datetime.fromisoformat(row["changed_at"])
    rig_before(row["before"])


def remove(connection: sqlite3.Connection, rig_id: int, now: datetime) -> None:
    """Take a rig and its log out of sight; `restore` brings them back. To be called in a transaction."""
    connection.execute("UPDATE rig SET removed = 1, removed_at = ? WHERE id = ?", (instant_text(now), rig_id))


COMING_IN = "coming in"
"""In place of the time of removal: a rig whose samples are still being brought in, not yet in sight."""


def removed(connection: sqlite3.Connection) -> list[tuple[int, str, datetime | None]]:
    """The rigs that were removed: (number, name, when by their own clock), the latest first; when is None for one long
    ago."""
    rows = connection.execute("SELECT id, name, removed_at, timezone FROM rig "
                              "WHERE removed = 1 AND removed_at IS NOT ? "
                              "ORDER BY removed_at DESC, id DESC", (COMING_IN,))
    return [(row["id"], row["name"], row["removed_at"] and _there(row["removed_at"], row["timezone"])) for row in rows]


def _there(instant: str, timezone: str) -> datetime:
    at = datetime.fromisoformat(instant)
    try:
        return at.astimezone(zone(timezone))
    except ValueError:  # a damaged one
        return at


def restore(connection: sqlite3.Connection, rig_id: int) -> None:
    """Bring a removed rig back. To be called in a transaction. Raises RigNameTaken."""
    try:
        connection.execute("UPDATE rig SET removed = 0, removed_at = NULL WHERE id = ?", (rig_id,))
    except sqlite3.IntegrityError as error:
        raise RigNameTaken from error


def _rig_row(rig: Rig) -> dict[str, Any]:
    return asdict(rig.place) | {"name": rig.name, "use_side": rig.use_side, "soc_from": rig.soc_from,
                                "not_yet_told": json.dumps(rig.not_yet_told)}


def _write_parts(connection: sqlite3.Connection, rig_id: int, rig: Rig) -> None:
    rows = [("bank", _row(rig_id, rig.bank)), *(("inverter", _row(rig_id, part)) for part in (rig.inverter,) if part)]
    rows += [(table, _row(rig_id, part, position=n) | also) for table, parts, also in
             (("solar_array", rig.arrays, {}), ("load", rig.loads, {}), ("spill_list", rig.spill_list, {}),
              *(("charger", rig.parts(source.name), {"source": source.name}) for source in STEADY))
             for n, part in enumerate(parts)]
    rows += [("stay", _row(rig_id, stay)) for stay in rig.places]
    rows += [("former", {"rig_id": rig_id, "position": n, "part": of["group"], "document": json.dumps(of["part"])})
             for n, of in enumerate(_document(rig)["former"])]
    for table, row in rows:  # the names are those of our own dataclasses
        connection.execute(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({', '.join(f':{name}' for name in row)})",
                           row)


_AS_JSON = {SolarArray: ("shade_factor",), Load: ("pattern", "months", "weekdays"), Bank: ("pack_wh",)}


def _row(rig_id: int, part: Any, **also: Any) -> dict[str, Any]:
    row = {field.name: getattr(part, field.name) for field in fields(part) if field.name != "until_day"}
    row |= {name: json.dumps(row[name]) for name in _AS_JSON.get(type(part), ())}
    if row.get("from_day"):
        row["from_day"] = row["from_day"].isoformat()
    return row | {"rig_id": rig_id} | also


def _made(kind: Any, row: sqlite3.Row) -> Any:
    values = {field.name: row[field.name] for field in fields(kind) if field.name != "until_day"}
    return kind(**_typed(values | {name: json.loads(values[name]) for name in _AS_JSON.get(kind, ())}))
