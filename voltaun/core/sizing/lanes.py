"""The run: options × years side by side, hour after hour, and what is counted of each.

The step is the outlook's own (`simulate.BankStep`), so energy is conserved alike. Sun comes as W × series and use as a
row for all options; only what an option changes stands in an array of its own.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from voltaun.core.outlook.outlook import LEVEL_GRAIN
from voltaun.core.outlook.simulate import BankStep
from voltaun.core.rig.bank import STATION_AC_SHARE, charge_limit, controller_limit, rated_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.years import EARLY_DAYS, Years


@dataclass(frozen=True)
class Lane:
    """One option as the run sees it.

    added_w    W more on the plane of the first array; strings  more of the bank's own strings
    more_wh    what it changes of the use (below 0 saves), Wh in each hour of a weather year, or None
    brought_w  what is started by hand by plan, W at the terminals in each hour, or None
    rule       (start, stop, W): a generator that is started at one level and run to another (fractions), or None
    """

    added_w: float = 0.0
    strings: int = 0
    more_wh: np.ndarray | None = None
    brought_w: np.ndarray | None = None
    rule: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class Counted:
    """What came of each option in each year, arrays of shape (options, years); days are local days.

    below, unserved_days  with the level below the everyday floor, and with load unserved, at some time
    unserved_wh, spilt_wh  Wh; longest  of the runs of days below; generator_h, brought_wh  started by rule and by plan
    """

    below: np.ndarray
    unserved_days: np.ndarray
    unserved_wh: np.ndarray
    spilt_wh: np.ndarray
    longest: np.ndarray
    generator_h: np.ndarray
    brought_wh: np.ndarray


def run(rig: Rig, years: Years, lanes: Sequence[Lane], going: Callable[[float], bool] = lambda part: True,
        early_days: int = EARLY_DAYS, start: float | np.ndarray = 1.0) -> Counted | None:
    """Run every option through every year, each beginning `early_days` before it counts, from full.

    going  told how far it is, 0 to 1; when it says no the run ends with None
    start  another level to begin at, a fraction, or one for each option and year
    """
    hours, count = years.use.shape
    shape = (len(lanes), count)
    tally = _Tally(rig, shape)
    bank = _Banks(rig, years, lanes, shape, start)
    for day in range(hours // 24):
        if day % 16 == 0 and not going(day / (hours // 24)):
            return None
        counts = day >= early_days
        for hour in range(24 * day, 24 * day + 24):
            bank.pass_an_hour(hour)
            if counts:
                tally.see(bank, hour)
        if counts:
            tally.close_the_day()
    return tally.counted(bank)


def last_levels(rig: Rig, years: Years, lanes: Sequence[Lane], days: int = 365) -> np.ndarray:
    """The levels at which the years end, begun from full so many days before their end, (options, years)."""
    shape = (len(lanes), years.count)
    bank = _Banks(rig, years, lanes, shape, 1.0)
    hours = years.use.shape[0]
    for hour in range(max(0, hours - 24 * days), hours):
        bank.pass_an_hour(hour)
    return bank.level


class _Banks:
    """The banks of all options and years, and what happened to each in the last hour."""

    def __init__(self, rig: Rig, years: Years, lanes: Sequence[Lane], shape: tuple[int, int],
                 start: float | np.ndarray):
        kind = np.float32
        strings = np.array([lane.strings for lane in lanes], dtype=kind)
        string_wh = string_energy(rig)
        self._years = years
        self._step = BankStep(rig, years.energy[None] * years.energy_wh + strings[:, None] * string_wh, shape, kind)
        self._limit = (charge_limit(rig) * (1 + strings / rig.bank.parallel)).astype(kind)[:, None]
        self._added = np.array([lane.added_w for lane in lanes], dtype=kind)[:, None]
        self._controllers = [controller_limit(rig, array) for array in rig.arrays] or [None]
        self._input = rig.bank.solar_input_w
        self._use = years.use + np.float32(rig.bank.standby_w)
        # Few options have these: each by itself costs less than a column for all.
        # (Nothing can be saved of a use that is not there.)
        self._more = [(n, np.maximum(lane.more_wh.astype(kind)[:, None], -years.use))
                      for n, lane in enumerate(lanes) if lane.more_wh is not None]
        self._loads = [(n, years.use + more) for n, more in self._more]
        self._brought = [(n, lane.brought_w.tolist()) for n, lane in enumerate(lanes) if lane.brought_w is not None]
        self._rules = [(n, lane.rule) for n, lane in enumerate(lanes) if lane.rule is not None]
        self._running = {n: np.zeros(shape[1], dtype=bool) for n, _ in self._rules}
        self.level, self._after = np.full(shape, start, kind), np.empty(shape, kind)
        self.spilt, self.missing, self.into = np.empty(shape, kind), np.empty(shape, kind), np.empty(shape, kind)
        self.ran_h, self.brought_wh = np.zeros(shape), np.zeros(shape)

    def pass_an_hour(self, hour: int) -> None:
        """One hour of all of them."""
        years, net = self._years, self.spilt
        arrays = years.sun[:, hour]
        np.multiply(self._added, arrays[-1], out=net)
        if len(arrays) > 1:
            net += arrays[0]
        if self._controllers[0] is not None:
            np.minimum(net, self._controllers[0], out=net)
        for limit, of in zip(self._controllers[1:], arrays[1:-1], strict=True):
            net += of if limit is None else np.minimum(of, limit)
        if self._input is not None:
            np.minimum(net, self._input, out=net)
        net -= self._use[hour]
        for n, more in self._more:
            net[n] -= more[hour]
        for n, brought in self._brought:
            if brought[hour]:
                net[n] += brought[hour]
        for n, (start, stop, watts) in self._rules:
            level = self.level[n]
            self._running[n] = (level < start) | (self._running[n] & (level < stop))
            net[n] += self._running[n] * np.float32(watts)
        np.negative(net, out=self.missing)
        np.maximum(self.missing, self._step.nought, out=self.missing)
        np.maximum(net, self._step.nought, out=net)
        self._step.take(self.level, net, self.missing, self._limit, self.into, self._after)
        self.level, self._after = self._after, self.level

    def started(self, hour: int) -> None:
        """Count what was started by rule and by plan in the hour that passed."""
        for n, _ in self._rules:
            self.ran_h[n] += self._running[n]
        for n, brought in self._brought:
            if brought[hour]:
                self.brought_wh[n] += brought[hour]

    def unserved(self, hour: int) -> np.ndarray:
        """Of what was missing in the hour that passed the load's part, Wh: standby is none."""
        changed = [(n, np.minimum(self.missing[n], load[hour])) for n, load in self._loads]
        np.minimum(self.missing, self._years.use[hour], out=self.missing)
        for n, row in changed:
            self.missing[n] = row
        return self.missing


def string_energy(rig: Rig) -> float:
    """What one more string, or one more pack of a station, holds as printed, Wh at the battery's terminals."""
    printed = rated_energy(rig.bank) / rig.bank.parallel
    if not rig.bank.is_station:
        return printed
    return printed * min(1.0, STATION_AC_SHARE / (rig.inverter.efficiency if rig.inverter else 1.0))


class _Tally:
    """What is counted, hour by hour and at the end of each day."""

    def __init__(self, rig: Rig, shape: tuple[int, int]):
        self._floor = rig.bank.everyday_floor - LEVEL_GRAIN
        self._lowest, self._short = np.full(shape, 2.0, np.float32), np.zeros(shape, np.float32)
        self._below, self._days, self._now, self._longest = (np.zeros(shape, np.int32) for _ in range(4))
        self._unserved, self._spilt = np.zeros(shape), np.zeros(shape)
        self._spilt_today = np.zeros(shape, np.float32)

    def see(self, bank: _Banks, hour: int) -> None:
        """Take in the hour that passed."""
        np.minimum(self._lowest, bank.level, out=self._lowest)
        self._short += bank.unserved(hour)
        self._spilt_today += bank.spilt
        bank.started(hour)

    def close_the_day(self) -> None:
        """Count the day that ended."""
        below = self._lowest < self._floor
        self._below += below
        self._now += 1
        self._now *= below
        np.maximum(self._longest, self._now, out=self._longest)
        self._days += self._short > UNSERVED_WH
        self._unserved += self._short
        self._spilt += self._spilt_today
        self._lowest[:], self._short[:], self._spilt_today[:] = 2.0, 0.0, 0.0

    def counted(self, bank: _Banks) -> Counted:
        """All of it."""
        return Counted(self._below, self._days, self._unserved, self._spilt, self._longest, bank.ran_h, bank.brought_wh)


UNSERVED_WH = 0.01
"""Less unserved in a day is rounding, Wh."""
