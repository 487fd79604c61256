"""What is asked of the outlook: what if, a plan, the generator's rule; read from what was typed."""

import math
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from typing import Any

from werkzeug.datastructures import MultiDict

from voltaun.core.dayplan.tonight import while_running
from voltaun.core.instants import local_day
from voltaun.core.outlook.plans import A_GUEST, BEGINS, KINDS, SOURCE_OF, GeneratorRule, Plan
from voltaun.core.rig.rig import Rig
from voltaun.core.units import QuantityError, clock_hour, parse
from voltaun.database.asking import AHEAD
from voltaun.database.plans import KeptPlan
from voltaun.pages.days import day_from, shown
from voltaun.words import house_units
from voltaun.words import sentences as words
from voltaun.words.units import show_clock, show_power

ASKED = ("use", "off", "until", "generator", "drive", "mains", "load", "side", "on", "begin", "end", "panels",
         "strings")
"""What of an address asks what if."""

DOING = {"generator": "running the generator", "drive": "driving", "mains": "standing at a socket"}

EVENING = (18.0, 23.0)
"""From which clock hour to which a load more is on, unless told."""


def begins(kind: str, day: date, now: datetime, rig: Rig) -> float:
    """The clock hour at which something begins that day, unless told: its usual one, or today as soon as may be."""
    usual = BEGINS.get(kind, EVENING[0])
    local = now.astimezone(rig.zone)
    soon = math.ceil((local.hour + local.minute / 60) * 4) / 4
    return max(usual, min(soon, 23.75)) if day == local.date() else usual


@dataclass
class Asked:
    """A what-if: the plans it comes to, what was typed, what is wrong with it, and it in words."""

    plans: tuple[Plan, ...] = ()
    typed: dict[str, Any] = field(default_factory=dict)
    off: tuple[str, ...] = ()
    panels: int = 0   # more of them, and of strings, as if they stood there
    strings: int = 0
    faults: list[str] = field(default_factory=list)
    words: str = ""
    query: dict[str, Any] = field(default_factory=dict)  # as the address has it

    @classmethod
    def of(cls, rig: Rig, now: datetime, given: MultiDict[str, str]) -> "Asked":
        """From the address: use (percent more or less); off (loads) until a day; hours of a source and a load more (W)
        on a day from a time on."""
        asked = cls(typed={name: given.get(name, "").strip() for name in ASKED if name != "off"})
        asked.query = {name: values for name, values in given.to_dict(flat=False).items() if name in ASKED}
        today = local_day(now, rig.zone)
        told = asked._added(rig) + asked._use(rig, given, today) + asked._of_a_day(rig, now, today)
        asked.words = " and ".join(told)
        local = now.astimezone(rig.zone)
        for plan in asked.plans:
            if plan.hours and plan.first == today and plan.hours[1] <= local.hour + local.minute / 60:
                hours = f"{show_clock(plan.hours[0])} to {show_clock(plan.hours[1])}"
                asked.faults.append(f"Found {hours} today, which is over; expected a later time, or another day.")
        return asked

    def _added(self, rig: Rig) -> list[str]:
        self.panels = int(self._number("panels", "panels more", 0, 40) or 0) if rig.arrays else 0
        self.strings = int(self._number("strings", "strings more", 0, 20) or 0)
        told = words.added(self.panels, self.strings, rig)
        return [f"with {told} more"] if told else []

    def _use(self, rig: Rig, given: MultiDict[str, str], today: date) -> list[str]:
        last, told = today + timedelta(days=AHEAD), []
        until = self._day("until", last, today)
        more = self._number("use", "percent more or less", -100, 300)
        if more:
            self.plans += (Plan("guests", today, last, 1 + more / 100),)
            told.append(f"using {abs(more):g} % {'more' if more > 0 else 'less'}")
        names = {load.name for load in rig.loads}
        self.off = tuple(name for name in given.getlist("off") if name in names)
        if self.off and until:
            self.plans += tuple(Plan("leave_off", today, max(today, until), None, name) for name in self.off)
            told.append(f"doing without {' and '.join(self.off)} until {words.day_name(until, today)}")
        return told

    def _of_a_day(self, rig: Rig, now: datetime, today: date) -> list[str]:
        on, told = self._day("on", today, today), []
        begin, end = (_typed_clock(self.typed[name], self.faults) for name in ("begin", "end"))
        for kind, doing in DOING.items():
            hours = self._number(kind, "hours", 0, 24)
            if hours and on and rig.has(SOURCE_OF[kind]):
                at = begins(kind, on, now, rig) if begin is None else begin % 24
                self.plans += (Plan(kind, on, on, hours, begin=at),)
                told.append(f"{doing} {hours:g} h {words.on_day(on, today)} from {show_clock(at)}")
        watts = self._number("load", "watts", 0, 1e5)
        if watts and on:
            at = begins("add", on, now, rig) if begin is None else begin % 24
            until = max(EVENING[1], min(at + 1, 24.0)) if end is None else end
            drawn = self._drawn(rig, watts)
            if until == at:
                self.faults.append("Found the same time twice, expected from when to when the load is on.")
            elif drawn is not None:
                wh = drawn * ((until - at) % 24 or 24)
                self.plans += (Plan("add", on, on, wh, "a load", at, until),)
                told.append(f"a load of {show_power(watts)} {words.on_day(on, today)} from {show_clock(at)} to "
                            f"{show_clock(until)}")
        return told

    def _drawn(self, rig: Rig, watts: float) -> float | None:
        """What the load more draws from the bank, W; None, with a fault, where it is more than the inverter gives."""
        inverter = rig.inverter if self.typed["side"] != "dc" else None
        most = inverter.continuous_w if inverter else None
        if most and watts > most:
            self.faults.append(f"Found {show_power(watts)} of AC, expected {show_power(most)} at the most: the "
                               "inverter gives no more.")
            return None
        return while_running(rig, watts, "ac" if inverter else "dc")

    def _day(self, name: str, usual: date, today: date) -> date | None:
        if not self.typed[name]:
            return usual
        try:
            day = date.fromisoformat(self.typed[name])
            if not 0 <= (day - today).days <= 60:
                raise ValueError
        except ValueError:
            self.faults.append(f"Found {self.typed[name]!r}, expected a coming day such as {usual.isoformat()}.")
            return None
        return day

    def _number(self, name: str, what: str, low: int, high: float) -> float | None:
        text = self.typed[name].replace("−", "-").removesuffix("%").removesuffix("h").strip()
        if not text:
            return None
        try:
            number = float(text.replace(",", "."))
            if not low <= number <= high:
                raise ValueError
        except ValueError:
            self.faults.append(f"Found {self.typed[name]!r}, expected {what}, {low:g} to {high:g}.")
            return None
        return number


def plan_from(rig: Rig, now: datetime, form: MultiDict[str, str]) -> tuple[Plan | None, list[str]]:
    """The plan that was typed, or what is wrong with it."""
    faults: list[str] = []
    kind = form.get("kind", "")
    first, last = _typed_days(form, local_day(now, rig.zone), faults)
    name = form.get("load", "") if kind == "leave_off" else form.get("name", "").strip()[:200]
    if kind not in (*KINDS, "people"):
        faults.append(f"Found {repr(kind) if kind else 'nothing'}, expected one of the kinds of plan.")
    amount = _amount(kind, form.get("amount", "").strip(), faults)
    begin, end = (_typed_clock(form.get(field, ""), faults) for field in ("begin", "end"))
    if kind == "leave_off" and name not in [load.name for load in rig.loads]:
        faults.append(f"Found {name or 'nothing'!r}, expected a load to do without.")
    source = SOURCE_OF.get(kind)
    if source and not rig.has(source):
        faults.append("The rig has no such source yet; tell of it on Rig first.")
    if faults or first is None or last is None:
        return None, faults
    if kind == "people" and amount is not None:
        kind, name = "guests", name or f"{amount:g} guest{'s' if amount != 1 else ''}"
        amount = 1 + A_GUEST * amount
    begin = begin if begin is None else begin % 24
    if source:
        begin, end = begins(kind, first, now, rig) if begin is None else begin, None
    elif kind != "add":
        begin = end = None
    try:
        return Plan(kind, first, last, amount, name, begin, end), []
    except ValueError as error:
        return None, [f"{words.begin(str(error))}."]


def _typed_days(form: MultiDict[str, str], today: date, faults: list[str]) -> tuple[date | None, date | None]:
    """The first and the last day of the plan that was typed, the same where only one was."""
    first, last = (_typed_day(form.get(name, ""), today, faults) for name in ("first", "last"))
    last = last or first
    if first is None and not faults:
        faults.append("Found no day, expected the first day of the plan.")
    elif last and last < today:
        faults.append(f"Found a plan that is over by {shown(last)}, expected a day from today, {shown(today)}, on. "
                      "What has been stands in the log.")
    return first, last


def typed_of(kept: KeptPlan) -> dict[str, str]:
    """What one would type to get this plan."""
    plan = kept.plan
    amount = "" if plan.amount is None else f"{plan.amount:g}"
    hours = plan.hours or (None, None)
    return {"instead": str(kept.id), "kind": plan.kind, "amount": amount, "first": shown(plan.first),
            "last": shown(plan.last), "name": plan.name, "load": plan.name,
            "begin": "" if hours[0] is None else show_clock(hours[0]),
            "end": "" if plan.end is None else show_clock(plan.end)}


def _amount(kind: str, text: str, faults: list[str]) -> float | None:
    """How much, as it is typed for that kind."""
    try:
        if text and kind in SOURCE_OF:
            return parse(text, "duration", low=0, high=24)
        if text and kind == "add":
            return parse(text, "energy", low=0, high=1e6)
        if text and kind in ("guests", "away"):
            return parse(text.removeprefix("×").strip(), "number", low=0, high=10)
        if kind == "people":
            return parse(text, "number", low=0, high=40)
    except QuantityError as error:
        faults.append(words.refusal(error))
    return None


def _typed_clock(text: str, faults: list[str]) -> float | None:
    try:
        return clock_hour(text) if text.strip() else None
    except QuantityError as error:
        faults.append(words.refusal(error))
        return None


def _typed_day(text: str, today: date, faults: list[str]) -> date | None:
    if not text.strip():
        return None
    try:
        return day_from(text, today, coming=True)
    except QuantityError as error:
        faults.append(f"Found {error.found}, expected {error.expected}, such as {shown(today)}.")
        return None


def rule_from(form: MultiDict[str, str]) -> tuple[GeneratorRule | None, list[str]]:
    """The generator's rule that was typed, or what is wrong with it."""
    faults: list[str] = []
    values: dict[str, Any] = {}
    for name, kind, usual, low, high in (("start", "percent", None, 0, 1), ("stop", "percent", None, 0, 1),
                                         ("from_hour", "number", 0.0, 0, 23), ("to_hour", "number", 24.0, 1, 24),
                                         ("litres", "number", "none", 0, 1e5)):
        text = form.get(name, "").strip()
        if not text and usual is not None:
            values[name] = None if usual == "none" else usual
            continue
        try:
            values[name] = parse(text, kind, low=low, high=high)
        except QuantityError as error:
            faults.append(words.refusal(error))
    if faults:
        return None, faults
    if values["litres"] is not None:
        values["litres"] = house_units.from_fuel(values["litres"])
    try:
        return GeneratorRule(**values), []
    except ValueError as error:
        return None, [f"{words.begin(str(error))}."]
