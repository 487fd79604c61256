"""Filling a database with the demo."""

import sqlite3
from datetime import datetime

from voltaun.database import clearsky, readings, rigs
from voltaun.database.connection import transaction
from voltaun.demo import honey_house


def fill(connection: sqlite3.Connection, now: datetime) -> int:
    """Put the honey house and its log into the database, unless it is there already; the rig's number."""
    kept = rigs.find(connection, honey_house.RIG.name)
    if kept is not None:
        return kept.id
    sun = clearsky.sun_of(connection, honey_house.RIG)
    logged = honey_house.log(now, sun)
    with transaction(connection):
        rig_id = rigs.add(connection, honey_house.RIG)
        readings.add_many(connection, rig_id, logged)
    return rig_id
