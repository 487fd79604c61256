"""What the books of an interval leave over, beside what this log usually leaves: is one of its figures a slip?

Where level, harvest and use are read, what is left over is what the ledger calls unexplained; where the use is not, it
is how far the use that the rest tells is from the usual one. Either is small against the bank and about the same each
day, so that a level, a sun or a use off by its decimal stands out, whatever the log's own habits and doubts are.
"""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from voltaun.core.learned.use import UseLearned
from voltaun.core.log.ledger import READ, Interval, intervals
from voltaun.core.log.reading import Reading
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCE_TABLE
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.stats import middle

LEAST_KNOWN = 8
"""With fewer intervals known nothing is said of what is usual."""

TIMES_SPREAD, TIMES_MOST = 5.0, 1.3
"""So many times the usual spread, and so many times the most that was left before, is asked about."""

GRAIN = 0.05
"""What is left over may be so much of the bank whatever the log says: a level is read to a point, or to five."""

NEW_ROOM, NEW_SHARE = 0.15, 0.3
"""Before the log tells: so much of the bank, and so much of the change of level, for what is on a label only."""

CUT = 40
"""One in so many of the intervals is left out of the most that was left: a slip may be among them."""


@dataclass(frozen=True)
class Usual:
    """What a kind of interval leaves over: the middle, the spread and the most, as fractions of the bank."""

    middle: float
    spread: float
    most: float

    def odd(self, left: float) -> bool:
        """Whether so much is more than what this log leaves."""
        return abs(left - self.middle) > max(TIMES_SPREAD * self.spread, TIMES_MOST * self.most, GRAIN)


def left_of(interval: Interval, use: UseLearned | None, energy_wh: float) -> tuple[str, float] | None:
    """What an interval leaves over, by kind ("read", or "reckoned" where its use was), as a fraction of the bank; None
    where its books are not full."""
    known = interval.soc_start is not None and interval.soc_end is not None and interval.soc_basis == READ
    if not known or "reset" in interval.marks:
        return None
    if interval.use_basis == READ and interval.unexplained_wh is not None:
        return READ, interval.unexplained_wh / energy_wh
    if interval.use_wh is None or interval.use_basis == READ or use is None:
        return None
    return interval.use_basis, (interval.use_wh - use.mean * interval.hours / 24) / energy_wh


def usual_left(made: Iterable[Interval], use: UseLearned | None, energy_wh: float) -> dict[str, Usual]:
    """What the intervals of a log leave over, by kind; none of a kind with fewer than `LEAST_KNOWN`."""
    by_kind: dict[str, list[float]] = {}
    for interval in made:
        found = left_of(interval, use, energy_wh)
        if found:
            by_kind.setdefault(found[0], []).append(found[1])
    return {kind: _usual(np.array(left)) for kind, left in by_kind.items() if len(left) >= LEAST_KNOWN}


def _usual(left: np.ndarray) -> Usual:
    usual = middle(left)
    off = np.sort(np.abs(left - usual))
    return Usual(usual, 1.4826 * middle(off), float(off[-1 - min(2, len(off) // CUT)]))


@dataclass(frozen=True)
class Slip:
    """A figure that the others contradict: its name, what it is and what would fit them (the level that they tell where
    no decimal does)."""

    name: str
    value: float
    fits: float
    by_decimal: bool


SLIPS = (10.0, 0.1)
"""A nought or a decimal too few, and too many."""


def slip_of(rig: Rig, usual: Mapping[str, Usual], use: UseLearned | None, energy_wh: float, before: Reading,
            reading: Reading, sun: RigSun | None) -> Slip | None:
    """The figure of a reading that is likely a slip; None where all of them go together, or nobody can tell."""
    def left(of: Reading) -> tuple[float, Usual] | None:
        found = left_of(intervals(rig, [before, of], sun)[0], use, energy_wh)
        if found is None:
            return None
        kind, over = found
        if kind in usual:
            return over, usual[kind]
        change = abs((of.soc or 0.0) - (before.soc or 0.0))
        return (over, Usual(0.0, 0.0, (NEW_ROOM + NEW_SHARE * change) / TIMES_MOST)) if kind == READ else None
    found = left(reading)
    if found is None or not found[1].odd(found[0]):
        return None
    over, known = found
    others = []
    for name, value in _typed(reading):
        for times in SLIPS:
            meant = value * times
            if name == "soc" and not 0.01 <= meant <= 1:
                continue
            changed: dict[str, Any] = {name: meant}
            again = left(replace(reading, **changed))
            if again and not again[1].odd(again[0]):
                others.append((abs(again[0] - again[1].middle), Slip(name, value, meant, True)))
    if others:
        return min(others, key=lambda of: of[0])[1]
    told = min(1.0, max(0.0, (reading.soc or 0.0) + over - known.middle))
    return Slip("soc", reading.soc or 0.0, told, False)


def _typed(reading: Reading) -> Iterator[tuple[str, float]]:
    """The figures that were typed and may be off by their decimal."""
    names = ["soc", "use_wh"]
    for source in SOURCE_TABLE:
        names += [name for name in (source.wh, source.hours) if name]
    for name in names:
        value = getattr(reading, name)
        if value:
            yield name, value
