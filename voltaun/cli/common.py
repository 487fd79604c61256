"""What the commands have in common: how they refuse, the database they are about, and how they answer."""

from __future__ import annotations

import json
import sqlite3
import sys
from contextlib import closing, contextmanager
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, TypeVar

import click

from voltaun import clock
from voltaun.formats import FileFaults, OneFault

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator
    from datetime import datetime

    from voltaun.core.rig.rig import Rig
    from voltaun.database.rigs import KeptRig

T = TypeVar("T")


class Refused(click.ClickException):
    """Bad input: said on standard error, exit 2, nothing written."""

    exit_code = 2

    def show(self, file: IO[Any] | None = None) -> None:
        click.echo(f"voltaun: {self.message}", err=True)


class Damaged(Refused):
    """A database that is not whole: said on standard error, exit 4."""

    exit_code = 4


class ReadFile(click.Path):
    """A file to be read; `-` is standard input, which is read to its end."""

    def __init__(self) -> None:
        super().__init__(exists=True, dir_okay=False, path_type=Path)

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        if value != "-" or ctx is None:
            return super().convert(value, param, ctx)
        import tempfile
        folder = tempfile.TemporaryDirectory(prefix="voltaun-")
        ctx.call_on_close(folder.cleanup)
        path = Path(folder.name) / "standard input"  # as faults name it
        path.write_bytes(sys.stdin.buffer.read())
        return path


FILE = ReadFile()


class Grouped(click.Command):
    """A command of many options, which its help shows in groups."""

    def __init__(self, *args: Any, groups: dict[str, tuple[str, ...]], **more: Any) -> None:
        super().__init__(*args, **more)
        self._groups = groups

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        named: dict[str, str] = {name: head for head, names in self._groups.items() for name in names}
        listed: dict[str, list[tuple[str, str]]] = {head: [] for head in (*self._groups, "Options")}
        for param in self.get_params(ctx):
            record = param.get_help_record(ctx)
            if record:
                listed[named.get(param.name or "", "Options")].append(record)
        for head, records in listed.items():
            if records:
                with formatter.section(head):
                    formatter.write_dl(records)


def db_option(command: Callable[..., Any]) -> Callable[..., Any]:
    return click.option("--db", type=click.Path(dir_okay=False, path_type=Path),
                        help="The database file; without it the one in your data folder.")(command)


over_option = click.option("--over", is_flag=True, help="Also write over a file that is there and is not a copy.")

json_flag = click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")


def db_path(db: Path | None) -> Path:
    """The database that a command is about."""
    from voltaun.database.connection import default_path
    return db or default_path()


def made_if_missing(path: Path) -> None:
    """See that a database stands there."""
    from voltaun.database.connection import DatabaseFault, prepare
    try:
        prepare(path)
    except DatabaseFault as fault:
        raise Refused(str(fault)) from fault


def open_db(db: Path | None, create: bool = False) -> closing[sqlite3.Connection]:
    """A connection that writes, to be closed by `with`. A file that is not there is made only when asked for."""
    from voltaun.database.connection import DatabaseFault, connect, prepare
    path = db_path(db)
    try:
        if create and not path.exists():
            warn([f"{path}: nothing stood there, so a new database was made"])
        prepare(path, create)
        return closing(connect(path))
    except (DatabaseFault, sqlite3.Error) as fault:
        raise Refused(str(fault)) from fault


def read_db(db: Path | None) -> closing[sqlite3.Connection]:
    """A connection that only reads, to be closed by `with`; it needs no room on the disk."""
    from voltaun.database.connection import DatabaseFault, connect_reading, prepare
    path = db_path(db)
    try:
        prepare(path, create=False)
        return closing(connect_reading(path))
    except (DatabaseFault, sqlite3.Error) as fault:
        raise Refused(str(fault)) from fault


def not_our_own(output: Path, db: Path | None) -> None:
    """Refuse to write over the database, or over one of the small files beside it, whatever it is called by."""
    from voltaun.database.beside import is_ours
    try:
        there, database = output.resolve(), db_path(db).resolve()
    except (OSError, RuntimeError) as error:
        raise Refused(f"{output}: found a link that leads back to itself, expected a file to write") from error
    if is_ours(there, database):
        raise Refused(f"{output}: found the database itself, or what belongs to it, expected another place")


def write_out(output: Path | None, texts: Iterable[str], over: bool = False, db: Path | None = None) -> None:
    """Write pieces of text to a file, whole or not at all, or to standard output; over what stands there only if told,
    and never over the database.
    """
    if output is None or str(output) == "-":
        sys.stdout.writelines(texts)
        return
    not_our_own(output, db)
    if output.is_file() and output.stat().st_size and not over:
        raise Refused(f"{output}: found a file there, expected a new name; --over writes over it")
    from voltaun.database.connection import in_words
    from voltaun.database.files import write_file
    try:
        write_file(output, texts)
    except OSError as error:
        raise Refused(f"{output}: {in_words(error, output)}; what stood there is as it was") from error


def kept_rig(connection: sqlite3.Connection, name: str | None) -> KeptRig:
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


def say(answer: Any, text: Callable[..., Any] | str, as_json: bool) -> None:
    if as_json:
        click.echo(json.dumps(answer, ensure_ascii=False, indent=1))
    else:
        click.echo(text if isinstance(text, str) else text())


def now() -> datetime:
    try:
        return clock.now()
    except ValueError as error:
        raise Refused(str(error)) from error


def refusing(read: Callable[..., T], *args: Any, file: Path | str) -> T:
    try:
        return read(*args)
    except FileFaults as faults:
        text = "\n".join(f"{file}, {line}" if not line.startswith("and ") else line
                         for line in str(faults).split("\n"))
        raise Refused(text) from faults
    except OneFault as fault:
        raise Refused(f"{file}, {fault}") from fault


def rig_from(data: bytes, file: Path | None = None) -> Rig:
    from voltaun.core.rig.fields import RigFaults
    from voltaun.formats.log_csv import decode
    from voltaun.formats.rig_file import read_rig
    where, told = file or "rig file", list[str]()
    try:
        made = read_rig(refusing(decode, data, file=where), told, now())
    except RigFaults as error:
        raise Refused("\n".join(f"{where}, {fault}" for fault in error.faults)) from error
    warn([f"{where}: {each}" for each in told])
    return made


_QUIET = "voltaun.quiet"

quiet_option = click.Option(["--quiet", "-q"], is_flag=True, expose_value=False, help="No notes and no progress.",
                            callback=lambda ctx, param, given: ctx.meta.update({_QUIET: given}))
"""Every command has it."""


def _quiet() -> bool:
    context = click.get_current_context(silent=True)
    return bool(context and context.meta.get(_QUIET))


def warn(warnings: list[str]) -> None:
    if not _quiet():
        for warning in warnings:
            click.echo(f"voltaun: note: {warning}", err=True)


@contextmanager
def progress() -> Iterator[Callable[[str], None]]:
    """Says how far something is, each time over the last, on standard error where somebody watches it."""
    watched, last = sys.stderr.isatty() and not _quiet(), ""

    def said(how_far: str) -> None:
        nonlocal last
        if watched and how_far != last:
            click.echo(f"\r{how_far.ljust(len(last))}", nl=False, err=True)
            last = how_far
    try:
        yield said
    finally:
        if last:
            click.echo(f"\r{' ' * len(last)}\r", nl=False, err=True)
