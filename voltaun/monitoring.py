"""Reading monitors, on demand and every so many minutes, and what regularly keeps the file safe while it is served."""

import io
import logging
import sqlite3
import threading
import time
from contextlib import closing
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path

from voltaun import clock, outside
from voltaun.bringing import condense
from voltaun.core.samples import beyond_belief, joined
from voltaun.database import backup, changes, monitors, rigs, samples, settings
from voltaun.database.connection import DatabaseFault, connect, transaction
from voltaun.formats import FileFaults
from voltaun.formats.samples_csv import Told, pieces

_FAR_PAST = timedelta(days=3)


def read_monitor(connection, rig_id: int, now: datetime, believe: bool = False) -> tuple[str, str]:
    """Read a rig's monitor once; the state it is in and what happened, in words.

    What it shows is kept only when all of it can be, or when the user said to `believe` it; whatever goes wrong
    leaves a mark, and nothing else.
    """
    kept, monitor = rigs.get(connection, rig_id), monitors.get(connection, rig_id)
    last = samples.latest(connection, rig_id)
    since = int(last.at[0]) if len(last) else int((now - _FAR_PAST).timestamp())
    since = max(since, monitors.setting(connection, rig_id, "monitor_from", 0))
    found = None
    try:
        state, words, found = _shown(kept.rig, monitor.address, since, last, now, believe)
    except outside.Slow as slow:
        state, words = "slow", f"The monitor is slow: {slow}."
    except outside.Silent as silent:
        state, words = "silent", f"The monitor is silent: {silent}."
    if found is not None and len(found):
        with transaction(connection):
            brought = samples.bring(connection, rig_id, [found])
        made = condense(connection, rig_id, now)
        words = f"{brought.added} samples came in" + (f", and {made} readings from them." if made else ".")
    with transaction(connection):
        monitors.asked(connection, rig_id, now, state, words)
    return state, words


def leave_out(connection, rig_id: int, now: datetime) -> None:
    """Leave out what the monitor showed until now: it is read from now on."""
    with transaction(connection):
        monitors.put_setting(connection, rig_id, "monitor_from", int(now.timestamp()))
        monitors.asked(connection, rig_id, now, "well", "What it showed until now is left out.")


def _shown(rig, address, since, last, now, believe):
    data = outside.ask(address, f"/samples.csv?since={since}")
    try:
        found = list(pieces(io.BytesIO(data), rig.zone, None, Told()))
    except FileFaults as faults:
        return "lying", f"The monitor's answer cannot be read: {faults.faults[0]}.", None
    if not found:
        return "well", "Nothing new.", None
    whole = found[0]
    for piece in found[1:]:
        whole = joined(whole, piece)
    whole = whole.part(whole.at > since) if len(last) or since else whole
    wrong = None if believe or not len(whole) else beyond_belief(rig, joined(last, whole), now)
    if wrong:
        return "lying", f"The monitor shows what cannot be: {wrong}; nothing of it was kept.", None
    return "well", "Nothing new.", whole


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
