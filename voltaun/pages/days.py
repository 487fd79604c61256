"""Days and times as people type them, `20 Oct`, `yesterday`, `Friday 7 am`, `18:30`, and as the pages show them."""

from datetime import date, datetime, timedelta

from voltaun.core.rig.parts import WEEKDAYS
from voltaun.core.units import QuantityError
from voltaun.formats.when import TwoWays, read_clock, read_day, read_when, split

NEAR = {"today": 0, "yesterday": -1, "tomorrow": 1}
FIRST_YEAR, LAST_YEAR = 1970, 2199


def day_from(text: str, today: date | None = None, coming: bool = False) -> date:
    """A day as it was typed. Raises QuantityError.

    today   where it is given a day may be named without its year; coming: the next of that name, else the last
    """
    found = _near(text, today, coming) if today else None
    try:
        found = found or read_day(text)
    except TwoWays as two:
        raise QuantityError(f"{text[:40]!r}, which {two}", "one of the two", "2 Oct 2026") from two
    except ValueError as error:
        raise QuantityError(repr(text[:40]), "a day", "2 Oct 2026") from error
    if not FIRST_YEAR <= found.year <= LAST_YEAR:
        raise QuantityError(repr(text[:40]), f"a year from {FIRST_YEAR} to {LAST_YEAR}", "2 Oct 2026")
    return found


def _near(text: str, today: date, coming: bool) -> date | None:
    """The day of a name that says no year; None where it is none."""
    words = text.strip().lower()
    if words in NEAR:
        return today + timedelta(days=NEAR[words])
    if words[:3] in WEEKDAYS and (len(words) == 3 or words.endswith("day")):
        off = (WEEKDAYS.index(words[:3]) - today.weekday()) % 7
        return today + timedelta(days=off if coming or not off else off - 7)
    dated = []
    for year in (today.year - 1, today.year, today.year + 1):
        try:
            dated.append(read_day(f"{words} {year}"))
        except ValueError:  # as it was typed it has a year, or it is no day of this one
            continue
    return min((day for day in dated if day >= today), default=None) if coming else max(
        (day for day in dated if day <= today), default=None)


def time_from(text: str, now: datetime, coming: bool = False) -> datetime:
    """A local date and time as it was typed, without a zone unless one was written with it. Raises QuantityError.

    now  local. A time alone is the last of that name up to a few minutes from now; coming: the next one
    """
    text = text.strip()
    here = now.replace(tzinfo=None)
    if text.lower() == "now":
        return here
    try:
        found = read_when(text)
    except TwoWays as two:
        raise QuantityError(f"{text[:40]!r}, which {two}", "one of the two",
                            f"{shown(two.first)} 19:30") from two
    except ValueError:
        found = _near_time(text, here, coming)
    if not FIRST_YEAR <= found.year <= LAST_YEAR:
        raise QuantityError(repr(text[:40]), f"a year from {FIRST_YEAR} to {LAST_YEAR}", "24 Nov 2026 19:30")
    return found


def _near_time(text: str, here: datetime, coming: bool) -> datetime:
    alone = read_clock(text)
    if alone is not None:
        found = datetime.combine(here, alone)
        if coming:
            return found if found >= here else found + timedelta(days=1)
        return found if found <= here + CLOCKS_APART else found - timedelta(days=1)
    day, clock = split(text)
    if clock is None:
        raise QuantityError(repr(text[:40]), "a date and time", "18:30, yesterday 18:30 or 24 Nov 2026 18:30")
    return datetime.combine(day_from(day, here.date(), coming), clock)


CLOCKS_APART = timedelta(minutes=5)
"""Two clocks of one house may differ so much: a reading may be so far ahead of now."""


def shown(day: date) -> str:
    """A day as it stands in a field: `2 Oct 2026`."""
    return f"{day:%-d %b %Y}"


def shown_time(at: datetime) -> str:
    """A local time as it stands in a field: `2 Oct 2026 18:30`."""
    return f"{shown(at)} {at:%H:%M}"
