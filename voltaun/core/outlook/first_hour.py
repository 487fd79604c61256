"""What can be said before a log tells anything: Wh above the floor, what the sun brings here, how long usual things
run, and what the last hours took, however short they were."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from voltaun.core.instants import day_start, hours_between
from voltaun.core.log.reading import Reading
from voltaun.core.rig.bank import effective_energy, usable_energy
from voltaun.core.rig.inverter import idle_energy
from voltaun.core.rig.loads import load_dc_wh
from voltaun.core.rig.parts import Load
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.usual import USUAL
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import STARTUP_SHARES

SHOWN = ("Fridge box", "Lights, LED", "Laptop", "Fan heater")
"""Usual things that stand for a list of loads while there is none."""


GONE_BY = 24.0
"""A level read longer ago than this, h, says nothing of now while nobody knows what is used."""


@dataclass(frozen=True)
class Taken:
    """What the hours between two readings of the level took: fractions, and Wh a day at the battery."""

    hours: float
    ended_hours: float  # so many hours ago
    from_soc: float
    to_soc: float
    daily_wh: float

    @property
    def share_a_day(self) -> float:
        """Of the bank, a day."""
        return (self.from_soc - self.to_soc) / self.hours * 24


@dataclass(frozen=True)
class Lasts:
    """How long one thing alone lasts, h: as it is usually used, and while it runs (None where its W are not stated)."""

    name: str
    usual_h: float
    running_h: float | None


@dataclass(frozen=True)
class FirstHour:
    """What is known of a rig whose log is young; energies Wh.

    full_wh, now_wh  above the everyday floor, from full and from the last level read (None without one, or where it is
             too old to stand for now)
    soc, age_hours  that level, and how long ago it was read; None without one
    sun_wh  of a clear and of a dull day of this month at the battery; None without arrays
    runs    how long each thing lasts on what there is now (else on a full bank); own  whether these are its own loads
    """

    full_wh: float
    soc: float | None
    age_hours: float | None
    now_wh: float | None
    sun_wh: tuple[float, float] | None
    taken: Taken | None
    runs: tuple[Lasts, ...]
    own: bool


def first_hour(rig: Rig, readings: Sequence[Reading], sun: RigSun | None, today: date, now: datetime) -> FirstHour:
    """What can be said already. Usual things are run through the inverter with its idle where they are on its side."""
    floor = rig.bank.everyday_floor
    levels = [(of.at, of.soc) for of in readings if of.soc is not None and of.at <= now]
    soc = levels[-1][1] if levels else None
    age = hours_between(levels[-1][0], now) if levels else None
    full = usable_energy(rig, floor)
    there = full if soc is None or age is None or age > GONE_BY else usable_energy(rig, floor, soc)
    start = day_start(today, rig.zone)
    clear = None if sun is None else sun.between(start, start + timedelta(days=1))
    listed = [load for load in rig.loads if load.daily_wh > 0] or [of.load() for of in USUAL if of.name in SHOWN]
    idle = idle_energy(rig.inverter, 24) if rig.inverter else 0.0
    beside = {"ac": idle + 24 * rig.bank.standby_w, "dc": 24 * rig.bank.standby_w}
    runs = [_lasts(rig, load, there, beside[load.side]) for load in listed]
    return FirstHour(full, soc, age, None if age is None or age > GONE_BY else there,
                     None if clear is None else (clear * STARTUP_SHARES["clear"], clear * STARTUP_SHARES["overcast"]),
                     _taken(rig, readings, now), tuple(sorted(runs, key=lambda of: -of.usual_h)), bool(rig.loads))


def _lasts(rig: Rig, load: Load, there: float, beside_wh: float) -> Lasts:
    """One thing alone on so many Wh, with what the inverter and standby take a day beside it, Wh."""
    through = rig.inverter.efficiency if rig.inverter and load.side == "ac" else 1.0
    running = there / (load.running_w / through + beside_wh / 24) if load.running_w else None
    return Lasts(load.name, there / (load_dc_wh(rig, load) + beside_wh) * 24, running)


def _taken(rig: Rig, readings: Sequence[Reading], now: datetime) -> Taken | None:
    """Between the last two readings of the level, where it fell and that is not left out."""
    read = [of for of in readings if of.soc is not None and of.at <= now][-2:]
    if len(read) < 2 or read[1].answer == "reset":
        return None
    (before, high), (after, low) = ((of.at, of.soc or 0.0) for of in read)
    hours = hours_between(before, after)
    if hours <= 0 or low >= high:
        return None
    return Taken(hours, hours_between(after, now), high, low, (high - low) * effective_energy(rig).wh / hours * 24)
