"""The `voltaun` command: the same core calls as the pages."""

from __future__ import annotations

import codecs
import io
import sys
from contextlib import contextmanager
from importlib import import_module
from typing import TYPE_CHECKING, Any

import click
from click import Command, Context
from click.exceptions import NoArgsIsHelpError

from voltaun import __version__
from voltaun.cli.common import Refused, quiet_option

if TYPE_CHECKING:
    from collections.abc import Iterator

COMMANDS = {"serve": ("serving", "serve"), "demo": ("serving", "demo"),
            "import": ("files", "import_file"), "export": ("files", "export"),
            "ledger": ("reckoning", "ledger"), "outlook": ("reckoning", "outlook"),
            "additions": ("adding", "additions"), "backtest": ("reckoning", "backtest"),
            "plan": ("planning", "plan"), "today": ("planning", "today"), "card": ("card", "card"),
            "backup": ("keeping", "backup"), "restore": ("keeping", "restore"), "check": ("keeping", "check"),
            "launcher": ("launching", "launcher"), "passphrase": ("house", "passphrase"),
            "service": ("house", "service"), "standin": ("standing_in", "standin")}
"""The module and the name of each command; a module is loaded when one of its commands is first asked for."""


_PLAINLY = str.maketrans({"−": "-", "–": "-", "—": "-", "…": "...", "×": "x", "“": '"', "”": '"', "’": "'"})


def _plainly(error: UnicodeError) -> tuple[str, int]:
    """What a terminal of few letters shows in place of those that it lacks."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    lacking = error.object[error.start:error.end].translate(_PLAINLY)
    return "".join(letter if letter < "\x7f" else "?" for letter in lacking), error.end


codecs.register_error("plainly", _plainly)


@contextmanager
def _in_one_line() -> Iterator[None]:
    """What was called wrongly is said as all else that went wrong is."""
    try:
        yield
    except NoArgsIsHelpError:
        raise
    except click.UsageError as error:
        where = error.ctx.command_path if error.ctx else "voltaun"
        said = " ".join(error.format_message().split()).rstrip(".")
        raise Refused(f"{said}; {where} --help tells how it is called") from error


class Commands(click.Group):
    """The commands, each from its own module."""

    def list_commands(self, context: Context) -> list[str]:
        return sorted(COMMANDS)

    def parse_args(self, context: Context, args: list[str]) -> list[str]:
        with _in_one_line():
            return super().parse_args(context, args)

    def invoke(self, context: Context) -> Any:
        with _in_one_line():
            return super().invoke(context)

    def get_command(self, context: Context, name: str) -> Command | None:
        if name not in COMMANDS:
            return None
        module, function = COMMANDS[name]
        command: Command = getattr(import_module(f"voltaun.cli.{module}"), function)
        if quiet_option not in command.params:
            command.params.append(quiet_option)
        return command


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="voltaun")
def main() -> None:
    """A logbook that reckons: how long an off-grid battery lasts, and what to do about it."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            # Into a file or another program it is UTF-8 whatever the locale; a terminal shows what letters it has.
            stream.reconfigure(encoding=None if stream.isatty() else "utf-8", errors="plainly")
