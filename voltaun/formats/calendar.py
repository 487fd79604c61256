"""The measuring round as iCalendar (RFC 5545), for the calendar on a phone."""

from collections.abc import Iterable
from datetime import UTC, datetime
from hashlib import sha256

from voltaun.core.bench.round import Slot
from voltaun.core.rig.rig import Rig


def write_round(rig: Rig, slots: Iterable[Slot], now: datetime) -> bytes:
    """One event for each slot: which load goes on which meter, from when to when (UTC)."""
    from icalendar import Calendar, Event
    calendar = Calendar()
    calendar.add("prodid", "-//Voltaun//Measuring round//EN")
    calendar.add("version", "2.0")
    for slot in slots:
        event = Event()
        name = f"{rig.name}\0{slot.load}\0{slot.meter}\0{slot.start.isoformat()}"
        event.add("uid", f"{sha256(name.encode()).hexdigest()[:32]}@voltaun")
        event.add("dtstamp", now.astimezone(UTC))
        event.add("dtstart", slot.start.astimezone(UTC))
        event.add("dtend", slot.end.astimezone(UTC))
        event.add("summary", f"Meter {slot.meter}: {slot.load}")
        event.add("description", f"{rig.name}: put {slot.load} on meter {slot.meter}, note the counter, and read it "
                                 "again a day later.")
        calendar.add_component(event)
    return calendar.to_ical()
