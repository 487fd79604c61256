"""Sun that will find the bank full, and the user's list of what to do with it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from voltaun.core.dayplan.hours import Hour
from voltaun.core.rig.parts import SpillThing

LEAST_RUN_H = 0.25
"""Nothing is started for less than this."""


@dataclass(frozen=True)
class Laid:
    """A thing of the spill list with its run and what it takes, Wh."""

    thing: str
    start: datetime
    end: datetime
    wh: float


def lay(hours: Sequence[Hour], wanted: Sequence[SpillThing]) -> list[Laid]:
    """Lay the things, in the user's order, into hours whose sun is probably spilt: each as early as there is enough for
    it while it runs, for as long as that lasts or it takes.

    An hour counts with what half of the futures spill in it at least. Two things run together where there is sun for
    both.
    """
    spare = np.array([hour.spilt_wh.p50 for hour in hours])
    lengths = np.array([(hour.end - hour.start).total_seconds() / 3600 for hour in hours])
    found = []
    for thing in wanted:
        enough = spare >= thing.watts * lengths - 1e-6
        for first in np.flatnonzero(enough).tolist():
            last = first
            while last < len(hours) and enough[last]:
                last += 1
            lasts = min(float(lengths[first:last].sum()), thing.wh / thing.watts)
            if lasts < LEAST_RUN_H:
                continue
            begun = hours[first].start
            left = lasts
            for n in range(first, last):
                part = min(left, float(lengths[n]))
                spare[n] -= thing.watts * part
                left -= part
            found.append(Laid(thing.name, begun, begun + timedelta(hours=lasts), thing.watts * lasts))
            break
    return found
