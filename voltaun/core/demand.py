"""What the loads on the list take in a day, and how it lies over the hours."""

import numpy as np

from voltaun.core.inverter import idle_energy
from voltaun.core.rig import Load, Rig


def daily_use(rig: Rig, month: int | None = None) -> float | None:
    """DC-side use of the listed loads, Wh a day; None when no load is listed.

    AC loads are divided by the inverter's efficiency and its idle is added once if there is any.
    With a month (1–12) only the loads of that month count.
    """
    loads = [load for load in rig.loads if month is None or month in load.months]
    if not rig.loads:
        return None
    total = sum(load_dc_wh(rig, load) for load in loads)
    if rig.inverter and any(load.side == "ac" for load in loads):
        total += idle_energy(rig.inverter, 24)
    return total


def load_dc_wh(rig: Rig, load: Load) -> float:
    """One load's Wh a day on the DC side, without the inverter's idle."""
    through = rig.inverter.efficiency if rig.inverter and load.side == "ac" else 1.0
    return load.daily_wh / through


def hourly_shape(rig: Rig) -> np.ndarray:
    """Share of a day's use in each local clock hour, 24 numbers that sum to 1.

    A load that is always on is spread evenly, fixed hours and windows over their own hours. With no load
    on the list the day is flat.
    """
    shape = np.zeros(24)
    for load in rig.loads:
        shape += load_dc_wh(rig, load) * _pattern_shape(load.pattern)
    if rig.inverter and any(load.side == "ac" for load in rig.loads):
        shape += idle_energy(rig.inverter, 24) / 24
    total = shape.sum()
    return shape / total if total > 0 else np.full(24, 1 / 24)


def _pattern_shape(pattern) -> np.ndarray:
    if pattern == "always":
        return np.full(24, 1 / 24)
    start, end = pattern[1], pattern[2]
    if end <= start:
        end += 24
    # Overlap of [start, end] with each clock hour, wrapped round midnight.
    hours = np.arange(48)
    cover = np.clip(np.minimum(hours + 1, end) - np.maximum(hours, start), 0, 1)
    shape = cover[:24] + cover[24:]
    return shape / shape.sum()


def largest_set_running(rig: Rig) -> float | None:
    """Largest AC power that runs at once, W: loads that are always on, those of the hour, and one movable load.

    Movable loads can be kept apart, so only the largest of them counts. None when no AC load states its
    running W.
    """
    loads = [load for load in rig.loads if load.side == "ac" and load.running_w]
    if not loads:
        return None
    steady = sum(load.running_w for load in loads if load.pattern == "always")
    timed = np.zeros(24)
    for load in loads:
        if load.pattern != "always" and load.pattern[0] == "hours":
            timed += load.running_w * (_pattern_shape(load.pattern) > 0)
    movable = max((load.running_w for load in loads
                   if load.pattern != "always" and load.pattern[0] == "window"), default=0.0)
    return float(steady + timed.max() + movable)


def largest_surge(rig: Rig) -> float | None:
    """Largest start-up with everything else running, W; None when no AC load states its figures."""
    running = largest_set_running(rig)
    starts = [(load.surge_w or load.running_w) - load.running_w
              for load in rig.loads if load.side == "ac" and load.running_w]
    return None if running is None else running + max(starts)
