"""Advice that was run: what is advised is enough when it is kept, and four fifths of it is not.

The rig of `test_decisions`: 9600 Wh, η 0.95, 2 W standby, floors 20 and 10, at midnight in Hobart.
"""

import unittest
from dataclasses import replace
from datetime import date, timedelta
from types import SimpleNamespace
from unittest import mock

import numpy as np

from tests.core.outlook.test_present import asked
from tests.core.test_decisions import MIDNIGHT, PLAIN
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.lanes import RISKY
from voltaun.core.outlook.laying import ENOUGH, SLOT, Window
from voltaun.core.outlook.outlook import outlook
from voltaun.core.outlook.plans import SOURCE_OF, GeneratorRule, Plan
from voltaun.core.outlook.present import Present
from voltaun.core.outlook.ways import RUN_FROM, RUN_TO, Search
from voltaun.core.rig.parts import Engine, Generator, Load, Mains
from voltaun.formats.plan_text import as_text, read_plan
from voltaun.words import advising

SET = replace(PLAIN, generators=(Generator("Set", 900.0, 0.7, fuel_price=2.0),))
TODAY = date(2026, 11, 25)


def advice_of(of=SET, level=0.45, **given):
    return outlook(asked(of, level=level, per_day=(900.0, 1500.0), **given))


def kept(of, made, ways=0, share=1.0, seed=7, level=0.45):
    """The outlook with a way of the advice kept, or so much of its hours."""
    plans = tuple(replace(plan, amount=plan.amount * share) if plan.kind in SOURCE_OF else plan
                  for plan in made.advice.ways[ways].plans)
    return advice_of(of, level, plans=plans, seed=seed)


class Least(unittest.TestCase):
    def test_what_is_advised_is_enough_and_four_fifths_are_not(self):
        for level in (0.30, 0.45, 0.60):
            made = advice_of(level=level)
            self.assertTrue(made.advice.asks and made.advice.enough)
            (way,) = (way for way in made.advice.ways if way.hours)
            self.assertLessEqual(way.chance_after, RISKY)
            at = made.advice.ways.index(way)
            self.assertFalse(kept(SET, made, at, level=level).advice.asks, level)
            self.assertTrue(kept(SET, made, at, share=0.8, level=level).advice.asks, level)

    def test_the_chance_that_is_told_is_that_of_the_same_futures_with_the_way_kept(self):
        for level in (0.30, 0.60):
            made = advice_of(level=level)
            for at, way in enumerate(made.advice.ways):
                again = kept(SET, made, at, seed=asked(SET).seed, level=level).advice
                self.assertAlmostEqual(again.chance, way.chance_after, delta=0.001, msg=way.plans)

    def test_it_is_about_as_much_as_is_missing(self):
        # From 45 to 20 % are 2400 Wh. Until the end of 28 November four days take 4 × 1248 = 4992: 2592 Wh are missing
        # and what the doubt of use and bank adds. While the set runs 52 Wh an hour are used straight from it.
        made = advice_of()
        hours = sum(way.hours for way in made.advice.ways if way.hours)
        self.assertTrue(2592 / (52 + 0.95 * 848) < hours < 7.0, hours)

    def test_runs_are_laid_late_within_the_hours_in_which_one_runs_them(self):
        made = advice_of(level=0.35)
        for way in made.advice.ways:
            for plan in way.plans:
                if plan.kind in SOURCE_OF:
                    self.assertTrue(plan.begin >= RUN_FROM and plan.begin + plan.amount <= RUN_TO, plan)
                    self.assertGreaterEqual(plan.amount, 0.5)
        # At 35 % there are 1440 Wh to the floor, 27.7 h of 52 Wh: nothing is asked for on the first morning.
        first = min(plan.begin + 24 * (plan.first - TODAY).days for way in made.advice.ways for plan in way.plans
                    if plan.kind in SOURCE_OF)
        self.assertGreater(first, 12)

    def test_what_nothing_can_help_is_left_out(self):
        # At 25 % there are 480 Wh to the floor, and until 8:00, when the set may run, eight hours of 52 Wh go: in some
        # futures more. They are below the floor then whatever is run, and the rest of that day is not asked about.
        made = advice_of(level=0.25).advice
        self.assertTrue(made.asks and made.enough)
        self.assertGreater(made.ways[0].chance_after, RISKY)
        self.assertLess(made.ways[0].hours, 9.0)

    def test_where_it_runs_by_plan_already_nothing_is_laid(self):
        weak = replace(PLAIN, mains=(Mains("Post", 100.0),))
        by_day = Plan("mains", TODAY, date(2026, 11, 29), 12.0, "Post", 8.0)
        runs = [plan for way in advice_of(weak, level=0.24, plans=(by_day,)).advice.ways for plan in way.plans
                if plan.kind == "mains"]
        self.assertTrue(runs)
        self.assertGreaterEqual(min(plan.begin for plan in runs), 20.0)

    def test_a_rules_hours_and_its_fuel_hold(self):
        narrow = GeneratorRule(0.05, 0.06, 9.0, 12.0)
        ways = advice_of(rule=narrow).advice.ways
        for plan in (plan for way in ways for plan in way.plans if plan.kind == "generator"):
            self.assertTrue(plan.begin >= 9.0 and plan.begin + plan.amount <= 12.0, plan)
        # Two litres at 0.7 an hour are 2.86 h.
        dry = advice_of(rule=GeneratorRule(0.05, 0.06, 0.0, 24.0, 2.0)).advice
        self.assertTrue(all(way.hours <= 2.9 for way in dry.ways))
        none = advice_of(rule=GeneratorRule(0.05, 0.06, 0.0, 24.0, 0.0))
        self.assertEqual((none.advice.no_fuel, sum(way.hours for way in none.advice.ways)), (("Set",), 0.0))

    def test_where_nothing_is_risked_nothing_is_asked_for(self):
        calm = advice_of(level=0.95)
        self.assertEqual((calm.advice.asks, calm.advice.ways, calm.advice.enough), (False, (), True))
        self.assertLessEqual(calm.advice.chance, RISKY)

    def test_what_costs_nothing_comes_first_and_fuel_by_its_price(self):
        of = replace(SET, loads=(Load("Cabinet", 900.0, "dc", priority="spare"), Load("Fridge", 300.0, "dc",
                                                                                       priority="essential")),
                     mains=(Mains("Post", 200.0),))
        made = advice_of(of, 0.55)
        costs = [way.cost for way in made.advice.ways if way.enough]
        self.assertEqual(costs, sorted(costs, key=lambda cost: (cost is None, cost or 0.0)))
        (fuel,) = (way for way in made.advice.ways if way.plans[0].kind == "generator")
        self.assertAlmostEqual(fuel.cost, fuel.hours * 0.7 * 2.0)
        self.assertFalse(any(plan.name == "Fridge" for way in made.advice.ways for plan in way.plans))
        self.assertEqual(made.advice.ways[0].plans[0].name, "Cabinet")

    def test_a_way_that_is_not_enough_is_joined_with_the_next(self):
        # A socket of 60 W brings 60 × 14 h = 840 Wh a day at the most, an engine of 100 W some 1400.
        of = replace(PLAIN, mains=(Mains("Post", 100.0),), vehicles=(Engine("Ute", 100.0),))
        made = advice_of(of, level=0.25)
        self.assertFalse(any(way.enough for way in made.advice.ways if len({plan.kind for plan in way.plans}) == 1
                             and way.hours))
        joined = made.advice.ways[0]
        self.assertEqual({plan.kind for plan in joined.plans}, {"mains", "drive"})
        self.assertLess(joined.chance_after, min(way.chance_after for way in made.advice.ways[1:] if way.hours))

    def test_below_the_floor_what_comes_after_is_weighed(self):
        # At 12 % at midnight nothing helps before eight; the day is lost, and the next ones are not.
        made = advice_of(level=0.12)
        self.assertTrue(made.advice.asks)
        self.assertIsNotNone(made.advice.helped_from)
        way = next(way for way in made.advice.ways if way.hours)
        self.assertEqual((way.enough, way.chance_after > 0.9), (True, True))
        first = way.plans[0]
        self.assertLessEqual(first.begin + 24 * (first.first - TODAY).days, 24)

    def test_an_old_level_is_read_before_anything_else_and_only_the_certain_is_asked_for(self):
        vague = asked(SET, hours=20.0, level=0.55, per_day=(900.0, 1500.0))
        made = outlook(vague)
        self.assertTrue(made.present.vague)
        with mock.patch.object(Present, "vague", False):
            plain = outlook(vague)
        # Only the futures with the most left are asked: that is less than what all of them need.
        self.assertTrue(plain.advice.asks)
        self.assertLess(sum(way.hours for way in made.advice.ways), sum(way.hours for way in plain.advice.ways))
        silent = outlook(asked(SET, hours=80.0, level=0.2))
        self.assertEqual((silent.advice.asks, silent.advice.ways), (False, ()))


class Bad(unittest.TestCase):
    """Each bad state has its own words."""

    def said(self, of, level=0.25, **given):
        made = advice_of(of, level, **given)
        return " ".join([advising.headline(made, of), *advising.odds(made, of), *advising.advice(made, of, None)])

    def test_no_way_to_charge(self):
        self.assertIn("This rig has nothing to charge with by hand.", self.said(PLAIN, 0.11))

    def test_below_the_hard_floor(self):
        self.assertIn("The bank is below 20 % now.", self.said(SET, 0.08))

    def test_no_fuel(self):
        self.assertIn("Set has no fuel left.", self.said(SET, 0.11, rule=GeneratorRule(0.05, 0.06, litres=0.0)))

    def test_all_together_not_enough(self):
        weak = replace(PLAIN, mains=(Mains("Post", 5.0),))
        self.assertIn("Nothing this rig has is enough", self.said(weak, 0.25))

    def test_no_use(self):
        log = [Reading(MIDNIGHT - timedelta(days=60 - n), soc=0.6, use_wh=0.0) for n in range(61)]
        of = replace(PLAIN, bank=replace(PLAIN.bank, standby_w=0.0))
        made = outlook(Ask(of, known(of, log, None, MIDNIGHT), None, MIDNIGHT))
        said = " ".join([advising.headline(made, of), *advising.odds(made, of), *advising.advice(made, of, None)])
        self.assertEqual(said, "Nothing is used, by your log, so the bank lasts. Dropping below 20 % within ten days "
                               "is very unlikely. All is well until Sat 5 Dec (9 in 10).")


class Said(unittest.TestCase):
    def test_doing_comes_first_with_a_thing_an_amount_and_a_time(self):
        made = advice_of()
        told = advising.way_sentences(next(way for way in made.advice.ways if way.hours), made, SET)
        self.assertRegex(told[0], r"^Run Set .* (today|tomorrow|on \w+) from \d+:\d\d\.$")
        self.assertIn("That keeps you above 20 % until the end of Saturday (9 in 10).", told)

    def test_what_nothing_helps_is_said_with_its_chance_and_when_it_is_over(self):
        made = advice_of()
        way = next(way for way in made.advice.ways if way.hours)
        def end(chance, helped_from=None):
            told = replace(made, advice=replace(made.advice, helped_from=helped_from))
            return advising.way_sentences(replace(way, chance_after=chance), told, SET)[-1]
        self.assertEqual(end(0.4), "You may still drop below 20 % (4 in 10). Nothing helps that.")
        self.assertEqual(end(0.97), "You will almost certainly still drop below 20 %. Nothing helps that.")
        self.assertEqual(end(0.6, made.as_of + timedelta(hours=8)),
                         "From then on it will probably stay above 20 % until Saturday.")

    def test_may_probably_and_almost_certainly(self):
        self.assertEqual([advising.may_drop(of, "20 %") for of in (0.49, 0.5, 0.95, 0.96)], [
            "You may drop below 20 % (5 in 10)", "You will probably drop below 20 % (5 in 10)",
            "You will probably drop below 20 % (9 in 10)", "You will almost certainly drop below 20 %"])

    def test_a_risk_a_little_over_what_is_borne_says_so(self):
        made = advice_of()
        for after, words in ((0.1, "from 6 in 10 to 1 in 10"), (0.12, "from 6 in 10 to just over 1 in 10"),
                             (0.16, "from 6 in 10 to 2 in 10")):
            told = replace(made, advice=replace(made.advice, chance=0.6))
            way = replace(made.advice.ways[0], enough=False, chance_after=after)
            self.assertEqual(advising.way_sentences(way, told, SET)[-1], f"That lowers the risk {words}.")

    def test_what_is_done_without_is_named_up_to_three_and_until_when_with_that_day(self):
        made, today = advice_of(), MIDNIGHT.astimezone(SET.zone).date()
        way = made.advice.ways[0]
        for count, last, words in ((1, 0, "Do without A today."), (2, 1, "Do without A and B today and tomorrow."),
                                   (3, 2, "Do without A, B and C until Friday."),
                                   (5, 8, "Do without A, B and 3 other things until Thu 3 Dec.")):
            until = today + timedelta(days=last)
            plans = tuple(Plan("leave_off", today, until, None, name) for name in "ABCDE"[:count])
            self.assertEqual(advising.way_sentences(replace(way, plans=plans), made, SET)[0], words)

    def test_nothing_needs_doing_before_a_day_and_not_before_before_dawn(self):
        made = advice_of(level=0.9)
        for hours, words in ((4, "dawn"), (8 * 24 + 4, "Thu 3 Dec"), (8 * 24 + 19, "Thu 3 Dec evening")):
            lack = replace(made.lack, first=MIDNIGHT + timedelta(hours=hours))
            quiet = replace(made, advice=replace(made.advice, asks=False, ways=()), lack=lack)
            self.assertEqual(advising.advice(quiet, SET, None)[0], f"Nothing needs doing before {words}.")

    def test_ranges_and_lengths(self):
        from voltaun.core.outlook.present import Middle
        for of, words in (((23 / 24, 1.2, 35 / 24), "23–35 h"), ((1.0, 1.0, 1.0), "24 h"), ((4.2, 5, 6.1), "4–6 days"),
                          ((0.02, 0.03, 0.06), "30–90 min"), ((0.02, 0.05, 0.1), "30 min to 2 h 20"),
                          ((13.4 / 24, 0.6, 20.6 / 24), "13–21 h"),
                          ((0.07, 0.08, 0.1), "1.7–2.3 h"), ((67 / 24, 3, 93 / 24), "67–93 h"),
                          ((27.4 / 24, 3, 183 / 24), "27 h to 8 days"), ((0.02, 1, 2), "30 min to 48 hours"),
                          ((3.4, 9, 90), "3 days to more than two months"),
                          ((70, 80, 90), "more than two months"), ((0.15, 0.2, 0.3), "3.5–7 h")):
            self.assertEqual(advising.between_hours(Middle(*of)), words)
        for days, words in ((0.002, "3 min"), (0.02, "30 min"), (0.029, "40 min"), (0.19, "4 h 30"),
                            (0.495, "12 hours"), (1.04, "25 hours"), (2.9, "70 hours"), (4.4, "4 days"),
                            (61, "more than two months")):
            self.assertEqual(advising.lasting(days), words)


class PlanWords(unittest.TestCase):
    def test_a_plan_comes_back_from_its_word(self):
        of = replace(SET, generators=(*SET.generators, Generator("Old set", 400.0)),
                     loads=(Load("Cabinet", 900.0, "dc"),))
        tomorrow = TODAY + timedelta(days=1)
        both = "2026-11-25..2026-11-26"
        for plan, word in ((Plan("generator", TODAY, tomorrow, 2.5, "Set", 16.0), f"generator:{both}=2.5@16:00"),
                           (Plan("generator", TODAY, TODAY, 0.75, "Old set", 8.25),
                            "generator:2026-11-25=0.75@8:15#Old set"),
                           (Plan("leave_off", TODAY, tomorrow, None, "Cabinet"), f"leave_off:{both}=Cabinet"),
                           (Plan("add", TODAY, TODAY, 2000.0, "", 18.0, 23.5), "add:2026-11-25=2000@18:00-23:30"),
                           (Plan("away", TODAY, tomorrow), f"away:{both}")):
            self.assertEqual(as_text(plan, of), word)
            back = read_plan(word, of)
            self.assertEqual(replace(back, name=back.name or plan.name), plan)
        for wrong in ("generator:2026-11-25=2@25:00", "generator:2026-11-25=2@16:00#Nobody",
                      "leave_off:2026-11-25=Nothing",
                      "fly:2026-11-25=2", "generator:yesterday=2", "generator:2026-11-25=two"):
            with self.assertRaises(ValueError):
                read_plan(wrong, of)


class Windows(unittest.TestCase):
    def test_a_run_ends_as_late_as_it_helps_then_begins_earlier(self):
        window = Window(np.arange(10, 20), np.zeros(10, dtype=bool))
        self.assertTrue(window.empty and window.room(12) and not window.room(10))
        self.assertEqual((window.longer(3, 16), window.copy()), (3, (13, 16)))
        self.assertEqual((window.longer(4, 18), window.copy()), (4, (11, 18)))  # two later, two earlier
        self.assertEqual((window.longer(9, 18), window.copy()), (1, (10, 18)))  # no earlier than the window
        self.assertTrue(window.room(20) and not window.room(18))
        window.set((11, 18))
        window.closed = True
        self.assertEqual((window.copy(), window.room(20)), ((11, 18), False))
        self.assertEqual(int(window.on().sum()), 7)

    def test_runs_with_less_than_an_hour_between_them_are_one(self):
        def search(enough):
            return SimpleNamespace(lanes=SimpleNamespace(enough=lambda _: True), _enough=lambda _: enough)
        slots = np.arange(40) * SLOT
        on = np.isin(np.arange(40), [2, 3, 4, 7, 8, 9, 10, 20, 21])
        closed = Search._closed_up(search(True), slots, on, lambda on: on, None)
        self.assertEqual(np.flatnonzero(closed).tolist(), [2, 3, 4, 5, 6, 7, 8, 20, 21])
        kept = Search._closed_up(search(False), slots, on, lambda on: on, None)
        self.assertEqual(kept.tolist(), on.tolist())

    def test_what_is_advised_leaves_a_little_less_than_what_is_asked_about(self):
        self.assertLess(ENOUGH, RISKY)


if __name__ == "__main__":
    unittest.main()
