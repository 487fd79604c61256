"""The cheapest that is enough, over all that can be put together from a list, against trying all of it one by one."""

import random
import unittest
from dataclasses import replace
from itertools import chain, combinations, product

import numpy as np

from tests.core.outlook.test_outlook import log_of
from tests.support import rig, sun_of
from voltaun.core.outlook.ask import known
from voltaun.core.rig.parts import Load
from voltaun.core.sizing.choices import Limits, Product, all_choices, offer_of
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.measures import replacing
from voltaun.core.sizing.question import additions_ask
from voltaun.core.sizing.run import run
from voltaun.core.sizing.simulation import AdditionsAsk, _drawn, simulate_additions
from voltaun.core.sizing.suns import Aims, Spot, own_plane_of

RIG = rig(loads=(Load("Freezer", 900, "dc"), Load("Fridge", 700, "dc"), Load("Lamp", 200, "dc")))
UNIT_WH = 4800.0


def a_list(rng):
    """Ten products and three limits."""
    panels = [Product(f"Panel {n}", "panel", watts, rng.randint(80, 320), rng.randint(12, 25), rng.randint(10, 20) / 10)
              for n, watts in enumerate((300.0, 420.0, 210.0))]
    unit = Product("Unit", "battery", UNIT_WH, rng.randint(500, 1500), 45)
    loads = [Product(f"{name} {n}", "load", size, rng.randint(100, 700), 30) for n, (name, size) in enumerate(
        (("Freezer", 500.0), ("Freezer", 350.0), ("Fridge", 400.0), ("Fridge", 250.0), ("Lamp", 90.0)))]
    odd = Product("Other battery", "battery", 999.0, 10, 1)
    return [*panels, unit, *loads, odd], Limits(rng.choice((800.0, 1500.0, 3000.0)), rng.choice((None, 120.0)),
                                               rng.choice((None, 8.0)))


class Cheapest(unittest.TestCase):
    slow = True

    def test_it_is_the_cheapest_that_is_enough_of_all_that_can_be_put_together(self):
        rng, log = random.Random(4), log_of(90, use_wh=2900)
        sun, answered = sun_of(RIG), 0
        told = known(RIG, log, sun, log[-1].at)
        for n in range(4):
            products, limits = a_list(rng)
            offer = offer_of(RIG, (), panels=3, strings=1, products=tuple(products), limits=limits)
            ask = AdditionsAsk(RIG, told, sun, offer=offer, years=4, replays=False,
                               most_days=rng.choice((3.0, 20.0, 60.0)))
            found = simulate_additions(ask)
            best = found.best is not None and (found.choices[found.best].price, found.outcomes[found.best].below.p50)
            tried = self.all_of_it(ask, products, limits)
            enough = [(price, days) for price, days in tried if days <= ask.most_days]
            self.assertEqual(bool(best), bool(enough), n)
            if enough:
                answered += 1
                self.assertAlmostEqual(best[0], min(enough)[0], places=6, msg=str(n))
        self.assertGreater(answered, 1)

    def test_two_planes_at_once_are_as_run_by_hand(self):
        log = log_of(90, use_wh=2900)
        large, small = Product("Large", "panel", 420.0, 300), Product("Small", "panel", 210.0, 90)
        aims = Aims(Spot(0), own_plane_of(75, 0))
        offer = offer_of(RIG, (), panels=3, strings=0, products=(large, small), panel="Large", second_panel="Small",
                         limits=Limits(700.0), aims=aims)
        ask = additions_ask(RIG, known(RIG, log, sun_of(RIG), log[-1].at), sun_of(RIG), sun_of, (), {}, offer, years=4,
                            replays=False, most_days=25.0)
        found = simulate_additions(ask)
        tried = [(a, b) for a in range(4) for b in range(4) if a + b <= 3 and 300 * a + 90 * b <= 700]
        lanes = [Lane(420.0 * a, beside_w=210.0 * b) for a, b in tried]
        days = np.median(run(RIG, _drawn(ask)[2], lanes).below, axis=1)
        made = {(of.panels, of.second): came.below.p50 for of, came in zip(found.choices, found.outcomes, strict=True)
                if not of.bought and not of.ruled_out}
        self.assertEqual(made, dict(zip(tried, days.tolist(), strict=True)))
        enough = [(300 * a + 90 * b, a + b) for (a, b), short in zip(tried, days, strict=True) if short <= 25]
        best = found.choices[found.best]
        self.assertEqual((best.price, best.things), min(enough))
        self.assertGreater(best.second, 0)

    def test_a_load_is_replaced_once(self):
        products, _ = a_list(random.Random(4))
        named = [of.bought for of in all_choices(RIG, offer_of(RIG, (), panels=1, strings=1, products=tuple(products)))]
        self.assertIn(("Freezer 0", "Fridge 3", "Lamp 4"), [tuple(n for n in of if "×" not in n) for of in named])
        self.assertFalse([of for of in named if {"Freezer 0", "Freezer 1"} <= set(of)])

    def all_of_it(self, ask, products, limits):
        """(price, days short in a usual year) of every set of loads, every kind and count of panels, every string; and
        of a second bank of another kind with the rig's own panels."""
        panels = [of for of in products if of.kind == "panel"]
        unit = next(of for of in products if of.name == "Unit")
        loads = [of for of in products if of.kind == "load"]
        sets = [chosen for chosen in chain.from_iterable(combinations(loads, count) for count in range(4))
                if len({of.name.split()[0] for of in chosen}) == len(chosen)]
        other = next(of for of in products if of.name == "Other battery")
        seconds = [(panels[0], count, 0, (), other) for count in range(4)]
        priced, lanes = [], []
        for panel, count, strings, chosen, second in chain(product(panels, range(4), range(2), sets, [None]), seconds):
            bought = [(count, panel), (2 * strings, unit), *((1, of) for of in chosen), (bool(second), other)]
            price, weight = (sum(n * getattr(of, name) for n, of in bought) for name in ("price", "weight_kg"))
            roof = count * panel.area_m2
            watts = 1200 + count * panel.size
            over = any(most is not None and value > most for value, most in (
                (price, limits.budget), (weight, limits.weight_kg), (roof, limits.roof_m2)))
            second_wh = second.size if second else 0.0
            if over or watts > 1.5 * 4800 * (1 + strings + second_wh / 9600):
                continue
            lane = Lane(added_w=count * panel.size, strings=strings, second_wh=second_wh)
            for of in chosen:
                load = next(load for load in RIG.loads if load.name == of.name.split()[0])
                lane = replacing(RIG, lane, load, of.size)
            lanes.append(replace(lane))
            priced.append(float(price))
        counted = run(RIG, _drawn(ask)[2], lanes)
        days = [sorted(row)[len(row) // 2 - 1:len(row) // 2 + 1] for row in counted.below]
        return [(price, (low + high) / 2) for price, (low, high) in zip(priced, days, strict=True)]
