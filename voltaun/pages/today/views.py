"""Today: how long there is, what to do, and one line to log a reading."""

from datetime import date, timedelta
from typing import Any

from flask import g, render_template, url_for
from markupsafe import Markup

from voltaun.core.dayplan.hours import Day
from voltaun.core.dayplan.plan import DayPlan
from voltaun.core.dayplan.tonight import in_turn, things
from voltaun.core.instants import local_day
from voltaun.core.log.found_on import found_on
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.first_hour import first_hour
from voltaun.core.rig.bank import packs_apart
from voltaun.core.rig.loads import GRADES, load_dc_wh
from voltaun.core.sky.clear_sky import another_turn
from voltaun.database import bench, clearsky, readings
from voltaun.database.asking import AHEAD
from voltaun.database.bench import KeptRun
from voltaun.database.house import OWNER
from voltaun.database.readings import KeptReading
from voltaun.pages import context, door, frame
from voltaun.pages.bench import under_way
from voltaun.pages.bench.shown import Shown
from voltaun.pages.context import Look
from voltaun.pages.figures import hours, strip
from voltaun.pages.figures.strip import Column
from voltaun.pages.reading.forms import ReadingForm, typed_in
from voltaun.pages.start.trying import is_tried_out
from voltaun.pages.today.plan import asked_of_tonight
from voltaun.words import nights, planning
from voltaun.words import sentences as words
from voltaun.words.cautions import for_now

BACK = 14


def show() -> tuple[str, int]:
    """The page."""
    return render(ReadingForm(context.rig(), context.look().now))


def render(form: ReadingForm, status: int = 200) -> tuple[str, int]:
    """The page with this form in it, as sent back when something in it is wrong."""
    look = context.look()
    # Who only tries something out is told what there is, and advised nothing.
    outlook = None if is_tried_out(context.rig()) else look.outlook
    # A list is no log: hours, but no plan and no ways.
    listed = outlook is not None and outlook.present.drain.basis == "loads" and not outlook.present.silent
    planned = look.plan if outlook and not listed else None
    first = look.today - timedelta(days=BACK)
    columns = strip.columns(first, look.today + timedelta(days=AHEAD), context.days_from(first), outlook,
                            look.ask.skies,
                            lambda plan: words.plan(plan, context.rig()), context.rig().bank.everyday_floor,
                            context.marked_days(), _placed(planned))
    copied, trouble = frame.last_copy()
    guessed = door.wrong_tries() if g.who == OWNER else None
    first_said = None if outlook else first_hour(context.rig(), look.readings, context.sun(), look.today, look.now)
    return render_template("today/today.html", look=look, outlook=outlook, listed=listed, today=look.today, form=form,
                           last_copy=copied, copy_trouble=trouble, guessed=guessed,
                           strips=_strips(look, columns), columns=columns, last=_last(look), seldom=_seldom(look, form),
                           first=first_said, steps=_steps(look), nothing_yet=not any(of.past for of in columns),
                           cautions=for_now(context.rig(), outlook), apart=_apart(look),
                           nights=_nights(look), trials=_trials() if g.who == OWNER else [],
                           found=_found(look) if g.who == OWNER else None,
                           **(_planned(planned, look) if planned and not planned.stale else {})), status


def _nights(look: Look) -> list[str]:
    """What a night takes and the level at dawn, while fewer days are known than that."""
    outlook, sun = look.outlook, context.sun()
    if sun is None or outlook and (outlook.present.silent or outlook.present.drain.days_known >= nights.FEW_DAYS):
        return []
    took = nights.nights_take(look.recent.known.nights, context.rig(), sun, look.now)
    dawn = nights.at_dawn(outlook, context.rig(), sun) if outlook and took else None
    return [said for said in (took, dawn) if said]


def _trials() -> list[tuple[KeptRun, Shown]]:
    """What is being measured, and how it stands: the latest begun first."""
    runs = bench.runs(context.db(), g.kept.id)
    return [(each, under_way.seen(each, runs)) for each in runs if under_way.may_run(each, g.now)]


FOUND_LATELY = timedelta(days=3)


def _found(look: Look) -> KeptReading | None:
    """The last of the late readings whose note says that something was found on, while nobody answered."""
    late = [reading for reading in look.readings[1:] if look.now - reading.at < FOUND_LATELY and reading.soc is not None
            and not reading.answer and found_on(reading.note)]
    return readings.at(context.db(), g.kept.id, late[-1].at) if late else None


def _placed(plan: DayPlan | None) -> dict[date, list[str]]:
    """What the day's plan puts on which day, for the strip."""
    found: dict[date, list[str]] = {}
    for of in plan.placing.placed if plan and plan.placing else ():
        found.setdefault(local_day(of.start, context.rig().zone), []).append(planning.on_strip(of, context.rig()))
    return found


def _turned(day: Day, spilt_wh: float) -> list[str]:
    """What another turn of each hand-aimed array brings today, a sentence each; none without much sun to come, and
    nothing where as much of the sun will be spilt."""
    rig, left = context.rig(), sum(hour.solar_wh.p50 for hour in day.hours)
    whole, told = sum(array.rated_w for array in rig.arrays), []
    share = context.look().account.learned.share.mean
    for array in rig.arrays:
        sun, times = left * array.rated_w / whole, array.aimed_per_day
        if times and sun >= LITTLE_SUN_WH:
            tables = clearsky.aimed_tables(context.tables_db(rig), rig, array, range(times, times + 2), day.day)
            gain = another_turn(tables, times, day.day.month, sun, share)
            told.append(planning.turned(array.name, max(0.0, gain - spilt_wh), spilt_wh > 0))
    return told


LITTLE_SUN_WH = 50.0
"""With less sun to come than this nothing is said of turning a panel to it, Wh."""


def _planned(plan: DayPlan, look: Look) -> dict[str, Any]:
    """What the page shows of the day's plan."""
    assert plan.day and plan.placing and plan.tonight  # or it is stale
    rig, day, tonight = context.rig(), plan.day.day, plan.tonight
    marked = [(name, "open", "done") for name in look.marks.done.get(day, ())]
    marked += [(name, "back", "not on this day")
               for name, begin in look.marks.moved.get(day, {}).items() if begin is None]
    typed, answered, wrong = asked_of_tonight(tonight)
    night = (tonight.until - look.now).total_seconds() / 3600
    may = things(rig, tonight.may_spend_wh, night) if tonight.may_spend_wh >= planning.LITTLE_WH else []
    return {"plan": plan, "planning": planning, "marked": marked, "typed": typed, "answered": answered, "wrong": wrong,
            "spilt": planning.spilt_of(plan),
            "plan_lines": sorted([*plan.placing.placed, *plan.spill_list], key=lambda of: of.start),
            "turns": planning.in_turn(in_turn(rig, tonight.may_spend_wh, night)) if may else "",
            "may_things": [words for of in may if (words := planning.thing(of))],
            "turned": _turned(plan.day, planning.spilt_of(plan)) if day == look.today else [],
            "hours_picture": hours.draw(plan.day, plan.placing.placed, rig.bank.everyday_floor, rig.zone)}


def _apart(look: Look) -> float | None:
    """How far the packs were apart when they were last read, if it is worth a remark."""
    socs = next((reading.pack_socs for reading in reversed(look.readings) if reading.pack_socs), ())
    return packs_apart(socs)


def _strips(look: Look, columns: list[Column]) -> list[Markup]:
    """The strip at both sizes; a phone shows fewer days."""
    rig = context.rig()
    levels = [(interval.end, interval.soc_end, interval.soc_basis == "read")
              for interval in look.account.intervals if interval.soc_end is not None]
    if not levels:
        levels = [(reading.at, reading.soc, True) for reading in look.readings if reading.soc is not None]
    floors = (rig.bank.everyday_floor, rig.bank.hard_floor)
    log = url_for("log.show", rig_id=g.kept.id) if g.who == OWNER else None
    fewer = [column for column in columns if -5 <= (column.day - look.today).days <= 6]
    return [strip.draw(size, shown, levels, look.outlook, floors, rig.zone, look.now, log)
            for size, shown in ((strip.WIDE, columns), (strip.NARROW, fewer))]


HABIT, IN_LINE = 12, 2
"""So many readings show what is mostly filled in; beside level and sun so many of those stand in the line."""


def _seldom(look: Look, form: ReadingForm) -> list[str]:
    """What does not stand in the line: what is further, until there is a habit, and then all but what is filled in most
    often."""
    further = [box.field.short_name for box in form.boxes("more")]
    late = look.readings[-HABIT:]
    if len(late) < HABIT:
        return further
    asked = [box.field for part in ("main", "more") for box in form.boxes(part)
             if box.field.short_name not in ("soc", "solar_wh", "note", "events")]
    times = {field.short_name: sum(any(getattr(reading, of) not in (None, "") for of in typed_in(field.short_name))
                                   for reading in late) for field in asked}
    often = [name for name, count in sorted(times.items(), key=lambda of: -of[1])[:IN_LINE] if count * 3 >= HABIT]
    return [*(field.short_name for field in asked if field.short_name not in often), "note", "events"]


def _last(look: Look) -> Reading | None:
    """The latest reading, whose values stand as hints in the entry."""
    return look.readings[-1] if look.readings else None


YOUNG_DAYS = 7
"""While fewer days are logged the page names what to do next."""


def _steps(look: Look) -> list[tuple[str, dict[str, Any], str, str]]:
    """What to do next, in the order in which practitioners work, each gone once done: the page, what it is given, what
    to do, and what that will tell."""
    rig = context.rig()
    if look.account.learned.use and look.account.learned.use.intervals >= YOUNG_DAYS:
        return []
    steps: list[tuple[str, dict[str, Any], str, str]] = []
    if not any(reading.soc is not None for reading in look.readings):
        steps.append(("today.show", {"entry": 1}, "Write down the level", "it says what you can use now"))
    if not rig.loads:
        steps.append(("bench.usual_things", {}, "Tick what runs here", "it says how many hours that lasts"))
    metered = any(load.evidence == "metered" for load in rig.loads)
    if rig.loads and not metered:
        most = max(rig.loads, key=lambda load: load_dc_wh(rig, load) * GRADES[load.evidence][1])
        steps.append(("bench.new", {"instrument": "meter", "subject": most.name}, f"Meter {most.name} for a day",
                      "no other figure leaves as much in doubt"))
    elif not rig.loads:
        steps.append(("bench.new", {"instrument": "meter"}, "Meter the largest of it for a day",
                      "labels overstate, often by several times"))
    if len(steps) < 2 and any(reading.soc is not None for reading in look.readings):
        steps.append(("today.show", {"entry": 1}, "Write down the level tomorrow at about this time",
                      "two readings show what a day takes"))
    return steps[:2]
