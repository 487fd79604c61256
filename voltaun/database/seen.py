"""Whether anything of a rig's pages is another since it was shown: one stamp over all that they show."""

import sqlite3
from typing import Any

from voltaun.database import readings

_REMEMBERED = ("sky_of_place", "monitor_from")
"""Settings that a look at a page leaves behind."""

_OF_RIG = ("plan", "sky_given", "done", "moved", "spill_list", "bench_run", "measuring_round")
"""Small tables that are read whole; what is long notes its changes, of which the newest tells."""


def stamp(connection: sqlite3.Connection, rig_id: int) -> tuple[Any, ...]:
    """Something that is other whenever another device kept, ticked, moved, gave or took away something."""
    rig = connection.execute("SELECT version FROM rig WHERE id = ?", (rig_id,)).fetchone()
    small = [tuple(map(tuple, connection.execute(f"SELECT * FROM {table} WHERE rig_id = ?", (rig_id,))))  # noqa: S608
             for table in _OF_RIG]
    chosen = connection.execute(f"SELECT name, value FROM rig_setting WHERE rig_id = ? AND name NOT IN {_REMEMBERED}",
                                (rig_id,)).fetchall()
    newest = connection.execute("SELECT (SELECT max(id) FROM bench_change), (SELECT max(id) FROM weather)").fetchone()
    house = connection.execute("SELECT name, value FROM setting ORDER BY name").fetchall()
    return (rig and rig[0], readings.stamp(connection), *small, tuple(map(tuple, chosen)), tuple(newest),
            tuple(map(tuple, house)))
