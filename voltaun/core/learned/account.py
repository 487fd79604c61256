"""A log reckoned: its intervals, what they teach, and the sun that was spilt."""

from collections.abc import Iterable
from dataclasses import dataclass

from voltaun.core.learned.capacity_fit import Estimate, Held, held
from voltaun.core.learned.share import ShareLearned, share_of, with_spilt
from voltaun.core.learned.use import UseLearned, day_legs, use_of
from voltaun.core.log.between import with_full_between
from voltaun.core.log.ledger import Interval, Reading, intervals
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun


@dataclass(frozen=True)
class Learned:
    """All that the log taught. `use` is None when no interval tells it, `held` with too few that were read whole."""

    use: UseLearned | None
    share: ShareLearned
    held: Held | None = None

    @property
    def hidden_draw_w(self) -> Estimate | None:
        """The steady unexplained draw, W."""
        return self.held.hidden_w if self.held else None

    @property
    def effective_energy_wh(self) -> Estimate | None:
        """What the bank holds by the log, Wh."""
        return self.held.energy_wh if self.held else None

    @property
    def steady_draw_w(self) -> float:
        """Hidden draw to reckon with, W: the estimate when it is clearly more than nothing, otherwise 0."""
        draw = self.hidden_draw_w
        return draw.estimate if draw and draw.low > 0 else 0.0


@dataclass(frozen=True)
class Account:
    """A log reckoned: its intervals with what was spilt, and what they teach."""

    intervals: list[Interval]
    learned: Learned


def reckon(rig: Rig, readings: Iterable[Reading], sun: RigSun | None) -> Account:
    """Reckon a log: intervals (see `ledger.intervals`), what they teach, and the sun spilt on capped days."""
    made = with_full_between(rig, intervals(rig, readings, sun), sun)
    learned = learn(rig, made)
    return Account([with_spilt(interval, learned.share) for interval in made], learned)


def learn(rig: Rig, made: list[Interval]) -> Learned:
    """What a rig's intervals teach."""
    legs = day_legs(made)
    return Learned(use_of(legs), share_of(legs), held(rig, made, effective_energy(rig).wh))
