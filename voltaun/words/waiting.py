"""What is said of readings that waited on a phone, when they are sent."""

from datetime import datetime
from zoneinfo import ZoneInfo

from voltaun.core.log.reading import FIELDS, Reading
from voltaun.words.readings import field_shown, field_words

YES = "Yes, keep it so"
MINE, THEIRS = "Put in place what is typed here", "Leave the log as it is"
REMOVED = "It was kept, and removed from the log since."
ANEW, NOT_ANEW = "Keep it again", "Leave it removed"
NO_SUCH_YEAR = "The phone’s clock says a year that no log holds. Set that clock, then change the time here."


def _moment(at: datetime, zone: ZoneInfo) -> str:
    return f"{at.astimezone(zone):%a %-d %b %Y, %H:%M}"


def _figures(reading: Reading, zone: ZoneInfo) -> str:
    """The figures of a reading in a line: `level 57 %, sun 300 Wh`."""
    shown = ((of, field_shown(of, reading, zone, "")) for of in FIELDS if of.name != "at")
    return ", ".join(f"{field_words(of)} {value}" for of, value in shown if value) or "no figure"


def is_now(reading: Reading, zone: ZoneInfo) -> str:
    """What the log holds, where that is another than what was sent."""
    return f"The log holds another one now: {_moment(reading.at, zone)}, {_figures(reading, zone)}."


def changed(before: Reading, zone: ZoneInfo) -> str:
    """That the log held something else until now."""
    return f"It was {_figures(before, zone)} in the log until now."


def both_changed(reading: Reading, zone: ZoneInfo) -> str:
    """That the log was changed too, and which of the two is meant."""
    return (f"It was changed in the log too: {_moment(reading.at, zone)}, {_figures(reading, zone)}. Which of the two "
            "is right?")


def clocks_differ(phone: datetime, here: datetime, zone: ZoneInfo) -> str:
    """That the two clocks differ."""
    return f"The phone says {_moment(phone, zone)}; it is {_moment(here, zone)} here. When was it?"


def odd_moment(typed: datetime, zone: ZoneInfo) -> str:
    """That the moment at which it was typed can hardly be."""
    return f"By the phone’s clock it was typed on {_moment(typed, zone)}, which can hardly be. Change its time."


def keep_at(at: datetime, zone: ZoneInfo) -> str:
    """The button that keeps it at a moment."""
    return f"Keep it at {_moment(at, zone)}"


def keep_at_phones(at: datetime, zone: ZoneInfo) -> str:
    """The button that keeps it at the moment that the phone says."""
    return f"Keep it at {_moment(at, zone)}, as the phone says"
