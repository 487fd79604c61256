"""Bringing in what is large: samples and archives, checked whole first and then kept in blocks, between which others
write. Cut off half-way, nothing of it stays: what is unfinished is swept out before the next one begins."""

import time
from collections.abc import Callable
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path
from sqlite3 import Connection
from typing import Any

from voltaun.core.log.samples import readings_from
from voltaun.core.rig.bank import capacity_ah, nominal_voltage
from voltaun.core.rig.rig import Rig
from voltaun.database import archive, imports, monitors, readings, rigs, samples, settings
from voltaun.database.connection import connect, transaction
from voltaun.database.samples import Bringing
from voltaun.formats import FileFaults
from voltaun.formats.mapping import KEY, SAMPLES, Column, Mapping, from_document
from voltaun.formats.translating import Grounds
from voltaun.intake.staged import BLOCK, Cancelled, Staged, instant_of

PAUSE = 0.11
"""Between blocks, s: a writer that waits at the file's lock looks again each tenth of a second at the latest."""

HOURS = (7, 19)
"""The local hours at which samples become readings, until the user says otherwise."""


def bring_samples(database: Path, rig_id: int, staged: Staged, name: str, now: datetime,
                  go_on: Callable[[int], bool] = lambda rows: True) -> tuple[samples.Brought, int]:
    """Keep staged samples and make readings of them; what came in, and how many readings.

    name  of the import. Raises Cancelled, AnotherUnderWay, sqlite3.Error; nothing of it is kept then.
    """
    with imports.alone(database), closing(connect(database)) as db:
        _sweep(db)
        with transaction(db):
            import_id = imports.begin(db, rig_id, "samples", name, now, imports.UNDER_WAY)
            imports.note(db, import_id, staged.rows, staged.first, staged.last, imports.UNDER_WAY)
        try:
            bringing = samples.Bringing(db, rig_id, import_id)
            for piece in staged.pieces():
                with transaction(db):
                    bringing.take(piece)
                let_others()
                if not go_on(bringing.rows):
                    raise Cancelled
            _sum_up(db, rig_id, bringing)
            made = 0
            if staged.first is not None and staged.last is not None:
                made = condense(db, rig_id, now, import_id=import_id,
                                since=instant_of(staged.first) - timedelta(seconds=1),
                                until=instant_of(staged.last) + timedelta(hours=1))
            with transaction(db):
                imports.note(db, import_id, bringing.added, staged.first, staged.last)
        except BaseException:
            _undo(db, rig_id, import_id)
            raise
    return bringing.brought, made


def _sum_up(db: Connection, rig_id: int, bringing: Bringing) -> None:
    with transaction(db):
        stretches = bringing.finish()
    for start, end in stretches:
        with transaction(db):
            samples.sum_up_again(db, rig_id, start, end)
        let_others()


def let_others() -> None:
    """Let a writer that waits have its turn."""
    time.sleep(PAUSE)


def sweep(database: Path) -> None:
    """Take out what an import that was cut off left behind, unless one is under way."""
    try:
        with imports.alone(database), closing(connect(database)) as db:
            _sweep(db)
    except imports.AnotherUnderWay:
        return


def _sweep(db: Connection) -> None:
    for rig_id, import_id in imports.unfinished(db):
        _undo(db, rig_id, import_id)
    with transaction(db):
        archive.forget_hidden(db)


def _undo(db: Connection, rig_id: int, import_id: int) -> None:
    """Take out all of an import that did not end."""
    of = imports.get(db, rig_id, import_id)
    if of is None:
        return
    for month, after in samples.months(db, rig_id, of.first_at, of.last_at) if (
            of.first_at is not None and of.last_at is not None) else ():
        with transaction(db):
            samples.drop(db, rig_id, int(month.timestamp()), int(after.timestamp()), import_id)
        let_others()
    with transaction(db):
        imports.take_back(db, rig_id, import_id, of.at)
        imports.forget(db, import_id)


def mapping_of(connection: Connection, rig_id: int) -> Mapping:
    """How the rig's samples files were last read; an empty mapping when that was in the open shape."""
    kept = monitors.setting(connection, rig_id, "samples_mapping", {})
    try:
        if KEY in kept:
            return from_document(kept)
        return Mapping(SAMPLES, columns={theirs: Column(ours) for ours, theirs in kept.items()})  # of earlier releases
    except (FileFaults, TypeError, AttributeError):
        return Mapping(SAMPLES)


def log_grounds(rig: Rig) -> Grounds:
    """What of a rig reading a log of another shape needs."""
    return Grounds(nominal_voltage(rig.bank), capacity_ah(rig.bank))


def take_back(database: Path, rig_id: int, import_id: int, now: datetime) -> imports.Moved:
    """Take a whole import back. Raises AnotherUnderWay, LookupError."""
    with imports.alone(database), closing(connect(database)) as db:
        of = imports.get(db, rig_id, import_id)
        if of is None or of.state != imports.KEPT:
            raise LookupError("there is no such import to take back")
        if of.kind == "samples" and of.first_at is not None and of.last_at is not None:
            _take_out(db, rig_id, of.first_at, of.last_at + 1, now, import_id)
        with transaction(db):
            return imports.take_back(db, rig_id, import_id, now)


def bring_back(database: Path, rig_id: int, import_id: int, now: datetime) -> imports.Moved:
    """Bring an import that was taken back in again. Raises AnotherUnderWay, LookupError."""
    with imports.alone(database), closing(connect(database)) as db:
        of = imports.get(db, rig_id, import_id)
        if of is None or of.state != imports.TAKEN_BACK:
            raise LookupError("there is no such import to bring back")
        _put_back(db, rig_id, samples.out_of_import(db, rig_id, import_id))
        with transaction(db):
            return imports.bring_back(db, rig_id, import_id, now)


def remove_samples(database: Path, rig_id: int, start: datetime, end: datetime, now: datetime) -> int:
    """Take the samples of a period out, and the readings that were made of them; how many samples."""
    with imports.alone(database), closing(connect(database)) as db:
        taken = _take_out(db, rig_id, int(start.timestamp()), int(end.timestamp()), now, None)
        with transaction(db):
            for each in readings.since(db, rig_id, start, end):
                if each.reading.at_bank:
                    readings.remove(db, rig_id, each.id, each.version, now)
    return taken


def put_samples_back(database: Path, rig_id: int, removal: int, now: datetime) -> int:
    """Bring samples that were taken out back, and make readings of them again; how many samples."""
    with imports.alone(database), closing(connect(database)) as db:
        span = samples.removed_span(db, rig_id, removal)
        if span is None:
            raise LookupError("there are no such samples")
        back = _put_back(db, rig_id, samples.removed(db, rig_id, removal))
        condense(db, rig_id, now, since=instant_of(span[0]) - timedelta(seconds=1),
                 until=instant_of(span[1]) + timedelta(hours=1))
    return back


def _take_out(db: Connection, rig_id: int, start: int, end: int, now: datetime, import_id: int | None) -> int:
    removal, taken = samples.new_removal(db), 0
    for month, after in samples.months(db, rig_id, start, end - 1):
        with transaction(db):
            taken += samples.take_out(db, rig_id, max(start, int(month.timestamp())), min(end, int(after.timestamp())),
                                      now, removal, import_id)
        let_others()
    return taken


def _put_back(db: Connection, rig_id: int, numbers: list[int]) -> int:
    back = 0
    for number in numbers:
        with transaction(db):
            back += samples.put_back(db, rig_id, number)
        let_others()
    return back


def condense(connection: Connection, rig_id: int, now: datetime, since: datetime | None = None,
             until: datetime | None = None, import_id: int | None = None) -> int:
    """Turn samples into readings at the hours chosen for the rig; how many were new. Not to be called in a transaction.

    since, until  only after and up to those instants; without since after the last reading that came from samples.
    An instant at which a reading stands keeps it. import_id  the import that they come with
    """
    kept = rigs.there(connection, rig_id)
    chosen = tuple(monitors.setting(connection, rig_id, "reading_hours", HOURS))
    if since is None:
        since = readings.newest_at(connection, rig_id, at_bank=True)
    begin = (since - timedelta(days=2)).timestamp() if since else 0
    summed = samples.hours_between(connection, rig_id, begin, now.timestamp())
    made = [reading for reading in readings_from(kept.rig, summed, chosen, since)
            if reading.at <= now and (until is None or reading.at <= until)]
    with transaction(connection):
        standing = {each.reading.at for each in readings.since(connection, rig_id, made[0].at)} if made else set()
        new = [reading for reading in made if reading.at not in standing]
        readings.add_many(connection, rig_id, new, import_id)
    return len(new)


def bring_archive(database: Path, documents: list[dict[str, Any]], told: dict[str, str],
                  go_on: Callable[[int], bool] = lambda rows: True) -> list[int]:
    """Keep the rigs and settings of an archive; the rigs' numbers. All of it, or nothing.

    Raises ArchiveFault, Cancelled, AnotherUnderWay, sqlite3.Error.
    """
    with imports.alone(database), closing(connect(database)) as db:
        _sweep(db)
        hidden, rows = [], 0
        try:
            with transaction(db):
                hidden = [(*archive.add_hidden(db, document), document) for document in documents]
            for rig_id, _, document in hidden:
                for month in archive.months_of(document):
                    bringing = samples.Bringing(db, rig_id)
                    for n in range(0, len(month), BLOCK):
                        with transaction(db):
                            bringing.take(month.part(slice(n, n + BLOCK)))
                        let_others()
                    _sum_up(db, rig_id, bringing)
                    rows += len(month)
                    if not go_on(rows):
                        raise Cancelled
            with transaction(db):
                for rig_id, removed, _ in hidden:
                    archive.show(db, rig_id, removed)
                settings.take(db, told)
                settings.new_epoch(db)
        except BaseException:
            with transaction(db):
                archive.forget_hidden(db)
            raise
        return [rig_id for rig_id, _, _ in hidden]
