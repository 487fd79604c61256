"""One part of the rig by itself: its own few figures, its limits, and where each came from."""

import re
from dataclasses import dataclass, replace
from dataclasses import field as dataclass_field
from typing import Any

from flask import g
from werkzeug.datastructures import MultiDict
from wtforms import Form

from voltaun.core.rig.fields import FIELDS
from voltaun.core.rig.limits import Limit, limits
from voltaun.core.rig.rig import DATED_GROUPS, Rig
from voltaun.core.rig.sources import SOURCE_TABLE, STEADY
from voltaun.database import rigs
from voltaun.formats.rig_file import rig_document
from voltaun.pages import context
from voltaun.pages.rig.forms import GROUPS, BankPart, InverterPart, PlacePart
from voltaun.words.sentences import begin, figure_words

ONES = {"place": PlacePart, "bank": BankPart, "inverter": InverterPart}
NAMES = {source.group: source.one for source in SOURCE_TABLE} | {
    "places": "place that it goes to", "loads": "load", "spill_list": "thing for spare sun"}
ASKED = {source.group: ("name", next(iter(FIELDS[source.group]))) for source in STEADY} | {
    "arrays": ("name", "panel_w", "panels"), "places": ("name", "from_day", "latitude", "longitude"),
    "loads": ("name", "daily_wh", "side", "pattern"), "spill_list": ("name", "watts", "wh")}
"""What is asked of a new part; the rest stands as it usually is until it is opened again."""

BESIDE = {"bank": ("soc_from",), "inverter": ("use_side",), "place": ("name",)}
"""What of the rig as a whole stands with a part."""


@dataclass
class Part:
    """A part that is open: its group, its number there (None: a new one), its form, its limits and origins."""

    group: str
    number: int | None
    name: str
    form: Form
    limits: list[Limit]
    origins: list[tuple[str, rigs.Origin]]
    from_day: str = ""    # the first day on which it was there, "" for always
    changed_on: str = ""  # as it was typed
    day_fault: str = ""
    odd: str = ""         # what `sure` must say to keep figures that are hardly meant: those and no others
    odd_elsewhere: list[str] = dataclass_field(default_factory=list)

    @property
    def key(self) -> str:
        """What it is called in an address."""
        return self.group if self.group in ONES else f"{self.group}-{'new' if self.number is None else self.number}"

    @property
    def title(self) -> str:
        """What it is called on the page."""
        return begin(self.name) if self.name else f"One more {NAMES[self.group]}"

    @property
    def dated(self) -> bool:
        """Whether the log may have known it otherwise."""
        return self.group in (*DATED_GROUPS, "bank", "inverter")

    @property
    def rest_later(self) -> bool:
        """Whether it is a new part, of which only a few fields are asked."""
        return self.number is None and self.group in ASKED

    @property
    def fields(self) -> list[Any]:
        """The fields that are shown: of a new part two to four."""
        asked = ASKED[self.group] if self.rest_later else None
        return [field for field in self.form if asked is None or field.short_name in asked]


def opened(key: str, rig: Rig, sent: MultiDict[str, str] | None = None) -> Part | None:
    """The part of that name, filled with what stands there, else with what was sent; None where there is none."""
    group, _, number = key.partition("-")
    document = rig_document(rig)
    if group in ONES:
        told = dict(document[group] or {}) | {name: document[name] for name in BESIDE[group]}
        if group == "bank":
            told["kind"] = "station" if rig.bank.is_station else "units"
        if group == "inverter":
            told["there"] = rig.inverter is not None
        return replace(_part(group, None, group, ONES[group](sent, data=told), rig, ""), from_day=told.get("from", ""))
    if group not in GROUPS or not re.fullmatch(r"new|\d{1,4}", number):
        return None
    if number == "new":
        return _part(group, None, "", GROUPS[group](sent), rig, "")
    if int(number) >= len(getattr(rig, group)):  # what is over stands behind what is there
        return None
    told = document[group][int(number)]
    made = _part(group, int(number), told["name"], GROUPS[group](sent, data=told), rig, told["name"])
    return replace(made, from_day=told.get("from", "") if group in DATED_GROUPS else "")


def _part(group: str, number: int | None, name: str, form: Form, rig: Rig, called: str) -> Part:
    if number is None and group not in ONES:
        return Part(group, number, name, form, [], [])
    met, path = limits_of(rig, group, called), (group, called) if called else (group,)
    known = [(figure_words(of[-1]), origin) for of, origin in rigs.origins(context.db(), g.kept).items()
             if of[:len(path)] == path]
    return Part(group, number, name, form, met, known)


def limits_of(rig: Rig, group: str, name: str) -> list[Limit]:
    """What limits a part of the rig meets."""
    return [limit for limit in limits(rig) if limit.group == group and limit.name in ("", name)]


def put(document: dict[str, Any], part: Part) -> None:
    """Put what was typed of a part into the document of its rig."""
    told = {field.short_name: field.data for field in part.form if field.data not in (None, "")}
    if part.from_day:
        told["from"] = part.from_day
    for name in BESIDE.get(part.group, ()):
        document[name] = told.pop(name, "")
    if part.group == "bank":
        station = told.pop("kind", "units") == "station"
        for name in ("unit_voltage_v", "unit_capacity_ah") if station else ("rated_energy_wh", "pack_wh"):
            told.pop(name, None)
    if part.group == "inverter" and not told.pop("there", False):
        document["inverter"] = None
    elif part.group in ONES:
        document[part.group] = told
    elif part.number is None:
        there = [of for of in document[part.group] if not of.get("until")]  # what is over stands behind
        document[part.group].insert(len(there), told)
    else:
        document[part.group][part.number] = told
