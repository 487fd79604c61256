"""The bank: wiring, what it really gives, floors, cold, and how fast it takes a charge."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from voltaun.core.rig.parts import Bank, Chemistry, SolarArray
from voltaun.core.rig.rig import Rig

FULL_SOC = 0.99
"""A level from here on is full."""

STATION_AC_SHARE = 0.85
"""Share of an all-in-one station's printed Wh that comes out of its AC sockets, until it is tested."""

_COLD = {True: ((-20.0, 0.75), (0.0, 0.90), (25.0, 1.00)),
         False: ((-20.0, 0.60), (0.0, 0.80), (25.0, 1.00))}


@dataclass(frozen=True)
class EffectiveEnergy:
    """The energy the reckoning uses, Wh on the DC side from full to empty, and the evidence for it."""

    wh: float
    basis: str  # "tested", "log", "rated" or "station default"


ENERGY_TRUST = {"tested": 0.03, "log": 0.05, "rated": 0.10, "station default": 0.10}
"""How well the energy from full to empty is known by its basis (standard deviation, relative)."""


def nominal_voltage(bank: Bank) -> float | None:
    """Bank voltage, V: unit voltage × series. None for a station that does not state one."""
    return None if bank.unit_voltage_v is None else bank.unit_voltage_v * bank.series


def capacity_ah(bank: Bank) -> float | None:
    """Bank capacity, Ah at the nominal voltage: unit capacity × parallel. None when it cannot be told."""
    if bank.unit_capacity_ah is not None and not bank.is_station:
        return bank.unit_capacity_ah * bank.parallel
    volts = nominal_voltage(bank)
    return rated_energy(bank) / volts if volts else None


def rated_energy(bank: Bank) -> float:
    """Printed energy, Wh: bank voltage × bank capacity, or the station's own figure and its packs'."""
    if bank.rated_energy_wh is not None:
        return bank.rated_energy_wh + sum(bank.pack_wh)
    return (nominal_voltage(bank) or 0.0) * (bank.unit_capacity_ah or 0.0) * bank.parallel  # both are told


def effective_energy(rig: Rig) -> EffectiveEnergy:
    """Energy from full to empty at the battery's terminals, Wh, by the best evidence there is.

    A capacity test counts before what the log showed, and that before the rating. A bare bank starts with
    all of its rating. A station starts with 0.85 of it *on its AC side*; since the ledger keeps its books on
    the DC side, that is divided by the inverter's efficiency (and is never more than the rating).
    """
    bank = rig.bank
    if bank.tested_energy_wh is not None:
        return EffectiveEnergy(bank.tested_energy_wh, "tested")
    if bank.logged_energy_wh is not None:
        return EffectiveEnergy(bank.logged_energy_wh, "log")
    if not bank.is_station:
        return EffectiveEnergy(rated_energy(bank), "rated")
    efficiency = rig.inverter.efficiency if rig.inverter else 1.0
    return EffectiveEnergy(rated_energy(bank) * min(1.0, STATION_AC_SHARE / efficiency), "station default")


def cold_factor(chemistry: Chemistry, temp_c: float | None) -> float:
    """Share of the energy that is available at this bank temperature (°C), 0.6 to 1; 1 when not known.

    Lead 1.00 at 25 °C, 0.80 at 0, 0.60 at −20; lithium 1.00, 0.90, 0.75; linear between, flat outside.
    """
    if temp_c is None:
        return 1.0
    degrees, factors = zip(*_COLD[chemistry.lithium], strict=True)
    return float(np.interp(temp_c, degrees, factors))


def takes_charge(chemistry: Chemistry, temp_c: float | None) -> bool:
    """Whether the bank may be charged at this temperature: lithium not below 0 °C."""
    return not (chemistry.lithium and temp_c is not None and temp_c < 0)


def usable_energy(rig: Rig, floor: float, soc: float = 1.0, temp_c: float | None = None) -> float:
    """Energy between a state of charge and a floor (fractions), Wh; 0 when already below it."""
    return max(0.0, soc - floor) * effective_energy(rig).wh * cold_factor(rig.chemistry, temp_c)


def charge_limit(rig: Rig) -> float:
    """The most the bank takes below the taper, W: charge limit × Ah × V = charge limit × rated Wh.

    Where the maker's own limit is told it counts instead.
    """
    if rig.bank.charge_limit_w is not None:
        return rig.bank.charge_limit_w
    return rig.chemistry.charge_limit * rated_energy(rig.bank)


def controller_limit(rig: Rig, array: SolarArray) -> float | None:
    """What the array's controller passes, W: its W, or its A × bank voltage, the less; None when not told."""
    volts = nominal_voltage(rig.bank)
    told = [array.controller_limit_w, array.controller_limit_a * volts if array.controller_limit_a and volts else None]
    return min((watts for watts in told if watts is not None), default=None)


def pooled_soc(bank: Bank, socs: tuple[float, ...]) -> float:
    """The bank's level from its packs' own (fractions): their mean by capacity.

    Raises ValueError unless there is one for each pack (a station and its expansions, or the strings).
    """
    packs = bank.packs
    if len(socs) != len(packs):
        each = f", or one for each of the {len(packs)} packs" if len(packs) > 1 else ""
        raise ValueError(f"found {len(socs)} levels, expected one{each}")
    return sum(soc * wh for soc, wh in zip(socs, packs, strict=True)) / sum(packs)


PACKS_APART = 0.05
"""Packs whose levels are further apart than this want looking at."""


def packs_apart(socs: tuple[float, ...]) -> float | None:
    """How far the packs' levels are apart (a fraction), when it is more than `PACKS_APART`; otherwise None."""
    spread = max(socs) - min(socs) if socs else 0.0
    return spread if spread > PACKS_APART + 1e-9 else None


DEPTHS = {"long life": (0.70, 0.40), "balanced": None, "full use": (0.30, 0.10)}
"""Depth policies: the everyday floor that each sets for (lead, lithium); balanced is the chemistry's own."""


def depth_floor(chemistry: Chemistry, policy: str) -> float:
    """The everyday floor (a fraction) of a depth policy, a key of DEPTHS."""
    floors = DEPTHS[policy]
    return chemistry.everyday_floor if floors is None else floors[chemistry.lithium]


_AT_REST = {
    "flooded": ((11.5, 0.0), (11.7, 0.10), (11.9, 0.25), (12.1, 0.42), (12.3, 0.60), (12.5, 0.80), (12.7, 1.0)),
    "agm": ((11.6, 0.0), (11.85, 0.10), (12.05, 0.25), (12.25, 0.42), (12.45, 0.60), (12.65, 0.80), (12.85, 1.0))}
_AT_REST["gel"] = _AT_REST["agm"]

VOLTS_DOUBT = 0.10
"""A level from volts is good to ten points either way, and only at rest and near 25 °C."""


def soc_from_volts(bank: Bank, volts: float) -> float:
    """The level (a fraction) that volts at rest show, for lead-acid; good to `VOLTS_DOUBT`.

    At rest means no charge and no load for hours, at about 25 °C. 12 V steps, scaled to the bank's
    nominal voltage, linear between, flat outside. Raises ValueError for lithium, whose voltage is flat
    between about 20 and 95 %, and for a bank whose voltage is not known or far from these volts.
    """
    if bank.chemistry not in _AT_REST:
        raise ValueError("the voltage of a lithium bank is flat between about 20 and 95 %, so it tells no percent")
    nominal = nominal_voltage(bank)
    blocks = round(nominal / 12) if nominal else 0
    if not blocks or not 10 <= volts / blocks <= 15:
        raise ValueError(f"found {volts:g} V on a bank of {nominal or 0:g} V, expected 10 to 15 V for each 12 V of it")
    steps, levels = zip(*_AT_REST[bank.chemistry], strict=True)
    return float(np.interp(volts / blocks, steps, levels))


def acceptance(rig: Rig, soc: float | np.ndarray) -> np.ndarray:
    """Power the bank takes at this state of charge, W; `soc` a fraction or an array of them.

    The full charge limit up to the taper, then falling linearly to 2 % of it at 100 %.
    """
    taper = rig.chemistry.taper_soc
    return np.asarray(charge_limit(rig) * np.interp(soc, (taper, 1.0), (1.0, 0.02)))


_GRAVITY = ((1.120, 0.0), (1.155, 0.25), (1.190, 0.50), (1.225, 0.75), (1.265, 1.0))
GRAVITY_PER_C = 0.004 / 6
"""A hydrometer shows so much less for each °C above 25."""

CELLS_APART = 0.030
"""Cells further apart than this want equalising, or one is going."""


@dataclass(frozen=True)
class Gravity:
    """What a hydrometer shows of a flooded bank: the level (a fraction) by its weakest cell, and the cells' spread."""

    soc: float
    spread: float

    @property
    def uneven(self) -> bool:
        """Whether the cells are too far apart."""
        return self.spread > CELLS_APART + 1e-9


def soc_from_gravity(bank: Bank, cells: Sequence[float], temp_c: float = 25.0) -> Gravity:
    """The level that specific gravities show, rested, at a temperature of the acid (°C); the weakest cell counts.

    1.265 → 100 %, 1.225 → 75, 1.190 → 50, 1.155 → 25, 1.120 → 0, linear between; ± 0.004 for each 6 °C off 25.
    Raises ValueError for a bank that is not flooded lead, and for figures that are no gravity.
    """
    if bank.chemistry != "flooded":
        raise ValueError("found no flooded lead bank, expected one whose cells can be opened")
    if not cells or not all(1.0 <= cell <= 1.4 for cell in cells):
        raise ValueError("found no specific gravity, expected 1.000 to 1.400 for each cell, such as 1.225")
    at_25 = min(cells) + GRAVITY_PER_C * (temp_c - 25.0)
    gravities, socs = zip(*_GRAVITY, strict=True)
    return Gravity(float(np.interp(at_25, gravities, socs)), max(cells) - min(cells))
