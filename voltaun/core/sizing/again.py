"""The logged days again with an option in place: last winter with two more panels.

Each logged day keeps its sun, with what was spilt of it, spread over its hours as the clear sky was; its use is spread
as the log shows use over the day. Such a run does not quite meet the levels that were read, so the Wh that are missing
between two readings are added evenly: with no option in place, the run gives the levels of the log.
With an option in place two things more are counted: sun that a full bank turned away though nobody saw it full, and
load that the cut-off of an empty bank switched off.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from voltaun.core.instants import day_start
from voltaun.core.learned.season import wanted
from voltaun.core.log.days import Day, by_day
from voltaun.core.outlook.ask import Known
from voltaun.core.outlook.beliefs import bank_energy
from voltaun.core.outlook.simulate import simulate
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.calendar import EARLY_DAYS
from voltaun.core.sizing.lanes import Lane, on_hours
from voltaun.core.sizing.run import run
from voltaun.core.sizing.suns import AS_THEY_ARE, Aims, Suns, arranged, under_shares
from voltaun.core.sizing.years import Years
from voltaun.core.sky.clear_sky import RigSun

LEAST_AGAIN = 14
"""The log is run again only when it has this many whole days."""

TURNS = 3
"""Part of what is added is lost in charging, so it is corrected this many times; levels are then right within a tenth
of a point."""

BRIDGED = 4
"""So many days in a row that are not whole are taken to be as the day before and the day after them: three evenings on
which nobody wrote anything down leave four such days."""

LONGEST_H = 24 * BRIDGED
"""Nothing is added between readings that are further apart than this, hours."""

AS_IT_WAS, AS_IT_COULD = 0, 1
"""The two lanes of the run: the logged days with the rig as it stands, and with an option in place."""


@dataclass(frozen=True)
class LogAgain:
    """The logged days with the option in place, their sun and their use: days (so many of them bridged), days below,
    and Wh."""

    days: int
    bridged: int
    below: float
    unserved_wh: float
    spilt_wh: float


@dataclass(frozen=True)
class LevelsAgain:
    """Levels at the end of each hour from the day `first` on: as they were, and as they had been (fractions)."""

    first: date
    was: np.ndarray
    came: np.ndarray

    def worst(self, floor: float, days: int) -> int:
        """On which day of them so many begin that had the most days below a floor as it was, the latest such."""
        below = (self.was.reshape(-1, 24).min(axis=1) < floor).astype(int)
        sums = np.convolve(below, np.ones(min(days, len(below)), dtype=int), "valid")
        return int(len(sums) - 1 - np.argmax(sums[::-1]))


def log_again(rig: Rig, known: Known, sun: RigSun | None, lanes: Sequence[Lane], aims: Aims = AS_THEY_ARE,
              other_sun: RigSun | None = None) -> list[LogAgain] | None:
    """The log's last whole days in a row, run again with each option; None with too few of them, or without arrays."""
    logged = _logged(rig, known, sun, aims, other_sun)
    if logged is None:
        return None
    counted = run(rig, logged.years, [fitted(lane, logged.days) for lane in lanes], early_days=0, start=logged.begun)
    assert counted is not None
    columns = [AS_IT_COULD if lane.changes else AS_IT_WAS for lane in lanes]
    return [LogAgain(len(logged.days), logged.bridged, float(counted.below[n, of]), float(counted.unserved_wh[n, of]),
                     float(counted.spilt_wh[n, of])) for n, of in enumerate(columns)]


def levels_again(rig: Rig, known: Known, sun: RigSun | None, lane: Lane, aims: Aims = AS_THEY_ARE,
                 other_sun: RigSun | None = None) -> LevelsAgain | None:
    """The same days with one option, hour by hour, as far as they are logged; None where `log_again` has none."""
    logged = _logged(rig, known, sun, aims, other_sun)
    if logged is None:
        return None
    seen: list[np.ndarray] = []
    both = [fitted(each, logged.days) for each in (Lane(), lane)]
    run(rig, logged.years, both, early_days=0, start=logged.begun, each_day=lambda levels: seen.append(
        np.stack((levels[:, 0, AS_IT_WAS], levels[:, 1, AS_IT_COULD if lane.changes else AS_IT_WAS]))))
    was, came = np.concatenate(seen, axis=1)
    return LevelsAgain(logged.days[0], was, came)


@dataclass(frozen=True)
class _Logged:
    """The logged days as two years (see `AS_IT_WAS`), their days, how many of them are bridged, and the level that
    they begin at."""

    years: Years
    days: list[date]
    bridged: int
    begun: float


def _logged(rig: Rig, known: Known, sun: RigSun | None, aims: Aims, other_sun: RigSun | None) -> _Logged | None:
    told = [day for day in by_day(rig, known.account.intervals, sun).values()
            if day.whole and not day.unknown & {"solar", "use"}]
    days = _in_a_row(with_bridged(told))
    if sun is None or len(days) < LEAST_AGAIN:
        return None
    begin = day_start(days[0].day, rig.zone).timestamp()
    bounds = begin + 3600.0 * np.arange(24 * len(days) + 1)
    clear = np.diff(sun.total.at(bounds))
    share = _shares(clear, days, known)
    dates = [of.day for of in days]
    suns = arranged(rig, under_shares(rig, share, begin, sun, aims, other_sun), aims, dates)
    _as_it_stood(rig, suns, clear, np.diff(np.sum([array.at(bounds) for array in sun.arrays], axis=0)))
    came = suns.sun[:len(rig.arrays), :, AS_IT_WAS]
    by_month = {month: known.lean.shape(rig, month) for month in range(1, 13)}
    shapes = [by_month[day.day.month] for day in days]
    use = np.concatenate([day.use_wh * shape for day, shape in zip(days, shapes, strict=True)])
    energy = bank_energy(rig, known.learned, None).mean
    read = [(round((i.end.timestamp() - begin) / 3600), i.soc_end) for i in known.account.intervals
            if i.soc_end is not None and i.soc_basis == "read"]
    levels = [_at_midnight(read), *((hour, level) for hour, level in read if 0 < hour <= len(use))]
    missed = _missed(rig, came.sum(axis=0), use, energy, levels)
    for each in (suns.sun, *suns.others):
        each[0] += np.maximum(missed, 0.0)[:, None]
    use = use + np.maximum(-missed, 0.0)
    # Where the use was cut short the books only miss how it lay over the hours; what was wanted takes its place.
    asked, more = wanted(rig, known.account.intervals), use.copy()
    for n, day in enumerate(dates):
        if day in asked:
            more[24 * n:24 * n + 24] = max(days[n].use_wh, asked[day]) * shapes[n]
    both = np.stack((use, more), axis=1)
    years = Years(suns.sun, both.astype(np.float32), np.ones(2, np.float32), energy, (), ("log",), suns.added_to,
                  suns.others)
    return _Logged(years, dates, len({*dates} - {day.day for day in told}), levels[0][1])


def _as_it_stood(rig: Rig, suns: Suns, clear: np.ndarray, clear_now: np.ndarray) -> None:
    """Give the arrays of now what those of the time brought; one W more brings what it would have.

    clear, clear_now  clear-sky harvest of each hour of the arrays of the time, and of those of now, Wh
    """
    of_now = np.where(clear_now > 0, clear / np.maximum(clear_now, 1e-9), 0.0)[:, None].astype(np.float32)
    for each in (suns.sun, *suns.others):
        each[:len(rig.arrays)] *= of_now


def _at_midnight(read: Sequence[tuple[int, float]]) -> tuple[int, float]:
    """The level at hour 0, on the line between the readings before and after it; the nearest where it has but one."""
    before = next(((hour, level) for hour, level in reversed(read) if hour <= 0), None)
    after = next(((hour, level) for hour, level in read if hour > 0), None)
    if before is None or after is None:
        return 0, (before or after or (0, 1.0))[1]
    return 0, before[1] + (after[1] - before[1]) * -before[0] / (after[0] - before[0])


def with_bridged(days: Sequence[Day]) -> list[Day]:
    """The days, with the few that are missing between two of them: each as the mean of both, with their Wh."""
    made = list(days[:1])
    for before, after in zip(days, days[1:], strict=False):
        missing = (after.day - before.day).days - 1
        if 0 < missing <= BRIDGED:
            harvest = {name: (wh + after.harvest[name]) / 2 for name, wh in before.harvest.items()}
            made += [Day(before.day + timedelta(days=n), 24.0, harvest, (before.use_wh + after.use_wh) / 2,
                         (before.spilt_wh + after.spilt_wh) / 2) for n in range(1, missing + 1)]
        made.append(after)
    return made


def _in_a_row(days: Sequence[Day]) -> list[Day]:
    """The longest run of days that follow one another, the last of those alike."""
    runs: list[list[Day]] = []
    for day in days:
        if runs and day.day - runs[-1][-1].day == timedelta(days=1):
            runs[-1].append(day)
        else:
            runs.append([day])
    return max(runs, key=lambda of: (len(of), of[0].day), default=[])


def _shares(clear: np.ndarray, days: Sequence[Day], known: Known) -> np.ndarray:
    """What part of the clear sky each hour's day brought, with what was spilt; and in the second column with what was
    where nobody saw it, (hours, 2)."""
    whole = clear.reshape(-1, 24).sum(axis=1)
    came = np.array([day.harvest["solar"] + day.spilt_wh for day in days])
    share = np.where(whole > 0, came / np.maximum(whole, 1e-9), 0.0)
    least = {day.day for day in known.skies if day.capped}
    above = known.account.learned.share.mean_above
    unseen = [above(float(seen)) if day.day in least and not day.spilt_wh else seen
              for day, seen in zip(days, share, strict=True)]
    return np.repeat(np.stack((share, unseen), axis=1), 24, axis=0)


def _missed(rig: Rig, harvest: np.ndarray, use: np.ndarray, energy: float,
            levels: Sequence[tuple[int, float]]) -> np.ndarray:
    """What has to be put in (below 0: taken out) in each hour so that the levels come out as they were read, Wh.

    levels  (hour, fraction) as they were read. All stretches between two of them run side by side.
    """
    missed = np.zeros(len(use))
    pairs = [(a, b) for a, b in zip(levels, levels[1:], strict=False) if 0 < b[0] - a[0] <= LONGEST_H]
    if not pairs:
        return missed
    steps = max(b[0] - a[0] for a, b in pairs)
    hours = np.zeros((steps, len(pairs)))
    into, out = np.zeros_like(hours), np.zeros_like(hours)
    for n, (a, b) in enumerate(pairs):
        count = b[0] - a[0]
        hours[:count, n], into[:count, n], out[:count, n] = 1.0, harvest[a[0]:b[0]], use[a[0]:b[0]]
    begin, end = (np.array([pair[side][1] for pair in pairs]) for side in (0, 1))
    each = np.zeros(len(pairs))
    for _ in range(TURNS):
        more, less = np.maximum(each, 0) * hours, np.maximum(-each, 0) * hours
        made = simulate(rig, energy, begin, into + more, out + less, hours)
        each += (end - made.level[-1]) * energy / np.array([b[0] - a[0] for a, b in pairs])
    for n, (a, b) in enumerate(pairs):
        missed[a[0]:b[0]] = each[n]
    return missed


def fitted(lane: Lane, days: Sequence[date]) -> Lane:
    """The option with what it changes laid over these days, each as the same day of a weather year."""
    rows = [EARLY_DAYS + min(day.timetuple().tm_yday, 365) - 1 for day in days]

    return on_hours(lane, lambda hours: hours.reshape(-1, 24)[rows].ravel())
