import unittest
from datetime import date
from types import SimpleNamespace

from tests.support import rig
from voltaun.core.learned.use import Absence
from voltaun.core.outlook.plans import GeneratorRule
from voltaun.core.rig.parts import Generator
from voltaun.core.sizing.choices import Choice
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.measures import Measure
from voltaun.words.additions import answer, away, came_of


class Said(unittest.TestCase):
    """The answer in words, from figures laid by hand."""

    RIG = rig(generators=(Generator("Set", 900, 0.7),))

    def found(self, below, best, guesses=(), between=None, measures=(), logged=100):
        """below  (usual, hard) of nothing, of one panel, of two, and of each measure"""
        choices = [Choice(n, 0, Lane(added_w=300.0 * n), price=150.0 * n) for n in range(3)]
        choices += [Choice(0, 0, Lane(rule=GeneratorRule(0.25, 0.6)), (of,)) for of in measures]
        outcomes = [SimpleNamespace(below=SimpleNamespace(p10=usual / 2, p50=usual, p90=hard),
                                    generator_h=SimpleNamespace(p50=430.0 if choices[n].measures else 0.0))
                    for n, (usual, hard) in enumerate(below)]
        return SimpleNamespace(ask=SimpleNamespace(
            rig=self.RIG, most_days=3.0, known=SimpleNamespace(skies=range(logged))), choices=choices,
                               outcomes=outcomes, best=best, guesses=guesses, between=between, away=())

    def test_the_least_to_buy_and_what_does_it_without(self):
        rule = Measure("generator", ("Set",), below=0.25, until=0.6)
        self.assertEqual(answer(self.found(((28, 46), (9, 17), (2.4, 6), (0, 1)), 2, measures=(rule,))), [
            "Today’s rig is short 28 days in a usual year, 46 in a hard one.",
            "Buying: two panels, 300. That leaves 2 days in a usual year, 6 in a hard one.",
            "Not buying: running Set from 25 % to 60 %, about 430 h and 300 litres a year. That leaves no day in a "
            "usual year, 1 in a hard one."])

    def test_a_little_known_is_told_as_little(self):
        for logged, words in ((0, "hard one."), (1, "hard one, by one day of your log and the usual skies."),
                              (29, "by 29 days of your log and the usual skies."), (30, "46 in a hard one.")):
            said = answer(self.found(((28, 46), (9, 17), (2.4, 6)), 2, logged=logged))[0]
            self.assertTrue(said.endswith(words), said)

    def test_what_comes_of_an_option_names_no_list_for_fuel_and_no_sun_where_there_is_none(self):
        none = SimpleNamespace(p10=0.0, p50=0.0, p90=0.0)

        def told(price, fuel, spilt, runs=none):
            came = SimpleNamespace(below=none, longest=none, generator_h=runs, unserved_wh=none,
                                   spilt_wh=SimpleNamespace(p50=spilt))
            return came_of(Choice(1, 0, Lane(), price=price, fuel_price=fuel), came, 0.7)[1:]
        self.assertEqual(told(9898.0, 9898.0, 0.0)[0], "9\u202f898 for fuel in ten years.")
        self.assertEqual(told(1000.0, 400.0, 0.0)[0], "1\u202f000 by your list, 400 of it for fuel in ten years.")
        self.assertEqual(told(150.0, 0.0, 0.0)[0], "150 by your list.")
        self.assertEqual([told(150.0, 0.0, wh)[1] for wh in (999.0, 1000.0, 1_234_000.0)],
                         ["Hardly any sun would be spilt.", "About 1.0 kWh of sun would be spilt.",
                          "About 1\u202f200 kWh of sun would be spilt."])
        for hours, words in (((28, 30, 54), "28–54 h a year, 20–38 litres"), ((30, 30, 30), "30 h a year, 21 litres")):
            runs = SimpleNamespace(p10=hours[0], p50=hours[1], p90=hours[2])
            self.assertEqual(told(150.0, 0.0, 0.0, runs)[-1], f"The generator would run {words}.")

    def test_where_no_season_is_known_none_is_named(self):
        said = answer(self.found(((2, 21), (0, 1), (0, 0)), 0, ("summer", "autumn", "winter", "spring"), (0, 2)))
        self.assertEqual(said[-1], "Your weather through the year is not in the log yet.")

    def test_what_is_enough_is_only_said_where_it_is_at_the_hard_end_too(self):
        self.assertEqual(answer(self.found(((2, 6), (0, 1), (0, 0)), 0)),
                         ["What you have is enough: 2 days short in a usual year, 6 in a hard one."])
        self.assertEqual(answer(self.found(((2, 21), (0, 1), (0, 0)), 0, ("winter",), (0, 2))), [
            "What you have may be enough: 1 to 21 days short a year.",
            "What you have may do, or two panels may be needed.",
            "Your winter is not in the log yet."])
        self.assertEqual(answer(self.found(((1, 3), (0, 1), (0, 0)), 0, ("winter",), (0, 0)))[0][:23],
                         "What you have is enough")

    def test_what_comes_nearest_is_judged_by_the_hard_year_and_the_price_too(self):
        said = answer(self.found(((60, 90), (12, 40), (20, 31)), None))
        self.assertEqual(said[1], "Buying: nothing that was looked at is enough. Nearest: two panels, 20 days in a "
                                  "usual year, 31 in a hard one.")
        self.assertEqual(len(said), 2)  # nothing does anything without buying

    def test_an_absence_is_named(self):
        found = self.found(((28, 46), (9, 17), (2, 6)), 2)
        found.away = (Absence(date(2023, 9, 25), date(2024, 2, 9), 110.0),)
        self.assertEqual(away(found), "By the log nobody was there from 25 Sep to 9 Feb. Each year is reckoned with "
                                      "that.")
        found.away = ()
        self.assertEqual(away(found), "")
