"""The banks of all options in all years side by side, hour after hour, and what is counted of each.

The step is the outlook's own (`simulate.BankStep`), so energy is conserved alike. What only adds panels and strings of
the bank's own runs as W × series on rows that all of it shares; what changes anything else has its hours made before.
"""

from collections.abc import Sequence

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


def _charge(step: BankStep, accepts: tuple[np.ndarray, np.ndarray, np.ndarray], now: np.ndarray, wanted: np.ndarray,
            after: np.ndarray, rows: np.ndarray, spilt: np.ndarray) -> None:
    """An hour in which something comes in: Wh held before it, short (below 0: over), and filled with those held after
    it. What does not fit is added to `spilt`; the four rows are written over."""
    over, short, into, left = rows
    np.maximum(wanted, step.nought, out=short)
    np.subtract(short, wanted, out=over)
    over *= step.efficiency
    step.take(now, over, short, accepts, into, left, None, after)
    spilt += left


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
        self._accepts = self._step.acceptance(limit)
        self._held = np.empty((25, energy.size), kind)  # at the bounds of the day's hours
        self._held[24] = start.ravel() * energy
        self._spilt, self._hour = np.empty_like(energy), np.empty((4, energy.size), kind)
        self._hours = _Hours(rig, years, lanes)
        self._by_level = _ByLevel(rig, lanes, self._held, energy, limit)
        self._tally = _Tally(rig, energy)

    def pass_a_day(self, day: int, counts: bool) -> None:
        """A day of all of them; counts  whether it is counted."""
        held, step, by_level = self._held, self._step, self._by_level
        wanted, load, comes = self._hours.of_day(day)
        held[0] = held[24]
        self._spilt.fill(0)
        acts = by_level.may_act(day, wanted, load)
        for hour, (now, short, after) in enumerate(zip(held[:-1], wanted, held[1:], strict=True)):
            brings = acts and by_level.act(hour)
            if comes[hour]:
                _charge(step, self._accepts, now, short, after, self._hour, self._spilt)
            else:
                step.give(now, short, None, after)
                if brings:
                    by_level.take(hour, self._spilt)
        if acts:
            by_level.close_the_day(load, counts)
        if counts:
            least = held[1:].min(axis=0)
            at, missing = step.missing_of(held[:24], wanted, least)
            missing = np.minimum(missing, load[:, self._hours.load_of[at]])  # standby is no load
            self._tally.count(least, at, missing.sum(axis=0), self._spilt / step.efficiency)
            self._hours.count_brought(day)

    def levels_of_day(self) -> np.ndarray:
        """The levels at the end of each hour of the day that passed, fractions, (24, options, years)."""
        return np.asarray(self._held[1:] / self._step.energy).reshape(24, *self._shape)

    def counted(self) -> list[np.ndarray]:
        """What came of each option and year, as `Counted` has it."""
        of = self._tally
        each = (of.below, of.unserved_days, of.unserved_wh, of.spilt_wh, of.longest, self._by_level.ran_h,
                np.repeat(self._hours.brought_wh, self._shape[1]), self._held[24] / self._step.energy)
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
        self._wanted = np.empty((24, len(lanes), years.count), np.float32)
        # The load of each use that options share, and of each of the others; and which of them is whose.
        self._load = np.empty((24, len(self._uses) + len(self._others), years.count), np.float32)
        rows = [n for n, (of, _) in enumerate(self._uses) for _ in range(of.start, of.stop)]
        rows += range(len(self._uses), self._load.shape[1])
        self.load_of = np.arange(self._load[0].size).reshape(-1, years.count)[rows].ravel()

    def of_day(self, day: int) -> tuple[np.ndarray, np.ndarray, list[bool]]:
        """Wh short (below 0: over) in each hour, (24, options × years); the loads, (24, loads × years), of which
        `load_of` tells whose they are; and in which hours anything may be over. Written over the day before."""
        hours, years, wanted, load = slice(24 * day, 24 * day + 24), self._years, self._wanted, self._load
        standby, least = np.float32(self._rig.bank.standby_w), np.zeros(24, np.float32)
        if self._adding:
            comes = through_controllers(self._rig, years.sun[:, hours], years.added_to, self._added) - standby
            for n, (rows, whole) in enumerate(self._uses):
                load[:, n] = whole[hours]
                short = whole[hours][:, None] - comes
                np.minimum(least, short.min(axis=(1, 2)), out=least)
                np.take(short, self._of_added[rows], axis=1, out=wanted[:, rows], mode="clip")
        for row, (harvest, used) in enumerate(self._others, self._adding):
            load[:, row - self._adding + len(self._uses)] = used[hours]
            np.subtract(used[hours], harvest[hours], out=wanted[:, row])
        others = wanted[:, self._adding:]
        others += standby
        if self._others:
            np.minimum(least, others.min(axis=(1, 2)), out=least)
        return wanted.reshape(24, -1), load.reshape(24, -1), (least < 0).tolist()

    def count_brought(self, day: int) -> None:
        """Count what was brought by plan on a day."""
        self.brought_wh += self._brought[24 * day:24 * day + 24].sum(axis=0)


class _ByLevel:
    """What follows from what each bank holds: a generator started by rule, loads left off while it is low.

    The options that have such a thing are the last ones, and only they are looked at here. What is short with it is
    made for a whole day before; each hour only says where it acts. Loads left off below a level are as a
    generator that starts and stops there; where an option has a rule as well, they are looked at beside it.
    """

    def __init__(self, rig: Rig, lanes: Sequence[Lane], held: np.ndarray, energy: np.ndarray, limit: np.ndarray):
        some, years = [lane for lane in lanes if lane.by_level], energy.size // len(lanes)
        self._at = at = slice((len(lanes) - len(some)) * years, None)
        self._loads_at = slice(-len(some) * years, None)
        self._some, self._held, wh = bool(some), held[:, at], energy[at]
        self._step = BankStep(rig, wh, wh.shape, np.float32)
        self._accepts, self._hour = self._step.acceptance(limit[at]), np.empty((4, wh.size), np.float32)

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
        self._before = np.zeros(wh.size, bool)  # where it acted in the hour before
        self.ran_h = np.zeros(energy.size)

    def may_act(self, day: int, wanted: np.ndarray, load: np.ndarray) -> bool:
        """Begin a day; whether anything may be so low in it that something acts.

        wanted, load  Wh short (below 0: over), and used, in each of its hours
        """
        self._wanted = short = wanted[:, self._at]
        if not self._some or not (self._before.any() or (self._held[0] - np.maximum(short, 0).sum(axis=0)
                                                         < np.maximum(self._start, self._below)).any()):
            return False
        for lane, less, into in self._less:
            np.minimum(load[:, self._loads_at][:, lane], less[day], out=into[:, lane])
        self._acting = short - self._gives
        if self._has_both:
            self._saving = short - self._saves
            self._acting_and_saving = self._acting - self._saves
        return True

    def act(self, hour: int) -> bool:
        """Change what is short in an hour by what is held before it; whether anything is over."""
        now, short, acts, low = self._held[hour], self._wanted[hour], self._acts[hour], self._low[hour]
        np.less(now, self._stop, out=acts)
        acts &= self._before
        np.less(now, self._start, out=low)
        acts |= low
        self._before = acts
        np.copyto(short, self._acting[hour], where=acts)
        if self._has_both:
            np.less(now, self._below, out=low)
            np.copyto(short, self._saving[hour], where=low & ~acts)
            np.copyto(short, self._acting_and_saving[hour], where=low & acts)
        return bool((short < 0).any())

    def take(self, hour: int, spilt: np.ndarray) -> None:
        """The step of an hour in which something comes in to no others; what they spill is added."""
        _charge(self._step, self._accepts, self._held[hour], self._wanted[hour], self._held[hour + 1], self._hour,
                spilt[self._at])

    def close_the_day(self, load: np.ndarray, counts: bool) -> None:
        """Take what was left off from the load of a day, and count the hours that a generator ran."""
        load[:, self._loads_at] -= self._gives * (self._acts & ~self._has_rule)
        if self._has_both:
            load[:, self._loads_at] -= self._saves * self._low
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

    def count(self, lowest: np.ndarray, at: np.ndarray, unserved: np.ndarray, spilt: np.ndarray) -> None:
        """Count a day: the least that was held, Wh; and those unserved of the lanes `at`, and spilt."""
        below = lowest < self._floor
        self.below += below
        self._now += 1
        self._now *= below
        np.maximum(self.longest, self._now, out=self.longest)
        self.unserved_days[at] += unserved > UNSERVED_WH
        self.unserved_wh[at] += unserved
        self.spilt_wh += spilt
