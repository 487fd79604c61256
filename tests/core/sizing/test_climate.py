"""What weather files tell an outlook of the sky before its log does."""

import unittest
from datetime import UTC, date, datetime
from unittest import mock

import numpy as np

from tests.core.sizing.test_simulation import GREENSBORO, weather
from tests.support import readings, rig, sun_of
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.outlook import outlook
from voltaun.core.sizing.climate import month_shares_of, sky_kind
from voltaun.core.sky.clear_sky import planes
from voltaun.core.sky.model import SKY
from voltaun.words.assumed import sky_beforehand


class Climate(unittest.TestCase):
    def test_each_months_shares_are_its_files_days(self):
        file, sun = weather("723170TYA.CSV"), sun_of(GREENSBORO)
        found = month_shares_of(GREENSBORO, sun, [file])
        self.assertEqual((len(planes(GREENSBORO)), [len(month) for month in found]), (1, [10] * 12))
        self.assertTrue(all(np.diff(month).min() >= 0 and month[0] >= 0 and month[9] <= 1.1 for month in found))
        self.assertGreater(np.mean(found[6]), np.mean(found[0]))  # winters there are cloudier

    def test_a_days_share_by_hand(self):
        # Five hours of 1000 W/m² on 1.6 kW at the usual share of 0.75 are 6 kWh, of what a clear July day brings there.
        file, sun = weather("723170TYA.CSV"), sun_of(GREENSBORO)
        hours = np.tile(np.where((np.arange(24) >= 10) & (np.arange(24) < 15), 1000.0, 0.0), 365)
        with mock.patch("voltaun.core.sizing.climate.on_plane", return_value=hours):
            july = month_shares_of(GREENSBORO, sun, [file])[6]
        clear = [sun.between(datetime(2023, 7, day, 4, tzinfo=UTC), datetime(2023, 7, day + 1, 4, tzinfo=UTC))
                 for day in range(1, 31)]
        self.assertAlmostEqual(july[4], 6000 / np.mean(clear), delta=0.02)

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
