"""The `voltaun` command: the same core calls as the pages."""

import json
import sys
from contextlib import closing
from datetime import date, datetime
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


def _db_option(command):
    return click.option("--db", type=click.Path(dir_okay=False, path_type=Path),
                        help="The database file; without it the one in your data folder.")(command)


_json_flag = click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")


def _open(db: Path | None):
    from voltaun.database.connection import DatabaseFault, connect, default_path, prepare
    path = db or default_path()
    try:
        prepare(path)
    except DatabaseFault as fault:
        raise Refused(str(fault)) from fault
    return closing(connect(path))


# The application

@main.command()
@_db_option
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
@_db_option
@click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(1, 65535))
def demo(db, port):
    """Serve the application with the demo data, in a temporary database unless --db keeps it."""
    import tempfile

    from voltaun.demo.fill import fill
    with tempfile.TemporaryDirectory(prefix="voltaun-demo-") as folder:
        path = db or Path(folder) / "demo.db"
        with _open(path) as connection:
            fill(connection, _now())
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
@_db_option
@_json_flag
def import_file(file, rig_name, differing, db, as_json):
    """Bring a log CSV, samples CSV, rig file or archive into the database; all of it, or nothing."""
    from voltaun.formats.samples_csv import looks_like_samples
    with file.open("rb") as opened:
        start = opened.read(65_536)
    if start.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] in (b"{", b"["):
        data = file.read_bytes()
        if b'"voltaun_archive"' in start:
            _import_archive(file, data, db, as_json)
        else:
            _import_rig(data, differing, db, as_json)
    elif looks_like_samples(start.partition(b"\n")[0].decode("utf-8-sig", "replace")):
        _import_samples(file, rig_name, db, as_json)
    else:
        _import_log(file, file.read_bytes(), rig_name, differing, db, as_json)


def _import_archive(file, data, db, as_json):
    from voltaun.database import archive, rigs, settings
    from voltaun.database.connection import transaction
    from voltaun.formats.archive import read_archive
    try:
        document = json.loads(data)
    except ValueError as error:
        raise Refused(f"{file}: found what is no JSON ({error}), expected an archive") from error
    kept, told = _refusing(read_archive, document, archive.schema(), file=file)
    with _open(db) as connection:
        try:
            with transaction(connection):
                numbers = [archive.add_rig(connection, rig) for rig in kept]
                names = [rigs.get(connection, number).rig.name for number in numbers]  # each a legal rig
                settings.take(connection, told)
        except (archive.ArchiveFault, ValueError) as error:
            raise Refused(f"{file}: {error}") from error
    _say({"rigs": names}, f"{', '.join(names) or 'No rig'}: all of the archive is kept.", as_json)


def _import_samples(file, rig_name, db, as_json):
    from voltaun.database import monitors, samples
    from voltaun.database.connection import transaction
    from voltaun.formats.samples_csv import Told, pieces
    from voltaun.monitoring import condense
    told, size = Told(), max(1, file.stat().st_size)
    with _open(db) as connection, file.open("rb") as opened:
        kept = _kept_rig(connection, rig_name)

        def go_on(rows):
            if sys.stderr.isatty():
                click.echo(f"\r{rows} rows, {100 * opened.tell() / size:.0f} %", nl=False, err=True)
            return True
        mapping = monitors.setting(connection, kept.id, "samples_mapping", {})
        try:
            with transaction(connection):
                read = pieces(opened, kept.rig.zone, mapping, told)
                brought = _refusing(samples.bring, connection, kept.id, read, go_on, file=file)
                made = condense(connection, kept.id, _now())
        finally:
            if sys.stderr.isatty():
                click.echo("\r", nl=False, err=True)
    _warn(told.warnings)
    if brought.moved:
        _warn([f"{brought.moved} rows were not in order of time"])
    _say({"rig": kept.rig.name, "added": brought.added, "same": brought.same, "readings": made,
          "warnings": told.warnings},
         f"{kept.rig.name}: {brought.added} samples added, {brought.same} already there; {made} readings from them.",
         as_json)


def _import_rig(data, differing, db, as_json):
    from voltaun.database import clearsky, rigs
    from voltaun.database.connection import transaction
    rig = _rig_from(data)
    with _open(db) as connection:
        clearsky.tables(connection, rig)  # made before the transaction, which should be short
        with transaction(connection):
            kept = rigs.find(connection, rig.name)
            if kept is None:
                rigs.add(connection, rig)
            elif kept.rig != rig and differing is None:
                raise Refused(f"found another rig named {rig.name!r} in the database, expected a new name, or "
                              "--differing keep or replace")
            elif kept.rig != rig and differing == "replace":
                rigs.save(connection, kept, rig, _now())
    _say({"rig": rig.name}, f"{rig.name}: the rig is kept.", as_json)


def _import_log(file, data, rig_name, differing, db, as_json):
    from voltaun.database import readings
    from voltaun.database.connection import transaction
    from voltaun.formats.log_csv import read_log
    with _open(db) as connection:
        kept = _kept_rig(connection, rig_name)
        log = _refusing(read_log, data, kept.rig.zone, _now(), file=file)
        _warn(log.warnings)
        try:
            with transaction(connection):
                merged = readings.merge(connection, kept.id, log.readings, _now(), differing)
        except readings.ReadingsDiffer as error:
            raise Refused(_differing_text(error.pairs, kept.rig.zone)) from error
    _say({"rig": kept.rig.name, "added": merged.added, "same": merged.same, "replaced": merged.replaced,
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
@_db_option
@click.option("-o", "--output", type=click.Path(dir_okay=False, path_type=Path), help="Without it, standard output.")
def export(rig_name, kind, db, output):
    """Write a rig's log, with what was reckoned marked as such, the rig itself, or everything of one rig or all."""
    from voltaun.core.learn import reckon
    from voltaun.database import clearsky, readings, rigs
    from voltaun.formats.log_csv import write_log
    from voltaun.formats.rig_file import write_rig
    with _open(db) as connection:
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


# Keeping the file safe

@main.command()
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@_db_option
def backup(file, db):
    """Copy the database to a file, while it is in use; the copy is itself a database."""
    from voltaun import keeping
    from voltaun.database.connection import DatabaseFault, default_path
    if file.resolve() == (db or default_path()).resolve():
        raise Refused(f"{file}: found the database itself, expected another place for the copy")
    with _open(db) as connection:
        try:
            keeping.backup(connection, file)
        except DatabaseFault as fault:
            raise Refused(str(fault)) from fault
    click.echo(f"{file}: the copy is whole.")


@main.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@_db_option
def restore(file, db):
    """Put a copy made by `backup` in the place of the database; what stood there is copied beside it first."""
    from voltaun import keeping
    from voltaun.database.connection import DatabaseFault, default_path
    try:
        before = keeping.restore(file, db or default_path(), _now())
    except DatabaseFault as fault:
        raise Refused(str(fault)) from fault
    click.echo(f"{file} is the database now." + (f" What stood there is in {before.name}." if before else ""))


@main.command()
@_db_option
@_json_flag
def check(db, as_json):
    """Tell whether the database is whole: the file, its links, and that the books of every rig add up."""
    from voltaun.database import check as checks
    with _open(db) as connection:
        faults = checks.faults(connection)
    _say({"whole": not faults, "faults": faults}, "\n".join(faults) or "All is whole.", as_json)
    if faults:
        raise Refused(f"{len(faults)} fault{'s' if len(faults) > 1 else ''} found; a dated copy may help: "
                      "voltaun restore FILE")


# Stand-ins

@main.group()
def standin():
    """Small simulated outside things, on this machine only."""


@standin.command("monitor")
@click.option("--port", default=8151, show_default=True, type=click.IntRange(1, 65535))
@click.option("--manner", type=click.Choice(["well", "silent", "slow", "lying", "garbled"]), default="well",
              show_default=True)
def standin_monitor(port, manner):
    """Serve a battery monitor's samples of a simulated rig."""
    from voltaun.standins import monitor
    _run_standin(lambda: monitor.server(port, manner), f"The monitor is at http://127.0.0.1:{port}")


@standin.command("sky")
@click.option("--port", default=8152, show_default=True, type=click.IntRange(1, 65535))
def standin_sky(port):
    """Serve made-up sky words for the coming days."""
    from voltaun.standins import sky
    _run_standin(lambda: sky.server(port), f"The sky forecast is at http://127.0.0.1:{port}")


def _run_standin(make, words):
    try:
        server = make()
    except OSError as error:
        raise Refused(f"--port: it cannot be used ({error.strerror}); another may be free") from error
    click.echo(f"{words}  (Ctrl-C stops it)")
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        click.echo("Stopped.")


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


# Reckoning files without a database

_rig_file = click.option("--rig-file", required=True, type=click.Path(exists=True, dir_okay=False, path_type=Path))


def _log_file(required):
    return click.option("--log", "log_file", required=required,
                        type=click.Path(exists=True, dir_okay=False, path_type=Path))


@main.command()
@_rig_file
@_log_file(required=True)
@_json_flag
def ledger(rig_file, log_file, as_json):
    """Reckon a log: what was harvested, used and held between readings, and what it teaches."""
    from voltaun.core.learn import reckon
    from voltaun.formats import tables
    from voltaun.formats.answers import ledger_answer
    rig, sky = _rig_and_sun(rig_file)
    account = reckon(rig, _logged(rig, log_file), sky)
    _say(ledger_answer(account, rig.zone), lambda: tables.ledger_table(account, rig.zone), as_json)


@main.command()
@_rig_file
@_log_file(required=True)
@click.option("--as-of", help="Look ahead from here; without it from the last reading.")
@click.option("--days", default=10, show_default=True, type=click.IntRange(1, 60))
@click.option("--futures", default=2000, show_default=True, type=click.IntRange(1, 100_000))
@click.option("--seed", default=1, show_default=True, type=click.IntRange(0))
@click.option("--sky", "skies", multiple=True, metavar="DATE=WORD", help="A coming day's sky, if known.")
@click.option("--plan", "planned", multiple=True, metavar="KIND:FIRST[..LAST][=AMOUNT or LOAD]",
              help="drive, generator or mains (hours a day), guests or away (times the use), add (Wh a day), leave_off "
                   "(a load).")
@click.option("--generator", "rule", metavar="START:STOP", help="Percents between which the generator is run.")
@_json_flag
def outlook(rig_file, log_file, as_of, days, futures, seed, skies, planned, rule, as_json):
    """Look ahead: the bank's level over the next days, with its odds."""
    from voltaun.core import outlook as outlooks
    from voltaun.core.learn import reckon
    from voltaun.formats import tables
    from voltaun.formats.answers import outlook_answer
    rig, sky = _rig_and_sun(rig_file)
    logged = _logged(rig, log_file)
    until = _instant(as_of, rig.zone) if as_of else (logged[-1].at if logged else _now())
    window = outlooks.learning_window(logged, until)
    try:
        made = outlooks.outlook(rig, window, reckon(rig, window, sky), sky, until, days, futures, seed,
                                _skies(skies), _plans(rig, planned), _rule(rig, rule))
    except outlooks.NoOutlook as error:
        raise Refused(f"{log_file}: {error}") from error
    except ValueError as error:
        raise Refused(f"--{error}") from error
    _say(outlook_answer(made, rig.zone), lambda: tables.outlook_table(rig, made), as_json)


@main.command()
@_rig_file
@_log_file(required=False)
@click.option("--reserve-days", default=3.0, show_default=True)
@click.option("--recovery-days", default=4.0, show_default=True)
@click.option("--use-wh", type=float, help="DC-side use a day; without it from the log, else the loads.")
@click.option("--peak-sun-hours", type=float, help="In the design month; without it from clear sky and the log.")
@click.option("--design-month", type=click.IntRange(1, 12), help="Without it the month with the least sun.")
@click.option("--array-share", type=float, help="The system's losses; default 0.75.")
@click.option("--bank-temp", type=float, help="Coldest bank temperature to plan for, °C; without it no cold.")
@_json_flag
def additions(rig_file, log_file, reserve_days, recovery_days, use_wh, peak_sun_hours, design_month, array_share,
              bank_temp, as_json):
    """Work the sheet: how large a bank, array, controller and inverter the use calls for."""
    from voltaun.core import additions as sheets
    from voltaun.core.bank import cold_factor
    from voltaun.core.learn import learn, reckon
    from voltaun.formats import tables
    from voltaun.formats.answers import additions_answer
    rig = _rig_from(rig_file.read_bytes(), rig_file)
    planes = _tables(rig) if log_file or peak_sun_hours is None else None
    learned = learn(rig, [])
    if log_file:
        from voltaun.core.sun import rig_sun
        learned = reckon(rig, _logged(rig, log_file), rig_sun(rig, planes)).learned
    try:
        inputs = sheets.suggest(rig, learned, planes, reserve_days=reserve_days, recovery_days=recovery_days,
                                use_wh_per_day=use_wh, peak_sun_hours=peak_sun_hours, design_month=design_month,
                                array_share=array_share,
                                cold_factor=None if bank_temp is None else cold_factor(rig.chemistry, bank_temp))
        sheet = sheets.worksheet(rig, inputs)
    except ValueError as error:
        raise Refused(str(error)) from error
    listed = sheets.options(rig, sheet)
    _say(additions_answer(sheet, listed), lambda: tables.additions_table(sheet, listed), as_json)


def _say(answer, text, as_json):
    if as_json:
        click.echo(json.dumps(answer, ensure_ascii=False, indent=1))
    else:
        click.echo(text if isinstance(text, str) else text())


def _now():
    try:
        return clock.now()
    except ValueError as error:
        raise Refused(str(error)) from error


def _refusing(read, *args, file):
    try:
        return read(*args)
    except FileFaults as faults:
        text = "\n".join(f"{file}, {line}" if not line.startswith("and ") else line
                         for line in str(faults).split("\n"))
        raise Refused(text) from faults


def _rig_from(data, file=None):
    from voltaun.core.rig import RigFaults
    from voltaun.formats.log_csv import decode
    from voltaun.formats.rig_file import read_rig
    where = file or "rig file"
    try:
        return read_rig(_refusing(decode, data, file=where))
    except RigFaults as error:
        raise Refused("\n".join(f"{where}, {fault}" for fault in error.faults)) from error


def _tables(rig):
    from voltaun.core.sun import make_table, planes
    made = {plane: make_table(plane) for plane in dict.fromkeys(planes(rig))}
    return [made[plane] for plane in planes(rig)]


def _rig_and_sun(rig_file):
    from voltaun.core.sun import rig_sun
    rig = _rig_from(rig_file.read_bytes(), rig_file)
    return rig, rig_sun(rig, _tables(rig))


def _logged(rig, log_file):
    from voltaun.formats.log_csv import read_log
    log = _refusing(read_log, log_file.read_bytes(), rig.zone, file=log_file)
    _warn(log.warnings)
    if log.readings and log.readings[-1].at > _now():
        _warn([f"the last reading, {log.readings[-1].at.astimezone(rig.zone):%Y-%m-%d %H:%M}, lies in the future"])
    return log.readings


def _warn(warnings):
    for warning in warnings:
        click.echo(f"voltaun: note: {warning}", err=True)


def _instant(text, zone):
    from voltaun.core.instants import resolve
    try:
        return resolve(datetime.fromisoformat(text), zone)[0]
    except ValueError as error:
        raise Refused(f"--as-of: found {text!r}, expected a time such as 2026-11-24T19:30") from error


def _plans(rig, given):
    from voltaun.core.plans import Plan
    plans = []
    for text in given:
        kind, _, rest = text.partition(":")
        days, _, amount = rest.partition("=")
        first, _, last = days.partition("..")
        try:
            number = None if kind == "leave_off" or not amount else float(amount)
            plan = Plan(kind, date.fromisoformat(first), date.fromisoformat(last or first), number,
                        amount if kind == "leave_off" else "")
        except ValueError as error:
            raise Refused(f"--plan: {text!r}: {error}; such as drive:2026-11-26=1.5 or away:2026-11-26..2026-11-30"
                          ) from error
        if kind == "leave_off" and amount not in [load.name for load in rig.loads]:
            raise Refused(f"--plan: found {amount!r}, expected one of the loads: "
                          + (", ".join(load.name for load in rig.loads) or "none is listed"))
        plans.append(plan)
    return tuple(plans)


def _rule(rig, text):
    from voltaun.core.plans import GeneratorRule
    if text is None:
        return None
    start, _, stop = text.partition(":")
    try:
        rule = GeneratorRule(float(start) / 100, float(stop) / 100)
    except ValueError as error:
        raise Refused(f"--generator: found {text!r}, expected two percents such as 20:60 ({error})") from error
    if not rig.generators:
        raise Refused("--generator: the rig has no generator, expected one in the rig file")
    return rule


@main.command()
@_rig_file
@_log_file(required=True)
@click.option("--days", default="1,3,5,7,10", show_default=True, help="How many days ahead, with commas between.")
@click.option("--from", "begin", help="The first outlook; without it once sixty days are logged.")
@click.option("--each", "each", is_flag=True, help="Every single outlook as well.")
@_json_flag
def backtest(rig_file, log_file, days, begin, each, as_json):
    """Make every past outlook again with only what was known then, and tell how often it held."""
    from voltaun.core.hindsight import hindsight
    from voltaun.formats import tables
    from voltaun.formats.answers import backtest_answer
    try:
        horizons = sorted({int(part) for part in days.split(",")})
        if not horizons or not 1 <= horizons[0] <= horizons[-1] <= 30:
            raise ValueError
    except ValueError as error:
        raise Refused(f"--days: found {days!r}, expected numbers from 1 to 30 such as 1,3,5") from error
    rig, sky = _rig_and_sun(rig_file)
    past = hindsight(rig, _logged(rig, log_file), sky, horizons, _instant(begin, rig.zone) if begin else None)
    if not past.sun and not past.levels:
        raise Refused(f"{log_file}: found too few days to make a past outlook from, expected more than sixty, or "
                      "--from")
    _say(backtest_answer(past, rig.zone, each), lambda: tables.backtest_table(past), as_json)


def _skies(given):
    from voltaun.core.rig import SKIES
    skies = {}
    for text in given:
        day, _, word = text.partition("=")
        try:
            if word not in SKIES:
                raise ValueError
            skies[date.fromisoformat(day)] = word
        except ValueError as error:
            raise Refused(f"--sky: found {text!r}, expected DATE=WORD such as 2026-11-25=clear, with a word of "
                          + ", ".join(SKIES)) from error
    return skies


