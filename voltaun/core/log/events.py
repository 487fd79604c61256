"""What was done to the system, as its readings say: when it was last done, and the days since beside those before."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from zoneinfo import ZoneInfo

from voltaun.core.instants import local_day
from voltaun.core.log.reading import EVENTS, PANELS_OFF, Reading
from voltaun.core.log.stretches import LEAST_DAYS_COMPARED
from voltaun.core.rig.rig import Rig

TELLS = ("panels_wiped", "snow_cleared", "part_changed")
"""What may show in the days since: set beside the days before it."""

MOST_BESIDE = 28
"""At most so many days are set beside one another: longer, and the season differs."""


def days_of_events(readings: Iterable[Reading], zone: ZoneInfo) -> dict[date, tuple[str, ...]]:
    """What was done on each local day on which something was, each word once and in the order of EVENTS."""
    found: dict[date, set[str]] = {}
    for reading in readings:
        if reading.events:
            found.setdefault(local_day(reading.at, zone), set()).update(reading.events)
    return {day: tuple(word for word in EVENTS if word in done) for day, done in found.items()}


def can_be_done(event: str, rig: Rig) -> bool:
    """Whether a rig has what this is done to: cells to open, terminals, panels, an engine with oil."""
    return {"equalised": rig.bank.chemistry == "flooded", "water": rig.bank.chemistry == "flooded",
            "terminals": not rig.bank.is_station, "oil_changed": bool(rig.generators)}.get(
        event, bool(rig.arrays) or event == "part_changed")


@dataclass(frozen=True)
class Beside:
    """Two stretches of as many days: before something was done and since, both ends included."""

    before: tuple[date, date]
    since: tuple[date, date]


@dataclass(frozen=True)
class LastDone:
    """When something was last done, a local day, and the days to set beside one another, where there are enough."""

    event: str
    day: date
    beside: Beside | None


def last_done(days: dict[date, tuple[str, ...]], today: date) -> list[LastDone]:
    """Of everything that was ever done, when it was last, in the order of EVENTS; that panels were off is nothing done.

    days  see `days_of_events`; today  the local day now, which is not over and counts in no stretch
    """
    latest = {event: day for day in sorted(days) if day <= today for event in days[day]}
    return [LastDone(event, latest[event], _beside(latest[event], today) if event in TELLS else None)
            for event in EVENTS if event in latest and event != PANELS_OFF]


def _beside(day: date, today: date) -> Beside | None:
    """The whole days since, and as many before: the day itself is of both, and of neither."""
    count = min((today - day).days - 1, MOST_BESIDE)
    if count < LEAST_DAYS_COMPARED:
        return None
    one = timedelta(days=1)
    return Beside((day - one * count, day - one), (day + one, day + one * count))
