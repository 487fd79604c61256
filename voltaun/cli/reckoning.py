"""Commands that reckon files without a database: the ledger, the outlook and how it did."""

from __future__ import annotations

from datetime import date, datetime
from typing import TYPE_CHECKING, Any

import click

from voltaun.cli.common import Refused, json_flag, now, progress, say
from voltaun.cli.given import log_file_option, logged_in, rig_and_sun, rig_file_option

if TYPE_CHECKING:
    from pathlib import Path
    from zoneinfo import ZoneInfo

    from voltaun.core.outlook.ask import Ask
    from voltaun.core.outlook.outlook import Outlook
    from voltaun.core.outlook.plans import GeneratorRule, Plan
    from voltaun.core.outlook.replay import Again
    from voltaun.core.rig.rig import Rig


@click.command(short_help="What was harvested, used and held, by the log")
@rig_file_option
@log_file_option(required=True)
@json_flag
def ledger(rig_file: Path, log_file: Path, as_json: bool) -> None:
    """Reckon a log: what was harvested, used and held between readings, and what it teaches."""
    from voltaun.cli import tables
    from voltaun.core.learned.account import reckon
    from voltaun.formats.answers import ledger_answer
    rig, sky = rig_and_sun(rig_file)
    account = reckon(rig, logged_in(rig, log_file), sky)
    say(ledger_answer(account, rig.zone), lambda: tables.ledger_table(account, rig.zone), as_json)


@click.command(short_help="The level over the next days, with its odds")
@rig_file_option
@log_file_option(required=True)
@click.option("--as-of", help="Look ahead from here; without it from the last reading.")
@click.option("--days", default=10, show_default=True, type=click.IntRange(1, 60), help="So many days ahead.")
@click.option("--futures", default=2000, show_default=True, type=click.IntRange(1, 100_000),
              help="So many of them are played.")
@click.option("--seed", default=1, show_default=True, type=click.IntRange(0), help="Other futures of the same log.")
@click.option("--sky", "skies", multiple=True, metavar="DATE=WORD", help="A coming day's sky, if known.")
@click.option("--plan", "planned", multiple=True, metavar="KIND:FIRST[..LAST][=AMOUNT[@FROM[-TO]][#NAME] or LOAD]",
              help="drive, generator or mains (hours a day), guests or away (times the use), add (Wh a day), leave_off "
                   "(a load); FROM and TO are clock hours.")
@click.option("--generator", "rule", metavar="START:STOP", help="Percents between which the generator is run.")
@json_flag
def outlook(rig_file: Path, log_file: Path, as_of: str | None, days: int, futures: int, seed: int,
            skies: tuple[str, ...], planned: tuple[str, ...], rule: str | None, as_json: bool) -> None:
    """Look ahead: the bank's level over the next days, with its odds."""
    from voltaun.cli import tables
    from voltaun.core.outlook import outlook as outlooks
    from voltaun.core.reasons import NoOutlook
    from voltaun.formats.answers import outlook_answer
    from voltaun.words import advising, reasons
    ask = asked(rig_file, log_file, as_of, skies, planned, rule, days=days, futures=futures, seed=seed)
    rig = ask.rig
    try:
        made = outlooks.outlook(ask)
    except NoOutlook as none:
        raise Refused(f"{log_file}: {reasons.say(none.reason)}") from none
    except ValueError as error:
        raise Refused(f"--{error}") from error
    say(outlook_answer(made, rig, lambda way: advising.way(way, made, rig)),
        lambda: tables.outlook_table(rig, made, _worst(ask, made)), as_json)


def asked(rig_file: Path, log_file: Path, as_of: str | None = None, skies: tuple[str, ...] = (),
          planned: tuple[str, ...] = (), rule: str | None = None, **more: Any) -> Ask:
    """The question that files and options ask of the outlook; from the last reading on, where no instant is given."""
    from voltaun.core.outlook.ask import Ask, known
    rig, sky = rig_and_sun(rig_file)
    logged = logged_in(rig, log_file)
    until = _instant(as_of, rig.zone) if as_of else (logged[-1].at if logged else now())
    return Ask(rig, known(rig, logged, sky, until), sky, until, skies=_skies(skies), plans=_plans(rig, planned),
               rule=_rule(rig, rule), **more)


def _worst(ask: Ask, made: Outlook) -> Again | None:
    from voltaun.core.log.days import by_day
    from voltaun.core.outlook.replay import run_again, worst_days
    made_of = ask.known.account.intervals
    return run_again(ask, made.present, worst_days(ask.rig, made_of, by_day(ask.rig, made_of, ask.sun)))


def _instant(text: str, zone: ZoneInfo) -> datetime:
    from voltaun.core.instants import resolve
    try:
        return resolve(datetime.fromisoformat(text), zone)[0]
    except ValueError as error:
        raise Refused(f"--as-of: found {text!r}, expected a time such as 2026-11-24T19:30") from error


def _plans(rig: Rig, given: tuple[str, ...]) -> tuple[Plan, ...]:
    from voltaun.formats.plan_text import EXAMPLES, read_plan
    plans = []
    for text in given:
        try:
            plans.append(read_plan(text, rig))
        except ValueError as error:
            raise Refused(f"--plan: {text!r}: {error}; such as {EXAMPLES} or away:2026-11-26..2026-11-30") from error
    return tuple(plans)


def _rule(rig: Rig, text: str | None) -> GeneratorRule | None:
    from voltaun.core.outlook.plans import GeneratorRule
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


@click.command(short_help="How past outlooks would have come out")
@rig_file_option
@log_file_option(required=True)
@click.option("--days", default="1,3,5,7,10", show_default=True, help="How many days ahead, with commas between.")
@click.option("--from", "begin", help="The first outlook; without it once sixty days are logged.")
@click.option("--every", default=1, show_default=True, type=click.IntRange(1, 400),
              help="An outlook every so many days only.")
@click.option("--each", "each", is_flag=True, help="Every single outlook as well.")
@json_flag
def backtest(rig_file: Path, log_file: Path, days: str, begin: str | None, every: int, each: bool,
             as_json: bool) -> None:
    """Make every past outlook again with only what was known then, and tell how often it held."""
    from voltaun.cli import tables
    from voltaun.core.outlook.backtest import backtest as made_again
    from voltaun.formats.answers import backtest_answer
    try:
        horizons = sorted({int(part) for part in days.split(",")})
        if not horizons or not 1 <= horizons[0] <= horizons[-1] <= 30:
            raise ValueError
    except ValueError as error:
        raise Refused(f"--days: found {days!r}, expected numbers from 1 to 30 such as 1,3,5") from error
    rig, sky = rig_and_sun(rig_file)
    with progress() as said:
        past = made_again(rig, logged_in(rig, log_file), sky, horizons, _instant(begin, rig.zone) if begin else None,
                          every=every, going=lambda part: said(f"Outlooks made again: {100 * part:.0f} %"))
    if not past.sun and not past.levels:
        raise Refused(f"{log_file}: found too few days to make a past outlook from, expected more than sixty, or "
                      "--from")
    say(backtest_answer(past, rig.zone, each), lambda: tables.backtest_table(past), as_json)


def _skies(given: tuple[str, ...]) -> dict[date, str]:
    from voltaun.core.rig.parts import SKIES
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
