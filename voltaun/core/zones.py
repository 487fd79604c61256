"""Where time zones lie, from the zone table that ships with tzdata."""

import re
from functools import cache
from importlib.resources import files


@cache
def zone_table() -> dict[str, tuple[str, float, float]]:
    """Every IANA zone of the table with its country's two letters and its town's latitude and longitude, degrees, in
    order of name."""
    table = (files("tzdata") / "zoneinfo" / "zone.tab").read_text(encoding="utf-8")
    found = {}
    for line in table.splitlines():
        if line and not line.startswith("#"):
            country, place, name = line.split("\t")[:3]
            if degrees := re.fullmatch(r"([+-]\d+)([+-]\d+)", place):
                found[name] = (country, _degrees(degrees[1], 2), _degrees(degrees[2], 3))
    return dict(sorted(found.items()))


def _degrees(text: str, whole: int) -> float:
    """±DDMM[SS] (or ±DDDMM[SS]) as degrees."""
    sign, digits = (-1 if text[0] == "-" else 1), text[1:]
    minutes = int(digits[whole:whole + 2] or 0)
    seconds = int(digits[whole + 2:whole + 4] or 0)
    return round(sign * (int(digits[:whole]) + minutes / 60 + seconds / 3600), 4)
