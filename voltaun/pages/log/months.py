"""The month's and the year's sheet: ruled for paper, one line a day or a month."""

from dataclasses import dataclass
from datetime import date, timedelta

from flask import abort, g, render_template

from voltaun.core.instants import day_start, local_day
from voltaun.core.log.days import Day
from voltaun.core.log.reading import Reading
from voltaun.core.rig.sources import SOURCES
from voltaun.database import readings
from voltaun.pages import context


@dataclass(frozen=True)
class Line:
    """One day or month: its figures, and the levels read in it."""

    first: date
    day: Day | None
    low: float | None
    high: float | None
    last: float | None
    notes: tuple[str, ...] = ()


def month_sheet(year: int, month: int) -> str:
    """A month, a line a day."""
    if not (1970 <= year < 2200 and 1 <= month <= 12):
        abort(404)
    first = date(year, month, 1)
    last = (first + timedelta(days=31)).replace(day=1) - timedelta(days=1)
    days, kept = _logged(first, last)
    lines = [_line(day, [days[day]] if day in days else [],
                   [each for each in kept if local_day(each.at, context.rig().zone) == day])
             for day in (first + timedelta(days=n) for n in range((last - first).days + 1))]
    return _sheet(lines, first, last, "month", list(days.values()))


def year_sheet(year: int) -> str:
    """A year, a line a month."""
    if not 1970 <= year < 2200:
        abort(404)
    days, kept = _logged(date(year, 1, 1), date(year, 12, 31))
    lines = []
    for month in range(1, 13):
        inside = [day for when, day in days.items() if when.month == month]
        lines.append(_line(date(year, month, 1), inside,
                           [each for each in kept if local_day(each.at, context.rig().zone).month == month]))
    return _sheet(lines, date(year, 1, 1), date(year, 12, 31), "year", list(days.values()))


def _sheet(lines: list[Line], first: date, last: date, span: str, days: list[Day]) -> str:
    sources = [source for source in SOURCES if context.rig().has(source)]
    return render_template("log/months.html", lines=lines, first=first, last=last, span=span, sources=sources,
                           total=_together(first, days), before=first - timedelta(days=1),
                           after=last + timedelta(days=1), covered=sum(day.whole for day in days))


def _logged(first: date, last: date) -> tuple[dict[date, Day], list[Reading]]:
    """The days from first to last as they were logged, and their readings."""
    zone = context.rig().zone
    begin, end = day_start(first, zone), day_start(last + timedelta(days=1), zone)
    kept = readings.since(context.db(), g.kept.id, begin, end)
    return context.days_from(first, last), [each.reading for each in kept]


def _line(first: date, days: list[Day], kept: list[Reading]) -> Line:
    socs = [reading.soc for reading in kept if reading.soc is not None]
    return Line(first, _together(first, days), min(socs, default=None), max(socs, default=None),
                socs[-1] if socs else None, tuple(reading.note for reading in kept if reading.note))


def _together(first: date, days: list[Day]) -> Day | None:
    """Several days as one."""
    if not days:
        return None
    whole = Day(first, hours=sum(day.hours for day in days), use_wh=sum(day.use_wh for day in days),
                spilt_wh=sum(day.spilt_wh for day in days), capped=any(day.capped for day in days),
                sky=days[0].sky if len(days) == 1 else None)
    for source in SOURCES:
        whole.harvest[source] = sum(day.harvest[source] for day in days)
    for day in days:
        whole.reckoned |= day.reckoned
        whole.unknown |= day.unknown
    return whole
