"""The form of one reading, used on Today and Log."""

from flask import g
from wtforms import StringField
from wtforms.validators import Length

from voltaun.core.instants import clock_before
from voltaun.core.learned.doubts import Doubt
from voltaun.core.log.ledger import Reading
from voltaun.core.rig.parts import SKIES
from voltaun.core.rig.rig import Rig
from voltaun.pages.fields import ChoiceField, ClockField, InstantField, LevelField, PlacedForm, QuantityField, RunField

_FIELD_OF_SOURCE = {"solar": "solar_wh", "vehicle": "vehicle", "generator": "generator", "mains": "mains_wh"}


class ReadingForm(PlacedForm):
    """A reading as it is typed; energies since the reading before."""

    at = InstantField("When")
    soc = LevelField("Level")
    solar_wh = QuantityField("Sun", "energy", high=1e7)
    vehicle = RunField("Engine")
    generator = RunField("Generator")
    mains_wh = QuantityField("Mains", "energy", high=1e7)
    use_wh = QuantityField("Used", "energy", high=1e7)
    sky = ChoiceField("Sky", [("", "not noted"), *((word, word) for word in SKIES)])
    full_at = ClockField("Full at")
    volts = QuantityField("Volts", "voltage", high=1000)
    temp_c = QuantityField("Bank, °C", "number", low=-60, high=80)
    note = StringField("Note", validators=[Length(max=2000, message="Found more than %(max)d letters.")])

    def __init__(self, rig: Rig, now, reading: Reading | None = None, prefix: str = ""):
        """Fit the form to the rig (only its sources are asked for), filled with what was sent, else a reading."""
        self._kept = reading
        super().__init__(rig, now, data=_shown(reading, now, rig.zone), prefix=prefix)
        for source, name in _FIELD_OF_SOURCE.items():
            if not rig.has(source) and self[name].data is None:
                del self[name]

    def validate(self, extra_validators=None):
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
        return {"vehicle_hours": "vehicle", "generator_hours": "generator"}.get(doubt.name, doubt.name)

    @property
    def mark(self) -> str:
        """What `sure` must say to keep the figures that are asked about: those and no others."""
        return "; ".join(f"{doubt.name} {doubt.value:.6g}" for doubt in self.doubts)

    def filled(self) -> bool:
        """Whether anything but the time was typed."""
        return any((field.data not in (None, "") or getattr(field, "typed", "")) for name, field in self._fields.items()
                   if name not in ("at", "csrf_token"))

    def reading(self) -> Reading:
        """The reading that was typed."""
        values = {name: self[name].data for name in ("solar_wh", "mains_wh", "use_wh", "sky", "volts", "temp_c")
                  if name in self}
        values["soc"], values["pack_socs"] = self.soc.data or (None, ())
        for source in ("vehicle", "generator"):
            if source in self and self[source].data is not None:
                values[f"{source}_wh"], values[f"{source}_hours"] = self[source].data
        shown = _shown(self._kept, self._now, self._rig.zone)
        at = self.at.data
        if self._kept and self.at.typed == self.at.show(self._kept.at):
            at = self._kept.at  # the field shows no seconds, and untouched it takes none away
        if self._kept and self._kept.full_at and self.full_at.data == shown["full_at"] and self._kept.full_at <= at:
            full_at = self._kept.full_at  # likewise its day, which may be some days before the reading's
        else:
            full_at = self.full_at.data and clock_before(self.full_at.data, at, self._rig.zone)
        if self._kept:
            values |= {"answer": self._kept.answer, "at_bank": self._kept.at_bank}
        return Reading(at, full_at=full_at, note=" ".join((self.note.data or "").split()), **values)


def _shown(reading: Reading | None, now, zone) -> dict:
    if reading is None:
        clock = g.get("clock")
        return {} if clock and clock.dead else {"at": now}  # a wrong clock hints at nothing
    shown = {name: getattr(reading, name)
             for name in ("at", "solar_wh", "mains_wh", "use_wh", "sky", "volts", "temp_c", "note")}
    shown["soc"] = None if reading.soc is None else (reading.soc, reading.pack_socs)
    shown["full_at"] = reading.full_at and f"{reading.full_at.astimezone(zone):%H:%M}"
    for source in ("vehicle", "generator"):
        run = getattr(reading, f"{source}_wh"), getattr(reading, f"{source}_hours")
        shown[source] = None if run == (None, None) else run
    return shown
