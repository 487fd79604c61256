"""The worst of the log again by the hour. The rig of `test_decisions`: 9600 Wh, η 0.95, 2 W standby, floors 20, 10."""

import unittest
from datetime import date, timedelta

import numpy as np

from tests.core.test_decisions import MIDNIGHT, PLAIN
from tests.support import readings, rig, sun_of
from voltaun.core.instants import day_start
from voltaun.core.learned.account import Account, Learned
from voltaun.core.learned.hours import Lean
from voltaun.core.learned.share import ShareLearned
from voltaun.core.log.days import Day, by_day
from voltaun.core.outlook.ask import Ask, Known, known
from voltaun.core.outlook.autonomy import Drain
from voltaun.core.outlook.plans import Plan
from voltaun.core.outlook.present import Middle, Present
from voltaun.core.outlook.replay import run_again, worst_days
from voltaun.core.rig.parts import Load, Mains
from voltaun.core.rig.sources import SOURCES
from voltaun.core.sky.model import learn_sky
from voltaun.words.sentences import again, on_moment

FIRST = date(2026, 11, 1)
TODAY = date(2026, 11, 25)


def day(n, sun=200.0, use=1200.0, spilt=0.0, blown=0.0):
    harvest = dict.fromkeys(SOURCES, 0.0) | {"solar": sun, "vehicle": 500.0, "turbine": blown}
    return Day(FIRST + timedelta(days=n), 24.0, harvest, use, spilt)


def days_of(*days):
    return {each.day: each for each in days}


def run(level, days, of=PLAIN, hours=0, sun=None, length=5, plans=()):
    """From so many hours after midnight on, with the use as the loads of the rig lie."""
    at = MIDNIGHT + timedelta(hours=hours)
    told = Learned(None, ShareLearned(np.array([0.5]), np.array([1.0]), 9, 0))
    known = Known([], Account([], told), [], learn_sky([], TODAY), told, Lean(np.zeros(2), np.zeros((2, 2))))
    return run_again(Ask(of, known, sun, at, plans=plans), present_at(level, at), worst_days(of, [], days, length))


def present_at(level, at):
    """A present in which the level is sure, of 9600 Wh."""
    return Present(at, at, level, Middle(level, level, level), 9600.0, None, Drain(1200.0, 48.0, 0.0, 0.0, 60, "log"),
                   {}, {}, 0.0)


class Worst(unittest.TestCase):
    def test_it_takes_what_those_days_took_hour_by_hour(self):
        # Without sun 50 Wh of use and 2 of standby an hour: 13 points a day, and what is left of today goes like it.
        found = run(0.80, days_of(*(day(n, sun=0.0) for n in range(5))), hours=12)
        # From noon 12 h × 52 Wh are 6.5 points, then 13 a day.
        np.testing.assert_allclose(found.lowest, 0.80 - np.array([0.195, 0.325, 0.455, 0.585, 0.70]), atol=1e-6)
        self.assertEqual((found.first, found.last), (FIRST, date(2026, 11, 5)))
        self.assertEqual(found.soc, 0.1)
        # 80 to 20 % are 5760 Wh: after 110.8 of those hours, seen at the end of the 111th.
        self.assertEqual(found.below, MIDNIGHT + timedelta(hours=12 + 111))
        # At ten per cent, 6720 Wh on, nothing more is given: of 132 h × 52 Wh = 6864 Wh 144 are missing.
        self.assertAlmostEqual(found.short_wh, 144, places=6)

    def test_wind_and_water_of_those_days_come_again_and_choose_them(self):
        # 240 Wh a day are 10 W at all hours, less than the 50 W used: from noon on, 132 h, 1320 Wh stay in the bank.
        still, blown = (run(0.99, days_of(*(day(n, 0.0, 1200.0, 0.0, wh) for n in range(5))), hours=12)
                        for wh in (0.0, 240.0))
        self.assertAlmostEqual(9600 * (blown.soc - still.soc), 1320, delta=1)
        calm, windy = ([day(n, 0.0, 1200.0, 0.0, wh) for n in days] for days, wh in ((range(5, 10), 0.0),
                                                                                    (range(5), 600.0)))
        self.assertEqual(run(0.99, days_of(*windy, *calm)).first, FIRST + timedelta(days=5))

    def test_what_is_planned_counts(self):
        # A socket of 200 W for ten hours on the second day: 2000 Wh, of which 52 an hour go straight into the load and
        # 0.95 of the rest, 1406 Wh, into the bank: 14.65 points, and the 520 Wh that the bank need not give 5.42 more.
        of = rig(arrays=(), mains=(Mains("Post", 200.0),))
        dark = days_of(*(day(n, sun=0.0) for n in range(5)))
        plans = (Plan("mains", TODAY + timedelta(days=1), TODAY + timedelta(days=1), 10.0, begin=9.0),)
        without, with_it = (run(0.99, dark, of, plans=told) for told in ((), plans))
        self.assertAlmostEqual(with_it.soc - without.soc, (1480 * 0.95 + 520) / 9600, delta=1e-4)

    def test_the_hours_of_use_and_of_the_sun_count(self):
        # All of 2880 Wh from six to midnight: 30 points and half a point of standby; by dawn the sun is not back yet.
        of = rig(loads=(Load("Stove", 2880, "dc", pattern=("hours", 18, 24)),))
        sun = sun_of(of)
        found = run(0.50, days_of(*(day(n, sun=2880 / 0.95, use=2880.0) for n in range(5))), of, sun=sun)
        # Each day's sun lifts it before the evening takes it down: lowest at midnight, about 50 - 0.5 a day, or so.
        self.assertLess(found.lowest[0], 0.51)
        self.assertEqual(found.at.astimezone(of.zone).hour, 0)
        first = day_start(FIRST, of.zone).timestamp()
        share = np.diff(sun.total.at(first + 3600 * np.arange(25)))
        noon = run(0.50, days_of(*(day(n, sun=2880 / 0.95, use=2880.0) for n in range(5))), of, 12, sun)
        # From noon on only the afternoon's sun is left of today: lower by what the morning would have put in.
        morning = share[:12].sum() / share.sum() * 2880 / 9600
        self.assertAlmostEqual(found.lowest[0] - noon.lowest[0], morning - 12 * 2 / 9600, delta=0.002)

    def test_the_sun_that_was_spilt_would_have_come(self):
        of = rig()
        level = [run(0.90, days_of(*(day(n, 200.0, 1200.0, spilt) for n in range(5))), of, sun=sun_of(of)).lowest[-1]
                 for spilt in (0.0, 500.0)]
        # 500 Wh a day more, of which all is stored or saves what would be taken out, five days and today's.
        self.assertGreater(level[1] - level[0], 6 * 500 * 0.95 / 9600 - 0.01)

    def test_what_an_empty_bank_did_not_serve_is_wanted_of_a_full_one(self):
        # A month of 2400 Wh a day; five days at the hard floor gave 300, as much as came in.
        rows = [{"soc": 0.6, "solar_wh": 2600.0, "use_wh": 2400.0}] * 30 + [
            {"soc": 0.1, "solar_wh": 360.0, "use_wh": 300.0}] * 6 + [{"soc": 0.6, "solar_wh": 2600.0, "use_wh": 2400.0}]
        log = readings(*rows, start=MIDNIGHT - timedelta(days=36))
        told = known(PLAIN, log, None, log[-1].at)
        days = by_day(PLAIN, told.account.intervals, None)
        found = run_again(Ask(PLAIN, told, None, MIDNIGHT), present_at(0.9, MIDNIGHT),
                          worst_days(PLAIN, told.account.intervals, days))
        # Today and five days want 2400 Wh and 48 of standby each, 90 to 10 % are 7680 Wh, and no sky is told.
        self.assertAlmostEqual(found.soc, 0.1)
        self.assertAlmostEqual(found.short_wh, 6 * 2448 - 7680, delta=1)

    def test_the_days_that_took_most_are_found_and_days_not_whole_are_not(self):
        dull, bright = [day(n, 0.0) for n in range(10, 15)], [day(n, 3000.0) for n in (*range(10), *range(15, 25))]
        self.assertEqual(run(0.8, days_of(*bright, *dull)).first, FIRST + timedelta(days=10))
        dull[2].hours = 20.0
        self.assertNotEqual(run(0.8, days_of(*bright, *dull)).first, FIRST + timedelta(days=10))
        dull[2].hours = 24.0
        dull[2].unknown.add("use")
        self.assertIsNone(run(0.8, days_of(*dull)))
        self.assertIsNone(run(0.8, {}))

    def test_in_words(self):
        dark = days_of(*(day(n, sun=0.0) for n in range(5)))
        self.assertEqual(again(run(0.99, dark), PLAIN, TODAY),
                         "You would stay above 20 %. The lowest would be 21 % on Tuesday before dawn.")
        self.assertIn("You would drop below 20 % ", again(run(0.60, dark), PLAIN, TODAY))
        low = again(run(0.15, dark), PLAIN, TODAY)
        self.assertIn("You are below 20 % already. The lowest would be 10 %", low)
        self.assertNotIn("stay above", low)
        self.assertIn("would be missing", low)
        self.assertEqual([on_moment(MIDNIGHT + timedelta(hours=hours), TODAY, PLAIN.zone) for hours in (3, 19, 43, 67)],
                         ["today before dawn", "this evening", "tomorrow evening", "on Friday evening"])


if __name__ == "__main__":
    unittest.main()
