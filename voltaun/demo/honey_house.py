"""The honey house: a beekeeper's homestead on a made-up ridge, its rig and 75 days of its log.

A small hourly simulation with known truth (`TRUTH`) produces what the people there would have written
down, with their gaps and habits, so that tests can check what the log is made to say.
"""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

import numpy as np

from voltaun.core.instants import day_start, local_day, resolve
from voltaun.core.log.reading import Reading
from voltaun.core.rig.loads import seasonal_wh
from voltaun.core.rig.parts import Bank, Engine, Generator, Inverter, Load, Place, SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun

DAYS = 75
SEED = 7

RIG = Rig(
    name="Honey house",
    place=Place(-42.02, 147.21, "Australia/Hobart", 310),
    bank=Bank("lfp", 12.8, 200, 2, 2, everyday_floor=0.20, hard_floor=0.10, charge_efficiency=0.95, standby_w=2.0),
    inverter=Inverter(18, 0.91, 2000, 4000, 24),
    use_side="dc",
    soc_from="shunt",
    arrays=(SolarArray("Shed roof", 330, 6, 30, 0, 0.95),),
    vehicles=(Engine("Ute", 320),),
    generators=(Generator("Petrol set", 900, 0.7),),
    loads=(
        Load("Chest freezer", 620, "ac", 90, 600, "essential", "always", evidence="metered"),
        Load("Honey-warming cabinet", 1450, "ac", 250, 250, "wanted", ("window", 8, 20, 10),
             months=(12, 1, 2, 3, 4), evidence="metered"),
        Load("Extractor", 740, "ac", 370, 900, "wanted", ("window", 9, 17, 2), months=(2,), evidence="label"),
        Load("Bore pump", 312, "ac", 750, 2400, "essential", ("window", 9, 16, 0.42), evidence="label"),
        Load("Laptop and router", 380, "dc", 28, None, "wanted", "always", evidence="metered"),
        Load("Lights", 160, "dc", 40, None, "essential", ("hours", 18, 22), evidence="label"),
        Load("Electric fence", 110, "dc", 5, None, "essential", "always", evidence="label"),
        Load("Phones", 35, "dc", 10, None, "spare", ("hours", 19, 23), evidence="guess"),
    ),
)


@dataclass(frozen=True)
class Truth:
    """What the simulation really did, for tests: energies Wh, powers W."""

    energy_wh: float = 0.92 * 10_240  # 8 % less than the shunt believes
    set_energy_wh: float = 10_240
    hidden_w: float = 14.0            # a solenoid nobody remembers
    charge_efficiency: float = 0.95
    standby_w: float = 2.0
    use_wh_per_day: float = 2050.0    # all year; beside it what the cabinet and the extractor take in their months


TRUTH = Truth()

# Days before the last: the wet spell, the week without solar figures, the days nobody looked, the one
# reading at breakfast, drives to town, and sunny days at the hives.
_WET = range(33, 38)
_NO_SOLAR = range(50, 57)
_MISSED = (21, 62)
_BREAKFAST = 15
_THIS_MORNING = -1
_LOOKS = (7, 10, 13, 16)
_DRIVES = {4: 1.5, 12: 2.0, 19: 1.25, 26: 1.5, 43: 2.0, 58: 1.0, 69: 1.5}
_LATELY = {4: "clear", 3: "mixed", 2: "overcast", 1: "overcast", 0: "overcast", _THIS_MORNING: "overcast"}
_SET_ON = (36, 34)
_DULL, _OPENS_AT, _OVERCAST = (2, 1, 0), 0.45, (0.04, 0.32)
"""The last dull days, the level that they lead to where an overcast sky can, and what such a sky leaves."""

_NOTES = {36: "Wet again. Set on after tea.", 34: "Set on for the freezer.", 26: "Town for jars.",
          10: "First super off.", 2: "Drizzle since noon."}
_DONE = {12: ("panels_wiped",), 41: ("terminals",), 35: ("oil_changed",)}
_SHARES = {"clear": (0.74, 0.04), "mixed": (0.46, 0.08), "overcast": (0.21, 0.05), "storm": (0.07, 0.02)}
_FOLLOWS = {"clear": (0.46, 0.38, 0.16), "mixed": (0.24, 0.44, 0.32), "overcast": (0.14, 0.44, 0.42)}
_HOURLY = np.array([.6, .6, .6, .6, .6, .7, .9, 1, 1.3, 1.5, 1.5, 1.4, 1.3, 1.3, 1.3, 1.3, 1.2, 1.1, 1.4, 1.5, 1.3,
                    1, .8, .7])


def log(now: datetime, sun: RigSun, seed: int = SEED) -> list[Reading]:
    """The log of the last 75 days: one reading an evening, up to now, and of today the level of this morning, and the
    latest one that was looked at since, so that it opens on a level that is a few hours old at the most.

    now  an instant with a zone; sun  the clear-sky harvest of `RIG`
    """
    rng = np.random.default_rng(seed)
    last = local_day(now, RIG.zone)
    evenings = _evenings(rng, last)
    if evenings[last] > now:
        last -= timedelta(days=1)
    days = [last - timedelta(days=back) for back in range(DAYS, -1, -1)]
    bank = _Simulation(rng, sun, start=day_start(days[0], RIG.zone))
    readings = []
    for day in days:
        back = (last - day).days
        at = evenings.get(day) or _clock(day, 19, 30)
        if back == _BREAKFAST:
            at = _clock(day, 7, 25)
        bank.run_to(at, back)
        if back not in _MISSED:
            readings.append(bank.read(at, back))
    looks = [at for hour in _LOOKS if (at := _clock(last + timedelta(days=1), hour, 10)) <= now]
    for at in dict.fromkeys((*looks[:1], *looks[-1:])):
        bank.run_to(at, _THIS_MORNING)
        readings.append(bank.glance(at))
    return readings


def usual_wh(month: int) -> float:
    """What is used on a day of a month, in truth, Wh."""
    return TRUTH.use_wh_per_day + seasonal_wh(RIG)[month - 1]


def _evenings(rng: np.random.Generator, last: date) -> dict[date, datetime]:
    minutes = np.clip(rng.normal(80, 40, DAYS + 2), 0, 190).round(-1).astype(int)
    return {last - timedelta(days=n): _clock(last - timedelta(days=n), 18 + int(m) // 60, int(m) % 60)
            for n, m in enumerate(minutes)}


def _clock(day: date, hour: int, minute: int) -> datetime:
    return resolve(datetime.combine(day, time(hour, minute)), RIG.zone)[0]


class _Simulation:
    """The bank, its shunt and its meters, moved on by steps of at most half an hour."""

    def __init__(self, rng: np.random.Generator, sun: RigSun, start: datetime) -> None:
        self.rng, self.sun, self.at = rng, sun, start
        self.stored = 0.72 * TRUTH.energy_wh
        self.shown = 0.72
        self.sky, self.share, self.day_use = "mixed", 0.5, TRUTH.use_wh_per_day
        self.day: date | None = None
        self.meters = dict.fromkeys(("solar", "vehicle", "generator", "use"), 0.0)
        self.generator_hours, self.set_runs = 0.0, 0.0
        self.full_at: datetime | None = None
        self.was_full = False

    def run_to(self, end: datetime, back: int) -> None:
        while self.at < end:
            step = min(timedelta(minutes=30), end - self.at)
            self._new_day(local_day(self.at, RIG.zone), back)
            self._step(self.at, self.at + step, step / timedelta(hours=1), back)
            self.at += step

    def _new_day(self, day: date, back: int) -> None:
        if day == self.day:
            return
        self.day = day
        if back in _WET:
            self.sky = "storm" if back == 35 else "overcast"
        elif back in _LATELY:
            self.sky = _LATELY[back]
        else:
            chances = _FOLLOWS.get(self.sky, (0.3, 0.5, 0.2))
            self.sky = str(self.rng.choice(("clear", "mixed", "overcast"), p=chances))
        middle, spread = _SHARES[self.sky]
        self.share = max(0.02, self.rng.normal(middle, spread)) * (0.8 if back in _WET else 1.0)
        self.day_use = usual_wh(day.month) * max(0.5, self.rng.normal(1, 0.11))
        if back in _DULL:  # whatever the season, the answers matter on the morning after these
            begin = day_start(day, RIG.zone)
            clear = self.sun.between(begin, begin + timedelta(days=1))
            falls = (self.stored / TRUTH.energy_wh - _OPENS_AT) * TRUTH.energy_wh / (back + 1)
            self.share = float(np.clip((self.day_use + 24 * TRUTH.hidden_w - falls) / clear, *_OVERCAST))

    def _step(self, start: datetime, end: datetime, hours: float, back: int) -> None:
        local = start.astimezone(RIG.zone)
        sun = self.sun.between(start, end) * min(1.05, max(0.0, self.share * self.rng.normal(1, 0.12)))
        use = self.day_use * _HOURLY[local.hour] / _HOURLY.sum() * hours
        drive = _DRIVES.get(back, 0.0)
        ute = RIG.vehicles[0].charge_w * hours if drive and 10 <= local.hour < 10 + drive else 0.0
        wet = back in _SET_ON and not self.generator_hours
        if (wet or self.shown < 0.22) and self.set_runs == 0 and 17 <= local.hour < 21:
            self.set_runs = 2.5 if wet else 5.0
        petrol = 0.0
        if self.set_runs > 0:
            petrol, self.set_runs = RIG.generators[0].charge_w * hours, max(0.0, self.set_runs - hours)
            self.generator_hours += hours
        self._balance(end, sun, ute, petrol, use, hours)

    def _balance(self, end: datetime, sun: float, ute: float, petrol: float, use: float, hours: float) -> None:
        drain = use + (TRUTH.hidden_w + TRUTH.standby_w) * hours
        net = sun + ute + petrol - drain
        if net > 0:
            soc = self.stored / TRUTH.energy_wh
            takes = 0.5 * TRUTH.set_energy_wh * min(1.0, max(0.02, 1 - 0.98 * (soc - 0.95) / 0.05)) * hours
            taken = min(net, takes, (TRUTH.energy_wh - self.stored) / TRUTH.charge_efficiency)
            sun = max(0.0, sun - (net - taken))  # the controller holds back what the bank does not take
            change = taken * TRUTH.charge_efficiency
        else:
            change = max(net, -self.stored)
        self.stored += change
        self.shown = min(1.0, max(0.0, self.shown + change / TRUTH.set_energy_wh))
        full = self.stored > 0.995 * TRUTH.energy_wh
        if full:
            self.shown = 1.0  # the shunt sees the charge end and calls it full
            if not self.was_full:
                self.full_at = self.full_at or end
        self.was_full = full
        for name, wh in (("solar", sun), ("vehicle", ute), ("generator", petrol), ("use", use)):
            self.meters[name] += wh

    def glance(self, at: datetime) -> Reading:
        """The level alone, with the meters left to run on."""
        return Reading(at=at, soc=float(round(self.shown, 2)))

    def read(self, at: datetime, back: int) -> Reading:
        """What was written down, and the meters set back to zero."""
        noise = {name: 1 + self.rng.normal(0, 0.01) for name in self.meters}
        read = {name: float(round(wh * noise[name])) for name, wh in self.meters.items()}
        skip_use = self.rng.random() < 0.15 and back not in _NO_SOLAR
        reading = Reading(
            at=at, soc=float(round(self.shown, 2)),
            solar_wh=None if back in _NO_SOLAR else read["solar"],
            vehicle_hours=_DRIVES.get(back),
            generator_wh=read["generator"] or None,
            generator_hours=round(self.generator_hours, 2) or None,
            use_wh=None if skip_use else read["use"],
            sky=None if back == _BREAKFAST else self.sky,
            full_at=self.full_at,
            temp_c=float(round(self.rng.normal(16, 2))) if back % 3 == 0 else None,
            note=_NOTES.get(back, ""), events=_DONE.get(back, ()))
        self.meters = dict.fromkeys(self.meters, 0.0)
        self.generator_hours, self.full_at = 0.0, None
        return reading
