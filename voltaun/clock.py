"""The one place that asks what time it is, so that tests and screenshots can fix the answer."""

import os
from datetime import UTC, datetime


def now() -> datetime:
    """The present instant in UTC, to the second; `VOLTAUN_NOW` (ISO 8601 with an offset) fixes it."""
    fixed = os.environ.get("VOLTAUN_NOW")
    if not fixed:
        return datetime.now(UTC).replace(microsecond=0)
    try:
        instant = datetime.fromisoformat(fixed)
        if instant.tzinfo is None:
            raise ValueError
    except ValueError as error:
        raise ValueError(f"VOLTAUN_NOW: found {fixed[:40]!r}, expected an instant with an offset, "
                         "such as 2026-11-24T19:30+11:00") from error
    return instant.astimezone(UTC)


def runs() -> bool:
    """Whether it is the machine's own clock, which can be compared with another's."""
    return not os.environ.get("VOLTAUN_NOW")
