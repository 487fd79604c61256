"""A step in what the sun brings that nobody wrote down."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from tests.support import readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.learned.yield_step import YieldStep, _turn, yield_step
from voltaun.core.outlook.ask import Explained, known, with_step

RIG = rig()
START = datetime(2026, 1, 1, 9, tzinfo=UTC)  # the evening in Hobart
CHANGED = date(2026, 5, 1)


def log(days=240, before=0.5, since=1.0, seed=1, use=2000.0):
    """A log from evening to evening of a bank that is hardly ever full, under a sky that clears every few days."""
    sun, rng, rows = sun_of(RIG), np.random.default_rng(seed), []
    for n in range(days):
        end = START + timedelta(days=n)
        clear = sun.between(end - timedelta(days=1), end)
        share = (0.85 if n % 4 == 0 else float(rng.uniform(0.1, 0.7)))
        there = before if end.astimezone(ZoneInfo("Australia/Hobart")).date() < CHANGED else since
        rows.append({"soc": 0.5, "solar_wh": clear * share * there, "use_wh": use})
    return readings(*rows, start=START)


def found(of):
    sun = sun_of(RIG)
    return yield_step(RIG, reckon(RIG, of, sun).intervals, of, sun)


class Turn(unittest.TestCase):
    def test_more_begins_with_the_first_bright_day_and_less_after_the_last(self):
        days = np.arange(200)
        dark_then_bright = np.where(days < 120, 0.3, 0.6)
        self.assertEqual(_turn(days, dark_then_bright, 0.45, 118, 1), 120)
        self.assertEqual(_turn(days, dark_then_bright[::-1], 0.45, 82, -1), 80)


class Found(unittest.TestCase):
    def test_twice_as_much_from_the_first_bright_day_on(self):
        step = found(log())
        self.assertTrue(0 <= (step.day - CHANGED).days <= 8, step)
        self.assertAlmostEqual(step.ratio, 2.0, delta=0.1)

    def test_half_as_much(self):
        step = found(log(before=1.0, since=0.5))
        self.assertLess(abs((step.day - CHANGED).days), 20)
        self.assertAlmostEqual(step.ratio, 0.5, delta=0.05)

    def test_none_without_one_none_of_a_quarter_more_and_none_in_its_first_days(self):
        self.assertIsNone(found(log(before=1.0)))
        self.assertIsNone(found(log(before=0.8)))
        self.assertIsNone(found(log(days=(CHANGED - date(2026, 1, 1)).days + 5)))
        self.assertIsNone(yield_step(RIG, [], [], sun_of(RIG)))
        self.assertIsNone(yield_step(RIG, [], [], None))

    def test_a_full_bank_is_looked_at_until_it_was_full(self):
        # All year 2000 Wh are used and 2000 come in, but with twice the panels the bank is full twice as soon.
        sun, rows = sun_of(RIG), []
        for n in range(240):
            end = START + timedelta(days=n)
            there = 0.5 if end.date() < CHANGED else 1.0
            need = 9600 * 0.1 / 0.95 + 300
            at = next(end - timedelta(hours=h / 4) for h in range(60, 0, -1)
                      if sun.between(end - timedelta(hours=15), end - timedelta(hours=h / 4)) * 0.8 * there > need)
            rows.append({"soc": 0.9, "solar_wh": need + 300, "use_wh": 2000.0, "full_at": at})
        step = found(readings(*rows, start=START))
        self.assertTrue(abs((step.day - CHANGED).days) <= 2, step)
        self.assertGreater(step.ratio, 1.6)


class ReckonedWith(unittest.TestCase):
    def test_the_side_that_looks_like_the_rig_is_taken_to_be_it(self):
        self.assertEqual(YieldStep(CHANGED, 2.0, (0.43, 0.86)).factors, (0.5, 1.0))
        self.assertEqual(YieldStep(CHANGED, 2.0, (0.85, 1.70)).factors, (1.0, 2.0))

    def test_before_and_since_are_as_large_as_they_seem_and_ahead_as_since(self):
        sun = sun_of(RIG)
        day = [datetime(2026, month, 20, tzinfo=UTC) for month in (4, 6)]
        for bright, factors, ahead in (((0.43, 0.86), (0.5, 1.0), 1.0), ((0.85, 1.70), (1.0, 2.0), 2.0)):
            seen = with_step(RIG, sun, YieldStep(CHANGED, 2.0, bright))
            got = [seen.between(at, at + timedelta(days=1)) / sun.between(at, at + timedelta(days=1)) for at in day]
            self.assertTrue(np.allclose(got, factors), got)
            year = [float(of.arrays[0].between(2e9, 2e9 + 86_400 * 365)) for of in (seen, sun)]
            self.assertAlmostEqual(year[0] / year[1], ahead)

    def test_what_is_ahead_is_reckoned_with_the_panels_that_seem_to_be_there(self):
        made, sun = log(), sun_of(RIG)
        told = replace(known(RIG, made, sun, made[-1].at), step=YieldStep(CHANGED, 2.0, (0.85, 1.70)))
        ahead = [of.between(made[-1].at, made[-1].at + timedelta(days=30)) for of in (told.believed(RIG, sun), sun)]
        self.assertAlmostEqual(ahead[0] / ahead[1], 2.0)
        self.assertIsNone(told.believed(RIG, None))

    def means(self, told, day):
        return [np.mean([each.share for each in told.skies if (each.day < day) == early]) for early in (True, False)]

    def test_the_outlook_learns_one_sky_and_the_user_may_say_that_nothing_changed(self):
        made, sun = log(), sun_of(RIG)
        told = known(RIG, made, sun, made[-1].at)
        means = self.means(told, told.step.day)
        self.assertAlmostEqual(means[0], means[1], delta=0.06)
        unasked = known(RIG, made, sun, made[-1].at, explained=Explained((CHANGED,)))
        self.assertIsNone(unasked.step)
        means = self.means(unasked, CHANGED)
        self.assertGreater(means[1], 1.7 * means[0])
