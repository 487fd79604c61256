"""Form fields that take quantities as people write them; what was typed stays typed."""

from datetime import datetime, timedelta

from flask_wtf import FlaskForm
from wtforms import Field, SelectField
from wtforms.validators import ValidationError
from wtforms.widgets import TextInput

from voltaun.core.bank import nominal_voltage, pooled_soc
from voltaun.core.instants import resolve
from voltaun.core.quantities import QuantityError, parse
from voltaun.core.rig import Rig


class TypedField(Field):
    """A field of text that `read` turns into a value; blank is None."""

    widget = TextInput()

    def process_formdata(self, values):
        self.typed = values[0].strip() if values else ""
        self.data = None
        if not self.typed:
            return
        try:
            self.data = self.read(self.typed)
        except QuantityError as error:
            raise ValueError(f"Found {error.found}, expected {error.expected}, such as {error.example}.") from error

    def process_data(self, value):
        self.data, self.typed = value, self.show(value)

    def _value(self):
        return self.typed or ""

    def read(self, text):
        return text

    def show(self, value):
        return "" if value is None else str(value)


class QuantityField(TypedField):
    """One quantity of a kind of `core.quantities`; `volts` may be set on the form's instance."""

    def __init__(self, label, kind, low=0.0, high=None, **options):
        super().__init__(label, **options)
        self.kind, self.low, self.high, self.volts = kind, low, high, None

    def read(self, text):
        return parse(text, self.kind, volts=self.volts, low=self.low, high=self.high)

    def show(self, value):
        if value is None:
            return ""
        return f"{value * 100:.6g}" if self.kind == "percent" else f"{value:.10g}"


class WholeField(QuantityField):
    """A whole number."""

    def __init__(self, label, low=1, high=10_000, **options):
        super().__init__(label, "number", low, high, **options)

    def read(self, text):
        number = super().read(text)
        if number != int(number):
            raise QuantityError(repr(text), "a whole number", "2")
        return int(number)


class RunField(TypedField):
    """What a started source gave, as (Wh, hours): `1.5`, `1 h 30`, `480 Wh`, or both: `480 Wh in 1.5 h`."""

    def read(self, text):
        wh, hours = None, None
        for part in text.lower().split(" in "):
            if "w" in part or "a" in part:
                wh = parse(part, "energy", low=0, high=1e7)
            else:
                hours = parse(part, "duration", low=0, high=9000)
        return wh, hours

    def show(self, value):
        wh, hours = value or (None, None)
        return " in ".join(f"{amount:.6g} {unit}" for amount, unit in ((wh, "Wh"), (hours, "h")) if amount is not None)


class InstantField(TypedField):
    """A local date and time in the rig's zone; `remark` says so when the clock shows it twice or not at all."""

    zone = None
    remark = None

    def read(self, text):
        try:
            local = datetime.fromisoformat(text)
        except ValueError as error:
            raise QuantityError(repr(text), "a date and time", "2026-11-24 19:30") from error
        if not 1970 <= local.year < 2200:
            raise QuantityError(repr(text), "a year from 1970 to 2199", "2026-11-24 19:30")
        instant, self.remark = resolve(local, self.zone)
        return instant

    def show(self, value):
        return "" if value is None else f"{value.astimezone(self.zone):%Y-%m-%dT%H:%M}"


class PlacedForm(FlaskForm):
    """A form whose instants are in a rig's zone and not after now, and whose energies may be given in Ah."""

    def __init__(self, rig: Rig, now: datetime, **options):
        self._rig, self._now = rig, now
        super().__init__(**options)

    class Meta(FlaskForm.Meta):
        def bind_field(self, form, unbound_field, options):
            # Fields read while they are made, so zone and voltage must be theirs before.
            field = super().bind_field(form, unbound_field, options)
            if isinstance(field, InstantField):
                field.zone = form._rig.zone
            elif isinstance(field, LevelField):
                field.bank = form._rig.bank
            elif isinstance(field, QuantityField) and field.kind == "energy":
                field.volts = nominal_voltage(form._rig.bank)
            return field

    def validate_at(self, field):
        if not field.typed:
            raise ValidationError("Found nothing, expected a date and time, such as 2026-11-24 19:30.")
        if field.data is not None and field.data > self._now + timedelta(minutes=5):
            raise ValidationError(f"Found a time that is still to come, expected one not after now, "
                                  f"{self._now.astimezone(self._rig.zone):%Y-%m-%d %H:%M}.")


class LevelField(QuantityField):
    """A level in percent; of a bank with several packs one for each may be given (`74 78`), as (level, packs)."""

    bank = None

    def __init__(self, label, **options):
        super().__init__(label, "percent", **options)

    def read(self, text):
        parts = text.replace(",", " ").replace(";", " ").replace("%", " ").split()
        if len(parts) < 2 or "," in text and len(parts) == 2 and len(self.bank.packs) != 2:
            return super().read(text), ()
        socs = tuple(super(LevelField, self).read(part) for part in parts)
        try:
            return pooled_soc(self.bank, socs), socs
        except ValueError as error:
            raise QuantityError(repr(text), str(error).partition("expected ")[2], "74") from error

    def show(self, value):
        soc, packs = value or (None, ())
        return " ".join(super(LevelField, self).show(each) for each in packs) if packs else super().show(soc)


class ClockField(TypedField):
    """A time of day, `13:40`."""

    def read(self, text):
        try:
            datetime.strptime(text, "%H:%M")
        except ValueError as error:
            raise QuantityError(repr(text), "a time of day", "13:40") from error
        return text


class ChoiceField(SelectField):
    """A choice; the blank one is None."""

    def __init__(self, label, choices, **options):
        super().__init__(label, choices=choices, coerce=lambda value: value or None, validate_choice=True, **options)
