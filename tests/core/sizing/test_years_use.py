"""The use of weather years: loads of some months, absences, and a life that goes on as it is now."""

import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np

from tests.support import readings, rig
from voltaun.core.learned.use import as_listed_now, day_legs
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import known
from voltaun.core.rig.parts import Load
from voltaun.core.sizing.calendar import EARLY_DAYS, calendar
from voltaun.core.sizing.years import _use, away_by_log, seasonal

PLAIN = rig(arrays=(), inverter=None, place=replace(rig().place, latitude=0.0))
START = datetime(2025, 6, 1, 9, tzinfo=UTC)


def use_of(of, log, **more):
    """Mean use by month over many years, Wh a day."""
    told = known(of, log, None, log[-1].at)
    made = _use(of, told, as_listed_now(of, day_legs(told.account.intervals)), calendar(), 60, 1, **more)[EARLY_DAYS:]
    months = np.array([day.month for day in calendar()[EARLY_DAYS:]])
    return np.array([made[months == month].mean() for month in range(1, 13)])


class Skies(unittest.TestCase):
    def test_unseen_seasons_are_as_a_rule_darker_in_winter_towards_the_poles(self):
        july = np.eye(12)[6] * 60
        # At 50 degrees (36 − 50) × 0.03 = −0.42 from midsummer, which was seen, to midwinter; at 20 degrees +0.48.
        self.assertAlmostEqual(seasonal(50.0, july)[0], -0.7)
        self.assertAlmostEqual(seasonal(20.0, july)[0], 0.8)
        self.assertAlmostEqual(seasonal(-50.0, july)[0], 0.7)  # there July is the winter
        self.assertAlmostEqual(seasonal(89.0, july)[0], -0.9)
        self.assertAlmostEqual(float(seasonal(50.0, july)[6]), 0.0)
        self.assertAlmostEqual(float(seasonal(50.0, np.ones(12)).sum()), 0.0)


class Use(unittest.TestCase):
    def test_a_load_of_some_months_is_there_in_these_only(self):
        # Ninety days from June on of 2000 Wh, of which a fan from June to August takes 800.
        of = replace(PLAIN, loads=(Load("Fan", 800, "dc", months=(6, 7, 8)), Load("Fridge", 900, "dc")))
        months = use_of(of, readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(90)), start=START))
        self.assertAlmostEqual(months[6], 2000.0, delta=80)
        self.assertAlmostEqual(months[1], 1200.0, delta=80)
        # In February, of which the log tells nothing, it is added.
        months = use_of(replace(of, loads=(Load("Heater", 800, "dc", months=(2,)),)),
                        readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(90)), start=START))
        self.assertAlmostEqual(months[1] - months[6], 800.0, delta=80)

    def test_weeks_without_anyone_come_again_unless_it_is_lived_in_all_year(self):
        log = readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(60)), start=START)
        back = log[-1].at + timedelta(days=100)
        log += [Reading(back, soc=0.9, use_wh=20_000.0)]  # 200 Wh a day while away
        log += readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(60)), start=back + timedelta(days=1))
        (gone,) = away_by_log(PLAIN, known(PLAIN, log, None, log[-1].at))
        self.assertEqual(((gone.last - gone.first).days, round(gone.use_wh)), (99, 200))
        months = use_of(PLAIN, log)
        self.assertAlmostEqual(months[9], 200.0, delta=1)     # October
        self.assertAlmostEqual(months[5], 2000.0, delta=100)  # June
        self.assertAlmostEqual(use_of(PLAIN, log, all_year=True)[9], 2000.0, delta=150)

    def test_weeks_that_nobody_logged_but_lived_in_are_no_absence(self):
        log = readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(30)), start=START)
        log += [Reading(log[-1].at + timedelta(days=20), soc=0.5, use_wh=36_000.0)]
        log += readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(30)), start=log[-1].at + timedelta(days=1))
        self.assertEqual(away_by_log(PLAIN, known(PLAIN, log, None, log[-1].at)), [])
