"""Everything that is kept of a rig, read once as the application would read it: what cannot be read is told in words.

The tables' own checks see a value at a time; whether the texts in them hold what they should is seen only by reading.
"""

import json
import sqlite3
from collections.abc import Callable, Iterator
from datetime import date, datetime
from typing import Any

from voltaun.core.outlook.plans import GeneratorRule
from voltaun.core.rig.parts import SKIES
from voltaun.database import bench, monitors, plans, readings, rigs, weather
from voltaun.database.rigs import ODD


def faults(connection: sqlite3.Connection, rig_id: int) -> Iterator[str]:
    """What of a rig cannot be read, a line each: where, and what is wrong."""
    yield from _try("the rig", lambda: rigs.there(connection, rig_id, also_removed=True))
    yield from _rows(connection, rig_id, "reading", "reading", readings.reading_of)
    yield from _rows(connection, rig_id, "plan", "plan", plans.plan_of)
    yield from _rows(connection, rig_id, "weather", "weather file", weather.weather_of)
    for table, what, read in (("rig_change", "change of the rig", rigs.read_change),
                              ("sky_given", "word on the sky", _sky), ("monitor_mark", "mark of the monitor", _at),
                              ("figure_origin", "origin of a figure", _origin), ("rig_setting", "setting", _setting)):
        yield from _rows(connection, rig_id, table, what, read)
    for table, owner, column, what, read in (
            ("reading_change", "reading", "reading_id", "change of a reading", readings.read_change),
            ("bench_change", "bench_run", "run_id", "change of a run", bench.read_change)):
        rows = connection.execute(f"SELECT {table}.* FROM {table} JOIN {owner} ON {owner}.id = {table}.{column} "
                                  f"WHERE {owner}.rig_id = ?", (rig_id,))
        yield from _each(rows, what, read)
    yield from _rows(connection, rig_id, "bench_run", "run on the bench", bench.read_applied)
    yield from _try("a run on the bench", lambda: bench.runs(connection, rig_id))
    yield from _try("the measuring round", lambda: bench.measuring_round(connection, rig_id))
    yield from _try("the monitor", lambda: monitors.get(connection, rig_id))


def _rows(connection: sqlite3.Connection, rig_id: int, table: str, what: str,
          read: Callable[..., Any]) -> Iterator[str]:
    yield from _each(connection.execute(f"SELECT * FROM {table} WHERE rig_id = ?", (rig_id,)), what, read)


def _each(rows: sqlite3.Cursor, what: str, read: Callable[..., Any]) -> Iterator[str]:
    while True:
        try:
            row = rows.fetchone()
        except (sqlite3.OperationalError, UnicodeDecodeError) as error:  # a text that is no UTF-8
            yield f"a {what} cannot be read ({error})"
            return
        if row is None:
            return
        yield from _try(f"a {what}", lambda row=row: read(row))


def _try(what: str, read: Callable[..., Any]) -> Iterator[str]:
    try:
        read()
    except (*ODD, sqlite3.OperationalError) as error:
        yield f"{what} cannot be read ({type(error).__name__}: {str(error)[:200]})"


def _sky(row: sqlite3.Row) -> None:
    date.fromisoformat(row["day"])
    date.fromisoformat(row["given_on"])
    if row["sky"] not in ("", *SKIES):
        raise ValueError(row["sky"])


def _at(row: sqlite3.Row) -> None:
    datetime.fromisoformat(row["at"])


def _origin(row: sqlite3.Row) -> None:
    _at(row)
    if not all(isinstance(part, str) for part in json.loads(row["path"])):
        raise ValueError(row["path"])
    json.loads(row["value"])


def _setting(row: sqlite3.Row) -> None:
    value = json.loads(row["value"])
    shapes: dict[str, Callable[[Any], object]] = {
        "reading_hours": _hours, "samples_mapping": _mapping, "forecast_address": _text,
        "generator_rule": lambda rule: rule is None or GeneratorRule(**rule)}
    shape = shapes.get(row["name"])
    if shape:
        shape(value)


def _hours(value: Any) -> None:
    if not isinstance(value, list) or not all(type(hour) is int and 0 <= hour <= 23 for hour in value):
        raise ValueError(value)


def _mapping(value: Any) -> None:
    if not isinstance(value, dict):
        raise ValueError(value)


def _text(value: Any) -> None:
    if not isinstance(value, str):
        raise ValueError(value)
