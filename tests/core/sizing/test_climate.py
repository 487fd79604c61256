"""What weather files tell an outlook of the sky before its log does."""

import unittest
from datetime import UTC, date, datetime

import numpy as np

from tests.core.sizing.test_simulation import GREENSBORO, weather
from tests.support import readings, rig, sun_of
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.outlook import outlook
from voltaun.core.sizing.climate import month_shares_of, sky_kind
from voltaun.core.sky.clear_sky import planes
from voltaun.core.sky.model import SKY
from voltaun.core.sky.weather import on_plane
from voltaun.words.sentences import sky_beforehand


class Climate(unittest.TestCase):
    def test_each_months_shares_are_its_files_days(self):
        file, sun = weather("723170TYA.CSV"), sun_of(GREENSBORO)
        found = month_shares_of(GREENSBORO, sun, [file])
        self.assertEqual((len(planes(GREENSBORO)), [len(month) for month in found]), (1, [10] * 12))
        # One day by hand: 0.75 of what falls on 1.6 kW, of what a clear sky gives between its midnights.
        day = 200
        came = on_plane(file, 36, 180)[24 * day:24 * day + 24].sum() * 1.6 * 0.75
        midnight = datetime(2023, 7, 20, 4, tzinfo=UTC).timestamp()
        share = came / float(sun.total.between(midnight, midnight + 86_400))
        self.assertTrue(found[6][0] - 0.1 <= share <= found[6][9] + 0.1, share)
        self.assertTrue(all(np.diff(month).min() >= 0 and month[0] >= 0 and month[9] <= 1.1 for month in found))
        self.assertGreater(np.mean(found[6]), np.mean(found[0]))  # winters there are cloudier

    def test_it_weighs_as_ten_days_and_only_where_there_is_some(self):
        kind = sky_kind([[0.1] * 10] * 6 + [[0.3] * 10] * 6, date(2026, 8, 1))
        self.assertEqual((kind.points, round(kind.days, 6)), ((0.3,) * 10, 10.0))
        self.assertIs(sky_kind([], date(2026, 8, 1)), SKY)
        self.assertIs(sky_kind([[]] * 12, date(2026, 8, 1)), SKY)

    def test_an_outlook_of_the_first_day_has_the_files_sky(self):
        of, log = rig(), readings({"soc": 0.7}, {"soc": 0.6, "use_wh": 1500.0}, hours=20.0)
        sun, at = sun_of(of), log[-1].at

        def ahead(**given):
            return outlook(Ask(of, known(of, log, sun, at, **given), sun, at, 3, futures=500))
        dull = ahead(sky_kind=sky_kind([[0.1] * 10] * 12, at.date()))
        plain = ahead()
        self.assertLess(dull.days[0].solar_wh.p50, 0.4 * plain.days[0].solar_wh.p50)
        self.assertEqual((sky_beforehand(dull), sky_beforehand(plain)), ("the weather files of the place",
                                                                         "the start-up shares"))


if __name__ == "__main__":
    unittest.main()
