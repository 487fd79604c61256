"""The forms of a run: how it begins, one reading of it, what is noted of it, and a label."""

import re
from datetime import datetime
from typing import Any

from wtforms import BooleanField, RadioField, SelectField, StringField
from wtforms.validators import Length

from voltaun.core.bench.runs import Mark, Run
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.usual import usual
from voltaun.core.units import QuantityError
from voltaun.pages.fields import (
    InstantField,
    LevelField,
    PlacedForm,
    QuantityField,
    TemperatureField,
    TypedField,
    WholeField,
)

MARKS = {"meter": ("wh", "run_hours", "peak_w", "low_w", "ambient_c"), "drawdown": ("soc", "dc_w", "ambient_c"),
         "capacity": ("wh", "ah", "ac_wh", "other_wh", "volts", "soc", "ambient_c"),
         "inverter": ("ac_w", "dc_w"), "harvest": ("wh", "soc", "dc_w"), "hydrometer": ("cells", "ambient_c"),
         "label": ()}
"""What each instrument shows."""

NAMES = {"meter": {"wh": "Counter, Wh"}, "drawdown": {"dc_w": "W just now"},
         "capacity": {"wh": "At the battery, Wh", "soc": "Display, %",
                      "other_wh": "A second meter, Wh or Ah"},
         "harvest": {"wh": "Brought in, Wh", "soc": "or level, %", "dc_w": "W just now"},
         "hydrometer": {"ambient_c": "Acid, °C"}}

FIRST = {"meter": {"wh": 0.0}, "capacity": {"wh": 0.0, "soc": 1.0}, "harvest": {"wh": 0.0}}
"""What stands in the fields of a first reading, so that starting is one tap."""

_TEXT = Length(max=500, message="Found more than %(max)d letters.")


class CellsField(TypedField):
    """The specific gravity of each cell, in their order: `1.265 1.260 1.230`, or as a hydrometer shows it, `1265`."""

    def read(self, text: str) -> tuple[float, ...]:
        parts = re.split(r"[\s;/]+", text.strip())
        try:
            cells = tuple(float(part.replace(",", ".")) for part in parts)
        except ValueError as error:
            raise QuantityError(repr(text), "a gravity for each cell", "1.265 1.260 1.230") from error
        cells = tuple(cell / 1000 if 1000 <= cell <= 1400 else cell for cell in cells)
        if len(cells) > 120 or not all(1.0 <= cell <= 1.4 for cell in cells):
            raise QuantityError(repr(text), "1.000 to 1.400 for each cell", "1.265 1.260 1.230")
        return cells

    def show(self, value: Any) -> str:
        return " ".join(f"{cell:.3f}" for cell in value or ())


class MarkForm(PlacedForm):
    """One reading of a run; only what its instrument shows is asked for."""

    at = InstantField("When")
    wh = QuantityField("Wh", "energy", high=1e8)
    run_hours = QuantityField("Run time, min", "duration", high=1e5, unit="min")
    ah = QuantityField("At the battery, Ah", "charge", high=1e6)
    ac_wh = QuantityField("Behind the inverter, Wh", "energy", high=1e8)
    other_wh = QuantityField("A second meter, Wh", "energy", high=1e8)
    soc = LevelField("Level, %")
    volts = QuantityField("Volts", "voltage", high=1000)
    ac_w = QuantityField("AC, W", "power", high=1e6)
    dc_w = QuantityField("DC, W", "power", high=1e6)
    peak_w = QuantityField("Peak, W", "power", high=1e6)
    low_w = QuantityField("Low, W", "power", high=1e6)
    ambient_c = TemperatureField("Air, °C", low=-60, high=80)
    cells = CellsField("Each cell’s gravity")
    note = StringField("Note", validators=[_TEXT])

    def __init__(self, rig: Rig, now: datetime, instrument: str, mark: Mark | None = None, **options: Any) -> None:
        self.kept = mark
        known = vars(mark) if mark else {"at": now}
        if mark and mark.run_minutes is not None:
            known = known | {"run_hours": mark.run_minutes / 60}
        if mark and mark.soc is not None:
            known = known | {"soc": (mark.soc, ())}
        super().__init__(rig, now, data=known, **options)
        self.names = MARKS[instrument]
        for name in set(self._fields) - {"at", "note", "csrf_token", *self.names}:
            del self[name]
        for name, words in NAMES.get(instrument, {}).items():
            self[name].label.text = words
        self.names = tuple(name for name in self.names if name in self)

    def validate(self, extra_validators: Any = None) -> bool:
        if not super().validate(extra_validators):
            return False
        if self.names and all(self[name].data in (None, ()) for name in self.names):
            self[self.names[0]].errors = ["Found nothing to keep, expected at least one figure."]
            return False
        return True

    def mark(self) -> Mark:
        """The reading that was typed; untouched, its time keeps its seconds."""
        at: datetime = self.at.data.replace(second=0)  # type: ignore[union-attr]  # validated: there is one
        if self.kept and self.at.typed == self.at.show(self.kept.at):
            at = self.kept.at
        values = {name: self[name].data for name in self.names}
        if "run_hours" in values:
            hours = values.pop("run_hours")
            values["run_minutes"] = None if hours is None else round(hours * 60, 3)
        if values.get("soc") is not None:
            values["soc"] = values["soc"][0]
        if "cells" in values:
            values["cells"] = tuple(values["cells"] or ())
        return Mark(at, **values, reset=bool(self.kept and self.kept.reset),
                    note=" ".join((self.note.data or "").split()))


class ConditionsForm(PlacedForm):
    """What is noted of a run as a whole."""

    subject = StringField("What it is on", validators=[Length(max=80, message="Found more than %(max)d letters.")])
    side = SelectField("Side", choices=[("ac", "AC, behind the inverter"), ("dc", "DC, at the battery")])
    warm = BooleanField("Started warm")
    cut_off = BooleanField("The last reading was at the cut-off")
    read_on = SelectField("The Wh at its sockets read on", choices=[("meter", "a meter of mine"),
                                                                    ("display", "its own display")])
    leave_out_hours = QuantityField("Leave out the first hours", "duration", high=1000)
    conditions = StringField("Settings, what else was on", validators=[_TEXT])

    def __init__(self, rig: Rig, now: datetime, run: Run, **options: Any) -> None:
        super().__init__(rig, now, data=vars(run), **options)
        self._instrument = run.instrument
        used = {"meter": {"subject", "side", "warm"}, "drawdown": {"subject", "side", "warm", "leave_out_hours"},
                "capacity": {"cut_off", "read_on"} if rig.bank.is_station else {"cut_off"}}
        some = {"subject", "side", "warm", "cut_off", "read_on", "leave_out_hours"}
        for name in some - used.get(run.instrument, set()):
            del self[name]

    def validate(self, extra_validators: Any = None) -> bool:
        if not super().validate(extra_validators):
            return False
        if self._instrument == "meter" and not (self.subject.data or "").strip():
            self.subject.errors = ["Found no name, expected what is on the meter, such as Fridge."]
            return False
        return True

    def values(self) -> dict[str, Any]:
        """The fields of a run that were typed."""
        values = {field.short_name: field.data for field in self if field.type != "CSRFTokenField"}
        if "leave_out_hours" in values:
            values["leave_out_hours"] = values["leave_out_hours"] or 0.0
        texts = [name for name in ("subject", "conditions") if name in self]
        return values | {name: " ".join((self[name].data or "").split()) for name in texts}


class LabelForm(PlacedForm):
    """A load by its label, by spot watts, or by a guess."""

    subject = StringField("What is it?")
    side = SelectField("Side", choices=[("ac", "AC, behind the inverter"), ("dc", "DC, at the battery")])
    basis = RadioField("Known by", choices=[("label", "its label"), ("spot", "watts I measured just now"),
                                            ("guess", "a guess")], default="label")
    watts = QuantityField("W, or V x A", "power", high=1e6)
    hours_a_day = QuantityField("Hours on a day", "duration", high=24)
    duty = QuantityField("Of that it really runs, %", "percent")
    standby_w = QuantityField("Else standby, W", "power", high=1e3)
    surge_w = QuantityField("At a start, W", "power", high=1e6)
    yearly_wh = QuantityField("or a year, kWh", "energy", high=1e8, unit="kWh")
    daily_wh = QuantityField("or a day, Wh", "energy", high=1e6)

    def __init__(self, rig: Rig, now: datetime, subject: str = "") -> None:
        known = next((load for load in rig.loads if load.name == subject), None)
        super().__init__(rig, now, data={"subject": subject, "side": known.side if known else "ac"})

    def validate(self, extra_validators: Any = None) -> bool:
        good = super().validate(extra_validators)
        if not (self.subject.data or "").strip() or len(self.subject.data or "") > 80:
            self.subject.errors = ["Found no name of 1 to 80 letters, expected what it is, such as Kettle."]
            return False
        return bool(good)

    def run(self) -> Run:
        """The run that was typed."""
        names = ("side", "basis", "watts", "hours_a_day", "duty", "standby_w", "surge_w", "yearly_wh", "daily_wh")
        given = {name: self[name].data for name in names}
        subject = " ".join(self.subject.data.split())
        known = usual(subject)
        if known and all(given[name] is None for name in names[2:]):
            # A usual thing by its name alone: what such a thing takes, as a guess.
            given |= {"side": known.side, "basis": "guess", "watts": known.watts, "daily_wh": known.daily_wh}
        return Run("label", subject, **given)


class RoundForm(PlacedForm):
    """The meters that one owns, and when the first slot begins."""

    ac_meters = WholeField("Plug-in meters (AC)", low=0, high=20)
    dc_meters = WholeField("Meters for DC", low=0, high=20)
    begin = InstantField("First one on", coming=True)

