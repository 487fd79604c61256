"""One look at the system, and the table of what may be read there.

A figure of a reading stands once, in `FIELDS`: the database, CSV, mappings, the entry, the grid and the doubts are
derived from it or held against it by tests.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from voltaun.core.rig.parts import SKIES

ANSWERS = ("", "reset", "right")
"""To a mark: nothing yet; yes, the monitor set itself (the jump is no energy); no, the figures are right."""

PANELS_OFF = "panels_off"

EVENTS = ("equalised", "water", "terminals", "panels_wiped", "snow_cleared", "oil_changed", "part_changed",
          PANELS_OFF)
"""What may have been done: the bank charged to equalise its cells, its water topped up, terminals cleaned; panels wiped
or cleared of snow; the generator's oil or another part changed; the panels were away or off since the reading
before, so that what they brought tells nothing of the sky."""


@dataclass(frozen=True, slots=True)
class Reading:
    """One look at the system; energies and hours are since the reading before. None = not known.

    Energies in Wh at the battery's terminals (`use_wh` on the rig's `use_side`), `soc` a fraction,
    `at` and `full_at` instants with a zone, `temp_c` at the bank.
    """

    at: datetime
    soc: float | None = None
    volts: float | None = None
    solar_wh: float | None = None
    vehicle_wh: float | None = None
    generator_wh: float | None = None
    mains_wh: float | None = None
    vehicle_hours: float | None = None
    generator_hours: float | None = None
    use_wh: float | None = None
    sky: str | None = None
    full_at: datetime | None = None
    temp_c: float | None = None
    note: str = ""
    pack_socs: tuple[float, ...] = ()  # each pack's own level, where they were read apart; `soc` is then their mean
    answer: str = ""       # what the user said of a mark: one of ANSWERS
    at_bank: bool = False  # a monitor counted at the bank itself: what a source feeds straight to loads is in neither
    turbine_wh: float | None = None
    events: tuple[str, ...] = ()  # what was done, of EVENTS, each once and in their order


NUMBERS = ("fraction", "voltage", "energy", "hours", "temperature")
"""The kinds of a field that are one number."""


@dataclass(frozen=True)
class Field:
    """One field of a reading.

    name      in `Reading`
    kind      "instant", "clock" (an instant shown by its clock), one of NUMBERS, "word" (one of `words`), "words"
              (some of them), "fractions", "flag" or "text"
    column    in the log's CSV
    low, high, expected   what is legal in the CSV's unit, and how a refusal says it
    label     as the entry calls it, with its unit; said  after a figure: "320 Wh of sun"
    entry     "main", "more" or "" (never typed: kept as it was)
    hint      what the entry shows as an example
    heard     an expression that finds it in the headings of other people's files; "" where none is tried
    doubt     how a figure that cannot be meant is found, a name in `doubts.WAYS`; "" where nothing can be said
    example   a value for tests that keep and bring back each field
    """

    name: str
    kind: str
    column: str
    label: str = ""
    said: str = ""
    entry: str = ""
    hint: str = ""
    heard: str = ""
    doubt: str = ""
    low: float = 0.0
    high: float = 0.0
    expected: str = ""
    words: tuple[str, ...] = ()
    example: Any = None

    @property
    def blank(self) -> Any:
        """What stands in a reading where it was not read."""
        return Reading.__dataclass_fields__[self.name].default


def _energy(name: str, label: str, said: str, heard: str, doubt: str, hint: str = "1200") -> Field:
    return Field(name, "energy", name, label, said, "main", hint, heard, doubt, 0, 1e7, "Wh, 0 or more", example=321.0)


def _hours(name: str, label: str, said: str, heard: str) -> Field:
    return Field(name, "hours", name, label, said, "main", "or Wh", heard, "hours", 0, 9000, "hours, 0 or more",
                 example=1.5)


FIELDS = (
    Field("at", "instant", "read_at", "When", entry="main", doubt="when"),
    Field("soc", "fraction", "soc_percent", "Level, %", entry="main", hint="74", doubt="level", low=0, high=100,
          heard=r"soc|level|charge|batt|percent|%|ladestand|akku|stand|niveau|nivel",
          expected="a percent from 0 to 100", example=0.62),
    Field("volts", "voltage", "volts", "Volts", entry="more", hint="26.4", heard=r"volt|\bv\b|spannung", doubt="volts",
          low=0, high=1000, expected="V, 0 to 1000", example=26.4),
    _energy("solar_wh", "Sun, Wh", "of sun", r"solar|sun|pv\b|pv |panel|harvest|yield|ertrag|sonne|soleil|sol\b", "sun",
            "2150"),
    _energy("vehicle_wh", "Engine, Wh", "from the engine", r"driv|alternator|engine|vehicle|dc.?dc", "source"),
    _energy("generator_wh", "Generator, Wh", "from the generator", r"gen(erator|set)?\b|notstrom", "source"),
    _energy("mains_wh", "Mains, Wh", "from the mains", r"mains|shore|grid|hookup|landstrom|netz", "source"),
    _hours("vehicle_hours", "Engine, h", "of driving", r"driv\w*.*(h\b|hours?)|alternator.*h\b|engine.*h\b"),
    _hours("generator_hours", "Generator, h", "of generator", r"gen\w*.*(\bh\b|hours?)"),
    _energy("use_wh", "Used, Wh", "used", r"use|used|usage|consum|conso|load|drain|verbrauch|discharge", "use", "2600"),
    Field("sky", "word", "sky", "Sky", entry="main", heard=r"sky|weather|wetter|himmel|cloud", words=SKIES,
          example="mixed"),
    Field("full_at", "clock", "full_at", "Full at", entry="more", hint="13:40", doubt="full",
          heard=r"full.?(at|time|since)|voll (um|seit)"),
    Field("temp_c", "temperature", "temp_c", "Bank, °C", entry="more", hint="16", heard=r"temp|°c|°f", doubt="degrees",
          low=-60, high=80, expected="degrees Celsius, −60 to 80", example=16.0),
    Field("note", "text", "note", "Note", entry="more", heard=r"note|remark|comment|bemerk|notiz|what happened",
          high=2000, example="Set on after tea."),
    Field("pack_socs", "fractions", "pack_percents", example=(0.6, 0.64)),
    Field("answer", "word", "answer", words=ANSWERS, example="right"),
    Field("at_bank", "flag", "at_bank", example=True),
    _energy("turbine_wh", "Turbine, Wh", "from the turbine", r"turbine|wind|hydro|creek|wasserrad", "source", "700"),
    Field("events", "words", "events", "Done", entry="more", words=EVENTS, example=("equalised", "panels_wiped")),
)
BY_NAME = {field.name: field for field in FIELDS}


def of_kind(*kinds: str) -> tuple[Field, ...]:
    """The fields of these kinds, in order."""
    return tuple(field for field in FIELDS if field.kind in kinds)


def ordered_events(done: Iterable[str]) -> tuple[str, ...]:
    """What was done, each once and in the order of EVENTS. Raises ValueError for a word that is none of them."""
    words = list(done)
    odd = [word for word in words if word not in EVENTS]
    if odd:
        raise ValueError(f"found {odd[0]!r}, expected some of {', '.join(EVENTS)}")
    return tuple(word for word in EVENTS if word in words)
