"""Reasons: what the core tells as a code with figures, and `words.reasons` says in sentences.

The exceptions of the reckoning:

    Unreckoned                  there is no figure, for a reason
      NoOutlook                 too little is known to look ahead
      NotYet                    too little is known for a finding on the bench
      Misread                   a reading on the bench cannot be
        CounterFell             a counter reads less than before: a reset, or a slip
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any


@dataclass(frozen=True)
class Reason:
    """A code, and the figures that its sentence needs, by name; units as in the core."""

    code: str
    figures: Mapping[str, Any]


def reason(code: str, **figures: Any) -> Reason:
    """A reason of this code with these figures."""
    return Reason(code, figures)


class Unreckoned(Exception):
    """There is no figure; `reason` says why."""

    def __init__(self, code: str, **figures: Any):
        self.reason = Reason(code, figures)
        super().__init__(f"{code} {figures or ''}".strip())


class NoOutlook(Unreckoned):
    """There is not enough to look ahead from."""


class NotYet(Unreckoned):
    """Too little is known for a finding."""


class Misread(Unreckoned, ValueError):
    """A reading that cannot be; `at` tells which."""

    def __init__(self, code: str, at: datetime | None = None, **figures: Any):
        self.at = at
        super().__init__(code, **figures)


class CounterFell(Misread):
    """A counter reads less than before: a reset, or a slip. It is asked about and never used silently."""
