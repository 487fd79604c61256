"""First run: three questions, each of which can be answered with "I don't know yet"."""

from flask_wtf import FlaskForm
from wtforms import BooleanField, RadioField, SelectField, StringField

from voltaun.core.rig.fields import Fault, RigFaults
from voltaun.core.rig.parts import CHEMISTRIES, Bank, Engine, Generator, Mains, Place, SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.pages.fields import QuantityField, WholeField
from voltaun.pages.start.places import zones

STAND_IN_BANK = Bank("lfp", 12.8, 100)
GREENWICH = (51.5, 0.0)


class StartForm(FlaskForm):
    """Where, what bank, what fills it."""

    name = StringField("What do you call it?", default="My place")
    timezone = SelectField("Time zone")
    latitude = QuantityField("Latitude, °", "number", low=-90, high=90)
    longitude = QuantityField("Longitude, °", "number", low=-180, high=180)
    bank = RadioField("What bank?", choices=[("units", "Batteries"), ("station", "An all-in-one station"),
                                             ("unknown", "I don't know yet")], default="units")
    chemistry = SelectField("Chemistry", choices=[(key, known.name) for key, known in CHEMISTRIES.items()])
    unit_voltage_v = QuantityField("One battery, V", "voltage", low=1)
    unit_capacity_ah = QuantityField("One battery, Ah", "charge", low=0.1)
    series = WholeField("In series", default=1)
    parallel = WholeField("Strings in parallel", default=1)
    rated_energy_wh = QuantityField("The station's Wh", "energy", low=1)
    sources_unknown = BooleanField("I don't know yet")
    solar_w = QuantityField("Sun: all panels together, W", "power")
    vehicle_w = QuantityField("Engine on the road, W into the bank", "power")
    generator_w = QuantityField("Generator, W into the bank", "power")
    mains_w = QuantityField("Mains, W into the bank", "power")

    def __init__(self, **options):
        super().__init__(**options)
        self.timezone.choices = [("", "I don't know yet"), *((name, name.replace("_", " ")) for name in zones())]

    def rig(self) -> Rig:
        """The rig that the answers make; RigFaults with every fault. What is not known gets a stand-in."""
        untold = []
        latitude, longitude = self.latitude.data, self.longitude.data
        if (latitude is None) != (longitude is None):
            missing = "latitude" if latitude is None else "longitude"
            raise RigFaults([Fault(f"place.{missing}", "nothing", "both of latitude and longitude, or neither")])
        if latitude is None:
            # The zone's own town stands in until the place is told.
            latitude, longitude = zones().get(self.timezone.data, GREENWICH)
            untold.append("place")
        place = Place(latitude, longitude, self.timezone.data or "Etc/UTC")
        if self.bank.data == "unknown":
            bank = STAND_IN_BANK
            untold.append("bank")
        elif self.bank.data == "station":
            if self.rated_energy_wh.data is None:
                raise RigFaults([Fault("rated_energy_wh", "nothing", "the station's energy, such as 2 kWh")])
            bank = Bank(self.chemistry.data, rated_energy_wh=self.rated_energy_wh.data)
        else:
            bank = Bank(self.chemistry.data, self.unit_voltage_v.data, self.unit_capacity_ah.data,
                        self.series.data or 1, self.parallel.data or 1)
        filled = [bool(self[f"{source}_w"].data) for source in ("solar", "vehicle", "generator", "mains")]
        if self.sources_unknown.data or not any(filled):
            untold.append("sources")
        return Rig((self.name.data or "").strip(), place, bank, not_yet_told=tuple(untold),
                   arrays=self._array(latitude),
                   vehicles=(Engine("Engine", self.vehicle_w.data),) if self.vehicle_w.data else (),
                   generators=(Generator("Generator", self.generator_w.data),) if self.generator_w.data else (),
                   mains=(Mains("Mains", self.mains_w.data),) if self.mains_w.data else ())

    def _array(self, latitude: float) -> tuple[SolarArray, ...]:
        """All panels as one array that faces the equator, tilted as the latitude suggests."""
        if not self.solar_w.data:
            return ()
        tilt = float(min(45, max(10, round(abs(latitude) * 0.8))))
        return (SolarArray("Panels", self.solar_w.data, 1, tilt, 180.0 if latitude >= 0 else 0.0),)
