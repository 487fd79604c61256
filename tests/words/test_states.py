"""What Today and Outlook say at their head, over hundreds of made states: no two sentences contradict one another."""

import re
import unittest
from dataclasses import replace
from datetime import timedelta

from tests.simulated_states import kept, state
from voltaun.core.dayplan.plan import day_plan
from voltaun.core.log.days import by_day
from voltaun.core.outlook.lanes import RISKY
from voltaun.core.outlook.outlook import outlook
from voltaun.core.outlook.plans import SOURCE_OF, Plan
from voltaun.core.outlook.replay import run_again, worst_days
from voltaun.core.reasons import NoOutlook
from voltaun.words import advising, planning
from voltaun.words import sentences as words

STATES = 200
CHANCE = r"\b\d in 10\b|\balmost certain(?:ly)?\b|\bvery unlikely\b"
NEVER = ("nought", "so much", "told", "first time in doubt", "of going below it", "as now", "lately more", "counted on",
         "need be", "lies above", "nan", "inf ", "None", "_", "chances in", "0 Wh to 0 Wh")


def said_of(of, made):
    """What is said at the head of both pages, a list of sentences each: headline, odds, advice, foot."""
    return [[advising.headline(made, of.rig)], advising.odds(made, of.rig), advising.advice(made, of.rig, None),
            [advising.without_charging(made, of.rig), advising.read_when(made.present, of.rig),
             words.rests_on(made)], [line for _, line in advising.others(made, of.rig)]]


class Heads:
    """Over all states; few futures, since it is the words that are looked at. In parts, that more cores can share."""

    part = 0

    def test_no_two_sentences_contradict_one_another(self):
        for n in range(self.part, STATES, 4):
            of = state(n)
            try:
                plan = day_plan(replace(of.ask, futures=200))
            except NoOutlook:
                continue
            made = plan.outlook
            with self.subTest(of.name):
                said = said_of(of, made)
                self.plain(" ".join(filter(None, sum(said, []))))
                self.agree(of, made, said)
                told = planning.sentences(plan, of.rig)
                self.plain(" ".join(told))
                self.fits(plan, made, " ".join(told), " ".join(filter(None, said[2])))

    def plain(self, text):
        """What a machine can see of plain words."""
        for sentence in re.split(r"(?<=[.?!])\s+", text):
            self.assertLessEqual(len(sentence.split()), 22, sentence)
            most = 2 if sentence.startswith("That lowers") else 1
            self.assertLessEqual(len(re.findall(CHANCE, sentence)), most, sentence)
        for low, high in re.findall(r"(\d[\d.]*)–(\d[\d.]*)", text):
            self.assertLess(float(low), float(high), text)
        self.assertNotRegex(text, r"(?<![\d.])1 (hours|days|Wh and|packs|plans)\b")
        for word in NEVER:
            self.assertNotIn(word, text)

    def fits(self, plan, made, told, advice):
        """The plan says nothing that the advice does not bear."""
        if plan.stale:
            self.assertEqual(made.present.vague, True)
            self.assertEqual(told, "Read the level first: it is too old to plan by.")
            return
        self.assertEqual(plan.tonight.chance, made.advice.chance)
        self.assertFalse(plan.tonight.may_spend_wh > 0 and made.advice.chance > RISKY)
        self.assertFalse("you may use" in told and made.advice.asks, told)
        if not made.advice.asks:
            self.assertNotIn("less than usual", told, advice)

    def agree(self, of, made, said):
        head, odds, advice, _, _ = (" ".join(filter(None, part)) for part in said)
        now, advised = made.present, made.advice
        for lasts in now.days.values():
            self.assertTrue(lasts.p10 <= lasts.p50 <= lasts.p90)
        self.assertLessEqual(now.days["everyday_floor"].p50, now.days["hard_floor"].p50)
        self.assertTrue(now.soc.p10 <= now.soc.p50 <= now.soc.p90)
        self.assertEqual("Not read for" in head, now.vague or now.silent)
        if now.silent:
            self.assertEqual((odds, advised.ways), ("", ()))
            return
        calm = "All is well" in advice or "Nothing needs doing" in advice or "nothing needs doing" in advice
        self.assertFalse(calm and advised.ways, advice)
        if calm:
            self.assertLessEqual(advised.chance, RISKY)
        if "All is well" in advice:
            self.assertLessEqual(made.chance_below_everyday_floor, RISKY)
            self.assertNotIn("probably", odds)
        if "is below" in head:
            self.assertFalse(calm, advice)
        self.assertEqual(made.lack.chance, made.chance_below_everyday_floor)
        if made.lack.first is not None and made.lack.likeliest is not None:
            self.assertGreaterEqual(made.lack.first, made.as_of)
        if not of.rig.arrays:
            self.assertNotIn("sun", head + odds + advice)
        if not (of.rig.generators or of.rig.vehicles or of.rig.mains):
            self.assertNotRegex(advice, r"Run |Drive |Charge from ")
        for way in advised.ways:
            self.assertEqual(way.enough and advised.chance <= RISKY and not now.vague, False)


class FirstHeads(Heads, unittest.TestCase):
    part = 0


class SecondHeads(Heads, unittest.TestCase):
    part = 1


class ThirdHeads(Heads, unittest.TestCase):
    part = 2


class FourthHeads(Heads, unittest.TestCase):
    part = 3


class Kept(unittest.TestCase):
    """What is advised, kept as plans, leaves nothing more asked for; four fifths of it do."""

    slow = True

    def test_over_some_states(self):
        more, fewer, ways = 0, 0, 0
        for n in range(0, 120, 3):
            of = state(n)
            try:
                made = outlook(of.ask)
            except NoOutlook:
                continue
            way = next((way for way in made.advice.ways if way.enough and way.hours), None)
            if way is None:
                continue
            ways += 1
            self.assertTrue(all(plan.amount >= 0.5 for plan in way.plans if plan.kind in SOURCE_OF), of.name)
            more += outlook(kept(of, way.plans)).advice.asks
            fewer += outlook(kept(of, way.plans, 0.8)).advice.asks
        self.assertGreater(ways, 8)
        self.assertLessEqual(more, 0.1 * ways)
        self.assertGreaterEqual(fewer, 0.65 * ways)

    def test_the_worst_again_moves_with_what_is_planned(self):
        of = next(of for of in map(state, range(200)) if of.rig.generators and not of.ask.plans and of.rig.arrays)
        log = of.ask.known.account.intervals
        days = worst_days(of.rig, log, by_day(of.rig, log, of.ask.sun))
        made = outlook(of.ask)
        away = replace(of.ask, plans=(Plan("away", of.ask.today, of.ask.today + timedelta(days=30)),))
        plain, other = (run_again(ask, made.present, days) for ask in (of.ask, away))
        self.assertGreater(other.soc, plain.soc)


if __name__ == "__main__":
    unittest.main()
