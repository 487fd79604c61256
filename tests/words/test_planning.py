"""What the day's plan says of a load's time and of the night."""

import unittest
from datetime import UTC, date, datetime, timedelta
from types import SimpleNamespace

from tests.support import rig
from voltaun.core.dayplan.placing import Placed
from voltaun.core.dayplan.tonight import Tonight
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

    def test_the_night_says_use_less_and_never_spare_which_is_also_what_is_left_over(self):
        looked = SimpleNamespace(as_of=NINE, advice=SimpleNamespace(asks=True, until=NINE + timedelta(days=2)))

        def of(may=0.0, must=0.0, can=True):
            return planning.allowed(Tonight(NINE + timedelta(hours=20), may, must, 0.4, can), looked, rig())
        self.assertEqual(of(must=1900), "Use about 1.90 kWh less than usual until 5:00. "
                                        "Else you may drop below 20 % before the end of Friday (4 in 10).")
        self.assertIn("until 5:00, or charge as much. Else", of(must=1900, can=False))
        self.assertTrue(of(may=1900).startswith("Until 5:00 you may use about 1.90 kWh more than usual."))
        self.assertEqual(of(), "Use no more than usual until 5:00.")
