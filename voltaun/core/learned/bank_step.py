"""A step in what the bank holds that no part explains: batteries added or taken away, and nobody wrote it down.

Each interval in which the level moved and everything was read tells what a whole bank holds: what the books say went in
or out, over the part of the bank that it moved. One such figure is rough, the middle of many is not. It is a step where
the middles before and since some day are far apart, and neither can be the other.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from voltaun.core.instants import day_start, local_day
from voltaun.core.learned.capacity_fit import LEAST_LEGS, NINE_IN_TEN, Estimate
from voltaun.core.log.ledger import Balance, Interval
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.rig import Former, Rig
from voltaun.core.stats import middle, parted

LEAST_MOVED = 0.05
"""An interval counts whose level moved by this much: half a leg of `capacity_fit`, for the level of a bank that was
doubled moves half as far."""

LEAST_STEP = 1.4
"""Since the step the bank holds so many times as much as before, or as little."""

BLOCK_LEGS = 15
"""The middle of so many legs is looked at first: a log in which none stands out has no step."""


@dataclass(frozen=True)
class BankStep:
    """From the day on the bank holds otherwise, Wh."""

    day: date
    before: Estimate
    since: Estimate

    @property
    def ratio(self) -> float:
        """How many times as much as before."""
        return self.since.estimate / self.before.estimate

    def is_now(self, rig: Rig) -> bool:
        """Whether the rig's own figure is what the bank holds since: the nearer of the two is taken to be it."""
        own = effective_energy(rig).wh
        apart = [abs(np.log(of.estimate / own)) for of in (self.before, self.since)]
        return bool(apart[1] <= apart[0])


def bank_step(rig: Rig, made: Sequence[Interval]) -> BankStep | None:
    """The clearest step in what the bank holds, None without one; what another bank held before is no part of it.

    made  the log's intervals, in order of time
    """
    if rig.bank.from_day is not None:
        begun = day_start(rig.bank.from_day, rig.zone)
        made = [each for each in made if each.start >= begun]
    told = [(each, wh / moved) for each in made if each.all_read and abs(moved := _moved(each)) >= LEAST_MOVED
            and (wh := _booked(rig, each)) is not None]
    if len(told) < 2 * BLOCK_LEGS:
        return None
    legs, holds = [each for each, _ in told], np.array([wh for _, wh in told])
    middles = [middle(part) for part in np.array_split(holds, len(holds) // BLOCK_LEGS)]
    if min(middles) <= 0 or max(middles) < LEAST_STEP * min(middles):
        return None  # as with nearly every log
    n = parted(np.log(np.maximum(holds, 0.01 * max(middles))), LEAST_LEGS)
    before, since = _about(holds[:n]), _about(holds[n:])
    small, large = sorted((before, since), key=lambda of: of.estimate)
    if small.low <= 0 or small.high >= large.low or large.estimate < LEAST_STEP * small.estimate:
        return None
    turn = _turn(rig, made, legs[n - 1], legs[n], before.estimate, since.estimate)
    return BankStep(local_day(turn, rig.zone), before, since)


def _moved(of: Interval) -> float:
    """By what part of the bank its level moved."""
    return 0.0 if of.soc_end is None or of.soc_start is None else of.soc_end - of.soc_start


def _booked(rig: Rig, of: Interval) -> float | None:
    """What the bank's energy changed by as the books say, Wh."""
    if of.harvest_wh is None or of.use_wh is None:
        return None
    bank = rig.bank
    return Balance(bank.charge_efficiency, bank.standby_w * of.hours, of.direct_share).stored(of.harvest_wh, of.use_wh)


def _turn(rig: Rig, made: Sequence[Interval], last: Interval, first: Interval, before: float,
          since: float) -> datetime:
    """When it was between the last leg before and the first since: there the level may have moved little for months,
    and yet all these intervals together tell which bank they had.

    before, since  what it holds, Wh
    """
    moments, better = [last.end], [0.0]
    for each in made:
        if last.end <= each.start and each.end <= first.start and each.all_read:
            wh = _booked(rig, each) or 0.0
            moments.append(each.end)
            better.append(better[-1] + abs(wh - since * _moved(each)) - abs(wh - before * _moved(each)))
    return moments[int(np.argmax(better))]


def _about(side: np.ndarray) -> Estimate:
    """The middle of a side's figures, and how well it is known by their spread."""
    about = middle(side)
    spread = middle(np.abs(side - about)) / 0.6745
    wide = NINE_IN_TEN * 1.2533 * spread / np.sqrt(len(side))  # of a middle, beside a mean
    return Estimate(about, float(about - wide), float(about + wide))


def as_it_seems(rig: Rig, step: BankStep) -> Rig:
    """The rig with the step in it: on the side that is not the rig's own figure a bank that holds as it seems."""
    before = since = rig.bank
    if step.is_now(rig):
        before = replace(before, tested_energy_wh=None, logged_energy_wh=step.before.estimate)
    else:
        since = replace(since, tested_energy_wh=None, logged_energy_wh=step.since.estimate)
    over = Former("bank", replace(before, until_day=step.day - timedelta(days=1)))
    return replace(rig, bank=replace(since, from_day=step.day), former=(*rig.former, over))
