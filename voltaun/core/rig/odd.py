"""Figures of a rig that are legal and yet hardly meant: a nought too many, another unit, another side of the world.

Nothing here refuses. Each names the figure, so that one line beside it can ask.
"""

from collections.abc import Iterator

from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.parts import Place
from voltaun.core.rig.rig import Rig

MOST_UNIT_V, MOST_UNIT_AH, MOST_PANEL_W = 60.0, 1200.0, 800.0
"""No unit, and no panel, that people carry has more."""

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
    return [*_bank(rig), *_inverter(rig), *_arrays(rig), *_loads(rig), *(_place(rig.place, town) if town else ())]


def _bank(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    bank = rig.bank
    if bank.unit_voltage_v is not None and bank.unit_voltage_v > MOST_UNIT_V:
        yield ("bank", "unit_voltage_v"), reason("odd_unit_volts", volts=bank.unit_voltage_v)
    if bank.unit_capacity_ah is not None and bank.unit_capacity_ah > MOST_UNIT_AH:
        yield ("bank", "unit_capacity_ah"), reason("odd_unit_ah", ah=bank.unit_capacity_ah)
    if bank.everyday_floor < LEAST_FLOOR:
        yield ("bank", "everyday_floor"), reason("odd_floor", floor=bank.everyday_floor)
    if bank.standby_w * 24 > STANDBY_DAY * rated_energy(bank):
        yield ("bank", "standby_w"), reason("odd_standby", watts=bank.standby_w, wh=bank.standby_w * 24)


def _inverter(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    inverter = rig.inverter
    if inverter and inverter.idle_w > max(IDLE_W, IDLE_SHARE * (inverter.continuous_w or 0.0)):
        yield ("inverter", "idle_w"), reason("odd_idle", watts=inverter.idle_w, wh=inverter.idle_w * 24)


def _arrays(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    for array in rig.arrays:
        if array.panel_w > MOST_PANEL_W:
            yield ("arrays", array.name, "panel_w"), reason("odd_panel", watts=array.panel_w)
        sunny = 0.0 if rig.place.latitude < 0 else 180.0
        off = abs((array.azimuth_deg - sunny + 180) % 360 - 180)
        if not array.aimed_per_day and array.tilt_deg > LEVEL_DEG and off > FACES_AWAY_DEG:
            yield ("arrays", array.name, "azimuth_deg"), reason("odd_facing", degrees=array.azimuth_deg, sunny=sunny)


def _loads(rig: Rig) -> Iterator[tuple[Path, Reason]]:
    for load in rig.loads:
        if load.running_w and load.daily_wh > 1.05 * 24 * load.running_w:
            yield ("loads", load.name, "daily_wh"), reason("odd_daily", wh=load.daily_wh, most=24 * load.running_w)


def _place(place: Place, town: tuple[float, float]) -> Iterator[tuple[Path, Reason]]:
    latitude, longitude = town
    if place.latitude * latitude < 0 and min(abs(place.latitude), abs(latitude)) > EQUATOR_DEG:
        yield ("place", "latitude"), reason("odd_latitude", degrees=place.latitude)
    if abs((place.longitude - longitude + 180) % 360 - 180) > ELSEWHERE_DEG:
        yield ("place", "longitude"), reason("odd_longitude", degrees=place.longitude)
