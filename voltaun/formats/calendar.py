"""The measuring round and the day's plan as iCalendar (RFC 5545), for the calendar on a phone."""

from collections.abc import Iterable
from datetime import UTC, datetime
from hashlib import sha256

from voltaun.core.bench.round import Slot
from voltaun.core.dayplan.placing import Placed
from voltaun.core.rig.rig import Rig

Told = tuple[str, datetime, datetime, str, str]
"""What names an event for good, its begin and end, its title and its words."""


def write_round(rig: Rig, slots: Iterable[Slot], now: datetime) -> bytes:
    """One event for each slot: which load goes on which meter, from when to when (UTC)."""
    return _written("Measuring round", now, _of_round(rig, slots))


def write_plan(rig: Rig, placed: Iterable[Placed], now: datetime) -> bytes:
    """One event for each load that is placed, from when to when (UTC). Placed anew it takes the old one's place."""
    return _written("Day plan", now, _of_plan(rig, placed))


def write_all(rig: Rig, placed: Iterable[Placed], slots: Iterable[Slot], now: datetime) -> bytes:
    """What is to be done with a rig, as a calendar that is subscribed to has it: the day's plan and the measuring."""
    return _written("What is to be done", now, [*_of_plan(rig, placed), *_of_round(rig, slots)])


def _of_round(rig: Rig, slots: Iterable[Slot]) -> list[Told]:
    return [(f"{rig.name}\0{slot.load}\0{slot.meter}\0{slot.start.isoformat()}", slot.start, slot.end,
             f"Meter {slot.meter}: {slot.load}", f"{rig.name}: put {slot.load} on meter {slot.meter}, note the "
             "counter, and read it again a day later.") for slot in slots]


def _of_plan(rig: Rig, placed: Iterable[Placed]) -> list[Told]:
    return [(f"{rig.name}\0{of.load}\0{of.start.astimezone(rig.zone).date().isoformat()}", of.start, of.end, of.load,
             f"{rig.name}: by the plan of the day.") for of in placed]


def _written(what: str, now: datetime, events: list[Told]) -> bytes:
    """A calendar of events: what names each for good, its begin and end, its title and its words."""
    from icalendar import Calendar, Event
    calendar = Calendar()
    calendar.add("prodid", f"-//Voltaun//{what}//EN")
    calendar.add("version", "2.0")
    for name, begin, end, summary, description in events:
        event = Event()
        event.add("uid", f"{sha256(name.encode()).hexdigest()[:32]}@voltaun")
        event.add("dtstamp", now.astimezone(UTC))
        event.add("dtstart", begin.astimezone(UTC))
        event.add("dtend", end.astimezone(UTC))
        event.add("summary", summary)
        event.add("description", description)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
