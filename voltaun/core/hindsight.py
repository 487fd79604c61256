"""How past outlooks did: each made again with only what was known then, and held against what came.

The yardstick is what one would say without any of this: the last seven days again, as a normal distribution whose
mean is k times, and whose standard deviation is √k times, that of their harvest, for k days.
"""

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from voltaun.core.days import Day, by_day
from voltaun.core.futures import Futures, run
from voltaun.core.instants import day_start, local_day
from voltaun.core.learn import Account, day_legs, learn, reckon, use_of
from voltaun.core.ledger import Interval, Reading
from voltaun.core.outlook import LEARN_DAYS, QUANTILES, USE_DAYS, NoOutlook, prepare
from voltaun.core.rig import Rig
from voltaun.core.sky import learn_skies, sky_days
from voltaun.core.sun import RigSun

HISTORY_DAYS = 60.0
"""The first outlook is made with so much of the log."""

FUTURES = 250
BATCH = 24
"""So many outlooks are run side by side."""

LEVEL_DAYS = 3
RELEARN = 14
"""What changes slowly (the hidden draw) is learned anew with every so many readings."""

_NORMAL_QUANTILES = np.array((-1.2815516, -0.6744898, 0.0, 0.6744898, 1.2815516))


@dataclass(frozen=True)
class Forecast:
    """One past outlook of the sun over k local days: its quantiles, the yardstick's, and what came; all Wh."""

    as_of: datetime
    days: int
    quantiles: tuple[float, ...]
    yardstick: tuple[float, ...]
    actual: float


@dataclass(frozen=True)
class LevelForecast:
    """One past outlook of the level some days ahead at the instant of a reading; fractions."""

    as_of: datetime
    at: datetime
    quantiles: tuple[float, ...]
    actual: float


@dataclass(frozen=True)
class Horizon:
    """How outlooks so many days ahead did; losses are mean pinball losses over the five quantiles, Wh."""

    days: int
    forecasts: int
    coverage: float
    loss: float
    yardstick_loss: float


@dataclass(frozen=True)
class Hindsight:
    """All past outlooks of a log."""

    sun: list[Forecast]
    levels: list[LevelForecast]

    def horizons(self) -> list[Horizon]:
        """How they did, by how many days ahead."""
        found = []
        for days in sorted({each.days for each in self.sun}):
            of = [each for each in self.sun if each.days == days]
            held = np.mean([each.quantiles[0] <= each.actual <= each.quantiles[4] for each in of])
            ours, theirs = (float(np.mean([pinball(getattr(each, name), each.actual) for each in of]))
                            for name in ("quantiles", "yardstick"))
            found.append(Horizon(days, len(of), float(held), ours, theirs))
        return found

    def level_coverage(self) -> float | None:
        """How often the band from one in ten to nine in ten held the level; None without any."""
        held = [each.quantiles[0] - 0.005 <= each.actual <= each.quantiles[4] + 0.005 for each in self.levels]
        return float(np.mean(held)) if held else None


def pinball(quantiles: Sequence[float], actual: float) -> float:
    """Mean pinball loss of the quantiles `outlook.QUANTILES`, in the quantity's unit.

    Reference: R. Koenker and G. Bassett, "Regression quantiles", Econometrica 46 (1978).
    """
    off = actual - np.asarray(quantiles)
    return float(np.mean(np.maximum(np.array(QUANTILES) * off, (np.array(QUANTILES) - 1) * off)))


def hindsight(rig: Rig, readings: Sequence[Reading], sun: RigSun | None, horizons: Sequence[int] = (1, 3, 5, 7, 10),
              first: datetime | None = None, futures: int = FUTURES, seed: int = 1) -> Hindsight:
    """Make every past outlook again, from each reading on, and say what came.

    horizons  days ahead; first  only outlooks from then on (else once `HISTORY_DAYS` are logged)
    Intervals are reckoned once: none depends on a reading later than its end. Only what was logged whole counts
    as what came.
    """
    ordered = sorted(readings, key=lambda reading: reading.at)
    if len(ordered) < 3:
        return Hindsight([], [])
    account = reckon(rig, ordered, sun)
    made = account.intervals
    first = first or ordered[0].at + timedelta(days=HISTORY_DAYS)
    starts = [n for n in range(4, len(ordered)) if ordered[n].at >= first]
    came = by_day(rig, made, sun, local_day(first, rig.zone) - timedelta(days=9)) if starts else {}
    whole = sky_days(made, sun, rig.zone)
    known = [_known_by(made, whole, n, sun, rig.zone) for n in starts]
    skies = learn_skies(known, [local_day(ordered[n].at, rig.zone) for n in starts]) if starts else []
    waiting, found, levels, learned = [], [], [], None
    legs = day_legs(made)  # each closes with an interval, and none looks ahead
    ends = [leg.end for leg in legs]
    for turn, (n, sky, days) in enumerate(zip(starts, skies, known, strict=True)):
        as_of = ordered[n].at
        today = local_day(as_of, rig.zone)
        if turn % RELEARN == 0:
            learned = learn(rig, _since(made, n, as_of - timedelta(days=LEARN_DAYS)))
        night = day_start(today + timedelta(days=1), rig.zone)
        seven = _last_seven(came, today, over=sun is None or sun.between(as_of, night) == 0)
        actuals = {k: total for k in horizons if seven and (total := _came(came, today, k)) is not None}
        reading = _reading_after(ordered, n, as_of + timedelta(days=LEVEL_DAYS))
        if reading is not None and _helped(made, n, reading):
            reading = None
        if not actuals and reading is None:
            continue
        lately = use_of(legs[bisect_right(ends, as_of - timedelta(days=USE_DAYS)):bisect_right(ends, as_of)])
        try:
            ready = prepare(rig, ordered[max(0, n - 4):n + 1], Account(made[max(0, n - 60):n], learned), sun, as_of,
                            max([*actuals, LEVEL_DAYS + 1]), futures, seed + today.toordinal(), sky=sky, logged=days,
                            learned=replace(learned, use=lately))
        except NoOutlook:
            continue
        waiting.append((ready, today, actuals, seven, reading))
        if len(waiting) == BATCH:
            _take_in(rig, waiting, found, levels)
            waiting = []
    _take_in(rig, waiting, found, levels)
    return Hindsight(found, levels)


def _take_in(rig, waiting, found, levels) -> None:
    """Run the outlooks that wait, all at once, and hold each against what came."""
    for (ready, today, actuals, seven, reading), made in zip(waiting, _run_together(rig, waiting), strict=True):
        to_date, day = 0.0, today
        for k in range(1, max(actuals, default=0) + 1):
            part = made.part(slice(ready.steps_after(day), ready.steps_after(day + timedelta(days=1))))
            to_date = to_date + (part.harvest - part.spilt).sum(axis=0)
            day += timedelta(days=1)
            if k in actuals:
                yardstick = k * seven[0] + math.sqrt(k) * seven[1] * _NORMAL_QUANTILES
                found.append(Forecast(ready.as_of, k, tuple(np.quantile(to_date, QUANTILES).tolist()),
                                      tuple(yardstick.tolist()), actuals[k]))
        if reading is not None:
            step = int(np.argmin(np.abs(ready.grid.bounds - reading.at.timestamp())))
            levels.append(LevelForecast(ready.as_of, reading.at,
                                        tuple(np.quantile(made.level[step], QUANTILES).tolist()), reading.soc))


def _run_together(rig, waiting) -> list[Futures]:
    """The futures of several outlooks, run side by side: shorter ones wait at their beginning."""
    together = {}
    for each in waiting:
        together.setdefault((each[0].energy, each[0].temp_c), []).append(each[0])
    made = {}
    for (energy, temp_c), group in together.items():
        steps = max(len(ready.harvest) for ready in group)
        fill = [steps - len(ready.harvest) for ready in group]

        def side_by_side(columns, fill=fill):
            return np.hstack([np.pad(column, ((before, 0), (0, 0)))
                              for column, before in zip(columns, fill, strict=True)])
        width = group[0].harvest.shape[1]
        hours = [np.repeat(ready.grid.hours.astype(np.float32)[:, None], width, axis=1) for ready in group]
        whole = run(rig, energy, np.repeat([ready.soc for ready in group], width),
                    side_by_side([ready.harvest for ready in group]), side_by_side([ready.load for ready in group]),
                    side_by_side(hours), temp_c)
        for k, (ready, before) in enumerate(zip(group, fill, strict=True)):
            made[id(ready)] = whole.columns(slice(k * width, (k + 1) * width)).part(slice(before, steps))
    return [made[id(each[0])] for each in waiting]


def _known_by(made, whole, n, sun, zone):
    """The sky's days as they were known at the end of interval n − 1: the last of them reckoned anew."""
    late = made[max(0, n - 4):n]
    cut = local_day(late[0].end, zone)
    first = cut - timedelta(days=LEARN_DAYS)
    anew = [day for day in sky_days(late, sun, zone) if day.day >= cut]
    return [day for day in whole if first <= day.day < cut] + anew


def _since(made: list[Interval], end: int, first: datetime) -> list[Interval]:
    begin = end
    while begin > 0 and made[begin - 1].end > first:
        begin -= 1
    return made[begin:end]


def _came(came: dict[date, Day], today: date, days: int) -> float | None:
    """Sun of the local days after today as the log shows it, Wh; None where one of them was not logged whole."""
    inside = [came.get(today + timedelta(days=n)) for n in range(1, days + 1)]
    if any(day is None or day.hours < 22 or "solar" in day.unknown for day in inside):
        return None
    return sum(day.harvest["solar"] for day in inside)


def _last_seven(came, today, over: bool) -> tuple[float, float] | None:
    """Mean and standard deviation of the last seven days' harvest, today with them where its sun was over."""
    days = [came.get(today - timedelta(days=n)) for n in range(0 if over else 1, 7 if over else 8)]
    if any(day is None or "solar" in day.unknown for day in days):
        return None
    harvest = np.array([day.harvest["solar"] for day in days])
    return float(harvest.mean()), float(harvest.std(ddof=1))


def _reading_after(ordered, n, at) -> Reading | None:
    """The reading of a level nearest to an instant, within half a day of it."""
    near = [each for each in ordered[n + 1:n + 60] if each.soc is not None
            and abs(each.at - at) <= timedelta(hours=12)]
    return min(near, key=lambda each: abs(each.at - at), default=None)


def _helped(made, n, reading) -> bool:
    """Whether something one starts by hand brought energy meanwhile, which the outlook could not know of."""
    return any(interval.harvest[source] for interval in made[n:n + 60] if interval.end <= reading.at
               for source in ("vehicle", "generator", "mains"))
