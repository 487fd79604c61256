"""The use of weather years: loads of some months, absences, and a life that goes on as it is now."""

import math
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
from voltaun.core.sizing.years import _use, away_by_log, month_shares, seasonal, towards_list
from voltaun.core.sky.model import SkyDay

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


    def test_one_storm_is_not_the_years_weather(self):
        day, storm = START.date(), SkyDay(START.date(), 0.02, False, None)
        none, one = (month_shares(skies, {}, -43.0) for skies in ([], [storm]))
        # 4 × 3 usual days beside one that is full in its own month; half a year on a fifth of one.
        self.assertAlmostEqual(one[day.month - 1] / none[day.month - 1], 1.0, delta=0.15)
        self.assertAlmostEqual(one[(day.month + 5) % 12] / none[0], 1.0, delta=0.04)
        self.assertLess(one[day.month - 1], one[(day.month + 5) % 12])
        # A hundred days of storms are: in their own season nothing else is believed.
        many = month_shares([SkyDay(day + timedelta(days=n), 0.02, False, None) for n in range(100)], {}, -43.0)
        self.assertLess(many[(day.month) % 12], 0.05)


class Use(unittest.TestCase):
    def test_few_days_and_a_list_of_loads_meet(self):
        of = replace(PLAIN, loads=(Load("All", 1000, "dc"),))
        # A day of 2000 Wh: 0.4² + (0.4 × 59/60)² is off beside 0.4² for the list, and the two are 0.69 apart.
        off = 0.16 + (0.4 * 59 / 60) ** 2
        part = math.exp(-0.5 * math.log(2) ** 2 / (0.25 + off)) * off / (off + 0.16)
        self.assertAlmostEqual(towards_list(1000.0, 2000.0, 1), 2 ** -part)
        shares = [towards_list(1000.0, 2000.0, days) for days in (1, 3, 14, 59)]
        self.assertEqual(shares, sorted(shares))
        self.assertEqual([towards_list(1000.0, 2000.0, 60), towards_list(0.0, 2000.0, 1)], [1.0, 1.0])
        # So in the years: a fortnight of 2000 Wh beside a list of 1000.
        log = readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(15)), start=START)
        lean = use_of(of, log).mean() / use_of(PLAIN, log).mean()
        self.assertAlmostEqual(lean, towards_list(1000.0, 2000.0, 14), delta=0.02)
        self.assertLess(lean, 0.9)
        # Three days of summer with a fan meet the list of summer, and are not taken for more than it.
        fan = replace(PLAIN, loads=(Load("All", 1200, "dc"), Load("Fan", 800, "dc", months=(6, 7, 8))))
        days = readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(4)), start=START)
        self.assertAlmostEqual(use_of(fan, days)[6] / use_of(PLAIN, days)[6], 1.0, delta=0.03)
        # A kettle alone is no list of all that runs.
        self.assertGreater(towards_list(100.0, 2000.0, 7), 0.95)

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
