"""Commands that bring files into the database and write them out of it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from voltaun.cli.common import (
    FILE,
    Refused,
    db_option,
    db_path,
    json_flag,
    kept_rig,
    now,
    open_db,
    over_option,
    progress,
    read_db,
    refusing,
    rig_from,
    say,
    warn,
    write_out,
)

if TYPE_CHECKING:
    from collections.abc import Iterable
    from sqlite3 import Connection
    from zoneinfo import ZoneInfo

    from voltaun.core.log.reading import Reading
    from voltaun.core.rig.rig import Rig
    from voltaun.database.readings import KeptReading
    from voltaun.database.rigs import KeptRig
    from voltaun.formats.mapping import Mapping
    from voltaun.intake.logs import Unsure


@click.command("import", short_help="Bring in a log, samples, a rig or an archive")
@click.argument("file", type=FILE)
@click.option("--rig", "rig_name", help="The rig that a log belongs to, if there are several.")
@click.option("--differing", type=click.Choice(["keep", "replace"]),
              help="What to do with readings, or a rig, that are already there and differ.")
@click.option("--map", "mapping", type=FILE,
              help="How a file of another shape is read: a mapping as the pages write it (docs/files.md).")
@click.option("--sure", is_flag=True, help="Keep figures that would be asked about.")
@db_option
@json_flag
def import_file(file: Path, rig_name: str | None, differing: str | None, mapping: Path | None, sure: bool,
                db: Path | None, as_json: bool) -> None:
    """Bring a log CSV, samples CSV, rig file or archive into the database; all of it, or nothing."""
    from voltaun.formats.archive import is_archive
    from voltaun.formats.mapping import SAMPLES, read_mapping
    from voltaun.formats.tables import AS_CSV, not_a_table
    with file.open("rb") as opened:
        start = opened.read(65_536)
    other = not_a_table(start)
    if other:
        raise Refused(f"{file}: found {other}, expected {AS_CSV}")
    mapped = mapping and refusing(read_mapping, _text_of(mapping), file=mapping)
    if mapped:
        bring = _import_samples if mapped.kind == SAMPLES else _import_log
        bring(file, rig_name, differing, mapped, sure, db, as_json)
    elif start.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] in (b"{", b"["):
        document = _document(file)
        if is_archive(document):
            _import_archive(file, document, db, as_json)
        else:
            _import_rig(file.read_bytes(), differing, db, as_json)
    elif _holds_samples(start, rig_name, db):
        _import_samples(file, rig_name, differing, None, sure, db, as_json)
    else:
        _import_log(file, rig_name, differing, None, sure, db, as_json)


def _text_of(file: Path) -> str:
    from voltaun.formats.log_csv import decode
    if file.stat().st_size > 2 ** 20:
        raise Refused(f"{file}: found {file.stat().st_size} bytes, expected a mapping of less than 1 MB")
    return refusing(decode, file.read_bytes(), file=file)


def _document(file: Path) -> dict[str, Any]:
    """A JSON file parsed, or None; an archive that would not fit into memory is refused unread."""
    from voltaun.formats.archive import parse
    return refusing(parse, file.read_bytes(), file=file)


def _holds_samples(start: bytes, rig_name: str | None, db: Path | None) -> bool:
    """Whether a CSV holds samples: in the open shape, or with the names that were mapped for the rig."""
    from voltaun.formats.samples_csv import header, looks_like_samples
    from voltaun.intake.bringing import mapping_of
    first_line = start.decode("utf-8-sig", "replace")
    if looks_like_samples(first_line):
        return True
    names, _ = header(first_line)
    if "read_at" in names or not db_path(db).exists():
        return False
    with read_db(db) as connection:
        known = mapping_of(connection, kept_rig(connection, rig_name).id)
        return any(column.of == "at" and theirs in names for theirs, column in known.columns.items())


def _import_archive(file: Path, document: dict[str, Any], db: Path | None, as_json: bool) -> None:
    from voltaun.database import archive, rigs
    from voltaun.database.imports import AnotherUnderWay
    from voltaun.formats.archive import read_archive
    from voltaun.intake.bringing import bring_archive
    kept, told = refusing(read_archive, document, archive.schema(), file=file)
    with open_db(db, create=True) as connection:
        try:
            numbers = bring_archive(db_path(db), kept, told)
        except (archive.ArchiveFault, AnotherUnderWay) as error:
            raise Refused(f"{file}: {error}") from error
        names = [rigs.there(connection, number, also_removed=True).rig.name for number in numbers]
    say({"rigs": names}, f"{', '.join(names) or 'No rig'}: all of the archive is kept.", as_json)


def _import_samples(file: Path, rig_name: str | None, differing: str | None, mapping: Mapping | None, sure: bool,
                    db: Path | None, as_json: bool) -> None:
    from voltaun.core.rig.bank import nominal_voltage
    from voltaun.database.imports import AnotherUnderWay
    from voltaun.formats.samples_csv import Told, pieces
    from voltaun.intake.bringing import bring_samples, mapping_of
    from voltaun.intake.staged import Staged
    told, size = Told(), max(1, file.stat().st_size)
    with read_db(db) as connection, file.open("rb") as opened, progress() as said:
        kept = kept_rig(connection, rig_name)

        def shown(rows: int) -> bool:
            said(f"{rows} rows read, {100 * opened.tell() / size:.0f} %")
            return True

        def brought_so_far(rows: int) -> bool:
            said(f"{rows} of {staged.rows} kept")
            return True
        read = pieces(opened, kept.rig.zone, mapping or mapping_of(connection, kept.id), told,
                      nominal_voltage(kept.rig.bank))
        staged = refusing(Staged, read, shown, file=file)
        try:
            doubt = None if sure else staged.doubt(kept.rig, now())
            if doubt:
                raise Refused(f"{file}: found {doubt}, which is hardly so; nothing was kept. "
                              "If it is right, say --sure")
            brought, made = bring_samples(db_path(db), kept.id, staged, file.name, now(), brought_so_far)
        except AnotherUnderWay as another:
            raise Refused(str(another)) from another
        finally:
            staged.close()
    warn(told.warnings)
    if brought.moved:
        warn([f"{brought.moved} rows were not in order of time"])
    say({"rig": kept.rig.name, "added": brought.added, "same": brought.same, "readings": made,
          "warnings": told.warnings},
         f"{kept.rig.name}: {brought.added} samples added, {brought.same} already there; {made} readings from them.",
         as_json)


def _import_rig(data: bytes, differing: str | None, db: Path | None, as_json: bool) -> None:
    from voltaun.database import clearsky, rigs
    from voltaun.database.connection import transaction
    rig = rig_from(data)
    with open_db(db, create=True) as connection:
        clearsky.tables(connection, rig)  # made before the transaction, which should be short
        with transaction(connection):
            kept = rigs.find(connection, rig.name)
            if kept is None:
                rigs.add(connection, rig)
            elif kept.rig != rig and differing is None:
                raise Refused(f"found another rig named {rig.name!r} in the database, expected a new name, or "
                              "--differing keep or replace")
            elif kept.rig != rig and differing == "replace":
                rigs.save(connection, kept, rig, now())
    say({"rig": rig.name}, f"{rig.name}: the rig is kept.", as_json)


def _import_log(file: Path, rig_name: str | None, differing: str | None, mapping: Mapping | None, sure: bool,
                db: Path | None, as_json: bool) -> None:
    from voltaun.database import readings
    from voltaun.formats.log_csv import read_log
    from voltaun.intake.bringing import log_grounds
    from voltaun.intake.logs import Unsure, bring_log
    with open_db(db) as connection:
        kept = kept_rig(connection, rig_name)
        log = refusing(read_log, file.read_bytes(), kept.rig.zone, now(), mapping, log_grounds(kept.rig), file=file)
        warn(log.warnings)
        try:
            merged = bring_log(connection, kept, log.readings, file.name, now(), differing, sure)
        except readings.ReadingsDiffer as error:
            raise Refused(_differing_text(error.pairs, kept.rig.zone)) from error
        except Unsure as unsure:
            raise Refused(_unsure_text(unsure, kept.rig)) from unsure
    say({"rig": kept.rig.name, "added": merged.added, "same": merged.same, "replaced": merged.replaced,
          "kept": merged.kept, "warnings": log.warnings},
         f"{kept.rig.name}: {merged.added} readings added, {merged.same} already there, {merged.replaced} replaced, "
         f"{merged.kept} kept as they were.", as_json)


def _unsure_text(unsure: Unsure, rig: Rig) -> str:
    from voltaun.words.sentences import doubt_words
    doubts = unsure.doubts
    lines = [f"{each.at.astimezone(rig.zone):%Y-%m-%d %H:%M}: {doubt_words(each, rig)}" for each in doubts[:20]]
    more = [f"and {len(doubts) - 20} more{' at least' if unsure.more else ''}"] if len(doubts) > 20 else []
    return "\n".join(["found figures that would change what the log says; nothing was kept:", *lines, *more,
                      "If they are right, say --sure; else correct them in the file."])


def _differing_text(pairs: list[tuple[KeptReading, Reading]], zone: ZoneInfo) -> str:
    shown = ", ".join(f"{kept.reading.at.astimezone(zone):%Y-%m-%d %H:%M}" for kept, _ in pairs[:5])
    more = f" and {len(pairs) - 5} more" if len(pairs) > 5 else ""
    return (f"found other figures for {len(pairs)} readings already in the log ({shown}{more}), expected the same; "
            "choose --differing keep or --differing replace")


@click.command(short_help="Write out a log, samples, a rig or an archive")
@click.option("--rig", "rig_name", help="Which rig, if there are several.")
@click.option("--as", "kind", type=click.Choice(["log-csv", "samples-csv", "rig", "archive"]), default="log-csv",
              show_default=True, help="What is written.")
@db_option
@click.option("-o", "--output", type=click.Path(path_type=Path), help="Without it, standard output.")
@over_option
def export(rig_name: str | None, kind: str, db: Path | None, output: Path | None, over: bool) -> None:
    """Write a rig's log, with what was reckoned marked as such, its samples, the rig itself, or everything of one rig
    or of all, the removed ones too."""
    with read_db(db) as connection:
        kept = None if kind == "archive" and rig_name is None else kept_rig(connection, rig_name)
        write_out(output, _exported(connection, kept, kind), over, db)


def _exported(connection: Connection, kept: KeptRig | None, kind: str) -> Iterable[str]:
    """What is exported, as pieces of text."""
    from voltaun.core.learned.account import reckon
    from voltaun.database import clearsky, readings, samples
    from voltaun.formats.log_csv import write_log
    from voltaun.formats.rig_file import write_rig
    if kept is None or kind == "archive":
        from voltaun.database import archive, settings
        from voltaun.formats.archive import write_archive
        numbers = [kept.id] if kept else archive.everything(connection)
        return [write_archive(archive.schema(), [archive.rig_archive(connection, number) for number in numbers],
                              settings.told(connection))]
    if kind == "rig":
        return [write_rig(kept.rig)]
    if kind == "samples-csv":
        from voltaun.formats.samples_csv import write_samples
        return write_samples(samples.by_month(connection, kept.id))
    logged = [each.reading for each in readings.everything(connection, kept.id)]
    return [write_log(kept.rig, logged, reckon(kept.rig, logged, clearsky.sun_of(connection, kept.rig)).intervals)]
