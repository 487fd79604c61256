"""What can be said before a log tells anything, by worked numbers; and the table of usual things."""

import unittest
from datetime import timedelta

from tests.support import NOW, readings, rig, sun_of
from voltaun.core.outlook.first_hour import first_hour
from voltaun.core.rig.parts import Bank, Inverter, Load
from voltaun.core.rig.usual import USUAL, usual, ways
from voltaun.words.sentences import first, first_next, first_taken, lasts

OF = rig(bank=Bank("lfp", 12, 400, 2, 1, standby_w=2.0), inverter=Inverter(18, 0.9), loads=(Load("Lamp", 72, "dc"),))


class FirstHour(unittest.TestCase):
    def said(self, of, *rows, hours=13.0):
        log = readings(*rows, start=NOW - timedelta(hours=hours * max(1, len(rows) - 1)), hours=hours)
        return first_hour(of, log, sun_of(of) if of.arrays else None, NOW.date(), NOW)

    def test_on_day_nought(self):
        told = self.said(OF)
        # 9600 Wh, four fifths of it above the floor; the lamp's 72 Wh a day and 48 of standby.
        self.assertEqual((told.full_wh, told.now_wh, told.taken, told.own), (7680, None, None, True))
        self.assertEqual([(of.name, of.usual_h) for of in told.runs], [("Lamp", 7680 / 120 * 24)])
        clear, dull = told.sun_wh
        self.assertAlmostEqual(clear / dull, 0.75 / 0.20)
        self.assertIsNone(self.said(rig(arrays=())).sun_wh)
        self.assertEqual(first(told), "From full you can use 7.7 kWh.")
        self.assertIn("Type the level", first_next(told, None))

    def test_a_level_of_long_ago_is_not_told_as_now(self):
        def later(hours):
            log = readings({"soc": 0.88}, {"soc": 0.80}, start=NOW - timedelta(hours=13), hours=13.0)
            return first_hour(OF, log, None, NOW.date(), NOW + timedelta(hours=hours))
        self.assertEqual(first(later(1)), "At 80 % you can use 5.8 kWh.")
        self.assertEqual(first_taken(later(1).taken), "The last 13 h")
        self.assertEqual(first(later(13)), "80 % was read 13 h ago. Then you could use 5.8 kWh.")
        self.assertEqual(first_taken(later(13).taken), "The 13 h that ended 13 h ago")
        old = later(8 * 24)
        self.assertEqual(first(old), "From full you can use 7.7 kWh.")
        self.assertEqual(old.runs, self.said(OF).runs)  # on a full bank
        self.assertIn("The last level, 80 %, is 8 days old. Type it as it stands now", first_next(old, None))

    def test_with_a_level_and_with_two_however_near(self):
        told = self.said(OF, {"soc": 0.88})
        self.assertAlmostEqual(told.now_wh, 0.68 * 9600)
        self.assertEqual(first(told), "88 % was read 13 h ago. Then you could use 6.5 kWh.")
        taken = self.said(OF, {"soc": 0.88}, {"soc": 0.80}).taken
        # Eight points in thirteen hours are 14.8 a day, of 9600 Wh.
        self.assertAlmostEqual(taken.share_a_day, 0.08 / 13 * 24)
        # What a test took, or a heater that was found on, is left out and tells nothing of a day.
        self.assertIsNone(self.said(OF, {"soc": 0.88}, {"soc": 0.0, "answer": "reset"}).taken)
        self.assertAlmostEqual(taken.daily_wh, 0.08 * 9600 / 13 * 24)
        self.assertIsNone(self.said(OF, {"soc": 0.80}, {"soc": 0.88}).taken)  # it rose: something came in

    def test_usual_things_stand_for_a_list(self):
        told = self.said(rig(loads=(), inverter=Inverter(18, 0.9)))
        self.assertFalse(told.own)
        hours = {of.name: of.usual_h for of in told.runs}
        # The laptop hangs on the inverter: (325 / 0.9 + 18 × 24 + 48) Wh a day.
        self.assertAlmostEqual(hours["Laptop"], 7680 / (325 / 0.9 + 432 + 48) * 24)
        self.assertIn("Tell what runs here", first_next(self.said(rig(loads=()), {"soc": 0.5}), "x"))

    def test_while_it_runs_is_another_figure(self):
        # 40 points of 9600 Wh are 3840; a heater of 1500 W through the inverter takes 1500 / 0.9 + 18 + 2 W: 2 h 17. Of
        # the 6000 Wh a day that are listed for it and 480 beside them they are a good half day.
        heater = Load("Heater", 6000.0, "ac", 1500.0)
        (told,) = self.said(rig(loads=(heater,), inverter=Inverter(18, 0.9)), {"soc": 0.6}).runs
        self.assertAlmostEqual(told.running_h, 3840 / (1500 / 0.9 + 20))
        self.assertAlmostEqual(told.usual_h, 3840 / (6000 / 0.9 + 480) * 24)
        self.assertEqual(lasts(told), "2 h 20 while it runs, 13 hours as usually used")


class Usual(unittest.TestCase):
    def test_each_is_a_legal_load_and_its_figures_fit_one_another(self):
        self.assertGreaterEqual(len(USUAL), 60)
        self.assertEqual(len({of.name.casefold() for of in USUAL}), len(USUAL))
        made = rig(loads=tuple(of.load() for of in USUAL))
        self.assertTrue(all(load.evidence == "guess" for load in made.loads))
        for of in USUAL:
            self.assertLess(of.low_wh, of.high_wh, of.name)
            # On for its share of the day it takes what is told of it, within what differs from one to the next.
            self.assertTrue(0.4 * of.low_wh <= of.watts * of.share * 24 <= 2.5 * of.high_wh, of.name)
            self.assertTrue(of.surge_w is None or of.surge_w > of.watts, of.name)

    def test_found_by_name_and_by_what_it_is_for(self):
        self.assertEqual(usual("  fridge  BOX ").name, "Fridge box")
        self.assertIsNone(usual("Spaceship"))
        warm = [of.name for of in ways("keeping warm")]
        self.assertLess(warm.index("Fuel heater's fan"), warm.index("Fan heater"))
        self.assertEqual(ways("nothing"), [])


if __name__ == "__main__":
    unittest.main()
