"""The worksheet in words."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from voltaun.words.sentences import draw, logged
from voltaun.words.units import show_energy

if TYPE_CHECKING:
    from voltaun.core.learned.account import Learned
    from voltaun.core.sizing.worksheet import Option, Worksheet

_PARTS = {"units": ("battery", "batteries"), "panels": ("panel", "panels"), "inverter_w": ("W of inverter",) * 2}


def adds(missing: Sequence[Option]) -> str:
    """What is to be added: `4 batteries, 2 panels and 500 W of inverter`."""
    told = [f"{of.add:g} {_PARTS[of.part][of.add != 1]}" for of in missing]
    return " and ".join(filter(None, (", ".join(told[:-1]), *told[-1:])))


def use(sheet: Worksheet, learned: Learned, given: float | None) -> str:
    """What is used a day, and where that comes from: nothing of where for what was given."""
    told = f"{show_energy(sheet.inputs.use_wh_per_day)} a day at the battery"
    if given:
        return told
    if learned.use is None:
        return f"{told}, from the list of loads"
    unseen = f" and {draw(learned.steady_draw_w)}" if learned.steady_draw_w else ""
    return f"{told}, from {logged(learned.use.intervals, learned.use.hours)}, with standby{unseen}"
