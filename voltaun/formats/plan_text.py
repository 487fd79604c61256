"""A plan as one word, as `--plan` takes it and the advice gives it back: `generator:2026-11-29=2.5@16:00`."""

from datetime import date

from voltaun.core.outlook.plans import SOURCE_OF, Plan
from voltaun.core.rig.rig import Rig
from voltaun.core.units import QuantityError, clock_hour

EXAMPLES = "drive:2026-11-26=1.5@9, generator:2026-11-26..2026-11-27=2@16:30, add:2026-11-26=2000@18-23"


def as_text(plan: Plan, rig: Rig) -> str:
    """The word for a plan; `read_plan` makes the same plan of it. The source's name is told where it is not the first.
    """
    days = plan.first.isoformat() if plan.first == plan.last else f"{plan.first}..{plan.last}"
    if plan.kind == "leave_off":
        return f"leave_off:{days}={plan.name}"
    amount = "" if plan.amount is None else f"={plan.amount:g}"
    ends = [f"{_clock(hour)}" for hour in (plan.begin, plan.end) if hour is not None]
    clock = f"@{'-'.join(ends)}" if ends else ""
    source = SOURCE_OF.get(plan.kind)
    first = source is not None and rig.has(source) and plan.name in ("", rig.parts(source)[0].name)
    return f"{plan.kind}:{days}{amount}{clock}" + (f"#{plan.name}" if plan.name and not first else "")


def _clock(hour: float) -> str:
    minutes = round(hour * 60)
    return f"{minutes // 60}:{minutes % 60:02d}"


def read_plan(text: str, rig: Rig) -> Plan:
    """The plan of a word. Raises ValueError with what was found and what was expected."""
    kind, _, rest = text.partition(":")
    days, _, amount = rest.partition("=")
    first, _, last = days.partition("..")
    name = ""
    if kind == "leave_off":
        amount, name = "", amount
        if name not in [load.name for load in rig.loads]:
            raise ValueError(f"found {name!r}, expected one of the loads: "
                             + (", ".join(load.name for load in rig.loads) or "none is listed"))
    else:
        amount, _, name = amount.partition("#")
    number, _, clock = amount.partition("@")
    begin, _, end = clock.partition("-")
    source = SOURCE_OF.get(kind)
    if source and name and name not in [part.name for part in rig.parts(source)]:
        raise ValueError(f"found {name!r}, expected the name of a source of the rig")
    return Plan(kind, date.fromisoformat(first), date.fromisoformat(last or first), float(number) if number else None,
                name, _hour(begin), _hour(end))


def _hour(text: str) -> float | None:
    """A clock hour as `9`, `16.5` or `16:30`."""
    if not text:
        return None
    try:
        return float(text)
    except ValueError:
        pass
    try:
        return clock_hour(text)
    except QuantityError as error:
        raise ValueError(f"found {error.found}, expected {error.expected}") from error
