"""The day's plan in words: a short list by the clock, doing first."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import date, datetime, timedelta
from typing import TYPE_CHECKING

from voltaun.core.instants import hours_between
from voltaun.core.rig.bank import FULL_SOC
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import BY_HAND
from voltaun.words.advising import advice, headline, may_drop, odds, risked
from voltaun.words.card import always_on
from voltaun.words.sentences import about, begin, chance, day_name
from voltaun.words.units import (
    lasting,
    rounded,
    show_clock,
    show_duration,
    show_energy,
    show_percent,
    show_power,
    show_rough,
)

if TYPE_CHECKING:
    from voltaun.core.dayplan.hours import Day
    from voltaun.core.dayplan.placing import Placed, Unplaced
    from voltaun.core.dayplan.plan import DayPlan
    from voltaun.core.dayplan.ration import Rationed
    from voltaun.core.dayplan.record import Record
    from voltaun.core.dayplan.spare_sun import Laid
    from voltaun.core.dayplan.tonight import Answer, Thing, Tonight, Traded
    from voltaun.core.outlook.outlook import Outlook

WORTH_SAYING_WH = 20.0
"""What a start saves is said from here on."""

LEAST_EVENINGS = 10
"""Of fewer evenings than this nothing is said."""

LITTLE_WH = 50.0
"""An allowance below this is as good as none."""


def clock(at: datetime, rig: Rig) -> str:
    """A time of the day at the rig's place: `11:30`."""
    local = at.astimezone(rig.zone)
    return show_clock(local.hour + local.minute / 60)


def day_word(day: date, today: date) -> str:
    """`today`, `tomorrow` or the weekday."""
    return "today" if day == today else "tomorrow" if (day - today).days == 1 else f"on {day:%A}"


def better_without(plan: DayPlan) -> set[str]:
    """The loads that the first way of the advice does without on the planned day."""
    ways, day = plan.outlook.advice.ways, plan.day.day if plan.day else None
    return {of.name for way in ways[:1] for of in way.plans if of.kind == "leave_off" and day and of.on(day)}


def placed(of: Placed, rig: Rig, today: date, without: Collection[str] = ()) -> str:
    """One load of the plan: `Bore pump, 25 min. Takes about 420 Wh less than at 18:00.`

    without  the loads that the advice does without
    """
    length = (of.end - of.start).total_seconds() / 3600
    when = of.start.astimezone(rig.zone).date()
    day = "" if when == today else f" {day_word(when, today)}"
    line = f"{of.load}{day}, {show_duration(length)}."
    if of.load in without:
        return f"{line} Better not: see the advice above."
    if abs(of.spares_wh) < WORTH_SAYING_WH:
        return line
    usual = f"at {show_clock(of.usual_start)}" if of.usual_start is not None else "in its usual hours"
    if of.spares_wh < 0:
        return f"{line} Takes {about(-of.spares_wh)} more than {usual}."
    return f"{line} Takes {about(of.spares_wh)} less than {usual}."


def on_strip(of: Placed, rig: Rig) -> str:
    """A load of the plan on its day: `Bore pump from 11:30`."""
    return f"{of.load} from {clock(of.start, rig)}"


def unplaced(of: Unplaced) -> str:
    """Why a load has no place in the plan."""
    return {"over_inverter": f"{of.load} fits in nowhere: with what else runs it is too much for the inverter.",
            "no_sun_to_spare": f"{of.load} waits: the sun leaves too little to spare for it.",
            "window_over": f"{of.load}: too late for it today."}[of.why]


def full(of: Day, now_soc: float, rig: Rig) -> str:
    """When the bank is probably full; now_soc  the level now, a fraction."""
    if now_soc >= FULL_SOC:
        return "The bank is full now."
    if of.full_at is None:
        return "The bank will hardly be full." if of.chance_full < 0.05 else (
            f"The bank may be full at some time ({chance(of.chance_full)}).")
    low, middle, high = (clock(at, rig) for at in of.full_at)
    when = middle if low == high else f"{middle}, between {low} and {high}"
    surely = "" if of.chance_full > 0.95 else f" ({chance(of.chance_full)})"
    return f"Probably full at {when}{surely}."


def spare(of: Day, wh: float, rig: Rig) -> str:
    """What sun will find the bank full, and until when."""
    spilling = [hour for hour in of.hours if hour.spilt_wh.p50 > 1]
    if wh < LITTLE_WH or not spilling:
        return ""
    begins, ends = clock(spilling[0].start, rig), clock(spilling[-1].end, rig)
    return f"{begin(about(wh))} of sun to spare, from {begins} to {ends}."


def spilt_of(plan: DayPlan) -> float:
    """Sun of the planned day that will probably be spilt, Wh, as the outlook has it."""
    days = [day for day in (plan.outlook.today, *plan.outlook.days) if day and plan.day and day.day == plan.day.day]
    return days[0].spilt_wh.p50 if days else 0.0


def laid(of: Laid, rig: Rig) -> str:
    """A thing of the spill list with its time."""
    return f"{of.thing}, {clock(of.start, rig)} to {clock(of.end, rig)}: {show_energy(of.wh)}."


def allowed(of: Tonight, looked: Outlook, rig: Rig) -> str:
    """What may be spent until dawn, or must not be used."""
    floor, dawn, advised = show_percent(rig.bank.everyday_floor), clock(of.until, rig), looked.advice
    today = looked.as_of.astimezone(rig.zone).date()
    end = day_name((advised.until - timedelta(seconds=1)).astimezone(rig.zone).date(), today)
    if of.may_spend_wh >= LITTLE_WH:
        return (f"Until {dawn} you may use {about(of.may_spend_wh)} more than usual. "
                f"That still leaves you above {floor} until the end of {end} (9 in 10).")
    if of.must_spare_wh < LITTLE_WH:
        return f"Use no more than usual until {dawn}."
    if not advised.asks:
        return f"Use no more than usual until {dawn}. What may be short later can still be helped then."
    if not of.helps:
        return f"Even a full bank at {dawn} would not be enough until the end of {end}. See the advice above."
    risk = may_drop(of.chance, f"{floor} before the end of {end}", show=risked).removeprefix("You ")
    if of.can_be_spared:
        return f"Use {about(of.must_spare_wh)} less than usual until {dawn}. Else you {risk}."
    most_w = max((part.gives_w for source in BY_HAND for part in rig.parts(source.name)), default=0.0)
    can_charge = most_w * hours_between(looked.as_of, of.until) >= of.must_spare_wh
    charging = f", or charge {about(of.must_spare_wh)} by {dawn}" if can_charge else ""
    return f"You {risk}. Saving only until {dawn} is not enough. See the advice above{charging}."


def thing(of: Thing) -> str:
    """What an allowance pays for of one load: `Kettle 20 min`."""
    if of.all_night:
        return f"{of.name} all night"
    if of.runs is not None and of.runs > 0:
        return f"{of.name} {'once' if of.runs == 1 else f'{of.runs} times'}"
    return f"{of.name} {lasting(of.hours / 24)}" if of.hours >= 1 / 12 else ""


def in_turn(of: Sequence[Thing]) -> str:
    """What an allowance pays for one after the other; nothing where that is no more than one thing."""
    named = [f"{each.name} {'once' if each.runs else lasting(each.hours / 24)}" for each in of]
    return f"Or one after the other: {', then '.join(named)}." if len(named) > 1 else ""


def traded(of: Traded | None, until: datetime, rig: Rig) -> str:
    """What doing without one load tonight pays for."""
    if of is None or of.wh < LITTLE_WH:
        return ""
    return f"Without {of.load} until {clock(until, rig)} you may use {about(of.wh)} more for something else."


def rationed(of: Rationed, now: float) -> str:
    """What leaving a load off buys; and of the risk only where that becomes another than it is now."""
    longer, risk = f"Without {of.load}: {show_duration(rounded(of.hours_gained))} longer.", _risk(of.chance_after)
    return longer if risk == _risk(now) else f"{longer} The risk is then {risk}."


def _risk(of: float) -> str:
    return "very small" if of < 0.05 else risked(of)


def worth_rationing(plan: DayPlan) -> list[Rationed]:
    """What of the loads is worth naming: what buys ten minutes at least."""
    return [of for of in plan.ration if of.hours_gained >= 1 / 6][:3]


def answer(of: Answer, rig: Rig) -> str:
    """Whether a thing may run."""
    if of.code == "over_inverter":
        most = rig.inverter.continuous_w if rig.inverter else None
        return f"No: the inverter gives {show_power(most)} at the most."
    if of.code == "no" and of.wh < LITTLE_WH:
        return (f"Hardly matters: it takes {show_energy(of.wh)} of the bank. But nothing is to spare tonight, so save "
                "it elsewhere.")
    if of.code == "no":
        return f"No: it draws {show_power(of.watts)}, and nothing is to spare for it tonight."
    if of.code == "shorter":
        return f"Not so long: {lasting(of.hours / 24)} at {show_power(of.watts)} is what tonight allows."
    return f"Yes: it takes {show_energy(of.wh)} of the bank, at {show_power(of.watts)}."


def record(of: Record, rig: Rig) -> str:
    """How past allowances would have done."""
    floor = show_percent(rig.bank.everyday_floor)
    if of.evenings < LEAST_EVENINGS:
        return "Too few evenings are in the log to look back on what was allowed."
    return (f"On {of.evenings} evenings something was allowed. Spending all of it would have taken you below {floor} "
            f"on {of.passed or 'none'} of them. About {round(of.evenings / 10)} would be right.")


def at_dawn(wanted: int) -> str:
    """What readings at dawn would tell, and how many are still wanted; nothing where none are."""
    if not wanted:
        return ""
    times = "once more" if wanted == 1 else f"{wanted} more times"
    return (f"Write down level and use at dawn as well, {times}. That shows what your nights take, and how much you "
            "may spend.")


def sentences(plan: DayPlan, rig: Rig) -> list[str]:
    """The whole plan, a sentence or two each, in the order in which it is done."""
    if plan.day is None or plan.placing is None or plan.tonight is None:
        return ["Read the level first: it is too old to plan by."]
    today, without = plan.outlook.as_of.astimezone(rig.zone).date(), better_without(plan)
    timed = [(each.start, f"{clock(each.start, rig)} {placed(each, rig, today, without)}")
             for each in plan.placing.placed]
    timed += [(each.start, laid(each, rig)) for each in plan.spill_list]
    said = [words for _, words in sorted(timed, key=lambda pair: pair[0])]
    said += [unplaced(each) for each in plan.placing.unplaced]
    if rig.arrays:
        name = "" if plan.day.day == today else "Tomorrow: "
        spilt = spilt_of(plan)
        fills = full(plan.day, plan.outlook.present.soc.p50, rig)
        said += [f"{name}{words}" for words in (fills, spare(plan.day, spilt, rig)) if words]
    rations = [rationed(each, plan.tonight.chance) for each in worth_rationing(plan)]
    return [*said, allowed(plan.tonight, plan.outlook, rig), *rations,
            *filter(None, [traded(plan.trade, plan.tonight.until, rig), at_dawn(plan.at_dawn), always_on(rig)])]


def turned(name: str, wh: float, spills: bool = False) -> str:
    """What another turn of a hand-aimed array brings today; spills  whether the bank will be full and spill sun."""
    if wh < LITTLE_TURN_WH and spills:
        return f"Turning {name} once more gains nothing today: sun is spilt as it is."
    if wh < LITTLE_TURN_WH:
        return f"Turning {name} once more brings next to nothing today."
    return f"Turning {name} once more brings about {show_rough(wh)} today."


LITTLE_TURN_WH = 10.0
"""A turn that brings less than this is not worth the walk."""


def today_said(plan: DayPlan, rig: Rig) -> dict[str, list[str]]:
    """Headline, advice and the plan of the day, a sentence each."""
    looked = plan.outlook
    return {"headline": [headline(looked, rig), *odds(looked, rig)], "advice": advice(looked, rig, None),
            "plan": sentences(plan, rig)}
