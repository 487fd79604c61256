"""The rig file: JSON in, a `Rig` out, and back. The schema beside this module says what is legal."""

import json
from collections.abc import Iterator
from dataclasses import fields
from datetime import date, datetime
from difflib import get_close_matches
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from voltaun.core.instants import local_day
from voltaun.core.rig.fields import MOST_PARTS, Fault, RigFaults
from voltaun.core.rig.parts import PART_CLASSES, Bank, Dated, Inverter, Load, Place, SpillThing, Stay
from voltaun.core.rig.rig import DATED_GROUPS, Former, Rig

if TYPE_CHECKING:
    from jsonschema import Draft202012Validator

VERSION = 1
_GROUPS = PART_CLASSES | {"loads": Load, "places": Stay, "spill_list": SpillThing}
EARLIER = {"bank": ("earlier_banks", Bank), "inverter": ("earlier_inverters", Inverter)}
"""Under what key what stood before a part of which there is one is listed, and its class."""

_DAYS = {"from": "from_day", "until": "until_day"}
"""The keys of a dated part's first and last day, and its fields. (A place of `places` writes `from_day`.)"""


def read_rig(text: str, told: list[str] | None = None, now: datetime | None = None) -> Rig:
    """A rig from the text of a rig file; RigFaults with every fault by its JSON path.

    told  takes what is worth saying of it: keys that are not known here
    now   when given, a part that is there only from a later day on is a fault
    """
    try:
        document = json.loads(text)
    except ValueError as error:
        raise RigFaults([Fault("rig file", f"no JSON ({error})", "a JSON object with voltaun_rig")]) from error
    except RecursionError as error:
        raise RigFaults([Fault("rig file", "JSON nested too deeply", "a JSON object with voltaun_rig")]) from error
    made = rig_from(document)
    if now is not None and (later := list(_later(made, local_day(now, made.zone)))):
        raise RigFaults(later)
    if told is not None and (unknown := [path for path, near in _unknown_keys(document) if near is None]):
        told.append(f"not known here, and left out: {', '.join(unknown)[:300]}. A newer Voltaun may have written it")
    return made


def _later(rig: Rig, today: date) -> Iterator[Fault]:
    """Parts that are not there yet."""
    parts = [(one, getattr(rig, one)) for one in EARLIER]
    parts += [(f"{group}[{n}]", part) for group in DATED_GROUPS for n, part in enumerate(getattr(rig, group))]
    for path, part in parts:
        if part is not None and part.from_day and part.from_day > today:
            yield Fault(f"{path}.from", part.from_day.isoformat(),
                        f"a day up to today, {today.isoformat()}: what is planned goes in once it is there")


def rig_from(document: Any) -> Rig:
    """A rig from a parsed document; RigFaults with every fault by its JSON path."""
    # A list without end is told before each of its parts is looked at.
    faults = [Fault(name, f"{len(document[name])} of them", f"at most {MOST_PARTS}") for name in _GROUPS
              if isinstance(document, dict) and isinstance(document.get(name), list)
              and len(document[name]) > MOST_PARTS] or _schema_faults(document) or [
                  Fault(path, "this key", f"{near}, or leave it out") for path, near in _unknown_keys(document) if near]
    if faults:
        raise RigFaults(faults)
    groups: dict[str, Any] = {
        name: tuple(_part(kind, part, f"{name}[{n}]") for n, part in enumerate(document.get(name, [])))
        for name, kind in _GROUPS.items()}
    former = [Former(one, _part(kind, part, f"{key}[{n}]")) for one, (key, kind) in EARLIER.items()
              for n, part in enumerate(document.get(key, []))]
    for name, parts in groups.items():  # what has a last day is over
        if name in DATED_GROUPS:
            former += [Former(name, part) for part in parts if part.until_day]
            groups[name] = tuple(part for part in parts if not part.until_day)
    inverter = document.get("inverter", {})
    rest: dict[str, Any] = {name: document[name] for name in ("use_side", "soc_from") if name in document}
    return Rig(document["name"], _part(Place, document["place"], "place"), _part(Bank, document["bank"], "bank"),
               None if inverter is None else _part(Inverter, inverter, "inverter"),
               not_yet_told=tuple(document.get("not_yet_told", ())), former=tuple(former), **rest, **groups)


def write_rig(rig: Rig) -> str:
    """The rig as the text of a rig file."""
    return json.dumps(rig_document(rig), indent=2, ensure_ascii=False) + "\n"


def rig_document(rig: Rig) -> dict[str, Any]:
    """The rig as a document that `rig_from` reads back as the same rig."""
    document = {"voltaun_rig": VERSION, "name": rig.name, "place": _plain(rig.place),
                "bank": _plain(rig.bank), "inverter": rig.inverter and _plain(rig.inverter),
                "use_side": rig.use_side, "soc_from": rig.soc_from}
    for name in _GROUPS:
        document[name] = [_plain(part) for part in (*getattr(rig, name), *_over(rig, name))]
    earlier = {key: [_plain(part) for part in _over(rig, one)] for one, (key, _) in EARLIER.items()}
    document |= {key: parts for key, parts in earlier.items() if parts}
    if rig.not_yet_told:
        document["not_yet_told"] = list(rig.not_yet_told)
    return document


def _over(rig: Rig, group: str) -> list[Any]:
    """The parts of a group that are over."""
    return [of.part for of in rig.former if of.group == group]


def pattern_document(pattern: Any) -> Any:
    """A load's pattern as the rig file writes it."""
    if pattern == "always":
        return pattern
    if pattern[0] == "hours":
        return {"hours": [_number(hour) for hour in pattern[1:]]}
    return {"window": [_number(hour) for hour in pattern[1:3]], "run_hours": _number(pattern[3])}


def pattern_from(document: Any) -> Any:
    """A load's pattern from what the rig file writes."""
    if document == "always":
        return document
    if "hours" in document:
        return ("hours", *document["hours"])
    return ("window", *document["window"], document["run_hours"])


def _plain(part: Any) -> dict[str, Any]:
    made = {}
    for field in fields(part):
        value = getattr(part, field.name)
        if field.name == "pattern":
            value = pattern_document(value)
        if value is None and field.name in _DAYS.values():
            continue
        value = [_number(each) for each in value] if isinstance(value, tuple) else _number(value)
        made[_written(part, field.name)] = value
    return made


def _number(value: Any) -> Any:
    """A whole number without its point, so that 310 and 310.0 are written alike; a day as text."""
    if isinstance(value, date):
        return value.isoformat()
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _part(kind: Any, document: Any, path: str) -> Any:
    values = {field.name: document[key] for field in fields(kind) if (key := _written(kind, field.name)) in document}
    values = {name: tuple(value) if isinstance(value, list) else value for name, value in values.items()}
    if "pattern" in values:
        values["pattern"] = pattern_from(values["pattern"])
    for name in _DAYS.values():
        if values.get(name):
            try:
                values[name] = date.fromisoformat(values[name])
            except ValueError as error:
                raise RigFaults([Fault(f"{path}.{_written(kind, name)}", repr(values[name]),
                                       "a day such as 2026-10-02")]) from error
    return kind(**values)


def _written(part: Any, name: str) -> str:
    """The key of a field in the file; `part` may be a class."""
    dated = issubclass(part if isinstance(part, type) else type(part), Dated)
    return next((key for key, of in _DAYS.items() if of == name and dated), name)


LIKE = 0.8
"""A key so like one that is known (`difflib`'s ratio) is taken for it misspelt, and no other program's."""


def _unknown_keys(document: dict[str, Any]) -> list[tuple[str, str | None]]:
    """The keys that nothing here reads, by their JSON path, each with the one that it is a misspelling of, or None."""
    known = {"voltaun_rig", "name", "place", "bank", "inverter", "use_side", "soc_from", "not_yet_told", *_GROUPS,
             *(key for key, _ in EARLIER.values())}
    found = [(name, _like(name, known)) for name in document if name not in known]
    parts = [("place", Place, document["place"]), ("bank", Bank, document["bank"]),
             *([("inverter", Inverter, document["inverter"])] if document.get("inverter") else []),
             *((f"{group}[{n}]", kind, part) for group, kind in _GROUPS.items()
               for n, part in enumerate(document.get(group, [])))]
    for path, kind, part in parts:
        known = {_written(kind, field.name) for field in fields(kind)}
        found += [(f"{path}.{name}", _like(name, known - set(part))) for name in part if name not in known]
    return found


def _like(name: str, known: set[str]) -> str | None:
    near = get_close_matches(name.lower(), known, 1, LIKE)
    begun = sorted(each for each in known if len(name) > 3 and each.startswith(f"{name.lower()}_"))
    return next(iter(near + begun), None)


@cache
def _validator() -> "Draft202012Validator":
    # Imported here: a page that only shows a rig never needs it.
    from jsonschema import Draft202012Validator
    schema = json.loads(Path(__file__).with_name("rig.schema.json").read_text(encoding="utf-8"))
    return Draft202012Validator(schema)


def _schema_faults(document: Any) -> list[Fault]:
    faults = []
    for error in sorted(_validator().iter_errors(document), key=lambda e: [str(p) for p in e.absolute_path]):
        path = "".join(f"[{p}]" if isinstance(p, int) else f".{p}" for p in error.absolute_path).lstrip(".")
        if error.validator == "required":
            missing = next(name for name in error.validator_value if name not in error.instance)
            described = error.schema.get("properties", {}).get(missing, {}).get("description")
            faults.append(Fault(f"{path}.{missing}".lstrip("."), "nothing", described or "it there"))
            continue
        found = json.dumps(error.instance, ensure_ascii=False)
        expected = error.schema.get("description") or error.message
        faults.append(Fault(path or "rig file", found if len(found) <= 60 else found[:60] + "…", expected))
    return list(dict.fromkeys(faults))
