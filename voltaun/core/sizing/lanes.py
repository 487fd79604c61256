"""The run: options × years side by side, hour after hour, and what is counted of each.

The step is the outlook's own (`simulate.BankStep`), so energy is conserved alike. What only adds panels and strings of
the bank's own runs as W × series on rows that all of it shares; what changes anything else has its hours made before.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from voltaun.core.outlook.outlook import LEVEL_GRAIN
from voltaun.core.outlook.simulate import BankStep
from voltaun.core.rig.bank import STATION_AC_SHARE, charge_limit, controller_limit, rated_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.calendar import EARLY_DAYS
from voltaun.core.sizing.years import Years

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
        early_days: int = EARLY_DAYS, start: float | np.ndarray = 1.0,
        each_day: Callable[[np.ndarray], None] | None = None) -> Counted | None:
    """Run every option through every year, each beginning `early_days` before it counts, from full.

    going  told how far it is, 0 to 1; when it says no the run ends with None
    start  another level to begin at, a fraction, or one for each option and year
    each_day  is shown the levels at the end of each hour of every day, (24, options, years)
    """
    # What only adds comes first, so that it lies in one piece.
    order = sorted(range(len(lanes)), key=lambda n: not lanes[n].only_adds)
    begin = np.broadcast_to(np.asarray(start, np.float32), (len(lanes), years.count))
    banks = _Banks(rig, years, [lanes[n] for n in order], begin[order])
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


def lane_since(lane: Lane, hour: int) -> Lane:
    """The option from an hour on."""
    return on_hours(lane, lambda hours: hours[hour:])


def on_hours(lane: Lane, of: Callable[[np.ndarray], np.ndarray]) -> Lane:
    """The option with what it has of each hour laid otherwise."""
    changed: dict[str, Any] = {name: of(value) for name in ("more_wh", "use_share", "brought_w")
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
    """The banks of all options in all years side by side, (options × years,), hour after hour."""

    def __init__(self, rig: Rig, years: Years, lanes: Sequence[Lane], start: np.ndarray):
        kind, self._shape = np.float32, (len(lanes), years.count)
        strings = np.array([lane.strings for lane in lanes])
        energy = years.energy * years.energy_wh + strings[:, None] * string_energy(rig)
        limit = np.repeat(charge_limit(rig) * (1 + strings / rig.bank.parallel), years.count)
        count = energy.size
        self._step, self._limit = BankStep(rig, energy.ravel(), (count,), kind), limit.astype(kind)
        self._levels, self._into = np.empty((25, count), kind), np.empty(count, kind)
        self._spilt, self._missing = np.empty((24, count), kind), np.empty((24, count), kind)
        self._levels[24] = start.ravel()
        self._hours = _Hours(rig, years, lanes)
        self._by_level = _ByLevel(lanes, years.count)
        self._tally = _Tally(rig, count)

    def pass_a_day(self, day: int, counts: bool) -> None:
        """A day of all of them; counts  whether it is counted."""
        net, load = self._hours.of_day(day)
        self._by_level.begin_the_day()
        surplus, shortage = np.maximum(net, 0), np.maximum(-net, 0)
        comes = surplus.any(axis=1)
        levels, spilt, missing = self._levels, self._spilt, self._missing
        levels[0] = levels[24]
        for hour in range(24):
            now, after = levels[hour], levels[hour + 1]
            if self._by_level.some:
                comes[hour] |= self._by_level.act(24 * day + hour, now, load[hour], surplus[hour], shortage[hour])
            if comes[hour]:
                self._step.take(now, surplus[hour], shortage[hour], self._limit, self._into, spilt[hour], missing[hour],
                                after)
            else:
                self._step.give(now, shortage[hour], missing[hour], after)
                spilt[hour] = 0
        if counts:
            np.minimum(missing, load, out=missing)  # standby is no load
            self._tally.count(levels[1:].min(axis=0), missing.sum(axis=0), spilt.sum(axis=0))
            self._hours.count_brought(day)
            self._by_level.count_ran()

    def levels_of_day(self) -> np.ndarray:
        """The levels at the end of each hour of the day that passed, (24, options, years)."""
        return self._levels[1:].reshape(24, *self._shape).copy()

    def counted(self) -> list[np.ndarray]:
        """What came of each option and year, as `Counted` has it."""
        of = self._tally
        each = (of.below, of.unserved_days, of.unserved_wh, of.spilt_wh, of.longest, self._by_level.ran_h,
                np.repeat(self._hours.brought_wh, self._shape[1]), self._levels[24])
        return [values.reshape(self._shape) for values in each]


class _Hours:
    """What is over or short and what is used in each hour of a day, for all options and years."""

    def __init__(self, rig: Rig, years: Years, lanes: Sequence[Lane]):
        self._rig, self._years = rig, years
        self._adding = sum(lane.only_adds for lane in lanes)
        # What comes in depends on the panels alone, and not on the strings.
        added, self._of_added = np.unique([lane.added_w for lane in lanes[:self._adding]], return_inverse=True)
        self._added = added.astype(np.float32)[:, None]
        shape = (years.use.shape[0], len(lanes) - self._adding, years.count)
        self._harvest, self._use = np.empty(shape, np.float32), np.empty(shape, np.float32)
        self._brought = np.zeros((shape[0], len(lanes)), np.float32)
        for row, lane in enumerate(lanes[self._adding:]):
            self._harvest[:, row], self._use[:, row] = _harvest_with(rig, years, lane), _use_with(years.use, lane)
            if lane.brought_w is not None:
                self._brought[:, self._adding + row] = lane.brought_w
                self._harvest[:, row] += lane.brought_w[:, None].astype(np.float32)
        self.brought_wh = np.zeros(len(lanes))

    def of_day(self, day: int) -> tuple[np.ndarray, np.ndarray]:
        """Wh over (below 0: short), and the load of it, (24, options × years)."""
        hours, years = slice(24 * day, 24 * day + 24), self._years
        load = np.empty((24, self._brought.shape[1], years.count), np.float32)
        net = np.empty_like(load)
        if self._adding:
            use = years.use[hours][:, None]
            load[:, :self._adding] = use
            left = _harvest(self._rig, years.sun[:, hours], years.added_to, self._added) - use
            net[:, :self._adding] = left[:, self._of_added]
        load[:, self._adding:] = self._use[hours]
        np.subtract(self._harvest[hours], self._use[hours], out=net[:, self._adding:])
        net -= np.float32(self._rig.bank.standby_w)
        return net.reshape(24, -1), load.reshape(24, -1)

    def count_brought(self, day: int) -> None:
        """Count what was brought by plan on a day."""
        self.brought_wh += self._brought[24 * day:24 * day + 24].sum(axis=0)


class _ByLevel:
    """What follows from each bank's own level: a generator that is started by rule, loads left off when it is low."""

    def __init__(self, lanes: Sequence[Lane], years: int):
        places = [slice(n * years, (n + 1) * years) for n in range(len(lanes))]
        self._rules = [(at, lane.rule) for at, lane in zip(places, lanes, strict=True) if lane.rule is not None]
        self._low = [(at, lane.saved_low[0], lane.saved_low[1].tolist())
                     for at, lane in zip(places, lanes, strict=True) if lane.saved_low is not None]
        self._running = [np.zeros(years, dtype=bool) for _ in self._rules]
        self._on = [False for _ in self._rules]
        self._ran_today = np.zeros((len(self._rules), years))
        self.some = bool(self._rules or self._low)
        self.ran_h = np.zeros(len(lanes) * years)

    def act(self, hour: int, level: np.ndarray, load: np.ndarray, surplus: np.ndarray, shortage: np.ndarray) -> bool:
        """Change what is over and short in an hour by the levels before it; whether a generator runs."""
        for at, below, less in self._low:
            if less[hour] and level[at].min() < below:
                saved = np.minimum(less[hour], load[at]) * (level[at] < below)
                load[at] -= saved
                _add(saved, surplus[at], shortage[at])
        runs = False
        for n, (at, (start, stop, watts)) in enumerate(self._rules):
            now, running = level[at], self._running[n]
            if not self._on[n] and now.min() >= start:
                continue
            np.logical_and(running, now < stop, out=running)
            np.logical_or(running, now < start, out=running)
            self._on[n] = bool(running.any())
            if self._on[n]:
                runs = True
                self._ran_today[n] += running
                _add(running * np.float32(watts), surplus[at], shortage[at])
        return runs

    def begin_the_day(self) -> None:
        """Begin to count the hours of a day."""
        self._ran_today[:] = 0

    def count_ran(self) -> None:
        """Count the hours that were run on a day."""
        for (at, _), hours in zip(self._rules, self._ran_today, strict=True):
            self.ran_h[at] += hours


def _add(wh: np.ndarray, surplus: np.ndarray, shortage: np.ndarray) -> None:
    """So much more comes in: against what is short first."""
    net = surplus - shortage + wh
    np.maximum(net, 0, out=surplus)
    np.maximum(-net, 0, out=shortage)


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
    return np.asarray(harvest if rig.bank.solar_input_w is None else np.minimum(harvest, rig.bank.solar_input_w))


class _Tally:
    """What is counted of each day."""

    def __init__(self, rig: Rig, shape: int):
        self._floor = rig.bank.everyday_floor - LEVEL_GRAIN
        self.below, self.unserved_days, self._now, self.longest = (np.zeros(shape, np.int32) for _ in range(4))
        self.unserved_wh, self.spilt_wh = np.zeros(shape), np.zeros(shape)

    def count(self, lowest: np.ndarray, unserved: np.ndarray, spilt: np.ndarray) -> None:
        """Count a day: its lowest levels, and Wh."""
        below = lowest < self._floor
        self.below += below
        self._now += 1
        self._now *= below
        np.maximum(self.longest, self._now, out=self.longest)
        self.unserved_days += unserved > UNSERVED_WH
        self.unserved_wh += unserved
        self.spilt_wh += spilt
