"""Figures of a rig that are legal and yet hardly meant: a nought too many, another unit, another side of the world.

Nothing here refuses. Each names the figure, so that one line beside it can ask.
"""

from collections.abc import Iterator

from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.bank import nominal_voltage, rated_energy
from voltaun.core.rig.parts import Place
from voltaun.core.rig.rig import Rig

MOST_UNIT_V, MOST_UNIT_AH, MOST_PANEL_W = 60.0, 1200.0, 800.0
"""No unit, and no panel, that people carry has more."""

LEAST_PANEL_W, PANEL_OF_V = 50.0, 20.0
"""No panel on a bank of so many volts and more has less."""

LEAST_BANK_WH, MOST_BANK_WH = 50.0, 200_000.0
"""No bank that people live on holds less or more."""

LEAST_EFFICIENCY = 0.6
"""Whatever charges or inverts and loses more than this is broken."""

FULL_IN_H, EMPTY_IN_H = 0.4, 0.1
"""No source fills a bank in less, and no inverter is made to empty it in less, h at its W."""

RUNS_A_DAY_H = 1 / 120
"""A load that is listed runs half a minute a day at least: less is in another unit."""

BANKS_A_DAY = 3.0
"""Nobody lists a load that takes so many full banks a day."""

LEAST_FLOOR = 0.05
"""Few go lower every day."""

STANDBY_DAY = 0.1
"""A monitor that takes more than this part of the bank in a day."""

IDLE_W, IDLE_SHARE = 60.0, 0.05
"""An inverter that takes more idle, W and of what it gives for long."""

FACES_AWAY_DEG, LEVEL_DEG = 90.0, 15.0
"""An array leaning more than the one, and turned further from the equator than the other, sees little sun."""

ELSEWHERE_DEG, EQUATOR_DEG = 45.0, 12.0
"""A place further east or west than this from its zone's town, or across the equator with both this far from it."""

Path = tuple[str, ...]


def odd_figures(rig: Rig, town: tuple[float, float] | None = None) -> list[tuple[Path, Reason]]:
    """Figures that are asked about, each with its path (`bank.floor`, `arrays.Roof.panel_w`) and why.

    town  latitude and longitude of the town that the rig's time zone is named after
    """
    # A bank of another size than was meant makes all else look odd beside it.
    return [*_size(rig)] or [*_bank(rig), *_inverter(rig), *_arrays(rig), *_chargers(rig), *_loads(rig),
                             *(_place(rig.place, town) if town else ())]


def _size(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    holds = rated_energy(rig.bank)
    if not LEAST_BANK_WH <= holds <= MOST_BANK_WH:
        yield ("bank", "unit_capacity_ah" if rig.bank.rated_energy_wh is None else "rated_energy_wh"), reason(
            "odd_bank", wh=holds)


def _bank(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    bank = rig.bank
    if bank.unit_voltage_v is not None and bank.unit_voltage_v > MOST_UNIT_V:
        yield ("bank", "unit_voltage_v"), reason("odd_unit_volts", volts=bank.unit_voltage_v)
    if bank.unit_capacity_ah is not None and bank.unit_capacity_ah > MOST_UNIT_AH:
        yield ("bank", "unit_capacity_ah"), reason("odd_unit_ah", ah=bank.unit_capacity_ah)
    if bank.charge_efficiency < LEAST_EFFICIENCY:
        yield ("bank", "charge_efficiency"), reason("odd_efficiency", share=bank.charge_efficiency)
    if bank.everyday_floor < LEAST_FLOOR:
        yield ("bank", "everyday_floor"), reason("odd_floor", floor=bank.everyday_floor)
    if bank.standby_w * 24 > STANDBY_DAY * rated_energy(bank):
        yield ("bank", "standby_w"), reason("odd_standby", watts=bank.standby_w, wh=bank.standby_w * 24)


def _inverter(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    inverter = rig.inverter
    if inverter and inverter.idle_w > max(IDLE_W, IDLE_SHARE * (inverter.continuous_w or 0.0)):
        yield ("inverter", "idle_w"), reason("odd_idle", watts=inverter.idle_w, wh=inverter.idle_w * 24)


    if inverter and inverter.efficiency < LEAST_EFFICIENCY:
        yield ("inverter", "efficiency"), reason("odd_efficiency", share=inverter.efficiency)
    if inverter and (inverter.continuous_w or 0.0) * EMPTY_IN_H > rated_energy(rig.bank):
        yield ("inverter", "continuous_w"), reason("odd_inverter", watts=inverter.continuous_w)


def _chargers(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    for group in ("vehicles", "generators", "mains"):
        for part in getattr(rig, group):
            if part.charge_w * FULL_IN_H > rated_energy(rig.bank):
                yield (group, part.name, "charge_w"), reason("odd_charger", watts=part.charge_w)
            if (getattr(part, "converter_efficiency", None) or 1.0) < LEAST_EFFICIENCY:
                yield (group, part.name, "converter_efficiency"), reason("odd_efficiency",
                                                                         share=part.converter_efficiency)


def _arrays(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    for array in rig.arrays:
        if array.panel_w > MOST_PANEL_W:
            yield ("arrays", array.name, "panel_w"), reason("odd_panel", watts=array.panel_w)
        elif array.panel_w < LEAST_PANEL_W and (nominal_voltage(rig.bank) or 0.0) > PANEL_OF_V:
            yield ("arrays", array.name, "panel_w"), reason("odd_small_panel", watts=array.panel_w)
        sunny = 0.0 if rig.place.latitude < 0 else 180.0
        off = abs((array.azimuth_deg - sunny + 180) % 360 - 180)
        if not array.aimed_per_day and array.tilt_deg > LEVEL_DEG and off > FACES_AWAY_DEG:
            yield ("arrays", array.name, "azimuth_deg"), reason("odd_facing", degrees=array.azimuth_deg, sunny=sunny)


def _loads(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    for load in rig.loads:
        if load.running_w and load.daily_wh > 1.05 * 24 * load.running_w:
            yield ("loads", load.name, "daily_wh"), reason("odd_daily", wh=load.daily_wh, most=24 * load.running_w)


        if load.daily_wh > BANKS_A_DAY * rated_energy(rig.bank):
            yield ("loads", load.name, "daily_wh"), reason("odd_much", wh=load.daily_wh)
        elif load.running_w and 0 < load.daily_wh < load.running_w * RUNS_A_DAY_H:
            yield ("loads", load.name, "daily_wh"), reason("odd_little", wh=load.daily_wh, watts=load.running_w)


def _place(place: Place, town: tuple[float, float]) -> Iterator[tuple[Path, Reason]]:
    latitude, longitude = town
    if place.latitude * latitude < 0 and min(abs(place.latitude), abs(latitude)) > EQUATOR_DEG:
        yield ("place", "latitude"), reason("odd_latitude", degrees=place.latitude)
    if abs((place.longitude - longitude + 180) % 360 - 180) > ELSEWHERE_DEG:
        yield ("place", "longitude"), reason("odd_longitude", degrees=place.longitude)
