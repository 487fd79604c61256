"""The dated copies of the file, in both places, and how the copying goes."""

import sqlite3
import time
from datetime import datetime
from pathlib import Path

from voltaun.database import backup, settings
from voltaun.database.connection import DatabaseFault


class Copies:
    """How the copying goes: when the last good copy was made here, and what was wrong with the last try."""

    REST = 1800.0
    """After a copy that failed the next is tried so much later, s: trying at every look would wear the card."""

    def __init__(self) -> None:
        self.trouble: str | None = None
        self._not_before = 0.0

    def make(self, connection: sqlite3.Connection, database: Path, now: datetime) -> bool:
        """Make the copies of the day where they are due, in both places; whether one was made.

        What goes wrong is remembered, in words.
        """
        if time.monotonic() < self._not_before:
            return False
        second = settings.get(connection, "second_place")
        made, troubles = [], []
        for folder in (None, *([Path(second)] if second else [])):
            try:
                if folder and not folder.is_dir():
                    raise DatabaseFault(f"{folder}: found no such folder, expected the second place for copies")
                made.append(backup.copy_of_the_day(connection, database, now, folder))
            except (DatabaseFault, sqlite3.Error, OSError) as fault:
                troubles.append(str(fault))
        self.trouble = "; ".join(troubles) or None
        self._not_before = time.monotonic() + self.REST if troubles else 0.0
        return any(made)
