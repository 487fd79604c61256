"""One table of the rig's figures and their legal ranges.

The faults of a rig, the schema of its file, the limits of its form and the checks of the database follow from it.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

LONGEST_NAME = 80
MOST_PARTS = 300
"""Of loads, arrays and so on; nobody has more, and a file with more is no rig."""


@dataclass(frozen=True)
class Fault:
    """One thing wrong: where (a path such as `bank.hard_floor`), what was found, what was expected."""

    path: str
    found: str
    expected: str

    def __str__(self) -> str:
        return f"{self.path}: found {self.found}, expected {self.expected}"


class RigFaults(ValueError):
    """Every fault of a rig at once."""

    def __init__(self, faults: list[Fault]):
        self.faults = faults
        super().__init__("; ".join(map(str, faults)))


@dataclass(frozen=True)
class Field:
    """The legal range of a figure, both ends included, and what is expected, in words with the unit.

    blank  whether it may be left out for good (None); whole  whether only whole numbers are legal
    label  as its form calls it, where the form has no words of its own
    """

    low: float
    high: float
    expected: str
    blank: bool = False
    whole: bool = False
    label: str = ""


def _more_than_nothing(unit: str, high: float, low: float = 1.0, blank: bool = True) -> Field:
    return Field(low, high, f"{unit}, {low:g} or more", blank)


_SHARE = Field(0.3, 1, "a share, 0.3 to 1")
_FLOOR = Field(0, 0.99, "a share, 0 to 0.99")
_WHERE = {"latitude": Field(-90, 90, "degrees, −90 (south) to 90 (north)"),
          "longitude": Field(-180, 180, "degrees, −180 (west) to 180 (east)"),
          "elevation_m": Field(-430, 9000, "metres above the sea")}
_CHARGER = {"charge_w": _more_than_nothing("W", 1e6, blank=False)}

FIELDS: dict[str, dict[str, Field]] = {
    "place": _WHERE,
    "bank": {
        "unit_voltage_v": _more_than_nothing("V", 1000),
        "unit_capacity_ah": _more_than_nothing("Ah", 1e6, low=0.1),
        "series": Field(1, 1000, "a whole number, 1 or more", whole=True),
        "parallel": Field(1, 1000, "a whole number, 1 or more", whole=True),
        "rated_energy_wh": _more_than_nothing("Wh", 1e8),
        "tested_energy_wh": _more_than_nothing("Wh", 1e8),
        "logged_energy_wh": _more_than_nothing("Wh", 1e8),
        "pack_wh": _more_than_nothing("Wh", 1e8, blank=False),
        "charge_limit_w": _more_than_nothing("W", 1e6),
        "solar_input_w": _more_than_nothing("W", 1e6),
        "everyday_floor": _FLOOR, "hard_floor": _FLOOR,
        "charge_efficiency": _SHARE,
        "standby_w": Field(0, 1e4, "W, 0 or more")},
    "inverter": {
        "idle_w": Field(0, 1e4, "W, 0 or more"),
        "efficiency": _SHARE,
        "continuous_w": _more_than_nothing("W", 1e6), "surge_w": _more_than_nothing("W", 1e6),
        "hours_on_per_day": Field(0, 24, "hours, 0 to 24")},
    "arrays": {
        "panel_w": _more_than_nothing("W", 1e6, blank=False),
        "panels": Field(1, 10_000, "a whole number, 1 or more", whole=True),
        "tilt_deg": Field(0, 90, "degrees, 0 (level) to 90 (upright)"),
        "azimuth_deg": Field(0, 360, "degrees, 0 = north, 90 = east"),
        "shade_factor": Field(0, 1, "a share from 0 to 1, or twelve of them, January first"),
        "controller_limit_w": _more_than_nothing("W", 1e6),
        "controller_limit_a": _more_than_nothing("A", 1e5, low=0.1),
        "aimed_per_day": Field(0, 12, "times a day, 0 (fixed) to 12", whole=True),
        "hours_out": Field(0.5, 24, "hours a day, 0.5 to 24", blank=True)},
    "vehicles": _CHARGER | {
        "input_v": _more_than_nothing("V", 1000), "input_a": _more_than_nothing("A", 1e4, low=0.1),
        "spare_alternator_w": _more_than_nothing("W", 1e6),
        "converter_efficiency": Field(0.3, 1, "a share, 0.3 to 1", blank=True),
        "cut_off_v": _more_than_nothing("V", 1000)},
    "generators": _CHARGER | {
        "fuel_l_per_hour": Field(0, 1000, "litres an hour, 0 to 1000", blank=True),
        "continuous_w": _more_than_nothing("W", 1e6),
        "fuel_price": Field(0, 1e6, "a price of a litre, 0 or more", blank=True)},
    "mains": _CHARGER,
    "turbines": {"rated_w": Field(1, 1e6, "W, 1 or more", label="Rated for, W")},
    "places": _WHERE | {"shade_factor": Field(0, 1, "a share, 0 to 1")},
    "loads": {
        "daily_wh": Field(0, 1e7, "Wh a day, 0 or more"),
        "running_w": Field(0, 1e6, "W, 0 or more", blank=True),
        "surge_w": Field(0, 1e6, "W, 0 or more", blank=True),
        "every_days": Field(1, 30, "a whole number of days, 1 to 30", whole=True),
        "usual_start": Field(0, 23.99, "a clock hour, 0 to 24", blank=True)},
    "spill_list": {
        "watts": Field(1, 1e6, "W, 1 or more", label="W while it runs"),
        "wh": Field(1, 1e7, "Wh a day, 1 or more", label="Wh a day")},
}
"""The figures of each part, by the names of the rig file."""


def out_of_range(part: object, group: str, path: str) -> Iterator[Fault]:
    """The figures of a part that lie outside their range in `FIELDS[group]`; of a list, each that does."""
    for name, field in FIELDS[group].items():
        value = getattr(part, name)
        if isinstance(value, tuple):
            for n, each in enumerate(value):
                yield from _fault(f"{path}.{name}[{n}]", each, field)
        elif value is not None or not field.blank:
            yield from _fault(f"{path}.{name}", value, field)


def _fault(path: str, value: Any, field: Field) -> Iterator[Fault]:
    if value is None or not math.isfinite(value) or not field.low <= value <= field.high:
        yield Fault(path, "nothing" if value is None else f"{value:g}", field.expected)


def name_faults(path: str, name: object) -> Iterator[Fault]:
    """What is wrong with the name of a rig or a part."""
    if not isinstance(name, str) or not name.strip():
        yield Fault(path, "nothing", "a name")
    elif len(name) > LONGEST_NAME:
        yield Fault(path, f"{len(name)} letters", f"a name of at most {LONGEST_NAME} letters")
    elif any("\ud800" <= letter <= "\udfff" or letter < " " for letter in name):
        yield Fault(path, repr(name), "a name in letters that can be written to a file")
