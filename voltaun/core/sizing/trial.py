"""An option tried on: the rig as if it stood there, for an outlook from today's level."""

from dataclasses import replace

from voltaun.core.learned.capacity_fit import Estimate
from voltaun.core.outlook.ask import Known
from voltaun.core.rig.parts import SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.banks import string_energy
from voltaun.core.sizing.suns import AS_THEY_ARE, Aims


def with_added(rig: Rig, panels: int, strings: int, panel_w: float | None = None, aims: Aims = AS_THEY_ARE) -> Rig:
    """The rig with so many panels more where they come to, and strings (packs) more of the bank's own.

    panel_w  of one of them, W; None for one like those of that array
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
    arrays = rig.arrays
    if arrays and panels:
        arrays = _grown(arrays, panels, panel_w, aims)
    return replace(rig, bank=bank, arrays=arrays)


def _grown(arrays: tuple[SolarArray, ...], panels: int, panel_w: float | None, aims: Aims) -> tuple[SolarArray, ...]:
    n = aims.added_to or 0
    of = arrays[n]
    if aims.own is not None:
        return (*arrays, replace(aims.own, panels=panels, panel_w=panel_w or of.panel_w))
    # Those of another W share the plane and the controller: the array is told by its mean panel.
    rated, count = of.rated_w + panels * (panel_w or of.panel_w), of.panels + panels
    return (*arrays[:n], replace(of, panels=count, panel_w=rated / count), *arrays[n + 1:])


def known_with(rig: Rig, known: Known, strings: int) -> Known:
    """What the log tells, with what it shows of the bank grown by so many strings."""
    held = known.learned.held
    if not strings or held is None or held.energy_wh is None:
        return known
    more = strings * string_energy(rig)
    shown = Estimate(held.energy_wh.estimate + more, held.energy_wh.low + more, held.energy_wh.high + more)
    return replace(known, learned=replace(known.learned, held=replace(held, energy_wh=shown)))
