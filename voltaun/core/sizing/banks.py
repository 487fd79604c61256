"""The banks of all options in all years side by side, hour after hour, and what is counted of each.

The step is the outlook's own (`simulate.BankStep`), so energy is conserved alike. What only adds panels and strings of
the bank's own runs as W × series on rows that all of it shares; what changes anything else has its hours made before.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from voltaun.core.outlook.simulate import LEVEL_GRAIN, BankStep
from voltaun.core.rig.bank import STATION_AC_SHARE, charge_limit, controller_limit, rated_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.years import Years

UNSERVED_WH = 0.01
"""Less unserved in a day is rounding, Wh."""


def string_energy(rig: Rig) -> float:
    """What one more string, or one more pack of a station, holds as printed, Wh at the battery's terminals."""
    printed = rated_energy(rig.bank) / rig.bank.parallel
    if not rig.bank.is_station:
        return printed
    return printed * min(1.0, STATION_AC_SHARE / (rig.inverter.efficiency if rig.inverter else 1.0))


def more_takes(rig: Rig, more_wh: np.ndarray | float) -> np.ndarray | float:
    """Times as much a bank takes that holds so many Wh more: all of it is charged side by side."""
    return 1 + more_wh / (string_energy(rig) * rig.bank.parallel)


class _Day(NamedTuple):
    """The hours of a day, (24, options × years): Wh over less what charging loses, short, spilt and missing; and held
    at their bounds, (25, options × years)."""

    held: np.ndarray
    surplus: np.ndarray
    shortage: np.ndarray
    spilt: np.ndarray
    missing: np.ndarray


def _rows(day: _Day, at: slice) -> list[tuple[np.ndarray, ...]]:
    """Of each hour what is held before and after it, over, short, spilt and missing, as views."""
    held, *flows = (of[:, at] for of in day)
    return list(zip(held[:-1], held[1:], *flows, strict=True))


class Banks:
    """The banks of all options in all years side by side, (options × years,), hour after hour, in Wh held.

    What is made anew each day is written where the last day's stood: fresh pages of memory cost more than the sums.
    """

    def __init__(self, rig: Rig, years: Years, lanes: Sequence[Lane], start: np.ndarray):
        kind, self._shape = np.float32, (len(lanes), years.count)
        more = np.array([lane.strings * string_energy(rig) + lane.second_wh for lane in lanes])
        energy = (years.energy * years.energy_wh + more[:, None]).ravel().astype(kind)
        limit = np.repeat(charge_limit(rig) * more_takes(rig, more), years.count).astype(kind)
        self._step = BankStep(rig, energy, energy.shape, kind)
        self._accepts, self._into = self._step.acceptance(limit), np.empty_like(energy)
        self._day = day = _Day(*(np.empty((25 if name == "held" else 24, energy.size), kind) for name in _Day._fields))
        day.held[24] = start.ravel() * energy
        self._rows = _rows(day, slice(None))
        self._hours = _Hours(rig, years, lanes)
        self._by_level = _ByLevel(rig, lanes, day, energy, limit)
        self._tally = _Tally(rig, energy)

    def pass_a_day(self, day: int, counts: bool) -> None:
        """A day of all of them; counts  whether it is counted."""
        net, load = self._hours.of_day(day)
        of, step, by_level = self._day, self._step, self._by_level
        np.maximum(net, step.nought, out=of.surplus)
        np.subtract(of.surplus, net, out=of.shortage)
        comes = (of.surplus.max(axis=1) > 0).tolist()
        np.multiply(of.surplus, step.efficiency, out=of.surplus)
        of.held[0] = of.held[24]
        acts = by_level.may_act(day, net, load)
        for hour, (now, after, surplus, shortage, spilt, missing) in enumerate(self._rows):
            brings = acts and by_level.act(hour)
            if comes[hour]:
                step.take(now, surplus, shortage, self._accepts, self._into, spilt, missing, after)
            else:
                step.give(now, shortage, missing, after)
                spilt.fill(0)
                if brings:
                    by_level.take(hour)
        if acts:
            by_level.close_the_day(load, counts)
        if counts:
            np.minimum(of.missing, load, out=of.missing)  # standby is no load
            self._tally.count(of.held[1:].min(axis=0), of.missing.sum(axis=0), of.spilt.sum(axis=0) / step.efficiency)
            self._hours.count_brought(day)

    def levels_of_day(self) -> np.ndarray:
        """The levels at the end of each hour of the day that passed, fractions, (24, options, years)."""
        return np.asarray(self._day.held[1:] / self._step.energy).reshape(24, *self._shape)

    def counted(self) -> list[np.ndarray]:
        """What came of each option and year, as `Counted` has it."""
        of = self._tally
        each = (of.below, of.unserved_days, of.unserved_wh, of.spilt_wh, of.longest, self._by_level.ran_h,
                np.repeat(self._hours.brought_wh, self._shape[1]), self._day.held[24] / self._step.energy)
        return [values.reshape(self._shape) for values in each]


class _Hours:
    """What is over or short and what is used in each hour of a day, for all options and years."""

    def __init__(self, rig: Rig, years: Years, lanes: Sequence[Lane]):
        self._rig, self._years = rig, years
        self._adding = sum(lane.shares_rows for lane in lanes)
        keys = [lane.use_key for lane in lanes[:self._adding]]
        begins = [n for n, key in enumerate(keys) if not n or key != keys[n - 1]]
        # Of each use that options share: which of them, and the use itself.
        self._uses = [(slice(begin, end), _use_with(years.use, lanes[begin]))
                      for begin, end in zip(begins, [*begins[1:], self._adding][:len(begins)], strict=True)]
        # What comes in depends on the panels alone, and not on the strings.
        added = [_watts(years, lane) for lane in lanes[:self._adding]]
        kinds = sorted(set(added))
        self._of_added = np.array([kinds.index(of) for of in added], dtype=np.intp)
        self._added = np.array(kinds, np.float32)
        self._brought = np.zeros((years.use.shape[0], len(lanes)), np.float32)
        suns: dict[tuple[tuple[float, ...], float | None, int | None], np.ndarray] = {}
        self._others: list[tuple[np.ndarray, np.ndarray]] = []  # of each that does more than add: harvest and use
        for row, lane in enumerate(lanes[self._adding:], self._adding):
            of = (_watts(years, lane), lane.controller_w, lane.sun)
            if of not in suns:
                suns[of] = _harvest_with(rig, years, lane)
            harvest = suns[of]
            if lane.brought_w is not None:
                self._brought[:, row] = lane.brought_w
                harvest = harvest + lane.brought_w[:, None].astype(np.float32)
            self._others.append((harvest, _use_with(years.use, lane)))
        self.brought_wh = np.zeros(len(lanes))
        self._net, self._load = (np.empty((24, len(lanes), years.count), np.float32) for _ in range(2))

    def of_day(self, day: int) -> tuple[np.ndarray, np.ndarray]:
        """Wh over (below 0: short), and the load of it, (24, options × years), written over those of the day before."""
        hours, years, net, load = slice(24 * day, 24 * day + 24), self._years, self._net, self._load
        if self._adding:
            comes = through_controllers(self._rig, years.sun[:, hours], years.added_to, self._added)
            for rows, whole in self._uses:
                use = whole[hours][:, None]
                load[:, rows] = use
                np.take(comes - use, self._of_added[rows], axis=1, out=net[:, rows], mode="clip")
        for row, (harvest, used) in enumerate(self._others, self._adding):
            load[:, row] = used[hours]
            np.subtract(harvest[hours], used[hours], out=net[:, row])
        net -= np.float32(self._rig.bank.standby_w)
        return net.reshape(24, -1), load.reshape(24, -1)

    def count_brought(self, day: int) -> None:
        """Count what was brought by plan on a day."""
        self.brought_wh += self._brought[24 * day:24 * day + 24].sum(axis=0)


class _ByLevel:
    """What follows from what each bank holds: a generator started by rule, loads left off while it is low.

    The options that have such a thing are the last ones, and only they are looked at here. What is over and short with
    it is made for a whole day before; each hour only says where it acts. Loads left off below a level are as a
    generator that starts and stops there; where an option has a rule as well, they are looked at beside it.
    """

    def __init__(self, rig: Rig, lanes: Sequence[Lane], day: _Day, energy: np.ndarray, limit: np.ndarray):
        some, years = [lane for lane in lanes if lane.by_level], energy.size // len(lanes)
        self._at = at = slice((len(lanes) - len(some)) * years, None)
        self._some, self._day, wh = bool(some), day, energy[at]
        self._step, self._into = BankStep(rig, wh, wh.shape, np.float32), np.empty_like(wh)
        self._accepts = self._step.acceptance(limit[at])

        def row(values: list[float]) -> np.ndarray:
            return np.repeat(np.array(values, np.float32), years)
        below = [lane.saved_low[0] if lane.saved_low else -1.0 for lane in some]
        acts = [lane.rule or (level, level, 0.0) for lane, level in zip(some, below, strict=True)]
        self._start, self._stop, self._below = (row(levels) * wh for levels in (
            [start for start, _, _ in acts], [stop for _, stop, _ in acts], below))
        self._gives = np.tile(row([gives for _, _, gives in acts]), (24, 1))
        self._saves = np.zeros_like(self._gives)
        self._less = [(slice(n * years, (n + 1) * years), lane.saved_low[1].astype(np.float32).reshape(-1, 24, 1),
                       self._saves if lane.rule else self._gives) for n, lane in enumerate(some) if lane.saved_low]
        self._has_rule = row([lane.rule is not None for lane in some]) > 0
        self._has_both = any(lane.rule and lane.saved_low for lane in some)
        self._acts, self._low = (np.zeros((24, wh.size), bool) for _ in range(2))
        self._rows = [(*of, acts, low) for of, acts, low in zip(_rows(day, at), self._acts, self._low, strict=True)]
        self._before = np.zeros(wh.size, bool)  # where it acted in the hour before
        self.ran_h = np.zeros(energy.size)

    def may_act(self, day: int, net: np.ndarray, load: np.ndarray) -> bool:
        """Begin a day; whether anything may be so low in it that something acts.

        net, load  Wh over (below 0: short), and used, in each of its hours
        """
        of, at = self._day, self._at
        if not self._some or not (self._before.any() or (of.held[0, at] - of.shortage[:, at].sum(axis=0)
                                                         < np.maximum(self._start, self._below)).any()):
            return False
        for lane, less, into in self._less:
            np.minimum(load[:, at][:, lane], less[day], out=into[:, lane])
        self._acting = self._flows(net[:, at] + self._gives)
        if self._has_both:
            self._saving, self._acting_and_saving = (self._flows(net[:, at] + more) for more in (
                self._saves, self._saves + self._gives))
        return True

    def _flows(self, net: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        over = np.maximum(net, 0)
        return over * self._step.efficiency, over - net

    def act(self, hour: int) -> bool:
        """Change what is over and short in an hour by what is held before it; whether anything is over."""
        now, _, over, short, _, _, acts, low = self._rows[hour]
        np.less(now, self._stop, out=acts)
        acts &= self._before
        np.less(now, self._start, out=low)
        acts |= low
        self._before = acts
        more, less = self._acting
        np.copyto(over, more[hour], where=acts)
        np.copyto(short, less[hour], where=acts)
        if self._has_both:
            np.less(now, self._below, out=low)
            for into, alone, both in zip((over, short), self._saving, self._acting_and_saving, strict=True):
                np.copyto(into, alone[hour], where=low & ~acts)
                np.copyto(into, both[hour], where=low & acts)
        return bool(np.count_nonzero(over))

    def take(self, hour: int) -> None:
        """The step of an hour in which something comes in to no others."""
        now, after, over, short, spilt, missing, _, _ = self._rows[hour]
        self._step.take(now, over, short, self._accepts, self._into, spilt, missing, after)

    def close_the_day(self, load: np.ndarray, counts: bool) -> None:
        """Take what was left off from the load of a day, and count the hours that a generator ran."""
        load[:, self._at] -= self._gives * (self._acts & ~self._has_rule)
        if self._has_both:
            load[:, self._at] -= self._saves * self._low
        if counts:
            self.ran_h[self._at] += (self._acts & self._has_rule).sum(axis=0)


def _use_with(use: np.ndarray, lane: Lane) -> np.ndarray:
    """The use of each hour and year with what an option changes of it; nothing is saved that is not there."""
    if lane.use_share is not None:
        use = use * lane.use_share[:, None].astype(np.float32)
    if lane.more_wh is not None:
        use = np.maximum(use + lane.more_wh[:, None].astype(np.float32), 0)
    return use


def _watts(years: Years, lane: Lane) -> tuple[float, ...]:
    """The W more of an option at each of the years' spots."""
    return (lane.added_w, lane.beside_w)[:len(years.added_to)]


def _harvest_with(rig: Rig, years: Years, lane: Lane) -> np.ndarray:
    """What the arrays bring in each hour and year with an option, Wh, (hours, years)."""
    sun = years.sun if lane.sun is None else years.other_suns[lane.sun]
    added = np.array([_watts(years, lane)], np.float32)
    return through_controllers(rig, sun, years.added_to, added, lane.controller_w)[:, 0]


def through_controllers(rig: Rig, sun: np.ndarray, added_to: Sequence[int | None], added: np.ndarray,
                        controller_w: float | None = None) -> np.ndarray:
    """What passes the controllers, Wh, (hours, additions, years).

    sun    of each array, and of one W more at each spot, (arrays + spots, hours, years)
    added_to  of each spot the array whose controller it shares; added  W more, (additions, spots)
    controller_w  what the controller of the first spot's array passes instead
    """
    count = len(rig.arrays)
    more = [added[:, spot, None] * sun[count + spot][:, None] for spot in range(len(added_to))]
    whole = more[0] if added_to[0] is None else None
    for n, array in sorted(enumerate(rig.arrays), key=lambda of: of[0] not in added_to):  # those added to come first
        limit = controller_w if n == added_to[0] and controller_w else controller_limit(rig, array)
        comes = sun[n][:, None]
        for spot, to in enumerate(added_to):
            if to == n:
                more[spot] += comes
                comes = more[spot]
        if limit is not None:
            comes = np.minimum(comes, limit, out=comes if n in added_to else None)
        if whole is None:
            whole = comes
        else:
            whole += comes
    assert whole is not None  # the first spot is on an array or on a plane of its own
    for spot, to in enumerate(added_to):
        if spot and to is None:
            whole += more[spot]
    return np.asarray(whole if rig.bank.solar_input_w is None else np.minimum(whole, rig.bank.solar_input_w))


class _Tally:
    """What is counted of each day."""

    def __init__(self, rig: Rig, energy: np.ndarray):
        self._floor = (rig.bank.everyday_floor - LEVEL_GRAIN) * energy
        self.below, self.unserved_days, self._now, self.longest = (np.zeros(energy.size, np.int32) for _ in range(4))
        self.unserved_wh, self.spilt_wh = np.zeros(energy.size), np.zeros(energy.size)

    def count(self, lowest: np.ndarray, unserved: np.ndarray, spilt: np.ndarray) -> None:
        """Count a day: the least that was held, and Wh."""
        below = lowest < self._floor
        self.below += below
        self._now += 1
        self._now *= below
        np.maximum(self.longest, self._now, out=self.longest)
        self.unserved_days += unserved > UNSERVED_WH
        self.unserved_wh += unserved
        self.spilt_wh += spilt
