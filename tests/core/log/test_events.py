"""What was done: counted in days, and the days since beside as many before."""

import unittest
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from voltaun.core.log.events import Beside, LastDone, days_of_events, last_done
from voltaun.core.log.reading import EVENTS, Reading, ordered_events

TODAY = date(2026, 11, 24)


class Done(unittest.TestCase):
    def test_it_counts_on_the_local_day_once_and_in_the_order_of_the_table(self):
        late = datetime(2026, 11, 20, 14, tzinfo=UTC)  # 1:00 on the 21st in Hobart
        found = days_of_events([Reading(late, events=("water",)), Reading(late + timedelta(hours=3)),
                                Reading(late + timedelta(hours=4), events=("equalised", "water"))],
                               ZoneInfo("Australia/Hobart"))
        self.assertEqual(found, {date(2026, 11, 21): ("equalised", "water")})

    def test_the_latest_counts_and_none_that_is_still_to_come(self):
        days = {date(2026, 11, day): ("equalised",) for day in (2, 12, 25)}
        self.assertEqual(last_done(days, TODAY), [LastDone("equalised", date(2026, 11, 12), None)])

    def test_that_panels_were_off_is_nothing_done(self):
        self.assertEqual(last_done({date(2026, 11, 20): ("panels_off",)}, TODAY), [])

    def test_the_whole_days_since_stand_beside_as_many_before(self):
        # Wiped on the 14th: the 15th to the 23rd are nine whole days, and nine before are the 5th to the 13th.
        (found,) = last_done({date(2026, 11, 14): ("panels_wiped",)}, TODAY)
        self.assertEqual(found.beside, Beside((date(2026, 11, 5), date(2026, 11, 13)),
                                              (date(2026, 11, 15), date(2026, 11, 23))))
        # At most four weeks of them.
        (found,) = last_done({date(2026, 9, 1): ("panels_wiped",)}, TODAY)
        self.assertEqual(found.beside, Beside((date(2026, 8, 4), date(2026, 8, 31)),
                                              (date(2026, 9, 2), date(2026, 9, 29))))
        # Two whole days since, of which three are wanted.
        self.assertIsNone(last_done({date(2026, 11, 21): ("panels_wiped",)}, TODAY)[0].beside)
        self.assertIsNotNone(last_done({date(2026, 11, 20): ("panels_wiped",)}, TODAY)[0].beside)

    def test_words_are_ordered_and_odd_ones_refused(self):
        self.assertEqual(ordered_events(["water", "equalised", "water"]), ("equalised", "water"))
        self.assertEqual(ordered_events(EVENTS[::-1]), EVENTS)
        with self.assertRaisesRegex(ValueError, "found 'waxed', expected some of equalised"):
            ordered_events(["waxed"])


if __name__ == "__main__":
    unittest.main()
