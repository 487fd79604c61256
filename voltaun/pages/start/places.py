"""Time zones as people type them, with the towns that stand in for a place."""

from functools import cache

from voltaun.core.zones import zone_table


@cache
def zones() -> dict[str, tuple[float, float]]:
    """Every IANA zone of the table with its town's latitude and longitude, in order of name."""
    return {name: (latitude, longitude) for name, (_, latitude, longitude) in zone_table().items()}


def zone_of(typed: str) -> str | None:
    """The zone of a name as people type it, whole or by its town: `hobart`; None where there is not one."""
    words = "_".join(typed.lower().split())
    return next((name for name in zones() if words in (name.lower(), name.lower().rpartition("/")[2])), None)
