"""The rig as a form: every figure of the rig file, each in the field's own terms."""

import re
from datetime import date

from flask_wtf import FlaskForm
from wtforms import BooleanField, Form, HiddenField, RadioField, SelectField, StringField
from wtforms.fields import FieldList, FormField

from voltaun.core.rig.fields import FIELDS, Fault
from voltaun.core.rig.parts import CHEMISTRIES, EVIDENCE, PRIORITIES, SOC_FROM
from voltaun.core.rig.rig import Rig
from voltaun.core.units import KINDS, QuantityError, parse
from voltaun.formats.rig_file import rig_document
from voltaun.pages.fields import QuantityField, TypedField


class ShadeField(TypedField):
    """A shade factor: one share, or twelve of them, January first."""

    def read(self, text):
        legal = FIELDS["arrays"]["shade_factor"]
        shares = [parse(part, "number", low=legal.low, high=legal.high) for part in text.replace(";", " ").split()]
        if len(shares) not in (1, 12):
            raise QuantityError(f"{len(shares)} numbers", "one share from 0 to 1, or twelve, January first", "0.95")
        return shares[0] if len(shares) == 1 else shares

    def show(self, value):
        return " ".join(f"{share:g}" for share in (value if isinstance(value, list) else [value])) if value else ""


class EnergiesField(TypedField):
    """Some energies, such as `1000 1000` or `1 kWh; 2 kWh`."""

    def read(self, text):
        parts = text.split(";") if ";" in text else text.split() if text.replace(" ", "").isdigit() else [text]
        legal = FIELDS["bank"]["pack_wh"]
        return [parse(part, "energy", low=legal.low, high=legal.high) for part in parts]

    def show(self, value):
        return "; ".join(f"{wh:g}" for wh in value) if value else ""


class DayField(TypedField):
    """A day, `2026-10-02`."""

    def read(self, text):
        try:
            return date.fromisoformat(text).isoformat()
        except ValueError as error:
            raise QuantityError(repr(text), "a day", "2026-10-02") from error


class PatternField(TypedField):
    """When a load runs: `always`, `18-23`, or `2 h in 9-16`."""

    _HOURS = r"(\d{1,2}(?:\.\d+)?) ?[-–] ?(\d{1,2}(?:\.\d+)?)"

    def read(self, text):
        text = text.lower().strip()
        if text == "always":
            return "always"
        if match := re.fullmatch(self._HOURS, text):
            return {"hours": [float(match[1]), float(match[2])]}
        if match := re.fullmatch(r"(.+?) (?:within|in) " + self._HOURS, text):
            return {"window": [float(match[2]), float(match[3])], "run_hours": parse(match[1], "duration", low=0.01)}
        raise QuantityError(repr(text), "when it runs", "always, 18-23 or 2 h in 9-16")

    def show(self, value):
        if value is None or value == "always":
            return value or ""
        if "hours" in value:
            return "{:g}-{:g}".format(*value["hours"])
        return "{:g} h in {:g}-{:g}".format(value["run_hours"], *value["window"])


class MonthsField(TypedField):
    """The months a load is used: `all`, or their numbers: `12 1 2`, `5-9`."""

    def read(self, text):
        if text.lower() == "all":
            return list(range(1, 13))
        months = []
        for part in text.replace(",", " ").split():
            match = re.fullmatch(r"(\d{1,2})(?:[-–](\d{1,2}))?", part)
            ends = [int(end) for end in match.groups() if end] if match else [0]
            if not all(1 <= end <= 12 for end in ends):
                raise QuantityError(repr(text), "months from 1 to 12", "all, 12 1 2 or 5-9")
            # From October to March goes round the new year.
            months += [(ends[0] - 1 + n) % 12 + 1 for n in range((ends[-1] - ends[0]) % 12 + 1)]
        return list(dict.fromkeys(months))

    def show(self, value):
        if value is None:
            return ""
        return "all" if len(value) == 12 else " ".join(map(str, value))


class FigureField(QuantityField):
    """A figure of the rig, such as `bank.standby_w`, within the range that the table of fields has for it."""

    def __init__(self, label, path, kind, **options):
        group, name = path.split(".")
        self.legal = FIELDS[group][name]
        super().__init__(label, kind, low=None, **options)

    def read(self, text):
        value = super().read(text)
        if not self.legal.low <= value <= self.legal.high or self.legal.whole and value != int(value):
            raise QuantityError(repr(text), self.expected(), KINDS[self.kind].example)
        return int(value) if self.legal.whole else value

    def expected(self) -> str:
        """What is legal, in words, in the unit of the field."""
        if self.kind == "percent":
            return f"{self.legal.low * 100:g} to {self.legal.high * 100:g} %"
        return self.legal.expected


class PlaceForm(Form):
    latitude = FigureField("Latitude, °", "place.latitude", "number")
    longitude = FigureField("Longitude, °", "place.longitude", "number")
    elevation_m = FigureField("Height above the sea, m", "place.elevation_m", "number")
    timezone = StringField("Time zone")


class BankForm(Form):
    chemistry = SelectField("Chemistry", choices=[(key, known.name) for key, known in CHEMISTRIES.items()])
    kind = RadioField("The bank is", choices=[("units", "made of batteries"), ("station", "an all-in-one station")])
    unit_voltage_v = FigureField("One battery, V", "bank.unit_voltage_v", "voltage")
    unit_capacity_ah = FigureField("One battery, Ah", "bank.unit_capacity_ah", "charge")
    series = FigureField("In series", "bank.series", "number")
    parallel = FigureField("Strings in parallel", "bank.parallel", "number")
    rated_energy_wh = FigureField("The station's Wh", "bank.rated_energy_wh", "energy")
    pack_wh = EnergiesField("Its expansion packs, Wh")
    tested_energy_wh = FigureField("Tested, Wh", "bank.tested_energy_wh", "energy")
    logged_energy_wh = FigureField("By the log, Wh", "bank.logged_energy_wh", "energy")
    charge_limit_w = FigureField("Charges at most, W", "bank.charge_limit_w", "power")
    solar_input_w = FigureField("Input for panels, W", "bank.solar_input_w", "power")
    everyday_floor = FigureField("Everyday floor, %", "bank.everyday_floor", "percent")
    hard_floor = FigureField("Hard floor, %", "bank.hard_floor", "percent")
    charge_efficiency = FigureField("Charge efficiency, %", "bank.charge_efficiency", "percent")
    standby_w = FigureField("Standby, W", "bank.standby_w", "power")


class InverterForm(Form):
    there = BooleanField("There is an inverter")
    idle_w = FigureField("Idle, W", "inverter.idle_w", "power")
    efficiency = FigureField("Efficiency, %", "inverter.efficiency", "percent")
    continuous_w = FigureField("Continuous, W", "inverter.continuous_w", "power")
    surge_w = FigureField("Surge, W", "inverter.surge_w", "power")
    hours_on_per_day = FigureField("On, hours a day", "inverter.hours_on_per_day", "duration")


class ArrayForm(Form):
    name = StringField("Array")
    panel_w = FigureField("One panel, W", "arrays.panel_w", "power")
    panels = FigureField("Panels", "arrays.panels", "number")
    tilt_deg = FigureField("Tilt, °", "arrays.tilt_deg", "number")
    azimuth_deg = FigureField("Facing, °", "arrays.azimuth_deg", "number")
    shade_factor = ShadeField("Shade")
    controller_limit_w = FigureField("Passes, W", "arrays.controller_limit_w", "power")
    controller_limit_a = FigureField("or A", "arrays.controller_limit_a", "current")
    aimed_per_day = FigureField("Aimed a day", "arrays.aimed_per_day", "number")
    hours_out = FigureField("Hours out", "arrays.hours_out", "duration")


class ChargerForm(Form):
    name = StringField("Name")
    charge_w = FigureField("Into the bank, W", "mains.charge_w", "power")


class EngineForm(ChargerForm):
    input_v = FigureField("Input, V", "vehicles.input_v", "voltage")
    input_a = FigureField("Input, A", "vehicles.input_a", "current")
    spare_alternator_w = FigureField("Alternator spares, W", "vehicles.spare_alternator_w", "power")
    converter_efficiency = FigureField("Converter, %", "vehicles.converter_efficiency", "percent")
    cut_off_v = FigureField("Stops below, V", "vehicles.cut_off_v", "voltage")


class GeneratorForm(ChargerForm):
    continuous_w = FigureField("Gives for long, W", "generators.continuous_w", "power")
    fuel_l_per_hour = FigureField("Litres an hour", "generators.fuel_l_per_hour", "number")
    fuel_price = FigureField("Litre costs", "generators.fuel_price", "number")


class MainsForm(ChargerForm):
    carried = BooleanField("Carried there")


class StayForm(Form):
    name = StringField("Place")
    from_day = DayField("From")
    latitude = FigureField("Latitude, °", "places.latitude", "number")
    longitude = FigureField("Longitude, °", "places.longitude", "number")
    elevation_m = FigureField("Height, m", "places.elevation_m", "number")
    shade_factor = FigureField("Shade factor", "places.shade_factor", "number")


class LoadForm(Form):
    name = StringField("Load")
    daily_wh = FigureField("Wh a day", "loads.daily_wh", "energy")
    side = SelectField("Side", choices=[("ac", "AC"), ("dc", "DC")])
    running_w = FigureField("On, W", "loads.running_w", "power")
    surge_w = FigureField("Start, W", "loads.surge_w", "power")
    priority = SelectField("Priority", choices=[(word, word) for word in PRIORITIES], default="wanted")
    pattern = PatternField("Runs")
    evidence = SelectField("Known by", choices=[(word, word) for word in EVIDENCE], default="guess")
    months = MonthsField("Months")


_USE_SIDES = [("dc", "at the battery (DC)"), ("ac", "behind the inverter (AC)")]
_SOC_FROM = list(zip(SOC_FROM, ("a shunt that counts", "a built-in display", "volts at rest"), strict=True))


class PlacePart(PlaceForm):
    """The place by itself, with the rig's name."""

    name = StringField("Name of the rig")


class BankPart(BankForm):
    """The bank by itself, with where its percent comes from."""

    soc_from = RadioField("The percent comes from", choices=_SOC_FROM)


class InverterPart(InverterForm):
    """The inverter by itself, with the side that use is measured on."""

    use_side = RadioField("Use is measured", choices=_USE_SIDES)


GROUPS = {"arrays": ArrayForm, "vehicles": EngineForm, "generators": GeneratorForm, "mains": MainsForm,
          "places": StayForm, "loads": LoadForm}


class RigForm(FlaskForm):
    """The whole rig. Each list ends with a blank row; a row without a name is left out."""

    version = HiddenField()
    name = StringField("Name of the rig")
    place = FormField(PlaceForm)
    bank = FormField(BankForm)
    inverter = FormField(InverterForm)
    use_side = RadioField("Use is measured", choices=_USE_SIDES)
    soc_from = RadioField("The percent comes from", choices=_SOC_FROM)
    arrays = FieldList(FormField(ArrayForm))
    vehicles = FieldList(FormField(EngineForm))
    generators = FieldList(FormField(GeneratorForm))
    mains = FieldList(FormField(MainsForm))
    places = FieldList(FormField(StayForm))
    loads = FieldList(FormField(LoadForm))

    @classmethod
    def of(cls, rig: Rig, version: int, read_sent: bool = True) -> "RigForm":
        """The form filled with a rig; what was sent comes before, unless it is another form's."""
        document = rig_document(rig)
        document["version"] = version
        document["bank"]["kind"] = "station" if rig.bank.is_station else "units"
        document["inverter"] = {"there": rig.inverter is not None} | (document["inverter"] or {})
        form = cls(data=document) if read_sent else cls(formdata=None, data=document)
        form.kept_rows = {group: len(document[group]) for group in GROUPS}
        if not (read_sent and form.is_submitted()):
            for group in GROUPS:
                form[group].append_entry()
        return form

    def validate(self, extra_validators=None):
        """A kept row goes when its name is cleared; a new one that has figures and no name is asked for it."""
        good = super().validate(extra_validators)
        for group, kept in self.kept_rows.items():
            for row in self[group].entries[kept:]:
                if not (row["name"].data or "").strip() and any(getattr(field, "typed", "") for field in row):
                    row["name"].errors = ["Found figures and no name, expected a name."]
                    good = False
        return good

    def document(self) -> dict:
        """What was typed as the document of a rig file."""
        bank = _filled(self.bank)
        kind = bank.pop("kind", "units")
        for name in ("unit_voltage_v", "unit_capacity_ah") if kind == "station" else ("rated_energy_wh", "pack_wh"):
            bank.pop(name, None)
        inverter = _filled(self.inverter)
        made = {"voltaun_rig": 1, "name": (self.name.data or "").strip(), "place": _filled(self.place), "bank": bank,
                "inverter": inverter if inverter.pop("there", False) else None,
                "use_side": self.use_side.data, "soc_from": self.soc_from.data}
        for group in GROUPS:
            made[group] = [_filled(row) for row in self[group] if (row["name"].data or "").strip()]
        return made

    def show_faults(self, faults: list[Fault]) -> list[str]:
        """Put each fault beside its field; what belongs to no field is given back."""
        rest = []
        for fault in faults:
            field = self._at(fault.path)
            words = f"Found {fault.found}, expected {fault.expected}."
            if field is None or isinstance(field, (FormField, FieldList)):
                rest.append(f"{fault.path}: {words}")
            else:
                field.errors = [*field.errors, words]
        return rest

    def _at(self, path: str):
        field = self
        for part in re.findall(r"\w+", path):
            if part.isdigit():
                # Counted in the document, where rows without a name are left out.
                named = [row for row in field if (row["name"].data or "").strip()]
                field = named[int(part)] if int(part) < len(named) else None
            else:
                field = field[part] if field is not None and part in getattr(field, "form", field) else None
            if field is None:
                return None
        return field


def _filled(form) -> dict:
    """The fields that hold something, with numbers that are whole where they came so."""
    return {field.short_name: field.data for field in form
            if field.data not in (None, "") and field.type != "CSRFTokenField"}


