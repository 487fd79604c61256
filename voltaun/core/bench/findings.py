"""What a run found, by its instrument, and what applying it would set in the rig."""

from datetime import timedelta

from voltaun.core.bench import metering, trials
from voltaun.core.bench.metering import Labelled, Metered
from voltaun.core.bench.runs import Run
from voltaun.core.bench.trials import Drawdown, Harvested, InverterFit, Tested
from voltaun.core.instants import day_start, local_day
from voltaun.core.rig.figures import Path
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun

Finding = Metered | Labelled | Drawdown | Tested | InverterFit | Harvested


def find(run: Run, rig: Rig, sun: RigSun | None = None) -> Finding:
    """The finding of a run; `sun` is the rig's clear-sky harvest, which a harvest trial of an array is held against.

    Raises NotYet, Misread, CounterFell (see each instrument).
    """
    if run.instrument == "meter":
        return metering.meter(run)
    if run.instrument == "label":
        return metering.label(run)
    if run.instrument == "drawdown":
        return trials.drawdown(run, rig)
    if run.instrument == "capacity":
        return trials.capacity(run, rig)
    if run.instrument == "inverter":
        return trials.inverter(run)
    return _harvest(run, rig, sun)


def _harvest(run: Run, rig: Rig, sun: RigSun | None) -> Harvested:
    names = [array.name for array in rig.arrays]
    if run.subject not in names:
        charger = next((part for group in (rig.vehicles, rig.generators, rig.mains) for part in group
                        if part.name == run.subject), None)
        return trials.harvest(run, rig, charger.charge_w if charger else None)
    n = names.index(run.subject)
    clear = whole_days = None
    if sun is not None and run.marks:
        start, end = run.marks[0].at, run.marks[-1].at
        first, last = local_day(start, rig.zone), local_day(end, rig.zone) + timedelta(days=1)
        clear = float(sun.arrays[n].between(start.timestamp(), end.timestamp()))
        whole_days = float(sun.arrays[n].between(day_start(first, rig.zone).timestamp(),
                                                 day_start(last, rig.zone).timestamp())) / (last - first).days
    return trials.harvest(run, rig, rig.arrays[n].rated_w, clear, whole_days)


def changes(run: Run, rig: Rig, finding: Finding) -> dict[Path, object]:
    """The figures that applying a finding sets, by path; empty where there is nothing to set.

    A load that the rig does not have is added with its side. What the log learns by itself (the yield of
    panels) is not set.
    """
    if isinstance(finding, Tested):
        return {("bank", "tested_energy_wh"): round(finding.energy_wh, 1)}
    if isinstance(finding, InverterFit):
        return {("inverter", "idle_w"): round(finding.idle_w, 1),
                ("inverter", "efficiency"): round(finding.efficiency, 3)}
    if isinstance(finding, Harvested):
        group = next((group for group in ("vehicles", "generators", "mains")
                      if any(part.name == run.subject for part in getattr(rig, group))), None)
        return {(group, run.subject, "charge_w"): round(finding.mean_w, 1)} if group and finding.mean_w >= 1 else {}
    if isinstance(finding, Drawdown):
        wh = finding.load_wh_per_day
        return {} if wh is None else _of_load(run, wh, None, "trial")
    return _of_load(run, finding.daily_wh, finding.running_w, finding.evidence)


def _of_load(run: Run, daily_wh: float, running_w: float | None, evidence: str) -> dict[Path, object]:
    load = ("loads", run.subject)
    found: dict[Path, object] = {(*load, "daily_wh"): round(daily_wh, 1), (*load, "evidence"): evidence,
                                 (*load, "side"): run.side}
    return found | ({(*load, "running_w"): round(running_w, 1)} if running_w is not None else {})

