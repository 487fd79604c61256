"""May I spend tonight? The most that may be used more from now to dawn, or the least that must be spared."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from voltaun.core.dayplan.ahead import Ahead
from voltaun.core.outlook.lanes import RISKY
from voltaun.core.outlook.ways import MOST_SPARED
from voltaun.core.rig.loads import hours_shape, load_dc_wh
from voltaun.core.rig.parts import PRIORITIES, Load
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.sums import dc_power
from voltaun.core.stats import middle

NEAR = 0.1
"""An allowance is first sought within this part of where it probably is."""

GRAIN_WH, GRAIN_SHARE = 5.0, 1e-3
"""An allowance is sought to so many Wh, or to this share of what the bank holds where that is more."""


@dataclass(frozen=True)
class Tonight:
    """What may be used more, or must be spared, evenly from now to dawn so that passing the everyday floor within the
    advised days stays at 1 in 10 at most.

    until   the next dawn; may_spend_wh, must_spare_wh  Wh at the battery, one of them 0
    chance  of passing that floor as things stand
    can_be_spared  whether anybody would spare that much of their use until then: where not, the rest has to be charged
    helps   whether anything until dawn helps: not where even a full bank at dawn passes the floor; all that is used
    until then is then told as what must be spared
    """

    until: datetime
    may_spend_wh: float
    must_spare_wh: float
    chance: float
    can_be_spared: bool = True
    helps: bool = True


def tonight(ahead: Ahead) -> Tonight:
    """What these futures allow."""
    chance = ahead.chance
    energy = ahead.ready.standing.energy.mean
    if chance <= RISKY:
        until = ahead.made.level[ahead.steps.start:ahead.steps.start + ahead.dawn + 1]
        high = max(float((until.max(axis=0) - ahead.floor).max()) * energy, 0.0) + float(
            ahead.ready.harvest[ahead.steps][:ahead.dawn].sum(axis=0).max())
        return Tonight(ahead.until_dawn, _most(ahead, 0.0, high), 0.0, chance)
    night = middle(ahead.ready.load[ahead.steps][:ahead.dawn].sum(axis=0))
    most = 2.0 * energy
    if ahead.passes(ahead.run(_evenly(ahead) * -most).level).mean() > RISKY:
        return Tonight(ahead.until_dawn, 0.0, night, chance, helps=False)
    spare = -_most(ahead, -most, 0.0)
    return Tonight(ahead.until_dawn, 0.0, spare, chance, spare <= MOST_SPARED * night)


@dataclass(frozen=True)
class Traded:
    """A load left off until dawn, and the Wh at the battery that something else may then use beyond the allowance."""

    load: str
    wh: float


def trade(ahead: Ahead, allowed: Tonight) -> Traded | None:
    """What leaving the largest load of tonight off pays for, run through the futures; no essential load, and None where
    nothing may be spent anyway or nothing is on until dawn.
    """
    rig, steps = ahead.ready.ask.rig, ahead.steps
    months = np.array([day.month for day in ahead.ready.grid.days])[ahead.ready.grid.day_of_step[steps]]
    clock = ahead.ready.grid.clock_hours[steps]
    until_dawn = np.arange(len(ahead.hours)) < ahead.dawn
    taken = [(load, uses_by_step(rig, load, clock, months, ahead.hours) * until_dawn) for load in rig.loads
             if load.priority != PRIORITIES[0]]
    load, spared = max(taken, key=lambda pair: float(pair[1].sum()), default=(None, np.zeros(0)))
    if load is None or allowed.may_spend_wh <= 0 or spared.sum() <= 0:
        return None
    high = allowed.may_spend_wh + 2 * float(spared.sum())
    most = _most(ahead, allowed.may_spend_wh, high, without=spared)
    return Traded(load.name, most - allowed.may_spend_wh)


def uses_by_step(rig: Rig, load: Load, clock: np.ndarray, months: np.ndarray, hours: np.ndarray) -> np.ndarray:
    """What a load usually takes in each step, Wh at the battery, by the steps' clock hours, months and lengths."""
    share = hours_shape(load.pattern)[clock] * hours * np.isin(months, load.months)
    return np.asarray(share * load_dc_wh(rig, load))


def _most(ahead: Ahead, low: float, high: float, without: np.ndarray | float = 0.0) -> float:
    """The most Wh more, between two bounds, that at most one in ten of the futures do not bear.

    without  Wh that are spared meanwhile in each step, (steps,)
    A future that passes the floor with so much passes it with more, and one that does not with less: so each time only
    those are run again of which it is not known.
    """
    evenly = _evenly(ahead)
    count = ahead.made.level.shape[1]
    may_fail, open_lanes, failed = int(RISKY * count), np.arange(count), 0
    fine = max(GRAIN_WH, GRAIN_SHARE * ahead.ready.standing.energy.mean)
    # Where the tenth lowest of the futures stands above the floor at its lowest is near it: sought there first.
    lowest = ahead.made.level[ahead.steps.start + 1:ahead.steps.stop + 1].min(axis=0)
    guess = float(np.partition(lowest, may_fail)[may_fail] - ahead.floor) * ahead.ready.standing.energy.mean
    near = [guess + float(np.sum(without)) + by * max(abs(guess) * NEAR, 2 * fine) for by in (-1, 1)]
    apart = ahead.ready.generator is None  # a rule starts by the level, and what is used more may start it sooner
    while high - low > fine:
        inside = [of for of in near if low < of < high]
        near = inside[1:]
        middle = inside[0] if inside else (low + high) / 2
        passed = ahead.passes(ahead.run(evenly * middle - without, open_lanes).level)
        if failed + passed.sum() > may_fail:
            high = middle
            open_lanes = open_lanes[passed] if apart else open_lanes
        else:
            low = middle
            if apart:
                failed += int(passed.sum())
                open_lanes = open_lanes[~passed]
    return low


def _evenly(ahead: Ahead) -> np.ndarray:
    """What part of an energy falls into each step when it is used evenly until dawn, (steps,)."""
    lasts = ahead.hours[:ahead.dawn].sum()
    return np.asarray(np.where(np.arange(len(ahead.hours)) < ahead.dawn, ahead.hours / lasts, 0.0))


@dataclass(frozen=True)
class Thing:
    """Something that may be run on an allowance: so long, or so many times as it usually runs.

    watts  at the battery while it runs, the inverter's idle with it where nothing else keeps that on
    hours  at the most, as long as the night at that; runs  whole runs of its usual length, None where it has none
    all_night  whether it may run until dawn
    """

    name: str
    watts: float
    hours: float
    runs: int | None
    all_night: bool


def things(rig: Rig, wh: float, night_hours: float, loads: Sequence[Load] | None = None) -> list[Thing]:
    """What of the rig's loads an allowance pays for, each alone, those that draw most first; nothing of what is always
    on, nor of what says no W.

    wh  the allowance, at the battery; night_hours  until dawn
    """
    found = []
    for load in rig.loads if loads is None else loads:
        if load.pattern == "always" or not load.running_w:
            continue
        watts = while_running(rig, load.running_w, load.side)
        run = load.run_wh / load.running_w
        hours = min(wh / watts, night_hours)
        runs = int(hours / run + 1e-9) if load.pattern[0] == "window" and run > 0 else None
        found.append(Thing(load.name, watts, hours, runs, hours >= night_hours))
    return sorted(found, key=lambda each: -each.watts)


def in_turn(rig: Rig, wh: float, night_hours: float) -> list[Thing]:
    """What an allowance pays for when one thing runs after the other, each once and for as long as it usually runs; the
    wanted before the spare, and of these what the rig lists first.

    wh  the allowance, at the battery; night_hours  until dawn
    """
    usual = {load.name: load.run_wh / load.running_w for load in rig.loads if load.running_w}
    order = {load.name: (PRIORITIES.index(load.priority), n) for n, load in enumerate(rig.loads)}
    found = []
    for each in sorted(things(rig, wh, night_hours), key=lambda of: order[of.name]):
        hours = usual[each.name]
        if 0 < hours <= night_hours and hours * each.watts <= wh:
            found.append(replace(each, hours=hours, runs=1 if each.runs is not None else None, all_night=False))
            wh, night_hours = wh - hours * each.watts, night_hours - hours
    return found


def while_running(rig: Rig, watts: float, side: str) -> float:
    """What a thing draws from the bank while it runs, W: through the inverter where it is on its AC side, with the idle
    where the inverter is not on anyway."""
    if side == "ac" and rig.inverter and (rig.inverter.hours_on_per_day >= 24 or any(
            load.side == "ac" and load.pattern == "always" for load in rig.loads)):
        return watts / rig.inverter.efficiency
    return dc_power(rig, watts, side)


@dataclass(frozen=True)
class Answer:
    """Whether something may run: for so many hours at the most of those that were asked, and why not longer.

    watts, wh  at the battery, for all of the hours asked
    code  "yes", "shorter", "no", or "over_inverter" where it is more than the inverter gives
    """

    code: str
    watts: float
    wh: float
    hours: float


def may_run(rig: Rig, allowed_wh: float, watts: float, side: str, hours: float) -> Answer:
    """Whether a thing of so many W may run so long on an allowance, Wh at the battery."""
    if side == "ac" and rig.inverter and rig.inverter.continuous_w and watts > rig.inverter.continuous_w:
        return Answer("over_inverter", 0.0, 0.0, 0.0)
    drawn = while_running(rig, watts, side)
    lasts = allowed_wh / drawn if drawn > 0 else hours
    code = "yes" if lasts >= hours - 1e-9 else "shorter" if lasts >= 1 / 12 else "no"
    return Answer(code, drawn, drawn * hours, hours if code == "yes" else lasts if code == "shorter" else 0.0)
