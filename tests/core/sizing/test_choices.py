"""Products of a price list: what each does in the run, what it costs with its fuel, and candidates side by side."""

import unittest
from dataclasses import replace
from types import SimpleNamespace

import numpy as np

from tests.core.outlook.test_outlook import log_of
from tests.core.sizing.test_simulation import GREENSBORO, ask, weather
from tests.support import HOBART, rig, sun_of
from voltaun.core.instants import day_start
from voltaun.core.learned.account import learn
from voltaun.core.learned.capacity_fit import Estimate, Held
from voltaun.core.outlook.ask import known
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.parts import Engine, Generator, Inverter, Load, SolarArray
from voltaun.core.sizing.again import LevelsAgain, _at_midnight, levels_again
from voltaun.core.sizing.banks import more_takes, string_energy
from voltaun.core.sizing.candidates import Candidate, compare, with_candidate
from voltaun.core.sizing.choices import Choice, Limits, Product, all_choices, newly_run, not_run, offer_of, with_fuel
from voltaun.core.sizing.frontier import answer, unbeaten
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.lives import battery_years, with_cost_a_year
from voltaun.core.sizing.measures import Measure, with_inverter
from voltaun.core.sizing.simulation import _moved_by, outcome_of, simulate_additions
from voltaun.core.sizing.suns import Aims, Spot, own_plane_of
from voltaun.core.sizing.trial import Added, with_added
from voltaun.core.sizing.worksheet import Inputs, by_month, worksheet
from voltaun.words import additions as words
from voltaun.words.reasons import say

OF = rig(arrays=(SolarArray("Roof", 300, 4, 30, 0, controller_limit_w=1300),),
         vehicles=(Engine("Ute", 320, input_v=13.2, input_a=10),),
         generators=(Generator("Set", 900, 0.7, continuous_w=1500, fuel_price=2.0),),
         loads=(Load("Chest freezer", 620, "ac"), Load("Kettle", 300, "ac", 2000), Load("Fan", 100, "dc")))
PANEL, BIG = Product("Panel 300", "panel", 300, 150.0), Product("Panel 440", "panel", 440, 260.0)
CONTROLLER = Product("Controller", "controller", 3000, 400.0)
FREEZER = Product("Chest freezer 340", "load", 340, 600.0)
CHARGER = Product("Charger", "charger", 500, 310.0)


class Lives(unittest.TestCase):
    """A bank of 9600 Wh that 4000 Wh leave in a day: 365 × 4000 × 0.65 / 9600 = 98.9 full cycles a year."""

    UNIT = Product("Unit", "battery", 4800, 960.0)

    def of(self, *parts, price=1.0, **rest):
        made = Choice(0, 0, Lane(), price=price, parts=parts, **rest)
        return with_cost_a_year(OF, made, 4000.0).cost_a_year

    def test_a_battery_lasts_by_its_cycles_or_on_the_shelf(self):
        cycles = 365 * 4000 * 0.65 / 9600
        self.assertAlmostEqual(battery_years(OF, self.UNIT, cycles), 15)  # 4000 × 0.8 / 98.9 would be 32
        self.assertAlmostEqual(battery_years(OF, replace(self.UNIT, cycles=1000), cycles), 800 / cycles)
        self.assertAlmostEqual(battery_years(OF, replace(self.UNIT, years=8.0), cycles), 8)
        self.assertEqual(battery_years(OF, self.UNIT, 0.0), 15)
        acid = replace(OF, bank=replace(OF.bank, chemistry="agm"))
        self.assertAlmostEqual(battery_years(acid, self.UNIT, cycles), 300 / cycles)

    def test_each_price_over_its_life_and_a_years_fuel(self):
        self.assertAlmostEqual(self.of((2, self.UNIT)), 2 * 960 / 15)
        # With a string more the bank is twice as large: half of the cycles, and twice the years.
        lane = Lane(strings=1)
        short_lived = replace(self.UNIT, cycles=500)
        made = replace(Choice(0, 1, lane, price=1.0), parts=((2, short_lived),))
        self.assertAlmostEqual(with_cost_a_year(OF, made, 4000.0).cost_a_year,
                               2 * 960 / (400 / (365 * 4000 * 0.65 / 19_200)))
        self.assertAlmostEqual(self.of((3, PANEL), (1, CONTROLLER)), 3 * 150 / 25 + 400 / 12)
        self.assertAlmostEqual(self.of((1, replace(CHARGER, years=5.0))), 310 / 5)
        self.assertAlmostEqual(self.of(fuel_price=500.0), 50)
        self.assertIsNone(self.of((1, PANEL), price=None))

    def test_what_saves_use_and_what_adds_to_the_bank_spare_the_batteries(self):
        for lane, leaves, holds in ((Lane(more_wh=np.full(24 * 395, -1000 / 24)), 3000, 9600),
                                    (Lane(use_share=np.full(24 * 395, 0.75)), 3000, 9600),
                                    (Lane(second_wh=2400.0), 4000, 12_000)):
            made = replace(Choice(0, 0, lane, price=1.0), parts=((1, replace(self.UNIT, cycles=500)),))
            self.assertAlmostEqual(with_cost_a_year(OF, made, 4000.0).cost_a_year,
                                   960 / (400 / (365 * leaves * 0.65 / holds)))

    def test_every_option_of_a_priced_list_has_its_cost(self):
        made = all_choices(OF, offer_of(OF, panels=2, strings=1, products=(PANEL, self.UNIT, CHARGER)))
        whole = [of for of in made if of.price is not None]
        for of in whole:
            self.assertAlmostEqual(sum(count * product.price for count, product in of.parts), of.price)
        self.assertTrue(any(len(of.parts) == 2 for of in whole))
        for wrong in ({"years": 0.0}, {"years": 101.0}, {"cycles": -1.0}):
            with self.assertRaises(ValueError):
                replace(PANEL, **wrong)


class Products(unittest.TestCase):
    def offer(self, *products, **rest):
        return offer_of(OF, products=products, **({"panels": 2, "strings": 0} | rest))

    def test_a_controller_lets_more_panels_pass_and_costs(self):
        made = all_choices(OF, self.offer(PANEL, CONTROLLER))
        field, with_it = made[:3], [of for of in made if of.bought]
        # 1200 + 300 W pass no controller of 1300 W, 1200 + 600 one of 3000.
        self.assertEqual([[why.code for why in of.ruled_out] for of in field],
                         [[], ["controller_passes"], ["controller_passes"]])
        self.assertEqual([(of.panels, of.price, of.ruled_out, of.lane.controller_w) for of in with_it],
                         [(n, 400 + 150 * n, (), 3000) for n in range(3)])
        own = all_choices(OF, self.offer(PANEL, CONTROLLER, aims=Aims(own_plane_of(60, 0))))
        self.assertEqual([of.ruled_out for of in own[:3]], [(), (), ()])
        self.assertFalse([of for of in own if of.bought])

    def test_two_sizes_of_panel_on_two_planes_at_once(self):
        offer = self.offer(PANEL, BIG, CONTROLLER, panels=3, strings=1, second_panel="Panel 440",
                           aims=Aims(Spot(0), own_plane_of(80, 0)))
        two = [of for of in all_choices(OF, offer) if of.second]
        # No more than three in all; 1200 + 600 W would not pass the roof's 1300 W, and 300 do not either.
        self.assertEqual([(of.panels, of.second, of.strings) for of in two], [(0, n, m) for m in (0, 1)
                                                                              for n in (1, 2, 3)])
        wide = replace(OF, arrays=(replace(OF.arrays[0], controller_limit_w=None),))
        two = {(of.panels, of.second, of.strings): of for of in all_choices(wide, offer) if of.second}
        self.assertEqual(len(two), 12)
        of = two[1, 2, 0]
        self.assertEqual((of.lane.added_w, of.lane.beside_w, of.price, of.things, of.of_field),
                         (300, 880, 150 + 2 * 260, 3, False))
        self.assertEqual([(count, each.name) for count, each in of.parts], [(1, "Panel 300"), (2, "Panel 440")])
        self.assertEqual(words.option(of, wide), "1 × Panel 300 with 2 × Panel 440 on the other plane")
        self.assertEqual(not_run(wide, offer), [("Controller", "controller")])
        # Both on one array share its controller: 1200 + 300 + 440 W.
        held = replace(OF, arrays=(replace(OF.arrays[0], controller_limit_w=1900),))
        both = all_choices(held, replace(offer, aims=Aims(Spot(0), Spot(0))))
        self.assertEqual([(of.panels, of.second) for of in both if of.second and not of.strings and not of.bought],
                         [(0, 1)])
        # The roof's limit is for both kinds: 1.6 + 2 × 2 m².
        large = tuple(replace(of, area_m2=size) for of, size in ((PANEL, 1.6), (BIG, 2.0)))
        on_roof = all_choices(wide, replace(offer, products=large, limits=Limits(roof_m2=5.0)))
        self.assertEqual({(of.panels, of.second): of.roof_m2 for of in on_roof if of.second and not of.strings},
                         {(0, 1): 2.0, (1, 1): 3.6, (0, 2): 4.0})
        # Without prices each panel counts, wherever it is: two are not had for the days of one.
        some = [Choice(0, 0, Lane()), Choice(1, 0, Lane(), price=None), Choice(0, 0, Lane(), price=None, second=2)]
        self.assertEqual(unbeaten([replace(of, price=None) for of in some], [9.0, 3.0, 3.0]), [True, True, False])
        bare = [of for of in all_choices(wide, replace(offer, products=())) if of.second]
        self.assertEqual((bare[1].lane.added_w, bare[1].lane.beside_w), (300, 300))
        self.assertEqual(words.option(bare[1], wide), "one panel with one panel on the other plane")

    def test_a_load_that_takes_less_replaces_the_one_it_is_named_like(self):
        (made,) = [of for of in all_choices(OF, self.offer(FREEZER)) if of.bought]
        # 280 Wh a day less on the AC side, through 0.91.
        self.assertAlmostEqual(made.lane.more_wh[:24].sum(), -280 / 0.91)
        self.assertEqual((made.price, made.bought), (600.0, ("Chest freezer 340",)))
        named = replace(FREEZER, name="Another", serves="chest FREEZER")
        self.assertEqual(sum(bool(of.bought) for of in all_choices(OF, self.offer(named))), 1)
        for other in (replace(FREEZER, size=700), replace(FREEZER, name="Another"), replace(FREEZER, serves="Boat")):
            self.assertEqual(not_run(OF, self.offer(other)), [(other.name, "load")])

    def test_a_charger_serves_the_engine_or_the_generator(self):
        (made,) = [of for of in all_choices(OF, self.offer(CHARGER)) if of.bought]
        # Its input of 132 W held the old one to 119; the new one brings its own input, and 500 W.
        self.assertEqual((made.lane.brought_w.max(), made.measures[0].kind, made.price), (500, "drive", 310.0))
        (second,) = [of for of in all_choices(OF, self.offer(replace(CHARGER, serves="set"))) if of.bought]
        # A second charger: 900 + 500 W, of which the set gives 0.8 of its 1500 for long.
        self.assertEqual(second.lane.rule, (0.25, 0.60, 1200))
        self.assertEqual(not_run(OF, self.offer(CHARGER, measures=())), [("Charger", "charger")])

    def test_a_generator_is_bought_and_run_by_the_usual_rule(self):
        product = Product("Quiet set", "generator", 700, 650.0, litres_per_hour=0.4, fuel_price=1.5)
        alone, *_, with_two = [of for of in all_choices(OF, self.offer(PANEL, product)) if of.bought == ("Quiet set",)]
        self.assertEqual((alone.lane.rule, alone.price, with_two.price), ((0.25, 0.60, 700), 650.0, 950.0))
        # 50 h a year × 0.4 l × 1.5 × 10 years.
        self.assertAlmostEqual(with_fuel(OF, alone, 50.0).price, 950.0)
        self.assertEqual(not_run(OF, self.offer(product)), [])
        # A litre costs what it costs the rig's own set; where nobody knows what it burns, no price is known.
        (theirs, *_) = [of for of in all_choices(OF, self.offer(replace(product, fuel_price=None))) if of.bought]
        self.assertAlmostEqual(with_fuel(OF, theirs, 50.0).price, 1050.0)
        (blank, *_) = [of for of in all_choices(OF, self.offer(replace(product, litres_per_hour=None))) if of.bought]
        self.assertIsNone(with_fuel(OF, blank, 50.0).price)
        of = replace(OF, generators=())
        self.assertEqual(len([of for of in all_choices(of, offer_of(of, panels=0, strings=0, products=(product,)))
                              if of.generator]), 1)

    def test_an_inverter_takes_the_place_of_the_rigs(self):
        lean = Product("Inverter 2100", "inverter", 2100, 300.0, 6.0, idle_w=6.0)
        alone, *_, with_two = [of for of in all_choices(OF, self.offer(PANEL, lean)) if of.bought]
        # 18 W by itself before, 6 W now: 12 Wh an hour saved at the battery.
        self.assertEqual((set(alone.lane.more_wh), alone.price, with_two.price), ({-12.0}, 300.0, 600.0))
        self.assertEqual((alone.ruled_out, not_run(OF, self.offer(lean)), newly_run(OF, (lean,), alone)), ((), [], []))
        # By its size 1 % of its W, and no less than 5 W.
        for watts, idle in ((4000, 40.0), (300, 5.0)):
            offer = self.offer(replace(lean, size=watts, idle_w=None), panels=0)
            (made,) = [of for of in all_choices(OF, offer) if of.bought]
            self.assertEqual(set(made.lane.more_wh), {idle - 18})
        # The kettle's 2000 W ran before, on 2000; an inverter that is switched off for half of the day saves half.
        (small, *_) = [of for of in all_choices(OF, self.offer(replace(lean, size=1500))) if of.bought]
        self.assertEqual([(why.code, why.figures["name"]) for why in small.ruled_out], [("does_not_run", "Kettle")])
        starts = replace(OF, loads=(*OF.loads[:1], replace(OF.loads[1], surge_w=2300)))
        for surge, out in ((None, ["does_not_start"]), (2500, [])):
            offer = offer_of(starts, panels=0, products=(replace(lean, surge_w=surge),))
            (made,) = [of for of in all_choices(starts, offer) if of.bought]
            self.assertEqual([why.code for why in made.ruled_out], out)
        half = replace(OF, inverter=replace(OF.inverter, hours_on_per_day=12.0))
        (made, *_) = [of for of in all_choices(half, offer_of(half, products=(lean,))) if of.bought]
        self.assertEqual(set(made.lane.more_wh), {-6.0})

    def test_an_inverter_that_runs_more_says_what(self):
        of = replace(OF, inverter=replace(OF.inverter, continuous_w=1500, surge_w=None))
        large = Product("Inverter 3000", "inverter", 3000, 700.0)
        (made, *_) = [each for each in all_choices(of, offer_of(of, products=(large,))) if each.bought]
        self.assertEqual((made.ruled_out, newly_run(of, (large,), made)), ((), ["Kettle"]))
        self.assertEqual(with_inverter(of, Inverter(continuous_w=3000)).inverter.efficiency, 0.91)
        # What today's does not run either rules nothing out; what panels rule out stays.
        offer = offer_of(of, panels=1, strings=0, products=(replace(large, size=1800), PANEL))
        alone, with_one = [each for each in all_choices(of, offer) if each.bought]
        self.assertEqual((alone.ruled_out, [why.code for why in with_one.ruled_out]), ((), ["controller_passes"]))
        found = SimpleNamespace(ask=SimpleNamespace(rig=of, offer=SimpleNamespace(products=(large,))))
        self.assertEqual(words.also_runs(found, made), ["It starts and runs Kettle, which today’s inverter does not."])
        self.assertEqual(words.also_runs(found, replace(made, bought=())), [])
        without = replace(OF, inverter=None, loads=OF.loads[2:])
        (made, *_) = [each for each in all_choices(without, offer_of(without, products=(large,))) if each.bought]
        self.assertEqual((set(made.lane.more_wh), newly_run(without, (large,), made)), ({30.0}, []))
        # All at once are 2100 W: that is held against one only where today's, of so many W, runs them.
        both = (replace(OF.loads[0], running_w=100), OF.loads[1])
        for watts, out in ((2000, []), (2200, ["not_at_once"])):
            today = replace(OF, loads=both, inverter=replace(OF.inverter, continuous_w=watts))
            product = replace(large, size=2050, surge_w=5000)
            (made, *_) = [each for each in all_choices(today, offer_of(today, products=(product,))) if each.bought]
            self.assertEqual([why.code for why in made.ruled_out], out)
        # Where there was no inverter one that runs only some of the loads takes nothing away, and says no more.
        none = replace(OF, inverter=None)
        small = replace(large, size=1000)
        (made, *_) = [each for each in all_choices(none, offer_of(none, products=(small,))) if each.bought]
        self.assertEqual((made.ruled_out, newly_run(none, (small,), made)), ((), ["Chest freezer"]))

    def test_batteries_of_another_kind_are_a_second_bank(self):
        product = Product("Pack", "battery", 2400, 500.0, 20.0)
        made = [of for of in all_choices(OF, self.offer(product, strings=2, panels=0)) if of.bought]
        self.assertEqual([(of.lane.second_wh, of.price, of.weight_kg, of.bought) for of in made],
                         [(2400, 500.0, 20.0, ("Pack",)), (4800, 1000.0, 40.0, ("2 × Pack",))])
        # With panels too; and where the money is short, alone, so that it stands there with its reason.
        two = [(of.panels, of.bought, bool(of.ruled_out)) for of in all_choices(OF, self.offer(
            product, PANEL, strings=2, panels=1, limits=Limits(budget=600))) if of.lane.second_wh]
        self.assertEqual(two, [(0, ("Pack",), False), (0, ("2 × Pack",), True)])
        self.assertEqual(not_run(OF, self.offer(product)), [("Pack", "battery")])
        self.assertIn("allow some in the question", words.not_run([("Pack", "battery")])[0])
        # As much as a string of the bank's own it is to the run what that is.
        asked = ask(GREENSBORO, weathers=[weather("723170TYA.CSV")], panels=0, strings=1, years=5, replays=False)
        string = string_energy(asked.rig)
        self.assertEqual(outcome_of(asked, Lane(second_wh=string)).below, outcome_of(asked, Lane(strings=1)).below)
        self.assertLess(outcome_of(asked, Lane(second_wh=string)).below.mean, outcome_of(asked, Lane()).below.mean)
        self.assertAlmostEqual(more_takes(asked.rig, 2 * string), 1 + 2 / asked.rig.bank.parallel)

    def test_the_panel_that_is_asked_for_is_added(self):
        for asked, watts, missing in ((None, 300, "Panel 440"), ("Panel 440", 440, "Panel 300")):
            offer = self.offer(PANEL, BIG, panel=asked)
            self.assertEqual(all_choices(OF, offer)[1].lane.added_w, watts)
            self.assertEqual(not_run(OF, offer), [(missing, "panel")])  # the controller passes neither of them more
            free = replace(OF, arrays=(replace(OF.arrays[0], controller_limit_w=None),))
            self.assertEqual(not_run(free, offer), [])
            self.assertIn((f"1 × {missing}",), [of.bought for of in all_choices(free, offer)])
            self.assertEqual(not_run(free, replace(offer, panels=0)), [(missing, "panel")])
        self.assertIn("Panel 440 was not run: another panel", words.not_run([("Panel 440", "panel")])[0])

    def test_panels_beside_the_second_array_are_like_its_own(self):
        of = replace(OF, arrays=(*OF.arrays, SolarArray("Wall", 440, 1, 80, 0, controller_limit_w=900)))
        offer = offer_of(of, panels=2, strings=0, products=(PANEL, BIG), aims=Aims(Spot(1)))
        one, two = all_choices(of, offer)[1:3]
        self.assertEqual((one.lane.added_w, one.price, one.ruled_out), (440, 260.0, ()))
        self.assertEqual([why.code for why in two.ruled_out], ["controller_passes"])  # 1320 W on its own 900

    def test_fuel_costs_what_ten_years_burn(self):
        made = all_choices(OF, self.offer())
        runs = next(of for of in made if of.lane.rule)
        # 100 h a year × 0.7 l × 2.0 × 10 years.
        burnt = with_fuel(OF, runs, 100.0)
        self.assertAlmostEqual(burnt.price, 1400.0)
        self.assertAlmostEqual(burnt.fuel_price, 1400.0)
        self.assertIs(with_fuel(OF, made[0], 100.0), made[0])
        unknown = replace(OF, generators=(replace(OF.generators[0], fuel_price=None),))
        self.assertIsNone(with_fuel(unknown, runs, 100.0).price)
        bought = replace(runs, price=310.0, bought=("Charger",))
        self.assertAlmostEqual(with_fuel(OF, bought, 10.0).price, 450.0)
        # With its price known it stands among what nothing beats.
        self.assertEqual(unbeaten([replace(made[0], price=0.0), burnt], [30.0, 2.0]), [True, True])
        self.assertEqual(answer([made[0], bought, burnt], [30.0, 2.0, 1.0], [40.0, 5.0, 2.0], 3.0), 1)
        # Without prices a thing more counts like a panel more: as many days short with it are beaten by none.
        other = replace(made[0], bought=("Freezer",), price=None)
        three = [made[0], replace(made[1], price=None), other]
        self.assertEqual(unbeaten(three, [9.0, 9.0, 9.0]), [True, False, False])
        self.assertEqual(unbeaten(three, [9.0, 9.0, 5.0]), [True, False, True])

    def test_limits_count_all_that_is_bought(self):
        offer = self.offer(PANEL, CONTROLLER, limits=Limits(budget=500.0))
        self.assertEqual([[why.code for why in of.ruled_out] for of in all_choices(OF, offer) if of.bought],
                         [[], ["over_budget"], ["over_budget"]])


class Found(unittest.TestCase):
    def test_an_option_by_itself_is_the_one_of_the_field(self):
        asked = ask(GREENSBORO, weathers=[weather("723170TYA.CSV")], panels=1, strings=1, years=5, replays=False)
        made = simulate_additions(asked)
        self.assertEqual(outcome_of(asked, Lane(400.0, 1)), made.outcomes[3])

    def test_a_plane_of_its_own_that_is_the_same_changes_nothing(self):
        def made(**aims):
            return simulate_additions(ask(GREENSBORO, weathers=[weather("723170TYA.CSV")], panels=2, strings=0, years=4,
                                          replays=False, **aims))
        same, own = made(), made(aims=Aims(own_plane_of(36, 180)))
        self.assertEqual([of.below.mean for of in same.outcomes], [of.below.mean for of in own.outcomes])
        flat = made(aims=Aims(own_plane_of(0, 180)))
        self.assertGreater(flat.outcomes[2].below.mean, own.outcomes[2].below.mean)

    def test_what_moves_the_answer_is_what_the_days_follow(self):
        rng = np.random.default_rng(1)
        use, sky, still = rng.normal(1, 0.1, 40), rng.normal(0, 0.6, 40), np.ones(40)
        days = np.maximum(0, 100 * (use - 0.8) - 3 * sky)
        drawn = SimpleNamespace(draws={"winter": sky, "use": use, "capacity": still, "draw": rng.normal(size=40)})
        self.assertEqual(_moved_by(drawn, days)[0], "use")
        self.assertNotIn("draw", _moved_by(drawn, days))
        self.assertEqual(_moved_by(drawn, np.zeros(40)), ())
        for habits, then in (({}, "your word on it under The question, or a weather file."),
                             ({"winter": (0.2, 0.3, 0.5)}, "a weather file of the place.")):
            said = words.sharpen(SimpleNamespace(sharpen=("use", "winter"), ask=SimpleNamespace(habits=habits)))
            self.assertIn("meter the largest loads", said)
            self.assertIn("Then the sky in winter: " + then, said)

    def test_what_does_as_much_in_words(self):
        def came(days):
            return SimpleNamespace(below=SimpleNamespace(p50=days, p90=days + 9))
        drive = Measure("drive", ("Ute",), hours=1, every=3)
        free = [replace(Choice(0, 0, Lane(), (drive,)), fuel_price=fuel) for fuel in (0.0, 0.0, 0.0, 70.0)]
        found = SimpleNamespace(choices=[Choice(0, 0, Lane()), Choice(1, 0, Lane()), Choice(2, 0, Lane()), *free],
                                outcomes=[came(days) for days in (30, 20, 12, 34, 28, 19, 2)])
        told = [line.removeprefix("An hour’s drive with Ute every three days ") for line in words.as_much(found)]
        self.assertEqual(told, [
            "makes it worse. That leaves about 34 days in a usual year and 43 in a hard one.",
            "brings less than one more panel. That leaves about 28 days in a usual year and 37 in a hard one.",
            "brings about as much as one more panel. That leaves about 19 days in a usual year and 28 in a hard one.",
            "brings more than two more panels, for 70 of fuel in ten years. That leaves about 2 days in a usual year "
            "and 11 in a hard one."])

    def test_hardly_a_day(self):
        for usual, hard, said in ((0.2, 0.3, "hardly a day in a usual year and none in a hard one"),
                                  (1, 9, "about 1 day in a usual year and 9 in a hard one")):
            self.assertEqual(words.short_days(SimpleNamespace(p50=usual, p90=hard)), said)

    def test_a_months_array_by_the_sheet(self):
        sheet = worksheet(rig(), Inputs(1900.0, 2.0, design_month=1))
        months = by_month(rig(), sheet, [4.0] * 11 + [0.0], 0.375)
        # 4 × 0.375 / 0.75 = 2 peak-sun hours: the sheet's own 2333 W; none in the dark month.
        self.assertAlmostEqual(months[0].array_w, sheet.array_w)
        self.assertEqual((months[0].peak_sun_hours, months[11].array_w), (2.0, None))

    def test_the_log_again_hour_by_hour(self):
        log, of = log_of(40, use_wh=2600), rig(place=HOBART)
        tells = known(of, log, sun_of(of), log[-1].at)
        lived = levels_again(of, tells, sun_of(of), Lane(600.0))
        self.assertEqual((len(lived.was) % 24, len(lived.was)), (0, len(lived.came)))
        self.assertGreater((lived.came - lived.was).mean(), 0.02)
        # With nothing added each level comes out as it was read.
        begin = day_start(lived.first, of.zone)
        for reading in log[1:-1]:
            hour = round((reading.at - begin).total_seconds() / 3600)
            self.assertAlmostEqual(lived.was[hour - 1], reading.soc, delta=0.004)
        # At midnight it lies between the readings before and after: five of twenty-four hours on from 50 to 62 %.
        self.assertAlmostEqual(_at_midnight([(-30, 0.9), (-5, 0.5), (19, 0.62), (40, 0.1)])[1], 0.525)
        self.assertEqual([_at_midnight(read) for read in ([(3, 0.4)], [(-3, 0.4)], [])], [(0, 0.4), (0, 0.4), (0, 1.0)])
        low = np.ones(24 * 30)
        low[24 * 12:24 * 15] = 0.1
        self.assertTrue(10 <= LevelsAgain(lived.first, low, low).worst(0.2, 5) <= 12)

    def test_what_is_tried_on_stands_where_it_was_asked_for(self):
        own = with_added(OF, [Added(2, 440.0, own_plane_of(60, 0))], 0)
        self.assertEqual([(array.rated_w, array.tilt_deg) for array in own.arrays], [(1200, 30), (880, 60)])
        both = with_added(OF, [Added(1, 440.0), Added(3, 200.0, own_plane_of(80, 0))], 1)
        self.assertEqual([array.rated_w for array in both.arrays], [1640, 600])
        self.assertEqual(both.bank.parallel, OF.bank.parallel + 1)
        mixed = with_added(OF, [Added(2, 440.0)], 0).arrays[0]
        self.assertEqual((mixed.panels, mixed.rated_w), (6, 2080))


class Beside(unittest.TestCase):
    STATION = Candidate("Station", station_wh=2000.0, inverter_w=1800.0, surge_w=2500.0, solar_w=600.0, socket_w=500.0,
                        price=1600.0, weight_kg=25.0)

    def compared(self, candidate, sun=(2000.0,) * 11 + (1000.0,), of=OF):
        return compare(of, candidate, learn(of, []), sun)

    def test_a_station_by_its_label(self):
        made = self.compared(self.STATION, of=replace(OF, loads=OF.loads[:1]))
        # 2000 Wh are 1700 at its sockets, 1888.9 at the battery through 0.9; four fifths of that to the floor.
        self.assertAlmostEqual(made.usable_wh, 0.8 * 2000 * 0.85 / 0.9, places=6)
        # The freezer's 620 Wh are 688.9 at the battery, the inverter's idle of 18 W 432, the standby of 2 W 48.
        a_day = 620 / 0.9 + 18 * 24 + 48
        self.assertAlmostEqual(made.hours, made.usable_wh / a_day * 24, places=6)
        self.assertAlmostEqual(made.delivered_wh, made.usable_wh * 620 / a_day, places=6)
        (freezer,) = made.each
        self.assertAlmostEqual(freezer.usual_h, made.hours, places=6)
        self.assertEqual((freezer.cannot, freezer.on_h), (None, None))  # nobody said its W
        kettle, fan = self.compared(self.STATION, of=OF).each[1:]
        self.assertEqual((words.of_load(kettle), fan.cannot), ("no: 2\u202f000 W on 1\u202f800 W", None))
        kettle = self.compared(replace(self.STATION, inverter_w=2400.0), of=OF).each[1]
        # While it is on its 2000 W are 2222 at the battery, with 24 of idle and 2 of standby.
        self.assertAlmostEqual(kettle.on_h, made.usable_wh / (2000 / 0.9 + 24 + 2), places=6)
        started = replace(OF, loads=(replace(OF.loads[0], running_w=90, surge_w=2600),))
        self.assertEqual(words.of_load(self.compared(self.STATION, of=started).each[0]),
                         "no: 2\u202f600 W on 2\u202f500 W")
        # Half of 1200 W of panels are taken: 1590.6 Wh at 500 a day in the worst month; 3.18 h at a socket of 500 W.
        into = made.usable_wh / 0.95
        self.assertEqual([round(days, 3) for days in made.fill_days], [round(into / 500, 3), round(into / 1000, 3)])
        self.assertAlmostEqual(made.socket_h, into / 500)
        self.assertAlmostEqual(made.generator_h, into / 900)
        self.assertAlmostEqual(made.per_kwh(1600.0), 1600 / made.delivered_wh * 1000)
        self.assertIsNone(made.per_kwh(None))

    def test_what_it_cannot_do_stands_first(self):
        small = replace(self.STATION, inverter_w=1500.0, surge_w=2500.0)
        self.assertEqual([say(why) for why in self.compared(small).cannot], ["does not run Kettle: 2 000 W on 1 500 W"])
        fridge = replace(OF, loads=(Load("Fridge", 500, "ac", 80, 350), Load("Lamp", 60, "ac", 300)))
        for inverter, surge, told in ((300.0, 320.0, ["does_not_start"]), (370.0, 700.0, ["not_at_once"]),
                                      (390.0, 600.0, ["no_start_beside"]), (390.0, 650.0, [])):
            of = replace(self.STATION, inverter_w=inverter, surge_w=surge)
            self.assertEqual([why.code for why in self.compared(of, of=fridge).cannot], told, inverter)
        bare = Candidate("Bank", unit_v=12.8, unit_ah=100.0, series=2)
        without = self.compared(bare, of=replace(OF, inverter=None))
        self.assertEqual([why.code for why in without.cannot], ["no_inverter_for"])
        self.assertEqual(self.compared(bare).rig.inverter, OF.inverter)
        with self.assertRaises(RigFaults):
            Candidate("Nothing").on(OF)

    def test_in_the_run_it_stands_in_the_banks_place(self):
        of = replace(GREENSBORO, inverter=Inverter(10, 0.9, 2000, 4000), loads=(Load("All", 3000, "ac"),))
        asked = ask(of, weathers=[weather("723170TYA.CSV")], years=3, replays=False)
        same = Candidate("Same", unit_v=12.8, unit_ah=200.0, series=2)
        tells, lane = with_candidate(of, same.on(of), asked.known)
        self.assertIsNone(lane.more_wh)
        held = Held(Estimate(4000.0, 3900.0, 4100.0), Estimate(10.0, 8.0, 12.0), 30, 60.0, 1.0)
        shown = replace(asked.known, learned=replace(asked.known.learned, held=held))
        # What the log says of the old bank is no news of the new one; the draw that nobody sees stays.
        kept = with_candidate(of, same.on(of), shown)[0].learned.held
        self.assertEqual((kept.energy_wh, kept.hidden_w), (None, held.hidden_w))
        plain = outcome_of(asked, Lane())
        self.assertEqual(outcome_of(replace(asked, rig=same.on(of), known=tells), lane), plain)
        wasteful = Candidate("Idle", station_wh=5120 / 0.85 * 0.9, inverter_w=6000.0)  # 60 W of idle instead of 10
        tells, lane = with_candidate(of, wasteful.on(of), asked.known)
        self.assertAlmostEqual(lane.more_wh[:24].sum(), 50 * 24)
        idle = outcome_of(replace(asked, rig=wasteful.on(of), known=tells), lane)
        self.assertGreater(idle.below.mean, plain.below.mean)

    def test_the_sentence(self):
        one, two = self.compared(self.STATION), self.compared(replace(self.STATION, name="Two", station_wh=4000.0))
        self.assertIn("Put what you think of", words.beside([], []))
        self.assertIn("None of these does all", words.beside([one], [None]))
        fine = replace(one, cannot=()), replace(two, cannot=())
        self.assertIn("Two runs your usual things longest", words.beside(list(fine), [None, None]))
        few, many = (SimpleNamespace(p50=days, p90=2 * days) for days in (3, 9))
        self.assertIn("Station leaves the fewest days below your floor, about 3", words.beside(list(fine), [few, many]))


if __name__ == "__main__":
    unittest.main()
