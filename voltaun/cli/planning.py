"""The day's plan, and today in ten lines."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING

import click

from voltaun.cli.common import FILE, Refused, db_option, json_flag, kept_rig, now, read_db, say
from voltaun.cli.given import log_file_option, rig_file_option, tables_of
from voltaun.cli.reckoning import asked

if TYPE_CHECKING:
    from pathlib import Path

    from voltaun.core.dayplan.marks import Marks
    from voltaun.core.outlook.ask import Ask

NEEDED = 3
"""What `voltaun today --exit-code` ends with when something needs doing."""


@click.command(short_help="What to run when, and what may be spent tonight")
@rig_file_option
@log_file_option(required=True)
@click.option("--as-of", help="Plan from here; without it from the last reading.")
@click.option("--sky", "skies", multiple=True, metavar="DATE=WORD", help="A coming day's sky, if known.")
@click.option("--plan", "planned", multiple=True, metavar="PLAN", help="As in `voltaun outlook`.")
@click.option("--generator", "rule", metavar="START:STOP", help="Percents between which the generator is run.")
@click.option("--done", multiple=True, metavar="LOAD", help="A load that ran already on the planned day.")
@json_flag
def plan(rig_file: Path, log_file: Path, as_of: str | None, skies: tuple[str, ...], planned: tuple[str, ...],
         rule: str | None, done: tuple[str, ...], as_json: bool) -> None:
    """The day's plan: what to run when, what may be spent tonight."""
    from voltaun.core.dayplan.marks import Marks
    from voltaun.core.dayplan.plan import day_plan
    from voltaun.core.reasons import NoOutlook
    from voltaun.formats.plan_answer import plan_answer
    from voltaun.words import advising, planning, reasons
    ask = asked(rig_file, log_file, as_of, skies, planned, rule)
    named = {load.name for load in ask.rig.loads}
    for name in done:
        if name not in named:
            listed = ", ".join(sorted(named)) or "none yet"
            raise Refused(f"--done: found {name!r}, expected one of the loads: {listed}")
    try:
        made = day_plan(ask, Marks({ask.today + timedelta(days=n): done for n in (0, 1)}))
    except NoOutlook as none:
        raise Refused(f"{log_file}: {reasons.say(none.reason)}") from none
    except ValueError as error:
        raise Refused(f"--{error}") from error
    said = planning.sentences(made, ask.rig)
    advised = advising.advice(made.outlook, ask.rig, None) if made.outlook.advice.asks else []
    say(plan_answer(made, ask.rig, said), lambda: "\n".join([*advised, *said]), as_json)


@click.command(short_help="Headline, advice and plan in ten lines")
@db_option
@click.option("--rig", "name", metavar="NAME", help="Which rig of the database, where there are several.")
@click.option("--rig-file", type=FILE, help="With --log: files instead of a database.")
@log_file_option(required=False)
@click.option("--exit-code", is_flag=True, help=f"End with {NEEDED} when something needs doing.")
@json_flag
def today(db: Path | None, name: str | None, rig_file: Path | None, log_file: Path | None, exit_code: bool,
          as_json: bool) -> None:
    """Headline, advice and plan in ten lines, for a terminal, a job or a small display."""
    from voltaun.core.dayplan.plan import day_plan
    from voltaun.core.reasons import NoOutlook
    from voltaun.formats.plan_answer import today_answer
    from voltaun.words import planning, reasons
    if (rig_file is None) != (log_file is None):
        raise Refused("found one of --rig-file and --log, expected both or neither")
    ask, marks = (asked(rig_file, log_file), None) if rig_file and log_file else _kept(db, name)
    try:
        made = day_plan(ask, marks)
    except NoOutlook as none:
        raise Refused(reasons.say(none.reason)) from none
    said, needed = planning.today_said(made, ask.rig), made.outlook.advice.asks
    lines = [" ".join(said["headline"]), " ".join(said["advice"]), *said["plan"]]
    say(today_answer(made, ask.rig, said), lambda: "\n".join(lines[:LINES]), as_json)
    if exit_code and needed:
        raise SystemExit(NEEDED)


LINES = 10
"""A small display holds no more."""


def _kept(db: Path | None, name: str | None) -> tuple[Ask, Marks]:
    from voltaun.core.instants import local_day
    from voltaun.core.sky.clear_sky import rig_sun
    from voltaun.database import clearsky, dayplan
    from voltaun.database.asking import kept_ask, known_in
    with read_db(db) as connection:
        kept, at = kept_rig(connection, name), now()
        sun = clearsky.sun_of(connection, kept.rig) if clearsky.complete(connection, kept.rig) else rig_sun(
            kept.rig, tables_of(kept.rig))
        ask = kept_ask(connection, kept, at, known=known_in(connection, kept, at, sun), sun=sun)
        return ask, dayplan.marks(connection, kept.id, local_day(at, kept.rig.zone))
