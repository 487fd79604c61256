"""Dense monitor data: samples become hours, and hours become readings; what cannot be is seen before it is kept."""

from collections.abc import Iterable
from dataclasses import dataclass, fields
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from voltaun.core.instants import days_between, local_day, resolve
from voltaun.core.log.reading import Reading
from voltaun.core.rig.bank import FULL_SOC, charge_limit, nominal_voltage, rated_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import STEADY

GAP_SECONDS = 900.0
"""Power is carried over to the next sample for no longer than this; a counter bridges any gap."""

COVERED_BY_SAMPLES = 0.9
"""A reading's energies are taken from the samples only when they cover so much of its time."""

HOUR = 3600


@dataclass(frozen=True)
class Samples:
    """Columns of samples, each of shape (n,), NaN where nothing was shown, in order of time with no instant twice.

    at in seconds since 1970; watts and amps positive into the bank; soc a fraction; counters cumulative, Wh.
    """

    at: np.ndarray
    volts: np.ndarray
    amps: np.ndarray
    watts: np.ndarray
    soc: np.ndarray
    charge_wh: np.ndarray
    discharge_wh: np.ndarray

    def __len__(self) -> int:
        return len(self.at)

    def part(self, which: slice | np.ndarray) -> "Samples":
        """Some of the samples, by a slice or a mask."""
        return Samples(*(getattr(self, field.name)[which] for field in fields(self)))

    def rows(self) -> Iterable[tuple[Any, ...]]:
        """One tuple a sample, with None for what was not shown."""
        columns = [self.at.tolist()]
        for field in fields(self)[1:]:
            values = getattr(self, field.name)
            gone = np.isnan(values)
            columns.append([None] * len(values) if gone.all() else
                           values.tolist() if not gone.any() else _with_none(values, gone))
        return zip(*columns, strict=True)


def _with_none(values: np.ndarray, gone: np.ndarray) -> list[Any]:
    """The values as a list, with None for those that are gone."""
    made = values.astype(object)
    made[gone] = None
    return list(made.tolist())


def from_rows(rows: Iterable[tuple[Any, ...]]) -> Samples:
    """Samples from tuples in the order of the columns, None for what was not shown."""
    table = np.array([tuple(row) for row in rows], dtype=float).reshape(-1, len(fields(Samples)))
    return Samples(table[:, 0].astype(np.int64), *table[:, 1:].T)


def joined(before: Samples, after: Samples) -> Samples:
    """Two runs of samples as one, the second all later than the first."""
    return Samples(*(np.concatenate((getattr(before, field.name), getattr(after, field.name)))
                     for field in fields(Samples)))


def in_order(samples: Samples) -> tuple[Samples, int, int]:
    """The samples in order of time with each instant once (the first kept); how many moved back, how many twice."""
    back = int((np.diff(samples.at) < 0).sum())
    if back:
        samples = samples.part(np.argsort(samples.at, kind="stable"))
    fresh = np.concatenate(([True], np.diff(samples.at) > 0)) if len(samples) else np.zeros(0, bool)
    return (samples.part(fresh) if not fresh.all() else samples), back, int((~fresh).sum())


@dataclass(frozen=True)
class Hours:
    """What the samples of each hour come to; columns of shape (hours,), see the table `sample_hour`."""

    hour: np.ndarray
    samples: np.ndarray
    seconds: np.ndarray
    charge_wh: np.ndarray
    discharge_wh: np.ndarray
    soc_first: np.ndarray
    soc_last: np.ndarray
    soc_low: np.ndarray
    soc_high: np.ndarray
    volts_first: np.ndarray

    def rows(self) -> Iterable[tuple[Any, ...]]:
        """One tuple an hour, with None for what is not known."""
        columns = [_with_none(values, np.isnan(values)) if values.dtype.kind == "f" else values.tolist()
                   for values in (getattr(self, field.name) for field in fields(self))]
        return zip(*columns, strict=True)


def power(samples: Samples) -> np.ndarray:
    """W into the bank: the watts shown, else volts × amps; NaN where neither was."""
    return np.where(np.isnan(samples.watts), samples.volts * samples.amps, samples.watts)


def hours(samples: Samples) -> Hours:
    """Sum samples up by the hour (UTC).

    What flowed between two samples goes to the hour that the later one lies in. A counter's rise counts, and
    where it falls it was set back: then what it shows since is counted. Without a counter it is the mean of the
    two powers × time, over no more than `GAP_SECONDS`; a longer gap stays uncovered.
    """
    n = len(samples)
    hour = samples.at // HOUR * HOUR
    step = np.diff(samples.at, prepend=samples.at[:1]).astype(float)
    watts = power(samples)
    mean = (watts + np.concatenate((watts[:1], watts[:-1]))) / 2
    near = (step <= GAP_SECONDS) & ~np.isnan(mean)
    flowed = np.where(near, mean, 0.0) * step / 3600
    charged, counted = _counted(samples.charge_wh)
    discharged, counted_out = _counted(samples.discharge_wh)
    charge = np.where(counted, charged, np.maximum(flowed, 0.0))
    discharge = np.where(counted_out, discharged, np.maximum(-flowed, 0.0))
    covered = np.where(near | (counted & counted_out), step, 0.0)
    begins = np.flatnonzero(np.concatenate(([True], np.diff(hour) > 0))) if n else np.zeros(0, int)
    ends = np.concatenate((begins[1:], [n])) if n else begins
    seconds, charged_wh, discharged_wh = (np.add.reduceat(each, begins) if n else np.zeros(0)
                                          for each in (covered, charge, discharge))
    soc_first, soc_last = _firsts_and_lasts(samples.soc, begins, ends)
    return Hours(hour[begins], ends - begins, seconds, charged_wh, discharged_wh, soc_first, soc_last,
                 np.fmin.reduceat(samples.soc, begins) if n else np.zeros(0),
                 np.fmax.reduceat(samples.soc, begins) if n else np.zeros(0),
                 _firsts_and_lasts(samples.volts, begins, ends)[0])


def _counted(counter: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """What a counter went up by since it was last shown, and where that is known."""
    shown = np.flatnonzero(~np.isnan(counter))
    rise, known = np.zeros(len(counter)), np.zeros(len(counter), dtype=bool)
    if len(shown) > 1:
        values = counter[shown]
        steps = np.diff(values)
        rise[shown[1:]] = np.where(steps < 0, values[1:], steps)
        known[shown[1:]] = True
    return rise, known


def _firsts_and_lasts(values: np.ndarray, begins: np.ndarray, ends: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The first and the last value shown in each part; NaN where none was."""
    if not len(begins):
        return np.zeros(0), np.zeros(0)
    n, index = len(values), np.arange(len(values))
    shown = ~np.isnan(values)
    last = np.maximum.accumulate(np.where(shown, index, -1))[ends - 1]
    first = np.minimum.accumulate(np.where(shown, index, n)[::-1])[::-1][begins]
    padded = np.append(values, np.nan)
    return (np.where(first < ends, padded[np.minimum(first, n)], np.nan),
            np.where(last >= begins, padded[np.maximum(last, 0)], np.nan))


def readings_from(rig: Rig, summed: Hours, clock_hours: tuple[int, ...], after: datetime | None) -> list[Reading]:
    """Readings at these local clock hours (0–23) of each day that the samples reach, in order of time.

    after  only from then on. The energies are those since the reading before, blank where less than nine tenths
    of the time is covered; what went into the bank counts as sun where the rig has panels, else as its first
    other source; what came out counts as use on a rig that reads its use at the battery.
    """
    if not len(summed.hour):
        return []
    first = local_day(datetime.fromtimestamp(int(summed.hour[0]), rig.zone), rig.zone)
    last = local_day(datetime.fromtimestamp(int(summed.hour[-1]) + HOUR, rig.zone), rig.zone)
    wanted = [resolve(datetime(day.year, day.month, day.day, hour), rig.zone)[0]
              for day in days_between(first, last) for hour in sorted(set(clock_hours))]
    source = next((name for name in ("solar", *(source.name for source in reversed(STEADY))) if rig.has(name)), None)
    found, before, along = [], None, _Along(summed)
    for at in wanted:
        reading = _reading_at(rig, along, at, before, source)
        if reading is None:
            continue
        before = at
        if after is None or at > after:
            found.append(reading)
    return found


class _Along:
    """The hours as they pass, asked at any instant.

    In zones of half and quarter hours a clock hour begins within an hour of UTC: there what flowed is taken evenly over
    the hour, and the level on its way from what the hour began with to what the next one began with.
    """

    def __init__(self, summed: Hours):
        self._of = summed
        self._flowed = np.stack((summed.seconds, summed.charge_wh, summed.discharge_wh))
        self._before = np.concatenate((np.zeros((3, 1)), np.cumsum(self._flowed, axis=1)), axis=1)

    def _place(self, at: datetime) -> tuple[int, float | None]:
        """The hour in which an instant lies, or the first after it, and how much of it is over, 0 to 1; None where it
        lies in no hour that is there, or beyond what the samples of the last one reach."""
        hours, second = self._of.hour, int(at.timestamp())
        n, into = int(np.searchsorted(hours, second // HOUR * HOUR)), second % HOUR
        if n == len(hours) or hours[n] != second - into:
            return n, None
        last = n + 1 == len(hours) or hours[n + 1] > hours[n] + HOUR
        reaches = float(self._of.seconds[n]) if last and into else HOUR
        return n, into / reaches if into <= reaches else None

    def until(self, at: datetime) -> np.ndarray:
        """Seconds covered, Wh in and Wh out from the first hour until an instant."""
        n, part = self._place(at)
        return np.asarray(self._before[:, n] + (part * self._flowed[:, n] if part else 0.0))

    def level(self, at: datetime) -> tuple[float, float]:
        """The level (a fraction) and the volts at an instant, NaN where the samples do not reach it."""
        of, (n, part) = self._of, self._place(at)
        level = volts = np.nan
        if part is not None:
            level, volts = float(of.soc_first[n]), float(of.volts_first[n])
        if part:
            goes_on = n + 1 < len(of.hour) and of.hour[n + 1] == of.hour[n] + HOUR
            level += part * (float(of.soc_first[n + 1] if goes_on else of.soc_last[n]) - level)
            volts += part * (float(of.volts_first[n + 1]) - volts) if goes_on else 0.0
        elif np.isnan(level) and n > 0 and of.hour[n - 1] == int(at.timestamp()) - HOUR:
            level = float(of.soc_last[n - 1])  # the hour that ended just then
        return level, volts


def _reading_at(rig: Rig, along: _Along, at: datetime, before: datetime | None, source: str | None) -> Reading | None:
    soc, volts = along.level(at)
    energies: dict[str, Any] = {}
    if before is not None:
        seconds, charged, discharged = (along.until(at) - along.until(before)).tolist()
        if seconds >= COVERED_BY_SAMPLES * (at - before).total_seconds():
            if source:
                energies[f"{source}_wh"] = round(charged, 6)
            if rig.use_side == "dc":
                energies["use_wh"] = round(discharged, 6)
    if np.isnan(soc) and not energies:
        return None
    return Reading(at, soc=None if np.isnan(soc) else soc, volts=None if np.isnan(volts) else volts,
                   at_bank=True, **energies)


def beyond_belief(rig: Rig, samples: Samples, now: datetime) -> str | None:
    """What a monitor shows that cannot be, in words; None when all of it can be.

    Instants ahead of the clock, volts far from the bank's, more power than the bank and what hangs on it can
    move, and a level that moves by more than that power could.
    """
    if not len(samples):
        return None
    ahead = samples.at.max() - (now + timedelta(minutes=10)).timestamp()
    if ahead > 0:
        return f"a time {ahead / 60 + 10:.0f} minutes ahead of the clock"
    nominal = nominal_voltage(rig.bank)
    volts = samples.volts[~np.isnan(samples.volts)]
    if nominal and len(volts) and (volts.min() < 0.6 * nominal or volts.max() > 1.4 * nominal):
        off = volts.max() if volts.max() > 1.4 * nominal else volts.min()
        return f"{off:.1f} V on a bank of {nominal:g} V"
    energy = rated_energy(rig.bank)
    most = max(3 * charge_limit(rig), 2 * (rig.inverter.surge_w or 0.0) if rig.inverter else 0.0, 3 * energy)
    watts = power(samples)
    if not np.isnan(watts).all() and np.nanmax(np.abs(watts)) > most:
        return f"{np.nanmax(np.abs(watts)):.0f} W, more than this bank can move"
    shown = samples.part(~np.isnan(samples.soc))
    if len(shown) > 1:
        # At its ends a monitor may set itself to full or empty; in between the level cannot jump.
        jumps = np.abs(np.diff(shown.soc)) - most * np.diff(shown.at) / 3600 / (0.5 * energy) - 0.06
        jumps[(shown.soc[1:] >= FULL_SOC) | (shown.soc[1:] <= 0.01)] = 0.0
        if jumps.max() > 0:
            n = int(np.argmax(jumps))
            return f"{shown.soc[n + 1] * 100:.0f} % right after {shown.soc[n] * 100:.0f} %"
    return None
