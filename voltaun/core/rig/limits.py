"""Where a part of the rig is held back, or asked for more than it can do."""

from collections.abc import Iterator
from dataclasses import dataclass

from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.bank import charge_limit, controller_limit, nominal_voltage
from voltaun.core.rig.loads import largest_set_running, largest_surge
from voltaun.core.rig.parts import CONVERTER_EFFICIENCY, GENERATOR_SHARE, Engine
from voltaun.core.rig.rig import Rig


@dataclass(frozen=True)
class Limit:
    """One limit that is met, at which part (a group and the part's name), with its figures.

    over tells a part that is asked for too much from one that is only held back.
    """

    group: str
    name: str
    reason: Reason
    over: bool = True


def limits(rig: Rig) -> list[Limit]:
    """All limits that this rig meets; powers in W at the battery's terminals unless said."""
    return [*_arrays(rig), *_engines(rig), *_generators(rig), *_bank(rig), *_inverter(rig)]


def _arrays(rig: Rig) -> Iterator[Limit]:
    for array in rig.arrays:
        limit = controller_limit(rig, array)
        if limit is not None and array.rated_w > limit:
            yield Limit("arrays", array.name, reason("panels_over_controller", name=array.name, panels_w=array.rated_w,
                                                     limit_w=limit))
    together, input_w = sum(array.rated_w for array in rig.arrays), rig.bank.solar_input_w
    if input_w is not None and together > input_w:
        yield Limit("bank", "", reason("panels_over_input", panels_w=together, limit_w=input_w))


def _engines(rig: Rig) -> Iterator[Limit]:
    for engine in rig.vehicles:
        fed = engine.input_w
        drawn = min(watts for watts in (fed, engine_draw(engine)) if watts is not None)
        spare = engine.spare_alternator_w
        if spare is not None and drawn > spare:
            yield Limit("vehicles", engine.name, reason("alternator_overdrawn", name=engine.name, drawn_w=drawn,
                                                        spare_w=spare))
        if fed is not None and engine_draw(engine) > fed:
            yield Limit("vehicles", engine.name, reason(
                "held_by_its_input", name=engine.name, volts=engine.input_v, amps=engine.input_a, fed_w=fed,
                gives_w=engine.gives_w, charge_w=engine.charge_w), over=False)
        if engine.cut_off_v is None:
            yield Limit("vehicles", engine.name, reason("no_cut_off", name=engine.name), over=False)


def engine_draw(engine: Engine) -> float:
    """What a charger on the road would like to draw from its input at its rating, W."""
    return engine.charge_w / (engine.converter_efficiency or CONVERTER_EFFICIENCY)


def _generators(rig: Rig) -> Iterator[Limit]:
    for generator in rig.generators:
        if generator.continuous_w and generator.charge_w > generator.gives_w:
            yield Limit("generators", generator.name, reason(
                "generator_over", name=generator.name, charge_w=generator.charge_w, gives_w=generator.gives_w,
                share=GENERATOR_SHARE, continuous_w=generator.continuous_w))


def _bank(rig: Rig) -> Iterator[Limit]:
    takes, volts = charge_limit(rig), nominal_voltage(rig.bank)
    amps = takes / volts if volts else None
    chargers = [(part.name, part.gives_w) for part in rig.steady]
    sun = sum(min(array.rated_w, controller_limit(rig, array) or array.rated_w) for array in rig.arrays)
    sun = min(sun, rig.bank.solar_input_w or sun)
    alone = [(name, watts) for name, watts in (*chargers, ("", sun)) if watts > takes]
    for name, watts in alone:
        yield Limit("bank", "", reason("source_over_bank", name=name, watts=watts, takes_w=takes, takes_a=amps,
                                       chemistry=rig.bank.chemistry))
    together = sun + sum(watts for _, watts in chargers)
    if not alone and together > takes:
        yield Limit("bank", "", reason("sources_over_bank", watts=together, takes_w=takes, takes_a=amps,
                                       chemistry=rig.bank.chemistry), over=False)


def _inverter(rig: Rig) -> Iterator[Limit]:
    if rig.inverter is None:
        if any(load.side == "ac" for load in rig.loads):
            yield Limit("inverter", "", reason("no_inverter"))
        return
    running, surge = largest_set_running(rig), largest_surge(rig)
    most, peak = rig.inverter.continuous_w, rig.inverter.surge_w
    if running and most and running > most:
        yield Limit("inverter", "", reason("inverter_over", asked_w=running, limit_w=most))
    if surge and peak and surge > peak:
        yield Limit("inverter", "", reason("inverter_surge", asked_w=surge, limit_w=peak))
    elif surge and not peak and most and surge > most:
        # Without its surge told it is not to be counted on for more than it gives for long.
        yield Limit("inverter", "", reason("inverter_surge_untold", asked_w=surge, limit_w=most))
