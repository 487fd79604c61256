"""The command that sizes additions: the worksheet, and years of weather through what may be added."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from voltaun.cli.common import FILE, Grouped, Refused, json_flag, now, progress, refusing, rig_from, say, warn
from voltaun.cli.given import log_file_option, logged_in, rig_file_option, tables_of
from voltaun.core.sizing import MOST_PANELS, MOST_STRINGS, YEARS

if TYPE_CHECKING:
    from pathlib import Path

    from numpy import ndarray

    from voltaun.core.log.reading import Reading
    from voltaun.core.rig.rig import Rig
    from voltaun.core.sizing.choices import Offer
    from voltaun.core.sizing.measures import Measure
    from voltaun.core.sizing.simulation import Additions
    from voltaun.core.sky.weather import Weather


GROUPS = {
    "The rig and its log": ("rig_file", "log_file"),
    "The worksheet": ("reserve_days", "recovery_days", "use_wh", "peak_sun_hours", "design_month", "array_share",
                      "bank_temp"),
    "Years of weather": ("simulate", "weather_files", "habits", "years", "seed", "short_days", "all_year"),
    "What may be had": ("panels", "strings", "prices", "price_file", "budget", "weight_kg", "roof_m2", "panel",
                        "own_plane", "second_panel", "second_plane", "measures")}


@click.command(cls=Grouped, groups=GROUPS, short_help="How large a bank and an array the use calls for")
@rig_file_option
@log_file_option(required=False)
@click.option("--reserve-days", default=3.0, show_default=True, help="So many days without sun are to be lasted.")
@click.option("--recovery-days", default=4.0, show_default=True, help="In so many sunny days it is full again.")
@click.option("--use-wh", type=float, help="DC-side use a day; without it from the log, else the loads.")
@click.option("--peak-sun-hours", type=float, help="In the design month; without it from clear sky and the log.")
@click.option("--design-month", type=click.IntRange(1, 12), help="Without it the month with the least sun.")
@click.option("--array-share", type=float, help="The system's losses; default 0.75.")
@click.option("--bank-temp", type=float, help="Coldest bank temperature to plan for, °C; without it no cold.")
@click.option("--simulate", is_flag=True, help="Also run years of weather through what may be added, and through what "
              "may be done instead. Any other option of the two groups below does so too.")
@click.option("--weather", "weather_files", multiple=True, type=FILE,
              help="A weather file of the place (EPW, TMY3, TM2, PVGIS by the hour; also zipped).")
@click.option("--sky-habit", "habits", multiple=True, metavar="SEASON=BRIGHT/MIXED/DARK",
              help="How many days in ten are so in spring, summer, autumn or winter, such as winter=2/3/5.")
@click.option("--panels", type=click.IntRange(0, MOST_PANELS), help="Up to so many panels more.  [default: 8]")
@click.option("--strings", type=click.IntRange(0, MOST_STRINGS), help="Up to so many strings more.  [default: 4]")
@click.option("--years", type=click.IntRange(1, 200), help=f"Weather years to run.  [default: {YEARS}]")
@click.option("--seed", default=1, show_default=True, type=click.IntRange(0), help="Other years of the same weather.")
@click.option("--short-days", default=3.0, show_default=True, type=click.FloatRange(0, 366),
              help="So many days below the everyday floor in a usual year are enough.")
@click.option("--prices", "price_file", type=FILE, help="A price list, as in docs/files.md.")
@click.option("--budget", type=click.FloatRange(0), help="What may be spent, in the list's money.")
@click.option("--weight-kg", type=click.FloatRange(0), help="What may be carried more.")
@click.option("--roof-m2", type=click.FloatRange(0, min_open=True), help="What roof there is for more panels.")
@click.option("--panel", help="The panel of the price list that is added; without it the rig's own.")
@click.option("--own-plane", metavar="TILT/AZIMUTH", help="Panels more stand on a plane of their own, such as 60/0, "
              "or on that of an array, by its name.")
@click.option("--second-plane", metavar="TILT/AZIMUTH", help="Others at the same time on this plane, or on an "
              "array's; both together are no more panels than may be had.")
@click.option("--second-panel", help="The panel of the price list that is added there; without it the same.")
@click.option("--measure", "measures", multiple=True, metavar="MEASURE",
              help="What is done without buying, instead of the usual, such as 'drive:Ute hours=1 every=2'.")
@click.option("--all-year", is_flag=True, help="It is lived in all year, whatever absences the log shows.")
@json_flag
def additions(rig_file: Path, log_file: Path | None, reserve_days: float, recovery_days: float, use_wh: float | None,
              peak_sun_hours: float | None, design_month: int | None, array_share: float | None,
              bank_temp: float | None, as_json: bool, **simulated: Any) -> None:
    """Work the sheet: how large a bank, array, controller and inverter the use calls for; with --simulate also run
    years of weather through what may be added, and through what may be done instead."""
    from voltaun.cli import tables
    from voltaun.core.learned.account import learn, reckon
    from voltaun.core.rig.bank import cold_factor
    from voltaun.core.sizing import worksheet as sheets
    from voltaun.core.sizing.suns import with_a_first_panel
    from voltaun.core.sizing.years import month_shares
    from voltaun.formats.answers import additions_answer
    from voltaun.words import reasons
    rig = rig_from(rig_file.read_bytes(), rig_file)
    asked = any(value for name, value in simulated.items() if name not in ("seed", "short_days"))
    placed = rig if rig.arrays else with_a_first_panel(rig)
    planes = tables_of(placed) if log_file or peak_sun_hours is None or asked else []
    learned, skies, logged = learn(rig, []), [], logged_in(rig, log_file) if log_file else []
    if log_file:
        from voltaun.core.log.days import sky_days
        from voltaun.core.sky.clear_sky import rig_sun
        sun = rig_sun(rig, planes)
        account = reckon(rig, logged, sun)
        learned, skies = account.learned, sky_days(rig, account.intervals, sun)
    found = _simulated(rig, logged, planes, simulated) if asked else None
    try:
        inputs = sheets.suggest(rig, learned, planes, reserve_days=reserve_days, recovery_days=recovery_days,
                                use_wh_per_day=use_wh, peak_sun_hours=peak_sun_hours, design_month=design_month,
                                array_share=array_share,
                                month_shares=month_shares(skies, _habits(simulated),
                                                          rig.place.latitude),
                                cold_factor=None if bank_temp is None else cold_factor(rig.chemistry, bank_temp))
        sheet = sheets.worksheet(rig, inputs)
    except ValueError as error:
        raise Refused(str(error)) from error
    listed = sheets.options(rig, sheet)
    say(additions_answer(sheet, listed, found, reasons.say), lambda: tables.additions_table(sheet, listed, found),
        as_json)


def _simulated(rig: Rig, logged: list[Reading], planes: list[ndarray], given: Any) -> Additions | None:
    """Years of weather through what may be added, as the options say."""
    from voltaun.core.outlook.ask import known
    from voltaun.core.sizing.question import additions_ask
    from voltaun.core.sizing.simulation import simulate_additions
    from voltaun.core.sky.clear_sky import rig_sun
    sun = rig_sun(rig, planes)
    until = logged[-1].at if logged else now()
    ask = additions_ask(rig, known(rig, logged, sun, until), sun, lambda other: rig_sun(other, tables_of(other)),
                        [_weather(rig, path) for path in given["weather_files"]], _habits(given), _offer(rig, given),
                        years=given["years"] or YEARS, seed=given["seed"], most_days=given["short_days"],
                        all_year=given["all_year"])
    def going(part: float) -> bool:
        said(f"Years of weather: {100 * part:.0f} %")
        return True
    try:
        with progress() as said:
            return simulate_additions(ask, going)
    except ValueError as error:
        raise Refused(str(error)) from error


def _weather(rig: Rig, path: Path) -> Weather:
    from voltaun.formats.weather_file import read_weather, remarks
    weather = refusing(read_weather, path.read_bytes(), file=path)
    try:
        warn([f"{path}: {remark}" for remark in remarks(weather, rig.place)])
    except ValueError as error:
        raise Refused(f"{path}: {error}") from error
    return weather


def _offer(rig: Rig, given: Any) -> Offer:
    """What may be had, as the options say."""
    from voltaun.core.sizing.choices import Limits, offer_of
    from voltaun.core.sizing.question import spot_from
    from voltaun.core.sizing.suns import Aims, Spot
    from voltaun.formats.price_list import read_prices
    file, panel, second_panel = given["price_file"], given["panel"], given["second_panel"]
    products = refusing(read_prices, file.read_bytes(), file=file) if file else ()
    for option, name in (("--panel", panel), ("--second-panel", second_panel)):
        if name and name not in [each.name for each in products if each.kind == "panel"]:
            raise Refused(f"{option}: found {name!r}, expected a panel of the price list")
    if second_panel and not given["second_plane"]:
        raise Refused("--second-panel: found it without --second-plane, expected both")

    def spot(option: str, name: str) -> Spot | None:
        try:
            return spot_from(rig, given[name])
        except ValueError as error:
            raise Refused(f"{option}: found {given[name]!r}, expected TILT/AZIMUTH such as 60/0, or an array of the "
                          "rig") from error
    aims = Aims(spot("--own-plane", "own_plane") or Spot(), spot("--second-plane", "second_plane"))
    up_to = {name: given[name] for name in ("panels", "strings") if given[name] is not None}
    return offer_of(rig, [_measure(rig, text) for text in given["measures"]] or None, (), aims, **up_to,
                    products=tuple(products), limits=Limits(given["budget"], given["weight_kg"], given["roof_m2"]),
                    panel=panel, second_panel=second_panel)


def _measure(rig: Rig, text: str) -> Measure:
    from voltaun.core.sizing.measures import fits, from_code
    try:
        found = from_code(text)
        if not fits(rig, found):
            raise ValueError(f"found {', '.join(found.names) or found.kind!r}, expected what the rig has")
    except (ValueError, TypeError) as error:
        raise Refused(f"--measure: {text!r}: {error}") from error
    return found


def _habits(given: Any) -> dict[str, tuple[float, float, float]]:
    """What was said of each season: parts of its days that are bright, mixed and dark."""
    from voltaun.core.sizing.question import habit_from
    from voltaun.core.sizing.years import SEASONS
    found = {}
    for text in given["habits"]:
        season, _, days = text.partition("=")
        try:
            found[season] = habit_from(days)
        except ValueError:
            season = ""
        if season not in SEASONS:
            raise Refused(f"--sky-habit: found {text!r}, expected SEASON=BRIGHT/MIXED/DARK such as winter=2/3/5, with "
                          f"a season of {', '.join(SEASONS)}")
    return found
