"""Days as people type them."""

import unittest
from datetime import date

from tests.pages.test_pages import PagesCase
from voltaun.core.units import QuantityError
from voltaun.pages.days import day_from, shown

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


class Found(PagesCase):
    def test_a_day_is_found_by_what_is_typed_and_said_where_it_is_none(self):
        self.shows('value="20 Oct 2026"', self.client.get("/1/log?day=20+Oct").text)
        page = self.client.get("/1/log?day=soon").text
        self.shows("Found &#39;soon&#39;, expected a day, such as 2 Oct.", page)
        self.shows('value="soon"', page)

    def test_a_plan_is_for_the_next_day_of_that_name(self):
        self.shows("Planned: ", self.post("/1/outlook/plans", {"kind": "away", "first": "3 Dec"},
                                                      follow_redirects=True).text)
        self.assertEqual(self.db.execute("SELECT first_day FROM plan").fetchone()[0], "2026-12-03")
