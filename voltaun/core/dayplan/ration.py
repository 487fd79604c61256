"""When it is short: what leaving each load off buys, the spare ones first and the essential ones never."""

from dataclasses import dataclass

import numpy as np

from voltaun.core.dayplan.ahead import Ahead
from voltaun.core.dayplan.tonight import uses_by_step
from voltaun.core.outlook.autonomy import dark_days
from voltaun.core.rig.parts import PRIORITIES
from voltaun.core.stats import middle


@dataclass(frozen=True)
class Rationed:
    """A load left off for three days: Wh that it would take, hours in hand that it buys on the middle, and the chance
    of passing the everyday floor that is left."""

    load: str
    wh: float
    hours_gained: float
    chance_after: float


def ration(ahead: Ahead) -> list[Rationed]:
    """What leaving each load off buys, by priority, what buys most first; none of the essential ones."""
    rig, ready = ahead.ready.ask.rig, ahead.ready
    grid = ready.grid
    standby = (rig.bank.standby_w * ahead.hours)[:, None]
    load = ready.load[ahead.steps]
    above = (ahead.made.level[ahead.steps.start] - ahead.floor) * ready.energy
    before = middle(dark_days(above, np.cumsum(load + standby, axis=0), ahead.hours))
    passed = np.flatnonzero(ahead.passes(ahead.made.level[ahead.steps.start:ahead.steps.stop + 1]))
    clock = grid.clock_hours[ahead.steps]
    months = np.array([day.month for day in grid.days])[grid.day_of_step[ahead.steps]]
    found: list[tuple[int, Rationed]] = []
    for each in rig.loads:
        if each.priority == PRIORITIES[0]:
            continue
        spared = uses_by_step(rig, each, clock, months, ahead.hours)
        left = np.maximum(load - spared[:, None].astype(load.dtype), 0.0)
        gained = middle(dark_days(above, np.cumsum(left + standby, axis=0), ahead.hours)) - before
        # What passed the floor with it may not without; what did not, does not.
        still = ahead.passes(ahead.run(left[:, passed] - load[:, passed], passed).level).sum() if len(passed) else 0
        if spared.sum() > 0:
            found.append((PRIORITIES[::-1].index(each.priority), Rationed(
                each.name, float(spared.sum()), 24 * gained if np.isfinite(gained) else 0.0,
                float(still / load.shape[1]))))
    return [of for _, of in sorted(found, key=lambda pair: (pair[0], -pair[1].wh))]
