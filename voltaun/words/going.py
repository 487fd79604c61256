"""How a trial stands while it runs, in words."""

from datetime import datetime

from voltaun.core.bench.going import Going, Until, Witness
from voltaun.core.bench.runs import Run
from voltaun.core.instants import local_day
from voltaun.core.rig.rig import Rig
from voltaun.words.sentences import begin, day_name
from voltaun.words.units import rounded, show_clock, show_duration, show_percent, show_power

_BY = {"counter": "By the meter", "level": "By the display", "glimpses": "By the watts you saw"}
_LEVELS = {"empty": "empty", "full": "full"}


def at_clock(at: datetime, now: datetime, rig: Rig) -> str:
    """An instant ahead to five minutes: `16:20`, `tomorrow 4:30`, `Thursday 9:00`."""
    local = at.astimezone(rig.zone)
    clock = show_clock(round((local.hour * 60 + local.minute) / 5) * 5 / 60)
    if at < now:
        return f"{local:%A} {clock}"
    today = local_day(now, rig.zone)
    return clock if local.date() == today else f"{day_name(local.date(), today)} {clock}"


def _level(of: Until) -> str:
    return _LEVELS.get(of.name) or f"down to {show_percent(of.level)}"


def headline(of: Going, run: Run, rig: Rig, now: datetime) -> str:
    """What flows and until when: `62 W so far. Down to 20 % about tomorrow 4:30, empty about 9:10.`"""
    first = of.witnesses[0]
    flows = f"{show_power(first.watts)} {'into the bank' if run.instrument == 'harvest' else 'so far'}"
    stands = "" if first.soc is None else f", {show_percent(first.soc)} now"
    ahead = [each for each in first.until if each.name != "hard"]
    told = ", ".join(f"{_level(each)} about {at_clock(each.at, now, rig)}" for each in ahead)
    return f"{flows}{stands}. {begin(told)}." if told else f"{flows}{stands}."


def rows(of: Going, rig: Rig, now: datetime) -> list[tuple[str, str]]:
    """What each witness says, and what passed the inverter so far."""
    told = [(_BY[each.by], _witness(each, now, rig)) for each in of.witnesses]
    return told if of.passed is None else [*told, ("AC out of DC so far", f"{of.passed * 100:.1f} %")]


def _witness(of: Witness, now: datetime, rig: Rig) -> str:
    said = [show_power(of.watts), *([] if of.soc is None else [f"{show_percent(of.soc)} now"])]
    said += [f"{_level(each)} in {show_duration(rounded(each.hours))}, {at_clock(each.at, now, rig)}"
             for each in of.until]
    return "; ".join(said)
