"""An option tried on: the rig as if it stood there, for an outlook from today's level."""

from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

from voltaun.core.learned.capacity_fit import Estimate
from voltaun.core.outlook.ask import Known
from voltaun.core.rig.parts import SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.banks import string_energy
from voltaun.core.sizing.suns import Spot, with_a_first_panel


class Added(NamedTuple):
    """So many panels more, W of one (None for one like those of the array there), and where they come to."""

    panels: int
    panel_w: float | None = None
    spot: Spot = Spot()


def with_added(rig: Rig, added: Sequence[Added], strings: int) -> Rig:
    """The rig with panels more, and strings (packs) more of the bank's own.

    What a test or the log says of the bank grows by what the new ones hold as printed.
    """
    bank, more_wh = rig.bank, strings * string_energy(rig)
    grown = (bank.parallel + strings) / bank.parallel
    bank = replace(bank, parallel=bank.parallel + strings,
                   rated_energy_wh=None if bank.rated_energy_wh is None else bank.rated_energy_wh * grown,
                   pack_wh=tuple(wh * grown for wh in bank.pack_wh),
                   tested_energy_wh=None if bank.tested_energy_wh is None else bank.tested_energy_wh + more_wh,
                   logged_energy_wh=None if bank.logged_energy_wh is None else bank.logged_energy_wh + more_wh,
                   charge_limit_w=None if bank.charge_limit_w is None else bank.charge_limit_w * grown)
    added = [of for of in added if of.panels]
    arrays = rig.arrays or (with_a_first_panel(rig).arrays if added else ())
    for of in added:
        arrays = _grown(arrays, of)
    return replace(rig, bank=bank, arrays=arrays)


def _grown(arrays: tuple[SolarArray, ...], added: Added) -> tuple[SolarArray, ...]:
    n = added.spot.added_to or 0
    of = arrays[n]
    panel_w = added.panel_w or of.panel_w
    if added.spot.own is not None:
        return (*arrays, replace(added.spot.own, panels=added.panels, panel_w=panel_w))
    # Those of another W share the plane and the controller: the array is told by its mean panel.
    rated, count = of.rated_w + added.panels * panel_w, of.panels + added.panels
    return (*arrays[:n], replace(of, panels=count, panel_w=rated / count), *arrays[n + 1:])


def known_with(rig: Rig, known: Known, strings: int) -> Known:
    """What the log tells, with what it shows of the bank grown by so many strings."""
    held = known.learned.held
    if not strings or held is None or held.energy_wh is None:
        return known
    more = strings * string_energy(rig)
    shown = Estimate(held.energy_wh.estimate + more, held.energy_wh.low + more, held.energy_wh.high + more)
    return replace(known, learned=replace(known.learned, held=replace(held, energy_wh=shown)))
