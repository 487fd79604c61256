"""The `voltaun` command: the same core calls as the pages."""

import json
import sys
from contextlib import closing
from pathlib import Path

import click

from voltaun import __version__, clock
from voltaun.formats import FileFaults

DEFAULT_PORT = 8140
LOOPBACK = ("127.0.0.1", "localhost", "::1")


class Refused(click.ClickException):
    """Bad input: said on standard error, exit 2, nothing written."""

    exit_code = 2

    def show(self, file=None):
        click.echo(f"voltaun: {self.message}", err=True)


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="voltaun")
def main():
    """A logbook that reckons: how long an off-grid battery lasts, and what to do about it."""


def db_option(command):
    return click.option("--db", type=click.Path(dir_okay=False, path_type=Path),
                        help="The database file; without it the one in your data folder.")(command)


json_flag = click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")


def open_db(db: Path | None):
    from voltaun.database.connection import DatabaseFault, connect, default_path, prepare
    path = db or default_path()
    try:
        prepare(path)
    except DatabaseFault as fault:
        raise Refused(str(fault)) from fault
    return closing(connect(path))


# The application

@main.command()
@db_option
@click.option("--host", default="127.0.0.1", show_default=True, help="An address of this machine only.")
@click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(1, 65535))
def serve(db, host, port):
    """Serve the application to this machine."""
    from voltaun.database.connection import default_path
    if host not in LOOPBACK:
        raise Refused(f"--host: found {host}, expected one of {', '.join(LOOPBACK)}: Voltaun listens to this "
                      "machine only")
    _serve(db or default_path(), host, port)


@main.command()
@db_option
@click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(1, 65535))
def demo(db, port):
    """Serve the application with the demo data, in a temporary database unless --db keeps it."""
    import tempfile

    from voltaun.demo.fill import fill
    with tempfile.TemporaryDirectory(prefix="voltaun-demo-") as folder:
        path = db or Path(folder) / "demo.db"
        with open_db(path) as connection:
            fill(connection, now())
        _serve(path, "127.0.0.1", port)


def _serve(path, host, port):
    import waitress

    from voltaun.database.connection import DatabaseFault
    from voltaun.monitoring import Watch
    from voltaun.pages import create_app
    try:
        server = waitress.create_server(create_app(path), host=host, port=port, ident=None, threads=6)
    except DatabaseFault as fault:
        raise Refused(str(fault)) from fault
    except OSError as error:
        raise Refused(f"--port: {port} cannot be used ({error.strerror}); another may be free, "
                      f"such as --port {port + 1}") from error
    watch = Watch(path)
    watch.start()
    shown = f"[{host}]" if ":" in host else host
    click.echo(f"Voltaun is at http://{shown}:{port}  (Ctrl-C stops it)")
    try:
        server.run()
    except KeyboardInterrupt:
        click.echo("Stopped.")
    finally:
        watch.stop()


# Files in and out of the database

@main.command("import")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--rig", "rig_name", help="The rig that a log belongs to, if there are several.")
@click.option("--differing", type=click.Choice(["keep", "replace"]),
              help="What to do with readings, or a rig, that are already there and differ.")
@db_option
@json_flag
def import_file(file, rig_name, differing, db, as_json):
    """Bring a log CSV, samples CSV, rig file or archive into the database; all of it, or nothing."""
    from voltaun.formats.archive import is_archive
    with file.open("rb") as opened:
        start = opened.read(65_536)
    if start.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] in (b"{", b"["):
        data = file.read_bytes()
        try:
            document = json.loads(data)
        except ValueError:
            document = None  # read again as a rig file, which says what is wrong
        if is_archive(document):
            _import_archive(file, document, db, as_json)
        else:
            _import_rig(data, differing, db, as_json)
    elif _holds_samples(start.partition(b"\n")[0].decode("utf-8-sig", "replace"), rig_name, db):
        _import_samples(file, rig_name, db, as_json)
    else:
        _import_log(file, file.read_bytes(), rig_name, differing, db, as_json)


def _holds_samples(first_line, rig_name, db) -> bool:
    """Whether a CSV holds samples: in the open shape, or with the names that were mapped for the rig."""
    from voltaun.database import monitors
    from voltaun.formats.samples_csv import header, looks_like_samples
    if looks_like_samples(first_line):
        return True
    names, _ = header(first_line)
    if "read_at" in names:
        return False
    with open_db(db) as connection:
        kept = _kept_rig(connection, rig_name)
        return monitors.setting(connection, kept.id, "samples_mapping", {}).get("at") in names


def _import_archive(file, document, db, as_json):
    from voltaun.database import archive, rigs, settings
    from voltaun.database.connection import transaction
    from voltaun.formats.archive import read_archive
    kept, told = refusing(read_archive, document, archive.schema(), file=file)
    with open_db(db) as connection:
        try:
            with transaction(connection):
                numbers = [archive.add_rig(connection, rig) for rig in kept]
                names = [rigs.get(connection, number).rig.name for number in numbers]  # each a legal rig
                settings.take(connection, told)
        except (archive.ArchiveFault, ValueError) as error:
            raise Refused(f"{file}: {error}") from error
    say({"rigs": names}, f"{', '.join(names) or 'No rig'}: all of the archive is kept.", as_json)


def _import_samples(file, rig_name, db, as_json):
    from voltaun.database import monitors, samples
    from voltaun.database.connection import transaction
    from voltaun.formats.samples_csv import Told, pieces
    from voltaun.monitoring import condense
    told, size = Told(), max(1, file.stat().st_size)
    with open_db(db) as connection, file.open("rb") as opened:
        kept = _kept_rig(connection, rig_name)

        def go_on(rows):
            if sys.stderr.isatty():
                click.echo(f"\r{rows} rows, {100 * opened.tell() / size:.0f} %", nl=False, err=True)
            return True
        mapping = monitors.setting(connection, kept.id, "samples_mapping", {})
        try:
            with transaction(connection):
                read = pieces(opened, kept.rig.zone, mapping, told)
                brought = refusing(samples.bring, connection, kept.id, read, go_on, file=file)
                made = condense(connection, kept.id, now())
        finally:
            if sys.stderr.isatty():
                click.echo("\r", nl=False, err=True)
    warn(told.warnings)
    if brought.moved:
        warn([f"{brought.moved} rows were not in order of time"])
    say({"rig": kept.rig.name, "added": brought.added, "same": brought.same, "readings": made,
          "warnings": told.warnings},
         f"{kept.rig.name}: {brought.added} samples added, {brought.same} already there; {made} readings from them.",
         as_json)


def _import_rig(data, differing, db, as_json):
    from voltaun.database import clearsky, rigs
    from voltaun.database.connection import transaction
    rig = rig_from(data)
    with open_db(db) as connection:
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


def _import_log(file, data, rig_name, differing, db, as_json):
    from voltaun.database import readings
    from voltaun.database.connection import transaction
    from voltaun.formats.log_csv import read_log
    with open_db(db) as connection:
        kept = _kept_rig(connection, rig_name)
        log = refusing(read_log, data, kept.rig.zone, now(), file=file)
        warn(log.warnings)
        try:
            with transaction(connection):
                merged = readings.merge(connection, kept.id, log.readings, now(), differing)
        except readings.ReadingsDiffer as error:
            raise Refused(_differing_text(error.pairs, kept.rig.zone)) from error
    say({"rig": kept.rig.name, "added": merged.added, "same": merged.same, "replaced": merged.replaced,
          "kept": merged.kept, "warnings": log.warnings},
         f"{kept.rig.name}: {merged.added} readings added, {merged.same} already there, {merged.replaced} replaced, "
         f"{merged.kept} kept as they were.", as_json)


def _differing_text(pairs, zone):
    shown = ", ".join(f"{kept.reading.at.astimezone(zone):%Y-%m-%d %H:%M}" for kept, _ in pairs[:5])
    more = f" and {len(pairs) - 5} more" if len(pairs) > 5 else ""
    return (f"found other figures for {len(pairs)} readings already in the log ({shown}{more}), expected the same; "
            "choose --differing keep or --differing replace")


@main.command()
@click.option("--rig", "rig_name", help="Which rig, if there are several.")
@click.option("--as", "kind", type=click.Choice(["log-csv", "rig", "archive"]), default="log-csv", show_default=True)
@db_option
@click.option("-o", "--output", type=click.Path(dir_okay=False, path_type=Path), help="Without it, standard output.")
def export(rig_name, kind, db, output):
    """Write a rig's log, with what was reckoned marked as such, the rig itself, or everything of one rig or all."""
    from voltaun.core.learn import reckon
    from voltaun.database import clearsky, readings, rigs
    from voltaun.formats.log_csv import write_log
    from voltaun.formats.rig_file import write_rig
    with open_db(db) as connection:
        kept = None if kind == "archive" and rig_name is None else _kept_rig(connection, rig_name)
        if kind == "archive":
            from voltaun.database import archive
            from voltaun.formats.archive import write_archive
            numbers = [kept.id] if kept else [number for number, _ in rigs.names(connection)]
            text = write_archive(archive.schema(), [archive.rig_archive(connection, number) for number in numbers],
                                 archive.settings_archive(connection))
        elif kind == "rig":
            text = write_rig(kept.rig)
        else:
            logged = [each.reading for each in readings.everything(connection, kept.id)]
            account = reckon(kept.rig, logged, clearsky.sun_of(connection, kept.rig))
            text = write_log(kept.rig, logged, account.intervals)
    if output:
        output.write_text(text, encoding="utf-8")
    else:
        sys.stdout.write(text)


def _kept_rig(connection, name):
    from voltaun.database import rigs
    known = rigs.names(connection)
    if name is None and len(known) == 1:
        name = known[0][1]
    listed = ", ".join(repr(each) for _, each in known) or "none yet; import a rig file first"
    if name is None:
        raise Refused(f"--rig: found nothing, expected one of the rigs in the database: {listed}")
    kept = rigs.find(connection, name)
    if kept is None:
        raise Refused(f"--rig: found {name!r}, expected one of the rigs in the database: {listed}")
    return kept


def say(answer, text, as_json):
    if as_json:
        click.echo(json.dumps(answer, ensure_ascii=False, indent=1))
    else:
        click.echo(text if isinstance(text, str) else text())


def now():
    try:
        return clock.now()
    except ValueError as error:
        raise Refused(str(error)) from error


def refusing(read, *args, file):
    try:
        return read(*args)
    except FileFaults as faults:
        text = "\n".join(f"{file}, {line}" if not line.startswith("and ") else line
                         for line in str(faults).split("\n"))
        raise Refused(text) from faults


def rig_from(data, file=None):
    from voltaun.core.rig import RigFaults
    from voltaun.formats.log_csv import decode
    from voltaun.formats.rig_file import read_rig
    where = file or "rig file"
    try:
        return read_rig(refusing(decode, data, file=where))
    except RigFaults as error:
        raise Refused("\n".join(f"{where}, {fault}" for fault in error.faults)) from error


def warn(warnings):
    for warning in warnings:
        click.echo(f"voltaun: note: {warning}", err=True)


def register() -> None:
    """Bring in the commands that stand in modules of their own."""
    from voltaun import cli_keeping, cli_reckoning  # noqa: F401 (each adds its commands to `main`)


register()
