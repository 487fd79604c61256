"""Filling a database with the demo."""

import sqlite3
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

from voltaun.core.bench.findings import changes, find
from voltaun.core.bench.runs import Run
from voltaun.core.instants import day_start, local_day
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.climate import made_for, month_shares_of
from voltaun.database import bench, clearsky, monitors, plans, readings, rigs, settings, weather
from voltaun.database.connection import transaction
from voltaun.demo import honey_house, measured, orchard_trailer, weighed

_MARK = "demo"


def is_demo(connection: sqlite3.Connection) -> bool:
    """Whether a database is the demo's, or has no rig in it yet."""
    names = {name for _, name in rigs.names(connection)}
    kept_before = {honey_house.RIG.name, "Orchard trailer"}  # by a release that made no mark
    return not names or settings.get(connection, _MARK) is not None or names == kept_before


def fill(connection: sqlite3.Connection, now: datetime) -> int:
    """Put both rigs with their logs and benches into the database, unless they are there; the honey house's number."""
    with transaction(connection):
        settings.put(connection, _MARK, "1")
    of, trailer = honey_house.RIG, orchard_trailer.rig(now)
    trip = day_start(orchard_trailer.october(now), trailer.zone)
    first = _add(connection, of, lambda sun: honey_house.log(now, sun), measured.honey_house_runs(now))
    _ask(connection, first, of, now)
    _add(connection, trailer, lambda sun: orchard_trailer.log(now, sun),
         measured.trailer_runs(trip - timedelta(days=4, hours=-18)))
    return first


def _ask(connection: sqlite3.Connection, rig_id: int, of: Rig, now: datetime) -> None:
    """What the honey house's people would weigh: prices, their roof and their money, their word on the winter, and the
    weather of their place; and the guests they expect. Once."""
    if monitors.setting(connection, rig_id, "additions", None) is not None:
        return
    sun = clearsky.sun_of(connection, of)
    assert sun is not None  # it has panels
    with transaction(connection):
        monitors.put_setting(connection, rig_id, "additions", weighed.QUESTION)
        number = weather.add(connection, rig_id, "ridge, three years (made up).epw", weighed.ridge(of.place))
        ridge = weather.on_planes(connection, weather.of_rig(connection, rig_id), of.arrays)
        monitors.put_setting(connection, rig_id, "sky_of_place", {"made_for": made_for(of, [number]),
                                                                  "months": month_shares_of(of, sun, ridge)})
        plans.add(connection, rig_id, weighed.guests(local_day(now, of.zone)), now)


def _add(connection: sqlite3.Connection, of: Rig, log: Callable[..., Any], runs: list[tuple[Run, bool]]) -> int:
    kept = rigs.find(connection, of.name)
    if kept is not None:
        return kept.id
    logged = log(clearsky.sun_of(connection, of))
    with transaction(connection):
        rig_id = rigs.add(connection, of)
        readings.add_many(connection, rig_id, logged)
        begun = logged[0].at - timedelta(days=30)
        for run, applied in runs:
            at = run.marks[-1].at if run.marks else begun
            run_id = bench.begin(connection, rig_id, run, at)
            if applied:
                kept = rigs.there(connection, rig_id)
                set_to = changes(run, kept.rig, find(run, kept.rig))
                bench.apply(connection, kept, bench.there(connection, rig_id, run_id), 1, set_to, at)
    return rig_id
