"""Everything of a rig as plain rows, and back: the archive's content.

Numbers of rows are given anew on the way out (rigs by name, the rest in the order in which they stand), so that
the same content is the same archive, in whatever file and under whatever numbers it was kept.
"""

import base64
import json
import sqlite3
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from voltaun.core.log.samples import Samples
from voltaun.database import read_back, rigs, samples
from voltaun.database.connection import migrations, row_id

# Each table of a rig: its order, and the columns that point to a row of another table.
_OF_RIG = {
    "bank": ("rig_id", {}), "inverter": ("rig_id", {}), "solar_array": ("position", {}),
    "charger": ("source, position", {}), "load": ("position", {}), "stay": ("from_day", {}),
    "spill_list": ("position", {}), "former": ("position", {}), "done": ("day, name", {}), "moved": ("day, name", {}),
    "reading": ("at, removed, id", {}), "rig_change": ("id", {}), "bench_run": ("begun_at, id", {}),
    "figure_origin": ("path", {"run_id": "bench_run"}), "measuring_round": ("rig_id", {}),
    "plan": ("first_day, id", {}), "sky_given": ("day, given_on", {}), "rig_setting": ("name", {}),
    "weather": ("id", {}),
    "monitor": ("rig_id", {}), "monitor_mark": ("at, id", {}),
}
_OF_ROW = {"reading_change": ("reading_id", "reading"), "bench_mark": ("run_id", "bench_run"),
           "bench_change": ("run_id", "bench_run")}
"""Tables whose rows belong to a row of another, by the column that points to it."""

NUMBERED = {"plan", "weather", "reading", "rig_change", "bench_run", "monitor_mark", "reading_change", "bench_change"}


class ArchiveFault(ValueError):
    """The archive does not fit: what was found and what was expected."""


def rig_archive(connection: sqlite3.Connection, rig_id: int) -> dict[str, Any]:
    """All that is kept of one rig, removed or not. Which import a row came with is of this file and stays behind."""
    rig = dict(connection.execute("SELECT * FROM rig WHERE id = ?", (rig_id,)).fetchone())
    without = ("id",) if rig["removed"] else ("id", "removed", "removed_at")
    document: dict[str, Any] = {"rig": {name: value for name, value in rig.items() if name not in without}}
    numbers: dict[str, dict[int, int]] = {}
    for table, (order, points) in _OF_RIG.items():
        rows = connection.execute(f"SELECT * FROM {table} WHERE rig_id = ? ORDER BY {order}", (rig_id,)).fetchall()
        if table in NUMBERED:
            numbers[table] = {row["id"]: n for n, row in enumerate(rows, 1)}
        document[table] = [_row(row, ("rig_id",), points, numbers) for row in rows]
    for row in document["bench_run"]:
        row["applied_before"] = _renumbered(row["applied_before"], numbers["bench_run"])
    for table, (column, owner) in _OF_ROW.items():
        rows = connection.execute(
            f"""SELECT {table}.* FROM {table} JOIN {owner} ON {owner}.id = {table}.{column}
                WHERE {owner}.rig_id = ?""", (rig_id,)).fetchall()
        made = [_row(row, (), {column: owner}, numbers) for row in rows]
        by = "at" if table == "bench_mark" else "id"
        paired = sorted(zip(made, rows, strict=True), key=lambda pair: (pair[0][column], pair[1][by]))
        document[table] = [row for row, _ in paired]
    document["sample"] = list(_months(connection, rig_id))
    return document


def _renumbered(applied_before: str | None, runs: dict[int, int]) -> str | None:
    """What applying a run put aside, with the runs that those figures came from under other numbers."""
    if applied_before is None:
        return None
    before = json.loads(applied_before)
    before["origins"] = [[runs.get(run_id), *rest] for run_id, *rest in before["origins"]]
    return json.dumps(before)


def _row(row: sqlite3.Row, without: tuple[str, ...], points: dict[str, str],
         numbers: dict[str, dict[int, int]]) -> dict[str, Any]:
    values = {name: row[name] for name in row.keys() if name not in ("id", "import_id", *without)}  # noqa: SIM118 (a sqlite3.Row)
    for column, table in points.items():
        values[column] = None if values[column] is None else numbers[table][values[column]]
    return values


def _months(connection: sqlite3.Connection, rig_id: int) -> Iterator[dict[str, str | int]]:
    """The samples by month (UTC), packed."""
    for kept in samples.by_month(connection, rig_id):
        if len(kept):
            yield {"month": datetime.fromtimestamp(int(kept.at[0]), UTC).strftime("%Y-%m"), "rows": len(kept),
                   "packed": base64.b64encode(samples.packed(kept)).decode()}


def everything(connection: sqlite3.Connection) -> list[int]:
    """The numbers of all rigs, the removed ones too, in order of name."""
    return [row["id"] for row in connection.execute(
        "SELECT id FROM rig WHERE removed_at IS NOT ? ORDER BY name, removed, removed_at, id", (rigs.COMING_IN,))]


def add_rig(connection: sqlite3.Connection, document: dict[str, Any]) -> int:
    """Keep a rig from an archive of this or an earlier schema; its number. To be called in a transaction.

    Raises ArchiveFault for what no table takes, and for what could not be read again.
    """
    rig_id, removed = add_hidden(connection, document)
    for month in months_of(document):
        samples.bring(connection, rig_id, [month])
    show(connection, rig_id, removed)
    return rig_id


def add_hidden(connection: sqlite3.Connection, document: dict[str, Any]) -> tuple[int, dict[str, Any]]:
    """Keep all of a rig but its samples, out of sight; its number, and what `show` is to be told. In a transaction.

    Raises ArchiveFault.
    """
    unknown = set(document) - {"rig", "sample", *_OF_RIG, *_OF_ROW}
    if unknown or not isinstance(document.get("rig"), dict):
        raise ArchiveFault(f"found {', '.join(sorted(unknown)) or 'no rig'}, expected the parts of a rig")
    row = dict(document["rig"])
    removed = {"removed": row.pop("removed", 0), "removed_at": row.pop("removed_at", None)}
    name = row.get("name")
    if not removed["removed"] and connection.execute("SELECT 1 FROM rig WHERE name IS ? AND removed = 0",
                                                     (name,)).fetchone():
        raise ArchiveFault(f"found another rig named {name!r} in the database, expected a database without it")
    try:
        rig_id = _insert(connection, "rig", row | {"removed": 1, "removed_at": rigs.COMING_IN})
        numbers: dict[str, dict[int, int]] = {}
        for table, (_, points) in _OF_RIG.items():
            numbers[table] = {}
            for n, values in enumerate(_rows(document, table), 1):
                values = values | {"rig_id": rig_id} | _pointed(values, points, numbers)
                numbers[table][n] = _insert(connection, table, values)
        for run_id in numbers["bench_run"].values():
            row = connection.execute("SELECT applied_before FROM bench_run WHERE id = ?", (run_id,)).fetchone()
            connection.execute("UPDATE bench_run SET applied_before = ? WHERE id = ?",
                               (_renumbered(row["applied_before"], numbers["bench_run"]), run_id))
        for table, (column, owner) in _OF_ROW.items():
            for values in _rows(document, table):
                _insert(connection, table, values | _pointed(values, {column: owner}, numbers))
        odd = next(read_back.faults(connection, rig_id), None)
        if odd:
            raise ArchiveFault(f"found in the rig {str(name)[:80]!r}: {odd}; expected an archive that Voltaun wrote")
    except (sqlite3.Error, *rigs.ODD) as error:
        if isinstance(error, ArchiveFault):
            raise
        raise ArchiveFault(f"found what the database does not take ({str(error)[:200]}), expected an archive that "
                           "Voltaun wrote") from error
    return rig_id, removed


def months_of(document: dict[str, Any]) -> Iterator[Samples]:
    """The samples of a rig in an archive, a month at a time. Raises ArchiveFault."""
    return (_unpacked(month) for month in _rows(document, "sample"))


def show(connection: sqlite3.Connection, rig_id: int, removed: dict[str, Any]) -> None:
    """Bring a rig that came in hidden into sight, or among the removed ones. To be called in a transaction."""
    try:
        if removed["removed"] and removed["removed_at"]:
            datetime.fromisoformat(removed["removed_at"])
        connection.execute("UPDATE rig SET removed = :removed, removed_at = :removed_at WHERE id = :id",
                           removed | {"id": rig_id})
    except (sqlite3.Error, ValueError, TypeError) as error:
        raise ArchiveFault(f"found a rig that is removed {str(removed)[:80]}, expected 0 or 1 and a time") from error


def forget_hidden(connection: sqlite3.Connection) -> None:
    """Let go of rigs that never came into sight. To be called in a transaction."""
    connection.execute("DELETE FROM rig WHERE removed_at = ?", (rigs.COMING_IN,))


def _rows(document: Any, table: str) -> list[dict[str, Any]]:
    rows = document.get(table, [])
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise ArchiveFault(f"found {type(rows).__name__} at {table}, expected a list of rows")
    return rows


def _pointed(row: Any, points: dict[str, str], numbers: dict[str, Any]) -> dict[str, Any]:
    try:
        return {column: None if row[column] is None else numbers[table][row[column]]
                for column, table in points.items()}
    except (KeyError, TypeError) as error:
        raise ArchiveFault(f"found a row that points to {error}, expected one that is in the archive") from error


def _insert(connection: sqlite3.Connection, table: str, values: Any) -> int:
    known = {row["name"] for row in connection.execute("SELECT name FROM pragma_table_info(?)", (table,))}
    odd = set(values) - known
    if odd:
        raise ArchiveFault(f"found {', '.join(sorted(odd))} in {table}, expected only " + ", ".join(sorted(known)))
    names = list(values)  # all of them are columns of this table, as was just seen
    return row_id(connection.execute(f"INSERT INTO {table} ({', '.join(names)}) "
                                     f"VALUES ({', '.join('?' * len(names))})", list(values.values())))


MOST_IN_A_MONTH = 31 * 86_400
"""Samples are a second apart at the least, so a month holds no more."""


def _unpacked(month: dict[str, Any]) -> Samples:
    try:
        rows = month["rows"]
        if not isinstance(rows, int) or not 0 < rows <= MOST_IN_A_MONTH:
            raise ValueError(f"{rows!r} rows in a month")
        return samples.unpacked(base64.b64decode(month["packed"], validate=True), rows)
    except (KeyError, TypeError, ValueError) as error:
        raise ArchiveFault(f"found samples that cannot be unpacked ({error}), expected them as they were "
                           "written") from error


def schema() -> int:
    """The version of the schema that an archive is written in."""
    return migrations()[-1][0]
