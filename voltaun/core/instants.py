"""Instants and local days in the place's own zone.

A day is a local calendar day, which is 23 or 25 hours long twice a year.
"""

from datetime import UTC, date, datetime, time, timedelta
from functools import cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError


@cache
def zone(name: str) -> ZoneInfo:
    """The time zone of that IANA name; ValueError when there is none."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise ValueError(f"found {name!r}, expected a time zone such as Australia/Hobart") from error


def resolve(local: datetime, in_zone: ZoneInfo) -> tuple[datetime, str | None]:
    """Turn a local clock time into an instant in UTC.

    A time that the clock repeats or skips is resolved to the later offset, the one in force after the
    change; the second value then says so in words, otherwise it is None. A time that already carries an
    offset is taken as it is.
    """
    if local.tzinfo is not None:
        return local.astimezone(UTC), None
    before, after = local.replace(tzinfo=in_zone, fold=0), local.replace(tzinfo=in_zone, fold=1)
    instant = after.astimezone(UTC)
    offset, offset_before = (each.utcoffset() or timedelta() for each in (after, before))
    if offset_before == offset:
        return instant, None
    twice = offset_before > offset
    what = "comes twice that night" if twice else "is skipped by the clock that night"
    hours = offset.total_seconds() / 3600
    return instant, f"{local:%Y-%m-%d %H:%M} {what}; taken with the later offset, UTC{hours:+g}"


def clock_before(text: str, at: datetime, in_zone: ZoneInfo) -> datetime | None:
    """The last time before an instant that the local clock showed `H:MM`; None when it is no clock time."""
    hour, _, minute = text.partition(":")
    digits = text.isascii() and hour.isdigit() and minute.isdigit()  # ² is a digit to Python, and no number
    if not (digits and len(hour) <= 2 and len(minute) == 2 and int(hour) < 24 and int(minute) < 60):
        return None
    local = at.astimezone(in_zone).replace(tzinfo=None, hour=int(hour), minute=int(minute), second=0)
    full = resolve(local, in_zone)[0]
    return full if full <= at else resolve(local - timedelta(days=1), in_zone)[0]


def day_start(day: date, in_zone: ZoneInfo) -> datetime:
    """The instant (UTC) at which that local day begins."""
    return datetime.combine(day, time(), tzinfo=in_zone).astimezone(UTC)


def local_day(instant: datetime, in_zone: ZoneInfo) -> date:
    """The local calendar day that holds this instant."""
    return instant.astimezone(in_zone).date()


def days_between(first: date, last: date) -> list[date]:
    """All days from first to last, both included."""
    return [first + timedelta(days=n) for n in range((last - first).days + 1)]


def hours_between(start: datetime, end: datetime) -> float:
    """Real hours that passed between two instants."""
    return (end - start).total_seconds() / 3600


def at_clock(day: date, hour: float, zone: ZoneInfo) -> datetime:
    """The instant at which the local clock shows an hour of a day, 0 to 48: from 24 on it is the next day's. Also where
    the clock leaps that day; an hour that it skips is taken as `resolve` takes it."""
    days, rest = divmod(round(hour * 60), 24 * 60)
    local = datetime.combine(day + timedelta(days=days), time(rest // 60, rest % 60))
    return resolve(local, zone)[0]
