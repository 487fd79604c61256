"""A mapping proposed from a file's own header and rows, and what the file alone cannot tell."""

import re
from collections.abc import Iterable
from contextlib import suppress

from voltaun.core.log.reading import FIELDS
from voltaun.core.rig.sources import SOURCE_TABLE
from voltaun.formats import when
from voltaun.formats.mapping import LOG, OF_LOG, OF_SAMPLES, SAMPLES, UNITS, Column, Mapping
from voltaun.formats.tables import lines_of, number_of, separator_of, table

_DAY_WORDS = (("time", r"time|hour|clock|uhr\b|zeit|heure|hora|ora|\bts\b|stamp|\bwhen\b|wann|quand"),
              ("date", r"date|day|datum|tag|fecha|jour|data|giorno|month|monat|mois|\bmes\b"))
DAYS = ("read_at", "date", "at")
"""Of our columns those that hold a day, the first that is there before the rest."""

_FIRST_TRIED = ("clock", "day", "hours", "energy", "fraction")


def _words() -> tuple[tuple[str, str], ...]:
    """What finds each of our columns, the narrower before the wider: hours of a source before its energy, the sun after
    the other sources, the use after all of them."""
    sources = [*(source.wh for source in reversed(SOURCE_TABLE)), "use_wh"]
    found = [(_FIRST_TRIED.index(of.kind) if of.kind in _FIRST_TRIED else len(_FIRST_TRIED),
              sources.index(of.name) if of.name in sources else 0, n, (of.column, of.heard))
             for n, of in enumerate(FIELDS) if of.heard]
    found += [(_FIRST_TRIED.index("day"), 0, n, words) for n, words in enumerate(_DAY_WORDS)]
    return tuple(words for *_, words in sorted(found))


_WORDS = _words()
_SAMPLE_WORDS = (
    ("at", r"time|date|\bat\b|\bts\b|stamp|zeit|datum|epoch|unix"),
    ("soc_percent", r"soc|percent|%|level|state"),
    ("charge_wh", r"charg.*(wh|energy)|in.*wh|energy in"), ("discharge_wh", r"(discharg|out|consum).*(wh|energy)?"),
    ("volts", r"volt|\bm?v\b|\bv_?bat|spannung"), ("amps", r"amp|current|\bm?a\b|strom"),
    ("watts", r"watt|power|\bk?w\b|leistung"),
)


def guess(text: str, kind: str = LOG, name: str = "") -> Mapping:
    """A proposal from a file's header and its first rows. Raises FileFaults."""
    rows = [row for row in table(text, most=2000) if any(row)]
    cells = cells_of(rows)
    columns, taken = {}, set[str]()
    for theirs, values in cells.items():
        of = _of(theirs, values, kind, taken)
        if theirs and of:
            taken.add(of)
            columns[theirs] = Column(of, _unit(theirs, of, values))
    if kind == LOG and not {"read_at", "date", "time"} & taken:  # by what stands in it, whatever it is called
        by_its_cells = next((theirs for theirs, values in cells.items() if _holds_days(values)), None)
        columns |= {by_its_cells: Column("read_at")} if by_its_cells else {}
    if kind == LOG and len(alone := {"date", "time"} & taken) == 1:  # with only one of the two, it is both
        columns = {theirs: Column("read_at") if column.of in alone else column for theirs, column in columns.items()}
    separator = separator_of(lines_of(text).split("\n", 1)[0])

    def of_columns(names: Iterable[str]) -> list[str]:
        return [value for theirs, column in columns.items() if column.of in names for value in cells[theirs]]
    decimal = _decimal(of_columns(UNITS), separator)
    utc = any(column.of in (*DAYS, "time") and re.search(r"\b(utc|gmt)\b", theirs.lower())
              for theirs, column in columns.items())
    columns = {theirs: _in_kwh(column, cells[theirs], decimal) for theirs, column in columns.items()}
    return Mapping(kind, name, columns, order_of(of_columns(DAYS)), "", separator, decimal,
                   zone="UTC" if utc else "")


A_DAY_IN_KWH = 60.0
"""A day's energies that are all less than this, and some of them no whole numbers, are kWh where nothing says so."""


def _in_kwh(column: Column, values: list[str], decimal: str) -> Column:
    """An energy without a unit as it is meant: nobody notes a part of a Wh."""
    if not (column.of.endswith("_wh") and column.of in OF_LOG) or column.unit:
        return column
    numbers = [number for value in values if (number := number_of(value, decimal)) is not None]
    parts = any(number != round(number) for number in numbers)
    return Column(column.of, "kWh", column.scale) if parts and max(numbers) < A_DAY_IN_KWH else column


def _holds_days(values: list[str]) -> bool:
    """Whether a column holds days, by its cells."""
    def is_day(text: str) -> bool:
        try:
            when.read_day(when.split(text)[0], when.DAY_FIRST)
        except ValueError:
            return False
        return True
    return len(values) > 1 and sum(map(is_day, values[:50])) > 0.8 * len(values[:50])


MINUTES_APART, ROWS_OF_A_DEVICE = 20.0, 12
"""So many rows, each no more than so many minutes after the one before, were written by a device."""


def is_dense(text: str) -> bool:
    """Whether the rows of a file stand minutes apart, as a monitor's samples do. Raises FileFaults."""
    rows = [row for row in table(text, most=60) if any(row)]
    proposed = guess(text, SAMPLES)
    of_time = [(theirs, column) for theirs, column in proposed.columns.items() if column.of == "at"]
    if not of_time or len(rows) <= ROWS_OF_A_DEVICE:
        return False
    theirs, column = of_time[0]
    factor = {"epoch s": 1.0, "epoch ms": 0.001}.get(column.unit)
    seconds = []
    for value in cells_of(rows).get(theirs, ()):
        with suppress(ValueError):
            seconds.append(float(value) * factor if factor else
                           when.read_when(value, proposed.dates or when.DAY_FIRST).timestamp())
    steps = sorted(after - before for before, after in zip(seconds, seconds[1:], strict=False))
    return len(steps) >= ROWS_OF_A_DEVICE and 0 < steps[len(steps) // 2] <= 60 * MINUTES_APART


def cells_of(rows: list[list[str]]) -> dict[str, list[str]]:
    """What stands under each of the header's names, empty cells left out; the first of two of one name."""
    cells: dict[str, list[str]] = {}
    for n, theirs in enumerate(rows[0] if rows else ()):
        cells.setdefault(theirs, [row[n] for row in rows[1:] if n < len(row) and row[n]])
    return cells


def _of(theirs: str, values: list[str], kind: str, taken: set[str]) -> str | None:
    lower = theirs.lower().strip()
    names = OF_LOG if kind == LOG else OF_SAMPLES
    if lower in names and lower not in taken:
        return lower
    for of, words in _WORDS if kind == LOG else _SAMPLE_WORDS:
        heard = of not in taken and re.search(words, lower[:80])
        if heard and (of not in (*DAYS, "time") or _tells_time(values)):
            return of
    return None


def _tells_time(values: list[str]) -> bool:
    """Whether a column may hold days or times: seconds since 1970 are large, and other numbers are none."""
    numbers = [number for value in values[:50] if (number := number_of(value, "")) is not None]
    return not numbers or len(numbers) < len(values[:50]) or min(numbers) > 1e8


def _unit(theirs: str, of: str, values: list[str]) -> str:
    lower = theirs.lower()
    for unit in sorted(UNITS.get(of, {}), key=len, reverse=True):
        if unit != next(iter(UNITS[of])) and re.search(rf"(?<![a-z]){re.escape(unit.lower())}(?![a-z])", lower):
            return unit
    if of == "temp_c" and re.search(r"\bf\b|fahrenheit", lower):
        return "°F"
    numbers = [abs(number) for number in (number_of(value, "") for value in values) if number is not None]
    if of == "at" and numbers and len(numbers) == len(values):
        return "epoch ms" if max(numbers) > 1e11 else "epoch s"
    if of == "soc_percent" and numbers and max(numbers) <= 1.0:
        return "fraction"
    return ""


def order_of(days: Iterable[str]) -> str:
    """Whether days are written day first or month first, as far as they tell; "" when they do not."""
    for text in days:
        day = when.split(text.strip())[0]
        match = re.fullmatch(r"(\d{1,2})([-/.])(\d{1,2})\2(?:\d{4}|\d\d)", day, re.ASCII)
        if match and int(match[1]) > 12:
            return when.DAY_FIRST
        if match and int(match[3]) > 12:
            return when.MONTH_FIRST
    return ""


def _decimal(numbers: list[str], separator: str) -> str:
    """A comma between digits is the decimal mark unless it is what stands between the columns."""
    if any(re.fullmatch(r"[+-]?\d*,\d+|[+-]?\d{1,3}(\.\d{3})+,\d+", text, re.ASCII) for text in numbers):
        return ","
    return "," if separator == ";" and not any("." in text for text in numbers) else "."
