"""What the sockets of a country give."""

from voltaun.core.zones import zone_table

USUAL_V, LOW_V = 230.0, 120.0

_LOW = frozenset((
    "AG", "AS", "AW", "BB", "BM", "BS", "BZ", "CA", "CO", "CR", "CU", "DO", "EC", "GT", "GU", "HN", "HT",
    "JM", "JP", "KY", "MP", "MX", "NI", "PA", "PR", "SV", "TC", "TT", "TW", "US", "UM", "VE", "VG", "VI",
))
"""Countries, by their two letters, whose sockets give 100 to 127 V (IEC, world plugs)."""


def mains_volts(timezone: str) -> float:
    """Volts of a socket where this time zone is: 120 or 230, rounded to the two that inverters are made for."""
    return LOW_V if zone_table().get(timezone, ("",))[0] in _LOW else USUAL_V
