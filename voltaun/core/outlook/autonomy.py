"""Dark autonomy: how long the bank lasts if nothing comes in."""

from dataclasses import dataclass

import numpy as np

from voltaun.core.learned.account import Learned
from voltaun.core.rig.loads import daily_use
from voltaun.core.rig.rig import Rig


@dataclass(frozen=True)
class Drain:
    """What leaves the bank in a day with nothing coming in, Wh, and where the figure comes from: `days_known` of the
    log, or so many hours of it while it has no whole day."""

    use_wh: float
    standby_wh: float
    hidden_wh: float
    sd_wh: float
    days_known: int
    basis: str  # "log" or "loads"
    hours_known: float | None = None

    @property
    def wh(self) -> float:
        """All of it, Wh a day."""
        return self.use_wh + self.standby_wh + self.hidden_wh


def drain(rig: Rig, learned: Learned | None, month: int | None) -> Drain | None:
    """Daily drain from the log, or from the listed loads of the month while the log tells nothing.

    None when neither knows. The spread is that of the log's days, drawn to a quarter of the mean while
    there are few of them.
    """
    standby = rig.bank.standby_w * 24
    if learned and learned.use:
        use, days = learned.use, learned.use.intervals
        spread = ((days * (use.sd or 0) ** 2 + 3 * (0.25 * use.mean) ** 2) / (days + 3)) ** 0.5
        hidden = learned.steady_draw_w * 24 * use.read_share
        if use.hours is not None:
            return Drain(use.mean, standby, hidden, use.sd or 0.0, 0, "log", use.hours)
        return Drain(use.mean, standby, hidden, spread, days, "log")
    listed = daily_use(rig, month)
    if not listed:
        return None
    return Drain(listed, standby, 0.0, 0.4 * listed, 0, "loads")


def dark_autonomy(energy_wh: float, soc: float, floor: float, use_wh_per_day: float) -> float:
    """Days from a state of charge to a floor with nothing coming in.

    (soc − floor) × E / use per day; E the effective energy times the cold factor, Wh; 0 when already at
    or below the floor, infinite when nothing is used.
    """
    above = max(0.0, soc - floor) * energy_wh
    if above == 0:
        return 0.0
    return above / use_wh_per_day if use_wh_per_day > 0 else float("inf")



def dark_days(above_wh: np.ndarray, gone_wh: np.ndarray, hours: np.ndarray) -> np.ndarray:
    """Dark autonomy of each future: the days until what is above a floor is drained.

    above_wh  energy above the floor, shape (futures,)
    gone_wh   what has left the bank by the end of each step ahead with nothing coming in, shape (steps, futures)
    hours     length of each step, shape (steps,)
    Within a step it leaves evenly; past the last one as fast as it did on the mean. Infinite where nothing leaves.
    """
    whole, length = gone_wh[-1], hours.sum()
    step = np.minimum((gone_wh < above_wh).sum(axis=0), len(hours) - 1)
    future = np.arange(len(above_wh))
    before = np.where(step > 0, gone_wh[step - 1, future], 0.0)
    begun = np.concatenate(([0.0], np.cumsum(hours)))[step]
    with np.errstate(divide="ignore", invalid="ignore"):
        inside = begun + hours[step] * (above_wh - before) / (gone_wh[step, future] - before)
        beyond = above_wh / whole * length
    days = np.where(above_wh > whole, beyond, inside) / 24
    return np.asarray(np.where(above_wh <= 0, 0.0, days))


def momentary(rig: Rig, above_wh: float) -> tuple[float, float, float] | None:
    """Hours that a display which divides by the watts of the moment swings between, and the W of its least.

    above_wh  energy above the everyday floor. The most hours come when only what is always on and the inverter
    itself draw, the fewest when all that can run at once does: (fewest h, most h, W then). None without loads
    that state their W.
    """
    through = rig.inverter.efficiency if rig.inverter else 1.0
    idle = rig.bank.standby_w + (rig.inverter.idle_w if rig.inverter else 0.0)
    running = [(load.running_w or 0.0) / (through if load.side == "ac" else 1.0) for load in rig.loads]
    if not any(running):
        return None
    least = idle + sum(watts for load, watts in zip(rig.loads, running, strict=True)
                       if load.pattern == "always" and load.side == "dc")
    most = idle + sum(running)
    return above_wh / most, above_wh / max(least, 1.0), least
