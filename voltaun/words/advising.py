"""What is said of now and what to do about it: short sentences, doing first."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date, timedelta
from typing import TYPE_CHECKING

from voltaun.core.outlook.lanes import RISKY
from voltaun.core.outlook.plans import SOURCE_OF, Plan
from voltaun.core.rig.rig import Rig
from voltaun.words.sentences import about, begin, chance, day_name, days, moment, on_moment
from voltaun.words.units import MONTHS_LONG, lasting, rounded, show_age, show_clock, show_duration, show_percent

if TYPE_CHECKING:
    from voltaun.core.outlook.outlook import Outlook
    from voltaun.core.outlook.present import Middle, Present
    from voltaun.core.outlook.replay import Again
    from voltaun.core.outlook.ways import Way

NAMED = 3
"""So many things that could be done without are named."""

def headline(outlook: Outlook, rig: Rig) -> str:
    """How long there is, or what is known of now, in a sentence."""
    now = outlook.present
    if now.silent:
        return f"Not read for {show_age(now.age_hours)}. Read the level."
    if now.vague:
        return f"Not read for {show_age(now.age_hours)}: {_level(now.soc)}. Read it."
    floor = show_percent(rig.bank.everyday_floor)
    if now.soc.p50 < rig.bank.everyday_floor:
        return f"The bank is below {floor} now."
    if not now.drain.wh:
        return "Nothing is used, by your log, so the bank lasts."
    lasts = f"about {lasting(now.days['everyday_floor'].p50)} of power without any charging."
    return f"By your list: {lasts}" if now.drain.basis == "loads" else begin(lasts)


def _level(soc: Middle) -> str:
    low, middle, high = (round(100 * part) for part in (soc.p10, soc.p50, soc.p90))
    if low == high:
        return f"probably {middle} %"
    return f"probably {middle} %, between {low} and {high}"


def read_when(now: Present, rig: Rig) -> str:
    """How old the level is, once that matters: `48 % on Fri 19:30, 23 h ago`; nothing of a fresh one."""
    if now.fresh:
        return ""
    local, soc = now.read_at.astimezone(rig.zone), show_percent(now.read_soc)
    clock = show_clock(local.hour + local.minute / 60)
    return f"Last read: {soc} on {local:%a} {clock}, {show_age(now.age_hours)} ago."


def odds(outlook: Outlook, rig: Rig) -> list[str]:
    """The chance of going below the floor over the whole span, and the first risk: sentences."""
    lack, floor, now = outlook.lack, show_percent(rig.bank.everyday_floor), outlook.present
    span = f"within {days(len(outlook.days))}"
    if now.silent:
        return []
    if now.below > 0.9:
        return [_back_above(outlook, rig)]
    if lack.chance < 0.05:
        return [f"Dropping below {floor} {span} is very unlikely."]
    said = [f"{may_drop(lack.chance, f'{floor} {span}')}."]
    today = outlook.as_of.astimezone(rig.zone).date()
    if lack.first is not None:
        said.append(f"The first risk is {moment(lack.first, today, rig.zone)}." if lack.first - outlook.as_of >
                    timedelta(hours=1) else "The risk is there now.")
    elif lack.likeliest is not None:
        said.append(f"If so, most likely {on_moment(lack.likeliest, today, rig.zone)}.")
    return said


def risked(of: float) -> str:
    """A chance that is held against the 1 in 10 that is borne: what is a little more says so."""
    return "just over 1 in 10" if RISKY < of < 0.15 else chance(of)


def may_drop(of: float, below: str, still: str = "", show: Callable[[float], str] = chance) -> str:
    """A chance of going below a floor: `You may drop below 20 % (3 in 10)`."""
    if of > 0.95:
        return f"You will almost certainly {still}drop below {below}"
    return f"You {'will probably' if of >= 0.5 else 'may'} {still}drop below {below} ({show(of)})"


def _back_above(outlook: Outlook, rig: Rig) -> str:
    """When a bank that is below its floor will likely be above it again."""
    floor = rig.bank.everyday_floor
    ahead = [(at, level) for at, level in zip(outlook.times, outlook.fan[:, 2], strict=True) if at > outlook.as_of]
    back = next((at for at, level in ahead if level >= floor), None)
    if back is None:
        return f"It will probably be there all {days(len(outlook.days))}."
    today = outlook.as_of.astimezone(rig.zone).date()
    return f"It will probably be above {show_percent(floor)} again {on_moment(back, today, rig.zone)}."


def without_charging(outlook: Outlook, rig: Rig) -> str:
    """How long the bank lasts without any charging, down to both floors, with its range; nothing where it does not."""
    now, told = outlook.present, []
    if now.silent or not now.drain.wh:
        return ""
    for name in ("everyday_floor", "hard_floor"):
        if now.days[name].p90 > 0:
            told.append(f"{between_hours(now.days[name])} to {show_percent(getattr(rig.bank, name))}")
    return f"Without any charging: {', '.join(told)}." if told else ""


def between_hours(of: Middle) -> str:
    """A range of days as hours or days: `23–35 h`, `4–6 days`; one figure where both ends are the same."""
    if of.p10 > MONTHS_LONG:
        return "more than two months"
    if of.p90 > MONTHS_LONG:
        return f"{lasting(of.p10)} to more than two months"
    grain, unit = (1.0, "days") if of.p10 >= 3 else (24.0, "h")
    ends = [of.p10 * grain, of.p90 * grain]
    if unit == "h":
        ends = [rounded(each) for each in ends]
        if ends[1] <= 1.5:
            ends, unit = [60 * each for each in ends], "min"
        elif ends[0] < 1:
            return f"{show_duration(ends[0])} to {lasting(of.p90)}"
        elif of.p90 >= 4:
            return f"{ends[0]:g} h to {lasting(of.p90)}"
    shown = [f"{each:.1f}".removesuffix(".0") if unit == "h" else f"{each:.0f}" for each in ends]
    return f"{shown[0]} {unit}" if shown[0] == shown[1] else f"{shown[0]}–{shown[1]} {unit}"


def advice(outlook: Outlook, rig: Rig, worst: Again | None) -> list[str]:
    """What to do, in sentences; the first way of the advice where something needs doing. Other ways: `others`."""
    of, now, today = outlook.advice, outlook.present, outlook.as_of.astimezone(rig.zone).date()
    if now.silent:
        return ["Write the level down, and this page says what it is worth."]
    if of.ways:
        ahead = [] if of.enough else ["Nothing this rig has is enough, not even all together."]
        return [*ahead, *way_sentences(of.ways[0], outlook, rig)]
    if now.vague:
        return ["Read the level before you decide on anything."]
    if of.asks or not of.enough:
        return _nothing_helps(outlook, rig)
    return [*_well(outlook, rig, worst, today), *_spilt(outlook)]


def others(outlook: Outlook, rig: Rig) -> list[tuple[int, str]]:
    """Further ways to the same end, a short line each, with their place among the advice's ways."""
    lines = []
    for n, way in enumerate(outlook.advice.ways[1:4], 1):
        line = " ".join(_doing(way, outlook, rig)[:2])
        brings = _brings(way, outlook, rig)
        same = way.enough and outlook.advice.ways[0].enough
        lines.append((n, line if same or outlook.advice.despite else f"{line} {brings}"))
    return lines


def way(of: Way, outlook: Outlook, rig: Rig) -> str:
    """A way of the advice in words, all of it."""
    return " ".join(way_sentences(of, outlook, rig))


def way_sentences(of: Way, outlook: Outlook, rig: Rig) -> list[str]:
    """Doing first, then what it brings."""
    advised, today = outlook.advice, outlook.as_of.astimezone(rig.zone).date()
    said = _doing(of, outlook, rig)
    if of.last_time is not None and of.last_time - outlook.as_of < timedelta(hours=18):
        local = of.last_time.astimezone(rig.zone)
        by = show_clock(local.hour + local.minute / 60)
        said.append(f"Start by {_when(local.date(), today)} {by}; later is too late.")
    if advised.helped_from is not None:
        said.append(f"Nothing helps before {moment(advised.helped_from, today, rig.zone)}.")
    if advised.despite:
        return [*said, "That is needed even if the level is at the top of its range.", "Read it to know the rest."]
    return [*said, _brings(of, outlook, rig)]


def _brings(of: Way, outlook: Outlook, rig: Rig) -> str:
    advised, floor = outlook.advice, show_percent(rig.bank.everyday_floor)
    today = outlook.as_of.astimezone(rig.zone).date()
    if of.enough:
        end = day_name((advised.until - timedelta(seconds=1)).astimezone(rig.zone).date(), today)
        sure = 1 - of.chance_after
        if sure < 0.85 and advised.helped_from is not None:
            return f"From then on it will probably stay above {floor} until {end}."
        if sure < 0.85:  # a lack that nothing helps comes later
            return f"{may_drop(of.chance_after, floor, 'still ')}. Nothing helps that."
        return f"That keeps you above {floor} until the end of {end} ({chance(min(sure, 0.9))})."
    if of.chance_after >= advised.chance - 0.005 or chance(of.chance_after) == chance(advised.chance):
        return "It is not enough, but it leaves more in the bank."
    return f"That lowers the risk from {chance(advised.chance)} to {risked(of.chance_after)}."


def _doing(of: Way, outlook: Outlook, rig: Rig) -> list[str]:
    """What is to be done, a sentence each, the next first."""
    today = outlook.as_of.astimezone(rig.zone).date()
    runs = [plan for plan in of.plans if plan.kind in SOURCE_OF]
    off = [plan for plan in of.plans if plan.kind == "leave_off"]
    less = [plan for plan in of.plans if plan.kind == "guests"]
    said = []
    if off:
        said.append(f"Do without {_names([plan.name for plan in off])} {_until(off[0], today)}.")
    for plan in less:
        said.append(f"Use {round((1 - (plan.amount or 1.0)) * 100)} % less {_until(plan, today)}.")
    for name in dict.fromkeys((plan.kind, plan.name) for plan in runs):
        said += _runs(name, [plan for plan in runs if (plan.kind, plan.name) == name], today)
    return said


def _names(of: Sequence[str]) -> str:
    """Things by their names, three at the most: `Desk, Fridge and Evening`, `Desk, Fridge and 3 other things`."""
    told = [*of] if len(of) <= NAMED else [*of[:NAMED - 1], f"{len(of) - NAMED + 1} other things"]
    return " and ".join(filter(None, (", ".join(told[:-1]), told[-1])))


_VERBS = {"generator": "Run {}", "drive": "Drive {}", "mains": "Charge from {}"}


def _runs(name: tuple[str, str], runs: list[Plan], today: date) -> list[str]:
    """The runs of one source: the first two each by its hours, the rest summed up."""
    verb = _VERBS[name[0]].format(name[1])
    first, rest = runs[0], runs[1:]

    def hours_of(plan: Plan) -> str:
        return f"{show_duration(plan.amount)} {_when(plan.first, today)} from {show_clock(plan.begin or 0.0)}."
    said = [f"{verb} {hours_of(first)}", *(f"Then {hours_of(plan)}" for plan in rest[:1])]
    if len(rest) > 1:
        more = show_duration(rounded(sum(plan.amount or 0.0 for plan in rest[1:])))
        said += [f"Plan about {more} more {_until(rest[-1], today)}.", "The next reading says how much."]
    return said


def _when(day: date, today: date) -> str:
    return "today" if day == today else "tomorrow" if (day - today).days == 1 else f"on {day_name(day, today)}"


def _until(plan: Plan, today: date) -> str:
    """Until when a plan holds, with that day: `today`, `today and tomorrow`, `until Tuesday`."""
    name = day_name(plan.last, today)
    return {"today": "today", "tomorrow": "today and tomorrow"}.get(name, f"until {name}")


def _nothing_helps(outlook: Outlook, rig: Rig) -> list[str]:
    of = outlook.advice
    said = [f"{begin(' and '.join(of.no_fuel))} has no fuel left."] if of.no_fuel else []
    if not rig.by_hand:
        return [*said, "This rig has nothing to charge with by hand.", "Use less, or bring charge from elsewhere."]
    if any(plan.kind in SOURCE_OF and plan.last >= outlook.as_of.astimezone(rig.zone).date() for plan in outlook.plans):
        return [*said, "What is planned is all that helps now."]
    return [*said, f"Nothing this rig has is enough to stay above {show_percent(rig.bank.everyday_floor)}.",
            "Use less, or bring charge from elsewhere."]


def _well(outlook: Outlook, rig: Rig, worst: Again | None, today: date) -> list[str]:
    floor, last = show_percent(rig.bank.everyday_floor), outlook.days[-1].day if outlook.days else today
    if outlook.lack.first is not None:
        when = moment(outlook.lack.first, today, rig.zone)
        when = "dawn" if when == "today before dawn" else when.removesuffix(" before dawn")
        return [f"Nothing needs doing before {when}."]
    if worst is not None and worst.below is not None and outlook.present.below < 0.5:
        return [f"By the odds nothing needs doing until {day_name(last, today)}.",
                f"The worst {days(len(worst.lowest))} of your log again would take you below {floor} "
                f"{on_moment(worst.below, today, rig.zone)}."]
    return [f"All is well until {day_name(last, today)} (9 in 10)."]


def _spilt(outlook: Outlook) -> list[str]:
    """What of the sun will likely find the bank full today or tomorrow."""
    tomorrow = outlook.days[0] if outlook.days else None
    for day in filter(None, (outlook.today, tomorrow)):
        if day.spilt_wh.p50 > 0.04 * outlook.present.energy_wh:
            when = "The rest of today" if day is outlook.today else "Tomorrow"
            return [f"{when} {about(day.spilt_wh.p50)} of sun will find the bank full.", "Use it while it shines."]
    return []
