"""What is asked of the outlook: what if, a plan, the generator's rule; read from what was typed."""

from dataclasses import dataclass, field
from datetime import date, timedelta

from voltaun.core.outlook.plans import KINDS, GeneratorRule, Plan
from voltaun.core.rig.rig import Rig
from voltaun.core.units import QuantityError, parse
from voltaun.words import sentences as words

AHEAD = 10
ASKED = ("use", "off", "generator", "drive", "on", "until")
"""What of an address asks what if."""


@dataclass
class Asked:
    """A what-if: the plans it comes to, what was typed, what is wrong with it, and it in words."""

    plans: tuple[Plan, ...] = ()
    typed: dict = field(default_factory=dict)
    off: tuple[str, ...] = ()
    faults: list[str] = field(default_factory=list)
    words: str = ""
    query: dict = field(default_factory=dict)  # as the address has it

    @classmethod
    def of(cls, rig: Rig, today: date, given) -> "Asked":
        """From the address: use (percent more or less), off (loads), generator and drive (hours) on a day."""
        asked = cls(typed={name: given.get(name, "").strip() for name in ("use", "generator", "drive", "on", "until")})
        asked.query = {name: values for name, values in given.to_dict(flat=False).items() if name in ASKED}
        last = today + timedelta(days=AHEAD)
        on, until = asked._day("on", today, today), asked._day("until", last, today)
        found, told = [], []
        more = asked._number("use", "percent more or less", -100, 300)
        if more:
            found.append(Plan("guests", today, last, 1 + more / 100))
            told.append(f"using {abs(more):g} % {'more' if more > 0 else 'less'}")
        names = {load.name for load in rig.loads}
        asked.off = tuple(name for name in given.getlist("off") if name in names)
        if asked.off and until:
            found += [Plan("leave_off", today, max(today, until), None, name) for name in asked.off]
            told.append(f"leaving {' and '.join(asked.off)} off until {words.day_name(until, today)}")
        for kind, source, doing in (("generator", "generator", "running the generator"),
                                    ("drive", "vehicle", "driving")):
            hours = asked._number(kind, "hours", 0, 24)
            if hours and on and rig.has(source):
                found.append(Plan(kind, on, on, hours))
                told.append(f"{doing} {hours:g} h {words.on_day(on, today)}")
        asked.plans, asked.words = tuple(found), " and ".join(told)
        return asked

    def _day(self, name, usual, today) -> date | None:
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

    def _number(self, name, what, low, high) -> float | None:
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


def plan_from(rig: Rig, form) -> tuple[Plan | None, list[str]]:
    """The plan that was typed, or what is wrong with it."""
    kind, faults = form.get("kind", ""), []
    first, last = (_typed_day(form.get(name, ""), faults) for name in ("first", "last"))
    if first is None and not faults:
        faults.append("Found no day, expected the first day of the plan.")
    if kind not in KINDS:
        faults.append(f"Found {kind!r}, expected one of the kinds of plan.")
    amount, name = None, form.get("load", "") if kind == "leave_off" else form.get("name", "").strip()[:200]
    text = form.get("amount", "").strip()
    try:
        if text and kind in ("drive", "generator", "mains"):
            amount = parse(text, "duration", low=0, high=24)
        elif text and kind == "add":
            amount = parse(text, "energy", low=0, high=1e6)
        elif text and kind in ("guests", "away"):
            amount = parse(text, "number", low=0, high=10)
    except QuantityError as error:
        faults.append(f"Found {error.found}, expected {error.expected}, such as {error.example}.")
    if kind == "leave_off" and name not in [load.name for load in rig.loads]:
        faults.append(f"Found {name or 'nothing'!r}, expected a load to leave off.")
    source = {"drive": "vehicle", "generator": "generator", "mains": "mains"}.get(kind)
    if source and not rig.has(source):
        faults.append("The rig has no such source yet; tell of it on Rig first.")
    if faults:
        return None, faults
    try:
        return Plan(kind, first, last or first, amount, name), []
    except ValueError as error:
        return None, [f"{words.begin(str(error))}."]


def _typed_day(text, faults) -> date | None:
    if not text.strip():
        return None
    try:
        day = date.fromisoformat(text.strip())
        if not 1970 <= day.year < 2200:
            raise ValueError
    except ValueError:
        faults.append(f"Found {text!r}, expected a day such as 2026-11-26.")
        return None
    return day


def rule_from(form) -> tuple[GeneratorRule | None, list[str]]:
    """The generator's rule that was typed, or what is wrong with it."""
    faults, values = [], {}
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
            faults.append(f"Found {error.found}, expected {error.expected}, such as {error.example}.")
    if faults:
        return None, faults
    try:
        return GeneratorRule(**values), []
    except ValueError as error:
        return None, [f"{words.begin(str(error))}."]
