"""What is no quantity, as people write it: what a bank's labels say, how panels face and lean, degrees of a place."""

import math
import re
from typing import Any

from voltaun.core.units import QuantityError, parse

_NUMBER = r"(\d+(?:\.\d+)?)"
_CHEMISTRIES = (("agm", r"agm"), ("gel", r"gel"), ("flooded", r"flooded|wet|lead(?:[- ]acid)?"),
                ("lfp", r"lfp|lifepo4?|lithium"), ("nmc", r"nmc|li-?ion"))
_FILLERS = r"batteries|battery|bank|units?|packs?|of|each|wired|a|and|with|station|in|the|all"
LABEL_EXAMPLE = "8 batteries of 6 V 350 Ah, in strings of 4"

SERIES_V = 8.0
"""Batteries of fewer volts than this are mostly put in series, larger ones beside one another."""


def label(text: str) -> dict[str, Any]:
    """The fields of a bank as its labels say: `8 batteries of 6 V 350 Ah, in strings of 4`, `4S2P 3.2 V 280 Ah`,
    `2x100Ah 12V`, `12V 100Ah lead`, `2 kWh`, `2048 Wh + 2048 Wh` (a station and its pack).

    Raises QuantityError for what cannot be read whole, and for several small batteries that nobody said how to join.
    """
    # A comma between digits is a decimal's.
    words = re.sub(r"(?<=\d),(?=\d)", ".", text.lower().replace("×", "x"))
    words = " ".join(words.replace(",", " ").split())
    told: dict[str, Any] = {}

    def take(pattern: str) -> re.Match[str] | None:
        nonlocal words
        found = re.search(rf"(?<![a-z\d.])(?:{pattern})(?![a-z])", words)
        if found:
            words = f"{words[:found.start()]} {words[found.end():]}"
        return found
    for name, pattern in _CHEMISTRIES:
        if take(f"(?:{pattern})"):
            told["chemistry"] = name
            break
    energies = []
    while found := take(rf"{_NUMBER} ?(k?wh)"):
        energies.append(parse(f"{found[1]} {found[2]}", "energy", low=1))
    series = parallel = None
    if found := take(r"(\d+) ?s ?(\d+) ?p"):
        series, parallel = int(found[1]), int(found[2])
    elif found := take(r"(\d+) ?strings? of (\d+)"):
        parallel, series = int(found[1]), int(found[2])
    elif found := (take(r"strings? of (\d+)") or take(r"(\d+) ?in series") or take(r"(\d+) ?s")):
        series = int(found[1])
    elif found := (take(r"(\d+) ?in parallel") or take(r"(\d+) ?p") or take(r"(\d+) strings")):
        parallel = int(found[1])
    count = (take(r"(\d+) ?x(?= )") or take(r"(\d+) ?x(?=\d)") or take(r"(\d+) ?(?:batteries|battery|units?|of)")
             or take(r"x ?(\d+)"))
    volts, amp_hours = take(rf"{_NUMBER} ?v(?:olts?)?"), take(rf"{_NUMBER} ?ah")
    left = re.sub(rf"\b(?:{_FILLERS})\b|[+;/.()&-]", " ", words).strip()
    if left or bool(energies) == bool(volts and amp_hours) or (volts is None) != (amp_hours is None):
        raise QuantityError(repr(text[:60]), "what the labels say", f"{LABEL_EXAMPLE}, or 2 kWh")
    if energies:
        return told | _station(text, energies, int(count[1]) if count else 1)
    assert volts and amp_hours
    return told | {"unit_voltage_v": float(volts[1]), "unit_capacity_ah": float(amp_hours[1])} | _joined(
        text, int(count[1]) if count else None, series, parallel, float(volts[1]))


def _station(text: str, energies: list[float], count: int) -> dict[str, Any]:
    if count != 1 or len(energies) > 10:
        raise QuantityError(repr(text[:60]), "one station, and its packs behind a plus", "2048 Wh + 2048 Wh")
    first, *packs = energies
    return {"rated_energy_wh": first} | ({"pack_wh": packs} if packs else {})


def _joined(text: str, count: int | None, series: int | None, parallel: int | None, volts: float) -> dict[str, int]:
    """How many are in series and how many strings there are; what is not told follows from how many there are."""
    if series is None and parallel is None:
        if count is not None and count > 1 and volts < SERIES_V:
            raise QuantityError(f"{count} batteries of {volts:g} V", "how they are joined too",
                                f"{count} batteries …, in strings of {round(12 / volts)}")
        series, parallel = 1, 1 if count is None else count
    elif count is None:
        series, parallel = series or 1, parallel or 1
    else:
        known = series or parallel or 1
        if known < 1 or count < 1 or count % known or series and parallel and series * parallel != count:
            raise QuantityError(repr(text[:60]), f"as many batteries as strings of {known} are made of", LABEL_EXAMPLE)
        series, parallel = series or count // known, parallel or count // known
    if series < 1 or parallel < 1:
        raise QuantityError(repr(text[:60]), "one battery or more", LABEL_EXAMPLE)
    return {"series": series, "parallel": parallel}


_WINDS = ("n", "nne", "ne", "ene", "e", "ese", "se", "sse", "s", "ssw", "sw", "wsw", "w", "wnw", "nw", "nnw")


def facing(text: str) -> float | None:
    """Degrees that a word of the compass is: `north`, `NE`, `south-west`; None for what is none. 0 north, 90 east."""
    word = re.sub(r"[^a-z]", "", text.lower().removesuffix("wards").removesuffix("ward"))
    for name in ("north", "east", "south", "west"):
        word = word.replace(name, name[0])
    return 22.5 * _WINDS.index(word) if word in _WINDS else None


_LEANS = {"flat": 0.0, "level": 0.0, "horizontal": 0.0, "upright": 90.0, "vertical": 90.0, "wall": 90.0}


def leaning(text: str) -> float | None:
    """Degrees from level that a word or a slope is: `flat`, `upright`, `1 in 3`, `4/12`; None for what is none."""
    word = text.strip().lower()
    if word in _LEANS:
        return _LEANS[word]
    slope = re.fullmatch(rf"{_NUMBER} ?(?:in|:|/) ?{_NUMBER}", word)
    return round(math.degrees(math.atan2(float(slope[1]), float(slope[2]))), 1) if slope else None


def degrees(text: str) -> tuple[str, int]:
    """A latitude or longitude without its letter of the compass, and its sign: `48.2 N`, `W 70.5°`."""
    found = re.fullmatch(r"([NSEW]?)\s*([^NSEW]*?)\s*°?\s*([NSEW]?)", text.strip().upper())
    letter = found and (found[1] or found[3])
    return (found[2] if found and letter else text).replace("°", "").strip(), -1 if letter and letter in "SW" else 1


def celsius(text: str) -> tuple[str, str]:
    """A temperature without its unit, and that: `c` of `15C`, `f` of `60 °F`, nothing of `-4`."""
    found = re.fullmatch(r"(.*?)\s*(?:°|º|deg(?:rees)?)?\s*([cf])?\s*", text.strip().lower())
    return (found[1], found[2] or "") if found else (text, "")
