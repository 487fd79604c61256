"""Every figure of a rig by its path, and a rig with some of them changed.

A path names the part and the figure: ("bank", "tested_energy_wh"), ("loads", "Chest freezer", "daily_wh").
"""

from dataclasses import fields, replace
from typing import Any

from voltaun.core.rig.parts import Inverter, Load
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCE_GROUPS

Path = tuple[str, ...]

GROUPS = (*SOURCE_GROUPS, "loads")
DAYS = ("from_day", "until_day")
"""When a part was there is no figure of it."""


def figures(rig: Rig) -> dict[Path, object]:
    """All figures of the rig's parts by path; parts of a group by their name."""
    found: dict[Path, object] = {}
    for part in ("place", "bank", "inverter"):
        of = getattr(rig, part)
        found |= {(part, field.name): getattr(of, field.name) for field in fields(of)
                  if field.name not in DAYS} if of else {}
    for group in GROUPS:
        for of in getattr(rig, group):
            found |= {(group, of.name, field.name): getattr(of, field.name) for field in fields(of)
                      if field.name not in ("name", *DAYS)}
    return found


def put(rig: Rig, changes: dict[Path, object]) -> Rig:
    """The rig with these figures changed; a load that it does not have is added.

    Raises RigFaults when the changed rig is not a legal one, LookupError for a part it does not have.
    """
    for path, value in changes.items():
        rig = _put_one(rig, path, value)
    return rig


def _put_one(rig: Rig, path: Path, value: object) -> Rig:
    if len(path) == 2:
        part, name = path
        of = getattr(rig, part) or Inverter()
        changed: dict[str, Any] = {part: replace(of, **{name: value})}
        return replace(rig, **changed)
    group, of_name, name = path
    parts = getattr(rig, group)
    if not any(of.name == of_name for of in parts):
        if group != "loads":
            raise LookupError(f"found no {of_name!r} among the rig's {group}")
        parts = (*parts, Load(of_name, 0.0))
    changed = {group: tuple(replace(of, **{name: value}) if of.name == of_name else of for of in parts)}
    return replace(rig, **changed)


def without_load(rig: Rig, name: str) -> Rig:
    """The rig without the load of this name."""
    return replace(rig, loads=tuple(load for load in rig.loads if load.name != name))
