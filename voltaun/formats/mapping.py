"""How a file of another shape is read: which column is what, its unit and sign, how dates and numbers are written.

A mapping is set once and kept by name; see docs/files.md for its JSON. `guessing` proposes one from a file's own header
and rows and says what cannot be known from the file; a `Translator` turns its rows into those of the open shape.
"""

import json
from dataclasses import asdict, dataclass, field
from typing import Any

from voltaun.core.log.reading import FIELDS, NUMBERS, of_kind
from voltaun.core.rig.parts import SKIES
from voltaun.formats import FileFaults, loose, shown, when
from voltaun.formats.tables import MOST_COLUMNS, SEPARATORS

VERSION = 1
KEY = "voltaun_mapping"
LOG, SAMPLES = "log", "samples"
DATES = ("", when.DAY_FIRST, when.MONTH_FIRST)
OF_THE_DAY, SINCE, COUNTED = "of the day", "since the row before", "counters that run on"
SUMS = ("", OF_THE_DAY, SINCE, COUNTED)
ZONES = ("", "UTC")

_ENERGY = {"Wh": 1.0, "kWh": 1000.0, "Ah": None}
_PERCENT = {"%": 1.0, "fraction": 100.0, "Ah": None}
_BY_KIND: dict[str, dict[str, Any]] = {
    "fraction": _PERCENT, "voltage": {"V": 1.0, "mV": 1e-3}, "temperature": {"°C": 1.0, "°F": None}, "energy": _ENERGY,
    "hours": {"h": 1.0, "min": 1 / 60}}
UNITS: dict[str, dict[str, Any]] = {
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
    """How a file is read; `columns` by the file's own names, `hour` for days without a time, `sky` its own words,
    `loose` the kinds of cells that are read as they are meant (see `loose`), `sums` whether a row's energies are of its
    own day, since the row before, or counters; `zone` "UTC" where its times are not the place's own, `year` that of the
    first day where none is written, `only` the cell that a row of this rig holds, by the file's column."""

    kind: str = LOG
    name: str = ""
    columns: dict[str, Column] = field(default_factory=dict)
    dates: str = ""
    hour: str = ""
    separator: str = ""
    decimal: str = ""
    volts: float | None = None
    sky: dict[str, str] = field(default_factory=dict)
    loose: tuple[str, ...] = ()
    sums: str = ""
    zone: str = ""
    year: int | None = None
    only: dict[str, str] = field(default_factory=dict)

    @property
    def names(self) -> tuple[str, ...]:
        """The columns of ours that this kind of file may have."""
        return OF_LOG if self.kind == LOG else OF_SAMPLES

    def document(self) -> dict[str, Any]:
        """The mapping as its JSON says it."""
        values = asdict(self)
        values["columns"] = {theirs: {"as": column.of} | ({"unit": column.unit} if column.unit else {})
                             | ({"scale": column.scale} if column.scale != 1 else {})
                             for theirs, column in self.columns.items()}
        values["loose"] = list(self.loose)
        return {KEY: VERSION} | {name: value for name, value in values.items() if value not in ("", None, {}, [])}


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


def from_document(document: dict[str, Any]) -> Mapping:
    """A mapping from a parsed document. Raises FileFaults by path."""
    faults = FileFaults()
    kind = document.get("kind", LOG)
    if kind not in (LOG, SAMPLES):
        faults.add("kind", repr(kind)[:40], f"{LOG} or {SAMPLES}")
        raise faults
    blank = Mapping(kind)
    texts = {}
    for name, legal in (("name", None), ("dates", DATES), ("hour", None), ("separator", ("", *SEPARATORS)),
                        ("decimal", ("", ",", ".")), ("sums", SUMS), ("zone", ZONES)):
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
    taken = document.get("loose", [])
    if not isinstance(taken, list) or not set(map(str, taken)) <= set(loose.KINDS):
        faults.add("loose", repr(taken)[:60], "a list of " + ", ".join(loose.KINDS))
    year, only = document.get("year"), document.get("only", {})
    if year is not None and (type(year) is not int or not 1970 <= year < 2200):
        faults.add("year", repr(year)[:40], "a year from 1970 to 2199")
    if not isinstance(only, dict) or len(only) > 1 or not all(
            isinstance(each, str) and len(each) <= 200 for pair in only.items() for each in pair):
        faults.add("only", repr(only)[:60], "one of the file's columns, with what a row of this rig holds in it")
    if faults.faults:
        raise faults
    return Mapping(kind, columns=columns, volts=volts, sky={each.lower(): value for each, value in sky.items()},
                   loose=tuple(taken), year=year, only=only, **texts)


def _columns(given: Any, blank: Mapping, faults: FileFaults) -> dict[str, Column]:
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
