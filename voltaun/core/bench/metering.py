"""What a load takes: a meter run over hours or days, or what its label says."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise

import numpy as np

from voltaun.core.bench.runs import Mark, Run, pieces, require_time
from voltaun.core.instants import hours_between
from voltaun.core.reasons import CounterFell, Misread, NotYet, Reason, reason
from voltaun.core.rig.loads import GRADES
from voltaun.core.sizing.sums import daily_from_yearly

DAY_HOURS = 24.0
ENOUGH_HOURS = 20.0
"""From so many hours on a run counts as a whole day: nobody comes back on the minute."""

SETTLED_HOURS = 48.0
"""A run of something started warm that is shorter than this still shows its cooling down."""

ALWAYS = 0.9
"""What is on for so much of the time has nothing beside its use."""

LEAST_SPREAD = 0.03
"""A household meter is no better than this, relative."""


@dataclass(frozen=True)
class Span:
    """The time between two readings of a meter with no reset in it: hours, Wh and mean W."""

    start: datetime
    end: datetime
    hours: float
    wh: float

    @property
    def watts(self) -> float:
        """Mean power, W."""
        return self.wh / self.hours


@dataclass(frozen=True)
class Metered:
    """The finding of a meter run. `sd` is relative; powers W, energies Wh on the side that was metered.

    idle_wh is what a day holds of the least that flowed (a microwave's clock), None where none was noted or it always
    flows; running_w what it takes while it is on, without that. daily_wh is None where a run is shorter than a day and
    nobody said how much of a day it is.
    """

    hours: float
    wh: float
    daily_wh: float | None
    sd: float
    evidence: str
    spans: tuple[Span, ...]
    duty: float | None
    running_w: float | None
    peak_w: float | None
    low_w: float | None
    idle_wh: float | None
    ambient_c: float | None
    remarks: tuple[Reason, ...]

    @property
    def mean_w(self) -> float:
        """Mean power, W."""
        return self.wh / self.hours


@dataclass(frozen=True)
class Labelled:
    """The finding from a label, a spot measurement or a guess: Wh a day and running W; `sd` is relative."""

    daily_wh: float
    running_w: float | None
    evidence: str
    sd: float
    remarks: tuple[Reason, ...] = ()


def meter(run: Run) -> Metered:
    """A meter run: mean power = ΔWh / Δh, Wh a day = 24 × that, and the same for each interval. A run of less than
    `ENOUGH_HOURS` is so many Wh a use; it is a day's only by the hours a day that the run says, 24 where it is always
    on.

    Readings with the counter; where it falls, the run must say that it was reset there (then the interval
    across the reset is left out, since nobody knows what flowed before it), otherwise CounterFell is
    raised. Duty = run time / elapsed time; running W = (mean W − idle W × (1 − duty)) / duty. The relative
    uncertainty is 10 %, or with three whole days or more the spread between them; under 24 h 25 %.
    Raises NotYet, Misread, CounterFell.
    """
    require_time(run)
    spans, minutes, timed = _spans([mark for mark in run.marks if mark.wh is not None])
    if not spans:
        raise NotYet("counter_read_once")
    hours, wh = sum(span.hours for span in spans), sum(span.wh for span in spans)
    running_h = minutes / 60
    if running_h > timed * 1.01:
        raise Misread("run_time_too_long", run.marks[-1].at, run_hours=running_h, hours=timed)
    evidence = "metered" if hours >= ENOUGH_HOURS else "spot"
    duty = running_h / timed if minutes else None
    peaks = [mark.peak_w for mark in run.marks if mark.peak_w is not None]
    lows = [mark.low_w for mark in run.marks if mark.low_w is not None]
    mean, low, peak = wh / hours, min(lows, default=None), max(peaks, default=None)
    idle = _idle(mean, low, peak, duty)
    off, on_a_day = 1 - (duty or 0.0), DAY_HOURS if hours >= ENOUGH_HOURS else run.hours_a_day
    standing = idle * off * DAY_HOURS or None if on_a_day == DAY_HOURS else None
    return Metered(hours, wh, None if on_a_day is None else mean * on_a_day, _spread(spans, evidence), evidence,
                   tuple(spans), duty, (mean - idle * off) / duty if duty else None, peak, low, standing,
                   run.ambient_c, tuple(_remarks(run, hours, mean, low)))


def _idle(mean: float, low: float | None, peak: float | None, duty: float | None) -> float:
    """W that flow while it does nothing: the least that was seen, of what is on now and then."""
    now_and_then = duty is not None and duty < ALWAYS or peak is not None and low is not None and peak > 2 * low
    return low if low is not None and low <= mean and now_and_then else 0.0


def _spans(marks: list[Mark]) -> tuple[list[Span], float, float]:
    """The spans between the counter's readings, the run minutes in them and the hours those were counted for."""
    spans, minutes, timed = [], 0.0, 0.0
    for before, after in pairwise(marks):
        if after.reset or after.wh is None or before.wh is None:
            continue
        if after.wh < before.wh:
            raise CounterFell("wh_fell", after.at, found=after.wh, before=before.wh)
        hours = hours_between(before.at, after.at)
        spans.append(Span(before.at, after.at, hours, after.wh - before.wh))
    for piece in pieces(marks):
        shown = [(mark.at, mark.run_minutes) for mark in piece if mark.run_minutes is not None]
        if not shown:
            continue
        if any(after < before for (_, before), (_, after) in pairwise(shown)):
            raise CounterFell("run_minutes_fell", shown[-1][0])
        # Before its first reading the count of minutes stood at nought, as the run began.
        begin, stood = (piece[0].at, 0.0) if piece[0].run_minutes is None else shown[0]
        minutes += shown[-1][1] - stood
        timed += hours_between(begin, shown[-1][0])
    return spans, minutes, timed


def _spread(spans: list[Span], evidence: str) -> float:
    """Relative standard deviation of the figure; see `meter`."""
    trust = GRADES[evidence][1]
    days, hours, wh = [], 0.0, 0.0
    for span in spans:
        hours, wh = hours + span.hours, wh + span.wh
        if hours >= 0.9 * DAY_HOURS:
            days.append(wh / hours)
            hours = wh = 0.0
    if len(days) < 3 or not np.mean(days):
        return trust
    return max(LEAST_SPREAD, float(np.std(days, ddof=1) / np.mean(days)))


def _remarks(run: Run, hours: float, mean: float, low: float | None) -> Iterator[Reason]:
    if low is not None and low > 1.05 * mean:
        yield reason("low_above_mean", low_w=low, mean_w=mean)
    if hours < ENOUGH_HOURS and run.hours_a_day == DAY_HOURS:
        yield reason("less_than_a_day", hours=hours)
    if run.warm and hours < SETTLED_HOURS:
        yield reason("metered_warm")
    resets = sum(mark.reset for mark in run.marks)
    if resets:
        yield reason("counter_reset", times=resets)


def label(run: Run) -> Labelled:
    """What a label, a spot measurement or a guess says: W × hours a day × duty and what its standby takes for the
    rest of the day, a year's Wh / 365, or Wh a day.

    Raises NotYet when it says too little.
    """
    _, trust = GRADES[run.basis]
    high = (reason("labels_overstate"),) if run.basis == "label" else ()
    if run.daily_wh is not None:
        return Labelled(run.daily_wh, run.watts, run.basis, trust, high)
    if run.yearly_wh is not None:
        return Labelled(daily_from_yearly(run.yearly_wh / 1000), run.watts, run.basis, trust, high)
    if run.watts is None or run.hours_a_day is None:
        raise NotYet("label_says_too_little")
    duty = 1.0 if run.duty is None else run.duty
    standing = (run.standby_w or 0.0) * (DAY_HOURS - run.hours_a_day * duty)
    daily = run.watts * run.hours_a_day * duty + standing
    return Labelled(daily, run.watts, run.basis, trust, high)


def per_degree(runs: list[tuple[float, float]]) -> float | None:
    """How a load's Wh a day changes with the air around it, Wh/day per °C, by least squares.

    runs  (mean ambient °C, Wh a day) of each run; None with fewer than two that are 2 °C apart
    """
    if len(runs) < 2:
        return None
    degrees, daily = np.array(runs, dtype=float).T
    if np.ptp(degrees) < 2:
        return None
    return float(np.polyfit(degrees, daily, 1)[0])


@dataclass(frozen=True)
class Beside:
    """What several runs on one load say together: label Wh a day / metered Wh a day, and Wh/day per °C."""

    label_ratio: float | None
    per_degree: float | None
    degrees: tuple[float, float] | None


def beside(runs: list[Run], subject: str) -> Beside:
    """Compare all runs on a load: the newest label with the mean of the meter runs of a day or more."""
    metered, labels = [], []
    for run in runs:
        if run.subject != subject or run.instrument not in ("meter", "label"):
            continue
        try:
            if run.instrument == "label" and run.basis == "label":
                labels.append(label(run).daily_wh)
            elif run.instrument == "meter" and run.hours >= ENOUGH_HOURS and (daily := meter(run).daily_wh) is not None:
                metered.append((run.ambient_c, daily))
        except (NotYet, Misread):
            continue
    mean = sum(daily for _, daily in metered) / len(metered) if metered else 0.0
    warm = [(degrees, daily) for degrees, daily in metered if degrees is not None]
    slope = per_degree(warm)
    return Beside(labels[0] / mean if labels and mean else None, slope,
                  (min(warm)[0], max(warm)[0]) if slope is not None else None)
