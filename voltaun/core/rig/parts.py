"""The parts of a rig, as frozen dataclasses with the names of the rig file."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date
from typing import Any, ClassVar

from voltaun.core import instants
from voltaun.core.rig.fields import FIELDS, Fault, out_of_range
from voltaun.core.rig.sources import SOURCE_TABLE

SKIES = ("clear", "mixed", "overcast", "storm")
SOC_FROM = ("shunt", "display", "volts")
WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
PRIORITIES = ("essential", "wanted", "spare")
EVIDENCE = ("metered", "spot", "trial", "label", "guess")

CONVERTER_EFFICIENCY = 0.90
GENERATOR_SHARE = 0.8
"""A generator is run at no more than this share of its continuous W."""

Pattern = str | tuple[Any, ...]
"""When a load runs: "always", ("hours", from, to) or ("window", from, to, run hours), in local clock hours."""

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
    "lfp": Chemistry("LFP (lithium iron)", True, 0.20, 0.10, 0.95, 0.5, 0.95),
    "nmc": Chemistry("NMC (other lithium-ion)", True, 0.20, 0.10, 0.93, 0.5, 0.90),
    "agm": Chemistry("AGM lead-acid", False, 0.50, 0.20, 0.85, 0.25, 0.80),
    "gel": Chemistry("gel lead-acid", False, 0.50, 0.30, 0.85, 0.15, 0.80),
    "flooded": Chemistry("flooded lead-acid", False, 0.50, 0.20, 0.80, 0.13, 0.80),
}


@dataclass(frozen=True)
class Place:
    """Where the rig stands: degrees north and east, metres above the sea, IANA zone."""

    latitude: float
    longitude: float
    timezone: str
    elevation_m: float = 0.0

    def faults(self, path: str) -> Iterator[Fault]:
        yield from out_of_range(self, "place", path)
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

    def faults(self, path: str) -> Iterator[Fault]:
        yield from out_of_range(self, "places", path)
        if not 1970 <= self.from_day.year < 2200:
            yield Fault(f"{path}.from_day", self.from_day.isoformat(), "a day from 1970 to 2199")


@dataclass(frozen=True)
class Dated:
    """What may be there from a local day on, and until one, both of them days on which it is there; None: always.

    A part with a last day is over: it tells of the log, and nothing is reckoned ahead with it.
    """

    from_day: date | None = field(default=None, kw_only=True)
    until_day: date | None = field(default=None, kw_only=True)

    def there_on(self, day: date) -> bool:
        """Whether it is there on a local day."""
        return (self.from_day is None or self.from_day <= day) and (self.until_day is None or day <= self.until_day)

    def overlaps(self, other: "Dated") -> bool:
        """Whether there is a day on which both are there."""
        return all(a.from_day is None or b.until_day is None or a.from_day <= b.until_day
                   for a, b in ((self, other), (other, self)))

    def date_faults(self, path: str) -> Iterator[Fault]:
        """What is wrong with the days."""
        for name, day in (("from", self.from_day), ("until", self.until_day)):
            if day is not None and not 1970 <= day.year < 2200:
                yield Fault(f"{path}.{name}", day.isoformat(), "a day from 1970 to 2199")
        if self.from_day and self.until_day and self.until_day < self.from_day:
            yield Fault(f"{path}.until", self.until_day.isoformat(), f"a day from {self.from_day.isoformat()} on")


@dataclass(frozen=True)
class Bank(Dated):
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
    everyday_floor: float = None     # type: ignore[assignment] # the chemistry's own, see __post_init__
    hard_floor: float = None         # type: ignore[assignment]
    charge_efficiency: float = None  # type: ignore[assignment]
    standby_w: float = 2.0
    pack_wh: tuple[float, ...] = ()
    charge_limit_w: float | None = None
    solar_input_w: float | None = None

    def __post_init__(self) -> None:
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
        return (1.0,) * self.parallel if self.rated_energy_wh is None else (self.rated_energy_wh, *self.pack_wh)

    def faults(self, path: str) -> Iterator[Fault]:
        if self.chemistry not in CHEMISTRIES:
            yield Fault(f"{path}.chemistry", repr(self.chemistry), "one of " + ", ".join(CHEMISTRIES))
            return
        if not self.is_station and self.unit_voltage_v is None and self.unit_capacity_ah is None:
            yield Fault(path, "no size", "the V and Ah of one battery, or the Wh of a station")
        elif not self.is_station:
            for name in ("unit_voltage_v", "unit_capacity_ah"):
                if getattr(self, name) is None:
                    yield Fault(f"{path}.{name}", "nothing", FIELDS["bank"][name].expected)
        if self.pack_wh and not self.is_station:
            yield Fault(f"{path}.pack_wh", f"{len(self.pack_wh)} packs", "none: only a station has expansion packs")
        faults = list(out_of_range(self, "bank", path))
        yield from faults
        yield from self.date_faults(path)
        if not any(fault.path.endswith("_floor") for fault in faults) and self.hard_floor > self.everyday_floor:
            yield Fault(f"{path}.hard_floor", f"{self.hard_floor:g}",
                        f"at most the everyday floor, {self.everyday_floor:g}")


@dataclass(frozen=True)
class Inverter(Dated):
    """What it takes with nothing on, what share gets through, and its limits in W."""

    idle_w: float = None  # type: ignore[assignment] # by its size, see __post_init__
    efficiency: float = 0.90
    continuous_w: float | None = None
    surge_w: float | None = None
    hours_on_per_day: float = 24.0

    def __post_init__(self) -> None:
        if self.idle_w is None:
            object.__setattr__(self, "idle_w", max(5.0, 0.01 * (self.continuous_w or 0)))

    def faults(self, path: str) -> Iterator[Fault]:
        yield from out_of_range(self, "inverter", path)
        yield from self.date_faults(path)


@dataclass(frozen=True)
class SolarArray(Dated):
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

    def faults(self, path: str) -> Iterator[Fault]:
        if len(self.shade_by_month) != 12:
            yield Fault(f"{path}.shade_factor", f"{len(self.shade_by_month)} numbers", "one, or twelve")
        yield from out_of_range(self, "arrays", path)
        yield from self.date_faults(path)


@dataclass(frozen=True)
class Charger(Dated):
    """A source that gives a steady power at the battery's terminals, W, as its maker or a trial says."""

    GROUP: ClassVar[str]
    name: str
    charge_w: float

    @property
    def gives_w(self) -> float:
        """What arrives at the battery, W, once what feeds the charger has had its say."""
        return self.charge_w

    def faults(self, path: str) -> Iterator[Fault]:
        yield from out_of_range(self, self.GROUP, path)
        yield from self.date_faults(path)


@dataclass(frozen=True)
class Engine(Charger):
    """A charger fed by an engine on the road, with what its input gives, where that is known."""

    GROUP: ClassVar[str] = "vehicles"
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


@dataclass(frozen=True)
class Generator(Charger):
    """A generator: W into the bank, what it gives for long, litres an hour and the price of a litre."""

    GROUP: ClassVar[str] = "generators"
    fuel_l_per_hour: float | None = None
    continuous_w: float | None = None
    fuel_price: float | None = None

    @property
    def gives_w(self) -> float:
        """W into the bank = min(charger W, continuous W × 0.8)."""
        return min(self.charge_w, self.continuous_w * GENERATOR_SHARE) if self.continuous_w else self.charge_w


@dataclass(frozen=True)
class Mains(Charger):
    """A charger on a socket, in the house or one that the bank is carried to."""

    GROUP: ClassVar[str] = "mains"
    carried: bool = False


@dataclass(frozen=True)
class Turbine(Dated):
    """Wind or water: W it is rated for. What it gives shows in the log; no sky tells it."""

    name: str
    rated_w: float

    @property
    def gives_w(self) -> float:
        """The most that arrives at the battery, W."""
        return self.rated_w

    def faults(self, path: str) -> Iterator[Fault]:
        yield from out_of_range(self, "turbines", path)
        yield from self.date_faults(path)


@dataclass(frozen=True)
class Load(Dated):
    """Something that uses energy, with what is known of it and how well.

    What the day's plan may move is a "window" in its pattern: it then runs every so many days, and without a plan it
    would usually be started at a clock hour (None: nobody knows, so it is taken as spread over its window).
    weekdays  those on which it runs, of `WEEKDAYS`; none: any day will do
    in_sun    whether it runs only on sun that the bank would not take
    """

    name: str
    daily_wh: float
    side: str = "ac"
    running_w: float | None = None
    surge_w: float | None = None
    priority: str = "wanted"
    pattern: Pattern = "always"
    months: tuple[int, ...] = tuple(range(1, 13))
    evidence: str = "guess"
    every_days: int = 1
    usual_start: float | None = None
    weekdays: tuple[str, ...] = ()
    in_sun: bool = False

    @property
    def movable(self) -> bool:
        """Whether the day's plan may say when it runs."""
        return self.pattern[0] == "window"

    @property
    def run_wh(self) -> float:
        """What one run takes on its own side, Wh."""
        return self.daily_wh * (7 / len(self.weekdays) if self.weekdays else self.every_days)

    def faults(self, path: str) -> Iterator[Fault]:
        yield from out_of_range(self, "loads", path)
        yield from self.date_faults(path)
        for name, legal in (("side", ("ac", "dc")), ("priority", PRIORITIES), ("evidence", EVIDENCE)):
            if getattr(self, name) not in legal:
                yield Fault(f"{path}.{name}", repr(getattr(self, name)), "one of " + ", ".join(legal))
        if len(set(self.weekdays) & set(WEEKDAYS)) < len(self.weekdays):
            yield Fault(f"{path}.weekdays", ", ".join(self.weekdays), "some of " + ", ".join(WEEKDAYS))
        if self.pattern != "always":
            yield from _pattern_faults(path, self.pattern)
        if not self.months or any(m not in range(1, 13) for m in self.months):
            yield Fault(f"{path}.months", str(list(self.months)), "months from 1 to 12")


def _pattern_faults(path: str, pattern: Pattern) -> Iterator[Fault]:
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
class SpillThing:
    """Something to do with sun that would be spilt: W at the battery while it runs, and the Wh that it takes a day."""

    name: str
    watts: float
    wh: float

    def faults(self, path: str) -> Iterator[Fault]:
        yield from out_of_range(self, "spill_list", path)


PART_CLASSES: dict[str, type] = {source.group: globals()[source.kind] for source in SOURCE_TABLE}
"""The class of a source's parts, by their group in the rig."""
