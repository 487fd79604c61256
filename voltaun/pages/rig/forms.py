"""The parts of the rig as forms: every figure of the rig file, each in the field's own terms."""

import re
from typing import Any

from wtforms import BooleanField, Form, RadioField, SelectField, StringField

from voltaun.core.rig.fields import FIELDS
from voltaun.core.rig.parts import CHEMISTRIES, EVIDENCE, PRIORITIES, SOC_FROM, WEEKDAYS
from voltaun.core.rig.sources import STEADY
from voltaun.core.units import KINDS, QuantityError, parse
from voltaun.core.written import facing, leaning
from voltaun.pages.days import day_from
from voltaun.pages.fields import DegreesField, QuantityField, TypedField
from voltaun.words import house_units


class ShadeField(TypedField):
    """A shade factor: one share, or twelve of them, January first."""

    def read(self, text: str) -> float | list[float]:
        legal = FIELDS["arrays"]["shade_factor"]
        shares = [parse(part, "number", low=legal.low, high=legal.high) for part in text.replace(";", " ").split()]
        if len(shares) not in (1, 12):
            raise QuantityError(f"{len(shares)} numbers", "one share from 0 to 1, or twelve, January first", "0.95")
        return shares[0] if len(shares) == 1 else shares

    def show(self, value: Any) -> str:
        return " ".join(f"{share:g}" for share in (value if isinstance(value, list) else [value])) if value else ""


class EnergiesField(TypedField):
    """Some energies, such as `1000 1000` or `1 kWh; 2 kWh`."""

    def read(self, text: str) -> list[float]:
        parts = text.split(";") if ";" in text else text.split() if text.replace(" ", "").isdigit() else [text]
        legal = FIELDS["bank"]["pack_wh"]
        return [parse(part, "energy", low=legal.low, high=legal.high) for part in parts]

    def show(self, value: Any) -> str:
        return "; ".join(f"{wh:g}" for wh in value) if value else ""


class DayField(TypedField):
    """A day as people write it, `2 Oct 2026`, as the rig file has it."""

    def read(self, text: str) -> str:
        return day_from(text).isoformat()


class PatternField(TypedField):
    """When a load runs: `always`, `18-23`, or `2 h in 9-16`."""

    _HOURS = r"(\d{1,2}(?:\.\d+)?) ?[-–] ?(\d{1,2}(?:\.\d+)?)"

    def read(self, text: str) -> dict[str, list[float] | float] | str:
        text = text.lower().strip()
        if text == "always":
            return "always"
        if match := re.fullmatch(self._HOURS, text):
            return {"hours": [float(match[1]), float(match[2])]}
        if match := re.fullmatch(r"(.+?) (?:within|in) " + self._HOURS, text):
            return {"window": [float(match[2]), float(match[3])], "run_hours": parse(match[1], "duration", low=0.01)}
        raise QuantityError(repr(text), "when it runs", "always, 18-23 or 2 h in 9-16")

    def show(self, value: Any) -> str:
        if value is None or value == "always":
            return value or ""
        if "hours" in value:
            return "{:g}-{:g}".format(*value["hours"])
        return "{:g} h in {:g}-{:g}".format(value["run_hours"], *value["window"])


class MonthsField(TypedField):
    """The months a load is used: `all`, or their numbers: `12 1 2`, `5-9`."""

    def read(self, text: str) -> list[int]:
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

    def show(self, value: Any) -> str:
        if value is None:
            return ""
        return "all" if len(value) == 12 else " ".join(map(str, value))


class WeekdaysField(TypedField):
    """The weekdays on which a load runs: `Mon Fri`; none for any."""

    def read(self, text: str) -> list[str]:
        found = [word[:3] for word in text.lower().replace(",", " ").split()]
        if not set(found) <= set(WEEKDAYS):
            raise QuantityError(repr(text), "days of the week", "Mon Fri")
        return [day for day in WEEKDAYS if day in found]

    def show(self, value: Any) -> str:
        return " ".join(day.capitalize() for day in value or ())


class FigureField(QuantityField):
    """A figure of the rig, such as `bank.standby_w`, within the range that the table of fields has for it."""

    def __init__(self, label: str, path: str, kind: str, **options: Any) -> None:
        group, name = path.split(".")
        self.legal = FIELDS[group][name]
        super().__init__(label, kind, low=None, **options)

    def read(self, text: str) -> float:
        value = super().read(text)
        if not self.legal.low <= value <= self.legal.high or self.legal.whole and value != int(value):
            raise QuantityError(repr(text), self.expected(), KINDS[self.kind].example)
        return int(value) if self.legal.whole else value

    def expected(self) -> str:
        """What is legal, in words, in the unit of the field."""
        if self.kind == "percent":
            return f"{self.legal.low * 100:g} to {self.legal.high * 100:g} %"
        return self.legal.expected


class FuelField(FigureField):
    """Fuel in the unit of the house, or with `inverse` something for each of it."""

    def __init__(self, label: str, path: str, inverse: bool = False, **options: Any) -> None:
        super().__init__(label.replace("Litre", house_units.fuel_word(one=True).capitalize()), path, "number",
                         **options)
        self._each = house_units.in_fuel(1.0) if inverse else house_units.from_fuel(1.0)

    def read(self, text: str) -> float:
        value = float(f"{parse(text, 'number') * self._each:.5g}")
        if not self.legal.low <= value <= self.legal.high:
            raise QuantityError(repr(text), self.expected(), "0.7")
        return value

    def show(self, value: Any) -> str:
        if value is None:
            return ""
        shown = (f"{value / self._each:.{digits}g}" for digits in range(3, 9))  # as few as bring the figure back
        return next((text for text in shown if float(f"{float(text) * self._each:.5g}") == value),
                    f"{value / self._each:.10g}")

    def expected(self) -> str:
        """What is legal, in the unit of the house."""
        return f"{self.legal.low / self._each:.3g} to {self.legal.high / self._each:.3g}"


class HeightField(FigureField):
    """A height above the sea in the unit of the house: m, or feet."""

    def __init__(self, label: str, path: str, **options: Any) -> None:
        super().__init__(label.replace(", m", f", {house_units.length_unit()}"), path, "number", **options)

    def read(self, text: str) -> float:
        if not house_units.customary():
            return super().read(text)
        value = round(house_units.from_length(parse(text, "number")), 1)
        if not self.legal.low <= value <= self.legal.high:
            raise QuantityError(repr(text), f"{house_units.in_length(self.legal.low):.0f} to "
                                            f"{house_units.in_length(self.legal.high):.0f} ft", "1000")
        return value

    def show(self, value: Any) -> str:
        return super().show(value) if value is None or not house_units.customary() else (
            f"{house_units.in_length(value):.0f}")


class PlacedFigure(DegreesField, FigureField):
    """A latitude or longitude of the rig."""


class FacingField(FigureField):
    """Where panels face: degrees, `north`, `NE`, `south-west`."""

    def read(self, text: str) -> float:
        found = facing(text)
        return super().read(text.replace("°", "")) if found is None else found


class LeaningField(FigureField):
    """How panels lean: degrees from level, `flat`, `upright`, `1 in 3`."""

    def read(self, text: str) -> float:
        found = leaning(text)
        return super().read(text.replace("°", "")) if found is None else found


class PlaceForm(Form):
    latitude = PlacedFigure("Latitude, °", "place.latitude", "number")
    longitude = PlacedFigure("Longitude, °", "place.longitude", "number")
    elevation_m = HeightField("Height above the sea, m", "place.elevation_m")
    timezone = StringField("Time zone")


class BankForm(Form):
    chemistry = SelectField("Chemistry", choices=[(key, known.name) for key, known in CHEMISTRIES.items()])
    kind = RadioField("The bank is", choices=[("units", "made of batteries"), ("station", "an all-in-one station")])
    unit_voltage_v = FigureField("One battery, V", "bank.unit_voltage_v", "voltage")
    unit_capacity_ah = FigureField("One battery, Ah", "bank.unit_capacity_ah", "charge")
    series = FigureField("In series", "bank.series", "number")
    parallel = FigureField("Strings in parallel", "bank.parallel", "number")
    rated_energy_wh = FigureField("The station’s Wh", "bank.rated_energy_wh", "energy")
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
    tilt_deg = LeaningField("Tilt, °", "arrays.tilt_deg", "number")
    azimuth_deg = FacingField("Facing, °", "arrays.azimuth_deg", "number")
    shade_factor = ShadeField("Shade")
    controller_limit_w = FigureField("Controller, W", "arrays.controller_limit_w", "power")
    controller_limit_a = FigureField("Controller, A", "arrays.controller_limit_a", "current")
    aimed_per_day = FigureField("Aimed by hand, times a day", "arrays.aimed_per_day", "number")
    hours_out = FigureField("Stands out, hours a day", "arrays.hours_out", "duration")


class ChargerForm(Form):
    name = StringField("Name")
    charge_w = FigureField("Into the bank, W", "mains.charge_w", "power")


USUAL_INPUT_V = 12.0
"""Those of a starter battery, where an input is told in W alone."""


class InputField(FigureField):
    """What an input lets through, in A, or in W, which `EngineForm` turns into A at the volts beside it."""

    watts: float | None = None

    def read(self, text: str) -> float | None:  # type: ignore[override] # None until the volts are known
        try:
            return super().read(text)
        except QuantityError:
            if "w" not in text.lower():
                raise
            self.watts = parse(text, "power", low=1, high=1e5)
            return None


class EngineForm(ChargerForm):
    input_v = FigureField("Input, V", "vehicles.input_v", "voltage")
    input_a = InputField("Input, A or W", "vehicles.input_a", "current")
    spare_alternator_w = FigureField("Alternator spares, W", "vehicles.spare_alternator_w", "power")
    converter_efficiency = FigureField("Converter, %", "vehicles.converter_efficiency", "percent")
    cut_off_v = FigureField("Stops below, V", "vehicles.cut_off_v", "voltage")

    def validate(self, extra_validators: Any = None) -> bool:
        watts = self.input_a.watts
        if watts is not None:
            self.input_v.data = self.input_v.data or USUAL_INPUT_V
            self.input_a.data = round(watts / self.input_v.data, 2)
        return bool(super().validate(extra_validators))


class GeneratorForm(ChargerForm):
    continuous_w = FigureField("Gives for long, W", "generators.continuous_w", "power")
    fuel_l_per_hour = FuelField("Litres an hour", "generators.fuel_l_per_hour")
    fuel_price = FuelField("Litre costs", "generators.fuel_price", inverse=True)


class MainsForm(ChargerForm):
    carried = BooleanField("Carried there")


class StayForm(Form):
    name = StringField("Place")
    from_day = DayField("From")
    latitude = PlacedFigure("Latitude, °", "places.latitude", "number")
    longitude = PlacedFigure("Longitude, °", "places.longitude", "number")
    elevation_m = HeightField("Height, m", "places.elevation_m")
    shade_factor = FigureField("Shade factor", "places.shade_factor", "number")


class LoadForm(Form):
    name = StringField("Load")
    daily_wh = FigureField("Wh a day", "loads.daily_wh", "energy")
    side = SelectField("Side", choices=[("ac", "AC"), ("dc", "DC")])
    running_w = FigureField("While on, W", "loads.running_w", "power")
    surge_w = FigureField("At start, W", "loads.surge_w", "power")
    priority = SelectField("Priority", choices=[(word, word) for word in PRIORITIES], default="wanted")
    pattern = PatternField("Runs", render_kw={"placeholder": "always"})
    evidence = SelectField("Known by", choices=[(word, word) for word in EVIDENCE], default="guess")
    months = MonthsField("Months")
    every_days = FigureField("Every so many days", "loads.every_days", "number")
    usual_start = FigureField("Usually from, o’clock", "loads.usual_start", "number")
    weekdays = WeekdaysField("Only on weekdays")
    in_sun = BooleanField("Only with sun to spare")


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


def _plain_form(group: str) -> type[Form]:
    """The form of a source of which nothing but its few figures is asked."""
    fields = {name: FigureField(of.label, f"{group}.{name}", "energy" if name.endswith("wh") else "power")
              for name, of in FIELDS[group].items()}
    return type(group.capitalize(), (Form,), {"name": StringField("Name")} | fields)


GROUPS = {group: _plain_form(group) for group in (*(source.group for source in STEADY), "spill_list")} | {
    "arrays": ArrayForm, "vehicles": EngineForm, "generators": GeneratorForm, "mains": MainsForm,
          "places": StayForm, "loads": LoadForm}
