"""What goes on by itself while the application is served: monitors that are due are read, the file is copied, and the
certificate is seen to."""

import logging
import sqlite3
import threading
import time
from collections.abc import Callable
from contextlib import closing
from functools import partial
from pathlib import Path

from voltaun import clock
from voltaun.database.connection import connect, transaction
from voltaun.intake.copies import Copies

RENEWED_EVERY_S = 600.0
"""A router may give the machine another address at any time; so often it is seen that the certificate has it."""


class Watch(threading.Thread):
    """Reads the monitors that are due, and copies the file once a day, for as long as the server runs.

    renew  is called now and then, to see that the certificate goes on and is of the addresses that there are
    """

    def __init__(self, database: Path, every_seconds: float = 20.0, copies: Copies | None = None,
                 renew: Callable[[], object] | None = None) -> None:
        super().__init__(name="watch", daemon=True)
        self._database, self._every, self._enough = database, every_seconds, threading.Event()
        self._copies = copies or Copies()
        self._renew, self._renewed = renew, time.monotonic()

    def stop(self) -> None:
        self._enough.set()

    def run(self) -> None:
        while not self._enough.wait(self._every):
            self.look()

    def look(self) -> None:
        """One round; a fault in a part of it is said in the terminal, and ends neither the watch nor its other parts.
        """
        # Imported at the first round: the start of the server should not wait for it.
        from voltaun.database import monitors
        self._see_to_certificate()
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

    def _see_to_certificate(self) -> None:
        if self._renew is None or time.monotonic() - self._renewed < RENEWED_EVERY_S:
            return
        self._renewed = time.monotonic()
        try:
            self._renew()
        except (OSError, ValueError) as error:
            logging.getLogger("voltaun").warning("the certificate stays as it is: %s", error)

    def _read(self, rig_id: int, connection: sqlite3.Connection) -> None:
        from voltaun.intake.monitor import read_monitor
        read_monitor(connection, rig_id, clock.now())

    def _copy(self, connection: sqlite3.Connection) -> None:
        from voltaun.database import changes
        now = clock.now()
        if self._copies.make(connection, self._database, now):
            with transaction(connection):
                changes.forget_old(connection, now)
