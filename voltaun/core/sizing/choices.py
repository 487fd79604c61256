"""What may be added, or done without buying, what each costs and what rules it out."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations
from itertools import product as product_of
from typing import Any

from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.bank import charge_limit, controller_limit, rated_energy
from voltaun.core.rig.parts import Generator, Inverter, Load, SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing import FUEL_YEARS
from voltaun.core.sizing.banks import more_takes, string_energy
from voltaun.core.sizing.candidates import alone, cannot
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.measures import (
    Measure,
    aims_of,
    fits,
    replacing,
    usual_measures,
    usual_rule,
    with_idle_of,
    with_inverter,
    with_measure,
)
from voltaun.core.sizing.suns import AS_THEY_ARE, Aims, Spot

PRODUCTS = ("panel", "battery", "charger", "controller", "generator", "inverter", "load")
"""Kinds of products on a price list."""

HARDLY_TAKES = 1.5
"""An array of so many times what the bank takes below its taper is hardly taken."""

@dataclass(frozen=True)
class Product:
    """A product that the user has written down: what one costs, weighs and covers; None what is not known.

    size  W of a panel, a charger or a controller, W into the bank of a generator, W that an inverter gives for long, Wh
          of a battery, Wh a day of a load
    serves  the load that it replaces, or the source whose charger it is; None where its name tells, or the only one
    litres_per_hour, fuel_price  what a generator burns, and what a litre costs
    idle_w, surge_w  what an inverter takes by itself, and what it gives for a moment
    years   that one lasts; cycles  that a battery lasts, to the depth that its label means
    """

    name: str
    kind: str
    size: float
    price: float | None = None
    weight_kg: float | None = None
    area_m2: float | None = None
    serves: str | None = None
    litres_per_hour: float | None = None
    fuel_price: float | None = None
    idle_w: float | None = None
    surge_w: float | None = None
    years: float | None = None
    cycles: float | None = None

    def __post_init__(self) -> None:
        if self.kind not in PRODUCTS:
            raise ValueError(f"found kind {self.kind!r}, expected one of {', '.join(PRODUCTS)}")
        if not self.size > 0:
            raise ValueError(f"found a size of {self.size:g}, expected more than 0")
        for name in ("price", "weight_kg", "area_m2", "litres_per_hour", "fuel_price", "idle_w",
                     "surge_w"):
            value = getattr(self, name)
            if value is not None and not 0 <= value <= 1e9:
                raise ValueError(f"found {name} {value:g}, expected 0 or more")
        for name, most in (("years", 100), ("cycles", 100_000)):
            value = getattr(self, name)
            if value is not None and not 0 < value <= most:
                raise ValueError(f"found {name} {value:g}, expected more than 0 and at most {most:,}")


@dataclass(frozen=True)
class Limits:
    """What all that is bought may come to: money, kg, m² of roof; None without a limit."""

    budget: float | None = None
    weight_kg: float | None = None
    roof_m2: float | None = None


@dataclass(frozen=True)
class Offer:
    """What may be had: up to so many panels and strings more, products, measures, and within what limits.

    panel     the name of the panel that is added; None for the rig's own
    second_panel  the name of the one that is added at the second spot of `aims`; None for the same
    together  measures that are done in any case, beside all that is looked at
    aims      where panels are, and may come to
    """

    panels: int = 8
    strings: int = 4
    products: tuple[Product, ...] = ()
    limits: Limits = Limits()
    panel: str | None = None
    second_panel: str | None = None
    measures: tuple[Measure, ...] = ()
    together: tuple[Measure, ...] = ()
    aims: Aims = AS_THEY_ARE


def offer_of(rig: Rig, measures: Sequence[Measure] | None = None, together: Sequence[Measure] = (),
             aims: Aims = AS_THEY_ARE, **rest: Any) -> Offer:
    """What may be had of this rig: the measures that it has what they need for (the usual ones unless told), those that
    are done in any case, and the rest of an `Offer`."""
    looked_at = [of for of in (usual_measures(rig) if measures is None else measures) if fits(rig, of)]
    done = [of for of in together if fits(rig, of)]
    return Offer(measures=tuple(looked_at), together=tuple(done), aims=aims_of(rig, [*looked_at, *done], aims), **rest)


@dataclass(frozen=True)
class Choice:
    """One option: what is bought, what is done without buying, and how the run sees it.

    bought    products by name, beside panels and strings; measures  what is done without buying
    price     with fuel_price of it for what it burns in `FUEL_YEARS`; None where not all of it is known
    ruled_out why it cannot be had, none when it can
    generator that is bought and run by its rule
    parts     what is bought, each product with how many; cost_a_year  by how long they last (see `lives`)
    second    panels at the second spot; second_panel  what each is, by its name ("" without a list)
    """

    panels: int
    strings: int
    lane: Lane
    measures: tuple[Measure, ...] = ()
    price: float | None = None
    weight_kg: float | None = None
    roof_m2: float | None = None
    ruled_out: tuple[Reason, ...] = field(default=())
    bought: tuple[str, ...] = ()
    fuel_price: float = 0.0
    generator: Generator | None = None
    parts: tuple[tuple[int, Product], ...] = ()
    cost_a_year: float | None = None
    second: int = 0
    second_panel: str = ""

    @property
    def of_field(self) -> bool:
        """Whether it is a crossing of the field: the field's panels and strings more, and nothing else."""
        return not (self.bought or self.measures or self.second)

    @property
    def things(self) -> int:
        """How many things are bought."""
        return self.panels + self.second + self.strings + len(self.bought)


def all_choices(rig: Rig, offer: Offer) -> list[Choice]:
    """The field first, row after row of strings, then what else is on the list, then what is done without buying."""
    base = Lane()
    for measure in offer.together:
        base = with_measure(rig, base, measure, offer.aims)
    field = [_bought(rig, offer, base, more, rows, ()) for rows in range(offer.strings + 1)
             for more in range((offer.panels if rig.arrays else 0) + 1)]
    free = [Choice(0, 0, with_measure(rig, base, measure, offer.aims), (measure,), _FREE.get(measure.kind))
            for measure in offer.measures if measure not in offer.together]
    return [*field, *_of_list(rig, offer, base), *_combined(rig, offer, base), *_second_banks(rig, offer, base), *free]


MOST_REPLACED = 3
"""Loads that take less are put together with panels and strings up to so many at once."""


def _combined(rig: Rig, offer: Offer, base: Lane) -> list[Choice]:
    """Loads that take less together with panels and strings, panels of the other kinds, and panels at both spots at
    once, as many in all as panels may be: all that lies within the limits, for nobody tries the rest."""
    takers = [(product, load) for product in offer.products
              if product.kind == "load" and (load := replaced_by(rig, product))]
    sets = [chosen for count in range(1, MOST_REPLACED + 1) for chosen in combinations(takers, count)
            if len({load.name for _, load in chosen}) == count]
    lanes: list[tuple[tuple[Product, ...], Lane]] = [((), base)]
    for chosen in sets:
        lane = base
        for product, load in chosen:
            lane = replacing(rig, lane, load, product.size)
        lanes.append((tuple(product for product, _ in chosen), lane))
    own = panel_of(rig, offer)
    kinds = [own, *(of for of in offer.products if of.kind == "panel" and of != own)] if rig.arrays else [own]
    found = []
    for kind, (others, lane), rows in product_of(kinds, lanes, range(offer.strings + 1)):
        for more in range((offer.panels if rig.arrays else 0) + 1):
            # The field has the own panels by themselves, and the list each product by itself.
            if not others and kind == own or kind != own and not more or len(others) == 1 and not (more or rows):
                continue
            choice = _bought(rig, offer, lane, more, rows, others, kind)
            if not choice.ruled_out:
                found.append(choice)
    two = [] if offer.aims.second is None or not rig.arrays else [
        (more, second) for second in range(1, offer.panels + 1) for more in range(offer.panels - second + 1)]
    for (others, lane), rows, (more, second) in product_of(lanes, range(offer.strings + 1), two):
        choice = _bought(rig, offer, lane, more, rows, others, second=second)
        if not choice.ruled_out:
            found.append(choice)
    return found


_FREE = {"leave_off": 0.0, "shift": 0.0, "inverter": 0.0, "tilt": 0.0, "away": 0.0}
"""Measures that cost nothing; the price of what takes fuel is known once it was run."""


def _of_list(rig: Rig, offer: Offer, base: Lane) -> list[Choice]:
    """What the other products of the list do: a controller that passes more, a charger, a load that takes less."""
    found = []
    for product in offer.products:
        if product.kind == "controller" and _holds(rig, offer.aims.first) is not None:
            lane = replace(base, controller_w=product.size)
            found += [_bought(rig, offer, lane, more, 0, (product,)) for more in range(offer.panels + 1)]
        elif product.kind == "load" and (load := replaced_by(rig, product)):
            found.append(_bought(rig, offer, replacing(rig, base, load, product.size), 0, 0, (product,)))
        elif product.kind == "inverter":
            found += _of_inverter(rig, offer, base, product)
        elif product.kind == "generator":
            runs = _generator(rig, product)
            start, stop = usual_rule(rig)
            lane = replace(base, rule=(start, stop, runs.gives_w))
            found += [replace(_bought(rig, offer, lane, more, 0, (product,)), generator=runs)
                      for more in range((offer.panels if rig.arrays else 0) + 1)]
        elif product.kind == "charger":
            for measure in _charged_by(rig, offer, product):
                lane = with_measure(rig, base, measure, offer.aims, _gives_with(rig, measure, product))
                found.append(replace(_bought(rig, offer, lane, 0, 0, (product,)), measures=(measure,)))
    return found


def _of_inverter(rig: Rig, offer: Offer, base: Lane, product: Product) -> list[Choice]:
    """Another inverter in the place of the rig's, alone and with panels. One that does not run what today's runs is
    ruled out."""
    changed = _with_inverter(rig, product)
    lane = with_idle_of(rig, base, changed)
    runs, known = _runs(rig), {why.code for why in cannot(rig)}
    lost = tuple(why for why in cannot(changed) if (
        why.figures["name"] in runs if "name" in why.figures else rig.inverter and why.code not in known))
    made = [_bought(rig, offer, lane, more, 0, (product,)) for more in range((offer.panels if rig.arrays else 0) + 1)]
    return [replace(of, ruled_out=(*of.ruled_out, *lost)) for of in made]


def _with_inverter(rig: Rig, product: Product) -> Rig:
    usual = Inverter(continuous_w=product.size, surge_w=product.surge_w)
    return with_inverter(rig, usual if product.idle_w is None else replace(usual, idle_w=product.idle_w))


def newly_run(rig: Rig, products: Sequence[Product], of: Choice) -> list[str]:
    """The loads that an option's inverter starts and runs, and today's does not."""
    bought = next((each for each in products if each.kind == "inverter" and each.name in of.bought), None)
    return [] if bought is None else sorted(_runs(_with_inverter(rig, bought)) - _runs(rig))


def _runs(rig: Rig) -> set[str]:
    """The AC loads that a rig's inverter starts and runs, each alone."""
    return {load.name for load in rig.loads if load.side == "ac" and alone(rig, load) is None}


def _generator(rig: Rig, product: Product) -> Generator:
    """The generator that a product is; a litre costs what one costs already, unless its line says so."""
    known = next((of.fuel_price for of in rig.generators if of.fuel_price is not None), None)
    return Generator(product.name, product.size, product.litres_per_hour,
                     fuel_price=known if product.fuel_price is None else product.fuel_price)


def _second_banks(rig: Rig, offer: Offer, base: Lane) -> list[Choice]:
    """Batteries of another kind than the bank's, as a second bank beside it, alone and with panels."""
    own = battery_of(rig, offer.products)
    others = [of for of in offer.products if of.kind == "battery" and of != own]
    made = [_bought(rig, offer, replace(base, second_wh=count * of.size), more, 0, (of,) * count)
            for of, count in product_of(others, range(1, offer.strings + 1))
            for more in range((offer.panels if rig.arrays else 0) + 1)]
    return [choice for choice in made if not choice.ruled_out or not choice.panels]


def _holds(rig: Rig, spot: Spot) -> float | None:
    """What the controller of the array that panels are added to passes, W; None without a limit, or with one of their
    own."""
    if spot.added_to is None or not rig.arrays:
        return None
    return controller_limit(rig, rig.arrays[spot.added_to])


def replaced_by(rig: Rig, product: Product) -> Load | None:
    """The load that a product replaces: the one it names, else one whose name is in the product's or the other way
    round; None when it takes no less than that, or there is none."""
    wanted = (product.serves or "").casefold()
    name = product.name.casefold()
    found = next((load for load in rig.loads if load.name.casefold() == wanted or
                  (not wanted and (load.name.casefold() in name or name in load.name.casefold()))), None)
    return found if found and product.size < found.daily_wh else None


def _charged_by(rig: Rig, offer: Offer, product: Product) -> list[Measure]:
    """The measures whose source a charger would serve: the one it names, else driving, else a generator."""
    able = [of for of in (*offer.measures, *offer.together) if of.kind in ("drive", "generator")]
    if product.serves:
        return [of for of in able if of.names[0].casefold() == product.serves.casefold()][:1]
    return [of for of in able if of.kind == ("drive" if rig.vehicles else "generator")][:1]


def _gives_with(rig: Rig, measure: Measure, product: Product) -> float:
    """What the engine gives with another charger in its place, or the generator with a second one, W."""
    if measure.kind == "drive":
        engine = next(of for of in rig.vehicles if of.name == measure.names[0])
        return replace(engine, charge_w=product.size, input_v=None, input_a=None).gives_w
    generator = next(of for of in rig.generators if of.name == measure.names[0])
    return replace(generator, charge_w=generator.charge_w + product.size).gives_w


def not_run(rig: Rig, offer: Offer) -> list[tuple[str, str]]:
    """Products that nothing was run with, by name and kind."""
    def is_run(of: Product) -> bool:
        if of.kind == "panel":
            fits = rig.arrays and offer.panels and not _bought(rig, offer, Lane(), 1, 0, (), of).ruled_out
            return of in (panel_of(rig, offer), second_panel_of(rig, offer)) or bool(fits)
        if of.kind == "battery":
            return offer.strings > 0
        if of.kind in ("generator", "inverter"):
            return True
        if of.kind == "load":
            return replaced_by(rig, of) is not None
        return bool(_charged_by(rig, offer, of)) if of.kind == "charger" else _holds(rig, offer.aims.first) is not None
    return [(of.name, of.kind) for of in offer.products if not is_run(of)]


def _beside(rig: Rig, offer: Offer) -> SolarArray:
    """The array that panels more are put beside, or that those on a plane of their own are like."""
    return rig.arrays[offer.aims.first.added_to or 0]


def panel_of(rig: Rig, offer: Offer) -> Product | None:
    """The panel that is added: the one asked for, else the one on the list that is the rig's own, else the first."""
    panels = [each for each in offer.products if each.kind == "panel"]
    asked = [each for each in panels if each.name == offer.panel]
    own = [each for each in panels if rig.arrays and abs(each.size - _beside(rig, offer).panel_w) < 1]
    return next(iter(asked + own + panels), None)


def second_panel_of(rig: Rig, offer: Offer) -> Product | None:
    """The panel that is added at the second spot: the one asked for, else the same; None without a list."""
    asked = (each for each in offer.products if each.kind == "panel" and each.name == offer.second_panel)
    return next(asked, panel_of(rig, offer))


def battery_of(rig: Rig, products: Sequence[Product]) -> Product | None:
    """The battery on the list that is the bank's own unit (or a station's), None without one."""
    unit = rated_energy(rig.bank) / rig.bank.parallel / (1 if rig.bank.is_station else rig.bank.series)
    return next((each for each in products if each.kind == "battery" and abs(each.size - unit) < 0.01 * unit), None)


def _bought(rig: Rig, offer: Offer, base: Lane, panels: int, strings: int, others: tuple[Product, ...],
            kind: Product | None = None, second: int = 0) -> Choice:
    """What is bought; kind  of the panels, where they are not those of the field, which then are listed by name;
    second  panels at the second spot."""
    own, battery = panel_of(rig, offer), battery_of(rig, offer.products)
    panel, other = kind or own, second_panel_of(rig, offer) if second else None
    usual_w = _beside(rig, offer).panel_w if rig.arrays else 0.0
    units = strings * (1 if rig.bank.is_station else rig.bank.series)
    bought = [(panels, panel), (second, other), (units, battery), *((1, each) for each in others)]
    price, weight, roof = _sum(bought, "price"), _sum(bought, "weight_kg"), _sum(bought[:2], "area_m2")
    lane = replace(base, added_w=panels * (panel.size if panel else usual_w),
                   beside_w=second * (other.size if other else usual_w), strings=strings)
    out = [*_over(offer.limits, price, weight, roof), *_beyond(rig, offer, lane)]
    named = [f"{panels} × {panel.name}"] if panel and panel != own and panels else []
    listed = [f"{count} × {name}" if count > 1 else name for name, count in Counter(of.name for of in others).items()]
    return Choice(0 if named else panels, strings, lane, (), price, weight, roof, tuple(out), (*named, *listed),
                  parts=tuple((count, of) for count, of in bought if count and of is not None),
                  second=second, second_panel=other.name if other else "")


def _sum(bought: Sequence[tuple[int, Product | None]], name: str) -> float | None:
    """What is bought comes to; None where one of the figures is not known."""
    total = 0.0
    for count, product in bought:
        each = getattr(product, name) if product else None
        if count and each is None:
            return None
        total += count * (each or 0.0)
    return total


def _over(limits: Limits, price: float | None, weight: float | None, roof: float | None) -> list[Reason]:
    def over(value: float | None, most: float | None) -> bool:
        return most is not None and value is not None and value > most + 1e-9
    found = []
    if over(price, limits.budget):
        found.append(reason("over_budget", value=price, most=limits.budget))
    if over(weight, limits.weight_kg):
        found.append(reason("over_weight", value=weight, most=limits.weight_kg))
    if over(roof, limits.roof_m2):
        found.append(reason("over_roof", value=roof, most=limits.roof_m2))
    return found


def _beyond(rig: Rig, offer: Offer, lane: Lane) -> list[Reason]:
    """What the rig's own parts rule out of more panels."""
    found: list[Reason] = []
    if not (lane.added_w or lane.beside_w) or not rig.arrays:
        return found
    whole = sum(array.rated_w for array in rig.arrays) + lane.added_w + lane.beside_w
    for n, array in enumerate(rig.arrays):
        more = sum(watts for spot, watts in zip(offer.aims.spots, (lane.added_w, lane.beside_w), strict=False)
                   if spot.added_to == n)
        holds = controller_limit(rig, array)
        passes = lane.controller_w if lane.controller_w and n == offer.aims.first.added_to else holds
        if more and holds is not None and passes is not None and array.rated_w + more > passes:
            found.append(reason("controller_passes", value=array.rated_w + more, most=passes))
    if rig.bank.solar_input_w is not None and whole > rig.bank.solar_input_w:
        found.append(reason("input_takes", value=whole, most=rig.bank.solar_input_w))
    takes = charge_limit(rig) * float(more_takes(rig, lane.strings * string_energy(rig) + lane.second_wh))
    if whole > HARDLY_TAKES * takes:
        found.append(reason("bank_hardly_takes", value=whole, most=takes))
    return found


def run_by_rule(rig: Rig, of: Choice) -> Generator | None:
    """The generator that an option runs by a rule; None where it runs none."""
    if of.generator is not None:
        return of.generator
    named = {name for measure in of.measures if measure.kind == "generator" for name in measure.names}
    able = [each for each in rig.generators if each.name in named] or list(rig.generators)
    return able[0] if of.lane.rule is not None else None


def with_fuel(rig: Rig, of: Choice, generator_h: float) -> Choice:
    """The option with the price of what it burns in `FUEL_YEARS`, at so many hours a year, where that is known."""
    runs = run_by_rule(rig, of)
    if runs is None or runs.fuel_l_per_hour is None or runs.fuel_price is None:
        # One that is bought is not had for its own price alone.
        return replace(of, price=None) if of.generator is not None else of
    fuel = FUEL_YEARS * generator_h * runs.fuel_l_per_hour * runs.fuel_price
    named = any(measure.kind == "generator" for measure in of.measures)
    known = of.price if of.price is not None or not named or of.bought else 0.0
    return replace(of, fuel_price=fuel, price=None if known is None else known + fuel)
