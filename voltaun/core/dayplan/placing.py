"""Placing movable loads: each gets the start that takes least out of the bank over the futures, charge losses and sun
that would be spilt counted, without making the everyday floor less sure."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import numpy as np

from voltaun.core.dayplan.ahead import Ahead
from voltaun.core.instants import at_clock, day_start
from voltaun.core.rig.loads import hours_shape, load_dc_wh
from voltaun.core.rig.parts import WEEKDAYS, Load
from voltaun.core.rig.rig import Rig

LOOKED_AT = 300
"""So many of the futures are run for each start that is tried."""

TRIED_EVERY_H = 0.5
"""Starts so far apart are tried."""

ALIKE_WH = 1.0
"""Starts that leave this little less in the bank take as little as the best."""

NO_SURER = 0.01
"""A start that passes the floor in no more of the futures than this beyond the best is as safe as it."""


MOSTLY_SPILT = 0.1
"""What runs only with sun to spare may take no more than this part of its run out of the bank, on the mean."""


@dataclass(frozen=True)
class Placed:
    """A load with its run, instants, and what it takes, Wh at the battery.

    spares_wh  what is in the bank more at the end of the last day on which it may run than with it at its usual hour,
    on the mean of the futures
    usual_start  the clock hour at which it would be started without a plan; None where nobody knows: then against its
    use spread over its window, as the outlook counts it
    by_hand  it was moved there by hand
    """

    load: str
    start: datetime
    end: datetime
    wh: float
    spares_wh: float
    usual_start: float | None
    by_hand: bool = False


@dataclass(frozen=True)
class Unplaced:
    """A load that no start was found for: "over_inverter", "window_over", or "no_sun_to_spare"."""

    load: str
    why: str


@dataclass(frozen=True)
class Placing:
    """What was placed, in order of time, and what could not be; more  Wh more used in each step for it (below 0: where
    the outlook had it), (steps,)."""

    placed: tuple[Placed, ...]
    unplaced: tuple[Unplaced, ...]
    more: np.ndarray


def place(ahead: Ahead, day: date, done: Collection[str] = (), last_done: Mapping[str, date] | None = None,
          moved: Mapping[str, float | None] | None = None) -> Placing:
    """Place the movable loads of a day and, of those that need not run every day, of the next.

    day    the day that is planned; done  names of loads that ran already on it; last_done  the day of the last run of
    a load before that; moved  clock hours at which a hand put a load, or None where it was dropped from the day
    """
    return _Placer(ahead, day, last_done or {}, moved or {}).all(done)


@dataclass(frozen=True)
class _Run:
    """A start that is tried: instants, epoch seconds, and Wh in each step, (steps,)."""

    begin: float
    end: float
    wh: np.ndarray


class _Placer:
    def __init__(self, ahead: Ahead, day: date, last_done: Mapping[str, date], moved: Mapping[str, float | None]):
        self.ahead, self.day, self.last_done, self.moved = ahead, day, last_done, moved
        self.rig, self.zone = ahead.ready.ask.rig, ahead.ready.ask.rig.zone
        count = ahead.made.level.shape[1]
        self.lanes = np.arange(0, count, max(1, count // LOOKED_AT))[:LOOKED_AT]
        self.more = np.zeros(len(ahead.hours))
        self.ac_w = self._ac_anyway()

    def all(self, done: Collection[str]) -> Placing:
        placed, unplaced = [], []
        movable = [load for load in self.rig.loads
                   if load.movable and self._in_season(load) and not self._left_off(load)]
        for load in sorted(movable, key=lambda each: -_run_wh(self.rig, each)):
            if load.name in done:
                self.more += self._usual(load, self.day) * -1.0
                continue
            found = self._place(load)
            if isinstance(found, Placed):
                placed.append(found)
            elif found:
                unplaced.append(found)
        return Placing(tuple(sorted(placed, key=lambda each: each.start)), tuple(unplaced), self.more)

    def _in_season(self, load: Load) -> bool:
        return self.day.month in load.months

    def _left_off(self, load: Load) -> bool:
        """Whether a plan in force does without it on the day."""
        return any(plan.kind == "leave_off" and plan.name == load.name and plan.on(self.day)
                   for plan in self.ahead.ready.ask.plans)

    def _days(self, load: Load) -> list[date]:
        """The days on which it may run: the planned one; where it need not run daily and is due by then, the next too.
        """
        if load.weekdays:
            return [day for day in (self.day,) if WEEKDAYS[day.weekday()] in load.weekdays]
        if load.every_days == 1:
            return [self.day]
        due = self.last_done.get(load.name, date.min) + timedelta(days=load.every_days) if (
            load.name in self.last_done) else self.day
        return [each for each in (self.day, self.day + timedelta(days=1)) if each >= min(due, self.day) and (
            due <= self.day + timedelta(days=1))]

    def _place(self, load: Load) -> Placed | Unplaced | None:
        days = self._days(load)
        if not days:
            return None
        by_hand = load.name in self.moved
        if by_hand and self.moved[load.name] is None:
            self.more -= sum(self._usual(load, each) for each in days)
            return None
        runs = self._runs(load, days, self.moved.get(load.name))
        if not runs:
            return Unplaced(load.name, "window_over")
        able = [run for run in runs if self._inverter_bears(load, run)]
        if not able:
            return Unplaced(load.name, "over_inverter")
        without = self.more - sum(self._usual(load, each) for each in days)
        end = day_start(days[-1] + timedelta(days=1), self.zone).timestamp()
        until = int(np.clip(np.searchsorted(self.ahead.bounds, end), 1, len(self.ahead.hours)))
        tried = [*(without + run.wh for run in able), self._at_its_usual_hour(load, days, without)]
        *levels, usual = np.moveaxis(self._levels(np.stack(tried, axis=1), until), 1, 0)
        energy = self.ahead.ready.standing.energy.mean
        ends = np.array([level[-1].mean() for level in levels]) * energy
        passes = np.array([(level[1:] < self.ahead.floor).any(axis=0).mean() for level in levels])
        safe = np.where(passes <= passes.min() + NO_SURER, ends, -np.inf)
        # Of starts that take as little, the one by which the bank stands highest meanwhile.
        held = np.array([level.mean() for level in levels])
        best = int(np.where(safe >= safe.max() - ALIKE_WH, held, -1.0).argmax())
        if load.in_sun and not by_hand and self._costs(without, ends[best], until) > MOSTLY_SPILT * able[best].wh.sum():
            return Unplaced(load.name, "no_sun_to_spare")
        self.more = without + able[best].wh
        self._count_ac(load, able[best])
        run = able[best]
        return Placed(load.name, _at(run.begin), _at(run.end), float(run.wh.sum()),
                      float(ends[best] - usual[-1].mean() * energy), load.usual_start, by_hand)

    def _costs(self, without: np.ndarray, with_wh: float, until: int) -> float:
        """What the bank has less at the end with a load than without, Wh, on the mean of the futures."""
        (left,) = np.moveaxis(self._levels(without[:, None], until), 1, 0)
        return float(left[-1].mean()) * self.ahead.ready.standing.energy.mean - with_wh

    def _levels(self, more: np.ndarray, until: int) -> np.ndarray:
        """Levels of some futures with each of several uses; more  (steps, tries) → (until + 1, tries, futures)."""
        tries, lanes = more.shape[1], self.lanes
        each = np.repeat(more, len(lanes), axis=1)
        made = self.ahead.run(each, np.tile(lanes, tries), until)
        return np.asarray(made.level.reshape(-1, tries, len(lanes)))

    def _usual(self, load: Load, day: date) -> np.ndarray:
        """What the outlook counts for it on a day that lies ahead, Wh in each step."""
        grid = self.ahead.ready.grid
        if day not in grid.days or day.month not in load.months:
            return np.zeros(len(self.ahead.hours))
        on_day = grid.day_of_step[self.ahead.steps] == grid.days.index(day)
        share = hours_shape(load.pattern)[grid.clock_hours[self.ahead.steps]] * self.ahead.hours
        return np.asarray(np.where(on_day, load_dc_wh(self.rig, load) * share, 0.0))

    def _runs(self, load: Load, days: list[date], at: float | None) -> list[_Run]:
        """Every start within its window that still lies ahead, or the one that a hand chose."""
        begin, end, length = (float(of) for of in load.pattern[1:])
        end += 24 if end <= begin else 0
        found = []
        for day in days:
            hours = np.arange(begin, end - length + 1e-9, TRIED_EVERY_H)
            if at is not None:
                hours = np.array([at + (24 if at < begin and end > 24 else 0)])
            closes = at_clock(day, end, self.zone).timestamp() + 1
            for hour in np.append(hours, end - length) if at is None else hours:
                first = at_clock(day, float(hour), self.zone).timestamp()
                # What has begun can still be begun now, where its window leaves time for it.
                first = max(first, float(self.ahead.bounds[0])) if at is None else first
                last = first + 3600 * length
                if first < self.ahead.bounds[0] or at is None and last > closes:
                    continue
                cover = self.ahead.overlap(first, last)
                found.append(_Run(first, last, cover / length * _run_wh(self.rig, load)))
        return list({run.begin: run for run in found}.values())

    def _at_its_usual_hour(self, load: Load, days: list[date], without: np.ndarray) -> np.ndarray:
        """The use with it where it would run without a plan."""
        if load.usual_start is None:
            spread = np.sum([self._usual(load, each) for each in days], axis=0)
            if spread.sum() > 0:  # all of one run, in what is left of its window
                return np.asarray(without + spread * _run_wh(self.rig, load) / spread.sum())
        runs = self._runs(load, days[:1], load.usual_start) or self._runs(load, days[-1:], None)[-1:]
        return np.asarray(without + (runs[0].wh if runs else 0.0))

    def _ac_anyway(self) -> np.ndarray:
        """AC W that run in each step whatever is placed: what is always on, and what has hours of its own."""
        clock = self.ahead.ready.grid.clock_hours[self.ahead.steps]
        watts = np.zeros(len(clock))
        for load in self.rig.loads:
            if load.side == "ac" and load.running_w and not load.movable and self._in_season(load):
                watts += load.running_w * (hours_shape(load.pattern)[clock] > 0)
        return watts

    def _inverter_bears(self, load: Load, run: _Run) -> bool:
        most = self.rig.inverter.continuous_w if self.rig.inverter else None
        if most is None or load.side != "ac" or not load.running_w:
            return True
        return bool((self.ac_w[run.wh > 0] + load.running_w).max(initial=0.0) <= most)

    def _count_ac(self, load: Load, run: _Run) -> None:
        if load.side == "ac" and load.running_w:
            self.ac_w = self.ac_w + load.running_w * (run.wh > 0)


def _run_wh(rig: Rig, load: Load) -> float:
    """What one run takes at the battery, Wh."""
    return load_dc_wh(rig, load) * load.run_wh / load.daily_wh if load.daily_wh else 0.0


def _at(seconds: float) -> datetime:
    return datetime.fromtimestamp(seconds, UTC)
