"""First run: three questions, each of which can be answered with "I don't know yet"."""

import re
from dataclasses import replace
from typing import Any

from flask_wtf import FlaskForm
from wtforms import BooleanField, RadioField, SelectField, StringField

from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.fields import Fault, RigFaults
from voltaun.core.rig.odd import odd_figures
from voltaun.core.rig.parts import CHEMISTRIES, PART_CLASSES, Bank, Place, SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCE_TABLE, SOURCES, STEADY
from voltaun.core.units import QuantityError
from voltaun.core.written import label
from voltaun.pages.fields import DegreesField, QuantityField, TypedField, WholeField
from voltaun.pages.start.places import zone_of, zones
from voltaun.words.reasons import say

STANDBY_SHARE = 0.002
"""Nobody's monitor on a small bank takes more W than this share of its Wh, until the standby is told."""


class PanelsField(QuantityField):
    """Panels as (how many, W of one): `4 panels of 225 W`, `4 x 225 W`, or `900 W` of one."""

    def read(self, text: str) -> tuple[int, float]:
        found = re.fullmatch(r"(\d{1,3})\s*(?:panels?\s*(?:of|,)?|x|×|\*)\s*(.+)", text.strip().lower())
        return (int(found[1]), super().read(found[2])) if found and int(found[1]) else (1, super().read(text))

    def show(self, value: Any) -> str:
        return "" if value is None else f"{value[0]} x {value[1]:g} W"


class ZoneField(TypedField):
    """A time zone, by its name or its town: `hobart`."""

    def read(self, text: str) -> str:
        zone = zone_of(text)
        if not zone:
            raise QuantityError(repr(text[:60]), "a town of the list", "Hobart or Australia/Hobart")
        return zone


class LabelField(TypedField):
    """A bank as its labels say: `8 batteries of 6 V 350 Ah, in strings of 4`, `4S2P 3.2 V 280 Ah`, `1.024 kWh`."""

    def read(self, text: str) -> dict[str, Any]:
        return label(text)


STAND_IN_BANK = Bank("lfp", 12.8, 100)
GREENWICH = (51.5, 0.0)


class StartForm(FlaskForm):
    """Where, what bank, what fills it."""

    name = StringField("What do you call it?", default="My place")
    timezone = ZoneField("Time zone")
    latitude = DegreesField("Latitude, °", "number", low=-90, high=90)
    longitude = DegreesField("Longitude, °", "number", low=-180, high=180)
    bank = RadioField("What bank?", choices=[("units", "Batteries"), ("station", "An all-in-one station"),
                                             ("unknown", "I don’t know yet")], default="units")
    chemistry = SelectField("Chemistry", choices=[(key, known.name) for key, known in CHEMISTRIES.items()])
    label = LabelField("As the labels say")
    unit_voltage_v = QuantityField("or one battery, V", "voltage", low=1)
    unit_capacity_ah = QuantityField("One battery, Ah", "charge", low=0.1)
    series = WholeField("In series", default=1)
    parallel = WholeField("Strings in parallel", default=1)
    rated_energy_wh = QuantityField("The station’s Wh", "energy", low=1)
    sources_unknown = BooleanField("I don’t know yet")
    solar_w = PanelsField("Sun: panels and their W", "power")

    def __init__(self, **options: Any) -> None:
        super().__init__(**options)
        self.steady = [self[f"{source.name}_w"] for source in STEADY]
        self.zones = list(zones())
        self.odd = ""  # what `sure` must say to keep figures that are hardly meant: those and no others

    def hardly_meant(self, made: Rig, sure: str) -> bool:
        """Whether a figure of the rig is hardly meant and nobody said yet that it is: each is told beside its field."""
        asked = {}
        for path, why in odd_figures(made, zones().get(made.place.timezone)):
            name = path[-1]
            if path[0] == "bank" and self.label.data:
                name = "label"
            elif name == "panel_w" and made.arrays[0].panels > 1:  # of one it is the sum of all of them
                name = "solar_w"
            elif name == "charge_w":
                name = next(f"{source.name}_w" for source in SOURCE_TABLE if source.group == path[0])
            if name in self:
                asked[name] = why
        self.odd = "; ".join(f"{name} {why.code}" for name, why in sorted(asked.items()))
        if not asked or sure == self.odd:
            return False
        for name, why in asked.items():
            self[name].errors = [*self[name].errors, say(why)]
        return True

    def rig(self) -> Rig:
        """The rig that the answers make; RigFaults with every fault. What is not known gets a stand-in."""
        untold = []
        latitude, longitude = self.latitude.data, self.longitude.data
        if (latitude is None) != (longitude is None):
            missing = "latitude" if latitude is None else "longitude"
            raise RigFaults([Fault(f"place.{missing}", "nothing", "both of latitude and longitude, or neither")])
        if latitude is None:
            # The zone's own town stands in until the place is told.
            latitude, longitude = zones().get(self.timezone.data or "", GREENWICH)
            untold.append("place")
        assert longitude is not None  # one without the other was refused
        place = Place(latitude, longitude, self.timezone.data or "Etc/UTC")
        bank = self._bank()
        if bank is None:
            bank = STAND_IN_BANK
            untold.append("bank")
        filled = [bool(self[f"{source}_w"].data) for source in SOURCES]
        if self.sources_unknown.data or not any(filled):
            untold.append("sources")
        steady: dict[str, Any] = {
            of.group: (PART_CLASSES[of.group](of.word.capitalize(), self[f"{of.name}_w"].data),)
            for of in STEADY if self[f"{of.name}_w"].data}
        return Rig((self.name.data or "").strip(), place, bank, not_yet_told=tuple(untold),
                   arrays=self._array(latitude), **steady)

    def _bank(self) -> Bank | None:
        """The bank that was told, by its labels or figure by figure; None where nothing was."""
        told: dict[str, Any] = {"unit_voltage_v": self.unit_voltage_v.data,
                                "unit_capacity_ah": self.unit_capacity_ah.data}
        if self.bank.data == "unknown":
            return None
        if self.bank.data == "station":  # what was typed of batteries before is out of sight
            told = {}
        if self.label.data:
            bank = Bank(**{"chemistry": self.chemistry.data} | self.label.data)
        elif self.rated_energy_wh.data is not None and not any(told.values()):
            bank = Bank(self.chemistry.data, rated_energy_wh=self.rated_energy_wh.data)
        elif any(told.values()):
            bank = Bank(self.chemistry.data, **told, series=self.series.data or 1, parallel=self.parallel.data or 1)
        elif self.bank.data == "station":
            raise RigFaults([Fault("rated_energy_wh", "nothing", "the station's energy, such as 2 kWh")])
        else:
            return None
        return replace(bank, standby_w=min(bank.standby_w, round(STANDBY_SHARE * rated_energy(bank), 2)))

    def _array(self, latitude: float) -> tuple[SolarArray, ...]:
        """All panels as one array that faces the equator, tilted as the latitude suggests."""
        if not self.solar_w.data:
            return ()
        tilt = float(min(45, max(10, round(abs(latitude) * 0.8))))
        panels, watts = self.solar_w.data
        return (SolarArray("Panels", watts, panels, tilt, 180.0 if latitude >= 0 else 0.0),)


for _of in STEADY:
    setattr(StartForm, f"{_of.name}_w", QuantityField(_of.rating, "power"))
