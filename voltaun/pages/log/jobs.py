"""Imports that take longer than a person waits for a page: each in a thread, with its progress, to be cancelled."""

import itertools
import logging
import tempfile
import threading
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

from voltaun import clock
from voltaun.database import monitors, rigs, samples
from voltaun.database.connection import connect, transaction
from voltaun.formats import FileFaults
from voltaun.formats.samples_csv import Told, pieces
from voltaun.monitoring import condense

KEPT = 20
"""Ended jobs are remembered so long that their page can be asked for once more."""


@dataclass
class Job:
    """One import: how far it is, and once it has ended what it did or what was wrong."""

    id: int
    rig_id: int
    size: int
    rows: int = 0
    read: int = 0
    state: str = "under way"  # then "done", "refused", "cancelled" or "failed"
    words: list[str] = field(default_factory=list)
    stop: threading.Event = field(default_factory=threading.Event)

    @property
    def share(self) -> float:
        """How much of the file was read, 0–1."""
        return min(1.0, self.read / self.size) if self.size else 0.0


class Jobs:
    """The imports of this server, by number."""

    def __init__(self, database: Path):
        self._database, self._jobs, self._numbers = database, {}, itertools.count(1)
        self._lock = threading.Lock()

    def get(self, rig_id: int, job_id: int) -> Job | None:
        """A rig's job, or None."""
        job = self._jobs.get(job_id)
        return job if job and job.rig_id == rig_id else None

    def start(self, rig_id: int, sent) -> Job:
        """Take in a file that was sent (a werkzeug FileStorage) and begin."""
        file = tempfile.TemporaryFile(prefix="voltaun-")  # noqa: SIM115 (closed by the thread)
        sent.save(file)
        size = file.tell()
        file.seek(0)
        with self._lock:
            job = Job(next(self._numbers), rig_id, size)
            self._jobs[job.id] = job
            for old in [each for each in self._jobs.values() if each.state != "under way"][:-KEPT]:
                del self._jobs[old.id]
        threading.Thread(target=self._run, args=(job, file), name=f"import-{job.id}", daemon=True).start()
        return job

    def _run(self, job: Job, file) -> None:
        told = Told()

        def go_on(rows):
            job.rows, job.read = rows, file.tell()
            return not job.stop.is_set()
        try:
            with file, closing(connect(self._database)) as db, transaction(db):
                rig = rigs.get(db, job.rig_id).rig
                mapping = monitors.setting(db, job.rig_id, "samples_mapping", {})
                brought = samples.bring(db, job.rig_id, pieces(file, rig.zone, mapping, told), go_on)
                made = condense(db, job.rig_id, clock.now())
        except samples.Cancelled:
            job.state, job.words = "cancelled", ["Stopped. Nothing of the file was kept."]
        except FileFaults as faults:
            job.state, job.words = "refused", str(faults).split("\n")
        except Exception as error:  # noqa: BLE001 (told on the page and in the terminal; the server lives on)
            logging.getLogger("voltaun").exception("an import stumbled")
            job.state, job.words = "failed", [f"The import stumbled ({error}). Nothing of the file was kept."]
        else:
            job.words = [f"{brought.added} samples came in, {brought.same} were there already; {made} readings from "
                         "them."]
            job.words += [f"{brought.moved} rows were not in order of time."] if brought.moved else []
            job.words += [f"Note: {warning}." for warning in told.warnings]
            job.state = "done"
