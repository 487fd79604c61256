"""Days as people type them."""

import unittest
from datetime import date, datetime, timedelta

from tests.pages.test_pages import PagesCase
from tests.support import NOW
from voltaun.core.units import QuantityError
from voltaun.pages.days import day_from, shown, shown_time, time_from

TODAY = date(2026, 11, 25)  # a Wednesday


class Days(unittest.TestCase):
    def test_a_day_without_its_year_is_the_last_or_the_next_of_its_name(self):
        for typed, last, coming in (("20 Oct", date(2026, 10, 20), date(2027, 10, 20)),
                                    ("Dec 3", date(2025, 12, 3), date(2026, 12, 3)),
                                    ("25 nov", TODAY, TODAY), ("today", TODAY, TODAY), ("Wed", TODAY, TODAY),
                                    ("friday", date(2026, 11, 20), date(2026, 11, 27)),
                                    ("Yesterday ", date(2026, 11, 24), date(2026, 11, 24)),
                                    ("2026-10-02", date(2026, 10, 2), date(2026, 10, 2)),
                                    ("2 Oct 2025", date(2025, 10, 2), date(2025, 10, 2))):
            self.assertEqual((day_from(typed, TODAY), day_from(typed, TODAY, coming=True)), (last, coming), typed)
            self.assertEqual(day_from(shown(last)), last)

    def test_what_is_no_day_or_two_is_refused(self):
        for typed in ("", "soon", "weds", "3/4/2026", "31 Nov", "29 Feb", "2 Oct 1850", "x" * 500, "<b>"):
            with self.assertRaises(QuantityError, msg=typed):
                day_from(typed, TODAY)
        with self.assertRaises(QuantityError):
            day_from("20 Oct")  # nobody said of which year


class Times(unittest.TestCase):
    def test_a_time_without_its_day_is_the_last_or_the_next_of_its_name(self):
        now = datetime(2026, 11, 25, 7, 30)
        for typed, last, coming in (
                ("now", now, now), ("7:10", (25, 7, 10), (26, 7, 10)), ("18:30", (24, 18, 30), (25, 18, 30)),
                ("7:34", (25, 7, 34), (25, 7, 34)), ("7:36", (24, 7, 36), (25, 7, 36)),  # two clocks of one house
                ("7:30", now, now), ("6 pm", (24, 18, 0), (25, 18, 0)),
                ("yesterday 18:30", (24, 18, 30), (24, 18, 30)), ("Fri 7 am", (20, 7, 0), (27, 7, 0)),
                ("24 nov 18.30", (24, 18, 30), datetime(2027, 11, 24, 18, 30)),
                ("2026-11-24T18:30", (24, 18, 30), (24, 18, 30)),
                ("24 Nov 2026, 6:30 pm", (24, 18, 30), (24, 18, 30))):
            wanted = [at if isinstance(at, datetime) else datetime(2026, 11, at[0], *at[1:]) for at in (last, coming)]
            self.assertEqual([time_from(typed, now), time_from(typed, now, coming=True)], wanted, typed)
            self.assertEqual(time_from(shown_time(wanted[0]), now), wanted[0])

    def test_what_is_no_time_or_two_is_refused(self):
        for typed, expected in (("yesterday", "18:30, yesterday 18:30"), ("soon", "a date and time"), ("", "a date"),
                                ("7", "a date and time"), ("25:00", "a date"), ("3/4/2026 10:00", "one of the two"),
                                ("2 Oct 1850 10:00", "1970 to 2199"), ("soon 18:30", "a day"), ("x" * 500, "a date")):
            with self.assertRaises(QuantityError, msg=typed) as refused:
                time_from(typed, datetime(2026, 11, 25, 7, 30))
            self.assertIn(expected, f"{refused.exception.expected} {refused.exception.example}")


class Found(PagesCase):
    def test_a_reading_of_last_evening_is_kept_as_it_is_said(self):
        self.post("/1/readings", {"at": "yesterday 18:30", "soc": "60"})
        at = self.log()[-1].at.astimezone(self.rig.zone)
        evening = NOW.astimezone(self.rig.zone) - timedelta(days=1)
        self.assertEqual((at.date(), f"{at:%H:%M}"), (evening.date(), "18:30"))
        page = self.client.get("/1/log?edit=1").text
        self.shows(f'value="{shown_time(at)}"', page)


    def test_a_day_is_found_by_what_is_typed_and_said_where_it_is_none(self):
        self.shows('value="20 Oct 2026"', self.client.get("/1/log?day=20+Oct").text)
        page = self.client.get("/1/log?day=soon").text
        self.shows("Found &#39;soon&#39;, expected a day, such as 2 Oct.", page)
        self.shows('value="soon"', page)

    def test_a_plan_is_for_the_next_day_of_that_name(self):
        self.shows("Planned: ", self.post("/1/outlook/plans", {"kind": "away", "first": "3 Dec"},
                                                      follow_redirects=True).text)
        self.assertEqual(self.db.execute("SELECT first_day FROM plan").fetchone()[0], "2026-12-03")
