"""The rig: what stands at the place.

A `Rig` that exists is a legal one: making one with a zero-sized bank, crossed floors or a latitude of 95
raises `RigFaults`, which lists every fault by its path.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any
from zoneinfo import ZoneInfo

from voltaun.core import instants
from voltaun.core.rig.fields import LONGEST_NAME, MOST_PARTS, Fault, RigFaults, name_faults
from voltaun.core.rig.parts import (
    CHEMISTRIES,
    SOC_FROM,
    Bank,
    Chemistry,
    Engine,
    Generator,
    Inverter,
    Load,
    Mains,
    Place,
    SolarArray,
    SpillThing,
    Stay,
    Turbine,
)
from voltaun.core.rig.sources import BY_HAND, SOURCE_GROUPS, SOURCE_TABLE, STEADY

PART_GROUPS = (*SOURCE_GROUPS, "loads", "places", "spill_list")
NAMED_APART = (SOURCE_GROUPS, ("loads",), ("spill_list",))
"""Within each of these no two parts have the same name: what is found on the bench is applied by it. (A place may be
gone to twice.)"""


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
    turbines: tuple[Turbine, ...] = ()
    spill_list: tuple[SpillThing, ...] = ()  # what to do with sun that finds the bank full, in the order wanted
    places: tuple[Stay, ...] = ()       # where it went, and from which day; before the first it stood at `place`
    not_yet_told: tuple[str, ...] = ()  # first-run questions answered "I don't know yet"

    def __post_init__(self) -> None:
        faults = list(self._faults())
        if faults:
            raise RigFaults(faults)

    def _faults(self) -> Iterator[Fault]:
        yield from name_faults("name", self.name)
        yield from self.place.faults("place")
        yield from self.bank.faults("bank")
        if self.inverter is not None:
            yield from self.inverter.faults("inverter")
        elif self.use_side == "ac":
            yield Fault("inverter", "none", "an inverter, since use is measured on its AC side")
        for name, legal in (("use_side", ("ac", "dc")), ("soc_from", SOC_FROM)):
            if getattr(self, name) not in legal:
                yield Fault(name, repr(getattr(self, name)), "one of " + ", ".join(legal))
        for group in PART_GROUPS:
            if len(getattr(self, group)) > MOST_PARTS:
                yield Fault(group, f"{len(getattr(self, group))} of them", f"at most {MOST_PARTS}")
                continue
            for n, part in enumerate(getattr(self, group)):
                yield from name_faults(f"{group}[{n}].name", part.name)
                yield from part.faults(f"{group}[{n}]")
        yield from self._names_twice()
        days = [stay.from_day for stay in self.places]
        if days != sorted(set(days)):
            yield Fault("places", "days out of order or twice", "each place from a later day than the one before")

    def _names_twice(self) -> Iterator[Fault]:
        for groups in NAMED_APART:
            seen = set()
            for group in groups:
                for n, part in enumerate(getattr(self, group)):
                    if part.name in seen:
                        yield Fault(f"{group}[{n}].name", f"{part.name!r} twice", "a name of its own")
                    seen.add(part.name)

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

    def parts(self, source: str) -> tuple[Any, ...]:
        """The parts of this source: arrays, vehicles, generators and so on."""
        return self._by_source[source]

    @property
    def steady(self) -> tuple[Any, ...]:
        """All parts that give so many W whatever the sky, by the order of the table of sources."""
        return tuple(part for source in STEADY for part in self.parts(source.name))

    @property
    def by_hand(self) -> tuple[Any, ...]:
        """All parts that are started by hand."""
        return tuple(part for source in BY_HAND for part in self.parts(source.name))

    @cached_property
    def _by_source(self) -> dict[str, tuple[Any, ...]]:
        return {source.name: getattr(self, source.group) for source in SOURCE_TABLE}


def named_apart(parts: Mapping[str, tuple[Any, ...]]) -> dict[str, tuple[Any, ...]]:
    """The parts of a rig by group, with a number behind each name that stood before: `Lights`, `Lights (2)`.

    For rigs that were kept while names could be alike.
    """
    made = dict(parts)
    for groups in NAMED_APART:
        seen: set[str] = set()
        for group in groups:
            renamed = []
            for part in made.get(group, ()):
                name, n = part.name, 1
                while name in seen:
                    n += 1
                    name = f"{part.name[:LONGEST_NAME - len(f' ({n})')]} ({n})"
                seen.add(name)
                renamed.append(part if name == part.name else replace(part, name=name))
            made[group] = tuple(renamed)
    return made
