"""The log as CSV: one row a reading, energies since the row before, blank = not known."""

import csv
import io
import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from voltaun.core.instants import clock_before, resolve
from voltaun.core.log.ledger import RECKONED, Interval
from voltaun.core.log.reading import FIELDS, NUMBERS, Field, Reading, ordered_events
from voltaun.core.rig.inverter import ac_energy
from voltaun.core.rig.rig import Rig
from voltaun.formats import FileFaults, shown
from voltaun.formats.cells import fraction_of, from_cell, percent, plain, to_cell
from voltaun.formats.mapping import COUNTED, OF_THE_DAY, Mapping
from voltaun.formats.rows import (
    JOINED_H,
    LARGE_ROWS,
    days_by_themselves,
    joined,
    since_the_row_before,
    together,
)
from voltaun.formats.tables import doubled, lines_of, refuse_misshapen, separator_of
from voltaun.formats.translating import Grounds, Translator
from voltaun.formats.when import TwoWays, read_clock, read_when

COLUMNS = tuple(of.column for of in FIELDS)
BASES = ("use_basis", "solar_basis")

_FUTURE_SLACK = timedelta(minutes=5)


@dataclass
class LogFile:
    """A log that was read without a fault: its readings in order of time, and remarks."""

    readings: list[Reading]
    warnings: list[str] = field(default_factory=list)


def read_log(data: bytes, zone: ZoneInfo, now: datetime | None = None, mapping: Mapping | None = None,
             grounds: Grounds | None = None) -> LogFile:
    """Read a log CSV whole.

    data  the file's bytes; zone  the place's, for times without an offset
    now   when given, a reading after it is a fault
    mapping, grounds  how a file of another shape is read, and what of the rig that needs
    Raises FileFaults with every fault by line and column. Nothing is taken from a file with a fault.
    """
    text = lines_of(decode(data))
    faults, warnings = FileFaults(), list[str]()
    separator = _separator(text, mapping, faults)
    semicolons = separator == ";" and mapping is None
    rows = csv.reader(io.StringIO(text.rstrip("\n")), delimiter=separator, strict=True)
    translator = Translator(mapping, grounds or Grounds()) if mapping else None
    columns = _header(rows, faults, warnings, mapping)
    many, read = text.count("\n") > LARGE_ROWS, 0
    found: list[tuple[int, Reading]] = []
    try:
        for cells in rows:
            if faults.hopeless:
                break
            if not any(cell.strip() for cell in cells):
                continue
            row = _row(cells, columns, rows.line_num, translator, faults)
            reading = row and _reading(row, rows.line_num, zone, now, semicolons, faults, warnings)
            if not reading:
                continue
            read += 1
            if many and found and together(found[-1][1], reading):
                found[-1] = rows.line_num, joined(found[-1][1], reading, bool(mapping and mapping.sums == COUNTED))
            else:
                found.append((rows.line_num, reading))
    except csv.Error as error:
        faults.add(f"line {rows.line_num}", f"a broken row ({error})", "CSV")
    readings = _in_order(found, faults, warnings)
    if len(found) < read:
        warnings.append(f"{read} rows are joined into {len(found)} readings, one for each {JOINED_H} hours: what "
                        "stands minutes apart is a monitor's, and all of it can come in as samples")
    if faults.faults:
        raise faults
    if mapping and mapping.sums == OF_THE_DAY:
        readings = days_by_themselves(readings)
    if mapping and mapping.sums == COUNTED:
        readings = since_the_row_before(readings, zone, warnings)
    if translator and translator.unknown_skies:
        warnings.append("sky words left out: " + ", ".join(sorted(translator.unknown_skies)[:12]))
    return LogFile(readings, warnings)


def _separator(text: str, mapping: Mapping | None, faults: FileFaults) -> str:
    """The mark between the columns; raises the faults of a file that is no table."""
    first = text.split("\n", 1)[0]
    if mapping:
        separator = mapping.separator or separator_of(first)
    else:
        separator = ";" if first.count(";") > first.count(",") else ","
    refuse_misshapen(text, separator, faults, "a log")
    return separator


def _row(cells: list[str], columns: list[str], line: int, translator: Translator | None,
         faults: FileFaults) -> dict[str, str] | None:
    """A row's texts by our names; None for one with a fault."""
    if len(cells) > len(columns):
        faults.add(f"line {line}", f"{len(cells)} fields", f"at most {len(columns)}, one for each column of the header")
        return None
    row = dict(zip(columns, (cell.strip() for cell in cells), strict=False))
    if translator is None:
        return row
    before = faults.count
    translated = translator.row(row, line, faults)
    return translated if faults.count == before else None


def decode(data: bytes) -> str:
    """Bytes of a text file as text; FileFaults for a binary, empty or wrongly encoded one."""
    faults = FileFaults()
    if b"\0" in data[:65536]:
        faults.add("line 1", "a binary file", "a text file in UTF-8")
        raise faults
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line_start = data.rfind(b"\n", 0, error.start) + 1
        line = data.count(b"\n", 0, error.start) + 1
        faults.add(f"line {line}, character {error.start - line_start + 1}",
                   f"the byte 0x{data[error.start]:02X}", "UTF-8; save the file again as UTF-8")
        raise faults from error
    if not text.strip():
        faults.add("line 1", "an empty file", "a header with read_at")
        raise faults
    return text


def _header(rows: Iterator[list[str]], faults: FileFaults, warnings: list[str], mapping: Mapping | None) -> list[str]:
    try:
        columns = [name.strip() for name in next(rows)]
    except csv.Error:
        columns = []
    return _mapped_header(columns, faults, mapping) if mapping else _own_header(columns, faults, warnings)


def _mapped_header(columns: list[str], faults: FileFaults, mapping: Mapping) -> list[str]:
    for theirs in mapping.columns:
        if theirs not in columns:
            faults.add("line 1", f"no column {shown(theirs)}", "every column that the mapping names")
    if not {"read_at", "date"} & {column.of for column in mapping.columns.values()}:
        faults.add("the mapping", "no column for the day and time", "one as read_at, or one as date")
    if faults.faults:
        raise faults
    return columns


def _own_header(columns: list[str], faults: FileFaults, warnings: list[str]) -> list[str]:
    columns = [name.lower() for name in columns]
    if "read_at" not in columns:
        faults.add("line 1", shown(", ".join(columns[:6])), "a header with the column read_at")
        raise faults
    for name in sorted(doubled(columns)):
        faults.add(f"line 1, column {name}", "the column twice", "each column once")
    unknown = [name for name in columns if name and name not in COLUMNS + BASES]
    if unknown:
        listed = ", ".join(name[:30] for name in unknown[:12])
        more = f" and {len(unknown) - 12} more" if len(unknown) > 12 else ""
        warnings.append(f"left out, not known as columns: {listed}{more}")
    return columns


def _reading(row: dict[str, str], line: int, zone: ZoneInfo, now: datetime | None, semicolons: bool, faults: FileFaults,
             warnings: list[str]) -> Reading | None:
    before = faults.count
    at = _instant(row.get("read_at", ""), f"line {line}, column read_at", zone, faults, warnings)
    if at is not None and now is not None and at > now + _FUTURE_SLACK:
        faults.add(f"line {line}, column read_at", shown(row["read_at"]),
                   f"a time not after now, {now.astimezone(zone):%Y-%m-%d %H:%M}")
    for name, basis in (("use_wh", "use_basis"), ("solar_wh", "solar_basis")):
        if row.get(basis) == RECKONED:
            row = row | {name: ""}  # an exported figure that nobody read is reckoned again, not believed
    values: dict[str, Any] = {}
    for of in FIELDS[1:]:
        text = row.get(of.column, "")
        try:
            if not text:
                continue
            if of.kind == "clock":
                if at is not None:
                    values[of.name] = _full_at(text, at, line, zone, faults, warnings)
            else:
                values[of.name] = _FROM_CELL[of.kind](of, text, semicolons)
        except _NoSuch as odd:
            faults.add(f"line {line}, column {of.column}", odd.found or shown(text), odd.expected)
    if at is None or faults.count > before:
        return None
    return Reading(at, **values)


class _NoSuch(ValueError):
    """What a cell holds is not what its column holds: what was expected, and what was found where not the text."""

    def __init__(self, expected: str, found: str = "") -> None:
        self.expected, self.found = expected, found
        super().__init__(expected)


def _number_of(field: Field, text: str, semicolons: bool) -> float:
    number = _number(text, semicolons)
    if number is None or not field.low <= number <= field.high:
        raise _NoSuch(field.expected)
    return _fraction(text, semicolons) if field.kind == "fraction" else number


def _word(field: Field, text: str, _: bool) -> str:
    if text.lower() not in field.words:
        legal = [word for word in field.words if word]
        raise _NoSuch(("nothing, or " + " or ".join(legal)) if "" in field.words else "one of " + ", ".join(legal))
    return text.lower()


def _words(field: Field, text: str, _: bool) -> tuple[str, ...]:
    try:
        return ordered_events([word.strip().lower() for word in text.split(";") if word.strip()])
    except ValueError as error:
        raise _NoSuch("some of " + ", ".join(field.words) + ", with ; between") from error


def _fractions(field: Field, text: str, _: bool) -> tuple[float, ...]:
    """Each pack's own percent, as `74 78`."""
    numbers = [_number(part, semicolons=False) for part in text.split()]
    if any(number is None or not 0 <= number <= 100 for number in numbers) or len(numbers) > 100:
        raise _NoSuch("percents from 0 to 100 with spaces between")
    return tuple(fraction_of(part) for part in text.split())


def _flag(field: Field, text: str, _: bool) -> bool:
    if text != "1":
        raise _NoSuch("nothing, or 1")
    return True


def _text(field: Field, text: str, _: bool) -> str:
    note = _one_line(from_cell(text))
    if len(note) > field.high:
        raise _NoSuch(f"at most {field.high:.0f}", f"{len(note)} letters")
    return note


_FROM_CELL: dict[str, Callable[[Field, str, bool], Any]] = dict.fromkeys(NUMBERS, _number_of) | {
    "word": _word, "words": _words, "fractions": _fractions, "flag": _flag, "text": _text}
_TO_CELL: dict[str, Callable[[Any, ZoneInfo], str]] = {
    "instant": lambda value, zone: _local(value, zone), "clock": lambda value, zone: _local(value, zone),
    "fraction": lambda value, zone: percent(value), "word": lambda value, zone: value,
    "words": lambda value, zone: ";".join(value), "flag": lambda value, zone: "1",
    "fractions": lambda value, zone: " ".join(percent(soc) for soc in value),
    "text": lambda value, zone: to_cell(_one_line(value))}
"""How each kind of field is read from a cell and written into one."""


def _plain_wh(wh: float, zone: ZoneInfo) -> str:
    return plain(wh)


def _cell(field: Field, reading: Reading, zone: ZoneInfo) -> str:
    value = getattr(reading, field.name)
    return "" if value == field.blank else _TO_CELL.get(field.kind, _plain_wh)(value, zone)


def _fraction(text: str, semicolons: bool) -> float:
    return fraction_of(text.replace(",", ".") if semicolons else text)


def _number(text: str, semicolons: bool) -> float | None:
    try:
        number = float(text.replace(",", ".") if semicolons else text)
    except ValueError:
        return None
    return number if math.isfinite(number) else None


def _instant(text: str, where: str, zone: ZoneInfo, faults: FileFaults, warnings: list[str]) -> datetime | None:
    try:
        local = read_when(text)
        if not 1970 <= local.year < 2200:
            faults.add(where, shown(text), "a year from 1970 to 2199")
            return None
        instant, warning = resolve(local, zone)
    except TwoWays as two:
        faults.add(where, f"{shown(text)}, which {two}", "a mapping that says which comes first, the day or the month, "
                   "or days such as 2026-11-24")
        return None
    except (ValueError, OverflowError):
        faults.add(where, shown(text) if text else "nothing",
                   "a date and time such as 2026-11-24T19:30, with or without an offset")
        return None
    if warning:
        warnings.append(f"{where}: {warning}")
    return instant.replace(microsecond=0)  # as the log keeps it


def _full_at(text: str, at: datetime, line: int, zone: ZoneInfo, faults: FileFaults,
             warnings: list[str]) -> datetime | None:
    if not text:
        return None
    where = f"line {line}, column full_at"
    clock = read_clock(text)
    if clock is not None:
        return clock_before(f"{clock:%H:%M}", at, zone)
    full = _instant(text, where, zone, faults, warnings)
    if full is not None and full > at:
        faults.add(where, shown(text), "a time not after the reading's own")
    return full


def _in_order(found: list[tuple[int, Reading]], faults: FileFaults, warnings: list[str]) -> list[Reading]:
    if any(a[1].at > b[1].at for a, b in zip(found, found[1:], strict=False)):
        warnings.append("the rows are not in order of time; each figure is taken as since the reading "
                        "before it in time")
        found = sorted(found, key=lambda pair: pair[1].at)
    kept: list[tuple[int, Reading]] = []
    for line, reading in found:
        if kept and kept[-1][1].at == reading.at:
            if kept[-1][1] == reading:
                warnings.append(f"line {line}: the same reading as line {kept[-1][0]}, taken once")
            else:
                faults.add(f"line {line}, column read_at", "another reading at the instant of "
                           f"line {kept[-1][0]}", "one reading at an instant")
            continue
        kept.append((line, reading))
    return [reading for _, reading in kept]


def write_log(rig: Rig, readings: Iterable[Reading], intervals: Iterable[Interval]) -> str:
    """The log as CSV text: what was read, and use and solar reckoned where they were not, with their basis."""
    by_end = {interval.end: interval for interval in intervals}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS + BASES)
    for reading in readings:
        interval = by_end.get(reading.at)
        use, use_basis = _figure(reading.use_wh, interval.use_wh if interval else None)
        solar, solar_basis = _figure(reading.solar_wh, interval.harvest["solar"] if interval else None)
        if use is not None and interval and rig.inverter and use_basis == RECKONED and rig.use_side == "ac":
            use = max(0.0, ac_energy(rig.inverter, use, interval.hours))
        cells = {of.column: _cell(of, reading, rig.zone) for of in FIELDS}
        cells |= {name: _rough(wh) for name, wh, basis in (("solar_wh", solar, solar_basis), ("use_wh", use, use_basis))
                  if basis == RECKONED}
        writer.writerow([*cells.values(), use_basis, solar_basis])
    return out.getvalue()


def _figure(read: float | None, reckoned: float | None) -> tuple[float | None, str]:
    if read is not None:
        return read, "read"
    return (None, "") if reckoned is None else (reckoned, RECKONED)


def _local(instant: datetime, zone: ZoneInfo) -> str:
    return instant.astimezone(UTC).astimezone(zone).isoformat()


def _rough(number: float | None) -> str:
    return "" if number is None else f"{number:.4f}".rstrip("0").rstrip(".")


def _one_line(note: str) -> str:
    """A note with its line ends as spaces, as the log keeps notes; so one row also stays one line."""
    return " ".join(note.split())
