"""A step in what is used that no load of the list explains."""

import unittest
from datetime import date, timedelta

import numpy as np

from tests.support import readings, rig, sun_of
from voltaun.core.learned.use_step import use_step
from voltaun.core.outlook.ask import Explained, known, unless
from voltaun.core.outlook.autonomy import drain

TODAY = date(2026, 8, 1)


def days(*parts, seed=1, spread=0.15):
    """Days up to `TODAY` of so many Wh each: (days, Wh) one after the other."""
    rng = np.random.default_rng(seed)
    wh = [mean * rng.normal(1, spread) for count, mean in parts for _ in range(count)]
    return {TODAY - timedelta(days=len(wh) - 1 - n): of for n, of in enumerate(wh)}


def log():
    """Half a year of 2000 Wh a day, and 4000 in its last thirty days."""
    return readings(*({"soc": 0.6, "solar_wh": wh / 0.95 + 60, "use_wh": wh}
                      for wh in days((150, 2000.0), (30, 4000.0)).values()))


class Found(unittest.TestCase):
    def test_more_and_less_with_the_day(self):
        for since_wh in (3600.0, 1200.0):
            step = use_step(days((90, 2000.0), (30, since_wh)), TODAY)
            self.assertLessEqual(abs((step.day - (TODAY - timedelta(days=29))).days), 1)
            self.assertAlmostEqual(step.before_wh, 2000, delta=120)
            self.assertAlmostEqual(step.since_wh, since_wh, delta=0.08 * since_wh)

    def test_none_without_one_from_guests_of_two_weeks_from_a_season_and_when_nobody_is_there(self):
        for seed in range(8):
            self.assertIsNone(use_step(days((120, 2000.0), seed=seed, spread=0.35), TODAY))
        self.assertIsNone(use_step(days((100, 2000.0), (14, 4000.0)), TODAY))
        self.assertIsNone(use_step(days((90, 2000.0), (30, 2900.0)), TODAY))
        self.assertIsNone(use_step(days(*((1, 1500 + 12.0 * n) for n in range(120))), TODAY))
        self.assertIsNone(use_step(days(*((1, 1000 + 22.0 * n) for n in range(120)), spread=0.05), TODAY))
        self.assertIsNone(use_step(days((90, 2000.0), (30, 300.0)), TODAY))
        self.assertIsNone(use_step(days((18, 2000.0), (18, 4000.0)), TODAY))
        self.assertIsNone(use_step({}, TODAY))
        # Longer ago than is looked back it is how one lives.
        self.assertIsNone(use_step(days((60, 2000.0), (110, 4000.0)), TODAY))

    def test_it_is_seen_where_half_of_the_days_are_missing(self):
        told = {day: wh for day, wh in days((70, 2000.0), (50, 4000.0)).items() if day.toordinal() % 2}
        self.assertLessEqual(abs((use_step(told, TODAY).day - (TODAY - timedelta(days=49))).days), 2)


class ReckonedWith(unittest.TestCase):
    def test_the_usual_day_is_one_of_those_since_also_when_it_is_no_longer_asked_about(self):
        told = log()
        of = known(rig(), told, sun_of(rig()), told[-1].at)
        self.assertAlmostEqual(drain(rig(), of.learned, None).use_wh, 4000, delta=150)
        self.assertIs(unless((), of.use_step), of.use_step)
        said = Explained(use=(of.use_step.day + timedelta(days=20),))
        self.assertIsNone(unless(said.use, of.use_step))
        again = known(rig(), told, sun_of(rig()), told[-1].at, explained=said)
        self.assertEqual(again.learned.use.mean, of.learned.use.mean)
