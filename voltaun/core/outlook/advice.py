"""Advice that was run: of each way that a rig has the least that is enough, put through the futures (see `ways`).

Asked is about going below the everyday floor within three days, and about load that goes unserved. What cannot be
helped by all ways together is left out: there the chance would be 1 whatever is done.
"""

from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta

import numpy as np

from voltaun.core.outlook.lanes import RISKY
from voltaun.core.outlook.prepare import Prepared
from voltaun.core.outlook.present import Present
from voltaun.core.outlook.simulate import LEVEL_GRAIN, Futures
from voltaun.core.outlook.ways import ADVISED_DAYS, Search, Way
from voltaun.core.stats import quantiles

UPPER_END = 0.8
"""Of a level that was not read for long only the futures above this part of them are asked what they need."""


@dataclass(frozen=True)
class Advice:
    """What to do about the next days, the way that costs least first; no ways where nothing needs doing.

    days     how many days after today it looks at; until  the end of these days
    chance   of going below the everyday floor in them as things stand
    asks     whether something needs doing that can be done; enough  whether any of the ways, or all of them together,
             is enough, or nothing needs doing
    helped_from  the first instant from which on anything helps, where a lack before it is certain; else None
    despite  it is asked for even where the level stands at the upper end of what it may be: it was not read for long
    no_fuel  names of generators that are left out since their rule has no litres left
    """

    days: int
    until: datetime
    chance: float
    asks: bool
    enough: bool
    ways: tuple[Way, ...]
    helped_from: datetime | None = None
    despite: bool = False
    no_fuel: tuple[str, ...] = ()


def advise(ready: Prepared, made: Futures, now: Present) -> Advice:
    """What to do, by these futures.

    ready, made  the question and its futures; now  the present by them
    """
    steps = advised_steps(ready)
    end = steps.stop
    until = datetime.fromtimestamp(ready.grid.bounds[end], UTC)
    floor = ready.ask.rig.bank.everyday_floor
    below = made.level[steps.start + 1:end + 1] < floor - LEVEL_GRAIN
    chance = float(below.any(axis=0).mean()) if end > steps.start else 0.0
    empty = tuple(of.name for of in ready.ask.rig.generators[:1] if ready.ask.rule and ready.ask.rule.litres == 0)
    nothing = Advice(ADVISED_DAYS, until, chance, False, True, (), no_fuel=empty)
    if now.silent or end <= steps.start or chance <= RISKY and not _short(made, steps):
        return nothing
    which = np.arange(made.level.shape[1])
    if now.vague:
        # What was not read for long is asked about first; only what is needed at its upper end as well is asked for.
        which = np.flatnonzero(made.level[steps.start] >= quantiles(made.level[steps.start], (UPPER_END,)))
    search = Search(ready, made, steps, which, empty)
    if not search.asks:
        # What is risked all the same cannot be helped, or not be known before the level is read.
        return replace(nothing, enough=chance <= RISKY or now.vague)
    ways = search.ways()
    return replace(nothing, asks=True, enough=any(way.enough for way in ways), ways=tuple(ways),
                   helped_from=search.helped_from, despite=now.vague)


def advised_steps(ready: Prepared) -> slice:
    """What is left of today and the days after it that advice looks at."""
    end = ready.grid.steps_after(min(ready.ask.today + timedelta(days=ADVISED_DAYS), ready.grid.days[-1]))
    return slice(ready.grid.now, end)


def _short(made: Futures, steps: slice) -> bool:
    """Whether more futures than are taken are short of something in these steps."""
    return bool((made.missing[steps] > LEVEL_GRAIN * made.energy).any(axis=0).mean() > RISKY)
