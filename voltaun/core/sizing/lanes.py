"""Options as the run sees them: what each adds and changes, by the hour."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np


@dataclass(frozen=True)
class Lane:
    """One option as the run sees it; arrays hold each hour of a weather year.

    added_w       W more at the first of the years' spots; strings  more of the bank's own
    beside_w      W more at the second spot
    second_wh     what a second bank, of another kind, holds beside it as printed, Wh
    more_wh       what it changes of the use (below 0 saves), Wh; use_share  what part of the use there is
    saved_low     (level, Wh in each hour): saved only while the level is below that fraction
    brought_w     what is started by hand by plan, W at the terminals
    rule          (start, stop, W): a generator that is started at one level and run to another (fractions)
    controller_w  what the controller of the added panels passes instead, W
    sun           which of the years' other suns shines on the arrays instead of the first
    """

    added_w: float = 0.0
    strings: int = 0
    beside_w: float = 0.0
    second_wh: float = 0.0
    more_wh: np.ndarray | None = None
    use_share: np.ndarray | None = None
    saved_low: tuple[float, np.ndarray] | None = None
    brought_w: np.ndarray | None = None
    rule: tuple[float, float, float] | None = None
    controller_w: float | None = None
    sun: int | None = None

    @property
    def only_adds(self) -> bool:
        """Whether it is panels and strings more and nothing else."""
        return not self.second_wh and all(value is None for value in (
            self.more_wh, self.use_share, self.saved_low, self.brought_w, self.rule, self.controller_w, self.sun))

    @property
    def shares_rows(self) -> bool:
        """Whether it is panels and strings more, and a use that others have too: no hours of its own."""
        return all(value is None for value in (self.saved_low, self.brought_w, self.rule, self.controller_w, self.sun))

    @property
    def use_key(self) -> tuple[int, int]:
        """What its use is told from others' by: options that share what they change of it run side by side."""
        return (id(self.more_wh) if self.more_wh is not None else 0,
                id(self.use_share) if self.use_share is not None else 0)

    @property
    def changes(self) -> bool:
        """Whether it is anything but the rig as it stands."""
        return not self.only_adds or self.added_w > 0 or self.beside_w > 0 or self.strings > 0

    @property
    def by_level(self) -> bool:
        """Whether anything of it follows from the level."""
        return self.rule is not None or self.saved_low is not None


def lane_since(lane: Lane, hour: int) -> Lane:
    """The option from an hour on."""
    return on_hours(lane, lambda hours: hours[hour:])


def on_hours(lane: Lane, of: Callable[[np.ndarray], np.ndarray]) -> Lane:
    """The option with what it has of each hour laid otherwise."""
    changed: dict[str, Any] = {name: of(value) for name in ("more_wh", "use_share", "brought_w")
               if (value := getattr(lane, name)) is not None}
    if lane.saved_low:
        changed["saved_low"] = (lane.saved_low[0], of(lane.saved_low[1]))
    return replace(lane, **changed)
