"""Commands that run the stand-ins."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from voltaun.cli.common import Refused

if TYPE_CHECKING:
    from collections.abc import Callable
    from http.server import ThreadingHTTPServer


@click.group(short_help="Made-up outside things, to try it with")
def standin() -> None:
    """Small simulated outside things, on this machine only."""


@standin.command("monitor")
@click.option("--port", default=8151, show_default=True, type=click.IntRange(1, 65535),
              help="The number that its address ends in.")
@click.option("--manner", type=click.Choice(["well", "silent", "slow", "lying", "garbled"]), default="well",
              show_default=True, help="How it answers.")
def standin_monitor(port: int, manner: str) -> None:
    """Serve a battery monitor's samples of a simulated rig."""
    from voltaun.standins import monitor
    _run_standin(lambda: monitor.server(port, manner), f"The monitor is at http://127.0.0.1:{port}")


@standin.command("sky")
@click.option("--port", default=8152, show_default=True, type=click.IntRange(1, 65535),
              help="The number that its address ends in.")
def standin_sky(port: int) -> None:
    """Serve made-up sky words for the coming days."""
    from voltaun.standins import sky
    _run_standin(lambda: sky.server(port), f"The sky forecast is at http://127.0.0.1:{port}")


def _run_standin(make: Callable[[], ThreadingHTTPServer], words: str) -> None:
    try:
        server = make()
    except OSError as error:
        raise Refused(f"--port: it cannot be used ({error.strerror}); another may be free") from error
    click.echo(f"{words}  (Ctrl-C stops it)")
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        click.echo("Stopped.")
