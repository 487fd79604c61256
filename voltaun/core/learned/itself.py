"""What wind and water bring by themselves: no sky tells it, so that its days are learned from the log and drawn with
their memory, as the use is."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from zoneinfo import ZoneInfo

import numpy as np

from voltaun.core.learned.use import LEAST_DAYS_OF_USE, LONGEST_DAY_HOURS, SCALE_DAYS, day_of, grouped
from voltaun.core.log.ledger import Interval
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import ITSELF, SOURCE_TABLE
from voltaun.core.series import Kind, Seen, Series, draw, learn

FLOW = Kind(points=(0.0, 0.2, 0.5, 1.0, 1.5, 2.5, 4.0), weights=(0.4, 0.4, 0.6, 0.8, 0.6, 0.3, 0.1), forget_days=90.0,
            most=8.0, mixed=1.2)
"""A day's Wh in times the usual, before the log knows better: calm days and windy ones."""


@dataclass(frozen=True)
class DayFlow:
    """What one source brought in a day that the log tells, Wh, known from an instant on."""

    day: date
    wh: float
    known_at: datetime


@dataclass(frozen=True)
class Flow:
    """How a source goes on: its series in times of `scale_wh`, and the most that a day can bring, Wh."""

    series: Series
    scale_wh: float
    most_wh: float

    def draw(self, days: Sequence[date], futures: int, seed: int, stream: int) -> np.ndarray:
        """What it brings on coming days that follow one another, Wh, shape (days, futures)."""
        if not days:
            return np.empty((0, futures))
        shares = draw(self.series, days[0], len(days), futures, (seed, 9, stream))
        return np.minimum(shares * self.scale_wh, self.most_wh)


def flow_days(made: Sequence[Interval], source: str, zone: ZoneInfo) -> list[DayFlow]:
    """What a source brought by the local day in which the middle of its leg lies, scaled to 24 h."""
    found = []
    for group in grouped(made):
        hours = sum(interval.hours for interval in group)
        told = [wh for interval in group if (wh := interval.harvest.get(source)) is not None]
        if hours <= LONGEST_DAY_HOURS and len(told) == len(group):
            end = group[-1].end
            found.append(DayFlow(day_of(end, hours, zone), sum(told) * 24 / hours, end))
    first = next((n for n, of in enumerate(found) if of.wh), len(found))
    return found[first:]  # before it was first noted it was not there


def learn_flows(rig: Rig, histories: Sequence[dict[str, list[DayFlow]]],
                todays: Sequence[date]) -> list[dict[str, Flow]]:
    """How each source that runs by itself goes on, by the days known at each of these todays; those with fewer than
    `LEAST_DAYS_OF_USE` of them are left out, and so not counted on."""
    made: list[dict[str, Flow]] = [{} for _ in todays]
    for source in SOURCE_TABLE:
        if source.by != ITSELF or not rig.has(source.name):
            continue
        known = [history.get(source.name, []) for history in histories]
        scales = [_scale(days, today) for days, today in zip(known, todays, strict=True)]
        seen = [[Seen(of.day, of.wh / scale, False) for of in days] if scale else []
                for days, scale in zip(known, scales, strict=True)]
        most = 24 * sum(part.gives_w for part in rig.parts(source.name))
        for of, series, scale in zip(made, learn(seen, todays, FLOW), scales, strict=True):
            if scale and series.days >= LEAST_DAYS_OF_USE:
                of[source.name] = Flow(series, scale, most)
    return made


def _scale(days: Sequence[DayFlow], today: date) -> float:
    """Mean Wh a day, late days counting more."""
    weights = [math.exp(-(today - of.day).days / SCALE_DAYS) for of in days]
    return sum(of.wh * weight for of, weight in zip(days, weights, strict=True)) / sum(weights) if days else 0.0


def histories_of(rig: Rig, made: Sequence[Interval]) -> dict[str, list[DayFlow]]:
    """The days of all sources of the rig that run by themselves."""
    return {source.name: flow_days(made, source.name, rig.zone) for source in SOURCE_TABLE
            if source.by == ITSELF and rig.has(source.name)}
