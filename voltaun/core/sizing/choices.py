"""What may be added, or done without buying, what each costs and what rules it out."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np

from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.bank import charge_limit, controller_limit, rated_energy
from voltaun.core.rig.loads import hours_shape, load_dc_wh
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.years import calendar

PRODUCTS = ("panel", "battery", "charger", "controller", "load")
"""Kinds of products on a price list."""

HARDLY_TAKES = 1.5
"""An array of so many times what the bank takes below its taper is hardly taken."""

DRIVE_EVERY, DRIVE_AT, SOCKET_EVERY, SOCKET_HOURS = 3, 9, 7, 6
"""What is looked at without buying: an hour's drive each so many days at nine, a socket once a week for six hours."""

RULE_STOP = 0.60
"""A generator that is looked at is started five points above the everyday floor and run to this level."""


@dataclass(frozen=True)
class Product:
    """A product that the user has written down: what one costs, weighs and covers; None what is not known.

    size  W of a panel, a charger or a controller, Wh of a battery, Wh a day of a load
    """

    name: str
    kind: str
    size: float
    price: float | None = None
    weight_kg: float | None = None
    area_m2: float | None = None

    def __post_init__(self) -> None:
        if self.kind not in PRODUCTS:
            raise ValueError(f"found kind {self.kind!r}, expected one of {', '.join(PRODUCTS)}")
        if not self.size > 0:
            raise ValueError(f"found a size of {self.size:g}, expected more than 0")
        for name in ("price", "weight_kg", "area_m2"):
            value = getattr(self, name)
            if value is not None and not 0 <= value <= 1e9:
                raise ValueError(f"found {name} {value:g}, expected 0 or more")


@dataclass(frozen=True)
class Limits:
    """What all that is bought may come to: money, kg, m² of roof; None without a limit."""

    budget: float | None = None
    weight_kg: float | None = None
    roof_m2: float | None = None


@dataclass(frozen=True)
class Choice:
    """One option: what is bought, what is done without buying (by name), and how the run sees it.

    ruled_out  why it cannot be had, none when it can
    """

    panels: int
    strings: int
    lane: Lane
    measures: tuple[str, ...] = ()
    price: float | None = None
    weight_kg: float | None = None
    roof_m2: float | None = None
    ruled_out: tuple[Reason, ...] = field(default=())


def field_of(rig: Rig, panels: int, strings: int, products: Iterable[Product], limits: Limits) -> list[Choice]:
    """Every crossing of 0 to so many panels more on the first array's plane and strings of the bank's own more."""
    listed = list(products)
    panel, battery = panel_of(rig, listed), battery_of(rig, listed)
    return [_bought(rig, more, rows, panel, battery, limits) for rows in range(strings + 1)
            for more in range((panels if rig.arrays else 0) + 1)]


def panel_of(rig: Rig, products: Sequence[Product]) -> Product | None:
    """The panel on the list that is the rig's own, else the first one."""
    panels = [each for each in products if each.kind == "panel"]
    own = [each for each in panels if rig.arrays and abs(each.size - rig.arrays[0].panel_w) < 1]
    return next(iter(own + panels), None)


def battery_of(rig: Rig, products: Sequence[Product]) -> Product | None:
    """The battery on the list that is the bank's own unit (or a station's), None without one."""
    unit = rated_energy(rig.bank) / rig.bank.parallel / (1 if rig.bank.is_station else rig.bank.series)
    return next((each for each in products if each.kind == "battery" and abs(each.size - unit) < 0.01 * unit), None)


def _bought(rig: Rig, panels: int, strings: int, panel: Product | None, battery: Product | None,
            limits: Limits) -> Choice:
    panel_w = panel.size if panel else rig.arrays[0].panel_w if rig.arrays else 0.0
    units = strings * (1 if rig.bank.is_station else rig.bank.series)
    bought = [(panels, panel), (units, battery)]
    price, weight, roof = _sum(bought, "price"), _sum(bought, "weight_kg"), _sum(bought[:1], "area_m2")
    lane = Lane(panels * panel_w, strings)
    out = [*_over(limits, price, weight, roof), *_beyond(rig, lane)]
    return Choice(panels, strings, lane, (), price, weight, roof, tuple(out))


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


def _beyond(rig: Rig, lane: Lane) -> list[Reason]:
    """What the rig's own parts rule out of more panels."""
    found: list[Reason] = []
    if not lane.added_w or not rig.arrays:
        return found
    first = rig.arrays[0].rated_w + lane.added_w
    whole = sum(array.rated_w for array in rig.arrays) + lane.added_w
    passes = controller_limit(rig, rig.arrays[0])
    if passes is not None and first > passes:
        found.append(reason("controller_passes", value=first, most=passes))
    if rig.bank.solar_input_w is not None and whole > rig.bank.solar_input_w:
        found.append(reason("input_takes", value=whole, most=rig.bank.solar_input_w))
    takes = charge_limit(rig) * (1 + lane.strings / rig.bank.parallel)
    if whole > HARDLY_TAKES * takes:
        found.append(reason("bank_hardly_takes", value=whole, most=takes))
    return found


def without_buying(rig: Rig) -> list[Choice]:
    """What this rig could do without buying anything, each on its own; what takes fuel has no price that is known."""
    days = calendar()
    found = []
    spare = [load for load in rig.loads if load.priority == "spare"]
    if spare:
        less = np.zeros((len(days), 24))
        for load in spare:
            held = np.array([day.month in load.months for day in days])
            less[held] -= load_dc_wh(rig, load) * hours_shape(load.pattern)
        found.append(Choice(0, 0, Lane(more_wh=less.ravel()), ("leave_off:" + ", ".join(load.name for load in spare),),
                            price=0.0))
    for source, every, hours, kind in ((rig.vehicles, DRIVE_EVERY, 1, "drive"),
                                       (rig.mains, SOCKET_EVERY, SOCKET_HOURS, "mains")):
        if source:
            watts = np.zeros((len(days), 24))
            watts[::every, DRIVE_AT:DRIVE_AT + hours] = source[0].gives_w
            found.append(Choice(0, 0, Lane(brought_w=watts.ravel()), (f"{kind}:{source[0].name}",)))
    if rig.generators:
        start = min(rig.bank.everyday_floor + 0.05, 0.95)
        found.append(Choice(0, 0, Lane(rule=(start, max(RULE_STOP, start + 0.05), rig.generators[0].gives_w)),
                            (f"generator:{rig.generators[0].name}",)))
    return found


def unbeaten(choices: Sequence[Choice], days: Sequence[float]) -> list[bool]:
    """Which of them no other beats: none costs no more and leaves no more days below, and one of both less.

    days  below the everyday floor in a usual year. Without prices panels and strings each count. What is ruled out
    beats nothing and is not among them, nor is what takes fuel, whose price is not known.
    """
    priced = all(of.price is not None for of in choices if not of.measures)

    def costs(of: Choice) -> tuple[float, ...]:
        return (of.price or 0.0,) if priced else (float(of.panels), float(of.strings))

    def beats(one: int, other: int) -> bool:
        a, b = costs(choices[one]), costs(choices[other])
        no_worse = all(x <= y for x, y in zip(a, b, strict=True)) and days[one] <= days[other]
        return no_worse and (a != b or days[one] < days[other])
    able = [n for n, of in enumerate(choices) if not of.ruled_out and (of.price is not None or not of.measures)]
    return [n in able and not any(beats(one, n) for one in able if one != n) for n in range(len(choices))]


def answer(choices: Sequence[Choice], days: Sequence[float], most_days: float) -> int | None:
    """The least that keeps a usual year within so many days below: by price, else by how much is added; of what is done
    without buying only where nothing to buy does. None when nothing that can be had does."""
    def cost(n: int) -> tuple[float, ...]:
        of = choices[n]
        amount = (of.lane.added_w, of.strings)
        return (bool(of.measures), of.price if of.price is not None else float("inf"), of.panels + of.strings, *amount,
                days[n])
    able = [n for n, of in enumerate(choices) if not of.ruled_out and days[n] <= most_days]
    return min(able, key=cost, default=None)
