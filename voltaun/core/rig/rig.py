"""The rig: what stands at the place.

A `Rig` that exists is a legal one: making one with a zero-sized bank, crossed floors or a latitude of 95
raises `RigFaults`, which lists every fault by its path.
"""

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta
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
DATED_GROUPS = (*SOURCE_GROUPS, "loads")
NAMED_APART = (SOURCE_GROUPS, ("loads",), ("spill_list",))
"""Within each of these no two parts have the same name: what is found on the bench is applied by it. (A place may be
gone to twice.)"""


ONES = ("bank", "inverter")
"""The parts of which there is one at a time."""


@dataclass(frozen=True)
class Former:
    """A part that is over, with its group: "bank", "inverter", or one of the rig's."""

    group: str
    part: Any


@dataclass(frozen=True)
class Rig:
    """One system: its place, bank, inverter, sources and loads, as it stands now.

    A part may have a first day, from which on it was there; what has a last day stands in `former`. What the log shows
    of a day is reckoned with the rig as it stood `on` it.
    """

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
    former: tuple["Former", ...] = ()   # parts that are over, each with its last day
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
        yield from self._date_faults()
        days = [stay.from_day for stay in self.places]
        if days != sorted(set(days)):
            yield Fault("places", "days out of order or twice", "each place from a later day than the one before")

    def _date_faults(self) -> Iterator[Fault]:
        """What is wrong with days: a part of now with a last one, one of before without, and two at once of which there
        may be one."""
        for group in (*ONES, *DATED_GROUPS):
            now = [getattr(self, group)] if group in ONES else list(getattr(self, group))
            over = [of.part for of in self.former if of.group == group]
            for part in now:
                if part is not None and part.until_day is not None:
                    yield Fault(f"{group}.until", part.until_day.isoformat(), "no last day: what stood before this "
                                + (f"is listed in earlier_{group}s" if group in ONES else "has one"))
            for n, part in enumerate(over):
                path = f"earlier_{group}s[{n}]" if group in ONES else f"{group}[{len(now) + n}]"
                if part.until_day is None:
                    yield Fault(f"{path}.until", "nothing", "the last day on which it was there")
                yield from part.faults(path) if group in ONES else (
                    *name_faults(f"{path}.name", part.name), *part.faults(path))
                for other in (*filter(None, now), *over[:n]):
                    if (group in ONES or part.name == other.name) and part.overlaps(other):
                        found = "another" if group in ONES else f"another {part.name!r}"
                        yield Fault(path, f"{found} beside it until {part.until_day}",
                                    "one after the other, the next from the day after the last of the one before")
                        break

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
    def dated(self) -> bool:
        """Whether anything of it was not always there, or is over."""
        return bool(self.former or self.turns)

    @cached_property
    def turns(self) -> tuple[date, ...]:
        """The days from which on other parts are there than before, in order."""
        parts = [self.bank, *([self.inverter] if self.inverter else []),
                 *(part for group in DATED_GROUPS for part in getattr(self, group)), *(of.part for of in self.former)]
        first = {part.from_day for part in parts if part.from_day}
        return tuple(sorted(first | {part.until_day + timedelta(days=1) for part in parts if part.until_day}))

    def on(self, day: date) -> "Rig":
        """The rig as it stood on a local day; before the first bank it had that one."""
        return self._stood[bisect_right(self.turns, day)]

    @cached_property
    def _stood(self) -> tuple["Rig", ...]:
        """The rig before the first of `turns`, and from each of them on."""
        if not self.dated:
            return (self,)
        return tuple(self._made_on(day) for day in (self.turns[0] - timedelta(days=1), *self.turns))

    def _made_on(self, day: date) -> "Rig":
        def there(group: str, now: Iterable[Any]) -> list[Any]:
            return [part for part in (*now, *(of.part for of in self.former if of.group == group))
                    if part.there_on(day)]
        changed: dict[str, Any] = {group: tuple(replace(part, until_day=None) for part in there(
            group, getattr(self, group))) for group in DATED_GROUPS}
        banks = sorted((self.bank, *(of.part for of in self.former if of.group == "bank")),
                       key=lambda part: part.from_day or date.min)
        bank = next(iter(there("bank", [self.bank])), None) or next(
            (part for part in reversed(banks) if (part.from_day or date.min) <= day), banks[0])
        inverter = next(iter(there("inverter", [self.inverter] if self.inverter else [])), None)
        if inverter is None and self.use_side == "ac":
            inverter = self.inverter  # its use was read behind one
        return replace(self, bank=replace(bank, until_day=None), former=(),
                       inverter=inverter and replace(inverter, until_day=None), **changed)

    @cached_property
    def arrays_ever(self) -> tuple[SolarArray, ...]:
        """The arrays of now, then those that are over."""
        return (*self.arrays, *(of.part for of in self.former if of.group == "arrays"))

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
