"""Several systems seen together: what lies above each floor, what would reach another of it, and what did."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from voltaun.core.instants import hours_between
from voltaun.core.log.ledger import Interval
from voltaun.core.outlook.present import Present
from voltaun.core.rig.rig import Rig

CHARGER = 0.90
"""What a charger between two systems passes, unless told."""


@dataclass(frozen=True)
class Stands:
    """One system: its rig, and where it stands (None: nobody knows, and why)."""

    rig: Rig
    present: Present | None
    why: str | None = None

    @property
    def above_wh(self) -> float:
        """What lies above the everyday floor, Wh; 0 where nobody knows."""
        return self.present.above_wh["everyday_floor"].p50 if self.present else 0.0

    @property
    def days(self) -> float | None:
        """Days in hand if the sun stays away."""
        return self.present.days["everyday_floor"].p50 if self.present else None


@dataclass(frozen=True)
class Carried:
    """What one system could give another: Wh out of it, Wh into the other, and the days that is there."""

    giver: Rig
    taker: Rig
    out_wh: float
    arrives_wh: float
    days: float


FED_DAYS = 30
"""So far back is looked for what one system gave another."""


@dataclass(frozen=True)
class Fed:
    """What one system gave another, Wh a day: into the taker's bank, out of the giver's; over so many logged days."""

    giver: str
    taker: str
    arrives_wh: float
    out_wh: float
    days: float


def fed(giver: Rig, takers: Iterable[tuple[Rig, Sequence[Interval]]], now: datetime) -> list[Fed]:
    """What a system gave those that have it as their socket, by their logs of the last `FED_DAYS`.

    takers  other systems with their intervals. One is fed by this system where its only mains source has this one's
    name: its harvest from there is then use here, × 1 / 0.90 for the charger, and 1 / efficiency of the inverter.
    """
    found = []
    passes = CHARGER * (giver.inverter.efficiency if giver.inverter else 1.0)
    since = now - timedelta(days=FED_DAYS)
    for taker, intervals in takers:
        if [of.name for of in taker.mains] != [giver.name]:
            continue
        late = [(i, hours_between(max(i.start, since), i.end)) for i in intervals
                if i.end > since and i.harvest["mains"] is not None]
        hours = sum(inside for _, inside in late)
        wh = sum((i.harvest["mains"] or 0.0) * inside / i.hours for i, inside in late)
        if wh > 0:
            arrives = wh / hours * 24
            found.append(Fed(giver.name, taker.name, arrives, arrives / passes, hours / 24))
    return found


def carried(systems: list[Stands]) -> Carried | None:
    """From the system with the most days in hand to the one with the fewest, so much that both then have as many.

    Out of the giver's inverter, through a charger, into the other's bank: × efficiency × 0.90 × charge efficiency. None
    with fewer than two that are known, or where it would not be half a day.
    """
    known = [of for of in systems if of.present and of.days is not None]
    if len(known) < 2:
        return None
    giver = max(known, key=lambda of: of.days or 0.0)
    taker = min(known, key=lambda of: of.days or 0.0)
    assert giver.present and taker.present
    inverter = giver.rig.inverter.efficiency if giver.rig.inverter else 1.0
    through = inverter * CHARGER * taker.rig.bank.charge_efficiency
    a_day, there = giver.present.drain.wh, taker.present.drain.wh
    if not a_day or not there:
        return None
    # d_giver − x / a_day = d_taker + x × through / there, as far as the taker has room.
    wanted = (giver.above_wh / a_day - taker.above_wh / there) / (1 / a_day + through / there)
    room = (1 - taker.present.soc.p50) * taker.present.energy_wh / through
    out = max(0.0, min(wanted, giver.above_wh, room))
    arrives = out * through
    return Carried(giver.rig, taker.rig, out, arrives, arrives / there) if arrives / there >= 0.5 else None
