"""Turning the rows of a log of another shape into those of the open one, as its mapping says."""

from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, date, datetime

from voltaun.core.rig.parts import SKIES
from voltaun.formats import FileFaults, shown, when
from voltaun.formats.loose import TOTALS, kind_of, meant
from voltaun.formats.mapping import UNITS, Column, Mapping
from voltaun.formats.tables import number_of


@dataclass(frozen=True)
class Grounds:
    """What of the rig reading needs: the bank's nominal V (for energies in Ah) and its Ah (for levels in Ah)."""

    volts: float | None = None
    capacity_ah: float | None = None


def holds(of: str) -> tuple[bool, bool]:
    """Whether a column of ours holds numbers, and whether it holds a time of day."""
    return of in UNITS and of != "at", of in ("time", "read_at", "date", "full_at")


class Translator:
    """Turns the rows of a log file into those of the open shape, as texts by our names."""

    def __init__(self, mapping: Mapping, grounds: Grounds) -> None:
        self._mapping, self._grounds = mapping, grounds
        self.unknown_skies: set[str] = set()
        self._year, self._month = mapping.year, 0

    def row(self, cells: dict[str, str], line: int, faults: FileFaults) -> dict[str, str] | None:
        """One row, None for one of another rig and for one that sums up others; what cannot be read is added to the
        faults by line and the file's own column."""
        made, day, clock = {}, "", ""
        if any(cells.get(theirs, "").strip() != value for theirs, value in self._mapping.only.items()):
            return None
        if TOTALS in self._mapping.loose and any(
                kind_of(cells.get(theirs, ""), *holds(column.of)) == TOTALS
                for theirs, column in self._mapping.columns.items()):
            return None
        for theirs, column in self._mapping.columns.items():
            text = meant(cells.get(theirs, "").strip(), *holds(column.of), self._mapping.loose)
            if not text:
                continue
            where = f"line {line}, column {theirs}"
            if column.of == "date":
                day = text
            elif column.of == "time":
                clock = text
            elif column.of == "read_at":
                day, clock = text, ""
            elif column.of == "sky":
                made["sky"] = self._sky(text)
            elif column.of in UNITS:
                number = self._figure(text, column)
                if number is None:
                    faults.add(where, shown(text), f"a number ({column.unit or next(iter(UNITS[column.of]))})")
                else:
                    made[column.of] = repr(round(number, 9))
            else:
                made[column.of] = text
        at = self._instant(day, clock, line, faults)
        return made | ({"read_at": at} if at else {})

    def _sky(self, text: str) -> str:
        word = text.lower()
        known = word if word in SKIES else self._mapping.sky.get(word, "")
        if not known:
            self.unknown_skies.add(text)
        return known

    def _figure(self, text: str, column: Column) -> float | None:
        number = number_of(text, self._mapping.decimal)
        if number is None:
            return None
        unit = column.unit or next(iter(UNITS[column.of]))
        if unit == "Ah":
            if column.of == "soc_percent":
                factor = 100 / self._grounds.capacity_ah if self._grounds.capacity_ah else None
            else:
                factor = self._mapping.volts or self._grounds.volts
            return None if factor is None else number * column.scale * factor
        if unit == "°F":
            return (number * column.scale - 32) / 1.8
        return number * column.scale * float(UNITS[column.of][unit])

    def _instant(self, day: str, clock: str, line: int, faults: FileFaults) -> str | None:
        where = f"line {line}, the day and time"
        hour = clock or self._mapping.hour
        try:
            if not day:
                raise ValueError
            bare, of_day = when.split(day)
            if of_day is None and hour:
                of_clock = when.read_clock(hour)
                if of_clock is None:
                    faults.add(where, shown(hour), "a time of day such as 19:30")
                    return None
                return self._in_zone(datetime.combine(self._day(bare), of_clock))
            if of_day is not None and self._year is not None:
                return self._in_zone(datetime.combine(self._day(bare), of_day))
            return self._in_zone(when.read_when(day, self._mapping.dates))
        except when.TwoWays as two:
            faults.add(where, f"{shown(day)}, which {two}", "which comes first, the day or the month")
        except ValueError:
            faults.add(where, shown(f"{day} {clock}".strip()) if day or clock else "nothing",
                       "a day and a time such as 24.11.2026 19:30" + ("" if hour else "; or choose an hour for days "
                                                                       "without a time"))
        return None

    def _day(self, text: str) -> date:
        """A day, or the last one of a month that stands alone; without a year it is in that of the row before, or the
        next one after a month that comes earlier."""
        with suppress(ValueError):
            return when.month_end(text)
        if self._year is not None:
            with suppress(ValueError):
                month, day = when.without_year(text)
                self._year += month < self._month - 6
                self._month = month
                return date(self._year, month, day)
        return when.read_day(text, self._mapping.dates)

    def _in_zone(self, at: datetime) -> str:
        utc = self._mapping.zone == "UTC" and at.tzinfo is None
        return (at.replace(tzinfo=UTC) if utc else at).isoformat()
