"""What flows in the steps of an outlook: what planned sources give, and what is used."""

import numpy as np

from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.grid import Grid
from voltaun.core.outlook.plans import planned_watts, use_changes
from voltaun.core.rig.loads import hourly_shape


def planned(ask: Ask, grid: Grid) -> np.ndarray:
    """What planned sources give in each step, Wh, shape (steps,)."""
    watts = planned_watts(ask.rig, ask.plans, grid.days)
    return np.asarray(watts[grid.day_of_step, grid.clock_hours] * grid.hours)


def loads(ask: Ask, grid: Grid, uses: np.ndarray, unseen_wh: np.ndarray, shapes: np.ndarray) -> np.ndarray:
    """What is used in each step and future with what draws unseen and what plans change, Wh, (steps, futures).

    uses  of each local day, Wh, shape (days, futures), without plans; shapes  its share in each clock hour, shape
    (24, futures); unseen_wh  beside it in each future, a day, shape (futures,)
    """
    factor, more = use_changes(ask.rig, ask.plans, grid.days, hourly_shape(ask.rig))
    load = (uses * factor[:, None] + unseen_wh).astype(uses.dtype)[grid.day_of_step]
    load *= (shapes[grid.clock_hours] * grid.hours[:, None]).astype(uses.dtype)
    load += (more[grid.day_of_step, grid.clock_hours] * grid.hours)[:, None]
    return np.asarray(np.maximum(load, 0, out=load))
