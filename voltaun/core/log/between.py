"""What a bank may have done between two readings that were a day apart."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from voltaun.core.log.ledger import Interval
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun

FULL_BETWEEN = 0.92
"""The sun may have filled the bank where a path between two readings, laid evenly, comes so high: what it gave until it
was held back came earlier in the day than that."""

BETWEEN_HOURS = (18.0, 30.0)
"""So far apart are readings once a day; of nearer ones some show a full bank themselves."""

LOOKS = 49
"""At so many instants the path is looked at."""


def with_full_between(rig: Rig, made: Sequence[Interval], sun: RigSun | None) -> list[Interval]:
    """The intervals with `full_about`, the instant at which the bank may have been full between two readings, as who
    reads once a day, at night, never sees: the harvest is laid by the hours of the clear sky, all else evenly."""
    apart = [n for n, i in enumerate(made) if BETWEEN_HOURS[0] <= i.hours <= BETWEEN_HOURS[1] and i.harvest["solar"]
             and i.clear_sky_wh and i.soc_start is not None and i.soc_end is not None]
    if sun is None or not apart:
        return list(made)
    begin, hours, low, high, solar, clear = np.array([
        (i.start.timestamp(), i.hours, i.soc_start, i.soc_end, i.harvest["solar"], i.clear_sky_wh)
        for i in (made[n] for n in apart)], dtype=float).T
    passed = np.linspace(0, 1, LOOKS)
    at = begin[:, None] + 3600 * hours[:, None] * passed
    path = low[:, None] + (solar / clear / effective_energy(rig).wh)[:, None] * (
        sun.total.at(at) - sun.total.at(begin)[:, None])
    path += (high - path[:, -1])[:, None] * passed
    found, best = list(made), path.argmax(axis=1)
    for n in np.flatnonzero(path.max(axis=1) >= FULL_BETWEEN):
        found[apart[n]] = replace(found[apart[n]], full_about=datetime.fromtimestamp(at[n, best[n]], UTC))
    return found
