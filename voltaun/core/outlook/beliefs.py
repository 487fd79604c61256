"""What is believed of the bank besides the sky and the use: its level, what it holds, what draws unseen.

None of them is known exactly, and each future of an outlook has its own.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from voltaun.core.learned.account import Learned
from voltaun.core.log.grain import level_grain, rounding
from voltaun.core.log.ledger import Interval
from voltaun.core.rig.bank import ENERGY_TRUST, FULL_SOC, cold_factor, effective_energy
from voltaun.core.rig.rig import Rig

LEVEL_DOUBT = {"shunt": 0.005, "display": 0.005, "volts": 0.08}
"""How far a level is off by where its percent comes from (standard deviation, a fraction)."""

SHUNT_DRIFT, MOST_DRIFT = 0.001, 0.02
"""How far a shunt's count drifts in a day until the bank is full again, and at the most (standard deviation)."""

DRAW_DOUBT = 0.25
"""How large a draw nobody sees is believed to be before the log tells, in parts of the use (standard deviation)."""

BOOKS_OFF = 0.05
"""So much of the use at the most the books may have too much leave the bank."""


@dataclass(frozen=True)
class Belief:
    """A figure that is not exactly known, as a normal distribution."""

    mean: float
    sd: float

    def with_evidence(self, mean: float, sd: float) -> "Belief":
        """The belief and what was found, each weighed by how well it is known."""
        if sd <= 0 or self.sd <= 0:
            return Belief(mean, 0.0) if sd <= 0 else self
        ours, theirs = self.sd ** -2, sd ** -2
        return Belief((self.mean * ours + mean * theirs) / (ours + theirs), (ours + theirs) ** -0.5)

    def draw(self, standard: np.ndarray) -> np.ndarray:
        """So many of it, from standard normal numbers."""
        return np.asarray(self.mean + self.sd * standard)


def level_doubt(rig: Rig, made: Sequence[Interval]) -> float:
    """How far the last level of these intervals is off, a fraction (standard deviation): its source's doubt, the grain
    that the log shows, and for a shunt what it has drifted since the bank was last seen full."""
    drift = min(SHUNT_DRIFT * _days_since_full(made), MOST_DRIFT) if rig.soc_from == "shunt" else 0.0
    grain = rounding(level_grain(interval.soc_end for interval in made))
    return float(np.sqrt(LEVEL_DOUBT[rig.soc_from] ** 2 + grain ** 2 + drift ** 2))


def _days_since_full(made: Sequence[Interval]) -> float:
    """Days from the last interval in which the bank was seen full to the last one; from the first while none was."""
    days = 0.0
    for interval in reversed(made):
        if interval.capped or (interval.soc_end or 0.0) >= FULL_SOC:
            break
        days += interval.hours / 24
    return days


def bank_energy(rig: Rig, learned: Learned | None, temp_c: float | None) -> Belief:
    """Energy from full to empty at this bank temperature, Wh: the figure in force and what the log shows, each by how
    well it is known."""
    in_force = effective_energy(rig)
    belief = Belief(in_force.wh, ENERGY_TRUST[in_force.basis] * in_force.wh)
    shown = learned.effective_energy_wh if learned else None
    if learned and learned.other_bank:
        shown = shown or learned.other_bank
        belief = Belief(shown.estimate, shown.sd)
    elif shown:
        belief = belief.with_evidence(shown.estimate, shown.sd)
    cold = cold_factor(rig.chemistry, temp_c)
    return Belief(belief.mean * cold, belief.sd * cold)


def contradicted(rig: Rig, learned: Learned | None) -> bool:
    """Whether the log shows that the bank does not hold what is in force: nine chances in ten it is something else."""
    shown = learned.effective_energy_wh if learned else None
    return shown is not None and not shown.low <= effective_energy(rig).wh <= shown.high


def unseen_draws(learned: Learned | None, standard: np.ndarray) -> np.ndarray:
    """What draws unseen beside the logged use in each future, Wh a day, from standard normal numbers.

    A little less than nothing is what the books take for lost and is not: a level goes on by that just as well. More
    than that is a source nobody notes, and not to be counted on. Where the use was reckoned it holds the draw already.
    """
    if learned is None or learned.use is None or learned.hidden_draw_w is None:
        return np.zeros_like(standard)
    shown, use = learned.hidden_draw_w, learned.use
    belief = Belief(0.0, DRAW_DOUBT * use.mean).with_evidence(shown.estimate * 24, shown.sd * 24)
    return np.asarray(np.maximum(belief.draw(standard), -BOOKS_OFF * use.mean) * use.read_share)
