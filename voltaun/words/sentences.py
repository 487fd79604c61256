"""Figures in words: plain, short, and keeping their uncertainty."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields, replace
from datetime import date, datetime
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

from voltaun.core.log.reading import BY_NAME
from voltaun.core.outlook.plans import AWAY, GUESTS, GeneratorRule, Plan
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCES
from voltaun.words.house_units import customary, fuel_word, in_fuel, show_temperature
from voltaun.words.units import (
    lasting,
    show_age,
    show_clock,
    show_duration,
    show_energy,
    show_percent,
    show_power,
    show_rough,
)

if TYPE_CHECKING:  # a page that says other things need not load these
    from voltaun.core.learned.doubts import Doubt
    from voltaun.core.outlook.first_hour import FirstHour, Lasts, Taken
    from voltaun.core.outlook.outlook import DayOutlook, Outlook, Range
    from voltaun.core.outlook.replay import Again
    from voltaun.core.outlook.scores import Held, Horizon, Said
    from voltaun.core.sizing.worksheet import Worksheet

LITTLE_DAYS = 7
"""With fewer days of the log known the page says how little that is."""

_NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven",
            "twelve")
_WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
           "November", "December")

FIGURE_WORDS = {
    "daily_wh": "Wh a day", "running_w": "W while on", "surge_w": "W at a start", "charge_w": "W into the bank",
    "tested_energy_wh": "energy from full to empty, tested",
    "logged_energy_wh": "energy from full to empty, by the log", "standby_w": "standby", "idle_w": "W of idle",
    "everyday_floor": "everyday floor", "hard_floor": "hard floor",
    "evidence": "known by"}
"""What a figure of the rig is called, where its field's name does not read as words."""


def figure_words(field: str) -> str:
    """What a field of the rig is called in a sentence."""
    return FIGURE_WORDS.get(field, field.replace("_", " "))


def begin(text: str) -> str:
    """A sentence with its first letter large, the rest as it is."""
    return text[:1].upper() + text[1:]


def refusal(error: ValueError) -> str:
    """What is wrong with what was typed, and how to write it: `Found 'x', expected ... . Write it as ....`"""
    return f"{begin(str(error))}."


def number(n: int) -> str:
    """A small number in letters."""
    return _NUMBERS[n] if 0 <= n < len(_NUMBERS) else str(n)


def days(n: float) -> str:
    """A number of days: `three days`, `one day`, `2.5 days`."""
    count = number(int(n)) if n == int(n) else f"{n:g}"
    return f"{count} day{'' if n == 1 else 's'}"


def counted(n: int, what: str) -> str:
    """A count of things: `no logged day`, `1 logged day`, `9 logged days`."""
    return f"{n or 'no'} {what}{'' if n in (0, 1) else 's'}"


def logged(days: int, hours: float | None) -> str:
    """What of a log a figure rests on: `9 logged days`, or `9 h of the log` while it has no whole day."""
    return counted(days, "logged day") if hours is None else f"{show_duration(hours)} of the log"


def draw(watts: float, counted_wh: float | None = None) -> str:
    """What leaves the bank that the log does not explain, in the one way that all pages say it.

    counted_wh  what of it is counted on top of the use, Wh a day: a use that was reckoned holds the rest already
    """
    said = f"a draw of about {show_power(watts)} that the log does not explain"
    return said if counted_wh is None else f"{said}, {show_rough(counted_wh)} a day more"


def not_listed(gap_wh: float, draw_w: float) -> str:
    """What a day's use that no load on the list explains is likely to be (below 0: the list says too much).

    draw_w  what of it the log does not explain either, W
    """
    if gap_wh <= 0:
        return "Labels overstate what cycling appliances take, often by several times."
    told = (f"That is {show_power(gap_wh / 24)} day and night: something forgotten, or a load that takes more than is "
            "written.")
    part = f" The draw of about {show_power(draw_w)} that the log does not explain is part of it."
    return told + part if 0 < 24 * draw_w <= gap_wh else told


def range_of(low: float, high: float, show: Callable[[float], str]) -> str:
    """A range: `21–96 %`, `250–800 Wh`; one figure where both ends read alike."""
    first, last = show(low), show(high)
    if first == last:
        return last
    number_, _, unit = first.rpartition(" ")
    return f"{number_}–{last}" if unit == last.rpartition(" ")[2] else f"{first} to {last}"


def sun_ahead(day: DayOutlook) -> str:
    """The sun of a day ahead: `sun 2.5–7.5 kWh`, `no sun`."""
    return f"sun {range_of(day.solar_wh.p10, day.solar_wh.p90, show_rough)}" if day.solar_wh.p90 >= 1 else "no sun"


def levels(of: Sequence[float]) -> str:
    """Levels one after the other; what is the same throughout once: `10 % on all five`."""
    shown = [show_percent(level) for level in of]
    return f"{shown[0]} on all {number(len(shown))}" if len(shown) > 1 and len(set(shown)) == 1 else ", ".join(shown)


def month(n: int) -> str:
    """A month's name, January = 1."""
    return _MONTHS[n - 1]


def chance(p: float) -> str:
    """A chance as people say it: `very unlikely` under 1 in 20, `3 in 10`, `almost certain` over 19 in 20."""
    if p < 0.05:
        return "very unlikely"
    return "almost certain" if p > 0.95 else f"{min(max(1, round(p * 10)), 9)} in 10"


def said(of: Said) -> str:
    """What came of a chance that was said: `Of 40 times it said 2 in 10, it came 9 times.`"""
    what = chance(of.tenths / 10) if of.tenths else "hardly ever"
    return (f"Of {of.times} time{'s' if of.times != 1 else ''} it said {what}, it came "
            f"{f'{of.came} times' if of.came > 1 else 'once' if of.came else 'never'}.")


def held(of: Held) -> str:
    """How often a range held: `36 of 52`; of few cases only how many there are."""
    if not of.cases:
        return "—"
    return f"{of.held} of {of.cases}" if of.enough else f"{counted(of.cases, 'case')}, too few"


def record(first: Horizon) -> str:
    """How outlooks for the next day did, in two sentences at most."""
    if not first.sun.enough:
        cases = begin(counted(first.sun.cases, "outlook"))
        return f"{cases} for the next day can be held against what came. Ten are needed."
    level = f", the level {first.level.held} of {first.level.cases}" if first.level.enough else ""
    return (f"One day ahead, the sun came within its range {first.sun.held} of {first.sun.cases} times{level}. About "
            f"{round(0.8 * first.sun.cases)} would be right.")


def stretch(days: float) -> str:
    """A length of time in letters: `two days and five hours`, `nine hours`, `more than a month`."""
    if days > 60:
        return "more than two months"
    hours = round(days * 24)
    if hours < 1:
        return "less than an hour"
    whole, rest = divmod(hours, 24)
    parts = []
    if whole:
        parts.append(f"{number(whole)} day{'s' if whole > 1 else ''}")
    if rest and whole < 7:
        parts.append(f"{number(rest)} hour{'s' if rest > 1 else ''}")
    return " and ".join(parts)


def day_name(day: date, today: date) -> str:
    """A day as one says it from today: `today`, `tomorrow`, `Thursday`, `Thu 3 Dec`."""
    ahead = (day - today).days
    if ahead in (0, 1):
        return ("today", "tomorrow")[ahead]
    name = _WEEKDAYS[day.weekday()]
    if 0 < ahead < 7:
        return name
    return f"{name[:3]} {day.day} {_MONTHS[day.month - 1][:3]}"


def on_day(day: date, today: date) -> str:
    """The same after a verb: `today`, `tomorrow`, `on Thursday`."""
    name = day_name(day, today)
    return name if 0 <= (day - today).days < 2 else f"on {name}"


def plan(of: Plan, rig: Rig) -> str:
    """A plan as one says it, without its days: `1.5 h of driving, 9:00 to 10:30`, `guests, use × 1.4`."""
    amount, clock = of.amount, of.hours and f", {show_clock(of.hours[0])} to {show_clock(of.hours[1])}"
    if of.kind in ("drive", "generator", "mains"):
        return {"drive": "{} of driving", "generator": "{} of the generator",
                "mains": "{} at a socket"}[of.kind].format(show_duration(amount)) + (clock or "")
    if of.kind in ("guests", "away"):
        factor = amount if amount is not None else {"guests": GUESTS, "away": AWAY}[of.kind]
        return f"{of.name or {'guests': 'guests', 'away': 'away'}[of.kind]}, use × {factor:g}"
    if of.kind == "leave_off":
        return f"{of.name} left off"
    return f"{of.name or 'a load'} added, {show_energy(amount)} a day{clock or ', spread as the use is'}"


def difference(before: Outlook, after: Outlook, doing: str, today: date, floor: float) -> str:
    """What doing otherwise changes, in a sentence: the chance of going below the floor, or the level at the end.

    floor  the everyday floor, a fraction
    """
    was, now = (chance(of.chance_below_everyday_floor) for of in (before, after))
    below = f"dropping below {show_percent(floor)} within {days(len(before.days))}"
    if was != now:
        return f"{begin(doing)}: the chance of {below} goes from {was} to {now}."
    last = len(before.days) - 1
    levels = [100 * each.days[last].dusk_soc.p50 for each in (before, after)]
    if abs(levels[1] - levels[0]) < 1:
        return f"{begin(doing)} changes next to nothing. The chance of {below} stays {now}."
    evening = f"{day_name(before.days[last].day, today)} evening"
    return (f"{begin(doing)} leaves the chance of {below} as it is, {now}. The level on {evening} goes from about "
            f"{levels[0]:.0f} to {levels[1]:.0f} %.")


def ruled(outlook: Outlook) -> str:
    """How long the generator runs by its rule in the days ahead, and what it burns, in a sentence."""
    if outlook.generator_hours.p90 < HARDLY_H:
        return "It will hardly be needed in these days."
    said = _between(outlook.generator_hours, "h")
    burnt = outlook.generator_litres
    if burnt and burnt.p90 >= 0.5:
        said += f" and burn {_between(burnt, 'litres') if not customary() else _gallons(burnt)}"
    return f"It would run {said} in these days."


def _gallons(burnt: Range) -> str:
    return _between(replace(burnt, **{of.name: in_fuel(getattr(burnt, of.name)) for of in fields(burnt)}), "gallons")


def by_rule(rule: GeneratorRule) -> str:
    """Between what levels a generator runs, in what hours and on how much: `from 25 % to 60 %, between 7:00 and 21:00,
    on at most 8.6 litres`."""
    said = f"from {show_percent(rule.start)} to {show_percent(rule.stop)}"
    if (rule.from_hour, rule.to_hour) != (0, 24):
        said += f", between {show_clock(rule.from_hour)} and {show_clock(rule.to_hour)}"
    if rule.litres is not None:
        said += (f", on at most {in_fuel(rule.litres):.1f} {fuel_word()}" if rule.litres else
                 f", but has no {fuel_word()} left")
    return said


def fuel_left(noted: GeneratorRule, now: GeneratorRule) -> str:
    """What is left of the litres of a rule, in a sentence; nothing while the log shows nothing burnt."""
    if noted.litres is None or now.litres is None or noted.litres - now.litres < 0.05:
        return ""
    noted_as = in_fuel(noted.litres)
    return f"By the log {in_fuel(now.litres):.1f} of the {round(noted_as, 1):g} {fuel_word()} are left."


HARDLY_H = 0.25
"""A generator that runs for less than this in the days ahead, h, is not said to run."""


def _between(of: Range, unit: str) -> str:
    """A range in whole units, one figure where both ends are the same."""
    low, high = round(of.p10), max(1, round(of.p90))
    unit = unit.removesuffix("s") if high == 1 else unit
    return f"{low}–{high} {unit}" if 0 < low < high else f"{high} {unit}" if low else f"up to {high} {unit}"


def first(of: FirstHour) -> str:
    """What can be said before the log tells anything, in a sentence."""
    if of.now_wh is None:
        return f"From full you can use {show_rough(of.full_wh)}."
    if of.age_hours and of.age_hours > FRESH_H:
        return (f"{show_percent(of.soc)} was read {show_age(of.age_hours)} ago. "
                f"Then you could use {show_rough(of.now_wh)}.")
    return f"At {show_percent(of.soc)} you can use {show_rough(of.now_wh)}."


FRESH_H = 2.0
"""A level read longer ago than this, h, is told with its age."""


def first_taken(of: Taken) -> str:
    """Which hours are meant: `The last 13 h`, or `The 13 h that ended 2 days ago`."""
    if of.ended_hours <= FRESH_H:
        return f"The last {show_duration(of.hours)}"
    return f"The {show_duration(of.hours)} that ended {show_duration(round(of.ended_hours))} ago"


def lasts(of: Lasts) -> str:
    """How long one thing alone lasts: `2 h 10 while it runs, 6 h 50 as usually used`."""
    usual = lasting(of.usual_h / 24)
    if of.running_h is None or abs(of.running_h - of.usual_h) < 0.1 * of.usual_h:
        return usual
    return f"{lasting(of.running_h / 24)} while it runs, {usual} as usually used"


def first_next(of: FirstHour, why: str | None) -> str:
    """What would tell more."""
    if of.now_wh is None and of.soc is not None and of.age_hours is not None:
        return (f"The last level, {show_percent(of.soc)}, is {show_age(of.age_hours)} old. Type it as it "
                "stands now, and this page says what that is worth tonight.")
    if of.now_wh is None:
        return "Type the level as it stands now, and this page says what that is worth tonight."
    if of.own:
        return why or ""
    return "Tell what runs here, and this page says how long it lasts."




def rests_on(outlook: Outlook) -> str:
    """How little the outlook rests on, in a sentence; nothing once a week of the log tells the use."""
    of = outlook.present.drain
    if of.basis == "loads":
        return "The use is that of your list of loads: the log tells none yet. Take all of this as a first guess."
    if of.days_known >= LITTLE_DAYS:
        return ""
    told = f"{days(of.days_known)} of your log" if of.hours_known is None else logged(0, of.hours_known)
    return f"This rests on {told}. Take it as a first guess: each reading narrows it."


def moment(at: datetime, today: date, zone: ZoneInfo) -> str:
    """A time ahead as one says it: `this evening`, `tomorrow before dawn`, `Sunday afternoon`."""
    local = at.astimezone(zone)
    part = ("before dawn", "morning", "afternoon", "evening")[local.hour // 6]
    if local.date() == today:
        return "today before dawn" if part == "before dawn" else f"this {part}"
    return f"{day_name(local.date(), today)} {part}"



def on_moment(at: datetime, today: date, zone: ZoneInfo) -> str:
    """The same after a verb: `on Thursday morning`, `this evening`."""
    when = moment(at, today, zone)
    return when if when.split(" ")[0] in ("this", "today", "tomorrow") else f"on {when}"


def about(wh: float) -> str:
    """An energy that is only known roughly, to two figures: `about 480 Wh`."""
    return f"about {show_rough(wh)}"



def again(of: Again, rig: Rig, today: date) -> str:
    """Where the worst stretch of the log would take the bank from now on, in short sentences."""
    floor = show_percent(rig.bank.everyday_floor)
    deepest = f"{show_percent(of.soc)} {on_moment(of.at, today, rig.zone)}"
    missing = f" About {show_rough(of.short_wh)} would be missing." if of.short_wh > 50 else ""
    if of.below is None:
        return f"You would stay above {floor}. The lowest would be {deepest}."
    if of.begins < rig.bank.everyday_floor:
        return f"You are below {floor} already. The lowest would be {deepest}.{missing}"
    when = on_moment(of.below, today, rig.zone)
    return f"You would drop below {floor} {when}. The lowest would be {deepest}.{missing}"





def array_of(sheet: Worksheet) -> str:
    """The worksheet's array in a line; why there is none where it cannot be told."""
    if sheet.array_w is not None:
        return f"Array       {show_power(sheet.array_w)}: {sheet.panels} panels of {show_power(sheet.panel_w)}"
    if sheet.inputs.peak_sun_hours is None:
        return "Array       not known: the rig has none yet, and no peak-sun hours are given"
    return f"Array       {no_sun(sheet)}"


def no_sun(sheet: Worksheet) -> str:
    """What a design month without sun means, in a sentence."""
    when = f"In {month(sheet.inputs.design_month)}" if sheet.inputs.design_month else "In the design month"
    return (f"{when} the sun hardly rises: no array will do it. Something else must bring the energy then, or choose a "
            "design month in which you live there.")


def has_sources(rig: Rig) -> bool:
    """Whether anything of the rig fills its bank."""
    return any(rig.has(source) for source in SOURCES)


def added(panels: int, strings: int, rig: Rig) -> str:
    """So much more: `two panels and one string`; nothing of nothing."""
    unit = "pack" if rig.bank.is_station else "string"
    return " and ".join(f"{number(count)} {name}{'s' if count > 1 else ''}"
                        for count, name in ((panels, "panel"), (strings, unit)) if count)


def tried_on(told: Mapping[str, Any], rig: Rig) -> str:
    """That every page looks ahead as if something more stood there."""
    panels = told["panels"] + (told.get("second") or {"panels": 0})["panels"]
    return (f"Tried on: {added(panels, told['strings'], rig)} more. Every page looks ahead as if it stood there; the "
            "log stays as it is.")


_STANDS_IN = {"place": "the place (its time zone’s town stands in)", "bank": "the bank (a 1.28 kWh one stands in)",
              "sources": "what fills it"}


def not_set(rig: Rig) -> str:
    """What was not known at the first run, and what stands in for it."""
    return ", ".join(_STANDS_IN[name] for name in rig.not_yet_told)


LOOSE_TAKEN = {"blank": "Leave such cells blank", "about": "Take the number in them",
               "hours": "Take morning for 7:00, noon for 12:00, afternoon for 15:00, evening for 19:00",
               "totals": "Leave such lines out"}
"""How cells that are loosely written are taken, by their kind: the words of a box to tick."""


def loose_cells(kind: str, cells: Sequence[str]) -> str:
    """That some cells are loosely written, and what to do."""
    some = ", ".join(f"“{cell[:20]}”" for cell in cells)
    what = {"blank": "hold no figure", "about": "hold a rough figure", "hours": "name a part of the day",
            "totals": "stand for lines that sum up others"}[kind]
    return f"Some cells {what}: {some}. Say below how they are to be taken."


def _slip_words(of: Doubt) -> str:
    """A figure whose decimal may have slipped: what it is, and what would fit."""
    if of.name == "soc":
        return f"{of.value * 100:g} %: with the other figures {of.usual * 100:g} % would fit. Is that the level?"
    show = show_duration if BY_NAME[of.name].kind == "hours" else show_energy
    return f"{show(of.value)} {BY_NAME[of.name].said}: with the level {show(of.usual)} would fit. Is it right?"


def doubt_words(of: Doubt, rig: Rig) -> str:
    """What is odd about a figure, in one line that can be asked about."""
    if of.kind == "far":
        return f"{of.at.astimezone(rig.zone):%-d %B %Y} is {of.value:.0f} days from the end of the log. Is it that day?"
    if of.kind == "degrees":
        return f"{show_temperature(of.value)} at the bank? Other degrees may be meant, or another sign."
    if of.kind == "dark":
        full = datetime.fromtimestamp(of.value, rig.zone)
        return f"Full at {full:%H:%M}, with no sun and nothing else that charged? Is that the hour?"
    if of.kind == "emptied":
        return (f"Full {show_duration(of.hours)} before {show_percent(of.value)}: about {show_percent(of.usual)} would "
                "be left at the least. Is that the hour?")
    if of.kind == "volts":
        return f"{of.value:g} V on a bank of {of.usual:g} V?"
    if of.kind == "rested":
        return f"{of.value:g} V at rest is about {show_percent(of.usual)}, and the level says more. Which is it?"
    if of.kind == "hours":
        return f"{show_duration(of.value)} {BY_NAME[of.name].said} in {show_duration(of.hours)}?"
    if of.kind == "rise":
        return (f"{show_percent(of.value)}: what came in can have brought the bank to {show_percent(of.usual)} at the "
                "most. Is that the level?")
    if of.kind == "fall":
        return (f"{show_percent(of.value)}: what was used would have left about {show_percent(of.usual)} at the least. "
                "Is that the level?")
    if of.kind == "level":
        return (f"{show_percent(of.value)}: what came and went tells about {show_percent(of.usual)}. Is that the "
                "level?")
    if of.kind == "slip":
        return _slip_words(of)
    figure = f"{show_energy(of.value)} {BY_NAME[of.name].said}"
    within = f"in {show_duration(of.hours)}"
    if of.name == "solar_wh" and of.kind == "much":
        return f"{figure} {within}: a clear sky could bring {show_energy(of.usual)} there. Is it in Wh?"
    if of.kind == "tiny":
        beside = "a clear sky could bring" if of.name == "solar_wh" else "the bank holds"
        return f"{figure} {within}: {beside} {show_energy(of.usual)}. Is it in Wh?"
    if of.kind == "most":
        return f"{figure} {within}: at its W it could bring {show_energy(of.usual)}. Is it in Wh?"
    where = f"such a sky brings about {show_rough(of.usual)}" if of.name == "solar_wh" else \
        f"about {show_rough(of.usual)} is usual"
    return f"{figure} {within}, where {where}. Is it in Wh?"
