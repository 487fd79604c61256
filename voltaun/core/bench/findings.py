"""What a run found, by its instrument, and what applying it would set in the rig."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np

from voltaun.core.bench import metering, trials
from voltaun.core.bench.cells import Cells, hydrometer
from voltaun.core.bench.drawdown import Drawdown, drawdown
from voltaun.core.bench.going import Going, going
from voltaun.core.bench.harvest import Harvested, harvest
from voltaun.core.bench.metering import Labelled, Metered
from voltaun.core.bench.runs import Run, pieces
from voltaun.core.bench.trials import InverterFit, Tested
from voltaun.core.instants import day_start, local_day
from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.figures import Path
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import BY_HAND
from voltaun.core.sky.clear_sky import RigSun

Finding = Metered | Labelled | Drawdown | Tested | InverterFit | Harvested | Cells


def find(run: Run, rig: Rig, sun: RigSun | None = None, usual_share: float | None = None,
         others: Sequence[Run] = ()) -> Finding:
    """The finding of a run; `sun` is the rig's clear-sky harvest, which a harvest trial of an array is held against,
    and `usual_share` what part of it a usual day brings. others  runs of the same rig that stand beside it

    Raises NotYet, Misread, CounterFell (see each instrument).
    """
    if run.instrument == "meter":
        return _over_surge(metering.meter(run), run, rig)
    if run.instrument == "label":
        return metering.label(run)
    if run.instrument == "drawdown":
        return drawdown(run, rig)
    if run.instrument == "capacity":
        return trials.beside_another(run, rig, [of for of in others if of.instrument == "capacity"])
    if run.instrument == "inverter":
        return trials.inverter(run)
    if run.instrument == "hydrometer":
        return hydrometer(run, rig)
    return _harvest(run, rig, sun, usual_share)


def _over_surge(found: Metered, run: Run, rig: Rig) -> Metered:
    """The finding with a remark where its peak is more than the inverter bears."""
    bears = rig.inverter and (rig.inverter.surge_w or rig.inverter.continuous_w)
    if run.side == "ac" and bears and found.peak_w is not None and found.peak_w > bears:
        return replace(found, remarks=(*found.remarks, reason("peak_over_surge", peak_w=found.peak_w, surge_w=bears)))
    return found


def _harvest(run: Run, rig: Rig, sun: RigSun | None, usual_share: float | None) -> Harvested:
    names = [array.name for array in rig.arrays]
    if run.subject not in names:
        charger = next((part for part in rig.steady if part.name == run.subject), None)
        # What a label says, not what its input lets through: the trial shows that.
        rated = getattr(charger, "charge_w", None) or (charger.gives_w if charger else None)
        return harvest(run, rig, rated)
    n = names.index(run.subject)
    clear = whole_days = None
    if sun is not None and run.marks:
        spans = [(local_day(piece[0].at, rig.zone), local_day(piece[-1].at, rig.zone)) for piece in pieces(run.marks)]
        days = {first + timedelta(days=n) for first, last in spans for n in range((last - first).days + 1)}
        clear = _clear(sun, n, run)
        whole_days = sum(float(sun.arrays[n].between(day_start(day, rig.zone).timestamp(), day_start(
            day + timedelta(days=1), rig.zone).timestamp())) for day in days) / len(days)
    return harvest(run, rig, rig.arrays[n].rated_w, clear, whole_days, usual_share)


def _clear(sun: RigSun, n: int, run: Run) -> float:
    """Clear-sky harvest of an array in what counts of a run, Wh."""
    return sum(float(sun.arrays[n].between(piece[0].at.timestamp(), piece[-1].at.timestamp()))
               for piece in pieces(run.marks))


def stands(run: Run, rig: Rig, sun: RigSun | None = None) -> Going | None:
    """How a trial stands while it runs (see `going`); what the sun brings is held against the clear sky of its day."""
    names = [array.name for array in rig.arrays]
    if run.instrument != "harvest" or run.subject not in names or sun is None or not run.marks:
        return going(run, rig)
    n = names.index(run.subject)
    brought = _clear(sun, n, run)

    def reach(since: datetime, times: float) -> datetime | None:
        end = day_start(local_day(since, rig.zone) + timedelta(days=1), rig.zone)
        steps = np.arange(since.timestamp(), end.timestamp() + 1, SUN_STEP_S)
        there = np.flatnonzero(sun.arrays[n].between(since.timestamp(), steps) >= times * brought)
        return datetime.fromtimestamp(float(steps[there[0]]), since.tzinfo) if len(there) else None
    return going(run, rig, reach)


SUN_STEP_S = 300.0


def changes(run: Run, rig: Rig, finding: Finding) -> dict[Path, object]:
    """The figures that applying a finding sets, by path; empty where there is nothing to set.

    A load that the rig does not have is added with its side. What the log learns by itself (the yield of
    panels) is not set, and cells set nothing.
    """
    if isinstance(finding, Cells):
        return {}
    if isinstance(finding, Tested):
        passes: dict[Path, object] = {("inverter", "efficiency"): round(finding.efficiency, 3)} if (
            finding.efficiency and finding.dc_wh and rig.inverter) else {}
        idle: dict[Path, object] = {("inverter", "idle_w"): round(finding.idle_w, 1)} if finding.idle_w else {}
        return {("bank", "tested_energy_wh"): round(finding.energy_wh, 1)} | passes | idle
    if isinstance(finding, InverterFit):
        return {("inverter", "idle_w"): round(finding.idle_w, 1),
                ("inverter", "efficiency"): round(finding.efficiency, 3)}
    if isinstance(finding, Harvested):
        group = next((source.group for source in BY_HAND
                      if any(part.name == run.subject for part in rig.parts(source.name))), None)
        return {(group, run.subject, "charge_w"): round(finding.mean_w, 1)} if group and finding.mean_w >= 1 else {}
    if isinstance(finding, Drawdown):
        wh = finding.load_wh_per_day
        return {} if wh is None else _of_load(run, wh, None, "trial")
    if finding.daily_wh is None:
        return {}
    surge = run.surge_w
    if isinstance(finding, Metered) and (finding.peak_w or 0.0) > STARTS * (finding.running_w or finding.mean_w):
        surge = finding.peak_w
    starts: dict[Path, object] = {("loads", run.subject, "surge_w"): round(surge, 1)} if surge else {}
    return _of_load(run, finding.daily_wh, finding.running_w, finding.evidence) | starts


STARTS = 1.5
"""A peak of so many times what a thing takes while it is on is its start."""


def _of_load(run: Run, daily_wh: float, running_w: float | None, evidence: str) -> dict[Path, object]:
    load = ("loads", run.subject)
    found: dict[Path, object] = {(*load, "daily_wh"): round(daily_wh, 1), (*load, "evidence"): evidence,
                                 (*load, "side"): run.side}
    return found | ({(*load, "running_w"): round(running_w, 1)} if running_w is not None else {})



FAR_FROM_PRINTED, FAR_FROM_RATED, NEXT_TO_NOTHING_W, WHOLE_HOUSE_WH = (0.3, 1.1), 1.25, 0.2, 50_000.0
"""Beyond belief: a bank that gives less or more of its label, a load that takes so much more than its W while on, or
next to nothing, or as much as several houses a day."""


def doubtful(run: Run, rig: Rig, finding: Finding) -> Reason | None:
    """Why a finding is beyond belief and must be asked about before it is applied; None where it is not."""
    if isinstance(finding, Tested):
        low, high = FAR_FROM_PRINTED
        return None if low <= finding.share_of_rated <= high else reason(
            "tested_beyond_belief", wh=finding.given_wh, share=finding.share_of_rated)
    if isinstance(finding, Harvested):
        rated = finding.share_of_rated
        far = rated is not None and not 0.01 <= rated <= FAR_FROM_RATED
        return reason("harvest_beyond_belief", watts=finding.mean_w, share=rated) if far else None
    if isinstance(finding, Metered):
        known = next((load.running_w for load in rig.loads if load.name == run.subject), None)
        if known and finding.mean_w > FAR_FROM_RATED * known:
            return reason("more_than_it_can", watts=finding.mean_w, most=known)
        if finding.mean_w < NEXT_TO_NOTHING_W:
            return reason("next_to_nothing", wh=finding.mean_w * 24)
    daily = finding.daily_wh if isinstance(finding, Metered | Labelled) else getattr(finding, "load_wh_per_day", None)
    return reason("as_much_as_houses", wh=daily) if daily and daily > WHOLE_HOUSE_WH else None


def in_kwh(run: Run) -> Run:
    """The run with its counters taken as kWh."""
    def of(value: float | None) -> float | None:
        return None if value is None else value * 1000
    return replace(run, marks=tuple(replace(mark, wh=of(mark.wh), ac_wh=of(mark.ac_wh), other_wh=of(mark.other_wh))
                                    for mark in run.marks))
