"""Use per day, from legs of about a day."""

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from voltaun.core.instants import at_clock, day_start, local_day
from voltaun.core.log.ledger import READ, Interval
from voltaun.core.rig.loads import load_dc_wh
from voltaun.core.rig.parts import Load
from voltaun.core.rig.rig import Rig
from voltaun.core.series import Kind, Seen, Series, draw, learn

MIN_LEG_HOURS, MAX_LEG_HOURS = 18.0, 7 * 24.0
"""A leg is a run of intervals of about a day; longer gaps say nothing of a day's spread."""


@dataclass(frozen=True)
class Leg:
    """Whole intervals that together make about a day: hours, and Wh or None; capped when its sun is only a least.

    lowest  the least level that was known within it, a fraction
    """

    hours: float
    use_wh: float | None
    solar_wh: float | None
    clear_sky_wh: float | None
    capped: bool
    use_read: bool
    end: datetime
    lowest: float | None = None


@dataclass(frozen=True)
class UseLearned:
    """Use on the DC side, Wh per 24 h: each leg's rate, their mean by time and their spread.

    read_share is how much of that time the use was read; reckoned use holds a hidden draw already.
    hours  that it rests on where no leg is about a day long (see `hours.first_use`), else None
    """

    rates: np.ndarray
    mean: float
    sd: float | None
    read_share: float = 1.0
    hours: float | None = None

    @property
    def intervals(self) -> int:
        """How many legs of about a day it rests on."""
        return 0 if self.hours is not None else len(self.rates)


def day_legs(made: Sequence[Interval]) -> list[Leg]:
    """Join following intervals into legs of about a day (18 h or more; gaps over a week are left out)."""
    return [_leg(group, hours) for group, hours in _joined(made) if hours <= MAX_LEG_HOURS]


def gap_legs(made: Sequence[Interval]) -> list[Leg]:
    """The legs of more than a week: what nobody logged, and perhaps nobody was there."""
    return [_leg(group, hours) for group, hours in _joined(made) if hours > MAX_LEG_HOURS]


def grouped(made: Sequence[Interval]) -> Iterator[list[Interval]]:
    """The intervals of each leg of about a day."""
    return (group for group, hours in _joined(made) if hours <= MAX_LEG_HOURS)


def _joined(made: Sequence[Interval]) -> Iterator[tuple[list[Interval], float]]:
    """Following intervals until they are 18 h or more, with their hours; without what is set apart."""
    group, hours = [], 0.0
    for interval in made:
        if interval.apart and interval.hours <= MAX_LEG_HOURS:
            continue
        group.append(interval)
        hours += interval.hours
        if hours >= MIN_LEG_HOURS:
            yield group, hours
            group, hours = [], 0.0


def _leg(group: list[Interval], hours: float) -> Leg:
    def total(values: Iterable[float | None]) -> float | None:
        told = [value for value in values if value is not None]
        return sum(told) if len(told) == len(group) else None
    trusted = not any(interval.marked for interval in group)
    use_read = all(i.use_basis == READ for i in group)  # a doubtful sun leaves a use that was read as it is
    return Leg(hours, total(i.use_wh for i in group) if trusted or use_read else None,
               total(i.harvest["solar"] for i in group) if trusted else None,
               total(i.clear_sky_wh for i in group), any(i.at_least for i in group),
               use_read, group[-1].end, min((level for i in group for level in (i.soc_start, i.soc_end)
                                             if level is not None), default=None))


def as_listed_now(rig: Rig, legs: Sequence[Leg]) -> list[Leg]:
    """The legs with the use that they would have had with the loads of now: what came or went since is added or left
    out by the list, Wh a day, as far as the log's own figure allows."""
    if not rig.dated or not any(isinstance(of.part, Load) for of in rig.former) and not any(
            load.from_day for load in rig.loads):
        return list(legs)

    def listed_wh(stood: Rig, month: int) -> float:
        return sum(load_dc_wh(stood, load) for load in stood.loads if month in load.months)
    made = []
    for leg in legs:
        day = day_of(leg.end, leg.hours, rig.zone)
        more = (listed_wh(rig, day.month) - listed_wh(rig.on(day), day.month)) * leg.hours / 24
        made.append(leg if leg.use_wh is None or not more else replace(leg, use_wh=max(0.0, leg.use_wh + more)))
    return made


def use_of(legs: list[Leg]) -> UseLearned | None:
    """Use a day from legs; None when none of them tells it."""
    known = [(leg.use_wh, leg.hours, leg.use_read) for leg in legs if leg.use_wh is not None]
    if not known:
        return None
    rates = np.array([wh / hours * 24 for wh, hours, _ in known])
    whole = sum(hours for _, hours, _ in known)
    mean = sum(wh for wh, _, _ in known) / whole * 24
    read_share = sum(hours for _, hours, read in known if read) / whole
    return UseLearned(rates, mean, float(rates.std(ddof=1)) if len(rates) > 1 else None, read_share)


@dataclass(frozen=True)
class Lot:
    """Some use together: on how many days, what part of them is each weekday's (7,), Wh a day, and the middle of it."""

    days: float
    weekdays: np.ndarray
    wh_a_day: float
    middle: date


LONGEST_DAY_HOURS = 36.0
"""A longer leg tells a mean, and nothing of a single day."""

LEAST_DAYS_OF_USE = 7
"""With fewer days known nothing is said of how the use goes on."""

SCALE_DAYS = 40.0
"""A day so old weighs 1/e of today's in the mean that the others are measured by."""

WEEKDAY_DAYS = 8.0
"""A weekday's own habit is believed as if so many of its days had shown none."""

USE = Kind(points=(0.3, 0.6, 0.8, 1.0, 1.2, 1.5, 2.5), weights=(0.2, 0.5, 0.8, 1.0, 0.8, 0.5, 0.2), forget_days=90.0,
           most=6.0, mixed=1.2)
"""A day's use in times the usual, before the log knows better."""


@dataclass(frozen=True)
class UseModel:
    """How the use goes on: its series in times of `scale_wh`, and what each weekday (0 Monday) is multiplied by."""

    series: Series
    scale_wh: float
    weekdays: np.ndarray

    def draw(self, days: Sequence[date], futures: int, seed: int) -> np.ndarray:
        """Use of coming days that follow one another, Wh, shape (days, futures)."""
        if not days:
            return np.empty((0, futures))
        shares = draw(self.series, days[0], len(days), futures, (seed, 4, 3))
        return np.asarray(shares * self.scale_wh * self.weekdays[[day.weekday() for day in days], None])


def learn_uses(histories: Sequence[Sequence[Leg]], todays: Sequence[date], zone: ZoneInfo,
               hard_floor: float) -> list[UseModel | None]:
    """How the use goes on by the legs known at each of these todays; None with fewer than `LEAST_DAYS_OF_USE` of a day.

    hard_floor  the level at which the load is cut off, a fraction: see `cut_short`
    """
    told = [days_of(legs, zone) for legs in histories]
    cuts = [cut_short(days, legs, zone, hard_floor) for days, legs in zip(told, histories, strict=True)]
    frees = [free_of(days, cut) for days, cut in zip(told, cuts, strict=True)]
    lots = [_lots(days, legs, zone) for days, legs in zip(frees, histories, strict=True)]
    scales = [_scale(of, today) for of, today in zip(lots, todays, strict=True)]
    habits = [_weekdays(of, scale) for of, scale in zip(lots, scales, strict=True)]
    usual = [_unlike(of, scale, habit) * scale for of, scale, habit in zip(lots, scales, habits, strict=True)]
    seen = [[Seen(day, wh / of / habit[day.weekday()], day in cut) for day, wh in days.items()] if of else []
            for days, cut, of, habit in zip(told, cuts, usual, habits, strict=True)]
    made = learn(seen, todays, USE)
    return [UseModel(series, scale, habit) if scale and series.days >= LEAST_DAYS_OF_USE else None
            for series, scale, habit in zip(made, scales, habits, strict=True)]


def day_of(end: datetime, hours: float, zone: ZoneInfo) -> date:
    """The local day that a leg or an interval of so many hours counts as: the one in which its middle lies."""
    return local_day(end - timedelta(hours=hours / 2), zone)


def days_of(legs: Sequence[Leg], zone: ZoneInfo) -> dict[date, float]:
    """The use by the local day in which the middle of its leg lies, Wh."""
    return {day_of(leg.end, leg.hours, zone): leg.use_wh * 24 / leg.hours
            for leg in legs if leg.use_wh is not None and leg.hours <= LONGEST_DAY_HOURS}


def days_within(leg: Leg, zone: ZoneInfo) -> list[date]:
    """The local days that lie in a leg with their noon."""
    first, last = local_day(leg.end - timedelta(hours=leg.hours - 12), zone), local_day(leg.end, zone)
    days = [first + timedelta(days=n) for n in range(-1, (last - first).days + 2)]
    begin, end = leg.end - timedelta(hours=leg.hours), leg.end
    return [day for day in days if begin < at_clock(day, 12, zone) <= end]


def mean_days(legs: Sequence[Leg], zone: ZoneInfo, weekdays: np.ndarray) -> dict[date, float]:
    """The days of legs that are too long to tell a single one, Wh: at the leg's mean, by their weekdays' own part."""
    found: dict[date, float] = {}
    for leg in legs:
        days = days_within(leg, zone)
        if leg.use_wh is not None and leg.hours > LONGEST_DAY_HOURS and days:
            usual = float(_hours_of_weekdays(leg, zone) @ weekdays) / leg.hours
            found |= {day: leg.use_wh / leg.hours * 24 * float(weekdays[day.weekday()]) / usual for day in days}
    return found


ABSENT_SHARE = 0.5
"""A leg of more than a week in which less than this part of the usual was used a day is an absence."""


@dataclass(frozen=True)
class Absence:
    """Local days on which nobody was there, the first and the last, and what an empty house uses, Wh a day."""

    first: date
    last: date
    use_wh: float


def absences(gaps: Sequence[Leg], usual_wh: float, zone: ZoneInfo) -> list[Absence]:
    """Of the legs of more than a week those in which nobody was there; usual_wh  a day of living there."""
    found = []
    for leg in gaps:
        days = days_within(leg, zone)
        if leg.use_wh is not None and days and leg.use_wh / leg.hours * 24 < ABSENT_SHARE * usual_wh:
            found.append(Absence(days[0], days[-1], leg.use_wh / leg.hours * 24))
    return found


LEAST_FREE = 14
"""With fewer days on which the cut-off did not act nothing is said of what would be used without it."""

CUT_GRAIN, CUT_SHARE = 0.015, 0.9
"""So near the hard floor a level is at it; a day that used more of the usual than this was not cut short."""


def cut_short(told: dict[date, float], legs: Sequence[Leg], zone: ZoneInfo, hard_floor: float) -> set[date]:
    """The days whose use is only a least: a level stood at the hard floor (a fraction), where the load is cut off, and
    less than usual was used. A bank with room to spare is asked for more than an empty one could give.

    told  Wh of each day of these legs, see `days_of`
    """
    at_floor = {day_of(leg.end, leg.hours, zone) for leg in legs
                if leg.lowest is not None and leg.lowest <= hard_floor + CUT_GRAIN}
    usual = float(np.mean([wh for day, wh in told.items() if day not in at_floor] or [0.0]))
    return {day for day in at_floor if told.get(day, np.inf) < CUT_SHARE * usual}


def free_of(told: dict[date, float], cut: set[date]) -> dict[date, float]:
    """The use of the days that were not cut short, Wh; of all days where they are too few."""
    return {day: wh for day, wh in told.items() if day not in cut} if len(told) - len(cut) >= LEAST_FREE else told


def _lots(free: Mapping[date, float], legs: Sequence[Leg], zone: ZoneInfo) -> list[Lot]:
    """The use of the days that were not cut short, and of the legs that are no single day."""
    found = [Lot(1.0, np.eye(7)[day.weekday()], wh, day) for day, wh in free.items()]
    single = {day_of(leg.end, leg.hours, zone) for leg in legs if leg.hours <= ONE_DAY_HOURS}
    found = [of for of in found if of.middle in single]
    for leg in legs:
        if leg.use_wh is not None and leg.hours > ONE_DAY_HOURS:
            found.append(Lot(leg.hours / 24, _hours_of_weekdays(leg, zone) / leg.hours, leg.use_wh / leg.hours * 24,
                             day_of(leg.end, leg.hours, zone)))
    return found


ONE_DAY_HOURS = 30.0
"""A leg up to so long is taken for the day of its middle; of a longer one each weekday has its own hours."""


def _hours_of_weekdays(leg: Leg, zone: ZoneInfo) -> np.ndarray:
    """How many hours of a leg fall on each weekday, (7,)."""
    begin, hours = leg.end - timedelta(hours=leg.hours), np.zeros(7)
    day = local_day(begin, zone)
    while begin < leg.end:
        end = min(leg.end, day_start(day + timedelta(days=1), zone))
        hours[day.weekday()] += (end - begin) / timedelta(hours=1)
        begin, day = end, day + timedelta(days=1)
    return hours


def _scale(lots: Sequence[Lot], today: date) -> float:
    """Mean use a day, late days counting more, Wh."""
    weights = [of.days * math.exp(-(today - of.middle).days / SCALE_DAYS) for of in lots]
    return sum(of.wh_a_day * weight for of, weight in zip(lots, weights, strict=True)) / sum(weights) if lots else 0.0


def _unlike(lots: Sequence[Lot], scale: float, habit: np.ndarray) -> float:
    """How much more the days that are told by themselves use than all of them: with weekends only it is not one, for
    little is believed of a habit yet."""
    if not scale or all(of.days == 1.0 for of in lots):
        return 1.0
    rates = np.array([of.wh_a_day / scale / float(of.weekdays @ habit) for of in lots])
    length = np.array([of.days for of in lots])
    single = length <= LONGEST_DAY_HOURS / 24
    return float(rates[single] @ length[single] / length[single].sum() / (rates @ length) * length.sum()) \
        if single.any() else 1.0


def _weekdays(lots: Sequence[Lot], scale: float) -> np.ndarray:
    """What each weekday is multiplied by, drawn towards 1: of longer legs that which explains their means best."""
    if not scale:
        return np.ones(7)
    length, parts = np.array([of.days for of in lots]), np.array([of.weekdays for of in lots])
    off = np.clip([of.wh_a_day / scale for of in lots], 0.2, 3.0) - 1
    off = off - off @ length / length.sum()
    weighed = parts.T * length
    return np.asarray(1 + np.linalg.solve(weighed @ parts + WEEKDAY_DAYS * np.eye(7), weighed @ off))
