"""What commands that reckon files are given: a rig file, a log, and the sun over it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from voltaun.cli.common import FILE, now, refusing, rig_from, warn

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy import ndarray

    from voltaun.core.log.reading import Reading
    from voltaun.core.rig.rig import Rig
    from voltaun.core.sky.clear_sky import RigSun

rig_file_option = click.option("--rig-file", required=True, type=FILE, help="The rig as a file, docs/files.md.")


def log_file_option(required: bool) -> Callable[..., Any]:
    """The option for a log."""
    return click.option("--log", "log_file", required=required, type=FILE, help="Its log as CSV, docs/files.md.")


def tables_of(rig: Rig) -> list[ndarray]:
    from voltaun.database.clearsky import tables_in
    from voltaun.database.connection import default_path
    return tables_in(default_path().parent / "clear-sky", rig)


def rig_and_sun(rig_file: Path) -> tuple[Rig, RigSun | None]:
    from voltaun.core.sky.clear_sky import rig_sun
    rig = rig_from(rig_file.read_bytes(), rig_file)
    return rig, rig_sun(rig, tables_of(rig))


def logged_in(rig: Rig, log_file: Path) -> list[Reading]:
    from voltaun.formats.log_csv import read_log
    log = refusing(read_log, log_file.read_bytes(), rig.zone, file=log_file)
    warn(log.warnings)
    if log.readings and log.readings[-1].at > now():
        warn([f"the last reading, {log.readings[-1].at.astimezone(rig.zone):%Y-%m-%d %H:%M}, lies in the future"])
    return log.readings
