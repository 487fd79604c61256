"""Form fields that take quantities as people write them; what was typed stays typed."""

import re
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from flask import flash, g
from flask_wtf import FlaskForm
from wtforms import Field, SelectField
from wtforms.validators import ValidationError
from wtforms.widgets import TextInput

from voltaun.core.instants import resolve
from voltaun.core.rig.bank import capacity_ah, nominal_voltage, pooled_soc, soc_from_gravity
from voltaun.core.rig.parts import Bank
from voltaun.core.rig.rig import Rig
from voltaun.core.units import QuantityError, parse, taken_as_rate
from voltaun.core.written import celsius, degrees
from voltaun.formats.when import read_clock
from voltaun.pages.days import CLOCKS_APART, shown_time, time_from
from voltaun.words import house_units
from voltaun.words.sentences import refusal

LONGEST = 400
"""No field of a line takes more letters."""


class TypedField(Field):
    """A field of text that `read` turns into a value; blank is None."""

    widget = TextInput()

    def process_formdata(self, values: list[str]) -> None:
        self.typed = values[0].strip() if values else ""
        self.data = None
        if not self.typed:
            return
        if len(self.typed) > LONGEST:
            self.typed, letters = self.typed[:LONGEST], len(self.typed)
            raise ValueError(f"Found {letters} letters, expected at most {LONGEST}.")
        try:
            self.data = self.read(self.typed)
        except QuantityError as error:
            raise ValueError(refusal(error)) from error

    def process_data(self, value: Any) -> None:
        self.data, self.typed = value, self.show(value)

    def _value(self) -> str:
        return self.typed or ""

    def read(self, text: str) -> Any:
        return text

    def show(self, value: Any) -> str:
        return "" if value is None else str(value)


class QuantityField(TypedField):
    """One quantity of a kind of `core.quantities`; `volts` may be set on the form's instance.

    unit  that a bare number is in, where the label names another than the kind's own (kWh)
    """

    def __init__(self, label: str, kind: str, low: float | None = 0.0, high: float | None = None, unit: str = "",
                 **options: Any) -> None:
        super().__init__(label, **options)
        self.kind, self.low, self.high, self.unit = kind, low, high, unit
        self.volts: float | None = None

    def read(self, text: str) -> Any:
        value = parse(text, self.kind, volts=self.volts, low=self.low, high=self.high, unit=self.unit)
        if self.kind == "power" and taken_as_rate(text):
            flash(f"{text.strip()} was taken as {value:g} W: W is the rate, Wh the amount.")
        return value

    def show(self, value: Any) -> str:
        if value is None:
            return ""
        if self.unit:
            return f"{value / parse('1', self.kind, unit=self.unit):.10g}"
        return f"{value * 100:.6g}" if self.kind == "percent" else f"{value:.10g}"


class DegreesField(QuantityField):
    """Degrees, with a letter of the compass where one is written: `48.2 N`, `70.5 W`."""

    def read(self, text: str) -> Any:
        number, sign = degrees(text)
        value = super().read(number)
        return -abs(value) if sign < 0 else value


class TemperatureField(QuantityField):
    """A temperature in the unit of the house, or in the one that is written with it."""

    def __init__(self, label: str, **options: Any) -> None:
        super().__init__(label.replace("°C", house_units.degree()), "number", **options)

    def read(self, text: str) -> Any:
        number, unit = celsius(text)
        if not (unit == "f" or unit == "" and house_units.customary()):
            return super().read(number)
        value = round((parse(number, "number", low=-80, high=200) - 32) / 1.8, 1)
        if not (self.low is None or value >= self.low) or not (self.high is None or value <= self.high):
            raise QuantityError(repr(text), f"{house_units.in_degrees(self.low or 0):.0f} to "
                                f"{house_units.in_degrees(self.high or 0):.0f} {house_units.degree()}", "60")
        return value

    def show(self, value: Any) -> str:
        return "" if value is None else f"{round(house_units.in_degrees(value), 1):g}"


class WholeField(QuantityField):
    """A whole number."""

    def __init__(self, label: str, low: int = 1, high: int = 10_000, **options: Any) -> None:
        super().__init__(label, "number", low, high, **options)

    def read(self, text: str) -> int:
        number = super().read(text)
        if number != int(number):
            raise QuantityError(repr(text), "a whole number", "2")
        return int(number)


class RunField(TypedField):
    """What a started source gave, as (Wh, hours): `1.5`, `1 h 30`, `480 Wh`, or both: `480 Wh in 1.5 h`."""

    def read(self, text: str) -> tuple[float | None, float | None]:
        wh, hours = None, None
        for part in text.lower().split(" in "):
            if "w" in part or "a" in part:
                wh = parse(part, "energy", low=0, high=1e7)
            else:
                hours = parse(part, "duration", low=0, high=9000)
        return wh, hours

    def show(self, value: Any) -> str:
        wh, hours = value or (None, None)
        return " in ".join(f"{amount:.6g} {unit}" for amount, unit in ((wh, "Wh"), (hours, "h")) if amount is not None)


class InstantField(TypedField):
    """A local date and time in the rig's zone; `remark` says so when the clock shows it twice or not at all."""

    zone: ZoneInfo
    now: datetime
    remark: str | None = None

    def __init__(self, label: str, coming: bool = False, **options: Any) -> None:
        super().__init__(label, **options)
        self.coming = coming

    def read(self, text: str) -> datetime:
        local = time_from(text, self.now.astimezone(self.zone), self.coming)
        instant, self.remark = resolve(local, self.zone)
        return instant

    def show(self, value: Any) -> str:
        return "" if value is None else shown_time(value.astimezone(self.zone))


class PlacedForm(FlaskForm):
    """A form whose instants are in a rig's zone and not after now, and whose energies may be given in Ah."""

    def __init__(self, rig: Rig, now: datetime, **options: Any) -> None:
        self._rig, self._now = rig, now
        super().__init__(**options)

    class Meta(FlaskForm.Meta):
        def bind_field(self, form: "PlacedForm", unbound_field: Any, options: Any) -> Field:
            # Fields read while they are made, so zone, clock and voltage must be theirs before.
            field = super().bind_field(form, unbound_field, options)
            if isinstance(field, InstantField):
                field.zone, field.now = form._rig.zone, form._now
            elif isinstance(field, LevelField):
                field.bank = form._rig.bank
            elif isinstance(field, QuantityField) and field.kind == "energy":
                field.volts = nominal_voltage(form._rig.bank)
            return field

    def validate_at(self, field: InstantField) -> None:
        if not field.typed:
            raise ValidationError("Found nothing, expected a date and time, such as 18:30.")
        if field.data is not None and field.data > self._latest():
            raise ValidationError("Found a time that is still to come, expected one not after now, "
                                  f"{shown_time(self._now.astimezone(self._rig.zone))}.")

    def _latest(self) -> datetime:
        """The latest time that can be meant. A machine whose clock has stopped does not know it."""
        clock = g.get("clock")
        return self._now + (timedelta(days=400) if clock and clock.dead else CLOCKS_APART)


class LevelField(QuantityField):
    """A level in percent, or in Ah where the bank's Ah are known, as (level, packs).

    A flooded bank may give what a hydrometer shows, `sg 1.225`. A bank with several packs may give one for each,
    between spaces, strokes or semicolons: `74 78`. A comma between digits is a decimal's.
    """

    bank: Bank

    def __init__(self, label: str, **options: Any) -> None:
        super().__init__(label, "percent", **options)

    def read(self, text: str) -> tuple[float, tuple[float, ...]]:
        if text.lower().endswith("ah"):
            return self._of_charge(text), ()
        if text.lower().startswith("sg"):
            return self._of_cells(text), ()
        parts = re.split(r"[\s/;]+", text.replace(", ", " ").replace("%", " ").strip())
        if len(parts) < 2:
            return super().read(text), ()
        socs = tuple(super(LevelField, self).read(part) for part in parts)
        packs = len(self.bank.packs)
        if len(socs) != packs:
            raise QuantityError(repr(text), "one level: your bank on Rig is one pack" if packs == 1 else
                                f"one level, or one for each of the {packs} packs that your bank on Rig has", "74")
        return pooled_soc(self.bank, socs), socs

    def _of_cells(self, text: str) -> float:
        """The level by a hydrometer: `sg 1.225`, or each cell's, `sg 1.265 1.260 1.230`."""
        try:
            cells = [float(part.replace(",", ".")) for part in text[2:].split()]
            return soc_from_gravity(self.bank, cells).soc
        except ValueError as error:
            words = str(error) if "expected" in str(error) else "found no number, expected a gravity"
            raise QuantityError(repr(text), words.partition("expected ")[2], "sg 1.225") from error

    def _of_charge(self, text: str) -> float:
        full = capacity_ah(self.bank)
        if full is None:
            raise QuantityError(f"{text!r} on a bank whose Ah are not known", "a percent", "74")
        charge = parse(text, "charge", low=0)
        if charge > 1.05 * full:
            raise QuantityError(f"{text!r} on a bank of {full:g} Ah", f"up to {full:g} Ah", "74 or 142 Ah")
        return min(1.0, charge / full)

    def show(self, value: Any) -> str:
        soc, packs = value or (None, ())
        return " ".join(super(LevelField, self).show(each) for each in packs) if packs else super().show(soc)


class ClockField(TypedField):
    """A time of day, `13:40`."""

    def read(self, text: str) -> str:
        clock = read_clock(text)
        if clock is None:
            raise QuantityError(repr(text[:40]), "a time of day", "13:40 or 1:40 pm")
        return f"{clock:%H:%M}"


class ChoiceField(SelectField):
    """A choice; the blank one is None."""

    def __init__(self, label: str, choices: list[tuple[str, str]], **options: Any) -> None:
        super().__init__(label, choices=choices, coerce=lambda value: value or None, validate_choice=True, **options)
