"""The worst stretch of the log, run again from today's level: people trust it because it happened."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta

from voltaun.core.log.days import Day
from voltaun.core.log.ledger import Balance
from voltaun.core.rig.rig import Rig

DAYS = 5


@dataclass(frozen=True)
class Again:
    """The worst days of the log and where they would take the bank: the level at each evening (fractions).

    short_wh is what would be missing at the hard floor; below is which of the days (1 first) first goes below the
    everyday floor, or None. Whatever was started by hand in those days is left out.
    """

    first: date
    last: date
    levels: tuple[float, ...]
    short_wh: float
    below: int | None


def worst_stretch(rig: Rig, days: Mapping[date, Day], soc: float, energy_wh: float, length: int = DAYS) -> Again | None:
    """Run the `length` whole days that took most out of the bank again, with the sun they had and their use.

    soc  today's level; energy_wh  the bank's. None when the log holds no such stretch of whole days in a row.
    """
    nets = {}
    for when, day in days.items():
        if day.whole and not day.unknown & {"solar", "use"}:
            balance = Balance(rig.bank.charge_efficiency, rig.bank.standby_w * 24)
            nets[when] = balance.stored(day.harvest["solar"] + day.spilt_wh, day.use_wh)
    runs = [when for when in nets if all(when + timedelta(days=n) in nets for n in range(length))]
    if not runs:
        return None
    first = min(runs, key=lambda when: sum(nets[when + timedelta(days=n)] for n in range(length)))
    level, levels, short, below = soc, [], 0.0, None
    floor = min(rig.bank.hard_floor, soc)
    for n in range(length):
        level = min(1.0, level + nets[first + timedelta(days=n)] / energy_wh)
        if level < floor:
            short += (floor - level) * energy_wh
            level = floor
        levels.append(level)
        if below is None and level < rig.bank.everyday_floor - 1e-9:
            below = n + 1
    return Again(first, first + timedelta(days=length - 1), tuple(levels), short, below)
