"""Everything of a rig as plain rows, and back: the archive's content.

Numbers of rows are given anew on the way out (rigs by name, the rest in the order in which they stand), so that
the same content is the same archive, in whatever file and under whatever numbers it was kept.
"""

import base64
import json
import sqlite3
import zlib
from datetime import UTC, datetime

import numpy as np

from voltaun.core.samples import Samples
from voltaun.database import samples
from voltaun.database.connection import migrations

# Each table of a rig: its order, and the columns that point to a row of another table.
_OF_RIG = {
    "bank": ("rig_id", {}), "inverter": ("rig_id", {}), "solar_array": ("position", {}),
    "charger": ("source, position", {}), "load": ("position", {}), "stay": ("from_day", {}),
    "reading": ("at, removed, id", {}), "rig_change": ("id", {}), "bench_run": ("begun_at, id", {}),
    "figure_origin": ("path", {"run_id": "bench_run"}), "measuring_round": ("rig_id", {}),
    "plan": ("first_day, id", {}), "sky_given": ("day, given_on", {}), "rig_setting": ("name", {}),
    "monitor": ("rig_id", {}), "monitor_mark": ("at, id", {}),
}
_OF_ROW = {"reading_change": ("reading_id", "reading"), "bench_mark": ("run_id", "bench_run"),
           "bench_change": ("run_id", "bench_run")}
"""Tables whose rows belong to a row of another, by the column that points to it."""

NUMBERED = {"plan", "reading", "rig_change", "bench_run", "monitor_mark", "reading_change", "bench_change"}


class ArchiveFault(ValueError):
    """The archive does not fit: what was found and what was expected."""


def rig_archive(connection: sqlite3.Connection, rig_id: int) -> dict:
    """All that is kept of one rig."""
    rig = dict(connection.execute("SELECT * FROM rig WHERE id = ?", (rig_id,)).fetchone())
    document = {"rig": {name: value for name, value in rig.items() if name not in ("id", "removed")}}
    numbers = {}
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


def _row(row, without, points, numbers) -> dict:
    values = {name: row[name] for name in row.keys() if name not in ("id", *without)}  # noqa: SIM118 (a sqlite3.Row)
    for column, table in points.items():
        values[column] = None if values[column] is None else numbers[table][values[column]]
    return values


def _months(connection, rig_id):
    """The samples by month (UTC), packed: eight bytes a figure, little-endian, a column after the other, deflated."""
    span = samples.span(connection, rig_id)
    if span is None:
        return
    month = datetime.fromtimestamp(span[0], UTC).replace(day=1, hour=0, minute=0, second=0)
    while month.timestamp() <= span[1]:
        after = month.replace(year=month.year + month.month // 12, month=month.month % 12 + 1)
        kept = samples.between(connection, rig_id, month, after)
        if len(kept):
            columns = np.stack([kept.at.astype("<f8"), *(np.asarray(each, dtype="<f8") for each in (
                kept.volts, kept.amps, kept.watts, kept.soc, kept.charge_wh, kept.discharge_wh))])
            yield {"month": f"{month:%Y-%m}", "rows": len(kept),
                   "packed": base64.b64encode(zlib.compress(columns.tobytes(), 6)).decode()}
        month = after


def add_rig(connection: sqlite3.Connection, document: dict) -> int:
    """Keep a rig from an archive of this or an earlier schema; its number. To be called in a transaction.

    Raises ArchiveFault for what no table takes.
    """
    unknown = set(document) - {"rig", "sample", *_OF_RIG, *_OF_ROW}
    if unknown or not isinstance(document.get("rig"), dict):
        raise ArchiveFault(f"found {', '.join(sorted(unknown)) or 'no rig'}, expected the parts of a rig")
    name = document["rig"].get("name")
    if connection.execute("SELECT 1 FROM rig WHERE name IS ? AND removed = 0", (name,)).fetchone():
        raise ArchiveFault(f"found another rig named {name!r} in the database, expected a database without it")
    try:
        rig_id = _insert(connection, "rig", document["rig"])
        numbers = {}
        for table, (_, points) in _OF_RIG.items():
            numbers[table] = {}
            for n, row in enumerate(_rows(document, table), 1):
                values = row | {"rig_id": rig_id} | _pointed(row, points, numbers)
                numbers[table][n] = _insert(connection, table, values)
        for run_id in numbers["bench_run"].values():
            row = connection.execute("SELECT applied_before FROM bench_run WHERE id = ?", (run_id,)).fetchone()
            connection.execute("UPDATE bench_run SET applied_before = ? WHERE id = ?",
                               (_renumbered(row["applied_before"], numbers["bench_run"]), run_id))
        for table, (column, owner) in _OF_ROW.items():
            for row in _rows(document, table):
                _insert(connection, table, row | _pointed(row, {column: owner}, numbers))
        samples.bring(connection, rig_id, (_unpacked(month) for month in _rows(document, "sample")))
    except (sqlite3.Error, OverflowError) as error:
        raise ArchiveFault(f"found what the database does not take ({error}), expected an archive that Voltaun "
                           "wrote") from error
    return rig_id


def _rows(document, table) -> list[dict]:
    rows = document.get(table, [])
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise ArchiveFault(f"found {type(rows).__name__} at {table}, expected a list of rows")
    return rows


def _pointed(row, points, numbers) -> dict:
    try:
        return {column: None if row[column] is None else numbers[table][row[column]]
                for column, table in points.items()}
    except (KeyError, TypeError) as error:
        raise ArchiveFault(f"found a row that points to {error}, expected one that is in the archive") from error


def _insert(connection, table, values) -> int:
    known = {row["name"] for row in connection.execute("SELECT name FROM pragma_table_info(?)", (table,))}
    odd = set(values) - known
    if odd:
        raise ArchiveFault(f"found {', '.join(sorted(odd))} in {table}, expected only " + ", ".join(sorted(known)))
    names = list(values)  # all of them are columns of this table, as was just seen
    return connection.execute(f"INSERT INTO {table} ({', '.join(names)}) "
                              f"VALUES ({', '.join('?' * len(names))})", list(values.values())).lastrowid


def _unpacked(month) -> Samples:
    try:
        table = np.frombuffer(zlib.decompress(base64.b64decode(month["packed"])), dtype="<f8").reshape(7, -1)
    except (KeyError, TypeError, ValueError, zlib.error) as error:
        raise ArchiveFault(f"found samples that cannot be unpacked ({error}), expected them as they were "
                           "written") from error
    return Samples(table[0].astype(np.int64), *table[1:])


def settings_archive(connection: sqlite3.Connection) -> dict:
    """The settings that are not this file's own secret."""
    return dict(connection.execute("SELECT name, value FROM setting WHERE name <> 'session_key' ORDER BY name"))


def schema() -> int:
    """The version of the schema that an archive is written in."""
    return migrations()[-1][0]
