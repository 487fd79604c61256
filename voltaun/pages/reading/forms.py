"""The form of one reading, used on Today and Log."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from flask import g
from wtforms import SelectMultipleField, StringField
from wtforms.fields.core import UnboundField
from wtforms.validators import Length
from wtforms.widgets import CheckboxInput, ListWidget

from voltaun.core.instants import clock_before
from voltaun.core.learned.doubts import Doubt
from voltaun.core.log.events import can_be_done
from voltaun.core.log.reading import BY_NAME, FIELDS, NUMBERS, Field, Reading, ordered_events
from voltaun.core.rig.bank import nominal_voltage, rated_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCE_TABLE
from voltaun.pages.fields import (
    ChoiceField,
    ClockField,
    InstantField,
    LevelField,
    PlacedForm,
    QuantityField,
    RunField,
    TemperatureField,
)
from voltaun.words import house_units
from voltaun.words.readings import EVENT_WORDS

_RUN = {of: source for source in SOURCE_TABLE if source.hours for of in (source.wh, source.hours)}
"""Energy and hours of a source that is run are typed into one field, by the fields of a reading."""

_FIRST = ("at", "soc", "solar_wh", "use_wh")
_IN_ORDER = sorted(FIELDS, key=lambda of: (of.entry != "main", _FIRST.index(of.name) if of.name in _FIRST else 9))


def form_name(of: Field) -> str:
    """The name of a reading's field in the form."""
    return _RUN[of.name].name if of.name in _RUN else of.name


def typed_in(name: str) -> list[str]:
    """The fields of a reading that are typed into a field of the form."""
    return [of.name for of in FIELDS if form_name(of) == name]


class EventsField(SelectMultipleField):
    """What was done, each a box to tick."""

    widget = ListWidget(prefix_label=False)
    option_widget = CheckboxInput()
    offered: Sequence[str] = ()
    """What this rig can have done to it; another one that was kept goes on being shown."""


def _typed(of: Field) -> UnboundField:
    """The field of the form in which a field of a reading is typed."""
    limits: dict[str, Any] = {"low": of.low, "high": of.high}
    make: dict[str, Callable[[], Any]] = {
        "instant": lambda: InstantField(of.label), "fraction": lambda: LevelField(of.label),
        "voltage": lambda: QuantityField(of.label, "voltage", **limits), "clock": lambda: ClockField(of.label),
        "energy": lambda: QuantityField(of.label, "energy", **limits),
        "temperature": lambda: TemperatureField(of.label, **limits),
        "word": lambda: ChoiceField(of.label, [("", "not noted"), *((word, word) for word in of.words)]),
        "words": lambda: EventsField(of.label, choices=[(word, EVENT_WORDS[word]) for word in of.words]),
        "text": lambda: StringField(of.label, validators=[Length(
            max=int(of.high), message="Found more than %(max)d letters.")])}
    return RunField(of.label) if of.name in _RUN else make[of.kind]()


@dataclass(frozen=True)
class Box:
    """One field as the entry shows it: its field, label, example, and the keys of a phone; its name without a unit."""

    field: Any
    name: str
    label: str
    hint: str
    pad: str


class ReadingForm(PlacedForm):
    """A reading as it is typed; energies since the reading before. Its fields follow from those of a reading."""

    def __init__(self, rig: Rig, now: datetime, reading: Reading | None = None, prefix: str = "") -> None:
        """Fit the form to the rig (only its sources are asked for), filled with what was sent, else a reading."""
        self._kept = reading
        super().__init__(rig, now, data=_shown(reading, now, rig.zone), prefix=prefix)
        for source in SOURCE_TABLE:
            name = form_name(BY_NAME[source.wh])
            if not rig.has(source.name) and self[name].data is None:
                del self[name]
        self.events.offered = [event for event in EVENT_WORDS if can_be_done(event, rig)]

    def boxes(self, entry: str, last: Reading | None = None) -> list[Box]:
        """The fields of a part of the entry, "main" or "more", in their order.

        last  the reading before, whose figures are the examples
        """
        found = []
        for name, of in {form_name(of): of for of in _IN_ORDER if of.entry == entry}.items():
            if name not in self or of.kind == "instant":
                continue
            shown = getattr(last, of.name, None) if of.kind in ("fraction", "energy") and name == of.name else None
            hint = (self._sized(of) if shown is None else f"{shown * 100:.0f}" if of.kind == "fraction" else
                    f"{shown:.0f}")
            number = of.kind in NUMBERS
            # A station's packs are typed apart, with spaces that a number pad lacks.
            pad = "" if not number else "text" if of.kind == "fraction" and self._rig.bank.pack_wh else "decimal"
            if of.kind == "temperature":
                hint = f"{house_units.in_degrees(float(of.hint)):.0f}"
            called = of.kind if of.kind == "temperature" else self._label(of).partition(",")[0]
            found.append(Box(self[name], called, self._label(of), hint, pad))
        return found

    def _sized(self, of: Field) -> str:
        """An example of the rig's own size: three hours of its panels, a quarter of its bank, its volts."""
        volts = nominal_voltage(self._rig.bank)
        if of.name == "volts" and volts:
            return f"{volts * 1.03:.1f}"
        if of.kind != "energy":
            return of.hint
        panels_w = sum(array.rated_w for array in self._rig.arrays)
        wh = 3 * panels_w if of.name == "solar_wh" else rated_energy(self._rig.bank) / 4
        return f"{float(f'{wh:.2g}'):.0f}" if wh >= 10 else of.hint

    def _label(self, of: Field) -> str:
        source = _RUN.get(of.name)
        if source:
            parts = self._rig.parts(source.name)
            return f"{parts[0].name if parts else source.name.capitalize()}, h"
        label = of.label.replace("°C", house_units.degree())
        return f"{label} {self._rig.use_side.upper()}" if of.name == "use_wh" else label

    def validate(self, extra_validators: Any = None) -> bool:
        if not super().validate(extra_validators):
            return False
        if not self.filled():
            self.soc.errors = ["Found nothing to keep, expected at least one figure, such as a level of 74%."]
            return False
        return True

    doubts: tuple[Doubt, ...] = ()
    """What of it is asked about before it is kept."""

    correcting = ""
    """The field that is to be corrected after it was asked about."""

    @staticmethod
    def field_of(doubt: Doubt) -> str:
        """The field that a doubt is about."""
        return form_name(BY_NAME[doubt.name])

    @property
    def mark(self) -> str:
        """What `sure` must say to keep the figures that are asked about: those and no others."""
        return "; ".join(f"{doubt.name} {doubt.value:.6g}" for doubt in self.doubts)

    def filled(self) -> bool:
        """Whether anything but the time was typed."""
        return any((field.data not in (None, "", []) or getattr(field, "typed", ""))
                   for name, field in self._fields.items()
                   if name not in ("at", "csrf_token"))

    def reading(self) -> Reading:
        """The reading that was typed."""
        shown = _shown(self._kept, self._now, self._rig.zone)
        values = {of.name: self._value(of) for of in FIELDS if of.entry and form_name(of) in self}
        values["soc"], values["pack_socs"] = self.soc.data or (None, ())
        at: Any = self.at.data
        if self._kept and self.at.typed == self.at.show(self._kept.at):
            at = self._kept.at  # the field shows no seconds, and untouched it takes none away
        if self._kept and self._kept.full_at and self.full_at.data == shown["full_at"] and self._kept.full_at <= at:
            full_at: Any = self._kept.full_at  # likewise its day, which may be some days before the reading's
        else:
            full_at = self.full_at.data and clock_before(self.full_at.data, at, self._rig.zone)
        kept = {of.name: getattr(self._kept, of.name) for of in FIELDS if not of.entry} if self._kept else {}
        return Reading(**kept | values | {"at": at, "full_at": full_at})

    def _value(self, of: Field) -> Any:
        data = self[form_name(of)].data
        if of.name in _RUN:
            return None if data is None else data[of.kind == "hours"]
        if of.kind == "words":
            return ordered_events(data or ())
        return " ".join((data or "").split()) if of.kind == "text" else data


for _of in _IN_ORDER:
    if _of.entry and not hasattr(ReadingForm, form_name(_of)):
        setattr(ReadingForm, form_name(_of), _typed(_of))


def _shown(reading: Reading | None, now: datetime, zone: ZoneInfo) -> dict[str, Any]:
    if reading is None:
        clock = g.get("clock")
        return {} if clock and clock.dead else {"at": now}  # a wrong clock hints at nothing
    shown = {of.name: getattr(reading, of.name) for of in FIELDS if of.entry and of.name not in _RUN}
    shown["soc"] = None if reading.soc is None else (reading.soc, reading.pack_socs)
    shown["full_at"] = reading.full_at and f"{reading.full_at.astimezone(zone):%H:%M}"
    for source in SOURCE_TABLE:
        if source.hours:
            run = getattr(reading, source.wh), getattr(reading, source.hours)
            shown[source.name] = None if run == (None, None) else run
    return shown
