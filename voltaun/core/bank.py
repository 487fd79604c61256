"""The bank: wiring, what it really gives, floors, cold, and how fast it takes a charge."""

from dataclasses import dataclass

import numpy as np

from voltaun.core.rig import Bank, Chemistry, Rig

STATION_AC_SHARE = 0.85
"""Share of an all-in-one station's printed Wh that comes out of its AC sockets, until it is tested."""

_COLD = {True: ((-20.0, 0.75), (0.0, 0.90), (25.0, 1.00)),
         False: ((-20.0, 0.60), (0.0, 0.80), (25.0, 1.00))}


@dataclass(frozen=True)
class EffectiveEnergy:
    """The energy the reckoning uses, Wh on the DC side from full to empty, and the evidence for it."""

    wh: float
    basis: str  # "tested", "rated" or "station default"


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
    """Printed energy, Wh: bank voltage × bank capacity, or the station's own figure."""
    if bank.is_station:
        return bank.rated_energy_wh
    return nominal_voltage(bank) * bank.unit_capacity_ah * bank.parallel


def effective_energy(rig: Rig) -> EffectiveEnergy:
    """Energy from full to empty at the battery's terminals, Wh, by the best evidence there is.

    A capacity test counts before the rating. A bare bank starts with all of its rating. A station starts
    with 0.85 of it *on its AC side*; since the ledger keeps its books on the DC side, that is divided by
    the inverter's efficiency (and is never more than the rating).
    """
    bank = rig.bank
    if bank.tested_energy_wh is not None:
        return EffectiveEnergy(bank.tested_energy_wh, "tested")
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
    """The most the bank takes below the taper, W: charge limit × Ah × V = charge limit × rated Wh."""
    return rig.chemistry.charge_limit * rated_energy(rig.bank)


def acceptance(rig: Rig, soc):
    """Power the bank takes at this state of charge, W; `soc` a fraction or an array of them.

    The full charge limit up to the taper, then falling linearly to 2 % of it at 100 %.
    """
    taper = rig.chemistry.taper_soc
    return charge_limit(rig) * np.interp(soc, (taper, 1.0), (1.0, 0.02))
