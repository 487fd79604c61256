"""Two stretches of the log beside one another."""

from datetime import date, timedelta

from flask import g, render_template, request

from voltaun.core.instants import day_start, local_day
from voltaun.core.log.days import clear_sky_of
from voltaun.core.log.reading import Reading
from voltaun.core.log.stretches import Stretch, difference, share_difference, stretch
from voltaun.core.rig.rig import Rig
from voltaun.core.units import QuantityError
from voltaun.database import readings
from voltaun.pages import context
from voltaun.pages.days import day_from, shown

ENDS = ("a_first", "a_last", "b_first", "b_last")


def compare() -> str:
    """The page: the days asked for, else the last fortnight beside the one before it."""
    today = local_day(g.now, context.rig().zone)
    usual = dict(zip(ENDS, (today - timedelta(days=n) for n in (28, 15, 14, 1)), strict=True))
    typed, ends = dict[str, str](), dict[str, date]()
    faults: dict[str, str | None] = {}
    for name in ENDS:
        typed[name] = request.args.get(name, "").strip() or shown(usual[name])
        try:
            ends[name] = day_from(typed[name], today)
            typed[name] = shown(ends[name])
        except QuantityError as error:
            faults[name] = f"Found {error.found}, expected {error.expected}, such as {shown(today)}."
    first = second = None
    if not faults:
        first, faults["a_first"] = _stretch(ends["a_first"], ends["a_last"])
        second, faults["b_first"] = _stretch(ends["b_first"], ends["b_last"])
    differ = {}
    if first and second:
        differ = {"use": difference(first.uses, second.uses), "share": share_difference(first, second)}
    return render_template("log/compare.html", typed=typed, faults=faults, first=first, second=second, differ=differ)


def _stretch(first: date, last: date) -> tuple[Stretch | None, str | None]:
    """A stretch of this rig's log, or what is wrong with it."""
    rig, sun = context.rig(), context.sun()
    begin, end = day_start(first, rig.zone), day_start(last + timedelta(days=1), rig.zone)
    kept = [each.reading for each in readings.since(context.db(), g.kept.id, begin - timedelta(days=8),
                                                    end + timedelta(days=8))]
    days = context.days_from(first, last)
    inside = [reading for reading in kept if begin < reading.at <= end]
    low = {local_day(reading.at, rig.zone) for reading in inside
           if reading.soc is not None and reading.soc < rig.bank.everyday_floor}
    try:
        return stretch(days, first, last, clear_sky_of(days, sun, rig.zone),
                       sum(_generator_hours(rig, reading) for reading in inside), len(low)), None
    except ValueError as error:
        return None, f"{str(error).capitalize()}."


def _generator_hours(rig: Rig, reading: Reading) -> float:
    if reading.generator_hours is not None:
        return reading.generator_hours
    if reading.generator_wh and rig.generators:
        return reading.generator_wh / rig.generators[0].gives_w
    return 0.0
