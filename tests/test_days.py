"""The days that tests run on: never today, odd ones among them, and the same again from the seed."""

import os
import time
import unittest
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

from tests.days import Day
from voltaun.clock import now

NAMES = [f"tests.some.Class{n}" for n in range(400)]


class Days(unittest.TestCase):
    def test_the_same_again_from_the_seed_and_another_from_another(self):
        days = [Day.drawn("a", name) for name in NAMES]
        self.assertEqual(days, [Day.drawn("a", name) for name in NAMES])
        self.assertNotEqual(days, [Day.drawn("b", name) for name in NAMES])
        self.assertEqual(Day.drawn("a", "tests.some.Class1.test_x"), Day.drawn("a", "tests.some.Class1"))

    def test_no_day_is_today_whenever_that_is_and_the_odd_ones_are_among_them(self):
        for today in (date(2026, 12, 31), date(2028, 2, 29), datetime.now(UTC).date()):
            days = [Day.drawn("a", name, today) for name in NAMES]
            self.assertNotIn(today, [day.now.date() for day in days])
            self.assertTrue(any(day.now.year == 2038 for day in days))
            self.assertTrue(any(day.now.astimezone(ZoneInfo(day.zone)).utcoffset().seconds % 3600 for day in days))
            for of in ("homeless", "powerless"):
                self.assertGreater(sum(getattr(day, of) for day in days), 100)

    def test_a_lived_day_is_what_the_program_reads_and_ends(self):
        day, before = Day.drawn("a", NAMES[0]), (dict(os.environ), time.tzname)
        with day.lived():
            self.assertEqual(now(), day.now.replace(microsecond=0))
        self.assertEqual((dict(os.environ), time.tzname), before)


if __name__ == "__main__":
    unittest.main()
