"""Days and hours as people and spreadsheets write them: `2026-11-24 19:30`, `24.11.26`, `3:30 pm`, `24 Nov 2026`.

Whether `3/11/2026` is in March or in November cannot be known from itself: then it is asked, not guessed.
"""

import re
from datetime import date, datetime, time, timedelta

LONGEST = 60
"""No date and time is written in more letters."""

DAY_FIRST, MONTH_FIRST = "day first", "month first"

_MONTHS = {name: n for n, names in enumerate((
    "jan january", "feb february", "mar march", "apr april", "may", "jun june", "jul july", "aug august",
    "sep sept september", "oct october", "nov november", "dec december"), 1) for name in names.split()}

_HOUR_ALONE = re.compile(r"(\d{1,2}) ?(?:h|uhr)", re.ASCII)
_CLOCK = re.compile(r"(\d{1,2})(?:[:.h ](\d{2}))?(?::(\d{2})(?:\.\d{1,6})?)?\s?(am|pm|a\.m\.|p\.m\.)?", re.ASCII)
_YEAR_FIRST = re.compile(r"(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})", re.ASCII)
_NUMBERS = re.compile(r"(\d{1,2})([-/.])(\d{1,2})\2(\d{4}|\d{2})", re.ASCII)
_NAMED = re.compile(r"(\d{1,2})(?:st|nd|rd|th)?[-. ]{1,2}([a-z]{3,9})[-., ]{1,2}(\d{4})", re.ASCII)
_MONTH_ALONE = re.compile(r"(\d{4})[-/.](\d{1,2})|([a-z]{3,9})\.? (\d{4})", re.ASCII)
_NO_YEAR = re.compile(r"(\d{1,2})(?:st|nd|rd|th)?[-. ]{1,2}([a-z]{3,9})\.?|([a-z]{3,9})\.? (\d{1,2})(?:st|nd|rd|th)?"
                      r"|(\d{1,2})\.(\d{1,2})\.", re.ASCII)
_NAMED_FIRST = re.compile(r"([a-z]{3,9})\.? (\d{1,2})(?:st|nd|rd|th)?,? (\d{4})", re.ASCII)


class TwoWays(ValueError):
    """A date that can be read two ways; `first` and `second` are both, day first and month first."""

    def __init__(self, first: date, second: date) -> None:
        self.first, self.second = first, second
        super().__init__(f"can be read as {first:%-d %b %Y} or {second:%-d %b %Y}")


def read_clock(text: str) -> time | None:
    """A time of day: `13:40`, `13.40`, `13h40`, `20h`, `1:40 pm`, `7 am`; None when it is none."""
    text = " ".join(text.lower().split())
    if alone := _HOUR_ALONE.fullmatch(text[:LONGEST]):
        return time(int(alone[1])) if int(alone[1]) < 24 else None
    match = _CLOCK.fullmatch(text) if len(text) <= LONGEST else None
    if match is None:
        return None
    hour, minute, second, half = match.groups()
    if half is None and minute is None:
        return None  # a bare number is no time of day
    hour = int(hour)
    if half:
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + (12 if half.startswith("p") else 0)
    try:
        return time(hour, int(minute or 0), int(second or 0))
    except ValueError:
        return None


def read_day(text: str, order: str = "") -> date:
    """A day; `order` says which of two small numbers is the day, "" that it is not known.

    Between dots the day stands first, as is the custom wherever dots are used. Raises TwoWays, ValueError.
    """
    text = " ".join(text.lower().split())
    if len(text) > LONGEST:
        raise ValueError("too long")
    if match := _YEAR_FIRST.fullmatch(text):
        return date(*map(int, match.groups()))
    if match := _NUMBERS.fullmatch(text):
        a, mark, b, year = match.groups()
        return _of_numbers(int(a), int(b), _year(year), DAY_FIRST if mark == "." and not order else order)
    if (match := _NAMED.fullmatch(text)) and match[2] in _MONTHS:
        return date(int(match[3]), _MONTHS[match[2]], int(match[1]))
    if (match := _NAMED_FIRST.fullmatch(text)) and match[1] in _MONTHS:
        return date(int(match[3]), _MONTHS[match[1]], int(match[2]))
    raise ValueError("no day")


def month_end(text: str) -> date:
    """The last day of a month that stands alone: `2026-03`, `March 2026`. Raises ValueError."""
    found = _MONTH_ALONE.fullmatch(" ".join(text.lower().split())[:LONGEST])
    if found is None or found[3] and found[3] not in _MONTHS:
        raise ValueError("no month")
    year, month = (int(found[4]), _MONTHS[found[3]]) if found[3] else (int(found[1]), int(found[2]))
    first = date(year, month, 1)
    return (first + timedelta(days=31)).replace(day=1) - timedelta(days=1)


def without_year(text: str) -> tuple[int, int]:
    """Month and day of a day that is written without its year: `24 Nov`, `Nov 24`, `24.11.` Raises ValueError."""
    found = _NO_YEAR.fullmatch(" ".join(text.lower().split())[:LONGEST])
    name = found and (found[2] or found[3])
    if found is None or name and name not in _MONTHS:
        raise ValueError("no day")
    if name:
        return _MONTHS[name], int(found[1] or found[4])
    return int(found[6]), int(found[5])


def _of_numbers(a: int, b: int, year: int, order: str) -> date:
    if order == DAY_FIRST:
        return date(year, b, a)
    if order == MONTH_FIRST:
        return date(year, a, b)
    if a != b and a <= 12 and b <= 12:
        raise TwoWays(date(year, b, a), date(year, a, b))
    return date(year, b, a) if a > 12 or a == b else date(year, a, b)


def _year(text: str) -> int:
    return int(text) if len(text) == 4 else 2000 + int(text)


def read_when(text: str, order: str = "") -> datetime:
    """A day with a time of day; aware when an offset is written with it (ISO 8601).

    Raises TwoWays, and ValueError for a day without a time and for anything else.
    """
    text = text.strip()
    if not 8 <= len(text) <= LONGEST:
        raise ValueError("no date and time")
    if re.match(r"\d{4}-\d\d-\d\d[T ]\d", text, re.ASCII):
        try:
            return datetime.fromisoformat(text)
        except ValueError:
            pass
    day, clock = split(text)
    if clock is None:
        raise ValueError("a day without a time")
    return datetime.combine(read_day(day, order), clock)


def split(text: str) -> tuple[str, time | None]:
    """A text as its day and its time of day (None where no time follows the day)."""
    words = text.replace("T", " ", 1).split() if re.match(r"\d{4}-", text) else text.split()
    for n in range(1, min(4, len(words))):
        clock = read_clock(" ".join(words[n:]))
        if clock is not None:
            return " ".join(words[:n]).rstrip(","), clock
    return text, None
