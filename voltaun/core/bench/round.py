"""The measuring round: which load to meter next and why, laid out in slots for the meters one owns."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from voltaun.core.bench.metering import ENOUGH_HOURS
from voltaun.core.rig.loads import GRADES, load_dc_wh
from voltaun.core.rig.parts import Load
from voltaun.core.rig.rig import Rig

SLOT = timedelta(hours=24)


@dataclass(frozen=True)
class Doubt:
    """A load and what its figure leaves in doubt: Wh a day × relative standard deviation, at the battery."""

    load: Load
    wh: float


@dataclass(frozen=True)
class Slot:
    """A load on one meter (such as "AC 1") from one instant to another."""

    load: str
    meter: str
    start: datetime
    end: datetime


@dataclass(frozen=True)
class Round:
    """A round as it was laid out: when, for how many meters of each side, and its slots in order."""

    begun_at: datetime
    ac_meters: int
    dc_meters: int
    slots: tuple[Slot, ...]


def doubts(rig: Rig, month: int) -> list[Doubt]:
    """The loads of the month (1–12) that no meter run has shown yet, the most in doubt first."""
    open_ = [Doubt(load, load_dc_wh(rig, load) * GRADES[load.evidence][1]) for load in rig.loads
             if load.evidence != "metered" and month in load.months and load.daily_wh > 0]
    return sorted(open_, key=lambda doubt: doubt.wh, reverse=True)


def lay_out(wanted: list[Doubt], ac_meters: int, dc_meters: int, begin: datetime, now: datetime) -> Round:
    """Slots of 24 h, one load after another on each meter of its side, the most in doubt first.

    begin  the first slot's instant. A load whose side has no meter gets no slot: a drawdown trial does it.
    """
    free = {"ac": [(begin, f"AC {n + 1}") for n in range(ac_meters)],
            "dc": [(begin, f"DC {n + 1}") for n in range(dc_meters)]}
    slots = []
    for doubt in wanted:
        meters = free[doubt.load.side]
        if not meters:
            continue
        meters.sort()
        start, meter = meters[0]
        meters[0] = (start + SLOT, meter)
        slots.append(Slot(doubt.load.name, meter, start, start + SLOT))
    return Round(now, ac_meters, dc_meters, tuple(sorted(slots, key=lambda slot: (slot.start, slot.meter))))


def done(slot: Slot, of: Round, runs: list[tuple[str, datetime, float]]) -> bool:
    """Whether a run of a day or more has arrived since the round was laid out.

    runs  (load, end, hours) of the meter runs that were not abandoned
    """
    return any(load == slot.load and end > of.begun_at and hours >= ENOUGH_HOURS for load, end, hours in runs)
