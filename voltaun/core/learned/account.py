"""A log reckoned: its intervals, what they teach, and the sun that was spilt."""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from voltaun.core.instants import day_start
from voltaun.core.learned.capacity_fit import NINE_IN_TEN, Estimate, Held, held
from voltaun.core.learned.change_points import Draw, draws
from voltaun.core.learned.hours import first_use
from voltaun.core.learned.left_over import Usual, usual_left
from voltaun.core.learned.share import ShareLearned, share_of, with_spilt
from voltaun.core.learned.use import UseLearned, as_listed_now, day_legs, use_of
from voltaun.core.log.between import with_full_between
from voltaun.core.log.ledger import Interval, intervals
from voltaun.core.log.reading import Reading
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun


@dataclass(frozen=True)
class Learned:
    """All that the log taught. `use` is None when no interval tells it, `held` with too few that were read whole.

    draws  stretches in which something else left the bank unexplained than in the rest of the log
    left   what its intervals usually leave over, by kind
    other_bank  what the bank holds where it is another one than the rig says, as a step in it shows, Wh
    """

    use: UseLearned | None
    share: ShareLearned
    held: Held | None = None
    draws: tuple[Draw, ...] = ()
    left: Mapping[str, Usual] = field(default_factory=dict)
    other_bank: Estimate | None = None

    @property
    def hidden_draw_w(self) -> Estimate | None:
        """What leaves the bank unexplained now, W: what does all along, and in full whatever began since and still
        runs; what has ended is no part of it."""
        if self.held is None:
            return None
        steady, running = self.held.hidden_w, [draw for draw in self.draws if draw.until is None]
        if not running:
            return steady
        estimate = steady.estimate + sum(draw.watts for draw in running)
        wide = NINE_IN_TEN * math.hypot(steady.sd, *(draw.error_w for draw in running))
        return Estimate(estimate, estimate - wide, estimate + wide)

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
    legs, energy = day_legs(made), effective_energy(rig).wh
    use = use_of(as_listed_now(rig, legs)) or first_use(rig, made, energy)
    if rig.bank.from_day is not None:  # what the bank before it held says nothing of this one
        begun = day_start(rig.bank.from_day, rig.zone)
        made = [interval for interval in made if interval.start >= begun]
    found = held(rig, made, energy)
    if found is None:
        return Learned(use, share_of(legs), left=usual_left(made, use, energy))
    shown = found.energy_wh.estimate if found.energy_wh else None
    stood_out = draws(made, energy, rig.bank.hard_floor, shown)
    if stood_out:  # what all of the log shows is then what it shows beside them
        found = held(rig, made, energy, known_wh={interval.end: sum(draw.wh_in(interval) for draw in stood_out)
                                                  for interval in made}) or found
    return Learned(use, share_of(legs), found, tuple(stood_out), usual_left(made, use, shown or energy))
