"""Reading monitors, on demand and every so many minutes, and what regularly keeps the file safe while it is served."""

import io
import logging
import threading
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path

from voltaun import clock, keeping, outside
from voltaun.core.samples import beyond_belief, joined, readings_from
from voltaun.database import monitors, readings, rigs, samples
from voltaun.database.connection import connect, transaction
from voltaun.formats import FileFaults
from voltaun.formats.samples_csv import Told, pieces

HOURS = (7, 19)
"""The local hours at which samples become readings, until the user says otherwise."""

_FAR_PAST = timedelta(days=3)


def read_monitor(connection, rig_id: int, now: datetime) -> tuple[str, str]:
    """Read a rig's monitor once; the state it is in and what happened, in words.

    What it shows is kept only when all of it can be; whatever goes wrong leaves a mark, and nothing else.
    """
    kept, monitor = rigs.get(connection, rig_id), monitors.get(connection, rig_id)
    last = samples.latest(connection, rig_id)
    since = int(last.at[0]) if len(last) else int((now - _FAR_PAST).timestamp())
    found = None
    try:
        state, words, found = _shown(kept.rig, monitor.address, since, last, now)
    except outside.Slow as slow:
        state, words = "slow", f"The monitor is slow: {slow}."
    except outside.Silent as silent:
        state, words = "silent", f"The monitor is silent: {silent}."
    with transaction(connection):
        if found is not None and len(found):
            brought = samples.bring(connection, rig_id, [found])
            made = condense(connection, rig_id, now)
            words = f"{brought.added} samples came in" + (f", and {made} readings from them." if made else ".")
        monitors.asked(connection, rig_id, now, state, words)
    return state, words


def _shown(rig, address, since, last, now):
    data = outside.ask(address, f"/samples.csv?since={since}")
    try:
        found = list(pieces(io.BytesIO(data), rig.zone, {}, Told()))
    except FileFaults as faults:
        return "lying", f"The monitor's answer cannot be read: {faults.faults[0]}.", None
    if not found:
        return "well", "Nothing new.", None
    whole = found[0]
    for piece in found[1:]:
        whole = joined(whole, piece)
    whole = whole.part(whole.at > since) if len(last) else whole
    wrong = beyond_belief(rig, joined(last, whole), now)
    if wrong:
        return "lying", f"The monitor shows what cannot be: {wrong}; nothing of it was kept.", None
    return "well", "Nothing new.", whole


def condense(connection, rig_id: int, now: datetime, since: datetime | None = None) -> int:
    """Turn samples into readings at the hours chosen for the rig; how many were new. In a transaction.

    since  only after that instant; without it after the last reading that came from samples. An instant at which
    a reading stands keeps it.
    """
    kept = rigs.get(connection, rig_id)
    chosen = tuple(monitors.setting(connection, rig_id, "reading_hours", HOURS))
    if since is None:
        row = connection.execute("SELECT max(at) FROM reading WHERE rig_id = ? AND at_bank = 1 AND removed = 0",
                                 (rig_id,)).fetchone()
        since = datetime.fromisoformat(row[0]) if row[0] else None
    begin = (since - timedelta(days=2)).timestamp() if since else 0
    summed = samples.hours_between(connection, rig_id, begin, now.timestamp())
    made = [reading for reading in readings_from(kept.rig, summed, chosen, since) if reading.at <= now]
    standing = {each.reading.at for each in readings.since(connection, rig_id, made[0].at)} if made else set()
    new = [reading for reading in made if reading.at not in standing]
    readings.add_many(connection, rig_id, new)
    return len(new)


class Watch(threading.Thread):
    """Reads the monitors that are due, and copies the file once a day, for as long as the server runs."""

    def __init__(self, database: Path, every_seconds: float = 20.0):
        super().__init__(name="watch", daemon=True)
        self._database, self._every, self._enough = database, every_seconds, threading.Event()

    def stop(self):
        self._enough.set()

    def run(self):
        while not self._enough.wait(self._every):
            self.look()

    def look(self):
        """One round; a fault in it is said in the terminal and does not end the watch."""
        try:
            with closing(connect(self._database)) as connection:
                for rig_id in monitors.due(connection, clock.now()):
                    read_monitor(connection, rig_id, clock.now())
                keeping.copy_of_the_day(connection, self._database, clock.now())
        except Exception:  # noqa: BLE001 (a thread that must live on; the fault is told)
            logging.getLogger("voltaun").exception("the watch stumbled")
