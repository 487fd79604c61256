"""Where a part of the rig is held back, or asked for more than it can do."""

from dataclasses import dataclass

from voltaun.core import cautions
from voltaun.core.bank import charge_limit, controller_limit, nominal_voltage
from voltaun.core.demand import largest_set_running, largest_surge
from voltaun.core.quantities import show_power
from voltaun.core.rig import CONVERTER_EFFICIENCY, GENERATOR_SHARE, Engine, Rig


@dataclass(frozen=True)
class Limit:
    """One limit that is met: at which part (a group and the part's name), in words, with its caution.

    short is what fits into a drawing. over tells a part that is asked for too much from one that is only
    held back.
    """

    group: str
    name: str
    short: str
    words: str
    over: bool = True
    caution: str = ""


def limits(rig: Rig) -> list[Limit]:
    """All limits that this rig meets; powers in W at the battery's terminals unless said."""
    return [*_arrays(rig), *_engines(rig), *_generators(rig), *_bank(rig), *_inverter(rig)]


def _arrays(rig: Rig):
    for array in rig.arrays:
        limit = controller_limit(rig, array)
        if limit is not None and array.rated_w > limit:
            yield Limit("arrays", array.name, f"over its controller: {show_power(limit)}",
                        f"{array.name}: {show_power(array.rated_w)} of panels on a controller that passes "
                        f"{show_power(limit)}; in full sun the rest is lost. Its volts must never be passed.",
                        caution=cautions.SERIES_DC)
    together, input_w = sum(array.rated_w for array in rig.arrays), rig.bank.solar_input_w
    if input_w is not None and together > input_w:
        yield Limit("bank", "", f"panels over its input: {show_power(input_w)}",
                    f"{show_power(together)} of panels on an input that takes {show_power(input_w)}; in full sun the "
                    "rest is lost.", caution=cautions.SERIES_DC)


def _engines(rig: Rig):
    for engine in rig.vehicles:
        fed = engine.input_w
        drawn = min(watts for watts in (fed, engine_draw(engine)) if watts is not None)
        spare = engine.spare_alternator_w
        if spare is not None and drawn > spare:
            yield Limit("vehicles", engine.name, f"overdraws the alternator: {show_power(spare)} spare",
                        f"{engine.name}: the charger would draw {show_power(drawn)}, the alternator has "
                        f"{show_power(spare)} to spare.", caution=cautions.VEHICLE)
        if fed is not None and engine_draw(engine) > fed:
            yield Limit("vehicles", engine.name, f"held to {show_power(engine.gives_w)} by its input",
                        f"{engine.name}: {engine.input_v:g} V × {engine.input_a:g} A lets {show_power(fed)} in, so "
                        f"{show_power(engine.gives_w)} reaches the battery and not {show_power(engine.charge_w)}; the "
                        "same amps at twice the volts, through a step-up, would bring twice that.", over=False)
        if engine.cut_off_v is None:
            yield Limit("vehicles", engine.name, "no cut-off told",
                        f"{engine.name}: no low-voltage cut-off is told; without one a standing engine's starter "
                        "battery is drawn flat.", over=False)


def engine_draw(engine: Engine) -> float:
    """What a charger on the road would like to draw from its input at its rating, W."""
    return engine.charge_w / (engine.converter_efficiency or CONVERTER_EFFICIENCY)


def _generators(rig: Rig):
    for generator in rig.generators:
        if generator.continuous_w and generator.charge_w > generator.gives_w:
            yield Limit("generators", generator.name, f"held to {show_power(generator.gives_w)}",
                        f"{generator.name}: charging at {show_power(generator.charge_w)} is more than "
                        f"{GENERATOR_SHARE * 100:.0f} % of its {show_power(generator.continuous_w)}.",
                        caution=cautions.FUMES)


def _bank(rig: Rig):
    takes = charge_limit(rig)
    chargers = [(part.name, part.gives_w) for group in (rig.vehicles, rig.generators, rig.mains) for part in group]
    sun = sum(min(array.rated_w, controller_limit(rig, array) or array.rated_w) for array in rig.arrays)
    sun = min(sun, rig.bank.solar_input_w or sun)
    caution = cautions.LITHIUM if rig.chemistry.lithium else (
        cautions.HYDROGEN if rig.bank.chemistry == "flooded" else cautions.FUSE)
    alone = [(name, watts) for name, watts in (*chargers, ("The sun", sun)) if watts > takes]
    for name, watts in alone:
        yield Limit("bank", "", f"takes {show_power(takes)} at most",
                    f"{name} can give {show_power(watts)}, the bank takes {_current(rig, takes)} at most: set the "
                    "charger lower.", caution=caution)
    together = sun + sum(watts for _, watts in chargers)
    if not alone and together > takes:
        yield Limit("bank", "", f"takes {show_power(takes)} at most",
                    f"All sources together can give {show_power(together)}, the bank takes {_current(rig, takes)} at "
                    "most; do not run them all at once in full sun.", over=False, caution=caution)


def _current(rig, watts) -> str:
    volts = nominal_voltage(rig.bank)
    return f"{show_power(watts)} ({watts / volts:.0f} A)" if volts else show_power(watts)


def _inverter(rig: Rig):
    if rig.inverter is None:
        if any(load.side == "ac" for load in rig.loads):
            yield Limit("inverter", "", "none, but AC loads", "There are AC loads and no inverter.")
        return
    running, surge = largest_set_running(rig), largest_surge(rig)
    for asked, limit, words in ((running, rig.inverter.continuous_w, "run at once"),
                                (surge, rig.inverter.surge_w, "are asked for at a start-up")):
        if asked and limit and asked > limit:
            yield Limit("inverter", "", f"{show_power(asked)} on {show_power(limit)}",
                        f"{show_power(asked)} of AC {words}, the inverter gives {show_power(limit)}.",
                        caution=cautions.BACKFEED)
