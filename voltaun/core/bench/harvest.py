"""A harvest trial: what one source brought between two times."""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

from voltaun.core.bench.runs import Mark, Run, counted, from_nought, hours_that_count, levels, pieces, require_time
from voltaun.core.instants import hours_between
from voltaun.core.reasons import Misread, NotYet, Reason, reason
from voltaun.core.rig.bank import capacity_ah, effective_energy
from voltaun.core.rig.rig import Rig

WOBBLE = 0.02
"""A level that falls by no more while something charges is the display's."""

GLIMPSES_APART = 0.2
"""Watts that were seen now and then and are so much off the mean are said beside it."""


@dataclass(frozen=True)
class Harvested:
    """The finding of a harvest trial from one source: energies Wh and powers W at the battery's terminals.

    days_to_fill  from empty to full with days as that of the trial; of an array usual_days_to_fill under a usual sky
    """

    hours: float
    wh: float
    peak_w: float | None
    share_of_rated: float | None
    share_of_clear_sky: float | None
    daily_wh: float | None
    days_to_fill: float | None
    usual_days_to_fill: float | None
    remarks: tuple[Reason, ...]

    @property
    def mean_w(self) -> float:
        """Mean power, W."""
        return self.wh / self.hours


def harvest(run: Run, rig: Rig, rated_w: float | None = None, clear_sky_wh: float | None = None,
            clear_sky_day_wh: float | None = None, usual_share: float | None = None) -> Harvested:
    """A harvest trial: what one source brought between two times.

    From the counter's Wh, else from the level: Δsoc × effective energy / charge efficiency.
    rated_w  of the source; clear_sky_wh  in the trial and clear_sky_day_wh  in its whole day, for an array:
    its Wh a day is then the trial's share of clear sky over that day, otherwise the mean power × 24 h.
    usual_share  of clear sky that a usual day has
    Without both the watts that were seen now and then stand for the time between. What is left out counts nowhere.
    Raises NotYet, and Misread where the counter or the level falls.
    """
    require_time(run)
    hours, glimpsed = hours_that_count(run), glimpsed_w(run)
    wh, basis = _brought(run, rig, glimpsed)
    noted = [mark.dc_w for mark in run.marks if mark.dc_w is not None]
    share = wh / clear_sky_wh if clear_sky_wh else None
    daily = share * clear_sky_day_wh if share is not None and clear_sky_day_wh else wh / hours * 24
    into = effective_energy(rig).wh / rig.bank.charge_efficiency
    usual = usual_share * clear_sky_day_wh if usual_share and clear_sky_day_wh else None
    return Harvested(hours, wh, max(noted, default=None), wh / hours / rated_w if rated_w else None, share, daily,
                     into / daily if daily else None, into / usual if usual else None,
                     tuple(_harvest_remarks(rig, basis, share, wh / hours, glimpsed)))


def glimpsed_w(run: Run) -> float | None:
    """The mean of the watts that were seen now and then, each joined to the next, W; None with fewer than two."""
    wh = hours = 0.0
    for piece in pieces(run.marks):
        shown = [(mark.at, mark.dc_w) for mark in piece if mark.dc_w is not None]
        for (start, before), (end, after) in pairwise(shown):
            between = hours_between(start, end)
            wh, hours = wh + (before + after) / 2 * between, hours + between
    return wh / hours if hours else None


def _brought(run: Run, rig: Rig, glimpsed: float | None) -> tuple[float, str]:
    """What came in, Wh at the battery's terminals, and what tells it: the counter, the level, or watts seen."""
    wh = counted(from_nought(run.marks, "wh"), "wh")
    if wh is not None:
        return wh, "counter"
    if len(levels(run)) > 1:
        return sum(_risen(piece) for piece in pieces(run.marks)) * effective_energy(rig).wh / (
            rig.bank.charge_efficiency), "level"
    if glimpsed is None:
        raise NotYet("nothing_came_in")
    return glimpsed * hours_that_count(run), "glimpses"


def _risen(piece: list[Mark]) -> float:
    """How far the level rose in a stretch that counts, a fraction."""
    shown = [(mark.at, mark.soc) for mark in piece if mark.soc is not None]
    for (_, before), (at, after) in pairwise(shown):
        if after < before - WOBBLE:
            raise Misread("level_fell", at, found=after, before=before)
    if len(shown) > 1 and shown[-1][1] < shown[0][1]:
        raise Misread("level_fell", shown[-1][0], found=shown[-1][1], before=shown[0][1])
    return shown[-1][1] - shown[0][1] if shown else 0.0


def _harvest_remarks(rig: Rig, basis: str, share: float | None, mean: float,
                     glimpsed: float | None) -> Iterator[Reason]:
    if basis == "level":
        yield reason("from_the_level")
    if basis == "glimpses":
        yield reason("from_glimpses")
    elif glimpsed is not None and abs(glimpsed - mean) > GLIMPSES_APART * max(mean, 1.0):
        yield reason("glimpses_apart", seen_w=glimpsed, mean_w=mean, basis=basis)
    if share is not None:
        yield reason("day_like_the_trial")
    elif capacity_ah(rig.bank):
        yield reason("taper")
