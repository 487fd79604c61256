"""Local days made from intervals: solar split by where the sun was, everything else by time."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from voltaun.core.instants import day_start, local_day
from voltaun.core.log.ledger import RECKONED, Interval
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCES
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import SkyDay

WHOLE_HOURS = 22.0
"""A day is whole when the log covers so much of it: all but an hour or so, also where the clock leaps."""

CAPPED_SHARE = 0.2
"""A day is capped when so much of its sun fell while the bank was full."""

WORD_SHARE = 0.4
"""A day has the sky word of an interval that holds so much of its own sun on that day."""

LONGEST_SKY_LEG_HOURS = 36.0
"""A longer interval says nothing of the sky of a single day."""

COVERED_BY_LEGS = 0.9
"""A day tells its share of clear sky when the log covers so much of its sun."""


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
    def whole(self) -> bool:
        """Whether the log covers all but an hour or so of it."""
        return self.hours >= WHOLE_HOURS

    @property
    def harvest_wh(self) -> float:
        """In from all sources, Wh."""
        return sum(self.harvest.values())


@dataclass(frozen=True)
class Pieces:
    """Intervals cut at local midnights; columns of shape (pieces,), in order of time.

    interval  which interval a piece is of; day  which local day, counted from `first`
    hours, clear_wh  of the piece; sunny  its share of the interval's sun: by the clear sky, or by time where there
    is none
    """

    first: date
    interval: np.ndarray
    day: np.ndarray
    hours: np.ndarray
    clear_wh: np.ndarray
    sunny: np.ndarray

    def days(self) -> list[date]:
        """The local days from the first to the last that a piece is of."""
        count = int(self.day.max()) + 1 if len(self.day) else 0
        return [self.first + timedelta(days=n) for n in range(count)]


def split(made: Sequence[Interval], sun: RigSun | None, zone: ZoneInfo) -> Pieces:
    """Cut intervals at the local midnights within them; there must be one at least."""
    first = min(local_day(interval.start, zone) for interval in made)
    last = max(local_day(interval.end, zone) for interval in made)
    midnights = np.array([day_start(first + timedelta(days=n), zone).timestamp()
                          for n in range((last - first).days + 2)])
    begin = np.array([interval.start.timestamp() for interval in made])
    end = np.array([interval.end.timestamp() for interval in made])
    from_day = np.searchsorted(midnights, begin, side="right") - 1
    counts = np.searchsorted(midnights, end, side="left") - from_day
    of = np.repeat(np.arange(len(made)), counts)
    day = np.arange(len(of)) - np.repeat(np.cumsum(counts) - counts, counts) + from_day[of]
    low, high = np.maximum(begin[of], midnights[day]), np.minimum(end[of], midnights[day + 1])
    hours = (high - low) / 3600
    clear = sun.total.between(low, high) if sun else np.zeros(len(of))
    whole = np.bincount(of, clear, len(made))[of]
    length = ((end - begin) / 3600)[of]
    sunny = np.where(whole > 0, clear / np.where(whole > 0, whole, 1.0), hours / length)
    return Pieces(first, of, day, hours, clear, sunny)


def by_day(rig: Rig, intervals: Iterable[Interval], sun: RigSun | None, first: date | None = None) -> dict[date, Day]:
    """Split intervals into local days from `first` on, keyed by day.

    Solar and spilt go to the days by clear-sky energy (by time where there is none), other figures by
    real hours, so that a reading taken late moves nothing to the wrong day and sums do not change.
    """
    made = [interval for interval in intervals if first is None or local_day(interval.end, rig.zone) >= first]
    days: dict[date, Day] = {}
    if not made:
        return days
    pieces = split(made, sun, rig.zone)
    dates = pieces.days()
    for n, of_day, hours, sunny in zip(pieces.interval.tolist(), pieces.day.tolist(), pieces.hours.tolist(),
                                       pieces.sunny.tolist(), strict=True):
        day = dates[of_day]
        if first is None or day >= first:
            _add(days.setdefault(day, Day(day)), made[n], hours, sunny)
    return days


def sky_days(rig: Rig, made: Sequence[Interval], sun: RigSun | None) -> list[SkyDay]:
    """The days whose sun the log covers all but a tenth of, in order.

    made  intervals in order of time; the sun of each is split among the days by where the clear sky's is
    """
    zone = rig.zone
    used = [i for i in made if i.clear_sky_wh and i.harvest["solar"] is not None and i.hours <= LONGEST_SKY_LEG_HOURS
            and not i.marked]
    if sun is None or not used:
        return []
    pieces = split(used, sun, zone)
    dates = pieces.days()
    harvest = np.array([i.harvest["solar"] for i in used])[pieces.interval]
    cap = np.array([i.capped for i in used], dtype=float)[pieces.interval]
    clear, solar, capped = (np.bincount(pieces.day, part, len(dates)) for part in
                            (pieces.clear_wh, harvest * pieces.sunny, pieces.clear_wh * cap))
    words: list[str | None] = [None] * len(dates)
    for piece in np.flatnonzero(pieces.sunny > WORD_SHARE):
        words[pieces.day[piece]] = used[pieces.interval[piece]].sky or words[pieces.day[piece]]
    whole = np.array(list(clear_sky_of(dates, sun, zone).values()))
    full = {local_day(i.full_about, zone) for i in used if i.full_about}
    return [SkyDay(dates[n], float(solar[n] / clear[n]), bool(capped[n] > CAPPED_SHARE * clear[n]) or dates[n] in full,
                   words[n]) for n in np.flatnonzero((clear > COVERED_BY_LEGS * whole) & (whole > 0))]


def clear_sky_of(days: Iterable[date], sun: RigSun | None, zone: ZoneInfo) -> dict[date, float]:
    """Clear-sky harvest of each day, Wh; 0 without arrays."""
    listed = list(days)
    if sun is None:
        return dict.fromkeys(listed, 0.0)
    begins, ends = ([day_start(day + timedelta(days=n), zone).timestamp() for day in listed] for n in (0, 1))
    return dict(zip(listed, np.atleast_1d(sun.total.between(begins, ends)).tolist(), strict=True))


def _add(day: Day, interval: Interval, hours: float, sunny: float) -> None:
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
    day.capped |= interval.capped and sunny > CAPPED_SHARE
    if interval.sky and sunny > WORD_SHARE:
        day.sky = interval.sky
