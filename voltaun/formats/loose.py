"""Cells as people leave them in a sheet: `n/a`, `-`, `about 40`, `40 ±2`, `evening`. Read once somebody said so."""

import re

BLANK, ABOUT, HOURS, TOTALS = "blank", "about", "hours", "totals"
KINDS = (BLANK, ABOUT, HOURS, TOTALS)
"""Nothing was noted; a number that was not read exactly; a part of the day for an hour; a line that sums up others."""

_TOTAL = re.compile(r"\b(totals?|subtotal|sum|average|mean|max|min|summe|gesamt|mittel|schnitt|totale|somme|media)\b")

_BLANKS = frozenset(("n/a", "na", "n.a.", "nan", "-", "--", "---", "–", "—", "none", "null", "nil", "?", "no data"))

_ROUGHLY = re.compile(r"(?:(?:about|approx\.?|approximately|around|roughly|circa|ca\.?|maybe|env\.?)\s*|[~≈]\s*)?"
                      r"([+-]?\d[\d.,' ]*)\s*(?P<unit>%|k?wh?|m?ah?|m?v|h|min|°[cf])?\s*"
                      r"(?:(?:±|\+/-)\s*\d[\d.,]*\s*%?|\?|or so|ish)?", re.IGNORECASE)

PARTS = {"dawn": "6:00", "sunrise": "6:00", "breakfast": "7:00", "morning": "7:00", "noon": "12:00",
         "midday": "12:00", "lunch": "12:00", "afternoon": "15:00", "evening": "19:00", "dusk": "19:00",
         "sunset": "19:00", "dinner": "19:00", "night": "22:00", "bedtime": "22:00"}
"""The hour that a part of the day is taken for."""


def kind_of(text: str, number: bool, hour: bool) -> str | None:
    """What a cell is left as, None for one that is as it should be; number, hour  what its column holds."""
    plain = text.strip().lower()
    if plain in _BLANKS:
        return BLANK
    if number and _rough(plain):
        return ABOUT
    if hour and _TOTAL.search(plain):
        return TOTALS
    return HOURS if hour and _part(plain) else None


def meant(text: str, number: bool, hour: bool, taken: tuple[str, ...]) -> str:
    """A cell as it is to be read, where its kind is among those that are taken; else as it stands."""
    kind = kind_of(text, number, hour)
    if kind is None or kind not in taken:
        return text
    if kind in (BLANK, TOTALS):
        return ""
    plain = text.strip().lower()
    if kind == ABOUT:
        return _rough(plain) or text
    part = _part(plain)
    return plain.removesuffix(part) + PARTS[part] if part else text


def _rough(plain: str) -> str | None:
    """The number of a rough figure, with its unit; None for what is an exact one, or none."""
    found = _ROUGHLY.fullmatch(plain)
    exact = f"{found[1]}{found['unit'] or ''}".replace(" ", "") if found else None
    return None if exact is None or exact == plain.replace(" ", "") else exact


def _part(plain: str) -> str | None:
    last = plain.rpartition(" ")[2]
    return last if last in PARTS else None
