"""Sums that people do in their heads: run times, charging times, amps on two sides, wiring, wire."""

import math
from dataclasses import dataclass

from voltaun.core.rig.bank import acceptance, charge_limit, effective_energy, nominal_voltage
from voltaun.core.rig.loads import load_dc_wh
from voltaun.core.rig.parts import Generator, Load
from voltaun.core.rig.rig import Rig

COPPER_OHM_MM2_PER_M = 0.0175
DAYS_A_YEAR = 365


def dc_power(rig: Rig, watts: float, side: str) -> float:
    """What a thing takes at the battery, W: through the inverter with its idle when it is on the AC side.

    DC power = idle + AC power / efficiency. A DC thing, or a rig without an inverter, takes its own watts.
    """
    if side == "dc" or rig.inverter is None:
        return watts
    return rig.inverter.idle_w + watts / rig.inverter.efficiency


def run_time(usable_wh: float, watts: float, harvest_w: float = 0.0) -> float:
    """Hours that a load runs on some energy, with some power coming in; infinite when that covers it.

    usable / (W − harvest W); all at the battery. Raises ValueError for a load of nothing.
    """
    if watts <= 0:
        raise ValueError("found a load of 0 W, expected more")
    drain = watts - harvest_w
    return usable_wh / drain if drain > 0 else math.inf


def loads_run_on(rig: Rig, energy_wh: float, month: int) -> list[tuple[Load, float, float | None]]:
    """How many hours each load of the month runs on this energy alone: as it is usually used, longest last, and while
    it runs (None where its W are not known).

    A cycling load takes its running W only part of the time, so that the usual hours are by its Wh a day.
    """
    hours = [(load, energy_wh / load_dc_wh(rig, load) * 24,
              energy_wh / dc_power(rig, load.running_w, load.side) if load.running_w else None)
             for load in rig.loads if load.daily_wh > 0 and month in load.months]
    return sorted(hours, key=lambda each: each[1])


def time_to_full(rig: Rig, from_soc: float, to_soc: float, watts: float) -> float:
    """Hours to charge from one level to another (fractions) with a power at the battery's terminals, W.

    The bank takes the least of that power and its acceptance, which is the charge limit up to the taper
    and falls linearly to 2 % of it at 100 %; of what it takes the charge efficiency is stored. So
    hours = E / η × ∫ d(soc) / min(W, acceptance). Infinite with no power; 0 when already there.
    """
    if to_soc <= from_soc:
        return 0.0
    if watts <= 0:
        return math.inf
    limit, taper = charge_limit(rig), rig.chemistry.taper_soc
    power = min(watts, limit)
    # Above this level the falling acceptance, not the source, is what limits.
    turn = min(1.0, taper + (1 - power / limit) * (1 - taper) / 0.98)
    steady = max(0.0, min(to_soc, turn) - from_soc) / power
    begin = max(from_soc, turn)
    slowing = 0.0
    if to_soc > begin:
        slope = 0.98 * limit / (1 - taper)
        slowing = math.log(acceptance(rig, begin) / acceptance(rig, to_soc)) / slope
    return effective_energy(rig).wh / rig.bank.charge_efficiency * (steady + slowing)


@dataclass(frozen=True)
class Fuel:
    """A charge from a generator: hours, litres, Wh stored per litre, and cost per kWh stored (None: no price)."""

    hours: float
    litres: float
    wh_per_litre: float
    cost_per_kwh: float | None


def fuel(rig: Rig, generator: Generator, from_soc: float, to_soc: float) -> Fuel:
    """What it takes to charge from one level to another (fractions) with a generator, the taper included.

    Litres = hours × litres an hour, whatever the bank still takes; so the last tenth is dear. Raises
    ValueError when its litres an hour are not known or nothing is to be charged.
    """
    if not generator.fuel_l_per_hour:
        raise ValueError(f"found no litres an hour for {generator.name}, expected them in Rig")
    stored = (to_soc - from_soc) * effective_energy(rig).wh
    if stored <= 0:
        raise ValueError("found nothing to charge, expected a goal above the level")
    hours = time_to_full(rig, from_soc, to_soc, generator.gives_w)
    litres = hours * generator.fuel_l_per_hour
    price = generator.fuel_price
    return Fuel(hours, litres, stored / litres, None if price is None else price * litres / stored * 1000)


@dataclass(frozen=True)
class Charge:
    """One charge of a thing with a battery of its own: hours, Wh that leave the bank for it (what comes in meanwhile
    taken off), and how many of them there are in what the bank has."""

    hours: float
    wh: float
    times: float


def charge(rig: Rig, usable_wh: float, battery_wh: float, from_soc: float, watts: float, passes: float, side: str,
           harvest_w: float = 0.0) -> Charge:
    """Charge a thing with a battery of its own from a level.

    battery_wh  of the thing; watts  into it; passes  its charger, a share; side  that the charger hangs on
    At the bank: dc_power(watts / passes) over battery Wh × (1 − level) / watts hours, less what comes in. Infinitely
    often where that covers it. Raises ValueError where there is nothing to charge.
    """
    wanted = battery_wh * (1 - from_soc)
    if wanted <= 0 or passes <= 0 or watts <= 0:
        raise ValueError("found nothing to charge, expected a battery in Wh that is not full, and a charger")
    hours = wanted / watts
    wh = max(0.0, dc_power(rig, watts / passes, side) - harvest_w) * hours
    return Charge(hours, wh, usable_wh / wh if wh else math.inf)


PEUKERT = {"agm": 1.10, "gel": 1.15, "flooded": 1.25}
"""The exponent of a lead bank's chemistry; lithium has none (W. Peukert, Elektrotechnische Zeitschrift 20 (1897))."""

PRINTED_HOURS = 20.0
"""Printed Ah are those at this rate; up to it a bank gives what is printed."""


def run_time_on_lead(rig: Rig, share: float, watts: float) -> float | None:
    """Hours that a load runs on a share of a lead bank: H × (C / (I × H))^k; None up to the rate of the label, where it
    is C / I, or where the bank is none of lead.

    100 Ah flooded at 25 A: 20 × (100 / 500)^1.25 = 2.67 h instead of 4. C is what the bank gives in Ah.
    """
    exponent, volts = PEUKERT.get(rig.bank.chemistry), nominal_voltage(rig.bank)
    if exponent is None or not volts:
        return None
    gives = effective_energy(rig).wh / volts
    if watts / volts * PRINTED_HOURS <= gives:
        return None
    return float(share * PRINTED_HOURS * (gives / (watts / volts * PRINTED_HOURS)) ** exponent)


def dc_amps(ac_amps: float, ac_volts: float, dc_volts: float, efficiency: float) -> float:
    """Amps at the battery behind amps on the AC side: V_ac × I_ac / (efficiency × V_dc)."""
    if dc_volts <= 0 or efficiency <= 0:
        raise ValueError("found a battery of 0 V, expected more")
    return ac_volts * ac_amps / (efficiency * dc_volts)


def daily_from_yearly(kwh_a_year: float) -> float:
    """Wh a day from kWh a year, as labels state it."""
    return kwh_a_year * 1000 / DAYS_A_YEAR


def awg_mm2(gauge: float) -> float:
    """Cross-section of a wire gauge (AWG), mm²: π/4 × (0.127 mm × 92^((36 − n) / 39))², ASTM B258; 10 AWG are 5.26."""
    return float(math.pi / 4 * (0.127 * 92.0 ** ((36 - gauge) / 39)) ** 2)


def voltage_drop(amps: float, length_m: float, area_mm2: float) -> float:
    """Volts lost in a copper cable, there and back: 2 × length × 0.0175 / mm² × A. A planning figure."""
    if area_mm2 <= 0:
        raise ValueError("found a cable of 0 mm², expected more")
    return 2 * length_m * COPPER_OHM_MM2_PER_M / area_mm2 * amps
