"""Where time zones lie, from the zone table that ships with tzdata."""

import re
from functools import cache


@cache
def zones() -> dict[str, tuple[float, float]]:
    """Every IANA zone of the table with its town's latitude and longitude, in order of name."""
    from importlib.resources import files
    table = (files("tzdata") / "zoneinfo" / "zone.tab").read_text(encoding="utf-8")
    found = {}
    for line in table.splitlines():
        if line and not line.startswith("#"):
            _, place, name = line.split("\t")[:3]
            degrees = re.fullmatch(r"([+-]\d+)([+-]\d+)", place)
            if degrees:
                found[name] = (_degrees(degrees[1], 2), _degrees(degrees[2], 3))
    return dict(sorted(found.items()))


def zone_of(typed: str) -> str | None:
    """The zone of a name as people type it, whole or by its town: `hobart`; None where there is not one."""
    words = "_".join(typed.lower().split())
    return next((name for name in zones() if words in (name.lower(), name.lower().rpartition("/")[2])), None)


def _degrees(text: str, whole: int) -> float:
    """±DDMM[SS] (or ±DDDMM[SS]) as degrees."""
    sign, digits = (-1 if text[0] == "-" else 1), text[1:]
    minutes = int(digits[whole:whole + 2] or 0)
    seconds = int(digits[whole + 2:whole + 4] or 0)
    return round(sign * (int(digits[:whole]) + minutes / 60 + seconds / 3600), 4)
