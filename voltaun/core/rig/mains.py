"""What the sockets of a country give."""

from functools import cache
from importlib.resources import files

USUAL_V, LOW_V = 230.0, 120.0

_LOW = frozenset((
    "AG", "AS", "AW", "BB", "BM", "BS", "BZ", "CA", "CO", "CR", "CU", "DO", "EC", "GT", "GU", "HN", "HT",
    "JM", "JP", "KY", "MP", "MX", "NI", "PA", "PR", "SV", "TC", "TT", "TW", "US", "UM", "VE", "VG", "VI",
))
"""Countries, by their two letters, whose sockets give 100 to 127 V (IEC, world plugs)."""


@cache
def _countries() -> dict[str, str]:
    """The country of each time zone, by the zone table that ships with tzdata."""
    table = (files("tzdata") / "zoneinfo" / "zone.tab").read_text(encoding="utf-8")
    rows = [line.split("\t") for line in table.splitlines() if line and not line.startswith("#")]
    return {row[2]: row[0] for row in rows}


def mains_volts(timezone: str) -> float:
    """Volts of a socket where this time zone is: 120 or 230, rounded to the two that inverters are made for."""
    return LOW_V if _countries().get(timezone) in _LOW else USUAL_V
