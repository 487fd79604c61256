"""A change of the rig from a day on: what stood before stays, as what the log of then is reckoned with."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from voltaun.core.rig.bank import DEPTHS, depth_floor, rated_energy
from voltaun.core.rig.parts import CHEMISTRIES, Bank, SolarArray
from voltaun.core.rig.rig import DATED_GROUPS, ONES, Former, Rig
from voltaun.core.rig.sources import SOURCE_GROUPS


def changed_since(before: Rig, after: Rig, day: date) -> Rig:
    """The changed rig with all that differs from it taken for a change on a local day, and not for a correction: parts
    that are gone or otherwise were there until the day before, those that are new are there from the day on.

    A part that came on the day or later is put right, and leaves nothing behind. Raises RigFaults.
    """
    former = list(after.former)
    groups: dict[str, Any] = {}
    for group in DATED_GROUPS:
        old, new = getattr(before, group), getattr(after, group)
        former += _over(group, [part for part in old if part not in new], day)
        groups[group] = tuple(part if part in old else replace(part, from_day=day) for part in new)
    for one in ONES:
        old, new = getattr(before, one), getattr(after, one)
        if old != new:
            former += _over(one, [old] if old else [], day)
            groups[one] = new and replace(new, from_day=day)
    return replace(after, former=tuple(former), **groups)


OF_CHEMISTRY = ("everyday_floor", "hard_floor", "charge_efficiency")
"""What a bank has by its chemistry, until it is typed otherwise."""


def following(before: Rig, after: Rig) -> Rig:
    """The rig with what hangs on a choice that was made anew, where nobody had set it otherwise: floors and efficiency
    of another chemistry, at the depth that was chosen; and what was not set yet is, once its part is another."""
    bank, old, new = after.bank, CHEMISTRIES[before.bank.chemistry], CHEMISTRIES[after.bank.chemistry]
    if old is not new:
        stood = {name: getattr(old, name) for name in OF_CHEMISTRY}
        follow = {name: getattr(new, name) for name in OF_CHEMISTRY
                  if getattr(bank, name) == getattr(before.bank, name) == stood[name]}
        depth = next((name for name in DEPTHS if before.bank.everyday_floor == depth_floor(old, name)), None)
        if depth and bank.everyday_floor == before.bank.everyday_floor:
            follow["everyday_floor"] = depth_floor(new, depth)
        made = {name: getattr(bank, name) for name in OF_CHEMISTRY} | follow
        if made["hard_floor"] <= made["everyday_floor"]:
            bank = replace(bank, **follow)
    otherwise = {"place": before.place != after.place, "bank": before.bank != bank,
                 "sources": any(getattr(before, group) != getattr(after, group) for group in SOURCE_GROUPS)}
    return replace(after, bank=bank, not_yet_told=tuple(of for of in after.not_yet_told if not otherwise[of]))


NEAR_STRINGS = 0.08
"""Of so many Wh that are so near whole strings (a part of them) it is the strings that are kept."""


def holding(bank: Bank, wh: float) -> Bank:
    """The bank with other batteries, which hold so many Wh: of more or fewer strings where they come to that."""
    string = rated_energy(bank) / bank.parallel
    strings = max(1, round(wh / string))
    if not bank.is_station and abs(wh - strings * string) <= NEAR_STRINGS * wh:
        return replace(bank, parallel=strings, tested_energy_wh=None, logged_energy_wh=None)
    return replace(bank, tested_energy_wh=None, logged_energy_wh=wh)


def _over(group: str, parts: Sequence[Any], day: date) -> list[Former]:
    last = day - timedelta(days=1)
    return [Former(group, replace(part, until_day=last)) for part in parts
            if part.from_day is None or part.from_day <= last]


def with_panels(rig: Rig, array: SolarArray, more: int, day: date) -> Rig:
    """The rig with so many panels more (below 0: fewer) in one of its arrays from a day on; none left: it is gone.

    Raises RigFaults.
    """
    count = array.panels + more
    arrays = tuple(replace(of, panels=count) if of == array else of for of in rig.arrays if of != array or count > 0)
    return changed_since(rig, replace(rig, arrays=arrays), day)


def part_changes(rig: Rig) -> dict[date, tuple[str, ...]]:
    """What came or went on which day, by name: for the strip and the log."""
    found: dict[date, list[str]] = {}
    now = [(group, part) for group in DATED_GROUPS for part in getattr(rig, group)]
    now += [(one, part) for one in ONES if (part := getattr(rig, one)) is not None]
    for group, part in (*now, *((of.group, of.part) for of in rig.former)):
        name = getattr(part, "name", group)
        for day in (part.from_day, part.until_day and part.until_day + timedelta(days=1)):
            if day and name not in found.setdefault(day, []):
                found[day].append(name)
    return {day: tuple(names) for day, names in sorted(found.items())}
