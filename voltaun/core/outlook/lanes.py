"""Some of the futures from now on, run with something done beside what stands, and what of it could be helped."""

from dataclasses import dataclass, replace

import numpy as np

from voltaun.core.outlook.prepare import Prepared
from voltaun.core.outlook.simulate import LEVEL_GRAIN, Futures, simulate
from voltaun.core.stats import quantiles

RISKY = 0.1
"""From this chance of going below the everyday floor on, something is asked for."""

LOST = 0.5
"""A period in which so many futures lie below the floor whatever is run is lost for the everyday floor."""


@dataclass(frozen=True)
class Span:
    """The steps that are looked at: which of the grid's, their bounds, epoch seconds, (steps + 1,), their length in
    hours, (steps,), the day of each, (steps,), and its periods, a day each from now on."""

    steps: slice
    bounds: np.ndarray
    hours: np.ndarray
    day_of_step: np.ndarray
    periods: tuple[slice, ...]

    @property
    def count(self) -> int:
        """How many steps there are."""
        return len(self.hours)

    def step_of(self, begins: np.ndarray) -> np.ndarray:
        """The step in which each instant lies, epoch seconds; before the first the first."""
        return np.clip(np.searchsorted(self.bounds, begins, side="right") - 1, 0, self.count - 1)


@dataclass(frozen=True)
class Done:
    """What is done beside what stands: Wh more that come in each step, (steps,), and load that is left, as a factor of
    the use, (steps,), and Wh less in each step, (steps,)."""

    more: np.ndarray
    factor: np.ndarray
    less: np.ndarray

    @classmethod
    def nothing(cls, steps: int) -> "Done":
        return cls(np.zeros(steps), np.ones(steps), np.zeros(steps))

    def and_also(self, other: "Done") -> "Done":
        return Done(self.more + other.more, self.factor * other.factor, self.less + other.less)


@dataclass(frozen=True)
class Came:
    """What came of it: levels (fractions, (steps + 1, lanes)), and Wh that were missing, (steps, lanes)."""

    level: np.ndarray
    missing: np.ndarray


class Lanes:
    """Some of the futures from now on: run with something done beside what stands.

    Only those are run again in which something is wrong as things stand, the others count as well: what comes more or
    is used less harms none. Where a rule starts the generator by the level that is not so, and all of them are run.
    """

    def __init__(self, ready: Prepared, span: Span, made: Futures, which: np.ndarray):
        steps = span.steps
        self.ready, self.span, self.total = ready, span, len(which)
        self.floor = ready.ask.rig.bank.everyday_floor
        self.generator = ready.generator and replace(ready.generator, allowed=ready.generator.allowed[steps])
        if not self.generator:
            everyone = np.broadcast_to(ready.energy, made.level.shape[1:])
            lies_below = np.asarray((made.level[steps.start:steps.stop + 1] < self.floor - LEVEL_GRAIN).any(axis=0))
            wrong = lies_below | np.asarray((made.missing[steps] > LEVEL_GRAIN * everyone).any(axis=0))
            which = which[wrong[which]]
        self.level0 = made.level[steps.start][which]
        self.energy = np.broadcast_to(ready.energy, made.level.shape[1:])[which]
        self.harvest = ready.harvest[steps][:, which]
        self.load = ready.load[steps][:, which]
        unseen = ready.unseen[which] / 24 * span.hours[:, None]
        self.use = np.maximum(self.load - unseen.astype(self.load.dtype), 0.0)
        self.as_it_stands = Came(made.level[steps.start:steps.stop + 1][:, which], made.missing[steps][:, which])
        self.chance = self.chance_of(self.as_it_stands)
        self.best = self.as_it_stands
        self._helpable = np.ones(1, dtype=bool)
        self._served = np.ones(1, dtype=bool)

    def run(self, done: Done) -> Came:
        """The levels with this done."""
        return self.again(self.as_it_stands, done, 0, self.span.count)

    def again(self, came: Came, done: Done, since: int, until: int) -> Came:
        """The same from one step to another with this done, the rest as it was."""
        if since >= until:
            return came
        steps = slice(since, until)
        kind = self.harvest.dtype
        harvest, load = self.harvest[steps], self.load[steps]
        if done.more[steps].any():
            harvest = harvest + done.more[steps, None].astype(kind)
        if (done.factor != 1).any() or done.less.any():
            spared = self.use[steps] * (1 - done.factor[steps, None]).astype(kind)
            load = load - spared - done.less[steps, None].astype(kind)
            np.maximum(load, 0, out=load)
        # As in a prepared outlook: what runs by plan is not started once more by the rule.
        idle = done.more[steps] <= 0
        rule = self.generator and replace(self.generator, allowed=self.generator.allowed[steps] & idle)
        made = simulate(self.ready.ask.rig, self.energy, came.level[since], harvest, load, self.span.hours[steps],
                        self.ready.standing.temp_c, rule)
        level, missing = came.level.copy(), came.missing.copy()
        level[since:until + 1], missing[steps] = made.level, made.missing
        return Came(level, missing)

    def see_what_helps(self, best: Done) -> None:
        """Keep what all ways together could not help: days on which the level lies below even so, and load that is not
        served even so."""
        self.best = self.run(best)
        lies_below = self.below(self.best)
        days = self.span.day_of_step
        by_day = np.array([lies_below[days == day].any(axis=0) for day in range(days.max() + 1)])
        self._helpable = ~by_day[days]
        self._served = ~self.short(self.best)

    def share(self, lanes: np.ndarray) -> np.ndarray:
        """In what share of all futures something is so; lanes  in which of those that are run, (..., lanes)."""
        return np.asarray(lanes.sum(axis=-1) / self.total)

    def exceeded(self, values: np.ndarray, share: float) -> float:
        """What is exceeded in this share of all futures; values  in those that are run, (lanes,), 0 in the others."""
        return float(quantiles(np.append(values, np.zeros(self.total - len(values))), (1 - share,))[0])

    def below(self, came: Came) -> np.ndarray:
        """Whether the level ends each step below the everyday floor, (steps, lanes)."""
        return np.asarray(came.level[1:] < self.floor - LEVEL_GRAIN)

    def short(self, came: Came) -> np.ndarray:
        """Whether something was missing in each step, (steps, lanes)."""
        return np.asarray(came.missing > LEVEL_GRAIN * self.energy)

    def bad(self, came: Came) -> np.ndarray:
        """What happened in each step that could be helped, (steps, lanes)."""
        return np.asarray(self.below(came) & self._helpable | self.short(came) & self._served)

    def risk(self, came: Came, period: slice, had: np.ndarray) -> np.ndarray:
        """The chance that something happened that could be helped from a period's begin until the end of each of its
        steps, or before it, (steps,); had  in which lanes it did before, (lanes,)."""
        return self.share(np.maximum.accumulate(self.bad(came)[period], axis=0) | had)

    def enough(self, came: Came, most: float = RISKY) -> bool:
        """Whether no more is risked than this; a period that is lost whatever is run is left out."""
        bad = self.bad(came)
        kept = [bad[period].any(axis=0) for period in self.span.periods if not self.lost(period)]
        return not kept or bool(self.share(np.asarray(np.any(kept, axis=0))) <= most)

    def chance_of(self, came: Came) -> float:
        """The chance of going below the floor at some time."""
        return float(self.share(np.asarray(self.below(came).any(axis=0))))

    def lost(self, period: slice) -> bool:
        """Whether in this period the level lies below the floor whatever is run."""
        return bool(self.share(np.asarray(self.below(self.best)[period].any(axis=0))) > LOST)

    def lack(self, came: Came, steps: slice) -> np.ndarray:
        """What each lane lacked at the most in these steps, and what was missing, Wh, (lanes,)."""
        level = came.level[1:][steps]
        short = np.where(self._helpable[steps], self.floor - level, 0.0).max(axis=0) * self.energy
        return np.asarray(np.maximum(short, 0.0) + (came.missing[steps] * self._served[steps]).sum(axis=0))
