"""The orchard trailer: it goes to the orchards at pollination, and is read twice a day for 18 days in October.

A small simulation with known truth (`TRUTH`), as for the honey house; on the sixth day the element of the
water heater was found on.
"""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

import numpy as np

from voltaun.core.instants import day_start, local_day, resolve
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Bank, Engine, Inverter, Load, Mains, Place, SolarArray, Stay
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun

DAYS = 18
SEED = 3
HOME = Place(-42.02, 147.21, "Australia/Hobart", 310)


@dataclass(frozen=True)
class Truth:
    """What the simulation really does: energies Wh, powers W."""

    energy_wh: float = 2640.0
    charge_efficiency: float = 0.85
    standby_w: float = 1.0
    fridge_w: float = 16.0
    use_wh_per_day: float = 690.0
    element_w: float = 95.0
    element_hours: float = 11.0


TRUTH = Truth()

_SHARES = {"clear": (0.72, 0.05), "mixed": (0.48, 0.08), "overcast": (0.22, 0.05)}
_DRIVES = {0: 2.0, 6: 1.5, 9: 1.75, 14: 1.0}
_NOTES = {0: "To the cherries.", 5: "Water heater's element was on all night!", 9: "Moved to the apples.",
          12: "Bees loud at noon."}
_HOURLY = np.array([.7] * 6 + [.9, 1.1, 1.0, .9, .9, .9, .9, .9, .9, .9, 1.0, 1.2, 1.6, 1.9, 1.8, 1.5, 1.0, .8])


def october(now: datetime) -> date:
    """The third of the last October that was over at this instant."""
    today = now.date()
    return date(today.year if today >= date(today.year, 10, 25) else today.year - 1, 10, 3)


def rig(now: datetime) -> Rig:
    """The trailer with the places that it stood at in the last October before an instant."""
    first = october(now)
    return Rig(
        name="Orchard trailer", place=HOME,
        bank=Bank("agm", 12, 110, 1, 2, standby_w=TRUTH.standby_w),
        inverter=Inverter(6, 0.88, 600, 1200, 4), use_side="dc", soc_from="shunt",
        arrays=(SolarArray("Folding panels", 120, 2, aimed_per_day=2, hours_out=8),),
        vehicles=(Engine("Tow vehicle", 480, input_v=13.2, input_a=30, spare_alternator_w=500, cut_off_v=12.4),),
        mains=(Mains("Socket at home", 180, carried=True),),
        loads=(
            Load("Fridge box", 520, "dc", 45, 90, "essential", "always", evidence="label"),
            Load("Fan", 90, "dc", 15, None, "spare", ("hours", 13, 19), months=(10, 11, 12, 1, 2, 3), evidence="label"),
            Load("Lights", 60, "dc", 15, None, "essential", ("hours", 19, 23), evidence="label"),
            Load("Water pump", 25, "dc", 60, 120, "essential", ("window", 7, 20, 0.4), evidence="label"),
            Load("Phone", 20, "dc", 10, None, "wanted", ("hours", 20, 22), evidence="guess"),
            Load("Laptop", 110, "ac", 45, 65, "wanted", ("hours", 19, 22), evidence="spot"),
        ),
        places=(Stay(first, "Cherry orchard", -42.71, 147.05, 60, 0.90),
                Stay(first + timedelta(days=9), "Apple orchard", -43.03, 147.02, 40, 0.75)))


def log(now: datetime, sun: RigSun, seed: int = SEED) -> list[Reading]:
    """The log of those 18 days: a reading each morning and evening.

    sun  the clear-sky harvest of `rig(now)`
    """
    rng = np.random.default_rng(seed)
    of, first = rig(now), october(now)
    at, level = day_start(first, of.zone) + timedelta(hours=8), 0.93 * TRUTH.energy_wh
    readings = [Reading(at, soc=0.93, note=_NOTES[0])]
    skies = [str(rng.choice(tuple(_SHARES), p=(0.35, 0.4, 0.25))) for _ in range(DAYS)]
    shares = [max(0.05, rng.normal(*_SHARES[sky])) for sky in skies]
    for n in range(DAYS):
        for evening in (False, True):
            if not n and not evening:
                continue
            until = _clock(first + timedelta(days=n), 19 if evening else 7, int(rng.integers(0, 55)), of)
            solar = wheel = 0.0
            full_at = None
            while at < until:
                step = min(timedelta(minutes=30), until - at)
                hours = step / timedelta(hours=1)
                day = (local_day(at, of.zone) - first).days
                got = sun.between(at, at + step) * shares[min(day, DAYS - 1)] * max(0.0, rng.normal(1, 0.1))
                drive = of.vehicles[0].gives_w * hours if _driving(at, day, of) else 0.0
                level, got = _step(level, got, drive, _use(at, day, of) * hours, hours)
                full_at = full_at or (at + step if level > 0.995 * TRUTH.energy_wh else None)
                solar, wheel, at = solar + got, wheel + (hours if drive else 0.0), at + step
            readings.append(Reading(
                until, soc=round(level / TRUTH.energy_wh, 2), volts=round(11.9 + level / TRUTH.energy_wh, 1),
                solar_wh=float(round(solar * (1 + rng.normal(0, 0.01)))), vehicle_hours=round(wheel, 2) or None,
                sky=skies[n] if evening else None, full_at=full_at, note="" if evening else _NOTES.get(n, "")))
    return readings


def _clock(day: date, hour: int, minute: int, of: Rig) -> datetime:
    return resolve(datetime.combine(day, time(hour, minute)), of.zone)[0]


def _driving(at: datetime, day: int, of: Rig) -> bool:
    hour = at.astimezone(of.zone)
    return bool(10 <= hour.hour + hour.minute / 60 < 10 + _DRIVES.get(day, 0.0))


def _use(at: datetime, day: int, of: Rig) -> float:
    """W at this moment: the usual use by the hour, and the element that nobody switched off."""
    hour = at.astimezone(of.zone).hour
    usual = TRUTH.use_wh_per_day * _HOURLY[hour] / _HOURLY.sum()
    forgotten = (day == 4 and hour >= 20) or (day == 5 and hour < 20 + TRUTH.element_hours - 24)
    return float(usual) + (TRUTH.element_w if forgotten else 0.0)


def _step(level: float, got: float, drive: float, use: float, hours: float) -> tuple[float, float]:
    """The bank's energy after a step, and the sun that it took."""
    net = got + drive - use - TRUTH.standby_w * hours
    if net <= 0:
        return max(0.0, level + net), got
    soc = level / TRUTH.energy_wh
    takes = 0.25 * TRUTH.energy_wh * min(1.0, max(0.02, 1 - 0.98 * (soc - 0.80) / 0.20)) * hours
    taken = min(net, takes, (TRUTH.energy_wh - level) / TRUTH.charge_efficiency)
    return level + taken * TRUTH.charge_efficiency, max(0.0, got - (net - taken))
