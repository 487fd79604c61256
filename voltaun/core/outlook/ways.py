"""The least of each way to keep above the floor that is enough, as plans."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np

from voltaun.core.outlook.flows import planned
from voltaun.core.outlook.lanes import RISKY, Came, Done, Lanes, Span
from voltaun.core.outlook.laying import ANY, LATER, SLOT, WAIT, Laying
from voltaun.core.outlook.plans import SOURCE_OF, Plan, use_changes
from voltaun.core.outlook.prepare import Prepared
from voltaun.core.outlook.simulate import Futures
from voltaun.core.rig.loads import hourly_shapes, load_dc_wh
from voltaun.core.rig.parts import Charger, Generator, Load
from voltaun.core.stats import middle

ADVISED_DAYS = 3
"""So many local days after today the advice looks ahead."""

RUN_FROM, RUN_TO = 8.0, 22.0
"""The clock hours within which a source is run, unless the generator's rule says others."""

SEARCHED = 400
"""So many futures are looked at while searching; what is found is then held against all of them."""

MOST_SPARED = 0.5
"""Nobody spares more of their use than this share."""

CLOSE = 3600.0
"""Runs that begin within so long after the end of the one before are made one, s."""

RHYTHM = 12
"""By so many of the last readings it is told when the level will be read again."""

MOST_LOADS = 4
"""So many loads are looked at by themselves: the largest of those that could be done without."""

NOTICED = 0.02
"""A way that lowers the chance by less than this is none."""

SPARED = "using less"
"""The name of a plan to use less of everything."""


@dataclass(frozen=True)
class Way:
    """One way to keep above the floor: plans as they would be kept.

    last_time  the instant after which its first run no longer helps; None where nothing is run
    chance_after  of going below the everyday floor within the advised days; enough  whether that is little enough
    cost   of fuel by the rig's price; 0 for doing without, None where the rig tells no price
    """

    plans: tuple[Plan, ...]
    last_time: datetime | None
    chance_after: float
    enough: bool
    cost: float | None

    @property
    def hours(self) -> float:
        """Hours that something is run."""
        return sum((plan.amount or 0.0) for plan in self.plans if plan.kind in SOURCE_OF)


class Search:
    """The search for the least of each way, on some of the futures, and the check on all of them."""

    def __init__(self, ready: Prepared, made: Futures, steps: slice, which: np.ndarray, no_fuel: tuple[str, ...]):
        """steps  that are looked at; which  of the futures; no_fuel  names of generators that cannot be run"""
        self.ready, self.rig, self.steps = ready, ready.ask.rig, steps
        self.bounds = ready.grid.bounds[steps.start:steps.stop + 1]
        self.count = len(self.bounds) - 1
        # A day each from now on, from hour to hour, the last with what is left.
        begins = np.searchsorted(self.bounds[:-1], self.bounds[0] + 86_400.0 * np.arange(ADVISED_DAYS))
        found = [int(at) for at in begins if at < self.count]
        self.periods = tuple(slice(*ends) for ends in zip(found, [*found[1:], self.count], strict=True))
        span = Span(steps, self.bounds, ready.grid.hours[steps], ready.grid.day_of_step[steps], self.periods)
        self.sources = [(kind, part) for kind, source in SOURCE_OF.items() for part in self.rig.parts(source)
                        if part.name not in no_fuel or kind != "generator"]
        self.read_again = self._read_again()
        self.usual = hourly_shapes(self.rig, ready.grid.days)
        self.lanes, self.few = (Lanes(ready, span, made, of) for of in (which, which[:SEARCHED]))
        # What is found is told of all futures, also where only some of them are asked.
        everyone = made.level.shape[1]
        self.judged = self.lanes if len(which) == everyone else Lanes(ready, span, made, np.arange(everyone))
        everything = self._all_ways()
        for lanes in {id(of): of for of in (self.lanes, self.few, self.judged)}.values():
            lanes.see_what_helps(everything)

    def _read_again(self) -> float:
        """When the level will likely be read again, by the rhythm of the last readings, epoch seconds."""
        ends = [interval.end.timestamp() for interval in self.ready.ask.known.account.intervals[-RHYTHM:]]
        gap = middle(np.diff(ends)) if len(ends) > 2 else 86_400.0
        next_one = self.ready.standing.read_at.timestamp() + float(np.clip(gap, 6 * 3600, 36 * 3600))
        return max(float(self.bounds[0]) + 3600, next_one)

    @property
    def asks(self) -> bool:
        """Whether as things stand more is risked than is taken."""
        return not self.lanes.enough(self.lanes.as_it_stands)

    @property
    def helped_from(self) -> datetime | None:
        """From when on anything helps, where a lack before is certain."""
        certain = self.lanes.share(self.lanes.below(self.lanes.best)) > 1 - RISKY
        if not certain[0]:
            return None
        after = np.flatnonzero(~certain)
        return datetime.fromtimestamp(self.bounds[after[0] + 1], UTC) if len(after) else None

    def _all_ways(self) -> Done:
        done = Done.nothing(self.count)
        for kind, part in self.sources:
            slots = self._slots(kind, part)
            done = done.and_also(self._running(part.gives_w, slots, np.ones(len(slots), dtype=bool)))
        for load in self._loads():
            done = done.and_also(self._without(load, ADVISED_DAYS))
        return done if self.sources or self._loads() else self._sparing(MOST_SPARED)

    # --- what can be done

    def _slots(self, kind: str, part: Charger) -> np.ndarray:
        """The beginnings of the slots in which a source may be run, epoch seconds."""
        rule = self.ready.ask.rule
        zone = self.rig.zone
        first = np.ceil(self.bounds[0] / SLOT) * SLOT
        begins = np.arange(first, self.bounds[-1] - SLOT + 1, SLOT)
        clock = np.array([_clock(at, zone) for at in begins])
        by_rule = kind == "generator" and rule is not None
        may = rule.allows(clock) if rule and by_rule else (clock >= RUN_FROM) & (clock < RUN_TO)
        own = [plan for plan in self.ready.ask.plans if plan.kind == kind and plan.name in ("", part.name)]
        standing = planned(replace(self.ready.ask, plans=own), self.ready.grid)[self.steps]
        return np.asarray(begins[may & (standing[self.lanes.span.step_of(begins)] <= 0)])

    def _running(self, watts: float, slots: np.ndarray, on: np.ndarray) -> Done:
        more = np.bincount(self.lanes.span.step_of(slots[on]), minlength=self.count) * watts * SLOT / 3600
        return replace(Done.nothing(self.count), more=more)

    def _loads(self) -> list[Load]:
        """What could be done without, spare things first, of each the larger first."""
        today = self.ready.ask.today
        month, gone = today.month, {plan.name for plan in self.ready.ask.plans
                                    if plan.kind == "leave_off" and plan.on(today)}
        free = [load for load in self.rig.loads if load.priority != "essential" and month in load.months
                and load.daily_wh > 0 and load.name not in gone]
        return sorted(free, key=lambda load: (load.priority != "spare", -load_dc_wh(self.rig, load)))

    def _leaving(self, load: Load, days: int) -> Plan:
        today = self.ready.ask.today
        return Plan("leave_off", today, today + timedelta(days=days), None, load.name)

    def _without(self, load: Load, days: int) -> Done:
        grid = self.ready.grid
        _, more = use_changes(self.rig, [self._leaving(load, days)], grid.days, self.usual)
        more = grid.kept_whole(more, self.rig.zone)
        less = -(more[grid.day_of_step, grid.clock_hours] * grid.hours)[self.steps]
        return replace(Done.nothing(self.count), less=less)

    def _sparing(self, share: float) -> Done:
        return replace(Done.nothing(self.count), factor=np.full(self.count, 1 - share))

    # --- how much of it

    def ways(self) -> list[Way]:
        """Each way by itself, in the order of what it costs; where none is enough, all of them joined one by one."""
        nothing = Done.nothing(self.count)
        found = [way for way in (*(self._run(kind, part, nothing) for kind, part in self.sources),
                                 *(self._leave(load) for load in self._loads()[:MOST_LOADS]), self._spare()) if way]
        found.sort(key=_dear)
        if not any(way.enough for way in found):
            joined = self._joined()
            if joined is not None and all(joined.plans != way.plans for way in found):
                found.insert(0, joined)
        return found

    def _joined(self) -> Way | None:
        """All that can be done without, then one source after the other, until it is enough."""
        loads = self._loads()
        done = Done.nothing(self.count)
        plans: list[Plan] = []
        for load in loads:
            done, plans = done.and_also(self._without(load, ADVISED_DAYS)), [*plans, self._leaving(load, ADVISED_DAYS)]
            if self._enough(done):
                return self._way(tuple(plans), done, None, 0.0)
        cost: float | None = 0.0
        begun: list[datetime] = []
        for kind, part in sorted(self.sources, key=lambda of: -of[1].gives_w):
            way = self._run(kind, part, done)
            if way is None:
                continue
            plans += way.plans
            done = done.and_also(self._doing(way.plans))
            cost = None if cost is None or way.cost is None else cost + way.cost
            begun += [way.last_time] if way.last_time else []
            if way.enough:
                break
        return self._way(tuple(plans), done, min(begun, default=None), cost) if plans else None

    def _doing(self, plans: Iterable[Plan]) -> Done:
        """What plans of sources come to."""
        grid = self.ready.grid
        return replace(Done.nothing(self.count),
                       more=planned(replace(self.ready.ask, plans=tuple(plans)), grid)[self.steps])

    def _enough(self, done: Done) -> bool:
        return self.lanes.enough(self.lanes.run(done))

    def _way(self, plans: tuple[Plan, ...], done: Done, last: datetime | None, cost: float | None) -> Way:
        came = self.judged.run(done)
        return Way(plans, last, self.judged.chance_of(came), self.judged.enough(came), cost)

    def _if_it_helps(self, way: Way) -> Way | None:
        return way if way.enough or way.chance_after < self.judged.chance - NOTICED else None

    def _leave(self, load: Load) -> Way | None:
        """Doing without one load, on as few days as are enough; None where it does nothing."""
        days = ADVISED_DAYS
        way = self._way((self._leaving(load, days),), self._without(load, days), None, 0.0)
        while way.enough and days:
            fewer = self._way((self._leaving(load, days - 1),), self._without(load, days - 1), None, 0.0)
            if not fewer.enough:
                break
            days, way = days - 1, fewer
        return self._if_it_helps(way)

    def _spare(self) -> Way | None:
        """Using less of everything, in steps of a twentieth."""
        today = self.ready.ask.today
        last = today + timedelta(days=ADVISED_DAYS)
        low, high = 0, round(MOST_SPARED * 20)
        while low < high:
            middle = (low + high) // 2
            enough = self.few.enough(self.few.run(self._sparing(middle / 20)))
            low, high = (low, middle) if enough else (middle + 1, high)
        for twentieths in range(max(low, 1), round(MOST_SPARED * 20) + 1):
            share = twentieths / 20
            plan = Plan("guests", today, last, 1 - share, SPARED)
            way = self._way((plan,), self._sparing(share), None, 0.0)
            if way.enough:
                break
        return self._if_it_helps(way)

    def _run(self, kind: str, part: Charger, beside: Done) -> Way | None:
        """The least hours of a source that are enough, as late as they help; None where it does nothing."""
        slots = self._slots(kind, part)
        if not len(slots) or not part.gives_w:
            return None
        def doing(on: np.ndarray) -> Done:
            return beside.and_also(self._running(part.gives_w, slots, on))
        on = np.zeros(len(slots), dtype=bool)
        late, laying = slots >= self.read_again, None
        for lanes, how in ((self.few, WAIT), (self.few, LATER), (self.lanes, LATER), (self.lanes, ANY)):
            if how != ANY or laying and not lanes.enough(laying.came):
                laying = Laying(lanes, part.gives_w, slots, late, doing)
                on = laying.whole(on, how)
        on = self._within_fuel(part, self._closed_up(slots, on, doing, laying.came)) if laying else on
        if not on.any():
            return None
        plans = tuple(self._plans(kind, part, slots[on]))
        cost = None
        if isinstance(part, Generator) and part.fuel_l_per_hour is not None and part.fuel_price is not None:
            cost = on.sum() * SLOT / 3600 * part.fuel_l_per_hour * part.fuel_price
        way = self._way(plans, doing(on), datetime.fromtimestamp(slots[on][0], UTC), cost)
        return self._if_it_helps(way)

    def _closed_up(self, slots: np.ndarray, on: np.ndarray, doing: Callable[[np.ndarray], Done],
                   whole: Came) -> np.ndarray:
        """Runs with less than an hour between them as one: nobody starts an engine twice for that. The later begins
        earlier, unless what was enough no longer is then.

        whole  what comes of the runs as they are
        """
        moved = on.copy()
        for _, after in pairwise(_runs(np.flatnonzero(on), 1)):
            begin = int(np.flatnonzero(moved[:after[0]])[-1]) + 1
            if slots[after[0]] - slots[begin - 1] <= CLOSE:
                moved[after] = False
                moved[begin:begin + len(after)] = True
        if (moved == on).all() or self.lanes.enough(whole) and not self._enough(doing(moved)):
            return on
        return moved

    def _within_fuel(self, part: Charger, on: np.ndarray) -> np.ndarray:
        rule = self.ready.ask.rule
        if not isinstance(part, Generator) or rule is None or rule.litres is None or not part.fuel_l_per_hour:
            return on
        most = int(rule.litres / part.fuel_l_per_hour * 3600 / SLOT)
        return on & (np.cumsum(on) <= most)

    def _plans(self, kind: str, part: Charger, begins: np.ndarray) -> Iterable[Plan]:
        """The runs that slots come to, each a plan."""
        for group in _runs(begins, SLOT):
            day = datetime.fromtimestamp(group[0], self.rig.zone).date()
            yield Plan(kind, day, day, len(group) * SLOT / 3600, part.name, _clock(group[0], self.rig.zone))


def _runs(ordered: np.ndarray, step: float) -> list[np.ndarray]:
    """Ordered numbers in stretches, where one that is more than a step after the one before begins the next."""
    return np.split(ordered, np.flatnonzero(np.diff(ordered) > step) + 1)


def _clock(at: float, zone: ZoneInfo) -> float:
    local = datetime.fromtimestamp(at, zone)
    return local.hour + local.minute / 60


def _dear(way: Way) -> tuple[bool, bool, float, float]:
    """What is enough comes before what is not; then what costs nothing, then what costs least."""
    return not way.enough, way.cost is None, way.cost or 0.0, way.hours
