"""How long what is bought lasts, and what it so costs a year: by what the list says, else by usual lives, which are a
guess."""

from dataclasses import dataclass, replace

from voltaun.core.log.ledger import DIRECT_SHARE
from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing import FUEL_YEARS
from voltaun.core.sizing.banks import string_energy
from voltaun.core.sizing.choices import Choice, Product

USUAL_YEARS = {"panel": 25.0, "charger": 10.0, "controller": 12.0, "generator": 8.0, "inverter": 10.0, "load": 12.0}
"""Years that a product usually lasts, by its kind, as far as nobody says otherwise."""


@dataclass(frozen=True)
class BatteryLife:
    """So many cycles to that depth (a fraction) or so many years on the shelf, whatever ends first."""

    cycles: float
    depth: float
    years: float


BATTERIES = {"lfp": BatteryLife(4000, 0.8, 15), "nmc": BatteryLife(1000, 0.8, 10), "agm": BatteryLife(600, 0.5, 7),
             "gel": BatteryLife(800, 0.5, 9), "flooded": BatteryLife(700, 0.5, 7)}
"""Usual lives of batteries by their chemistry."""


def battery_years(rig: Rig, product: Product, full_cycles_a_year: float) -> float:
    """Years that a battery lasts in a bank that gives so many times its whole energy in a year: by the cycles of its
    label or usual ones, each of the depth that such labels mean, and no longer than on the shelf. What a list has
    is taken to be of the bank's own chemistry."""
    usual = BATTERIES[rig.bank.chemistry]
    full = (usual.cycles if product.cycles is None else product.cycles) * usual.depth
    shelf = usual.years if product.years is None else product.years
    return min(shelf, full / full_cycles_a_year) if full_cycles_a_year > 0 else shelf


def with_cost_a_year(rig: Rig, of: Choice, leaving_wh: float) -> Choice:
    """The option with what it costs a year: each thing's price over its life, and a year's fuel; None where a price is
    not known.

    leaving_wh  what leaves the bank in a day as it is, Wh; of that (1 − direct share) goes through the batteries
    """
    if of.price is None:
        return of
    more = 0.0 if of.lane.more_wh is None else 24 * float(of.lane.more_wh.mean())
    share = 1.0 if of.lane.use_share is None else float(of.lane.use_share.mean())
    holds = rated_energy(rig.bank) + of.lane.strings * string_energy(rig) + of.lane.second_wh
    full_cycles = 365 * max(0.0, leaving_wh * share + more) * (1 - DIRECT_SHARE) / holds
    cost = of.fuel_price / FUEL_YEARS
    for count, product in of.parts:
        if product.kind == "battery":
            years = battery_years(rig, product, full_cycles)
        else:
            years = USUAL_YEARS[product.kind] if product.years is None else product.years
        cost += count * (product.price or 0.0) / years
    return replace(of, cost_a_year=cost)
