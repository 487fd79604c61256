"""The rig: what stands at the place, as frozen dataclasses with the names of the rig file.

A `Rig` that exists is a legal one: making one with a zero-sized bank, crossed floors or a latitude of 95
raises `RigFaults`, which lists every fault by its path.
"""

import math
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from zoneinfo import ZoneInfo

from voltaun.core import instants

SOURCES = ("solar", "vehicle", "generator", "mains")
SKIES = ("clear", "mixed", "overcast", "storm")
SOC_FROM = ("shunt", "display", "volts")
PRIORITIES = ("essential", "wanted", "spare")
EVIDENCE = ("metered", "spot", "trial", "label", "guess")

CONVERTER_EFFICIENCY = 0.90
GENERATOR_SHARE = 0.8
"""A generator is run at no more than this share of its continuous W."""

LONGEST_NAME = 80
MOST_PARTS = 300
"""Of loads, arrays and so on; nobody has more, and a file with more is no rig."""

HOURS_OUT = 8.0
"""How long a portable array stands out in a day, unless told."""


@dataclass(frozen=True)
class Chemistry:
    """Starting figures of a battery chemistry (docs/reckoning.md, the bank); the log replaces them."""

    name: str
    lithium: bool
    everyday_floor: float
    hard_floor: float
    charge_efficiency: float
    charge_limit: float  # A per Ah of capacity, the same number as W per Wh
    taper_soc: float     # above this state of charge the bank takes less and less


CHEMISTRIES = {
    "lfp": Chemistry("LFP (lithium iron phosphate)", True, 0.20, 0.10, 0.95, 0.5, 0.95),
    "nmc": Chemistry("NMC (other lithium-ion)", True, 0.20, 0.10, 0.93, 0.5, 0.90),
    "agm": Chemistry("AGM lead-acid", False, 0.50, 0.20, 0.85, 0.25, 0.80),
    "gel": Chemistry("gel lead-acid", False, 0.50, 0.30, 0.85, 0.15, 0.80),
    "flooded": Chemistry("flooded lead-acid", False, 0.50, 0.20, 0.80, 0.13, 0.80),
}


@dataclass(frozen=True)
class Fault:
    """One thing wrong: where (a path such as `bank.hard_floor`), what was found, what was expected."""

    path: str
    found: str
    expected: str

    def __str__(self):
        return f"{self.path}: found {self.found}, expected {self.expected}"


class RigFaults(ValueError):
    """Every fault of a rig at once."""

    def __init__(self, faults: list[Fault]):
        self.faults = faults
        super().__init__("; ".join(map(str, faults)))


@dataclass(frozen=True)
class Place:
    """Where the rig stands: degrees north and east, metres above the sea, IANA zone."""

    latitude: float
    longitude: float
    timezone: str
    elevation_m: float = 0.0

    def faults(self, path):
        yield from _within(path, "latitude", self.latitude, -90, 90, "degrees, −90 (south) to 90 (north)")
        yield from _within(path, "longitude", self.longitude, -180, 180, "degrees, −180 (west) to 180 (east)")
        yield from _within(path, "elevation_m", self.elevation_m, -430, 9000, "metres above the sea")
        try:
            instants.zone(self.timezone)
        except ValueError:
            yield Fault(f"{path}.timezone", repr(self.timezone), "a time zone such as Australia/Hobart")


@dataclass(frozen=True)
class Stay:
    """Where a rig that moves stood from a local day on; the shade there comes on top of each array's own."""

    from_day: date
    name: str
    latitude: float
    longitude: float
    elevation_m: float = 0.0
    shade_factor: float = 1.0

    def faults(self, path):
        yield from _within(path, "latitude", self.latitude, -90, 90, "degrees, −90 (south) to 90 (north)")
        yield from _within(path, "longitude", self.longitude, -180, 180, "degrees, −180 (west) to 180 (east)")
        yield from _within(path, "elevation_m", self.elevation_m, -430, 9000, "metres above the sea")
        yield from _within(path, "shade_factor", self.shade_factor, 0, 1, "a share, 0 to 1")
        if not 1970 <= self.from_day.year < 2200:
            yield Fault(f"{path}.from_day", self.from_day.isoformat(), "a day from 1970 to 2199")


@dataclass(frozen=True)
class Bank:
    """The batteries: units of V and Ah in series and parallel, or one all-in-one station in Wh.

    tested_energy_wh is what a capacity test found, logged_energy_wh what the log showed and was applied.
    pack_wh are a station's expansion packs; charge_limit_w is what the maker lets in at most, and
    solar_input_w what a station takes from panels.
    """

    chemistry: str = "lfp"
    unit_voltage_v: float | None = None
    unit_capacity_ah: float | None = None
    series: int = 1
    parallel: int = 1
    rated_energy_wh: float | None = None
    tested_energy_wh: float | None = None
    logged_energy_wh: float | None = None
    everyday_floor: float | None = None
    hard_floor: float | None = None
    charge_efficiency: float | None = None
    standby_w: float = 2.0
    pack_wh: tuple[float, ...] = ()
    charge_limit_w: float | None = None
    solar_input_w: float | None = None

    def __post_init__(self):
        known = CHEMISTRIES.get(self.chemistry)
        for name in ("everyday_floor", "hard_floor", "charge_efficiency"):
            if getattr(self, name) is None and known:
                object.__setattr__(self, name, getattr(known, name))

    @property
    def is_station(self) -> bool:
        """Whether the bank is given straight in Wh."""
        return self.rated_energy_wh is not None

    @property
    def packs(self) -> tuple[float, ...]:
        """What each pack that may show a percent of its own weighs: a station and its packs, or the strings."""
        return (self.rated_energy_wh, *self.pack_wh) if self.is_station else (1.0,) * self.parallel

    def faults(self, path):
        if self.chemistry not in CHEMISTRIES:
            yield Fault(f"{path}.chemistry", repr(self.chemistry), "one of " + ", ".join(CHEMISTRIES))
            return
        if self.is_station:
            yield from _within(path, "rated_energy_wh", self.rated_energy_wh, 1, 1e8, "Wh, more than 0")
        elif self.unit_voltage_v is None and self.unit_capacity_ah is None:
            yield Fault(path, "no size", "the V and Ah of one battery, or the Wh of a station")
        else:
            yield from _within(path, "unit_capacity_ah", self.unit_capacity_ah, 0.1, 1e6, "Ah, more than 0")
            yield from _within(path, "unit_voltage_v", self.unit_voltage_v, 1, 1000, "V, 1 or more")
        if self.is_station and self.unit_voltage_v is not None:
            yield from _within(path, "unit_voltage_v", self.unit_voltage_v, 1, 1000, "V, 1 or more")
        for name in ("series", "parallel"):
            yield from _within(path, name, getattr(self, name), 1, 1000, "a whole number, 1 or more")
        yield from _limits(self, path, {"tested_energy_wh": (1, 1e8, "Wh, more than 0"),
                                        "logged_energy_wh": (1, 1e8, "Wh, more than 0")})
        for n, wh in enumerate(self.pack_wh):
            yield from _within(path, f"pack_wh[{n}]", wh, 1, 1e8, "Wh, more than 0")
        if self.pack_wh and not self.is_station:
            yield Fault(f"{path}.pack_wh", f"{len(self.pack_wh)} packs", "none: only a station has expansion packs")
        yield from _limits(self, path, {"charge_limit_w": (1, 1e6, "W, more than 0"),
                                        "solar_input_w": (1, 1e6, "W, more than 0")})
        yield from _within(path, "charge_efficiency", self.charge_efficiency, 0.3, 1, "a share, 0.3 to 1")
        yield from _within(path, "standby_w", self.standby_w, 0, 1e4, "W, 0 or more")
        floors = list(_within(path, "everyday_floor", self.everyday_floor, 0, 0.99, "a share, 0 to 0.99"))
        floors += _within(path, "hard_floor", self.hard_floor, 0, 0.99, "a share, 0 to 0.99")
        yield from floors
        if not floors and self.hard_floor > self.everyday_floor:
            yield Fault(f"{path}.hard_floor", f"{self.hard_floor:g}",
                        f"at most the everyday floor, {self.everyday_floor:g}")


@dataclass(frozen=True)
class Inverter:
    """What it takes with nothing on, what share gets through, and its limits in W."""

    idle_w: float | None = None
    efficiency: float = 0.90
    continuous_w: float | None = None
    surge_w: float | None = None
    hours_on_per_day: float = 24.0

    def __post_init__(self):
        if self.idle_w is None:
            object.__setattr__(self, "idle_w", max(5.0, 0.01 * (self.continuous_w or 0)))

    def faults(self, path):
        yield from _within(path, "idle_w", self.idle_w, 0, 1e4, "W, 0 or more")
        yield from _within(path, "efficiency", self.efficiency, 0.3, 1, "a share, 0.3 to 1")
        yield from _within(path, "hours_on_per_day", self.hours_on_per_day, 0, 24, "hours, 0 to 24")
        yield from _limits(self, path, {"continuous_w": (1, 1e6, "W, more than 0"),
                                        "surge_w": (1, 1e6, "W, more than 0")})


@dataclass(frozen=True)
class SolarArray:
    """Panels on one plane: tilt from level, azimuth with 0 = north and 90 = east, both in degrees.

    A portable array is aimed at the sun by hand so many times a day (0: it is fixed) in the hours it
    stands out, with noon in their middle; its tilt and azimuth then do not count.
    """

    name: str
    panel_w: float
    panels: int = 1
    tilt_deg: float = 30.0
    azimuth_deg: float = 0.0
    shade_factor: float | tuple[float, ...] = 1.0
    controller_limit_w: float | None = None
    controller_limit_a: float | None = None
    aimed_per_day: int = 0
    hours_out: float | None = None

    @property
    def rated_w(self) -> float:
        """Rated power of the array, W."""
        return self.panel_w * self.panels

    @property
    def shade_by_month(self) -> tuple[float, ...]:
        """The shade factor of each month, January first."""
        if isinstance(self.shade_factor, tuple):
            return self.shade_factor
        return (self.shade_factor,) * 12

    def faults(self, path):
        yield from _within(path, "panel_w", self.panel_w, 1, 1e6, "W, more than 0")
        yield from _within(path, "panels", self.panels, 1, 10_000, "a whole number, 1 or more")
        yield from _within(path, "tilt_deg", self.tilt_deg, 0, 90, "degrees, 0 (level) to 90 (upright)")
        yield from _within(path, "azimuth_deg", self.azimuth_deg, 0, 360, "degrees, 0 to 360")
        if len(self.shade_by_month) != 12:
            yield Fault(f"{path}.shade_factor", f"{len(self.shade_by_month)} numbers", "one, or twelve")
        for share in self.shade_by_month:
            yield from _within(path, "shade_factor", share, 0, 1, "a share, 0 to 1")
        yield from _limits(self, path, {"controller_limit_w": (1, 1e6, "W, more than 0"),
                                        "controller_limit_a": (0.1, 1e5, "A, more than 0"),
                                        "aimed_per_day": (0, 12, "times a day, 0 (fixed) to 12"),
                                        "hours_out": (0.5, 24, "hours a day, 0.5 to 24")})


@dataclass(frozen=True)
class Charger:
    """A source that gives a steady power at the battery's terminals, W, as its maker or a trial says."""

    name: str
    charge_w: float

    @property
    def gives_w(self) -> float:
        """What arrives at the battery, W, once what feeds the charger has had its say."""
        return self.charge_w

    def faults(self, path):
        yield from _within(path, "charge_w", self.charge_w, 1, 1e6, "W, more than 0")


@dataclass(frozen=True)
class Engine(Charger):
    """A charger fed by an engine on the road, with what its input gives, where that is known."""

    input_v: float | None = None
    input_a: float | None = None
    spare_alternator_w: float | None = None
    converter_efficiency: float | None = None
    cut_off_v: float | None = None  # below this the charger stops, so that the starter battery still starts

    @property
    def input_w(self) -> float | None:
        """The most the input lets through, W: input volts × input amps; None when they are not known."""
        return self.input_v * self.input_a if self.input_v and self.input_a else None

    @property
    def gives_w(self) -> float:
        """W into the bank = min(input V × A × efficiency, charger W, spare alternator W × efficiency)."""
        through = self.converter_efficiency or CONVERTER_EFFICIENCY
        fed = [watts * through for watts in (self.input_w, self.spare_alternator_w) if watts is not None]
        return min((self.charge_w, *fed))

    def faults(self, path):
        yield from super().faults(path)
        yield from _limits(self, path, {"input_v": (1, 1000, "V, 1 or more"), "input_a": (0.1, 1e4, "A, more than 0"),
                                        "spare_alternator_w": (1, 1e6, "W, more than 0"),
                                        "converter_efficiency": (0.3, 1, "a share, 0.3 to 1"),
                                        "cut_off_v": (1, 1000, "V, 1 or more")})


@dataclass(frozen=True)
class Generator(Charger):
    """A generator: W into the bank, what it gives for long, litres an hour and the price of a litre."""

    fuel_l_per_hour: float | None = None
    continuous_w: float | None = None
    fuel_price: float | None = None

    @property
    def gives_w(self) -> float:
        """W into the bank = min(charger W, continuous W × 0.8)."""
        return min(self.charge_w, self.continuous_w * GENERATOR_SHARE) if self.continuous_w else self.charge_w

    def faults(self, path):
        yield from super().faults(path)
        yield from _limits(self, path, {"fuel_l_per_hour": (0, 1000, "litres an hour"),
                                        "continuous_w": (1, 1e6, "W, more than 0"),
                                        "fuel_price": (0, 1e6, "a price of a litre, 0 or more")})


@dataclass(frozen=True)
class Mains(Charger):
    """A charger on a socket, in the house or one that the bank is carried to."""

    carried: bool = False


@dataclass(frozen=True)
class Load:
    """Something that uses energy, with what is known of it and how well.

    pattern is "always", ("hours", from, to) or ("window", from, to, run hours), in local clock hours.
    """

    name: str
    daily_wh: float
    side: str = "ac"
    running_w: float | None = None
    surge_w: float | None = None
    priority: str = "wanted"
    pattern: str | tuple = "always"
    months: tuple[int, ...] = tuple(range(1, 13))
    evidence: str = "guess"

    def faults(self, path):
        yield from _within(path, "daily_wh", self.daily_wh, 0, 1e7, "Wh a day, 0 or more")
        yield from _limits(self, path, {"running_w": (0, 1e6, "W, 0 or more"), "surge_w": (0, 1e6, "W, 0 or more")})
        for name, legal in (("side", ("ac", "dc")), ("priority", PRIORITIES), ("evidence", EVIDENCE)):
            if getattr(self, name) not in legal:
                yield Fault(f"{path}.{name}", repr(getattr(self, name)), "one of " + ", ".join(legal))
        if self.pattern != "always":
            yield from _pattern_faults(path, self.pattern)
        if not self.months or any(m not in range(1, 13) for m in self.months):
            yield Fault(f"{path}.months", str(list(self.months)), "months from 1 to 12")


def _pattern_faults(path, pattern):
    if not isinstance(pattern, tuple) or not pattern or pattern[0] not in ("hours", "window"):
        yield Fault(f"{path}.pattern", repr(pattern), 'always, {"hours": [18, 23]} or '
                    '{"window": [9, 16], "run_hours": 2}')
        return
    start, end = pattern[1], pattern[2]
    if not (0 <= start <= 24 and 0 <= end <= 24 and start != end):
        yield Fault(f"{path}.pattern", f"from {start:g} to {end:g}", "two different clock hours from 0 to 24")
    elif pattern[0] == "window" and not 0 < pattern[3] <= (end - start) % 24 + (24 if end == start else 0):
        yield Fault(f"{path}.pattern", f"a run of {pattern[3]:g} h", "a run that fits into the window")


@dataclass(frozen=True)
class Rig:
    """One system: its place, bank, inverter, sources and loads."""

    name: str
    place: Place
    bank: Bank
    inverter: Inverter | None = Inverter()
    use_side: str = "dc"
    soc_from: str = "display"
    arrays: tuple[SolarArray, ...] = ()
    vehicles: tuple[Engine, ...] = ()
    generators: tuple[Generator, ...] = ()
    mains: tuple[Mains, ...] = ()
    loads: tuple[Load, ...] = ()
    places: tuple[Stay, ...] = ()       # where it went, and from which day; before the first it stood at `place`
    not_yet_told: tuple[str, ...] = ()  # first-run questions answered "I don't know yet"

    def __post_init__(self):
        faults = list(self._faults())
        if faults:
            raise RigFaults(faults)

    def _faults(self):
        yield from _name_faults("name", self.name)
        yield from self.place.faults("place")
        yield from self.bank.faults("bank")
        if self.inverter is not None:
            yield from self.inverter.faults("inverter")
        elif self.use_side == "ac":
            yield Fault("inverter", "none", "an inverter, since use is measured on its AC side")
        for name, legal in (("use_side", ("ac", "dc")), ("soc_from", SOC_FROM)):
            if getattr(self, name) not in legal:
                yield Fault(name, repr(getattr(self, name)), "one of " + ", ".join(legal))
        for group in ("arrays", "vehicles", "generators", "mains", "loads", "places"):
            if len(getattr(self, group)) > MOST_PARTS:
                yield Fault(group, f"{len(getattr(self, group))} of them", f"at most {MOST_PARTS}")
                continue
            for n, part in enumerate(getattr(self, group)):
                yield from _name_faults(f"{group}[{n}].name", part.name)
                yield from part.faults(f"{group}[{n}]")
        days = [stay.from_day for stay in self.places]
        if days != sorted(set(days)):
            yield Fault("places", "days out of order or twice", "each place from a later day than the one before")

    @cached_property
    def zone(self) -> ZoneInfo:
        """The place's time zone."""
        return instants.zone(self.place.timezone)

    @property
    def chemistry(self) -> Chemistry:
        """Starting figures of the bank's chemistry."""
        return CHEMISTRIES[self.bank.chemistry]

    def has(self, source: str) -> bool:
        """Whether the rig has this source (a member of SOURCES)."""
        return bool(self.parts(source))

    def parts(self, source: str) -> tuple:
        """The arrays, vehicles, generators or mains chargers of this source."""
        return {"solar": self.arrays, "vehicle": self.vehicles,
                "generator": self.generators, "mains": self.mains}[source]


def _name_faults(path, name):
    if not isinstance(name, str) or not name.strip():
        yield Fault(path, "nothing", "a name")
    elif len(name) > LONGEST_NAME:
        yield Fault(path, f"{len(name)} letters", f"a name of at most {LONGEST_NAME} letters")
    elif any("\ud800" <= letter <= "\udfff" or letter < " " for letter in name):
        yield Fault(path, repr(name), "a name in letters that can be written to a file")


def _limits(part, path, legal: dict):
    """Faults of those figures that are given and lie outside (least, most, what was expected)."""
    for name, (low, high, expected) in legal.items():
        if getattr(part, name) is not None:
            yield from _within(path, name, getattr(part, name), low, high, expected)


def _within(path, name, value, low, high, expected):
    if value is None or not math.isfinite(value) or not low <= value <= high:
        found = "nothing" if value is None else f"{value:g}"
        yield Fault(f"{path}.{name}", found, expected)
