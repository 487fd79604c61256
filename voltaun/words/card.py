"""The card on the wall in words: four lines for those who did not set the system up."""

from __future__ import annotations

from typing import TYPE_CHECKING

from voltaun.core.rig.parts import Load
from voltaun.core.rig.rig import Rig
from voltaun.words.cautions import BACKFEED, FUMES
from voltaun.words.sentences import begin, month
from voltaun.words.units import show_percent

if TYPE_CHECKING:
    from voltaun.core.dayplan.card import Card

MOST_NAMES = 5
"""More things than this are not named on one line."""


def lines(of: Card, rig: Rig) -> list[tuple[str, str]]:
    """At what level at dusk what may run and what stays off: (level, words), the highest first."""
    easy, usual, low = of.levels
    loads = [load for load in rig.loads if of.month in load.months]
    spare, wanted, essential = ([load for load in loads if load.priority == priority]
                                for priority in ("spare", "wanted", "essential"))
    heavy = [load for load in wanted if load.movable]
    told: list[tuple[str, str]] = []
    if easy is not None:
        told.append((f"{show_percent(easy)} and more", "Use everything as usual. A little more does no harm."))
    if usual is not None and (easy is None or usual < easy):
        told.append((_between(usual, easy), "As usual, and nothing extra."))
    if low is not None and (usual is None or low < usual):
        off = _names(spare + heavy)
        told.append((_between(low, usual), f"Hold back. {f'Do without: {off}.' if off else 'Use less of everything.'}"))
    keep = _names(essential)
    told.append((f"below {show_percent(low)}" if low is not None else "at any level",
                 f"Only what must run{f': {keep}' if keep else ''}. Everything else stays off."))
    return told


def _between(low: float, high: float | None) -> str:
    return f"{show_percent(low)} to {show_percent(high)}" if high is not None else f"{show_percent(low)} and more"


def _names(of: list[Load]) -> str:
    named = [load.name for load in sorted(of, key=lambda load: -load.daily_wh)]
    more = f" and {len(named) - MOST_NAMES} more" if len(named) > MOST_NAMES else ""
    return ", ".join(named[:MOST_NAMES]) + more


def when_low(of: Card, rig: Rig) -> list[str]:
    """What to do when the bank is low, short sentences."""
    low = show_percent(of.levels[2] if of.levels[2] is not None else rig.bank.everyday_floor)
    said = [f"Switch off first what warms or cools. Never let it go below {show_percent(rig.bank.hard_floor)}."]
    said += [f"{begin(part.name)}: start it before dark when the level is below {low}. Run it 2 h, then look again."
             for part in rig.generators[:1]]
    said += [f"{begin(socket.name)}: plug in when the level is below {low}." for socket in rig.mains[:1]]
    said += [f"{begin(engine.name)}: an hour’s drive helps as well." for engine in rig.vehicles[:1]]
    return said


def low_and_cautions(of: Card, rig: Rig) -> list[str]:
    """What stands below the levels: what to do when the bank is low, and the cautions."""
    station = always_on(rig)
    return [*when_low(of, rig), *([station] if station else []), *([FUMES, BACKFEED] if rig.generators else [])]


def heading(of: Card, rig: Rig) -> str:
    """`Honey house: December`."""
    return f"{rig.name}: {month(of.month)}"


def foot(of: Card, rig: Rig) -> str:
    """What the card was made from."""
    of_season = "a guess of this season and " if of.guess else ""
    return (f"Made from {of_season}the log of {rig.name}. What may happen is dropping below "
            f"{show_percent(rig.bank.everyday_floor)} within three days. From the first level up that is 1 in 20. From "
            "the second it is 1 in 10, from the third 1 in 4. No card is a guarantee.")


def always_on(rig: Rig) -> str:
    """A caution for a bank that is an all-in-one station with something on it that must run."""
    must = [load.name for load in rig.loads if load.pattern == "always" and load.priority == "essential"]
    if not (rig.bank.is_station and must):
        return ""
    return f"When a station is empty its sockets switch off and stay off: {must[0]} then has to be switched on again."
