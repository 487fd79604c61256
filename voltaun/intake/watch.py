"""What goes on by itself while the application is served: monitors that are due are read, and the file is copied."""

import logging
import sqlite3
import threading
import time
from contextlib import closing
from datetime import datetime
from functools import partial
from pathlib import Path

from voltaun import clock
from voltaun.database import backup, changes, monitors, settings
from voltaun.database.connection import DatabaseFault, connect, transaction
from voltaun.intake.monitor import read_monitor


class Copies:
    """How the copying goes: when the last good copy was made here, and what was wrong with the last try."""

    REST = 1800.0
    """After a copy that failed the next is tried so much later, s: trying at every look would wear the card."""

    def __init__(self):
        self.trouble: str | None = None
        self._not_before = 0.0

    def make(self, connection, database: Path, now: datetime) -> bool:
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


class Watch(threading.Thread):
    """Reads the monitors that are due, and copies the file once a day, for as long as the server runs."""

    def __init__(self, database: Path, every_seconds: float = 20.0, copies: Copies | None = None):
        super().__init__(name="watch", daemon=True)
        self._database, self._every, self._enough = database, every_seconds, threading.Event()
        self._copies = copies or Copies()

    def stop(self):
        self._enough.set()

    def run(self):
        while not self._enough.wait(self._every):
            self.look()

    def look(self):
        """One round; a fault in a part of it is said in the terminal, and ends neither the watch nor its other parts.
        """
        parts = [self._copy]
        try:
            with closing(connect(self._database)) as connection:
                parts += [partial(self._read, rig_id) for rig_id in monitors.due(connection, clock.now())]
        except sqlite3.Error:
            logging.getLogger("voltaun").exception("the watch stumbled")
        for part in parts:
            try:
                with closing(connect(self._database)) as connection:
                    part(connection)
            except Exception:  # noqa: BLE001 (a thread that must live on; the fault is told)
                logging.getLogger("voltaun").exception("the watch stumbled")

    def _read(self, rig_id, connection):
        read_monitor(connection, rig_id, clock.now())

    def _copy(self, connection):
        now = clock.now()
        if self._copies.make(connection, self._database, now):
            with transaction(connection):
                changes.forget_old(connection, now)
