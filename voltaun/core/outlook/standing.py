"""Where the futures begin: the last level that is known, what the bank holds at its temperature, and what leaves it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from voltaun.core.learned.account import Account
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.autonomy import Drain, drain
from voltaun.core.outlook.beliefs import Belief, bank_energy
from voltaun.core.reasons import NoOutlook

LOST_DAYS = 10.0
"""After so many days without a reading nobody claims a level."""


@dataclass(frozen=True)
class Standing:
    """The last known level (a fraction) and its instant, what is believed of the bank's energy at its temperature (Wh,
    °C), and the mean drain."""

    read_at: datetime
    read_soc: float
    energy: Belief
    temp_c: float | None
    drain: Drain


def standing(ask: Ask) -> Standing:
    """Where the futures of a question begin.

    Raises NoOutlook when there is no level to start from or no use known.
    """
    known = ask.known
    level = last_level(known.readings, known.account)
    if level is None:
        raise NoOutlook("no_level")
    start, soc = level
    if ask.as_of - start > timedelta(days=LOST_DAYS):
        raise NoOutlook("level_too_old", days=(ask.as_of - start).days)
    leaving = drain(ask.rig, known.learned, ask.today.month)
    if leaving is None:
        raise NoOutlook("no_use")
    temp_c = recent_temperature(known.readings, ask.as_of)
    return Standing(start, soc, bank_energy(ask.rig, known.learned, temp_c), temp_c, leaving)


def last_level(readings: Sequence[Reading], account: Account) -> tuple[datetime, float] | None:
    """The latest instant with a level, read or reckoned, and that level; None when there is none."""
    for interval in reversed(account.intervals):
        if interval.soc_end is not None:
            return interval.end, interval.soc_end
    if readings and readings[0].soc is not None:
        return readings[0].at, readings[0].soc
    return None


def recent_temperature(readings: Sequence[Reading], as_of: datetime) -> float | None:
    """Mean of the bank temperatures noted in the last three days, °C; None when there is none."""
    noted = [r.temp_c for r in readings if r.temp_c is not None and r.at > as_of - timedelta(days=3)]
    return sum(noted) / len(noted) if noted else None
