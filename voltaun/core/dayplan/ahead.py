"""The hours ahead that a plan looks at, cut out of an outlook's futures, and what becomes of them with something more
or less used."""

from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from voltaun.core.instants import at_clock
from voltaun.core.outlook.advice import advised_steps
from voltaun.core.outlook.outlook import dawn_and_dusk
from voltaun.core.outlook.prepare import Prepared
from voltaun.core.outlook.simulate import LEVEL_GRAIN, Futures, simulate

MORNING = 6
"""The clock hour that stands for dawn where there is no sun to make one."""


@dataclass(frozen=True)
class Ahead:
    """What is left of today and the three days after it, as the advice looks at them: what is allowed tonight must hold
    for so long.

    ready, made  the question made ready, and its futures; steps  those of these days; dawn  how many of them lie
    before the next dawn; floor  the everyday floor
    """

    ready: Prepared
    made: Futures
    steps: slice
    dawn: int
    floor: float

    @classmethod
    def of(cls, ready: Prepared, made: Futures) -> "Ahead":
        """Cut these days out of an outlook."""
        steps = advised_steps(ready)
        return cls(ready, made, steps, _steps_to_dawn(ready, steps), ready.ask.rig.bank.everyday_floor)

    @property
    def hours(self) -> np.ndarray:
        """The length of each step, h."""
        return self.ready.grid.hours[self.steps]

    @property
    def bounds(self) -> np.ndarray:
        """The instants between the steps, epoch seconds, (steps + 1,)."""
        return self.ready.grid.bounds[self.steps.start:self.steps.stop + 1]

    @property
    def until_dawn(self) -> datetime:
        """The next dawn."""
        return datetime.fromtimestamp(float(self.bounds[self.dawn]), UTC)

    def run(self, more: np.ndarray, lanes: np.ndarray | slice = slice(None), until: int | None = None) -> Futures:
        """The same futures with so many Wh more used in each step, (steps,) or (steps, lanes); below 0 spared, or put
        in.

        lanes  which of the futures; until  how many of the steps
        """
        begin, rig, ready = self.steps.start, self.ready.ask.rig, self.ready
        end = self.steps.stop if until is None else begin + until
        steps = slice(begin, end)
        rule = ready.generator and replace(ready.generator, allowed=ready.generator.allowed[steps])
        load = ready.load[steps][:, lanes]
        load = load + (more if more.ndim == 2 else more[:, None])[:end - begin].astype(load.dtype)
        energy = np.broadcast_to(ready.energy, self.made.level.shape[1:])[lanes]
        return simulate(rig, energy, self.made.level[begin][lanes], ready.harvest[steps][:, lanes], load,
                        ready.grid.hours[steps], ready.standing.temp_c, rule)

    def passes(self, level: np.ndarray) -> np.ndarray:
        """Which lanes pass the everyday floor at some time; level  (steps + 1, lanes)."""
        return np.asarray((level[1:] < self.floor - LEVEL_GRAIN).any(axis=0))

    @property
    def chance(self) -> float:
        """Of passing the everyday floor within these days as things stand."""
        return float(self.passes(self.made.level[self.steps.start:self.steps.stop + 1]).mean())

    def overlap(self, begin: float, end: float) -> np.ndarray:
        """What part of each step lies between two instants, epoch seconds, as hours, (steps,)."""
        bounds = self.bounds
        inside = np.minimum(bounds[1:], end) - np.maximum(bounds[:-1], begin)
        return np.asarray(np.clip(inside, 0.0, None) / 3600)


def _steps_to_dawn(ready: Prepared, steps: slice) -> int:
    """How many steps lie before the next dawn: the first sun of the coming local day, or six o'clock."""
    grid, zone = ready.grid, ready.ask.rig.zone
    tomorrow = local_tomorrow(ready)
    n = grid.days.index(tomorrow) if tomorrow in grid.days else len(grid.days) - 1
    inside = grid.steps_of(n)
    if inside.start >= inside.stop:
        return int(steps.stop - steps.start)
    sun = ready.harvest[inside] - ready.not_sun(inside)
    first, _ = dawn_and_dusk(sun, grid.clock_hours[inside])
    if not (sun > 1e-3).any():
        six = at_clock(tomorrow, MORNING, zone).timestamp()
        first = int(np.searchsorted(grid.bounds[inside], six))
    return int(max(1, min(inside.start + first, steps.stop) - steps.start))


def local_tomorrow(ready: Prepared) -> date:
    """The local day whose dawn comes next: of the small hours it is their own."""
    at = ready.ask.as_of.astimezone(ready.ask.rig.zone)
    return at.date() if at.hour < MORNING - 2 else at.date() + timedelta(days=1)
