"""Figures in words: plain, short, and keeping their uncertainty."""

from __future__ import annotations

import math
from datetime import date, datetime
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from voltaun.core.outlook.plans import AWAY, GUESTS, Plan
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.model import STARTUP_SHARES
from voltaun.words.units import show_clock, show_duration, show_energy, show_percent, show_power

if TYPE_CHECKING:  # a page that says other things need not load these
    from voltaun.core.learned.doubts import Doubt
    from voltaun.core.learned.hours import Lean
    from voltaun.core.outlook.first_hour import FirstHour
    from voltaun.core.outlook.outlook import Outlook
    from voltaun.core.outlook.replay import Again
    from voltaun.core.outlook.scores import Said
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


def number(n: int) -> str:
    """A small number in letters."""
    return _NUMBERS[n] if 0 <= n < len(_NUMBERS) else str(n)


def days(n: float) -> str:
    """A number of days: `three days`, `one day`, `2.5 days`."""
    count = number(int(n)) if n == int(n) else f"{n:g}"
    return f"{count} day{'' if n == 1 else 's'}"


def month(n: int) -> str:
    """A month's name, January = 1."""
    return _MONTHS[n - 1]


def chance(p: float) -> str:
    """A chance as people say it: `hardly any chance`, `about 1 chance in 20`, `3 chances in 10`."""
    if p < 0.03:
        return "hardly any chance"
    if p < 0.075:
        return "about 1 chance in 20"
    tenths = max(1, round(p * 10))
    if p > 0.97:
        return "almost certain"
    return f"{min(tenths, 9)} chance{'s' if tenths > 1 else ''} in 10"


def said(of: Said) -> str:
    """What came of a chance that was said: `Of 40 times it said 2 chances in 10, it came 9 times.`"""
    what = chance(of.tenths / 10) if of.tenths else "hardly any chance"
    return (f"Of {of.times} time{'s' if of.times != 1 else ''} it said {what}, it came "
            f"{f'{of.came} times' if of.came > 1 else 'once' if of.came else 'never'}.")


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
    """A day as one says it from today: `today`, `tomorrow`, `Thursday`, `Thursday the 3rd`."""
    ahead = (day - today).days
    if ahead in (0, 1):
        return ("today", "tomorrow")[ahead]
    name = _WEEKDAYS[day.weekday()]
    if 0 < ahead < 7:
        return name
    suffix = "th" if 10 <= day.day % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(day.day % 10, "th")
    return f"{name} the {day.day}{suffix}"


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


def difference(before: Outlook, after: Outlook, doing: str, today: date) -> str:
    """What doing otherwise changes, in a sentence: the chance of going below the floor, or the level at the end."""
    was, now = before.chance_below_everyday_floor, after.chance_below_everyday_floor
    span = f"over the next {days(len(before.days))}"
    if abs(was - now) >= 0.02 and chance(was) != chance(now):
        way = "takes" if max(was, now) < 0.97 else "turns"
        return f"{begin(doing)} {way} the chance of going below your floor {span} from {chance(was)} to {chance(now)}."
    last = len(before.days) - 1
    levels = [100 * each.days[last].dusk_soc.p50 for each in (before, after)]
    if abs(levels[1] - levels[0]) < 1:
        return f"{begin(doing)} changes next to nothing {span}: {chance(now)} of going below your floor."
    return (f"{begin(doing)} leaves the chance of going below your floor as it is, {chance(now)} {span}; the level on "
            f"{day_name(before.days[last].day, today)} evening goes from about {levels[0]:.0f} to {levels[1]:.0f} %.")


def in_hand(outlook: Outlook) -> str:
    """The days in hand with the sun away: `Two days and five hours in hand if the sun stays away`."""
    days = outlook.dark_days["everyday_floor"]
    if not outlook.drain.use_wh:
        return "Nothing is used, by the log, so the bank lasts as it stands"
    if days <= 0:
        return "The bank is at or below your everyday floor"
    return f"{begin(stretch(days))} in hand if the sun stays away"


def first(of: FirstHour) -> str:
    """What can be said before the log tells anything, in a sentence."""
    if of.now_wh is None:
        return f"{show_energy(of.full_wh)} lie above your floor when the bank is full."
    return f"At {show_percent(of.soc)} {show_energy(of.now_wh)} lie above your floor."


def first_next(of: FirstHour, why: str | None) -> str:
    """What would tell more."""
    if of.now_wh is None:
        return "Type the level as it stands now, and this page says what that is worth tonight."
    if of.own:
        return why or ""
    return "Tell what runs here, and this page says how long it lasts."


def in_the_dark(outlook: Outlook, rig: Rig) -> str:
    """How long the bank lasts if nothing comes in, down to both floors, with the doubt: one line of figures."""
    told = [f"{_between_hours(*outlook.dark_range[name])} to {level} floor, {show_percent(floor)}"
            for name, level, floor in (("everyday_floor", "your everyday", rig.bank.everyday_floor),
                                       ("hard_floor", "the hard", rig.bank.hard_floor))]
    return f"If nothing comes in, eight chances in ten: {'; '.join(told)}."


def _between_hours(low: float, high: float) -> str:
    """Days as a span of hours: `1 h 30 – 4 h`; what lasts for months as "more than two months"."""
    if low > 60:
        return "more than two months"
    return f"{show_duration(low * 24)} – {show_duration(high * 24) if high <= 60 else 'more than two months'}"


def sky_beforehand(outlook: Outlook) -> str:
    """What is believed of the sky before the log tells."""
    own = outlook.sky.kind.points == tuple(STARTUP_SHARES.values())
    return "the start-up shares" if own else "the weather files of the place"


def when_used(lean: Lean) -> str:
    """At what hours the use comes, beyond the list of loads, in a sentence; nothing while the log does not tell."""
    a, b = (float(part) for part in lean.mean)
    most = math.hypot(a, b)
    if most < 0.1:
        return ""
    hour = round(math.atan2(a, b) / (2 * math.pi) * 24) % 24
    return f"By readings within the day it leans towards {show_clock(float(hour))}, by {most * 100:.0f} %."


def rests_on(outlook: Outlook) -> str:
    """How little the outlook rests on, in a sentence; nothing once a week of the log tells the use."""
    of = outlook.drain
    if of.basis == "loads":
        return "The use is that of your list of loads: the log tells none yet. Take all of this as a first guess."
    if of.days_known >= LITTLE_DAYS:
        return ""
    return f"This rests on {days(of.days_known)} of your log: take it as a first guess, and each reading narrows it."


def moment(at: datetime, today: date, zone: ZoneInfo) -> str:
    """A time ahead as one says it: `this evening`, `tomorrow before dawn`, `Sunday afternoon`."""
    local = at.astimezone(zone)
    part = ("before dawn", "morning", "afternoon", "evening")[local.hour // 6]
    if local.date() == today:
        return "today before dawn" if part == "before dawn" else f"this {part}"
    return f"{day_name(local.date(), today)} {part}"


def odds(outlook: Outlook, today: date, zone: ZoneInfo) -> str:
    """The chance of going below the floor over the whole span, and until when nine chances in ten hold."""
    lack, span = outlook.lack, f"in the next {days(len(outlook.days))}"
    when = moment(lack.likeliest, today, zone)
    likeliest = f", most likely {when}" if 0.03 <= lack.chance <= 0.97 else ""
    if lack.first is None:
        return f"{chance(lack.chance)} of going below your floor {span}{likeliest}"
    if (lack.first - outlook.as_of).total_seconds() < 3600:
        return f"{chance(lack.chance)} of being below your floor {span}"
    first = moment(lack.first, today, zone)
    told = "" if first == when or lack.likeliest < lack.first else likeliest
    return (f"nine chances in ten you stay above your floor until {first}; {chance(lack.chance)} of going below it "
            f"{span}{told}")


def about(wh: float) -> str:
    """An energy that is only known roughly, to two figures: `about 480 Wh`."""
    grain = 10 ** max(0, len(str(int(abs(wh)))) - 2)
    return f"about {show_energy(round(wh / grain) * grain)}"


def _about_hours(hours: float) -> str:
    """Hours that are only known roughly, to half an hour, or to ten minutes below two hours."""
    grain = 0.5 if hours >= 2 else 1 / 6
    return show_duration(max(grain, round(hours / grain) * grain))


def again(of: Again, rig: Rig, today: date) -> str:
    """Where the worst stretch of the log would take the bank from now on, in a sentence."""
    deepest = f"{show_percent(of.soc)} {moment(of.at, today, rig.zone)}"
    missing = f", and {about(of.short_wh)} would be missing" if of.short_wh > 50 else ""
    if of.below is None:
        return f"You would stay above your floor, with {deepest} at the lowest."
    if of.begins < rig.bank.everyday_floor:
        return f"You are below your everyday floor already; the lowest would be {deepest}{missing}."
    return (f"It would take you below your everyday floor {moment(of.below, today, rig.zone)}, and to {deepest} at the "
            f"lowest{missing}.")


def advice(rig: Rig, outlook: Outlook, today: date, worst: Again | None) -> str:
    """What to do about it, in one sentence or two, from the outlook and the worst stretch of the log run again."""
    first = outlook.lack.first
    if first and outlook.shortfall_wh > 0.02 * outlook.energy_wh:
        way = _ways(rig, outlook.shortfall_wh)
        now = (first - outlook.as_of).total_seconds() < 3600
        when = "now" if now else f"ahead of {moment(first, today, rig.zone)}, the first time in doubt"
        return (f"Spare or put in {about(outlook.shortfall_wh)}{way}, starting {when}: so much keeps you above your "
                "floor for three days, nine chances in ten.")
    spilt = _likely_spilt(outlook)
    if first:
        enough = f"{about(outlook.span_shortfall_wh)}{_ways(rig, outlook.span_shortfall_wh)}"
        return (f"There is time until {moment(first, today, rig.zone)}, the first time in doubt. {begin(enough)}, "
                f"spared or put in as it goes, would keep you above your floor for all {days(len(outlook.days))}, nine "
                f"chances in ten.{spilt}")
    if worst is not None and worst.below is not None:
        return (f"By the odds nothing needs doing for your floor in the next {days(len(outlook.days))}; the worst "
                f"{days(len(worst.lowest))} of your log again would take you below it "
                f"{moment(worst.below, today, rig.zone)}.{spilt}")
    return f"Nothing needs doing for your floor in the next {days(len(outlook.days))}.{spilt}"


def _ways(rig: Rig, wh: float) -> str:
    """How long each source that one starts by hand would have to run for so much in the bank, in brackets."""
    ways = [f"{_about_hours(wh / rig.bank.charge_efficiency / part.gives_w)} of {part.name}"
            for part in (*rig.generators[:1], *rig.vehicles[:1], *rig.mains[:1])]
    return f" (about {' or '.join(ways)})" if ways else ""


def _likely_spilt(outlook: Outlook) -> str:
    """What of the sun will likely find the bank full today or tomorrow, in a sentence of its own."""
    tomorrow = outlook.days[0] if outlook.days else None
    for day in filter(None, (outlook.today, tomorrow)):
        if day.spilt_wh.p50 > 0.04 * outlook.energy_wh:
            when = "Of the rest of today" if day is outlook.today else "Tomorrow"
            return f" {when} {about(day.spilt_wh.p50)} of sun will likely find the bank full: use it while it shines."
    return ""


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


def added(panels: int, strings: int, rig: Rig) -> str:
    """So much more: `two panels and one string`; nothing of nothing."""
    unit = "pack" if rig.bank.is_station else "string"
    return " and ".join(f"{number(count)} {name}{'s' if count > 1 else ''}"
                        for count, name in ((panels, "panel"), (strings, unit)) if count)


_FIGURES = {"solar_wh": "of sun", "use_wh": "used", "vehicle_hours": "of driving", "generator_hours": "of generator"}


def doubt_words(of: Doubt, rig: Rig) -> str:
    """What is odd about a figure, in one line that can be asked about."""
    if of.kind == "volts":
        return f"{of.value:g} V on a bank of {of.usual:g} V?"
    if of.kind == "hours":
        return f"{show_duration(of.value)} {_FIGURES[of.name]} in {show_duration(of.hours)}?"
    if of.kind == "rise":
        return (f"{show_percent(of.value)}: what came in can have brought the bank to {show_percent(of.usual)} at the "
                "most. Is that the level?")
    if of.kind == "fall":
        return (f"{show_percent(of.value)}: what was used would have left about {show_percent(of.usual)} at the least. "
                "Is that the level?")
    figure = f"{show_energy(of.value)} {_FIGURES[of.name]}"
    within = f"in {show_duration(of.hours)}"
    if of.name == "solar_wh" and of.kind == "much":
        return f"{figure} {within}: a clear sky could bring {show_energy(of.usual)} there. Is it in Wh?"
    where = f"such a sky brings about {show_energy(of.usual)}" if of.name == "solar_wh" else \
        f"about {show_energy(of.usual)} is usual"
    return f"{figure} {within}, where {where}. Is it in Wh?"
