"""The calendar that weather years are laid out in: of the place's standard time, begun thirty days early."""

from datetime import UTC, date, datetime, timedelta

from voltaun.core.instants import day_start
from voltaun.core.rig.rig import Rig

EARLY_DAYS, DAYS = 30, 395
NOMINAL = 2023
"""The calendar that a year is laid out in."""


def calendar() -> list[date]:
    """The days that a weather year is laid out in, the early ones first."""
    first = date(NOMINAL, 1, 1) - timedelta(days=EARLY_DAYS)
    return [first + timedelta(days=n) for n in range(DAYS)]


def standard_offset(rig: Rig) -> float:
    """The place's standard time ahead of UTC, h: the lesser of what is in force in January and in July."""
    return min((datetime(NOMINAL, month, 1, tzinfo=UTC) - day_start(date(NOMINAL, month, 1), rig.zone))
               / timedelta(hours=1) for month in (1, 7))
