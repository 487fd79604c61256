"""The run: options × years side by side, hour after hour, and what is counted of each.

The step is the outlook's own (`simulate.BankStep`), so energy is conserved alike. What only adds panels and strings of
the bank's own runs as W × series on rows that all of it shares; what changes anything else has its hours made before.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from voltaun.core.outlook.outlook import LEVEL_GRAIN
from voltaun.core.outlook.simulate import BankStep
from voltaun.core.rig.bank import STATION_AC_SHARE, charge_limit, controller_limit, rated_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.years import EARLY_DAYS, Years

UNSERVED_WH = 0.01
"""Less unserved in a day is rounding, Wh."""


@dataclass(frozen=True)
class Lane:
    """One option as the run sees it; arrays hold each hour of a weather year.

    added_w       W more on the plane that the years have as their last; strings  more of the bank's own strings
    more_wh       what it changes of the use (below 0 saves), Wh; use_share  what part of the use there is
    saved_low     (level, Wh in each hour): saved only while the level is below that fraction
    brought_w     what is started by hand by plan, W at the terminals
    rule          (start, stop, W): a generator that is started at one level and run to another (fractions)
    controller_w  what the controller of the added panels passes instead, W
    sun           which of the years' other suns shines on the arrays instead of the first
    """

    added_w: float = 0.0
    strings: int = 0
    more_wh: np.ndarray | None = None
    use_share: np.ndarray | None = None
    saved_low: tuple[float, np.ndarray] | None = None
    brought_w: np.ndarray | None = None
    rule: tuple[float, float, float] | None = None
    controller_w: float | None = None
    sun: int | None = None

    @property
    def only_adds(self) -> bool:
        """Whether it is panels and strings more and nothing else."""
        return all(value is None for value in (self.more_wh, self.use_share, self.saved_low, self.brought_w, self.rule,
                                               self.controller_w, self.sun))


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
        early_days: int = EARLY_DAYS, start: float | np.ndarray = 1.0) -> Counted | None:
    """Run every option through every year, each beginning `early_days` before it counts, from full.

    going  told how far it is, 0 to 1; when it says no the run ends with None
    start  another level to begin at, a fraction, or one for each option and year
    """
    plain = [n for n, lane in enumerate(lanes) if lane.only_adds]
    other = [n for n, lane in enumerate(lanes) if not lane.only_adds]
    begin = np.broadcast_to(np.asarray(start, np.float32), (len(lanes), years.count))
    groups = [(which, kind(rig, years, [lanes[n] for n in which], begin[which]))
              for which, kind in ((plain, _Added), (other, _Changed)) if which]
    days = years.use.shape[0] // 24
    for day in range(days):
        if day % 16 == 0 and not going(day / days):
            return None
        for _, banks in groups:
            banks.pass_a_day(day, day >= early_days)
    return _together(groups, len(lanes), years.count)


def last_levels(rig: Rig, years: Years, lanes: Sequence[Lane], days: int = 365) -> np.ndarray:
    """The levels at which the years end, begun from full so many days before their end, (options, years)."""
    cut = max(0, years.use.shape[0] - 24 * days)
    counted = run(rig, years.since(cut), [lane_since(lane, cut) for lane in lanes], early_days=0)
    assert counted is not None
    return counted.level


def lane_since(lane: Lane, hour: int) -> Lane:
    """The option from an hour on."""
    return on_hours(lane, lambda hours: hours[hour:])


def on_hours(lane: Lane, of: Callable[[np.ndarray], np.ndarray]) -> Lane:
    """The option with what it has of each hour laid otherwise."""
    changed = {name: of(value) for name in ("more_wh", "use_share", "brought_w")
               if (value := getattr(lane, name)) is not None}
    if lane.saved_low:
        changed["saved_low"] = (lane.saved_low[0], of(lane.saved_low[1]))
    return replace(lane, **changed)


def string_energy(rig: Rig) -> float:
    """What one more string, or one more pack of a station, holds as printed, Wh at the battery's terminals."""
    printed = rated_energy(rig.bank) / rig.bank.parallel
    if not rig.bank.is_station:
        return printed
    return printed * min(1.0, STATION_AC_SHARE / (rig.inverter.efficiency if rig.inverter else 1.0))


class _Banks:
    """Banks side by side, (rows, lanes), hour after hour, and what is counted of each."""

    def __init__(self, rig: Rig, energy: np.ndarray, strings: np.ndarray, start: np.ndarray):
        kind, shape = np.float32, energy.shape
        self._step = BankStep(rig, energy, shape, kind)
        self._limit = (charge_limit(rig) * (1 + strings / rig.bank.parallel)).astype(kind)[:, None]
        self.level, self._after = np.array(start, kind), np.empty(shape, kind)
        self._spilt, self._missing, self._into = np.empty(shape, kind), np.empty(shape, kind), np.empty(shape, kind)
        self.tally = _Tally(rig, shape)

    def pass_an_hour(self, surplus: np.ndarray | None, shortage: np.ndarray, load: np.ndarray, counts: bool) -> None:
        """One hour of all of them; rows are as wide as the lanes.

        surplus, shortage  Wh over and short; surplus None in an hour in which nothing comes in
        load      Wh of it that are no standby; counts  whether the hour is counted
        """
        if surplus is None:
            self._step.give(self.level, shortage, self._missing, self._after)
        else:
            self._step.take(self.level, surplus, shortage, self._limit, self._into, self._spilt, self._missing, self._after)
        self.level, self._after = self._after, self.level
        if counts:
            np.minimum(self._missing, load, out=self._missing)  # standby is no load
            self.tally.see(self.level, self._missing, None if surplus is None else self._spilt)


class _Added:
    """Options that are panels and strings more. What comes in depends on the panels alone and what is held on the
    strings, so each number of strings is a row, and each number of panels and year a lane of it."""

    def __init__(self, rig: Rig, years: Years, lanes: Sequence[Lane], start: np.ndarray):
        added, of_added = np.unique([lane.added_w for lane in lanes], return_inverse=True)
        strings, of_strings = np.unique([lane.strings for lane in lanes], return_inverse=True)
        self._rig, self._years, self._picked = rig, years, (of_strings, of_added)
        self._added = added.astype(np.float32)[:, None]
        energy = years.energy * years.energy_wh + strings[:, None] * string_energy(rig)
        begin = np.ones((len(strings), len(added), years.count), np.float32)
        begin[of_strings, of_added] = start
        self._shape = begin.shape
        self.banks = _Banks(rig, np.tile(energy, len(added)), strings, begin.reshape(len(strings), -1))

    def pass_a_day(self, day: int, counts: bool) -> None:
        """A day of all of them."""
        hours = slice(24 * day, 24 * day + 24)
        harvest = _harvest(self._rig, self._years.sun[:, hours], self._years.added_to, self._added)
        use = self._years.use[hours]
        net = (harvest - use[:, None] - np.float32(self._rig.bank.standby_w)).reshape(24, -1)
        surplus, shortage = np.maximum(net, 0), np.maximum(-net, 0)
        load = np.tile(use, self._shape[1])
        comes = surplus.any(axis=1)
        for hour in range(24):
            self.banks.pass_an_hour(surplus[hour] if comes[hour] else None, shortage[hour], load[hour], counts)
        if counts:
            self.banks.tally.close_the_day()

    def of_each(self, values: np.ndarray) -> np.ndarray:
        """Of what the banks counted that of each option, (options, years)."""
        return np.asarray(values.reshape(self._shape)[self._picked])

    def started(self) -> tuple[np.ndarray, np.ndarray]:
        """Hours run by rule and Wh brought by plan: none."""
        return np.zeros(1), np.zeros(1)


class _Changed:
    """Options that change something else: each is a row, and what comes in and is used is made for it before."""

    def __init__(self, rig: Rig, years: Years, lanes: Sequence[Lane], start: np.ndarray):
        shape = (years.use.shape[0], len(lanes), years.count)
        self._net, self._use = np.empty(shape, np.float32), np.empty(shape, np.float32)
        self._brought = np.zeros(shape[:2], np.float32)
        for n, lane in enumerate(lanes):
            self._use[:, n] = _use_with(years.use, lane)
            self._net[:, n] = _harvest_with(rig, years, lane) - self._use[:, n] - np.float32(rig.bank.standby_w)
            if lane.brought_w is not None:
                self._brought[:, n] = lane.brought_w
        self._net += self._brought[:, :, None]
        self._rules = [(n, lane.rule) for n, lane in enumerate(lanes) if lane.rule is not None]
        self._low = [(n, level, less.astype(np.float32))
                     for n, lane in enumerate(lanes) if lane.saved_low is not None for level, less in [lane.saved_low]]
        self._by_level = sorted({n for n, *_ in (*self._rules, *self._low)})
        self._running = {n: np.zeros(years.count, dtype=bool) for n, _ in self._rules}
        self._ran_h, self._brought_wh = np.zeros(shape[1:]), np.zeros((len(lanes), 1))
        strings = np.array([lane.strings for lane in lanes])
        energy = years.energy * years.energy_wh + strings[:, None] * string_energy(rig)
        self.banks = _Banks(rig, energy, strings, start)

    def pass_a_day(self, day: int, counts: bool) -> None:
        """A day of all of them."""
        hours = slice(24 * day, 24 * day + 24)
        net, use = self._net[hours], self._use[hours]
        surplus, shortage = np.maximum(net, 0), np.maximum(-net, 0)
        comes = surplus.any(axis=(1, 2))
        for hour in range(24):
            for n, level, less in self._low:
                saved = np.minimum(less[hours][hour], use[hour, n]) * (self.banks.level[n] < level)
                use[hour, n] -= saved
                net[hour, n] += saved
            for n, (start, stop, watts) in self._rules:
                level = self.banks.level[n]
                running = self._running[n] = (level < start) | (self._running[n] & (level < stop))
                net[hour, n] += running * np.float32(watts)
                self._ran_h[n] += running * counts
            for n in self._by_level:
                np.maximum(net[hour, n], 0, out=surplus[hour, n])
                np.maximum(-net[hour, n], 0, out=shortage[hour, n])
            rows = surplus[hour] if self._by_level or comes[hour] else None
            self.banks.pass_an_hour(rows, shortage[hour], use[hour], counts)
        if counts:
            self._brought_wh += self._brought[hours].sum(axis=0)[:, None]
            self.banks.tally.close_the_day()

    def of_each(self, values: np.ndarray) -> np.ndarray:
        """Of what the banks counted that of each option, (options, years)."""
        return values

    def started(self) -> tuple[np.ndarray, np.ndarray]:
        """Hours run by rule and Wh brought by plan, (options, years)."""
        return self._ran_h, self._brought_wh


def _use_with(use: np.ndarray, lane: Lane) -> np.ndarray:
    """The use of each hour and year with what an option changes of it; nothing is saved that is not there."""
    if lane.use_share is not None:
        use = use * lane.use_share[:, None].astype(np.float32)
    if lane.more_wh is not None:
        use = np.maximum(use + lane.more_wh[:, None].astype(np.float32), 0)
    return use


def _harvest_with(rig: Rig, years: Years, lane: Lane) -> np.ndarray:
    """What the arrays bring in each hour and year with an option, Wh, (hours, years)."""
    sun = years.sun if lane.sun is None else years.other_suns[lane.sun]
    added = np.array([[lane.added_w]], np.float32)
    return _harvest(rig, sun, years.added_to, added, lane.controller_w)[:, 0]


def _harvest(rig: Rig, sun: np.ndarray, added_to: int | None, added: np.ndarray,
             controller_w: float | None = None) -> np.ndarray:
    """What passes the controllers, Wh, (hours, additions, years).

    sun    of each array, and of one W more, (arrays + 1, hours, years); added  W more, (additions, 1)
    added_to, controller_w  the array whose controller they share, and what that passes instead
    """
    harvest = added * sun[-1][:, None]
    for n, array in sorted(enumerate(rig.arrays), key=lambda of: of[0] != added_to):  # what is shared is held first
        limit = controller_limit(rig, array)
        if n == added_to:
            harvest += sun[n][:, None]
            limit = controller_w or limit
            if limit is not None:
                np.minimum(harvest, limit, out=harvest)
        else:
            harvest += (sun[n] if limit is None else np.minimum(sun[n], limit))[:, None]
    return harvest if rig.bank.solar_input_w is None else np.minimum(harvest, rig.bank.solar_input_w)


class _Tally:
    """What is counted, hour by hour and at the end of each day."""

    def __init__(self, rig: Rig, shape: tuple[int, ...]):
        self._floor = rig.bank.everyday_floor - LEVEL_GRAIN
        self._lowest, self._short = np.full(shape, 2.0, np.float32), np.zeros(shape, np.float32)
        self.below, self.unserved_days, self._now, self.longest = (np.zeros(shape, np.int32) for _ in range(4))
        self.unserved_wh, self.spilt_wh = np.zeros(shape), np.zeros(shape)
        self._spilt_today = np.zeros(shape, np.float32)

    def see(self, level: np.ndarray, unserved: np.ndarray, spilt: np.ndarray | None) -> None:
        """Take in the hour that passed."""
        np.minimum(self._lowest, level, out=self._lowest)
        self._short += unserved
        if spilt is not None:
            self._spilt_today += spilt

    def close_the_day(self) -> None:
        """Count the day that ended."""
        below = self._lowest < self._floor
        self.below += below
        self._now += 1
        self._now *= below
        np.maximum(self.longest, self._now, out=self.longest)
        self.unserved_days += self._short > UNSERVED_WH
        self.unserved_wh += self._short
        self.spilt_wh += self._spilt_today
        self._lowest[:], self._short[:], self._spilt_today[:] = 2.0, 0.0, 0.0


def _together(groups: Sequence[tuple[list[int], _Added | _Changed]], options: int, years: int) -> Counted:
    """What was counted of each group, in the options' order."""
    found = Counted(*(np.zeros((options, years)) for _ in range(8)))
    for which, group in groups:
        tally = group.banks.tally
        for name in ("below", "unserved_days", "unserved_wh", "spilt_wh", "longest"):
            getattr(found, name)[which] = group.of_each(getattr(tally, name))
        found.level[which] = group.of_each(group.banks.level)
        found.generator_h[which], found.brought_wh[which] = group.started()
    return found
