"""What was read and done, in words."""

from collections.abc import Callable
from datetime import date
from typing import Any
from zoneinfo import ZoneInfo

from voltaun.core.log.events import LastDone
from voltaun.core.log.reading import Field, Reading
from voltaun.words.house_units import show_temperature
from voltaun.words.sentences import begin
from voltaun.words.units import show_duration, show_energy, show_percent

EVENT_WORDS = {"equalised": "bank equalised", "water": "battery water topped up", "terminals": "terminals cleaned",
               "panels_wiped": "panels wiped", "snow_cleared": "snow cleared off the panels",
               "oil_changed": "generator's oil changed", "part_changed": "a part changed",
               "panels_off": "panels off since the reading before"}
"""What was done, by the words of `EVENTS`."""


def field_words(of: Field) -> str:
    """A field of a reading where no unit is wanted: `generator, hours`."""
    name = of.label.partition(",")[0].lower() or of.name.replace("_", " ")
    return f"{name}, hours" if of.kind == "hours" else name


_SHOWN: dict[str, Callable[[Any], str]] = {
    "fraction": show_percent, "energy": show_energy, "hours": show_duration, "voltage": lambda value: f"{value:g} V",
    "temperature": lambda value: show_temperature(value, 1).replace(".0 ", " "), "flag": lambda value: "yes",
    "fractions": lambda values: " ".join(map(show_percent, values)),
    "words": lambda values: ", ".join(EVENT_WORDS[value] for value in values)}


def field_shown(of: Field, reading: Reading, zone: ZoneInfo, nothing: str = "·") -> str:
    """A field of a reading as one reads it; `nothing` where it is blank."""
    value = getattr(reading, of.name)
    if value == of.blank or value is None:
        return nothing
    if of.kind in ("instant", "clock"):
        return f"{value.astimezone(zone):%Y-%m-%d %H:%M}"
    return str(_SHOWN[of.kind](value)) if of.kind in _SHOWN else str(value)


def events_words(events: tuple[str, ...]) -> str:
    """What was done at a reading: `Bank equalised, panels wiped.`"""
    return f"{begin(', '.join(EVENT_WORDS[event] for event in events))}."


def done_words(of: LastDone, today: date) -> str:
    """When something was last done: `Panels wiped 3 days ago, on 21 Nov`."""
    when = f"{of.day.day} {of.day:%b}" if of.day.year == today.year else f"{of.day.day} {of.day:%b %Y}"
    return f"{begin(EVENT_WORDS[of.event])} {days_ago(of.day, today)}, on {when}."


def days_ago(day: date, today: date) -> str:
    """How long ago a day was: `today`, `yesterday`, `12 days ago`."""
    count = (today - day).days
    return {0: "today", 1: "yesterday"}.get(count, f"{count} days ago")
