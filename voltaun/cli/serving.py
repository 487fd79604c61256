"""Commands that serve the application."""

from __future__ import annotations

import sqlite3
from contextlib import closing, suppress
from pathlib import Path

import click

from voltaun.cli.common import Refused, db_option, db_path, now, open_db, warn
from voltaun.intake.client import LOOPBACK

DEFAULT_PORT = 8140


@click.command()
@db_option
@click.option("--host", default="127.0.0.1", show_default=True, help="An address of this machine only.")
@click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(1, 65535))
def serve(db: Path | None, host: str, port: int) -> None:
    """Serve the application to this machine."""
    if host not in LOOPBACK:
        raise Refused(f"--host: found {host}, expected one of {', '.join(LOOPBACK)}: Voltaun listens to this "
                      "machine only")
    _serve(db_path(db), host, port)


@click.command()
@db_option
@click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(1, 65535))
def demo(db: Path | None, port: int) -> None:
    """Serve the application with the demo data, in a temporary database unless --db keeps it."""
    import tempfile

    from voltaun.demo.fill import fill, is_demo
    with tempfile.TemporaryDirectory(prefix="voltaun-demo-") as folder:
        path = db or Path(folder) / "demo.db"
        _make(path)
        with open_db(path) as connection:
            if not is_demo(connection):
                raise Refused(f"{path}: found rigs of your own in it, expected a new file or one of the demo; nothing "
                              "was added. `voltaun serve` opens it")
            fill(connection, now())
        _serve(path, "127.0.0.1", port)


def _make(path: Path) -> None:
    """See that a database stands there."""
    from voltaun.database.connection import DatabaseFault, prepare
    try:
        prepare(path)
    except DatabaseFault as fault:
        raise Refused(str(fault)) from fault


def _serve(path: Path, host: str, port: int) -> None:
    import waitress

    from voltaun.database.connection import DatabaseFault, hindrance
    from voltaun.intake.watch import Watch
    from voltaun.pages import create_app
    now()  # a clock that was fixed to nonsense is told before anything is served
    try:
        app = create_app(path)
        server = waitress.create_server(app, host=host, port=port, ident=None, threads=6, **PATIENT)
    except DatabaseFault as fault:
        raise Refused(str(fault)) from fault
    except OSError as error:
        raise Refused(f"--port: {port} cannot be used ({error.strerror}); another may be free, "
                      f"such as --port {port + 1}") from error
    hindered = hindrance(path)
    if hindered:
        warn([f"{path}: nothing can be written ({hindered}); all of it can be read"])
    else:
        _sweep(path)
    watch = Watch(path, copies=app.extensions["voltaun-copies"])
    watch.start()
    shown = f"[{host}]" if ":" in host else host
    click.echo(f"Voltaun is at http://{shown}:{port}  (Ctrl-C stops it)")
    try:
        server.run()
    except KeyboardInterrupt:
        click.echo("Stopped.")
    finally:
        watch.stop()


def _sweep(path: Path) -> None:
    """Take out what an import that was cut off left behind."""
    from voltaun.database.connection import connect_reading
    from voltaun.database.imports import cut_off
    with closing(connect_reading(path)) as connection:
        left = cut_off(connection)
    if left:
        from voltaun.intake.bringing import sweep
        with suppress(sqlite3.Error, OSError):  # the next import does it
            sweep(path)


PATIENT = {"connection_limit": 400, "channel_timeout": 20, "cleanup_interval": 5, "asyncore_use_poll": True,
           "max_request_header_size": 8192}
"""Connections that send nothing are soon let go of, and are too few to shut anybody out; headers end at 8 kB."""
