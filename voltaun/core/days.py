"""Local days made from intervals: solar split by where the sun was, everything else by time."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date, timedelta

from voltaun.core.instants import day_start, days_between, hours_between, local_day
from voltaun.core.ledger import RECKONED, Interval
from voltaun.core.rig import SOURCES, Rig
from voltaun.core.sun import RigSun


@dataclass
class Day:
    """One local day of the log: Wh in by source, used and spilt; how much of it is covered and how.

    `hours` is how much of the day lies between readings. A figure is partly reckoned when any interval
    in it is; `unknown` names the figures that part of the day does not tell.
    """

    day: date
    hours: float = 0.0
    harvest: dict[str, float] = field(default_factory=lambda: dict.fromkeys(SOURCES, 0.0))
    use_wh: float = 0.0
    spilt_wh: float = 0.0
    reckoned: set[str] = field(default_factory=set)
    unknown: set[str] = field(default_factory=set)
    capped: bool = False
    sky: str | None = None

    @property
    def harvest_wh(self) -> float:
        """In from all sources, Wh."""
        return sum(self.harvest.values())


def by_day(rig: Rig, intervals: Iterable[Interval], sun: RigSun | None, first: date | None = None) -> dict[date, Day]:
    """Split intervals into local days from `first` on, keyed by day.

    Solar and spilt go to the days by clear-sky energy (by time where there is none), other figures by
    real hours, so that a reading taken late moves nothing to the wrong day and sums do not change.
    """
    days: dict[date, Day] = {}
    for interval in intervals:
        if first is not None and local_day(interval.end, rig.zone) < first:
            continue
        for day, hours, sunny in _parts(rig, interval, sun):
            if first is None or day >= first:
                _add(days.setdefault(day, Day(day)), interval, hours, sunny)
    return days


def clear_sky_of(days: Iterable[date], sun: RigSun | None, zone) -> dict[date, float]:
    """Clear-sky harvest of each day, Wh; 0 without arrays."""
    return {day: sun.between(day_start(day, zone), day_start(day + timedelta(days=1), zone)) if sun else 0.0
            for day in days}


def _parts(rig, interval, sun):
    """(day, hours, share of the interval's sun) of each local day that the interval touches."""
    listed = days_between(local_day(interval.start, rig.zone), local_day(interval.end, rig.zone))
    parts = []
    for day in listed:
        begin = max(interval.start, day_start(day, rig.zone))
        end = min(interval.end, day_start(day + timedelta(days=1), rig.zone))
        if end > begin:
            parts.append((day, hours_between(begin, end), sun.between(begin, end) if sun else 0.0))
    clear = sum(part[2] for part in parts)
    return [(day, hours, bright / clear if clear > 0 else hours / interval.hours) for day, hours, bright in parts]


def _add(day: Day, interval: Interval, hours: float, sunny: float):
    share = hours / interval.hours
    day.hours += hours
    for source, wh in interval.harvest.items():
        part = sunny if source == "solar" else share
        if wh is None:
            day.unknown.add(source)
        else:
            day.harvest[source] += wh * part
            if wh and part and interval.harvest_bases[source] == RECKONED:
                day.reckoned.add(source)
    if interval.use_wh is None:
        day.unknown.add("use")
    else:
        day.use_wh += interval.use_wh * share
        if interval.use_basis == RECKONED:
            day.reckoned.add("use")
    day.spilt_wh += (interval.spilt_wh or 0.0) * sunny
    day.capped |= interval.capped and sunny > 0.2
    if interval.sky and sunny > 0.4:
        day.sky = interval.sky
