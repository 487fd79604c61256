"""The ruled table's rows: readings with their intervals, newest first, under their weeks, with sums."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from voltaun.core.instants import local_day
from voltaun.core.learned.account import Account
from voltaun.core.log.days import Day
from voltaun.core.log.ledger import Interval
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCES
from voltaun.database.monitors import Mark
from voltaun.database.readings import KeptReading


@dataclass(frozen=True)
class Sum:
    """What came in, was used and spilt over some days, Wh; the words say how much of it is known."""

    harvest_wh: float
    use_wh: float
    spilt_wh: float
    partly: bool  # some of it is reckoned
    gaps: bool    # some of it is not known at all


@dataclass(frozen=True)
class Row:
    """One reading, and the interval that ends with it (None for the first of all)."""

    kept: KeptReading
    interval: Interval | None
    day: date
    missed: int  # days before it on which nobody looked


@dataclass(frozen=True)
class Week:
    """A week's rows, newest first."""

    monday: date
    rows: list[Row]
    sum: Sum


class Sheet:
    """Some weeks of the log, ready for the page."""

    def __init__(self, rig: Rig, kept: list[KeptReading], account: Account, days: dict[date, Day], first: date,
                 last: date, older: bool, newer: bool, marks: Sequence[Mark] = ()) -> None:
        self.ids = {each.id for each in kept if local_day(each.reading.at, rig.zone) >= first}
        self.sources = [source for source in SOURCES
                        if rig.has(source) or any(getattr(each.reading, f"{source}_wh") for each in kept)]
        self.first, self.last, self.older, self.newer = first, last, older, newer
        self.learned, self.days, self.marks = account.learned, days, marks
        self.intervals = [each for each in account.intervals if local_day(each.end, rig.zone) >= first]
        rows = [row for row in _rows(rig, kept, account) if row.day >= first]
        self.weeks = [Week(monday, in_week, _sum(days, monday)) for monday in _mondays(first, last)
                      if (in_week := [row for row in reversed(rows) if monday <= row.day < monday + timedelta(days=7)])]

    def marks_of(self, kept: KeptReading) -> tuple[str, ...]:
        """The marks of a reading's interval that can be answered."""
        marks = next((each.marks for each in self.intervals if each.end == kept.reading.at), ())
        return tuple(mark for mark in marks if mark in ("reset", "doubtful"))

    def monitor_marks(self, row: Row) -> list[Mark]:
        """The monitor's marks between a reading and the one before it, the latest first."""
        start = row.interval.start if row.interval else row.kept.reading.at - timedelta(days=1)
        return [mark for mark in reversed(self.marks) if start < mark.at <= row.kept.reading.at]

    @property
    def earlier(self) -> date:
        """A day in the weeks before these."""
        return self.first - timedelta(days=1)

    @property
    def later(self) -> date:
        """A day in the last of the weeks after these."""
        return self.last + self.span

    @property
    def span(self) -> timedelta:
        """How long the sheet is."""
        return self.last - self.first + timedelta(days=1)


def _rows(rig: Rig, kept: list[KeptReading], account: Account) -> list[Row]:
    """A row a reading, each with its interval and the days that were missed before it."""
    by_end = {interval.end: interval for interval in account.intervals}
    days = [local_day(each.reading.at, rig.zone) for each in kept]
    return [Row(each, by_end.get(each.reading.at), day, max(0, (day - before).days - 1))
            for each, day, before in zip(kept, days, [*days[:1], *days], strict=False)]


def _mondays(first: date, last: date) -> Iterator[date]:
    monday = last - timedelta(days=last.weekday())
    while monday >= first:
        yield monday
        monday -= timedelta(days=7)


def _sum(days: dict[date, Day], monday: date) -> Sum:
    inside = [days[day] for n in range(7) if (day := monday + timedelta(days=n)) in days]
    return Sum(sum(day.harvest_wh for day in inside), sum(day.use_wh for day in inside),
               sum(day.spilt_wh for day in inside), any(day.reckoned for day in inside),
               any(day.unknown for day in inside))
