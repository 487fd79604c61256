"""What people did with a day's plan."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import date


@dataclass(frozen=True)
class Marks:
    """What people did with the plan, by day: names of loads that ran, and clock hours to which a hand moved one (None:
    dropped)."""

    done: Mapping[date, Collection[str]] = field(default_factory=dict)
    moved: Mapping[date, Mapping[str, float | None]] = field(default_factory=dict)

    def last_done(self, before: date) -> dict[str, date]:
        """The day of the last run of each load before a day."""
        return {name: day for day in sorted(self.done) if day < before for name in self.done[day]}
