"""What people did with the day's plan: what ran, and what a hand moved or dropped."""

import sqlite3
from datetime import date, timedelta

from voltaun.core.dayplan.marks import Marks

KEPT_DAYS = 45
"""A run longer ago says nothing of when a load is due."""


def marks(connection: sqlite3.Connection, rig_id: int, today: date) -> Marks:
    """The marks of late and of the coming days."""
    since = (today - timedelta(days=KEPT_DAYS)).isoformat()
    done: dict[date, tuple[str, ...]] = {}
    for row in connection.execute("SELECT day, name FROM done WHERE rig_id = ? AND day >= ? ORDER BY day, name",
                                  (rig_id, since)):
        day = date.fromisoformat(row["day"])
        done[day] = (*done.get(day, ()), row["name"])
    moved: dict[date, dict[str, float | None]] = {}
    for row in connection.execute("SELECT day, name, begin FROM moved WHERE rig_id = ? AND day >= ? ORDER BY day, name",
                                  (rig_id, since)):
        moved.setdefault(date.fromisoformat(row["day"]), {})[row["name"]] = row["begin"]
    return Marks(done, moved)


def set_done(connection: sqlite3.Connection, rig_id: int, day: date, name: str, done: bool) -> None:
    """Tick a load off, or take the tick away. To be called in a transaction."""
    if done:
        connection.execute("INSERT OR IGNORE INTO done VALUES (?, ?, ?)", (rig_id, day.isoformat(), name))
    else:
        connection.execute("DELETE FROM done WHERE rig_id = ? AND day = ? AND name = ?",
                           (rig_id, day.isoformat(), name))


def move(connection: sqlite3.Connection, rig_id: int, day: date, name: str, begin: float | None) -> None:
    """Put a load of a day's plan at a clock hour, or with None drop it from the day. To be called in a transaction."""
    connection.execute("INSERT OR REPLACE INTO moved VALUES (?, ?, ?, ?)", (rig_id, day.isoformat(), name, begin))


def put_back(connection: sqlite3.Connection, rig_id: int, day: date, name: str) -> None:
    """Let the plan say again when it runs. To be called in a transaction."""
    connection.execute("DELETE FROM moved WHERE rig_id = ? AND day = ? AND name = ?", (rig_id, day.isoformat(), name))

