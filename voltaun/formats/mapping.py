"""How a file of another shape is read: which column is what, its unit and sign, how dates and numbers are written.

A mapping is told once and kept by name; see docs/files.md for its JSON. `guess` proposes one from a file's own header
and rows, `open_questions` says what cannot be known from the file, and a `Translator` turns its rows into those of
the open shape.
"""

import csv
import io
import json
import re
from collections.abc import Iterable
from dataclasses import asdict, dataclass, field
from itertools import islice

from voltaun.core.log.reading import FIELDS, NUMBERS, of_kind
from voltaun.core.rig.parts import SKIES
from voltaun.core.rig.sources import SOURCE_TABLE
from voltaun.formats import EMPTY_LINES, FileFaults, hollow, shown, when

VERSION = 1
KEY = "voltaun_mapping"
LOG, SAMPLES = "log", "samples"
MOST_COLUMNS = 200
SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
DATES = ("", when.DAY_FIRST, when.MONTH_FIRST)

_ENERGY = {"Wh": 1.0, "kWh": 1000.0, "Ah": None}
_PERCENT = {"%": 1.0, "fraction": 100.0, "Ah": None}
_BY_KIND = {"fraction": _PERCENT, "voltage": {"V": 1.0, "mV": 1e-3}, "temperature": {"°C": 1.0, "°F": None},
            "energy": _ENERGY, "hours": {"h": 1.0, "min": 1 / 60}}
UNITS = {
    **{of.column: _BY_KIND[of.kind] for of in of_kind(*NUMBERS)}, "charge_wh": _ENERGY, "discharge_wh": _ENERGY,
    "amps": {"A": 1.0, "mA": 1e-3}, "watts": {"W": 1.0, "kW": 1000.0},
    "at": {"written": None, "epoch s": None, "epoch ms": None}}
"""The units of each of our columns, with the factor to ours; None where a factor alone does not do it."""

OF_LOG = ("read_at", "date", "time", *(of.column for of in FIELDS if of.heard))
OF_SAMPLES = ("at", "volts", "amps", "watts", "soc_percent", "charge_wh", "discharge_wh")


@dataclass(frozen=True)
class Column:
    """What a column of the file is: one of our names, its unit ("" is ours), and a factor (−1 turns its sign)."""

    of: str
    unit: str = ""
    scale: float = 1.0


@dataclass(frozen=True)
class Mapping:
    """How a file is read; `columns` by the file's own names, `hour` for days without a time, `sky` its own words."""

    kind: str = LOG
    name: str = ""
    columns: dict[str, Column] = field(default_factory=dict)
    dates: str = ""
    hour: str = ""
    separator: str = ""
    decimal: str = ""
    volts: float | None = None
    sky: dict[str, str] = field(default_factory=dict)

    @property
    def names(self) -> tuple[str, ...]:
        """The columns of ours that this kind of file may have."""
        return OF_LOG if self.kind == LOG else OF_SAMPLES

    def document(self) -> dict:
        """The mapping as its JSON says it."""
        values = asdict(self)
        values["columns"] = {theirs: {"as": column.of} | ({"unit": column.unit} if column.unit else {})
                             | ({"scale": column.scale} if column.scale != 1 else {})
                             for theirs, column in self.columns.items()}
        return {KEY: VERSION} | {name: value for name, value in values.items() if value not in ("", None, {})}


def read_mapping(text: str) -> Mapping:
    """A mapping from its JSON text. Raises FileFaults."""
    faults = FileFaults()
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        document = None
    if not isinstance(document, dict) or document.get(KEY) != VERSION:
        faults.add("mapping", shown(text[:40]), f'a JSON object with "{KEY}": {VERSION}')
        raise faults
    return from_document(document)


def from_document(document: dict) -> Mapping:
    """A mapping from a parsed document. Raises FileFaults by path."""
    faults = FileFaults()
    kind = document.get("kind", LOG)
    if kind not in (LOG, SAMPLES):
        faults.add("kind", repr(kind)[:40], f"{LOG} or {SAMPLES}")
        raise faults
    blank = Mapping(kind)
    texts = {}
    for name, legal in (("name", None), ("dates", DATES), ("hour", None), ("separator", ("", *SEPARATORS)),
                        ("decimal", ("", ",", "."))):
        texts[name] = document.get(name, "")
        if not isinstance(texts[name], str) or legal and texts[name] not in legal or len(texts[name]) > 80:
            faults.add(name, repr(texts[name])[:40], " or ".join(map(repr, legal[1:])) if legal else "a short text")
    if not faults.faults and texts["hour"] and when.read_clock(texts["hour"]) is None:
        faults.add("hour", shown(texts["hour"]), "a time of day such as 19:00")
    volts = document.get("volts")
    if volts is not None and (type(volts) not in (int, float) or not 0 < volts <= 1000):
        faults.add("volts", repr(volts)[:40], "V, more than 0")
    columns = _columns(document.get("columns", {}), blank, faults)
    sky = document.get("sky", {})
    if not isinstance(sky, dict) or not all(isinstance(each, str) and value in SKIES for each, value in sky.items()):
        faults.add("sky", repr(sky)[:60], "the file's words, each with one of " + ", ".join(SKIES))
    if faults.faults:
        raise faults
    return Mapping(kind, columns=columns, volts=volts, sky={each.lower(): value for each, value in sky.items()},
                   **texts)


def _columns(given, blank, faults) -> dict[str, Column]:
    columns = {}
    if not isinstance(given, dict) or len(given) > MOST_COLUMNS:
        faults.add("columns", type(given).__name__, f"the file's columns by name, at most {MOST_COLUMNS}")
        return {}
    for theirs, values in given.items():
        values = {"as": values} if isinstance(values, str) else values
        if not isinstance(values, dict) or values.get("as") not in blank.names:
            faults.add(f"columns.{theirs[:40]}", repr(values)[:60], "as one of " + ", ".join(blank.names))
            continue
        of, unit, scale = values["as"], values.get("unit", ""), values.get("scale", 1)
        if unit and unit not in UNITS.get(of, {}):
            faults.add(f"columns.{theirs[:40]}.unit", repr(unit)[:40], " or ".join(UNITS.get(of, {})) or "none")
        if type(scale) not in (int, float) or not 1e-9 <= abs(scale) <= 1e9:
            faults.add(f"columns.{theirs[:40]}.scale", repr(scale)[:40], "a factor such as 0.001 or -1")
            scale = 1
        columns[theirs] = Column(of, unit, float(scale))
    doubled = {column.of for column in columns.values()}
    if len(doubled) < len(columns):
        faults.add("columns", "one of ours twice", "each of ours once")
    return columns


# Rows of a log

@dataclass(frozen=True)
class Grounds:
    """What of the rig reading needs: the bank's nominal V (for energies in Ah) and its Ah (for levels in Ah)."""

    volts: float | None = None
    capacity_ah: float | None = None


class Translator:
    """Turns the rows of a log file into those of the open shape, as texts by our names."""

    def __init__(self, mapping: Mapping, grounds: Grounds):
        self._mapping, self._grounds = mapping, grounds
        self.unknown_skies: set[str] = set()

    def row(self, cells: dict[str, str], line: int, faults: FileFaults) -> dict[str, str]:
        """One row; what cannot be read is added to the faults by line and the file's own column."""
        made, day, clock = {}, "", ""
        for theirs, column in self._mapping.columns.items():
            text = cells.get(theirs, "").strip()
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
                    made[column.of] = repr(number)
            else:
                made[column.of] = text
        at = self._instant(day, clock, line, faults)
        return made | ({"read_at": at} if at else {})

    def _sky(self, text) -> str:
        word = text.lower()
        known = word if word in SKIES else self._mapping.sky.get(word, "")
        if not known:
            self.unknown_skies.add(text)
        return known

    def _figure(self, text, column) -> float | None:
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
        return number * column.scale * UNITS[column.of][unit]

    def _instant(self, day, clock, line, faults) -> str | None:
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
                return f"{when.read_day(bare, self._mapping.dates).isoformat()}T{of_clock.isoformat()}"
            return when.read_when(day, self._mapping.dates).isoformat()
        except when.TwoWays as two:
            faults.add(where, f"{shown(day)}, which {two}", "to be told which comes first, the day or the month")
        except ValueError:
            faults.add(where, shown(f"{day} {clock}".strip()) if day or clock else "nothing",
                       "a day and a time such as 24.11.2026 19:30" + ("" if hour else "; or choose an hour for days "
                                                                       "without a time"))
        return None


def number_of(text: str, decimal: str) -> float | None:
    """A number as a spreadsheet writes it; `decimal` is the mark before its fraction, the other groups thousands."""
    text = text.strip().replace("\u2212", "-").replace("\u00a0", " ").replace("\u202f", " ")
    match = re.fullmatch(r"([+-]?)(\d[\d.,' ]{0,40}|[.,]\d{1,20})(?: ?(?:%|k?Wh?|m?Ah?|m?V|h|min|°[CF]))?", text,
                         re.ASCII)
    if match is None:
        return None
    digits = match[2].replace(" ", "").replace("'", "")
    if decimal == ",":
        digits = digits.replace(".", "").replace(",", ".")
    elif decimal == ".":
        digits = digits.replace(",", "")
    else:
        digits = digits.replace(",", ".")
    try:
        return float(match[1] + digits)
    except ValueError:
        return None


# A proposal from the file itself

_DAY_WORDS = (("time", r"time|hour|clock|uhrzeit|zeit|heure|hora|ora"),
              ("date", r"date|day|datum|tag|fecha|jour|data|giorno"))
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
    ("at", r"time|date|at\b|stamp|zeit|datum|epoch|unix"),
    ("soc_percent", r"soc|percent|%|level|state"),
    ("charge_wh", r"charg.*(wh|energy)|in.*wh|energy in"), ("discharge_wh", r"(discharg|out|consum).*(wh|energy)?"),
    ("volts", r"volt|\bv\b|spannung"), ("amps", r"amp|current|\bm?a\b|strom"),
    ("watts", r"watt|power|\bk?w\b|leistung"),
)


def separator_of(first_line: str) -> str:
    """The mark between a header's columns."""
    return max(SEPARATORS, key=lambda mark: (first_line.count(mark), mark == ","))


def lines_of(text: str) -> str:
    """The text with every end of a line as a line feed."""
    return text.replace("\r\n", "\n").replace("\r", "\n")


def table(text: str, separator: str = "", most: int | None = None) -> list[list[str]]:
    """The rows of a file, or the first of them. Raises FileFaults for what is no CSV and for too many columns."""
    faults = FileFaults()
    text = lines_of(text)
    first = text.split("\n", 1)[0]
    separator = separator or separator_of(first)
    if first.count(separator) >= MOST_COLUMNS:
        faults.add("line 1", f"{first.count(separator) + 1} columns", f"at most {MOST_COLUMNS}")
        raise faults
    if hollow(text):
        faults.add("the file", f"{EMPTY_LINES} empty lines one after the other", "a table")
        raise faults
    reader = csv.reader(io.StringIO(text.rstrip("\n")), delimiter=separator)
    try:
        rows = list(islice(reader, most))
    except csv.Error as error:
        faults.add(f"line {reader.line_num}", f"a broken row ({error})", "CSV")
        raise faults from error
    padded = any(space in text for space in " \t\u00a0\u202f")
    return [[cell.strip() for cell in row] for row in rows] if padded else rows


def guess(text: str, kind: str = LOG, name: str = "") -> Mapping:
    """A proposal from a file's header and its first rows. Raises FileFaults."""
    rows = [row for row in table(text, most=2000) if any(row)]
    header = rows[0] if rows else []
    columns, taken = {}, set()
    for n, theirs in enumerate(header):
        values = [row[n] for row in rows[1:] if n < len(row) and row[n]]
        of = _of(theirs, values, kind, taken)
        if theirs and of and theirs not in columns:
            taken.add(of)
            columns[theirs] = Column(of, _unit(theirs, of, values))
    if kind == LOG and "time" in taken and "date" not in taken:
        columns = {theirs: Column("read_at") if column.of == "time" else column for theirs, column in columns.items()}
    elif kind == LOG and "date" in taken and "time" not in taken:
        columns = {theirs: Column("read_at") if column.of == "date" else column for theirs, column in columns.items()}
    separator = separator_of(lines_of(text).split("\n", 1)[0])
    days = [row[n] for row in rows[1:] for n, theirs in enumerate(header) if n < len(row) and theirs in columns
            and columns[theirs].of in ("date", "read_at", "at")]
    return Mapping(kind, name, columns, order_of(days), "", separator, _decimal(rows[1:], header, columns, separator))


def _of(theirs, values, kind, taken) -> str | None:
    lower = theirs.lower().strip()
    names = OF_LOG if kind == LOG else OF_SAMPLES
    if lower in names and lower not in taken:
        return lower
    for of, words in _WORDS if kind == LOG else _SAMPLE_WORDS:
        if of not in taken and re.search(words, lower[:80]):
            return of
    return None


def _unit(theirs, of, values) -> str:
    lower = theirs.lower()
    for unit in sorted(UNITS.get(of, {}), key=len, reverse=True):
        if unit != next(iter(UNITS[of])) and re.search(rf"(?<![a-z]){re.escape(unit.lower())}(?![a-z])", lower):
            return unit
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


def _decimal(rows, header, columns, separator) -> str:
    """A comma between digits is the decimal mark unless it is what stands between the columns."""
    texts = [row[n] for row in rows for n, theirs in enumerate(header)
             if n < len(row) and theirs in columns and columns[theirs].of in UNITS]
    if any(re.fullmatch(r"[+-]?\d*,\d+|[+-]?\d{1,3}(\.\d{3})+,\d+", text, re.ASCII) for text in texts):
        return ","
    return "," if separator == ";" and not any("." in text for text in texts) else "."


def _is_bare(text: str) -> bool:
    """Whether a text is a day without a time."""
    try:
        when.read_day(text, when.DAY_FIRST)
    except ValueError:
        return False
    return True


@dataclass(frozen=True)
class Open:
    """What cannot be known from a file: the kind of question ("dates", "hour", "at", "sky") and what it is about."""

    kind: str
    about: tuple[str, ...] = ()


def open_questions(mapping: Mapping, text: str) -> list[Open]:
    """What is still to be told before a log can be read. Raises FileFaults."""
    rows = [row for row in table(text, mapping.separator) if any(row)]
    header, found = rows[0] if rows else [], []
    places = {column.of: header.index(theirs) for theirs, column in mapping.columns.items() if theirs in header}
    if not {"read_at", "date", "at"} & set(places):
        return [Open("at")]

    def of(name):
        return [row[places[name]] for row in rows[1:] if places[name] < len(row) and row[places[name]]]
    name = next(name for name in ("read_at", "date", "at") if name in places)
    days = of(name)
    if not mapping.dates:
        for text_of in days:
            try:
                when.read_day(when.split(text_of)[0])
            except when.TwoWays:
                found.append(Open("dates", (text_of,)))
                break
            except ValueError:
                pass
    if mapping.kind == LOG and "time" not in places and not mapping.hour:
        bare = next((day for day in days if _is_bare(day)), None)
        found += [Open("hour", (bare,))] if bare else []
    if "sky" in places:
        odd = {word for word in of("sky") if word.lower() not in SKIES and word.lower() not in mapping.sky}
        if odd:
            found.append(Open("sky", tuple(sorted(odd)[:20])))
    return found
