"""Commands that reckon files without a database: the ledger, the outlook and how it did, additions."""

from datetime import date, datetime
from pathlib import Path

import click

from voltaun.cli.common import Refused, json_flag, now, refusing, rig_from, say, warn

_rig_file = click.option("--rig-file", required=True, type=click.Path(exists=True, dir_okay=False, path_type=Path))


_FILE = click.Path(exists=True, dir_okay=False, path_type=Path)


def _log_file(required):
    return click.option("--log", "log_file", required=required,
                        type=click.Path(exists=True, dir_okay=False, path_type=Path))


@click.command()
@_rig_file
@_log_file(required=True)
@json_flag
def ledger(rig_file, log_file, as_json):
    """Reckon a log: what was harvested, used and held between readings, and what it teaches."""
    from voltaun.cli import tables
    from voltaun.core.learned.account import reckon
    from voltaun.formats.answers import ledger_answer
    rig, sky = _rig_and_sun(rig_file)
    account = reckon(rig, _logged(rig, log_file), sky)
    say(ledger_answer(account, rig.zone), lambda: tables.ledger_table(account, rig.zone), as_json)


@click.command()
@_rig_file
@_log_file(required=True)
@click.option("--as-of", help="Look ahead from here; without it from the last reading.")
@click.option("--days", default=10, show_default=True, type=click.IntRange(1, 60))
@click.option("--futures", default=2000, show_default=True, type=click.IntRange(1, 100_000))
@click.option("--seed", default=1, show_default=True, type=click.IntRange(0))
@click.option("--sky", "skies", multiple=True, metavar="DATE=WORD", help="A coming day's sky, if known.")
@click.option("--plan", "planned", multiple=True, metavar="KIND:FIRST[..LAST][=AMOUNT[@FROM[-TO]] or LOAD]",
              help="drive, generator or mains (hours a day), guests or away (times the use), add (Wh a day), leave_off "
                   "(a load); FROM and TO are clock hours.")
@click.option("--generator", "rule", metavar="START:STOP", help="Percents between which the generator is run.")
@json_flag
def outlook(rig_file, log_file, as_of, days, futures, seed, skies, planned, rule, as_json):
    """Look ahead: the bank's level over the next days, with its odds."""
    from voltaun.cli import tables
    from voltaun.core.outlook import outlook as outlooks
    from voltaun.core.outlook.ask import Ask, known
    from voltaun.core.reasons import NoOutlook
    from voltaun.formats.answers import outlook_answer
    from voltaun.words import reasons
    rig, sky = _rig_and_sun(rig_file)
    logged = _logged(rig, log_file)
    until = _instant(as_of, rig.zone) if as_of else (logged[-1].at if logged else now())
    ask = Ask(rig, known(rig, logged, sky, until), sky, until, days, futures, seed, _skies(skies),
              plans=_plans(rig, planned), rule=_rule(rig, rule))
    try:
        made = outlooks.outlook(ask)
    except NoOutlook as none:
        raise Refused(f"{log_file}: {reasons.say(none.reason)}") from none
    except ValueError as error:
        raise Refused(f"--{error}") from error
    say(outlook_answer(made, rig.zone), lambda: tables.outlook_table(rig, made, _worst(ask)), as_json)


def _worst(ask):
    from voltaun.core.log.days import by_day
    from voltaun.core.outlook.replay import worst_stretch
    from voltaun.core.outlook.standing import standing
    return worst_stretch(ask, standing(ask), by_day(ask.rig, ask.known.account.intervals, ask.sun))


@click.command()
@_rig_file
@_log_file(required=False)
@click.option("--reserve-days", default=3.0, show_default=True)
@click.option("--recovery-days", default=4.0, show_default=True)
@click.option("--use-wh", type=float, help="DC-side use a day; without it from the log, else the loads.")
@click.option("--peak-sun-hours", type=float, help="In the design month; without it from clear sky and the log.")
@click.option("--design-month", type=click.IntRange(1, 12), help="Without it the month with the least sun.")
@click.option("--array-share", type=float, help="The system's losses; default 0.75.")
@click.option("--bank-temp", type=float, help="Coldest bank temperature to plan for, °C; without it no cold.")
@click.option("--weather", "weather_files", multiple=True, type=_FILE,
              help="A weather file of the place (EPW, TMY3, TM2, PVGIS by the hour).")
@click.option("--sky-habit", "habits", multiple=True, metavar="SEASON=BRIGHT/MIXED/DARK",
              help="How many days in ten are so in spring, summer, autumn or winter, such as winter=2/3/5.")
@click.option("--panels", type=click.IntRange(0, 40), help="Up to so many panels more.  [default: 8]")
@click.option("--strings", type=click.IntRange(0, 20), help="Up to so many strings more.  [default: 4]")
@click.option("--years", type=click.IntRange(1, 200), help="Weather years to run.  [default: 40]")
@click.option("--seed", default=1, show_default=True, type=click.IntRange(0))
@click.option("--short-days", default=3.0, show_default=True, type=click.FloatRange(0, 366),
              help="So many days below the everyday floor in a usual year are enough.")
@click.option("--prices", "price_file", type=_FILE, help="A price list: name,kind,size,price,weight_kg,area_m2.")
@click.option("--budget", type=click.FloatRange(0), help="What may be spent, in the list's money.")
@click.option("--weight-kg", type=click.FloatRange(0), help="What may be carried more.")
@click.option("--roof-m2", type=click.FloatRange(0, min_open=True), help="What roof there is for more panels.")
@json_flag
def additions(rig_file, log_file, reserve_days, recovery_days, use_wh, peak_sun_hours, design_month, array_share,
              bank_temp, as_json, **simulated):
    """Work the sheet: how large a bank, array, controller and inverter the use calls for. With any option from
    --weather on also run years of weather through what may be added, and through what may be done instead."""
    from voltaun.cli import tables
    from voltaun.core.learned.account import learn, reckon
    from voltaun.core.rig.bank import cold_factor
    from voltaun.core.sizing import worksheet as sheets
    from voltaun.core.sizing.years import month_shares
    from voltaun.formats.answers import additions_answer
    from voltaun.words import reasons
    rig = rig_from(rig_file.read_bytes(), rig_file)
    asked = any(value for name, value in simulated.items() if name not in ("seed", "short_days"))
    planes = _tables(rig) if log_file or peak_sun_hours is None or asked else None
    learned, skies, logged = learn(rig, []), [], _logged(rig, log_file) if log_file else []
    if log_file:
        from voltaun.core.log.days import sky_days
        from voltaun.core.sky.clear_sky import rig_sun
        sun = rig_sun(rig, planes)
        account = reckon(rig, logged, sun)
        learned, skies = account.learned, sky_days(account.intervals, sun, rig.zone)
    found = _simulated(rig, logged, planes, **simulated) if asked else None
    try:
        inputs = sheets.suggest(rig, learned, planes, reserve_days=reserve_days, recovery_days=recovery_days,
                                use_wh_per_day=use_wh, peak_sun_hours=peak_sun_hours, design_month=design_month,
                                array_share=array_share,
                                month_shares=month_shares(skies, dict(map(_habit, simulated["habits"])),
                                                          rig.place.latitude),
                                cold_factor=None if bank_temp is None else cold_factor(rig.chemistry, bank_temp))
        sheet = sheets.worksheet(rig, inputs)
    except ValueError as error:
        raise Refused(str(error)) from error
    listed = sheets.options(rig, sheet)
    say(additions_answer(sheet, listed, found, reasons.say), lambda: tables.additions_table(sheet, listed, found),
        as_json)


def _simulated(rig, logged, planes, weather_files, habits, panels, strings, years, seed, short_days, price_file, budget,
               weight_kg, roof_m2):
    from voltaun.core.outlook.ask import known
    from voltaun.core.sizing.choices import Limits
    from voltaun.core.sizing.simulation import AdditionsAsk, simulate_additions
    from voltaun.core.sky.clear_sky import rig_sun
    from voltaun.formats.price_list import read_prices
    from voltaun.formats.weather_file import read_weather, remarks
    weathers = []
    for path in weather_files:
        weathers.append(refusing(read_weather, path.read_bytes(), file=path))
        try:
            warn([f"{path}: {remark}" for remark in remarks(weathers[-1], rig.place)])
        except ValueError as error:
            raise Refused(f"{path}: {error}") from error
    products = refusing(read_prices, price_file.read_bytes(), file=price_file) if price_file else ()
    sun = rig_sun(rig, planes)
    until = logged[-1].at if logged else now()
    ask = AdditionsAsk(rig, known(rig, logged, sun, until), sun, weathers, dict(map(_habit, habits)),
                       8 if panels is None else panels, 4 if strings is None else strings, years or 40, seed,
                       short_days, products, Limits(budget, weight_kg, roof_m2))
    try:
        return simulate_additions(ask)
    except ValueError as error:
        raise Refused(str(error)) from error


def _habit(text):
    from voltaun.core.sizing.years import SEASONS
    season, _, parts = text.partition("=")
    try:
        days = [float(part) for part in parts.split("/")]
        if season not in SEASONS or len(days) != 3 or min(days) < 0 or not sum(days) > 0:
            raise ValueError
    except ValueError as error:
        raise Refused(f"--sky-habit: found {text!r}, expected SEASON=BRIGHT/MIXED/DARK such as winter=2/3/5, with a "
                      f"season of {', '.join(SEASONS)}") from error
    return season, tuple(day / sum(days) for day in days)


def _tables(rig):
    from voltaun.database.clearsky import tables_in
    from voltaun.database.connection import default_path
    return tables_in(default_path().parent / "clear-sky", rig)


def _rig_and_sun(rig_file):
    from voltaun.core.sky.clear_sky import rig_sun
    rig = rig_from(rig_file.read_bytes(), rig_file)
    return rig, rig_sun(rig, _tables(rig))


def _logged(rig, log_file):
    from voltaun.formats.log_csv import read_log
    log = refusing(read_log, log_file.read_bytes(), rig.zone, file=log_file)
    warn(log.warnings)
    if log.readings and log.readings[-1].at > now():
        warn([f"the last reading, {log.readings[-1].at.astimezone(rig.zone):%Y-%m-%d %H:%M}, lies in the future"])
    return log.readings


def _instant(text, zone):
    from voltaun.core.instants import resolve
    try:
        return resolve(datetime.fromisoformat(text), zone)[0]
    except ValueError as error:
        raise Refused(f"--as-of: found {text!r}, expected a time such as 2026-11-24T19:30") from error


def _plans(rig, given):
    from voltaun.core.outlook.plans import Plan
    plans = []
    for text in given:
        kind, _, rest = text.partition(":")
        days, _, amount = rest.partition("=")
        first, _, last = days.partition("..")
        number, _, clock = ("", "", "") if kind == "leave_off" else amount.partition("@")
        begin, _, end = clock.partition("-")
        try:
            plan = Plan(kind, date.fromisoformat(first), date.fromisoformat(last or first),
                        float(number) if number else None, amount if kind == "leave_off" else "",
                        float(begin) if begin else None, float(end) if end else None)
        except ValueError as error:
            raise Refused(f"--plan: {text!r}: {error}; such as drive:2026-11-26=1.5@9, add:2026-11-26=2000@18-23 or "
                          "away:2026-11-26..2026-11-30") from error
        if kind == "leave_off" and amount not in [load.name for load in rig.loads]:
            raise Refused(f"--plan: found {amount!r}, expected one of the loads: "
                          + (", ".join(load.name for load in rig.loads) or "none is listed"))
        plans.append(plan)
    return tuple(plans)


def _rule(rig, text):
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


@click.command()
@_rig_file
@_log_file(required=True)
@click.option("--days", default="1,3,5,7,10", show_default=True, help="How many days ahead, with commas between.")
@click.option("--from", "begin", help="The first outlook; without it once sixty days are logged.")
@click.option("--every", default=1, show_default=True, type=click.IntRange(1, 400),
              help="An outlook every so many days only.")
@click.option("--each", "each", is_flag=True, help="Every single outlook as well.")
@json_flag
def backtest(rig_file, log_file, days, begin, every, each, as_json):
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
    rig, sky = _rig_and_sun(rig_file)
    past = made_again(rig, _logged(rig, log_file), sky, horizons, _instant(begin, rig.zone) if begin else None,
                      every=every)
    if not past.sun and not past.levels:
        raise Refused(f"{log_file}: found too few days to make a past outlook from, expected more than sixty, or "
                      "--from")
    say(backtest_answer(past, rig.zone, each), lambda: tables.backtest_table(past), as_json)


def _skies(given):
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
