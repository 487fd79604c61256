"""Followed, would it have helped? The allowance of each past evening, made with only what was known then, held against
the levels that were read in the three days after it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from voltaun.core.dayplan.ahead import Ahead
from voltaun.core.dayplan.tonight import tonight
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.backtest import past_outlooks
from voltaun.core.outlook.simulate import LEVEL_GRAIN, simulate
from voltaun.core.outlook.ways import ADVISED_DAYS
from voltaun.core.rig.bank import FULL_SOC
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun

EVENING = 17
"""Readings from this local clock hour on are evenings."""

FUTURES = 400
"""So many futures of each past evening are enough to tell what was allowed."""


@dataclass(frozen=True)
class Record:
    """Evenings on which something was allowed; on how many of them all of it spent would have passed the everyday
    floor, as far as readings show; and on how many it was passed with nothing spent."""

    evenings: int
    passed: int
    passed_anyway: int


def record(rig: Rig, readings: Sequence[Reading], sun: RigSun | None, first: datetime, seed: int = 1) -> Record:
    """Look back on every evening from an instant on.

    An evening counts where its level was read, three days after it were, nothing was started by hand in them, and it
    was above the floor. What was spent is paid back once the bank is read full.
    """
    floor = rig.bank.everyday_floor - LEVEL_GRAIN
    evenings = passed = anyway = 0
    for each in past_outlooks(rig, readings, sun, first, ADVISED_DAYS, FUTURES, seed):
        ready = each.ready
        at = ready.ask.as_of
        after = [reading for reading in each.read if reading.soc is not None]
        if (at.astimezone(rig.zone).hour < EVENING or ready.planned.any() or ready.standing.read_at != at
                or ready.standing.read_soc < floor or not after
                or after[-1].at - at < timedelta(days=ADVISED_DAYS - 1, hours=12)):
            continue
        made = simulate(rig, ready.energy, ready.start, ready.harvest, ready.load, ready.grid.hours,
                        ready.standing.temp_c)
        allowed = tonight(Ahead.of(ready, made)).may_spend_wh
        if allowed <= 0:
            continue
        evenings += 1
        spent = allowed / ready.standing.energy.mean
        fell = below = False
        for reading in after:
            level = reading.soc or 0.0
            below |= level < floor
            fell |= level - spent < floor
            if level >= FULL_SOC or reading.full_at is not None:
                spent = 0.0
        passed, anyway = passed + fell, anyway + below
    return Record(evenings, passed, anyway)
