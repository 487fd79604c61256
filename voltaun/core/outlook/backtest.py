"""How past outlooks did: each made again with only what was known then, and held against what came.

The yardstick is what one would say without any of this: the last seven days again, as a normal distribution whose
mean is k times, and whose standard deviation is √k times, that of their harvest, for k days.
"""

import math
from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from voltaun.core.instants import day_start, local_day
from voltaun.core.learned.account import Account, Learned, learn, reckon
from voltaun.core.learned.hours import Shares
from voltaun.core.learned.itself import DayFlow, Flow, histories_of, learn_flows
from voltaun.core.learned.use import Leg, UseModel, as_listed_now, day_legs, learn_uses, use_of
from voltaun.core.log.days import Day, by_day, sky_days
from voltaun.core.log.ledger import READ, Interval
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import LEARN_DAYS, USE_DAYS, Ask, Known, lean_of
from voltaun.core.outlook.grid import Grid
from voltaun.core.outlook.outlook import QUANTILES, dawn_and_dusk
from voltaun.core.outlook.prepare import Prepared, prepare
from voltaun.core.outlook.scores import Backtest, Came, Forecast, LevelForecast
from voltaun.core.outlook.simulate import LEVEL_GRAIN, Futures, simulate
from voltaun.core.reasons import NoOutlook
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import BY_HAND
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import SkyDay, SkyModel, learn_skies
from voltaun.core.stats import quantiles

HISTORY_DAYS = 60.0
"""The first outlook is made with so much of the log."""

FUTURES = 250
BATCH = 24
"""So many outlooks are run side by side."""

LEVEL_DAYS = 3
RELEARN = 14
"""What changes slowly (the hidden draw) is learned anew with every so many readings."""

_NORMAL_QUANTILES = np.array((-1.2815516, -0.6744898, 0.0, 0.6744898, 1.2815516))


def backtest(rig: Rig, readings: Sequence[Reading], sun: RigSun | None, horizons: Sequence[int] = (1, 3, 5, 7, 10),
             first: datetime | None = None, futures: int = FUTURES, seed: int = 1, every: int = 1,
             going: Callable[[float], object] = lambda part: None) -> Backtest:
    """Make every past outlook again, from each reading on, and say what came.

    horizons  days ahead; first  only outlooks from then on (else once `HISTORY_DAYS` are logged)
    every  more than 1: one outlook in so many days only, from the last reading of the day
    going  is told what part of it is done
    Only what was logged whole counts as what came.
    """
    ordered = sorted(readings, key=lambda reading: reading.at)
    if len(ordered) < 3:
        return Backtest([], [])
    first, last = first or ordered[0].at + timedelta(days=HISTORY_DAYS), ordered[-1].at
    past = _Past(rig, ordered, sun, horizons, first, every)
    found, waiting = Backtest([], []), []
    for each in past.outlooks(futures, seed):
        waiting.append(each)
        if len(waiting) == BATCH:
            _take_in(rig, waiting, found)
            waiting = []
            going((each.ready.ask.as_of - first) / (last - first))
    _take_in(rig, waiting, found)
    return found


@dataclass(frozen=True)
class PastOutlook:
    """An outlook that was made ready with only what was known then, and the readings of the days after it. What was
    started by hand since counts as it happened, in `ready.planned`."""

    ready: Prepared
    read: list[Reading]


def past_outlooks(rig: Rig, readings: Sequence[Reading], sun: RigSun | None, first: datetime, days: int,
                  futures: int = FUTURES, seed: int = 1) -> Iterator[PastOutlook]:
    """The outlooks from each reading from an instant on, with the readings of so many days after it."""
    ordered = sorted(readings, key=lambda reading: reading.at)
    if len(ordered) < 3:
        return
    past = _Past(rig, ordered, sun, (days,), first, 1)
    places = {reading.at: n for n, reading in enumerate(ordered)}
    for each in past.outlooks(futures, seed):
        n = places[each.ready.ask.as_of]
        yield PastOutlook(each.ready, [reading for reading, _ in past._readings(n, days)])


@dataclass(frozen=True)
class _Waiting:
    """A past outlook that waits to be run, and what it will be held against.

    actuals  the sun that came, by days ahead, Wh; seven  the yardstick's mean and spread a day, Wh
    reading  of the level some days ahead; read  on the days ahead, with what was used until then, Wh
    """

    ready: Prepared
    actuals: dict[int, float]
    seven: tuple[float, float] | None
    reading: Reading | None
    read: list[tuple[Reading, float | None]]


class _Past:
    """A log with what was known of it at each of its readings.

    Intervals are reckoned once: none depends on a reading later than its end.
    """

    def __init__(self, rig: Rig, ordered: list[Reading], sun: RigSun | None, horizons: Sequence[int],
                 first: datetime, every: int):
        self.rig, self.ordered, self.sun, self.horizons = rig, ordered, sun, horizons
        self.made = reckon(rig, ordered, sun).intervals
        self.starts = _seldom([n for n in range(4, len(ordered)) if ordered[n].at >= first], ordered, rig, every)
        self.came = by_day(rig, self.made, sun, local_day(first, rig.zone) - timedelta(days=9)) if self.starts else {}
        self.legs = as_listed_now(rig, day_legs(self.made))  # each closes with an interval, and none looks ahead
        self.ends = [leg.end for leg in self.legs]
        self.flow_days = histories_of(rig, self.made)  # likewise
        self.shares = Shares(rig, self.made)  # of each leg likewise

    def outlooks(self, futures: int, seed: int) -> Iterator[_Waiting]:
        """Each past outlook that has something to be held against, made ready."""
        whole = sky_days(self.rig, self.made, self.sun)
        days = [_known_by(self.rig, self.made, whole, n, self.sun) for n in self.starts]
        todays = [local_day(self.ordered[n].at, self.rig.zone) for n in self.starts]
        skies = learn_skies(days, todays) if self.starts else []
        uses = learn_uses([self._legs(n) for n in self.starts], todays, self.rig.zone,
                          self.rig.bank.hard_floor) if self.starts else []
        flows = learn_flows(self.rig, [self._flows(n) for n in self.starts], todays) if self.starts else []
        learned = None
        for turn, (n, today) in enumerate(zip(self.starts, todays, strict=True)):
            if learned is None or turn % RELEARN == 0:
                since = self.ordered[n].at - timedelta(days=LEARN_DAYS)
                learned = learn(self.rig, _since(self.made, n, since))
            actuals, seven, reading = self._what_came(n, today)
            if not actuals and reading is None:
                continue
            known = self._known(n, learned, days[turn], skies[turn], uses[turn], flows[turn])
            ask = Ask(self.rig.on(today), known, self.sun, self.ordered[n].at,
                      max([*actuals, LEVEL_DAYS + 1]), futures, seed + today.toordinal())
            try:
                ready = prepare(ask)
            except NoOutlook:
                continue
            by_hand = self._by_hand(n, ready.grid)
            ready = replace(ready, harvest=ready.harvest + by_hand[:, None].astype(ready.harvest.dtype),
                            planned=ready.planned + by_hand)
            yield _Waiting(ready, actuals, seven, reading, self._readings(n, max([*actuals, 1])))

    def _readings(self, n: int, days: int) -> list[tuple[Reading, float | None]]:
        """The readings up to so many days after that of a reading, each with what was read to be used until then, Wh;
        None from the first interval on whose use was not read."""
        today = local_day(self.ordered[n].at, self.rig.zone)
        end = day_start(today + timedelta(days=days + 1), self.rig.zone)
        found: list[tuple[Reading, float | None]] = []
        used: float | None = 0.0
        for each, interval in zip(self.ordered[n + 1:], self.made[n:], strict=False):
            if each.at >= end:
                break
            used = used + (interval.use_wh or 0.0) if used is not None and interval.use_basis == READ else None
            found.append((each, used))
        return found

    def _by_hand(self, n: int, grid: Grid) -> np.ndarray:
        """What was started by hand after a reading, as it happened: Wh in each step, evenly over its interval."""
        given = np.zeros(len(grid.hours))
        for interval in self.made[n:]:
            if interval.start.timestamp() >= grid.bounds[-1]:
                break
            wh = sum(interval.harvest[source.name] or 0.0 for source in BY_HAND)
            if wh:
                inside = np.clip(np.minimum(grid.bounds[1:], interval.end.timestamp())
                                 - np.maximum(grid.bounds[:-1], interval.start.timestamp()), 0.0, None)
                given += wh * inside / (interval.hours * 3600)
        return given

    def _legs(self, n: int) -> list[Leg]:
        """The legs of the learning window at a reading."""
        at = self.ordered[n].at
        return self.legs[bisect_right(self.ends, at - timedelta(days=LEARN_DAYS)):bisect_right(self.ends, at)]

    def _flows(self, n: int) -> dict[str, list[DayFlow]]:
        """What ran by itself on the days of the learning window at a reading."""
        at = self.ordered[n].at
        return {source: [of for of in days if at - timedelta(days=LEARN_DAYS) < of.known_at <= at]
                for source, days in self.flow_days.items()}

    def _known(self, n: int, learned: Learned, days: Sequence[SkyDay], sky: SkyModel, use: UseModel | None,
               flows: Mapping[str, Flow]) -> Known:
        """What was known at a reading; of the log itself only its end is needed any more."""
        at = self.ordered[n].at
        lately = self.legs[bisect_right(self.ends, at - timedelta(days=USE_DAYS)):bisect_right(self.ends, at)]
        learned = replace(learned, use=use_of(lately))
        return Known(self.ordered[max(0, n - 4):n + 1], Account(self.made[max(0, n - 60):n], learned), days, sky,
                     learned, lean_of(self.rig, self.shares, learned, at), use, flows)

    def _what_came(self, n: int, today: date) -> tuple[dict[int, float], tuple[float, float] | None, Reading | None]:
        """The sun that came by days ahead, the yardstick, and the reading of the level to hold an outlook against."""
        at = self.ordered[n].at
        night = day_start(today + timedelta(days=1), self.rig.zone)
        seven = _last_seven(self.came, today, over=self.sun is None or self.sun.between(at, night) == 0)
        actuals = {k: total for k in self.horizons if seven and (total := _came(self.came, today, k)) is not None}
        reading = _reading_after(self.ordered, n, at + timedelta(days=LEVEL_DAYS))
        return actuals, seven, reading


def _seldom(starts: list[int], ordered: list[Reading], rig: Rig, every: int) -> list[int]:
    """Of the readings to look ahead from, the last of each day, one day in so many."""
    if every == 1 or not starts:
        return starts
    by_day = {local_day(ordered[n].at, rig.zone): n for n in starts}
    begun = min(by_day)
    return [n for day, n in sorted(by_day.items()) if (day - begun).days % every == 0]


def _take_in(rig: Rig, waiting: Sequence[_Waiting], found: Backtest) -> None:
    """Run the outlooks that wait, all at once, and hold each against what came."""
    for each, made in zip(waiting, _run_together(rig, waiting), strict=True):
        ready, ask = each.ready, each.ready.ask
        sun, used, below = np.zeros(ask.futures), np.zeros(ask.futures), np.zeros(ask.futures, dtype=bool)
        for k in range(1, max(each.actuals, default=0) + 1):
            day = ask.today + timedelta(days=k)
            steps = slice(ready.grid.steps_after(day - timedelta(days=1)), ready.grid.steps_after(day))
            part = made.part(steps)
            others = ready.not_sun(steps)
            sun = sun + np.maximum(part.harvest - others - np.maximum(part.spilt - others, 0.0), 0.0).sum(axis=0)
            used = used + np.maximum(part.used.sum(axis=0) - ready.unseen, 0.0)
            below |= part.level.min(axis=0) < rig.bank.everyday_floor - LEVEL_GRAIN
            if k in each.actuals and each.seven:
                seen = _came_of(each, made, k)
                yardstick = k * each.seven[0] + math.sqrt(k) * each.seven[1] * _NORMAL_QUANTILES
                dawn, _ = dawn_and_dusk(part.harvest - others, ready.grid.clock_hours[steps])
                found.sun.append(Forecast(ask.as_of, k, _five(sun), tuple(yardstick.tolist()), each.actuals[k],
                                          _five(part.level[dawn]), _five(used), float(below.mean()), seen))
        if each.reading is not None and each.reading.soc is not None:
            step = int(np.argmin(np.abs(ready.grid.bounds - each.reading.at.timestamp())))
            found.levels.append(LevelForecast(ask.as_of, each.reading.at,
                                              _five(made.level[step]), each.reading.soc))


def _came_of(of: _Waiting, made: Futures, days: int) -> Came:
    """What the readings show of an outlook so many days ahead, and what was foretold of just that: nothing is held
    against what was reckoned between them."""
    ready, rig = of.ready, of.ready.ask.rig
    begin, end = (day_start(ready.ask.today + timedelta(days=ahead), rig.zone) for ahead in (1, days + 1))
    inside = [(each, used) for each, used in of.read if each.at < end]
    if not inside or local_day(inside[-1][0].at, rig.zone) < ready.ask.today + timedelta(days=days):
        return Came()
    last, used = inside[-1]
    until = int(np.searchsorted(ready.grid.bounds, last.at.timestamp()).clip(0, len(made.load)))
    hours = float(ready.grid.hours[:until].sum())
    noted = np.maximum(made.used[:until].sum(axis=0) - ready.unseen * hours / 24, 0.0)
    said = None if used is None else _five(noted)
    read = [each for each, _ in inside if each.soc is not None and each.at >= begin]
    if not read or read[-1].at != last.at:
        return Came(said, used)
    steps = np.searchsorted(ready.grid.bounds, [each.at.timestamp() for each in read]).clip(0, len(made.level) - 1)
    at = made.level[steps]
    floor = rig.bank.everyday_floor
    levels = [each.soc for each in read if each.soc is not None]
    return Came(said, used, _five(at[-1]), levels[-1], float((at.min(axis=0) < floor - LEVEL_GRAIN).mean()),
                min(levels) < floor - LEVEL_GRAIN)


def _five(values: np.ndarray) -> tuple[float, ...]:
    """The five quantiles of the futures."""
    return tuple(quantiles(values, QUANTILES).tolist())


def _run_together(rig: Rig, waiting: Sequence[_Waiting]) -> list[Futures]:
    """The futures of several outlooks, run side by side: shorter ones wait at their beginning."""
    together: dict[float | None, list[Prepared]] = {}
    for each in waiting:
        together.setdefault(each.ready.standing.temp_c, []).append(each.ready)
    made = {}
    for temp_c, group in together.items():
        steps = max(len(ready.harvest) for ready in group)
        fill = [steps - len(ready.harvest) for ready in group]

        def side_by_side(columns: list[np.ndarray], fill: list[int] = fill) -> np.ndarray:
            return np.hstack([np.pad(column, ((before, 0), (0, 0)))
                              for column, before in zip(columns, fill, strict=True)])
        width = group[0].harvest.shape[1]
        hours = [np.repeat(ready.grid.hours.astype(np.float32)[:, None], width, axis=1) for ready in group]
        whole = simulate(rig, np.concatenate([ready.energy for ready in group]),
                         np.concatenate([ready.start for ready in group]),
                         side_by_side([ready.harvest for ready in group]),
                         side_by_side([ready.load for ready in group]), side_by_side(hours), temp_c)
        for k, (ready, before) in enumerate(zip(group, fill, strict=True)):
            made[id(ready)] = whole.columns(slice(k * width, (k + 1) * width)).part(slice(before, steps))
    return [made[id(each.ready)] for each in waiting]


def _known_by(rig: Rig, made: list[Interval], whole: list[SkyDay], n: int, sun: RigSun | None) -> list[SkyDay]:
    """The sky's days as they were known at the end of interval n − 1: the last of them reckoned anew."""
    late = made[max(0, n - 4):n]
    cut = local_day(late[0].end, rig.zone)
    first = cut - timedelta(days=LEARN_DAYS)
    anew = [day for day in sky_days(rig, late, sun) if day.day >= cut]
    return [day for day in whole if first <= day.day < cut] + anew


def _since(made: list[Interval], end: int, first: datetime) -> list[Interval]:
    begin = end
    while begin > 0 and made[begin - 1].end > first:
        begin -= 1
    return made[begin:end]


def _came(came: dict[date, Day], today: date, days: int, name: str = "solar") -> float | None:
    """Sun (or use) of the local days after today as the log shows it, Wh; None where one was not logged whole."""
    inside = [day for n in range(1, days + 1) if (day := came.get(today + timedelta(days=n)))
              and day.whole and name not in day.unknown]
    if len(inside) < days:
        return None
    return sum(day.use_wh if name == "use" else day.harvest[name] for day in inside)


def _last_seven(came: dict[date, Day], today: date, over: bool) -> tuple[float, float] | None:
    """Mean and standard deviation of the last seven days' harvest, today with them where its sun was over."""
    days = [day for n in range(0 if over else 1, 7 if over else 8) if (day := came.get(today - timedelta(days=n)))
            and "solar" not in day.unknown]
    if len(days) < 7:
        return None
    harvest = np.array([day.harvest["solar"] for day in days])
    return float(harvest.mean()), float(harvest.std(ddof=1))


def _reading_after(ordered: list[Reading], n: int, at: datetime) -> Reading | None:
    """The reading of a level nearest to an instant, within half a day of it."""
    near = [each for each in ordered[n + 1:n + 60] if each.soc is not None
            and abs(each.at - at) <= timedelta(hours=12)]
    return min(near, key=lambda each: abs(each.at - at), default=None)
