"""A step in what the sun brings that no part explains: panels added or taken away, and nobody wrote it down.

What a day brings says little of the panels, for a bank that is full takes no more than is used. What is looked at is
the share of clear sky until the bank was full, and on days on which it was not, that of the whole day: on the brightest
days of any six weeks it is nearly the same the whole year round, as long as the panels are.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from voltaun.core.instants import hours_between, local_day
from voltaun.core.log.days import clear_sky_of
from voltaun.core.log.ledger import Balance, Interval
from voltaun.core.log.reading import Reading
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.stats import middle

BLOCK_DAYS = 45
"""The brightest days of so many are compared."""

LEAST_IN_BLOCK, BRIGHTEST = 20, 3
"""A block with fewer days says nothing; of the others the third brightest day counts, for a figure may be off."""

LEAST_STEP = 1.4
"""In every block after the step the bright days bring so many times as much as in any before it, or as little."""

WITHIN_DAYS = 45
"""The step is so near the split that parts bright days best."""

TRIED_EVERY = 4
"""So many days apart the step is sought, before it is sought day by day."""

LEAST_DAYS_A_SIDE = 30
"""Before and after the step so many days must tell of it."""

WHOLE_SHARE = 0.6
"""Of an interval with less than this part of its day's clear sky nothing is taken."""

LEAST_CLEAR = 0.15
"""A bank that is full after less than this part of the day's clear sky says nothing of the panels."""

SHORTEST_H, LONGEST_H = 6.0, 36.0
"""Of shorter and longer intervals nobody knows what sky they had."""

BRIGHT_SHARE = 0.9
"""What a bright day usually shows of its clear sky, for panels that are as the rig says."""


@dataclass(frozen=True)
class YieldStep:
    """From the day on the sun brings `ratio` times as much of its clear sky as before.

    bright  share of clear sky on bright days before and since, by the panels that the rig says
    """

    day: date
    ratio: float
    bright: tuple[float, float]

    @property
    def factors(self) -> tuple[float, float]:
        """What the clear sky of the rig is to be multiplied by before and since: the side whose bright days are nearer
        to what such days usually show is taken to be as the rig says."""
        before, since = (abs(np.log(of / BRIGHT_SHARE)) for of in self.bright)
        return (1 / self.ratio, 1.0) if since <= before else (1.0, self.ratio)


def yield_step(rig: Rig, made: Sequence[Interval], readings: Sequence[Reading], sun: RigSun | None) -> YieldStep | None:
    """The clearest step in what the sun brings, None without one.

    made, readings  the log, both in order of time; the readings say when the bank was full
    """
    if sun is None:
        return None
    days, shares = _bright(rig, made, readings, sun)
    if len(days) < 2 * LEAST_DAYS_A_SIDE:
        return None
    whole = _tops(days, shares)
    if not len(whole) or whole.max() < LEAST_STEP * whole.min():
        return None  # as with nearly every log
    first, last = LEAST_DAYS_A_SIDE, len(days) - LEAST_DAYS_A_SIDE
    _, n, _ = _clearest(days, shares, range(first, last + 1, TRIED_EVERY))
    apart, n, way = _clearest(days, shares, range(max(first, n - TRIED_EVERY), min(last, n + TRIED_EVERY) + 1))
    if apart < LEAST_STEP:
        return None
    sides = ((days[:n][::-1], shares[:n][::-1]), (days[n:], shares[n:]))
    bright = [middle(_tops(*side)) for side in sides]
    day = _turn(days, shares, float(np.sqrt(bright[0] * bright[1])), n, way)
    return YieldStep(date.fromordinal(day), bright[1] / bright[0], (bright[0], bright[1]))


def _clearest(days: np.ndarray, shares: np.ndarray, splits: Sequence[int]) -> tuple[float, int, int]:
    """Of these splits the one whose sides are furthest apart: how far, where, and 1 for more sun since, −1 for less."""
    best = (0.0, 0, 0)
    for n in splits:
        before, since = _tops(days[:n][::-1], shares[:n][::-1]), _tops(days[n:], shares[n:])
        if len(before) and len(since):
            best = max(best, (float(since.min() / before.max()), n, 1), (float(before.min() / since.max()), n, -1))
    return best


def _bright(rig: Rig, made: Sequence[Interval], readings: Sequence[Reading],
            sun: RigSun) -> tuple[np.ndarray, np.ndarray]:
    """Days, as ordinals, and what share of clear sky the panels brought while the bank took all of it."""
    full_at = {reading.at: reading.full_at for reading in readings if reading.full_at}
    found: list[tuple[int, float]] = []
    whole = clear_sky_of({local_day(each.end, rig.zone) for each in made}, sun, rig.zone)
    for each in made:
        clear, solar = each.clear_sky_wh, each.harvest["solar"]
        if each.marked or not clear or solar is None or not SHORTEST_H <= each.hours <= LONGEST_H:
            continue
        of_day, full = local_day(each.end, rig.zone), full_at.get(each.end)
        if clear < WHOLE_SHARE * whole[of_day]:
            continue
        day = of_day.toordinal()
        if full is None:
            if not each.at_least:
                found.append((day, solar / clear))
        elif each.use_wh is not None and each.soc_start is not None and each.start < full <= each.end:
            until = sun.between(each.start, full)
            if until >= LEAST_CLEAR * clear:
                hours = hours_between(each.start, full)
                stood = rig.on(local_day(full, rig.zone))
                balance = Balance(stood.bank.charge_efficiency, stood.bank.standby_w * hours, each.direct_share)
                came = balance.harvest(each.use_wh * hours / each.hours,
                                       (1 - each.soc_start) * effective_energy(stood).wh)
                found.append((day, min(max(came, 0.0), solar) / until))
    if not found:
        return np.zeros(0, dtype=int), np.zeros(0)
    days, shares = zip(*found, strict=True)
    return np.array(days), np.array(shares)


def _tops(days: np.ndarray, shares: np.ndarray) -> np.ndarray:
    """The third brightest share of each block of days, counted from the first of these on."""
    block = np.abs(days - days[0]) // BLOCK_DAYS
    counts = np.bincount(block)
    order = np.lexsort((-shares, block))
    starts = np.concatenate(([0], np.cumsum(counts)[:-1]))
    return np.asarray(shares[order][starts[counts >= LEAST_IN_BLOCK] + BRIGHTEST - 1])


def _turn(days: np.ndarray, shares: np.ndarray, between: float, split: int, way: int) -> int:
    """The day of the step: of more sun the first bright one, of less the one after the last; near the split, and with
    others as bright within a month on its side."""
    seen = days[shares > between]
    seen = seen[np.abs(seen - days[split]) <= WITHIN_DAYS]
    near = [int(np.sum((seen >= min(day, day + 30 * way)) & (seen <= max(day, day + 30 * way)))) for day in seen]
    bright = seen[np.array(near, dtype=int) >= BRIGHTEST]
    if not len(bright):
        return int(days[split])
    return int(bright.min()) if way > 0 else int(bright.max()) + 1
