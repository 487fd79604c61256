"""The blanks of a sum as they are typed, and its answer."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from voltaun.core.sizing import sums
from voltaun.core.units import QuantityError, parse
from voltaun.words import house_units
from voltaun.words.sums import SIDES, Blank, Sentence


@dataclass
class Worked:
    """A sentence with what was typed in it, and its answer or faults."""

    sentence: Sentence
    typed: dict[str, str]
    lines: list[str] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


def work(sentence: Sentence, given: Mapping[str, str], volts: float | None) -> Worked:
    """Answer a sentence from what was typed (a mapping of the blanks' names), else from what stands in it."""
    blanks = [part for part in sentence.parts if isinstance(part, Blank)]
    worked = Worked(sentence, {blank.name: given.get(blank.name, blank.first) for blank in blanks})
    values: dict[str, Any] = {}
    for blank in sorted(blanks, key=lambda each: bool(each.volts)):
        try:
            own = values.get(blank.volts) if blank.volts else volts
            values[blank.name] = _value(blank, worked.typed[blank.name], own)
        except QuantityError as error:
            worked.faults.append(f"{blank.label}: found {error.found}, expected {error.expected}. "
                                 f"Write it as {error.example}.")
    if not worked.faults:
        try:
            worked.lines = sentence.answer(values)
        except ValueError as error:
            worked.faults.append(f"{str(error)[:1].upper()}{str(error)[1:]}.")
    return worked


def _value(blank: Blank, typed: str, volts: float | None) -> float | str:
    if blank.kind == "side":
        if typed not in SIDES:
            raise QuantityError(repr(typed), "ac or dc", "ac")
        return typed
    if blank.kind in ("length", "area"):
        return _measure(blank.kind, typed)
    return parse(typed, blank.kind, volts=volts, low=0, high=blank.high, unit=blank.unit)


def _measure(kind: str, typed: str) -> float:
    """A length in m (`4 m`, `13 ft`) or a cross-section in mm² (`2.5 mm²`, `10 AWG`)."""
    expected, example = (("a length", "4 m or 13 ft") if kind == "length" else
                         ("a cross-section", "2.5 mm² or 10 AWG"))
    found = re.fullmatch(r"(awg\s*)?(\d+(?:[.,]\d+)?)\s*(m|ft|feet|foot|'|mm²|mm2|awg)?", typed.strip().lower()[:40])
    units = ("m", "ft", "feet", "foot", "'") if kind == "length" else ("mm²", "mm2", "awg")
    unit = found and ("awg" if found[1] else found[3])
    if not found or (unit and unit not in units):
        raise QuantityError(repr(typed.strip()[:40]), expected, example)
    number = float(found[2].replace(",", "."))
    if unit == "awg":
        return sums.awg_mm2(number)
    if kind == "length":
        return house_units.from_length(number) if not unit else number * (1.0 if unit == "m" else house_units.FOOT_M)
    return number
