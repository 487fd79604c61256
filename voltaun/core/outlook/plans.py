"""Plans for the coming days, and what each changes in use and in what comes in."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from voltaun.core.instants import hours_between
from voltaun.core.log.reading import Reading
from voltaun.core.rig.loads import hours_shape, load_dc_wh
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCE_TABLE

GUESTS, AWAY = 1.4, 0.2
"""By what the use is multiplied, unless told."""

BEGINS = {source.plan: source.begins for source in SOURCE_TABLE if source.plan}
"""The local clock hour at which a planned source begins, unless told."""

SOURCE_OF = {source.plan: source.name for source in SOURCE_TABLE if source.plan}
"""The source that a kind of plan runs."""

KINDS = (*SOURCE_OF, "guests", "away", "add", "leave_off")

A_GUEST = 0.2
"""What each guest more adds to the use, a share; two of them make `GUESTS`."""


@dataclass(frozen=True)
class Plan:
    """One plan from a local day to another, both included.

    kind    drive, generator or mains (amount: hours a day), guests or away (amount: by what use is multiplied),
            add (amount: Wh more a day at the battery) or leave_off (name: the load)
    begin   the local clock hour at which a source begins (None: as in `BEGINS`) or what is added comes on (None: it
            comes over the day as the use does)
    end     the clock hour at which what is added goes off, past midnight where it is the lower
    """

    kind: str
    first: date
    last: date
    amount: float | None = None
    name: str = ""
    begin: float | None = None
    end: float | None = None

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise ValueError(f"found {self.kind!r}, expected one of {', '.join(KINDS)}")
        if self.last < self.first:
            raise ValueError(f"found {self.first} to {self.last}, expected the earlier day first")
        if (self.last - self.first).days > 400:
            raise ValueError(f"found {(self.last - self.first).days} days, expected a plan of at most 400")
        most = 24.0 if self.kind in SOURCE_OF else 10.0 if self.kind in ("guests", "away") else 1e6
        if self.kind in SOURCE_OF and self.amount is None or self.kind == "add" and self.amount is None:
            raise ValueError("found no amount, expected hours a day" if self.kind != "add" else
                             "found no amount, expected Wh a day")
        if self.amount is not None and not 0 <= self.amount <= most:
            raise ValueError(f"found {self.amount:g}, expected 0 to {most:g}")
        self._check_hours()

    def _check_hours(self) -> None:
        if self.begin is not None and not (self.kind in (*SOURCE_OF, "add") and 0 <= self.begin < 24):
            raise ValueError(f"found {self.begin:g}, expected a clock hour from 0 to 24 of what is run or added")
        if (self.begin is None) != (self.end is None) if self.kind == "add" else self.end is not None:
            raise ValueError("found one clock hour, expected both for what is added and only the first for a source")
        if self.end is not None and (not 0 <= self.end <= 24 or self.end == self.begin):
            raise ValueError(f"found {self.end:g}, expected another clock hour from 0 to 24")

    @property
    def hours(self) -> tuple[float, float] | None:
        """From which clock hour to which it lasts, the second past 24 where that is the next day; None over all day."""
        if self.kind in SOURCE_OF:
            begin = BEGINS[self.kind] if self.begin is None else self.begin
            return begin, begin + (self.amount or 0.0)
        if self.begin is None or self.end is None:
            return None
        return self.begin, self.end + 24 * (self.end < self.begin)

    def on(self, day: date) -> bool:
        """Whether it holds on that day."""
        return self.first <= day <= self.last


@dataclass(frozen=True)
class GeneratorRule:
    """A generator that is started at one level and run to another (fractions), within local clock hours, on litres.

    from_hour and to_hour 0 and 24 is at any time; litres None is as much as it takes.
    """

    start: float
    stop: float
    from_hour: float = 0.0
    to_hour: float = 24.0
    litres: float | None = None

    def __post_init__(self) -> None:
        if not 0 <= self.start < self.stop <= 1:
            raise ValueError(f"found {self.start * 100:g} to {self.stop * 100:g} %, expected the lower level first, "
                             "both from 0 to 100 %")
        if not (0 <= self.from_hour < 24 and 0 < self.to_hour <= 24) or self.from_hour == self.to_hour:
            raise ValueError(f"found {self.from_hour:g} to {self.to_hour:g}, expected two clock hours from 0 to 24")
        if self.litres is not None and not 0 <= self.litres <= 1e5:
            raise ValueError(f"found {self.litres:g} litres, expected 0 or more")

    def allows(self, clock_hours: np.ndarray) -> np.ndarray:
        """Whether it may run in each of these clock hours."""
        if self.from_hour < self.to_hour:
            return (clock_hours >= self.from_hour) & (clock_hours < self.to_hour)
        return (clock_hours >= self.from_hour) | (clock_hours < self.to_hour)


def with_fuel_left(rule: GeneratorRule, rig: Rig, readings: Sequence[Reading], noted_at: datetime) -> GeneratorRule:
    """The rule with what is left of its litres: less what the rig's first generator has burnt since they were noted, by
    what it brought in the log, Wh ÷ its W × litres an hour. Of a reading that reaches back before that, the part since
    counts, by time."""
    set_ = next(iter(rig.generators), None)
    if rule.litres is None or set_ is None or not set_.fuel_l_per_hour or not set_.gives_w:
        return rule
    brought = 0.0
    for before, reading in zip([None, *readings], readings, strict=False):
        wh = reading.generator_wh
        if not wh or reading.at <= noted_at:
            continue
        begun = noted_at if before is None else before.at
        since = hours_between(max(begun, noted_at), reading.at) / hours_between(min(begun, reading.at), reading.at)
        brought += wh * since
    return replace(rule, litres=max(0.0, rule.litres - brought / set_.gives_w * set_.fuel_l_per_hour))


def use_changes(rig: Rig, plans: Sequence[Plan], days: Sequence[date],
                shape: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """What plans do to the use: a factor for each day, shape (days,), and Wh more in each of its hours, (days, 24).

    shape  each day's usual share of each clock hour, over which what is added without hours is spread as well, shape
           (days, 24)
    """
    factor, more = np.ones(len(days)), np.zeros((len(days), 24))
    loads = {load.name: load for load in rig.loads}
    for plan in plans:
        held = np.array([plan.on(day) for day in days])
        if plan.kind in ("guests", "away"):
            factor[held] *= plan.amount if plan.amount is not None else {"guests": GUESTS, "away": AWAY}[plan.kind]
        elif plan.kind == "add":
            if plan.hours is None:
                more[held] += (plan.amount or 0.0) * shape[held]
            else:
                begin, end = plan.hours
                more += (plan.amount or 0.0) / (end - begin) * _covered(plan, days)
        elif plan.kind == "leave_off" and plan.name in loads:
            load = loads[plan.name]
            month = np.array([day.month in load.months for day in days])
            more[held & month] -= load_dc_wh(rig, load) * hours_shape(load.pattern)
    return factor, more


def planned_watts(rig: Rig, plans: Iterable[Plan], days: Sequence[date]) -> np.ndarray:
    """W at the battery's terminals that planned sources give in each hour, shape (days, 24)."""
    watts = np.zeros((len(days), 24))
    for plan in plans:
        source = SOURCE_OF.get(plan.kind)
        if source is None or not rig.has(source):
            continue
        part = next((each for each in rig.parts(source) if each.name == plan.name), rig.parts(source)[0])
        watts += part.gives_w * _covered(plan, days)
    return watts


def _covered(plan: Plan, days: Sequence[date]) -> np.ndarray:
    """How much of each hour of these days a plan with hours covers, (days, 24); past midnight it is the next day's."""
    begin, end = plan.hours or (0.0, 24.0)
    hours = np.arange(48)
    cover = np.clip(np.minimum(hours + 1, end) - np.maximum(hours, begin), 0, 1)
    today = np.array([plan.on(day) for day in days])
    before = np.array([plan.on(day - timedelta(days=1)) for day in days])
    return np.asarray(today[:, None] * cover[:24] + before[:, None] * cover[24:])
