"""The run: options × years side by side, hour after hour, and what came of each."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.banks import Banks
from voltaun.core.sizing.calendar import EARLY_DAYS
from voltaun.core.sizing.lanes import Lane, lane_since
from voltaun.core.sizing.years import Years


@dataclass(frozen=True)
class Counted:
    """What came of each option in each year, arrays of shape (options, years); days are local days.

    below, unserved_days  with the level below the everyday floor, and with load unserved, at some time
    unserved_wh, spilt_wh  Wh; longest  of the runs of days below; generator_h, brought_wh  started by rule and by plan
    level  at the end, fraction
    """

    below: np.ndarray
    unserved_days: np.ndarray
    unserved_wh: np.ndarray
    spilt_wh: np.ndarray
    longest: np.ndarray
    generator_h: np.ndarray
    brought_wh: np.ndarray
    level: np.ndarray


def run(rig: Rig, years: Years, lanes: Sequence[Lane], going: Callable[[float], bool] = lambda part: True,
        early_days: int = EARLY_DAYS, start: float | np.ndarray = 1.0,
        each_day: Callable[[np.ndarray], None] | None = None) -> Counted | None:
    """Run every option through every year, each beginning `early_days` before it counts, from full.

    going  told how far it is, 0 to 1; when it says no the run ends with None
    start  another level to begin at, a fraction, or one for each option and year
    each_day  is shown the levels at the end of each hour of every day, (24, options, years)
    """
    # What only adds comes first, by its use, and what follows from the level last, so that each lies in one piece.
    order = sorted(range(len(lanes)), key=lambda n: (not lanes[n].shares_rows, lanes[n].by_level, lanes[n].use_key
                                                     if lanes[n].shares_rows else (0, 0)))
    begin = np.broadcast_to(np.asarray(start, np.float32), (len(lanes), years.count))
    banks = Banks(rig, years, [lanes[n] for n in order], begin[order])
    days, back = years.use.shape[0] // 24, np.argsort(order)
    for day in range(days):
        if day % 16 == 0 and not going(day / days):
            return None
        banks.pass_a_day(day, day >= early_days)
        if each_day:
            each_day(banks.levels_of_day()[:, back])
    return Counted(*(values[back] for values in banks.counted()))


def last_levels(rig: Rig, years: Years, lanes: Sequence[Lane], days: int = 365) -> np.ndarray:
    """The levels at which the years end, begun from full so many days before their end, (options, years)."""
    cut = max(0, years.use.shape[0] - 24 * days)
    counted = run(rig, years.since(cut), [lane_since(lane, cut) for lane in lanes], early_days=0)
    assert counted is not None
    return counted.level
