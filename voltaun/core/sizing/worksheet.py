"""The worksheet: how large a bank, array, controller and inverter a use calls for.

Planning figures; wire, fuses and mounting are for local codes and licensed people.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from voltaun.core.learned.account import Learned
from voltaun.core.outlook.autonomy import drain
from voltaun.core.rig.bank import effective_energy, nominal_voltage, rated_energy
from voltaun.core.rig.loads import largest_set_running
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.suns import with_a_first_panel
from voltaun.core.sky.clear_sky import monthly_clear_sky

SYSTEM_SHARE = 0.75
"""Share of the sun's energy that a system gets into the battery (wiring, heat, dirt, controller)."""

COMMON_INVERTERS_W = (300, 600, 1000, 1500, 2000, 3000, 5000)
SAFETY = 1.25
LIKELY_PANEL_W = 400.0
"""Panel to count in when the rig has none yet."""


@dataclass(frozen=True)
class Inputs:
    """What the worksheet starts from; each may come from the log or be given.

    use_wh_per_day DC side, Wh; reserve_days without sun; recovery_days to fill up again meanwhile using;
    peak_sun_hours a day in the design month on the array's plane, weather included, None where no array is known;
    array_share the system's losses; cold_factor and everyday_floor fractions; largest_running_w AC, None if not known.
    """

    use_wh_per_day: float
    peak_sun_hours: float | None
    reserve_days: float = 3.0
    recovery_days: float = 4.0
    everyday_floor: float = 0.2
    cold_factor: float = 1.0
    array_share: float = SYSTEM_SHARE
    design_month: int | None = None
    largest_running_w: float | None = None
    panel_w: float | None = None


@dataclass(frozen=True)
class Worksheet:
    """What the use calls for: Wh, Ah at bank voltage, units, W, panels, A; None where it cannot be told: with no array
    known, or with a design month in which the sun brings next to nothing, the array and its controller."""

    inputs: Inputs
    bank_energy_wh: float
    bank_ah: float | None
    units: int
    strings: int
    array_w: float | None
    panel_w: float
    panels: int | None
    controller_a: float | None
    inverter_w: float | None


@dataclass(frozen=True)
class Option:
    """One thing the rig has, what the worksheet calls for, and what is to be added."""

    part: str
    have: float
    need: float

    @property
    def add(self) -> float:
        """What is missing; 0 when there is enough."""
        return max(0, self.need - self.have)


LEAST_SUN_H, MOST_SUN_H = 0.1, 8.0
"""With fewer peak-sun hours in the design month no array will do it: the sun hardly rises; no place has more."""


def peak_sun(clear_sky_by_month: ArrayLike, mean_share: ArrayLike, array_share: float = SYSTEM_SHARE,
             month: int | None = None) -> tuple[int, float]:
    """The design month (1–12) and its peak-sun hours a day, weather included.

    PSH = clear-sky kWh/m² × mean share of clear-sky of that month (one number, or twelve) / array share. What a log
    teaches already
    holds the system's losses, so they are taken out again. The month with the least of it is the design
    month unless one is given.
    """
    hours = np.asarray(clear_sky_by_month) * mean_share / array_share
    chosen = int(hours.argmin()) + 1 if month is None else month
    return chosen, float(hours[chosen - 1])


def worksheet(rig: Rig, inputs: Inputs) -> Worksheet:
    """Work the sheet.

        bank energy  = U × R / f,  f = (1 − everyday floor) × cold factor
        array W      = U × (1 + R / V) / (η × PSH × PR)
        controller A = installed array W / bank voltage × 1.25
        inverter W   = largest set running at once × 1.25, up to a common size

    Units are rounded up to whole strings and panels to whole panels. Raises ValueError for a figure that
    is not above zero.
    """
    for name in ("use_wh_per_day", "peak_sun_hours", "reserve_days", "recovery_days", "array_share",
                 "cold_factor"):
        value = getattr(inputs, name)
        if name == "peak_sun_hours" and (value is None or 0 <= value < LEAST_SUN_H):
            continue
        if not (math.isfinite(value) and value > 0):
            raise ValueError(f"{name.replace('_', ' ')}: found {value:g}, expected more than 0")
    if inputs.peak_sun_hours is not None and inputs.peak_sun_hours > MOST_SUN_H:
        raise ValueError(f"peak-sun hours: found {inputs.peak_sun_hours:g}, expected {MOST_SUN_H:g} at the most: no "
                         "place has more on the mean; hours of daylight are another thing")
    if not 0 <= inputs.everyday_floor < 1:
        raise ValueError(f"everyday floor: found {inputs.everyday_floor:g}, expected from 0 to below 1")
    usable = (1 - inputs.everyday_floor) * inputs.cold_factor
    bank_wh = inputs.use_wh_per_day * inputs.reserve_days / usable
    volts = nominal_voltage(rig.bank)
    strings = _up(bank_wh / _string_wh(rig))
    array_w = _array_w(rig, inputs)
    panel_w = inputs.panel_w or (rig.arrays[0].panel_w if rig.arrays else LIKELY_PANEL_W)
    panels = None if array_w is None else _up(array_w / panel_w)
    return Worksheet(inputs, bank_wh, bank_wh / volts if volts else None, strings * rig.bank.series, strings,
                     array_w, panel_w, panels,
                     panels * panel_w / volts * SAFETY if volts and panels else None,
                     inverter_size(inputs.largest_running_w))


def _array_w(rig: Rig, inputs: Inputs) -> float | None:
    if inputs.peak_sun_hours is None or inputs.peak_sun_hours < LEAST_SUN_H:
        return None
    return (inputs.use_wh_per_day * (1 + inputs.reserve_days / inputs.recovery_days)
            / (rig.bank.charge_efficiency * inputs.peak_sun_hours * inputs.array_share))


@dataclass(frozen=True)
class MonthOfSheet:
    """What one month (1–12) would call for: peak-sun hours a day, array W (None where the sun hardly rises)."""

    month: int
    peak_sun_hours: float
    array_w: float | None


def by_month(rig: Rig, sheet: Worksheet, clear_sky_by_month: ArrayLike, shares: ArrayLike) -> list[MonthOfSheet]:
    """The array that each month by itself would call for, all else as in the sheet.

    clear_sky_by_month  kWh/m² a day on the planes; shares  mean share of clear sky of each month, both (12,)
    """
    found = []
    for month in range(1, 13):
        _, hours = peak_sun(clear_sky_by_month, shares, sheet.inputs.array_share, month)
        found.append(MonthOfSheet(month, hours, _array_w(rig, replace(sheet.inputs, peak_sun_hours=hours))))
    return found


def inverter_size(largest_running_w: float | None) -> float | None:
    """A common inverter size, W, for the largest set running at once with a quarter to spare."""
    if not largest_running_w:
        return None
    wanted = largest_running_w * SAFETY
    return float(next((size for size in COMMON_INVERTERS_W if size >= wanted), math.ceil(wanted / 1000) * 1000))


def options(rig: Rig, sheet: Worksheet) -> list[Option]:
    """The rig beside the sheet: battery units, panels (counted in the sheet's panel) and inverter W."""
    listed = [Option("units", rig.bank.series * rig.bank.parallel, sheet.units)]
    if sheet.panels is not None:
        have = int(sum(array.rated_w for array in rig.arrays) // sheet.panel_w)
        listed.append(Option("panels", have, sheet.panels))
    if sheet.inverter_w is not None:
        gives = rig.inverter.continuous_w if rig.inverter and rig.inverter.continuous_w else 0.0
        listed.append(Option("inverter_w", gives, sheet.inverter_w))
    return listed


def _string_wh(rig: Rig) -> float:
    """Energy of one string that the sheet counts in: its rating, or what a station gives, Wh."""
    if rig.bank.is_station:
        return effective_energy(rig).wh / rig.bank.parallel
    return rated_energy(rig.bank) / rig.bank.parallel


def _up(count: float) -> int:
    """Rounded up, but not for a hair above a whole number."""
    return max(1, math.ceil(count - 1e-9))


def suggest(rig: Rig, learned: Learned, tables: list[np.ndarray] | None, *, reserve_days: float = 3.0, recovery_days:
            float = 4.0, use_wh_per_day: float | None = None, peak_sun_hours: float | None = None, design_month: int |
            None = None, array_share: float | None = None, cold_factor: float | None = None, everyday_floor: float |
            None = None, largest_running_w: float | None = None, panel_w: float | None = None,
            month_shares: np.ndarray | None = None) -> Inputs:
    """The worksheet's inputs: what is given, and the rest from the log, the loads and the clear-sky table.

    learned  what the log taught (with no log, the start-up shares)
    tables   clear-sky tables of the rig's arrays, Wh/m² (without an array, of a first panel, see
             `suns.with_a_first_panel`); without them and peak_sun_hours only the bank is sized
    month_shares  mean share of clear sky in each month, (12,); without them the log's mean for every month
    Raises ValueError when the use can be had from nowhere.
    """
    share = array_share or SYSTEM_SHARE
    if use_wh_per_day is None:
        leaving = drain(rig, learned, None)
        if leaving is None:
            raise ValueError("use a day: found neither a log nor loads, expected one of them or a figure in Wh")
        use_wh_per_day = leaving.wh
    month = design_month
    if peak_sun_hours is None and tables:
        shares = learned.share.mean if month_shares is None else month_shares
        placed = rig if rig.arrays else with_a_first_panel(rig)
        month, hours = peak_sun(monthly_clear_sky(placed, tables), shares, share, design_month)
        peak_sun_hours = min(hours, MOST_SUN_H)
    return Inputs(use_wh_per_day, peak_sun_hours, reserve_days, recovery_days,
                  rig.bank.everyday_floor if everyday_floor is None else everyday_floor,
                  1.0 if cold_factor is None else cold_factor, share, month,
                  largest_running_w or largest_set_running(rig), panel_w)
