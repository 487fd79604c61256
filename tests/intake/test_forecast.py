import json
import unittest
from datetime import date
from unittest import mock

from voltaun.intake import client, forecast

FIRST = date(2026, 11, 25)


class Forecast(unittest.TestCase):
    def fetched(self, *days):
        answer = json.dumps({"days": [{"date": day, "sky": sky} for day, sky in days]}).encode()
        with mock.patch.object(client, "ask", lambda address, path: answer):
            return forecast.fetch("http://127.0.0.1:8152", FIRST, 2)

    def test_days_that_were_not_asked_for_are_left_out(self):
        self.assertEqual(self.fetched(("2026-11-24", "clear"), ("2026-11-25", "mixed"), ("2026-11-26", "storm"),
                                      ("2026-11-27", "clear")),
                         {FIRST: "mixed", date(2026, 11, 26): "storm"})

    def test_a_word_that_is_none_is_refused_whole(self):
        with self.assertRaisesRegex(forecast.NoForecast, "'fog', expected one of clear"):
            self.fetched(("2026-11-25", "mixed"), ("2026-11-26", "fog"))
