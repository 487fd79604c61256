"""The `voltaun` command: the same core calls as the pages."""

from __future__ import annotations

import codecs
import io
import sys
from importlib import import_module

import click
from click import Command, Context

from voltaun import __version__

COMMANDS = {"serve": ("serving", "serve"), "demo": ("serving", "demo"),
            "import": ("files", "import_file"), "export": ("files", "export"),
            "ledger": ("reckoning", "ledger"), "outlook": ("reckoning", "outlook"),
            "additions": ("adding", "additions"), "backtest": ("reckoning", "backtest"),
            "plan": ("planning", "plan"), "today": ("planning", "today"), "card": ("card", "card"),
            "backup": ("keeping", "backup"), "restore": ("keeping", "restore"), "check": ("keeping", "check"),
            "launcher": ("launching", "launcher"), "standin": ("standing_in", "standin")}
"""The module and the name of each command; a module is loaded when one of its commands is first asked for."""


_PLAINLY = str.maketrans({"−": "-", "–": "-", "—": "-", "…": "...", "×": "x", "“": '"', "”": '"', "’": "'"})


def _plainly(error: UnicodeError) -> tuple[str, int]:
    """What a terminal of few letters shows in place of those that it lacks."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    lacking = error.object[error.start:error.end].translate(_PLAINLY)
    return "".join(letter if letter < "\x7f" else "?" for letter in lacking), error.end


codecs.register_error("plainly", _plainly)


class Commands(click.Group):
    """The commands, each from its own module."""

    def list_commands(self, context: Context) -> list[str]:
        return sorted(COMMANDS)

    def get_command(self, context: Context, name: str) -> Command | None:
        if name not in COMMANDS:
            return None
        module, function = COMMANDS[name]
        command: Command = getattr(import_module(f"voltaun.cli.{module}"), function)
        return command


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="voltaun")
def main() -> None:
    """A logbook that reckons: how long an off-grid battery lasts, and what to do about it."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            # Into a file or another program it is UTF-8 whatever the locale; a terminal shows what letters it has.
            stream.reconfigure(encoding=None if stream.isatty() else "utf-8", errors="plainly")
