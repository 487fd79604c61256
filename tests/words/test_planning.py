"""What the day's plan says of a load's time and of the night."""

import unittest
from datetime import UTC, date, datetime, timedelta
from types import SimpleNamespace

from tests.support import rig
from voltaun.core.dayplan.placing import Placed
from voltaun.core.dayplan.ration import Rationed
from voltaun.core.dayplan.tonight import Answer, Tonight
from voltaun.core.rig.parts import Mains
from voltaun.words import planning

NINE = datetime(2026, 11, 24, 22, tzinfo=UTC)  # in the morning, in Hobart
TODAY = date(2026, 11, 25)


class Said(unittest.TestCase):
    def test_what_a_time_takes_beside_the_usual_one(self):
        def of(spares_wh, usual=18.0, days=0):
            return planning.placed(Placed("Washing", NINE + timedelta(days), NINE + timedelta(days, hours=1), 500,
                                          spares_wh, usual), rig(), TODAY)
        self.assertEqual(of(420), "Washing, 1 h. Takes about 420 Wh less than at 18:00.")
        self.assertEqual(of(-420), "Washing, 1 h. Takes about 420 Wh more than at 18:00.")
        self.assertEqual(of(420, None, 1),
                         "Washing tomorrow, 1 h. Takes about 420 Wh less than in its usual hours.")
        self.assertEqual(of(3), "Washing, 1 h.")

    def test_a_small_thing_is_no_flat_no(self):
        for wh, words in ((20.0, "Hardly matters: it takes 20 Wh of the bank. But nothing is to spare tonight, so save "
                                 "it elsewhere."),
                          (50.0, "No: it draws 60 W, and nothing is to spare for it tonight.")):
            self.assertEqual(planning.answer(Answer("no", 60.0, wh, 0.0), rig()), words)

    def test_the_night_says_use_less_and_never_spare_which_is_also_what_is_left_over(self):
        looked = SimpleNamespace(as_of=NINE, advice=SimpleNamespace(asks=True, until=NINE + timedelta(days=2)))

        def of(may=0.0, must=0.0, can=True, chance=0.4, **sources):
            return planning.allowed(Tonight(NINE + timedelta(hours=20), may, must, chance, can), looked, rig(**sources))
        self.assertEqual(of(must=1900), "Use about 1.9 kWh less than usual until 5:00. "
                                        "Else you may drop below 20 % before the end of Friday (4 in 10).")
        # One in ten is borne; where a little more is asked about, it says so.
        self.assertTrue(of(must=200, chance=0.12).endswith("before the end of Friday (just over 1 in 10)."))
        # More than a night takes cannot be used less of; who can charge is told how much.
        alone = of(must=1900, can=False)
        self.assertTrue(alone.startswith("You may drop below 20 % before the end of Friday (4 in 10). "
                                         "Saving only until 5:00 is not enough."), alone)
        self.assertNotIn("less than usual", alone)
        self.assertTrue(alone.endswith("See the advice above."), alone)
        self.assertTrue(of(must=1900, can=False, mains=(Mains("Post", 300),)).endswith(
            "See the advice above, or charge about 1.9 kWh by 5:00."))
        # Nobody is told to charge what no source can bring by then: 60 W in 20 h are 1.2 kWh.
        self.assertEqual(of(must=1900, can=False, mains=(Mains("Post", 60),)), alone)
        self.assertTrue(of(may=1900).startswith("Until 5:00 you may use about 1.9 kWh more than usual."))
        self.assertEqual(of(), "Use no more than usual until 5:00.")

    def test_the_risk_is_said_again_only_where_it_becomes_another(self):
        without = Rationed("Laptop", 400.0, 4.0, 0.22)
        self.assertEqual(planning.rationed(without, 0.23), "Without Laptop: 4 h longer.")
        self.assertEqual(planning.rationed(without, 0.4), "Without Laptop: 4 h longer. The risk is then 2 in 10.")
