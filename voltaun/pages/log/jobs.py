"""Imports that take longer than a person waits for a page: each in a thread, with its progress, to be cancelled.

A samples file is read whole first; what cannot be with this rig is asked about before anything of it is kept.
"""

from __future__ import annotations

import itertools
import logging
import sqlite3
import tempfile
import threading
from contextlib import closing
from dataclasses import dataclass, field
from typing import IO, TYPE_CHECKING

from voltaun import clock
from voltaun.core.rig.bank import nominal_voltage
from voltaun.database import archive, rigs
from voltaun.database.connection import connect_reading, in_words
from voltaun.database.imports import AnotherUnderWay, cut_off
from voltaun.formats import FileFaults
from voltaun.formats.archive import is_archive, parse, read_archive
from voltaun.formats.samples_csv import Told, pieces
from voltaun.intake.bringing import bring_archive, bring_samples
from voltaun.intake.staged import Cancelled, Staged

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from werkzeug.datastructures import FileStorage

    from voltaun.formats.mapping import Mapping

KEPT = 20
"""Ended jobs are remembered so long that their page can be asked for once more."""

WAIT_FOR_ANSWER = 3600.0
"""A question that nobody answers within this time, s, is answered with no."""


@dataclass
class Job:
    """One import: how far it is, what it asks, and once it has ended what it did or what was wrong."""

    id: int
    rig_id: int
    name: str
    size: int
    rows: int = 0
    read: int = 0
    state: str = "under way"  # "asked"; then "done", "refused", "cancelled" or "failed"
    words: list[str] = field(default_factory=list)
    brought: list[int] = field(default_factory=list)
    stop: threading.Event = field(default_factory=threading.Event)
    sure: threading.Event = field(default_factory=threading.Event)

    @property
    def share(self) -> float:
        """How much of the file was read, 0–1."""
        return min(1.0, self.read / self.size) if self.size else 0.0


class Jobs:
    """The imports of this server, by number."""

    def __init__(self, database: Path) -> None:
        self._database, self._numbers = database, itertools.count(1)
        self._jobs: dict[int, Job] = {}
        self._lock = threading.Lock()

    def get(self, rig_id: int, job_id: int) -> Job | None:
        """A rig's job, or None."""
        job = self._jobs.get(job_id)
        return job if job and job.rig_id == rig_id else None

    def samples(self, rig_id: int, sent: IO[bytes], mapping: Mapping, name: str) -> Job:
        """Begin to bring a samples file in; `sent` is a binary file, which is closed once it is read."""
        return self._start(rig_id, name, sent, lambda job, file: self._samples(job, file, mapping))

    def archive(self, rig_id: int, sent: IO[bytes], name: str) -> Job:
        """Begin to bring an archive in. rig_id  0 where no rig stands yet"""
        return self._start(rig_id, name, sent, self._archive)

    def _start(self, rig_id: int, name: str, file: IO[bytes], work: Callable[[Job, IO[bytes]], None]) -> Job:
        size = file.seek(0, 2)
        file.seek(0)
        with self._lock:
            job = Job(next(self._numbers), rig_id, name, size)
            self._jobs[job.id] = job
            for old in [each for each in self._jobs.values() if each.state not in ("under way", "asked")][:-KEPT]:
                del self._jobs[old.id]
        threading.Thread(target=self._run, args=(job, file, work), name=f"import-{job.id}", daemon=True).start()
        return job

    def _run(self, job: Job, file: IO[bytes], work: Callable[[Job, IO[bytes]], None]) -> None:
        # The words before the state: a page that sees that it has ended shows why.
        try:
            with file:
                work(job, file)
        except Cancelled:
            job.words, job.state = ["Stopped. Nothing of the file was kept."], "cancelled"
        except (FileFaults, archive.ArchiveFault) as faults:
            job.words, job.state = str(faults).split("\n"), "refused"
        except AnotherUnderWay as another:
            job.words, job.state = [f"{str(another)[:1].upper()}{str(another)[1:]}, then send this again."], "refused"
        except Exception as error:  # noqa: BLE001 (told on the page and in the terminal; the server lives on)
            logging.getLogger("voltaun").exception("an import stumbled")
            job.words = [f"The import stumbled: {in_words(error, self._database)}.", self._left_behind()]
            job.state = "failed"
        else:
            job.state = "done"

    def _left_behind(self) -> str:
        """What of an import that stumbled is in the file: what took it out may have stumbled over the same."""
        try:
            with closing(connect_reading(self._database)) as db:
                left = cut_off(db)
        except (sqlite3.Error, OSError):
            return "Whether any of it was kept cannot be read just now. Look at Log again once the file can be read."
        return ("Part of it is still in the file. It is taken out before the next import, or at the next start." if left
                else "Nothing of the file was kept.")

    def _samples(self, job: Job, file: IO[bytes], mapping: Mapping) -> None:
        told = Told()

        def read(rows: int) -> bool:
            job.rows, job.read = rows, file.tell()
            return not job.stop.is_set()

        def keep(rows: int) -> bool:
            job.rows = rows
            return not job.stop.is_set()
        with closing(connect_reading(self._database)) as db:
            rig = rigs.there(db, job.rig_id).rig
        with closing(Staged(pieces(file, rig.zone, mapping, told, nominal_voltage(rig.bank)), read)) as staged:
            doubt = staged.doubt(rig, clock.now())
            if doubt and not self._answer(job, f"Found {doubt}. Is that right?"):
                raise Cancelled
            brought, made = bring_samples(self._database, job.rig_id, staged, job.name, clock.now(), keep)
        job.words = [f"{brought.added} samples came in, {brought.same} were there already; {made} readings from them."]
        job.words += [f"{brought.moved} rows were not in order of time."] if brought.moved else []
        job.words += [f"Note: {warning}." for warning in told.warnings]

    def _answer(self, job: Job, question: str) -> bool:
        """Whether the user is sure; waits for the answer."""
        job.words, job.state = [question], "asked"
        waited = 0.0
        while not job.sure.wait(0.2):
            waited += 0.2
            if job.stop.is_set() or waited > WAIT_FOR_ANSWER:
                return False
        job.words, job.state = [], "under way"
        return True

    def _archive(self, job: Job, file: IO[bytes]) -> None:
        document = parse(file.read())
        if not is_archive(document):
            faults = FileFaults()
            faults.add("the file", "no archive", "an archive that Voltaun wrote")
            raise faults
        kept, told = read_archive(document, archive.schema())

        def keep(rows: int) -> bool:
            job.rows = rows
            return not job.stop.is_set()
        job.brought = bring_archive(self._database, kept, told, keep)
        with closing(connect_reading(self._database)) as db:
            names = [rigs.there(db, number, also_removed=True).rig.name for number in job.brought]
        job.words = [f"All of {', '.join(names) or 'the archive'} is kept."]


class Stash:
    """Files that were sent and are not decided on yet; a few, and only as long as the server runs."""

    MOST = 8

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._files: dict[str, tuple[int, str, IO[bytes]]] = {}

    def put(self, rig_id: int, sent: FileStorage) -> str:
        """Keep a file that was sent (a werkzeug FileStorage); its number."""
        file = tempfile.TemporaryFile(prefix="voltaun-")  # noqa: SIM115 (closed when it is let go of)
        sent.save(file)
        with self._lock:
            number = str(next(_STASHED))
            self._files[number] = (rig_id, (sent.filename or "a file")[:200], file)
            while len(self._files) > self.MOST:
                self._files.pop(next(iter(self._files)))[2].close()
        return number

    def get(self, rig_id: int, number: str) -> tuple[IO[bytes], str] | None:
        """The file and its name, or None."""
        found = self._files.get(number)
        return (found[2], found[1]) if found and found[0] == rig_id else None

    def take(self, rig_id: int, number: str) -> tuple[IO[bytes], str] | None:
        """The file and its name, which are not kept here any longer, or None."""
        found = self.get(rig_id, number)
        if found:
            del self._files[number]
        return found


_STASHED = itertools.count(1)
