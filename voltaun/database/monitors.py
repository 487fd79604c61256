"""Monitors: where each is, how often it is read, and the marks it left; small settings of a rig."""

import json
import sqlite3
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from voltaun.database.readings import instant_text


@dataclass(frozen=True)
class Monitor:
    """A rig's monitor; every_minutes 0 is on demand only; asked_at when it was last read."""

    address: str
    every_minutes: int
    asked_at: datetime | None
    state: str


@dataclass(frozen=True)
class Mark:
    """A change of a monitor's state, in words."""

    at: datetime
    state: str
    words: str


def get(connection: sqlite3.Connection, rig_id: int) -> Monitor | None:
    """The rig's monitor, or None."""
    row = connection.execute("SELECT * FROM monitor WHERE rig_id = ?", (rig_id,)).fetchone()
    return row and Monitor(row["address"], row["every_minutes"],
                           row["asked_at"] and datetime.fromisoformat(row["asked_at"]), row["state"])


def due(connection: sqlite3.Connection, now: datetime) -> list[int]:
    """The rigs whose monitors are to be read by now."""
    rows = connection.execute(
        """SELECT monitor.rig_id FROM monitor JOIN rig ON rig.id = monitor.rig_id
           WHERE rig.removed = 0 AND every_minutes > 0
                 AND (asked_at IS NULL OR unixepoch(asked_at) + 60 * every_minutes <= unixepoch(?))
           ORDER BY monitor.rig_id""", (instant_text(now),))
    return [row["rig_id"] for row in rows]


def keep(connection: sqlite3.Connection, rig_id: int, address: str, every_minutes: int) -> None:
    """Tell of a monitor, or change it. To be called in a transaction."""
    connection.execute(
        """INSERT INTO monitor (rig_id, address, every_minutes) VALUES (?, ?, ?)
           ON CONFLICT (rig_id) DO UPDATE SET address = excluded.address, every_minutes = excluded.every_minutes""",
        (rig_id, address, every_minutes))


def forget(connection: sqlite3.Connection, rig_id: int) -> None:
    """Read it no more; what it brought stays. To be called in a transaction."""
    connection.execute("DELETE FROM monitor WHERE rig_id = ?", (rig_id,))


def asked(connection: sqlite3.Connection, rig_id: int, now: datetime, state: str, words: str) -> None:
    """Note how a reading of it went; a change of state leaves a mark. To be called in a transaction."""
    before = get(connection, rig_id)
    connection.execute("UPDATE monitor SET asked_at = ?, state = ? WHERE rig_id = ?",
                       (instant_text(now), state, rig_id))
    if before and before.state != state and not (before.state == "new" and state == "well"):
        connection.execute("INSERT INTO monitor_mark (rig_id, at, state, words) VALUES (?, ?, ?, ?)",
                           (rig_id, instant_text(now), state, words))


def marks(connection: sqlite3.Connection, rig_id: int, start: datetime, end: datetime) -> list[Mark]:
    """The marks from one instant up to another."""
    return [Mark(datetime.fromisoformat(row["at"]), row["state"], row["words"]) for row in connection.execute(
        "SELECT * FROM monitor_mark WHERE rig_id = ? AND at >= ? AND at < ? ORDER BY at",
        (rig_id, instant_text(start), instant_text(end)))]


def setting(connection: sqlite3.Connection, rig_id: int, name: str, default: Any) -> Any:
    """A small thing kept for a rig, or the default."""
    row = connection.execute("SELECT value FROM rig_setting WHERE rig_id = ? AND name = ?", (rig_id, name)).fetchone()
    return default if row is None else json.loads(row["value"])


def put_setting(connection: sqlite3.Connection, rig_id: int, name: str, value: Any) -> None:
    """Keep a small thing for a rig. To be called in a transaction."""
    connection.execute("INSERT OR REPLACE INTO rig_setting VALUES (?, ?, ?)", (rig_id, name, json.dumps(value)))
