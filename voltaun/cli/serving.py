"""Commands that serve the application."""

from __future__ import annotations

import os
import re
import signal
import socket
import sqlite3
import sys
from contextlib import closing, suppress
from pathlib import Path
from types import FrameType

import click

from voltaun.cli import opening
from voltaun.cli.common import FILE, Refused, db_option, db_path, made_if_missing, now, open_db, warn
from voltaun.cli.house import have_passphrase
from voltaun.intake.client import LOOPBACK

DEFAULT_PORT = 8140

port_option = click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(1, 65535),
                           help="The number that its address ends in.")
browser_option = click.option("--browser/--no-browser", default=None,
                              help="Open it in the browser once it runs; without either, where there is a screen.")


@click.command(short_help="Serve your own to this machine")
@db_option
@click.option("--host", default="127.0.0.1", show_default=True, help="An address of this machine only.")
@click.option("--house", is_flag=True, help="Also listen to the house's own network; it asks for a passphrase there.")
@click.option("--name", "names", multiple=True, metavar="NAME", help="With --house: a name that this machine has "
              "there, such as cabin.lan. Its addresses are known.")
@click.option("--tls", is_flag=True, help="With --house: encrypted, by an authority of the house that each phone "
              "accepts once, or by --certificate and --key.")
@click.option("--certificate", type=FILE, help="With --tls: a certificate of your own, with its chain (PEM).")
@click.option("--key", type=FILE, help="With --tls: the key of that certificate (PEM).")
@port_option
@browser_option
def serve(db: Path | None, host: str, house: bool, names: tuple[str, ...], tls: bool, certificate: Path | None,
          key: Path | None, port: int, browser: bool | None) -> None:
    """Serve the application to this machine; with --house to the phones of the house too."""
    if host not in LOOPBACK:
        raise Refused(f"--host: found {host}, expected one of {', '.join(LOOPBACK)}; --house opens it to the network")
    for option, given, needs, there in (("--name", names, "--house", house), ("--tls", tls, "--house", house),
                                        ("--certificate", certificate, "--tls", tls), ("--key", key, "--tls", tls),
                                        ("--certificate", certificate, "--key", key), ("--key", key, "--certificate",
                                                                                      certificate)):
        if given and not there:
            raise Refused(f"{option}: found it without {needs}, expected both")
    wrong = next((name for name in names if not re.fullmatch(r"[A-Za-z0-9]([A-Za-z0-9.-]{0,251}[A-Za-z0-9])?", name)),
                 None)
    if wrong is not None:
        raise Refused(f"--name: found {wrong!r}, expected a name such as cabin.lan")
    if not _runs_already(host, port, browser):
        path = db_path(db)
        if house:
            have_passphrase(path)
        _serve(path, host, port, browser, opening.opened(path, port, names, tls, certificate, key) if house else None)


@click.command(short_help="Serve a made-up homestead, to look around")
@db_option
@port_option
@browser_option
def demo(db: Path | None, port: int, browser: bool | None) -> None:
    """Serve the application with the demo data, in a temporary database unless --db keeps it."""
    import tempfile

    from voltaun.demo.fill import fill, is_demo
    if _runs_already("127.0.0.1", port, browser):
        return
    with tempfile.TemporaryDirectory(prefix="voltaun-demo-") as folder:
        path = db or Path(folder) / "demo.db"
        made_if_missing(path)
        with open_db(path) as connection:
            if not is_demo(connection):
                raise Refused(f"{path}: found rigs of your own in it, expected a new file or one of the demo; nothing "
                              "was added. `voltaun serve` opens it")
            fill(connection, now())
        _serve(path, "127.0.0.1", port, browser)


def _address(host: str, port: int) -> str:
    return f"http://[{host}]:{port}" if ":" in host else f"http://{host}:{port}"


def _runs_already(host: str, port: int, browser: bool | None) -> bool:
    """Whether a Voltaun answers there already, which is then said and opened."""
    try:
        socket.create_connection((host, port), timeout=2.0).close()
    except OSError:  # nobody listens, as it mostly is: the start should not wait for more
        return False
    from voltaun.intake.client import Silent, Slow, ask
    address = _address(host, port)
    try:
        running = b"Voltaun</title>" in ask(address, "/enter?code=-", patience=2.0)
    except (Silent, Slow, OSError):
        return False
    if running:
        click.echo(f"Voltaun runs already at {address}, perhaps with another file; another one needs another --port")
        _open(address, browser)
    return running


def _open(address: str, browser: bool | None) -> None:
    """Open it in the browser, where that was asked for, or where somebody sits before a screen."""
    seen = sys.platform in ("win32", "darwin") or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")
    if browser if browser is not None else seen and sys.stdout.isatty():
        import webbrowser
        webbrowser.open(address)


def _stop(_signal: int, _frame: FrameType | None) -> None:
    raise SystemExit


def _serve(path: Path, host: str, port: int, browser: bool | None, opened: opening.Opened | None = None) -> None:
    from voltaun.database.connection import DatabaseFault, hindrance
    from voltaun.intake.watch import Watch
    from voltaun.pages import create_app
    now()  # a clock that was fixed to nonsense is told before anything is served
    try:
        app = create_app(path, opened.house if opened else None)
        server = opening.listening(app, host, port, opened)
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
    warn(opening.broken_beside(path))
    watch = Watch(path, copies=app.extensions["voltaun-copies"], renew=opened.renew if opened else None)
    watch.start()
    signal.signal(signal.SIGTERM, _stop)  # as a service is stopped: in order, like Ctrl-C
    try:
        click.echo(f"Voltaun is at {_address(host, port)}  (Ctrl-C stops it)")
        if opened:
            opening.say_where(opened.house)
        _open(_address(host, port), browser)  # it listens already: what the browser asks waits for the next line
        server.run()  # to its end at either of the two: requests that are under way are answered
    except KeyboardInterrupt:
        pass
    finally:
        watch.stop()
        watch.join(LAST_ROUND_S)
        click.echo("Stopped.")


LAST_ROUND_S = 10.0
"""The watch may take so long to end what it is at, a copy or a monitor's figures."""


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
