"""Quantities as people write them: `1.2 kWh`, `52 Ah`, `4.5 A x 6 h`, `38%`, `9 h 40`.

A unit is a factor and the powers of volt, ampere and hour in it, so that a product of quantities needs
no table of cases: A × h is Ah, V × A is W, W × h is Wh. Percent stands apart.
"""

import math
import re
from dataclasses import dataclass

_VOLT, _AMP, _HOUR = (1, 0, 0), (0, 1, 0), (0, 0, 1)
_WATT, _AMP_HOUR, _WATT_HOUR, _BARE = (1, 1, 0), (0, 1, 1), (1, 1, 1), (0, 0, 0)

_UNITS = {
    "": (1.0, _BARE),
    "v": (1.0, _VOLT), "mv": (1e-3, _VOLT),
    "a": (1.0, _AMP), "ma": (1e-3, _AMP),
    "h": (1.0, _HOUR), "hr": (1.0, _HOUR), "hrs": (1.0, _HOUR), "hour": (1.0, _HOUR), "hours": (1.0, _HOUR),
    "min": (1 / 60, _HOUR), "mins": (1 / 60, _HOUR), "minutes": (1 / 60, _HOUR), "m": (1 / 60, _HOUR),
    "d": (24.0, _HOUR), "day": (24.0, _HOUR), "days": (24.0, _HOUR),
    "w": (1.0, _WATT), "kw": (1e3, _WATT), "watt": (1.0, _WATT), "watts": (1.0, _WATT),
    "wh": (1.0, _WATT_HOUR), "kwh": (1e3, _WATT_HOUR),
    "ah": (1.0, _AMP_HOUR), "mah": (1e-3, _AMP_HOUR),
}


@dataclass(frozen=True)
class Kind:
    """What a field takes: its powers of V, A and h, its name and unit in words, and an example."""

    powers: tuple[int, int, int]
    words: str
    example: str


KINDS = {
    "energy": Kind(_WATT_HOUR, "an amount of energy in Wh", "2150, 2.1 kWh or 60 W x 20 min"),
    "power": Kind(_WATT, "a power in W", "320, 0.9 kW or 12 V x 4 A"),
    "charge": Kind(_AMP_HOUR, "a capacity in Ah", "200 or 200 Ah"),
    "voltage": Kind(_VOLT, "a voltage in V", "12.8"),
    "current": Kind(_AMP, "a current in A", "40"),
    "duration": Kind(_HOUR, "a time in hours", "1.5, 1 h 30 or 25 min"),
    "percent": Kind(_BARE, "a percent between 0 and 100", "74 or 74%"),
    "number": Kind(_BARE, "a number", "3 or 2.5"),
}

LONGEST = 80
"""No quantity is written in more letters; longer texts are refused unread."""

_NUMBER = r"[+-]?(?:(?:\d{1,3}(?: \d{3})+|\d+)(?:[.,]\d+)?|[.,]\d+)"
_CLOCK = r"(\d+)\s*(?::|h|hr|hours?)\s*([0-5]?\d)\s*(?:m|min|mins|minutes)?"
_UNIT_NAMES = {_WATT: "W is a rate", _WATT_HOUR: "Wh is an amount", _AMP_HOUR: "Ah is a charge",
               _VOLT: "V is a voltage", _AMP: "A is a current", _HOUR: "h is a time",
               _BARE: "a bare number has no unit"}


_PER_HOUR = re.compile(r"(\bk?w|\dk?w|watts?)\s*(?:/\s*h|/\s*hour|per hour)$")


def taken_as_rate(text: str) -> bool:
    """Whether a power was written as `60 W/h`: W is a rate already, and is taken for it."""
    return _PER_HOUR.search(text.strip().lower()) is not None


class QuantityError(ValueError):
    """A quantity that does not fit its field: what was found, what was expected, an example."""

    def __init__(self, found: str, expected: str, example: str):
        self.found, self.expected, self.example = found, expected, example
        super().__init__(f"found {found}, expected {expected}. Write it as {example}")


def parse(text: str, kind: str, *, volts: float | None = None, low: float | None = None, high: float | None = None,
          unit: str = "") -> float:
    """Read one quantity.

    text   what was typed; decimal point or comma, spaces between thousands, units in any case, products
           with x, × or *
    kind   a key of KINDS; a bare number or product is taken in its own unit, or in `unit` where a label names another
    volts  the bank's nominal voltage, V; with it an energy may be given in Ah or A × h, and a charge in Wh
    low, high  limits in the unit returned
    Returns Wh, W, Ah, V, A, h, a plain number, or for `percent` a fraction 0–1.
    Raises QuantityError, which says what was found and what was expected.
    """
    wanted = KINDS[kind]
    if len(text) > LONGEST:
        raise QuantityError(f"{len(text)} letters", wanted.words, wanted.example)
    shown = repr(text.strip())
    clean = " ".join(text.replace("\u2212", "-").replace("\u00d7", "x").replace("\u00a0", " ")
                     .replace("\u202f", " ").replace("\u2009", " ").lower().split())
    if not clean:
        raise QuantityError("nothing", wanted.words, wanted.example)
    if kind == "percent":
        value = _percent(clean, shown, wanted)
    elif kind == "duration" and (clock := re.fullmatch(_CLOCK, clean)):
        value = int(clock[1]) + int(clock[2]) / 60
    else:
        value = _product(_PER_HOUR.sub(r"\1", clean) if kind == "power" else clean, shown, wanted, volts, unit)
    if not math.isfinite(value):
        raise QuantityError(shown, wanted.words, wanted.example)
    if (low is not None and value < low) or (high is not None and value > high):
        raise QuantityError(shown, f"{wanted.words} {_limits(low, high)}", wanted.example)
    return value


def clock_hour(text: str) -> float:
    """A time of the day as a clock hour from 0 to 24: `18`, `18:30`, `6.5`; QuantityError for anything else."""
    clean = text.strip()
    found = re.fullmatch(r"(\d{1,2})(?::([0-5]\d)|[.,](\d{1,2}))?", clean[:LONGEST])
    hour = float(found[1]) + float(found[2] or 0) / 60 + float(f"0.{found[3] or 0}") if found else 99.0
    if hour > 24:
        raise QuantityError(repr(clean[:LONGEST]), "a time of the day", "18 or 18:30")
    return hour


def _limits(low: float | None, high: float | None) -> str:
    if low is not None and high is not None and high < 1e5:
        return f"from {low:g} to {high:g}"
    return f"of {low:g} or more" if low is not None else f"of {high:g} or less"


def _percent(clean: str, shown: str, wanted: Kind) -> float:
    number = clean.removesuffix("percent").removesuffix("%").strip()
    value = _number(number, shown, wanted) / 100
    if not 0 <= value <= 1:
        raise QuantityError(shown, wanted.words, wanted.example)
    return value


def _number(text: str, shown: str, wanted: Kind) -> float:
    if not re.fullmatch(_NUMBER, text):
        raise QuantityError(shown, wanted.words, wanted.example)
    if re.fullmatch(r"[+-]?[1-9]\d{0,2},\d{3}", text):
        # 1,200 is twelve hundred to one reader and one and a fifth to another: ask, do not guess.
        plain = text.replace(",", "")
        raise QuantityError(f"{shown}, which can be read two ways", wanted.words,
                            f"{plain} or {text.replace(',', '.').rstrip('0').rstrip('.')}")
    return float(text.replace(" ", "").replace(",", "."))


def _factor(part: str, shown: str, wanted: Kind) -> tuple[float, tuple[int, int, int]]:
    part = part.strip()
    number = part.rstrip("abcdefghijklmnopqrstuvwxyz")
    unit, number = part[len(number):], number.strip()
    if unit not in _UNITS:
        raise QuantityError(f"the unit {unit!r}" if number else shown, wanted.words, wanted.example)
    scale, powers = _UNITS[unit]
    return _number(number, shown, wanted) * scale, powers


def _product(clean: str, shown: str, wanted: Kind, volts: float | None, unit: str) -> float:
    parts = re.split(r"[x*]", clean)
    bare = _UNITS[unit.lower()][0] if unit else 1.0
    if len(parts) == 1 and re.fullmatch(r"[^a-z]*", clean):
        return _number(clean, shown, wanted) * bare
    value, powers = 1.0, (0, 0, 0)
    for part in parts:
        factor, of_part = _factor(part, shown, wanted)
        value *= factor
        powers = (powers[0] + of_part[0], powers[1] + of_part[1], powers[2] + of_part[2])
    if powers == _BARE:
        return value * bare
    if powers == wanted.powers:
        return value
    if wanted.powers == _WATT_HOUR and powers == _AMP_HOUR:
        if volts:
            return value * volts
        raise QuantityError(f"{shown} with no bank voltage to turn Ah into Wh", wanted.words, wanted.example)
    if wanted.powers == _AMP_HOUR and powers == _WATT_HOUR and volts:
        return value / volts
    why = _UNIT_NAMES.get(powers)
    raise QuantityError(f"{shown} ({why})" if why else shown, wanted.words, wanted.example)
