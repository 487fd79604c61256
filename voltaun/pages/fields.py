"""Form fields that take quantities as people write them; what was typed stays typed."""

from datetime import datetime

from wtforms import Field, SelectField
from wtforms.widgets import TextInput

from voltaun.core.instants import resolve
from voltaun.core.quantities import QuantityError, parse


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
