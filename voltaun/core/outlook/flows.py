"""What flows in the steps of an outlook: what planned sources give, and what is used.

Plans count from now on, never backwards to the last reading: what happened since is for the log to say.
"""

from collections.abc import Collection

import numpy as np

from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.grid import Grid
from voltaun.core.outlook.plans import SOURCE_OF, planned_watts, use_changes
from voltaun.core.rig.loads import hourly_shapes


def planned(ask: Ask, grid: Grid, kinds: Collection[str] = tuple(SOURCE_OF)) -> np.ndarray:
    """What planned sources give in each step, Wh, shape (steps,); kinds  of plan that count."""
    watts = planned_watts(ask.rig, [plan for plan in ask.plans if plan.kind in kinds], grid.days)
    watts = grid.kept_whole(watts, ask.rig.zone)
    given = watts[grid.day_of_step, grid.clock_hours] * grid.hours
    given[:grid.now] = 0.0
    return np.asarray(given)


def loads(ask: Ask, grid: Grid, uses: np.ndarray, unseen_wh: np.ndarray, shapes: np.ndarray,
          nights: "tuple[np.ndarray, np.ndarray] | None" = None) -> np.ndarray:
    """What is used in each step and future with what draws unseen and what plans change, Wh, (steps, futures).

    uses  of each local day, Wh, shape (days, futures), without plans; shapes  its share in each clock hour of each of
    the grid's months, shape (months, 24, futures); unseen_wh  beside it in each future, a day, at all hours alike,
    shape (futures,)
    nights  where only nights are known: which night each step lies in (0: none), shape (steps,), and what each takes,
    W, shape (nights, futures)
    """
    usual = hourly_shapes(ask.rig, grid.days)
    factor, more = use_changes(ask.rig, ask.plans, grid.days, usual)
    more = grid.kept_whole(more, ask.rig.zone)
    load = uses[grid.day_of_step]
    load[grid.now:] *= factor[grid.day_of_step[grid.now:], None].astype(uses.dtype)
    load *= shapes[grid.month_of_step, grid.clock_hours].astype(uses.dtype)
    for n, lengths in grid.odd_days(ask.rig.zone).items():  # the day's use is what it is, however long the day
        of_day = shapes[grid.months.index(grid.days[n].month)]
        load[grid.day_of_step == n] /= (of_day * lengths[:, None]).sum(axis=0).astype(uses.dtype)
    if nights is not None:
        night, watts = nights
        dark = night > 0
        load[dark] = watts[night[dark] - 1]
        ahead = dark & (np.arange(len(night)) >= grid.now)
        load[ahead] *= factor[grid.day_of_step[ahead], None].astype(uses.dtype)
    load += (unseen_wh / 24).astype(uses.dtype)
    load *= grid.hours[:, None].astype(uses.dtype)
    load[grid.now:] += (more[grid.day_of_step, grid.clock_hours] * grid.hours).astype(uses.dtype)[grid.now:, None]
    return np.asarray(np.maximum(load, 0, out=load))
