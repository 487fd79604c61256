"""The hourly step: many futures of one bank at once, with every watt-hour accounted for.

    net = harvest − load − standby
    net ≥ 0: into the bank min(net, acceptance) × η, limited by room; the rest is spilt
    net < 0: out of the bank; at the hard floor the load goes unserved and is counted

A generator that is run by a rule starts and stops by each future's own level, and its energy joins the harvest.
"""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from voltaun.core.rig.bank import charge_limit, takes_charge
from voltaun.core.rig.rig import Rig

LEVEL_GRAIN = 1e-5
"""A level this little below a floor is at it: rounding, not a lack."""

_BY_STEP = ("harvest", "load", "standby", "taken", "spilt", "missing")


@dataclass(frozen=True)
class Futures:
    """What happened, hour by hour: shapes (steps, futures), Wh; `level` (steps + 1, futures), a fraction.

    In every step and future: harvest = used + stored + lost + spilt.
    """

    level: np.ndarray
    harvest: np.ndarray
    load: np.ndarray
    standby: np.ndarray  # (steps, 1) or (steps, futures)
    taken: np.ndarray    # of the surplus, into the bank's terminals
    spilt: np.ndarray    # of the surplus, what the bank did not take
    missing: np.ndarray  # what load and standby wanted and the bank at its hard floor did not give
    charge_efficiency: float
    energy: np.ndarray   # of the bank, (1,) or (futures,)
    generated: np.ndarray | None = None  # of the harvest, what a generator run by a rule brought

    def part(self, steps: slice) -> "Futures":
        """Some of the steps, as views."""
        return replace(self, level=self.level[steps.start:steps.stop + 1],
                       generated=None if self.generated is None else self.generated[steps],
                       **{name: getattr(self, name)[steps] for name in _BY_STEP})

    def columns(self, which: slice) -> "Futures":
        """Some of the futures, as views."""
        def cut(values: np.ndarray) -> np.ndarray:
            return values if values.shape[-1] == 1 else values[..., which]
        parts: dict[str, Any] = {name: cut(getattr(self, name)) for name in _BY_STEP}
        return replace(self, level=self.level[:, which], energy=cut(self.energy),
                       generated=None if self.generated is None else cut(self.generated), **parts)

    @property
    def unserved(self) -> np.ndarray:
        """Load that was not served, Wh."""
        return np.asarray(np.minimum(self.missing, self.load))

    @property
    def used(self) -> np.ndarray:
        """Load that was served, Wh."""
        return np.asarray(self.load - self.unserved)

    @property
    def stored(self) -> np.ndarray:
        """Change of the bank's energy, Wh."""
        return np.asarray(np.diff(self.level, axis=0) * self.energy)

    @property
    def lost(self) -> np.ndarray:
        """Lost in charging, and standby, Wh."""
        return np.asarray(self.taken * (1 - self.charge_efficiency) + self.standby - (self.missing - self.unserved))


@dataclass(frozen=True)
class Started:
    """A generator by a rule: it starts at one level, runs to another, gives W, where it may, for so many hours."""

    start: float
    stop: float
    watts: float
    allowed: np.ndarray  # (steps,)
    most_hours: float = float("inf")


def simulate(rig: Rig, energy: ArrayLike, start_level: ArrayLike, harvest: np.ndarray, load: np.ndarray,
             hours: np.ndarray, temp_c: float | None = None, generator: Started | None = None) -> Futures:
    """Run all futures through the hours.

    energy       effective energy at the bank's temperature, Wh, a number or shape (futures,)
    start_level  fraction, a number or shape (futures,)
    harvest, load  Wh in each step, shape (steps, futures)
    hours        length of each step, shape (steps,), or (steps, futures) where they differ
    temp_c       the bank's temperature; lithium below 0 °C takes no charge
    generator    one that starts and stops by the level
    The precision is that of harvest and load.
    """
    steps, count = harvest.shape
    wide = (hours[:, None] if hours.ndim == 1 else hours).astype(harvest.dtype)
    standby = rig.bank.standby_w * wide
    limits = charge_limit(rig) * takes_charge(rig.chemistry, temp_c) * wide
    # Large arrays cost more than sums here: what is left of surplus and shortage is kept where they stood.
    spilt = harvest - load
    spilt -= standby
    missing = np.maximum(-spilt, 0)
    np.maximum(spilt, 0, out=spilt)
    level, taken = np.empty((steps + 1, count), spilt.dtype), np.empty_like(spilt)
    level[0] = start_level
    bank = BankStep(rig, energy, (count,), spilt.dtype)
    level[0] *= bank.energy
    rule = None if generator is None else _Rule(generator, hours, bank.energy, spilt)
    other = [True, *(np.diff(limits, axis=0) != 0).any(axis=1).tolist()]
    before = 1 / bank.efficiency
    for n in range(steps):
        if rule:
            rule.step(n, level[n], spilt, missing)
        if other[n]:
            accepts = bank.acceptance(limits[n])
        spilt[n] *= bank.efficiency
        bank.take(level[n], spilt[n], missing[n], accepts, taken[n], spilt[n], missing[n], level[n + 1])
        # While they are at hand: what is in the bank becomes a level, and what came what it was before charging.
        level[n] /= bank.energy
        taken[n] *= before
        spilt[n] *= before
    level[steps] /= bank.energy
    return Futures(level, harvest if rule is None else harvest + rule.given, load, standby, taken, spilt, missing,
                   rig.bank.charge_efficiency, bank.energy, None if rule is None else rule.given)


class BankStep:
    """One hour, or part of one, for many banks at once. Every simulation here uses it; it works in place.

    energy  effective energy at the bank's temperature, Wh: one number, or one for each lane
    All figures are Wh as the bank holds them: what comes in counts after the losses of charging (`efficiency`).
    """

    def __init__(self, rig: Rig, energy: ArrayLike, lanes: tuple[int, ...], dtype: Any):
        taper = rig.chemistry.taper_soc
        self.efficiency = np.dtype(dtype).type(rig.bank.charge_efficiency)
        self.energy, self._lanes = np.atleast_1d(np.asarray(energy, dtype)), lanes
        self._slope = 0.98 / (1 - taper)
        self._begins = 1 + self._slope * taper
        # NumPy's minimum and maximum are twice as fast between two arrays as between an array and a number.
        self._full, self._hard = self._row(self.energy), self._row(self.energy * rig.bank.hard_floor)
        self.nought, self._out = np.zeros(lanes, dtype), np.empty(lanes, dtype)

    def _row(self, value: np.ndarray) -> np.ndarray:
        return np.broadcast_to(value, self._lanes).astype(self.energy.dtype)

    def acceptance(self, limit: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """How the bank accepts charge, as `take` needs it; `limit` is the most Wh that it accepts in a step.

        Up to the taper it accepts the whole limit, then linearly less, to 0.02 of it at 100 %. Returned are the limit,
        that line's value at 0 Wh, and how much it falls for each Wh held.
        """
        most = limit * self.efficiency
        return self._row(most), self._row(most * self._begins), self._row(most * self._slope / self.energy)

    def take(self, now: np.ndarray, surplus: np.ndarray, shortage: np.ndarray,
             accepts: tuple[np.ndarray, np.ndarray, np.ndarray], into: np.ndarray, spilt: np.ndarray,
             missing: np.ndarray | None, after: np.ndarray) -> None:
        """Charge or discharge every bank for one step.

        now, after         Wh held before the step; filled with the Wh held after it
        surplus, shortage  Wh left over (after charging losses) and Wh short: one for each lane, or one for all
        accepts            what `acceptance` returned
        into, spilt        filled with the Wh that went in, and those that did not fit
        missing            filled with the Wh that a bank at its hard floor could not give, where it is asked for
        """
        most, line, fall = accepts
        np.multiply(now, fall, out=into)
        np.subtract(line, into, out=into)
        np.minimum(into, most, out=into)
        room = self._out
        np.subtract(self._full, now, out=room)
        np.minimum(into, room, out=into)
        np.minimum(into, surplus, out=into)
        np.subtract(surplus, into, out=spilt)
        self.give(now, shortage, missing, after)
        after += into

    def give(self, now: np.ndarray, wanted: np.ndarray, missing: np.ndarray | None, after: np.ndarray) -> None:
        """Discharge every bank for one step in which nothing comes in.

        now, after  Wh held before the step; filled with the Wh held after it
        wanted      Wh asked for: one for each lane, or one for all
        missing     filled with the Wh that a bank at its hard floor could not give, where it is asked for
        """
        out = self._out
        if missing is None:  # two sums fewer; see `missing_of`
            np.minimum(now, self._hard, out=out)
            np.subtract(now, wanted, out=after)
            np.maximum(after, out, out=after)
            return
        np.subtract(now, self._hard, out=out)
        np.maximum(out, self.nought, out=out)
        np.minimum(out, wanted, out=out)
        np.subtract(wanted, out, out=missing)
        np.subtract(now, out, out=after)

    def missing_of(self, now: np.ndarray, wanted: np.ndarray, least: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The lanes that ever came to their hard floor, and what was missing there in each step, Wh, (steps, those).

        now, wanted  Wh held before each step and asked for in it, (steps, lanes); least  ever held after one, (lanes,)
        """
        lanes = np.flatnonzero(least <= self._hard)
        held = np.maximum(now[:, lanes] - self._hard[lanes], 0)
        return lanes, np.maximum(wanted[:, lanes] - held, 0)


class _Rule:
    """The generator's state in each future: whether it runs, and the hours it has fuel for."""

    def __init__(self, generator: Started, hours: np.ndarray, energy: np.ndarray, like: np.ndarray):
        self.of, self.hours = generator, hours
        self.start, self.stop = generator.start * energy, generator.stop * energy
        self.running = np.zeros(like.shape[1], dtype=bool)
        self.left = np.full(like.shape[1], generator.most_hours)
        self.given = np.zeros_like(like)

    def step(self, n: int, held: np.ndarray, surplus: np.ndarray, shortage: np.ndarray) -> None:
        """Decide for step n, and put what it gives against the shortage first, then to the surplus."""
        of = self.of
        self.running = (held < self.start) | (self.running & (held < self.stop))
        if not of.allowed[n]:
            return
        lasts = np.where(self.running, np.minimum(self.hours[n], self.left), 0.0)
        self.left -= lasts
        given = (lasts * of.watts).astype(surplus.dtype)
        self.given[n] = given
        covered = np.minimum(given, shortage[n])
        shortage[n] -= covered
        surplus[n] += given - covered
