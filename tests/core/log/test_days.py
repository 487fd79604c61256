import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.support import readings, rig, sun_of, table
from voltaun.core.instants import resolve, zone
from voltaun.core.learned.account import reckon
from voltaun.core.log import days
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Place, SolarArray
from voltaun.core.sky import clear_sky as sun

NORTH = (40.0, -105.0, 1800.0, 40.0, 180.0, 0, 0.0)
SOUTH = (-42.02, 147.21, 310.0, 30.0, 0.0, 0, 0.0)


class ClearSky(unittest.TestCase):
    def test_agrees_with_pvlib_at_an_hour(self):
        import pandas as pd
        from pvlib.irradiance import get_extra_radiation, get_total_irradiance
        from pvlib.location import Location
        times = pd.date_range("2023-06-10 18:00", periods=60, freq="1min", tz="UTC")
        place = Location(NORTH[0], NORTH[1], "UTC", NORTH[2])
        position, clear = place.get_solarposition(times), place.get_clearsky(times)
        direct = get_total_irradiance(NORTH[3], NORTH[4], position["apparent_zenith"], position["azimuth"],
                                      clear["dni"], clear["ghi"], clear["dhi"], model="haydavies",
                                      dni_extra=get_extra_radiation(times))["poa_global"].mean()
        start = datetime(2023, 6, 10, 18, tzinfo=UTC).timestamp()
        ours = sun.RunningTotal(table(NORTH)).between(start, start + 3600)
        self.assertAlmostEqual(float(ours), float(direct), delta=0.01 * direct)

    def test_the_leap_day_repeats_the_day_before_it(self):
        # Each day of the table gives its own number, 28 February 58 and 1 March 59 in each half hour.
        total = sun.RunningTotal(np.repeat(np.arange(365.0), 48))
        given = [float(total.between(datetime(2028, month, day, tzinfo=UTC).timestamp(),
                                     (datetime(2028, month, day, tzinfo=UTC) + timedelta(hours=hours)).timestamp()))
                 for month, day, hours in ((2, 28, 24), (2, 29, 24), (2, 29, 12), (3, 1, 24))]
        self.assertEqual(given, [58 * 48, 58 * 48, 58 * 24, 59 * 48])

    def test_hemispheres_and_polar_night(self):
        north, south = sun.month_means(table(NORTH)), sun.month_means(table(SOUTH))
        self.assertGreater(north[5], north[11])
        self.assertGreater(south[11], south[5])
        polar = sun.month_means(table((80.0, 20.0, 0.0, 60.0, 180.0, 0, 0.0)))
        self.assertEqual(polar[11], 0)
        self.assertGreater(polar[5], 3)

    def test_running_total_never_runs_backwards_and_leap_days_repeat(self):
        total = sun.RunningTotal(table(NORTH))
        at = datetime(2023, 12, 25, tzinfo=UTC).timestamp() + np.arange(0, 377 * 86400, 3571)
        self.assertGreaterEqual(np.diff(total.at(at)).min(), -1e-6)
        day = [total.between(datetime(2024, 2, d, tzinfo=UTC).timestamp(),
                             (datetime(2024, 2, d, tzinfo=UTC) + timedelta(days=1)).timestamp()) for d in (28, 29)]
        self.assertAlmostEqual(float(day[0]), float(day[1]), places=3)
        year = [float(total.between(datetime(y, 1, 1, tzinfo=UTC).timestamp(),
                                    datetime(y + 1, 1, 1, tzinfo=UTC).timestamp())) for y in (1999, 2023, 2100)]
        self.assertAlmostEqual(year[0], year[1], places=3)
        self.assertAlmostEqual(year[0], year[2], places=3)

    def test_shade_by_month_counts(self):
        half = replace(rig().arrays[0], shade_factor=(1.0,) * 5 + (0.5,) + (1.0,) * 6)
        june = (datetime(2026, 6, 10, tzinfo=UTC), datetime(2026, 6, 11, tzinfo=UTC))
        self.assertAlmostEqual(sun_of(rig(arrays=(half,))).between(*june), sun_of(rig()).between(*june) / 2, places=3)


class LocalDays(unittest.TestCase):
    def test_times_that_come_twice_or_never(self):
        hobart = zone("Australia/Hobart")
        twice, said = resolve(datetime(2026, 4, 5, 2, 30), hobart)
        self.assertEqual((twice, "comes twice" in said), (datetime(2026, 4, 4, 16, 30, tzinfo=UTC), True))
        never, said = resolve(datetime(2026, 10, 4, 2, 30), hobart)
        self.assertEqual((never, "skipped" in said), (datetime(2026, 10, 3, 15, 30, tzinfo=UTC), True))
        self.assertEqual(resolve(datetime(2026, 10, 4, 4, 30), hobart)[1], None)

    def test_splitting_into_days_changes_no_sum(self):
        of = rig()
        log = readings(*({"soc": 0.5, "solar_wh": 2000 + 37 * n, "use_wh": 1900} for n in range(9)),
                       start=datetime(2026, 4, 2, 9, 10, tzinfo=UTC), hours=25.7)
        account = reckon(of, log, sun_of(of))
        split = days.by_day(of, account.intervals, sun_of(of))
        for name in ("harvest_wh", "use_wh", "spilt_wh", "hours"):
            self.assertAlmostEqual(sum(getattr(day, name) for day in split.values()),
                                   sum(getattr(interval, name) for interval in account.intervals), places=5)
        self.assertEqual(split[date(2026, 4, 5)].hours, 25)

    def test_late_reading_moves_no_sun_to_the_wrong_day(self):
        of = rig()
        evening = datetime(2026, 11, 1, 10, tzinfo=UTC)  # 21:00, after sunset
        log = [Reading(evening, soc=0.6), Reading(evening + timedelta(days=1, hours=3.5), soc=0.6, solar_wh=4000)]
        split = days.by_day(of, reckon(of, log, sun_of(of)).intervals, sun_of(of))
        self.assertGreater(split[date(2026, 11, 2)].harvest["solar"], 3990)
        self.assertAlmostEqual(split[date(2026, 11, 3)].harvest["solar"], 0, places=3)

    def test_place_matters_to_the_table_only_where_it_is_seen(self):
        self.assertEqual(sun.plane_key(Place(40.001, -105.002, "UTC", 1803.0), SolarArray("Any", 9, 1, 40, 540)), NORTH)


class SkyDays(unittest.TestCase):
    """What of a log tells the share of clear sky of a day; Hobart's midnight is 13:00 UTC."""

    MIDNIGHT = datetime(2026, 11, 1, 13, tzinfo=UTC)  # of the 2nd

    def skies(self, *rows):
        """The sky's days of readings at hours after that midnight."""
        log = [Reading(self.MIDNIGHT + timedelta(hours=hours), soc=0.5, **more) for hours, more in rows]
        return days.sky_days(rig(), reckon(rig(), log, sun_of(rig())).intervals, sun_of(rig()))

    def hour_with(self, share):
        """The hour after midnight at which so much of the day's clear sky has been."""
        total = sun_of(rig()).total
        begin = self.MIDNIGHT.timestamp()
        hours = np.linspace(0, 24, 24 * 60 + 1)
        gone = total.between(begin, begin + 3600 * hours) / total.between(begin, begin + 86_400)
        return float(hours[np.searchsorted(gone, share)])

    def test_a_day_tells_it_when_all_but_a_tenth_of_its_sun_was_logged(self):
        for share, told in ((0.05, 1), (0.2, 0)):
            begin = self.hour_with(share)
            self.assertEqual(len(self.skies((begin, {}), (22.0, {"solar_wh": 3000.0}))), told, share)

    def test_an_interval_of_more_than_a_day_and_a_half_tells_no_day(self):
        self.assertEqual(len(self.skies((0.0, {}), (36.0, {"solar_wh": 3000.0}), (48.0, {"solar_wh": 3000.0}))), 2)
        self.assertEqual(self.skies((0.0, {}), (48.0, {"solar_wh": 6000.0})), [])

    def test_a_word_goes_to_each_day_that_holds_two_fifths_of_its_sun(self):
        rows = ((-11.0, {}), (13.0, {"solar_wh": 3000.0, "sky": "mixed"}), (37.0, {"solar_wh": 3000.0}))
        self.assertEqual([day.word for day in self.skies(*rows)], ["mixed"])
        early = self.hour_with(0.1)
        rows = ((-2.0, {}), (early, {"solar_wh": 100.0}), (24 + early, {"solar_wh": 3000.0, "sky": "storm"}),
                (46.0, {"solar_wh": 3000.0}))
        self.assertEqual([day.word for day in self.skies(*rows)], ["storm", None])

    def test_a_bank_that_was_full_between_readings_held_the_sun_back(self):
        # Read at 23:00, 9600 Wh: from 75 % back to 75 % with 2 kWh it is never near full; from 82 % back to 82 % with
        # 5 kWh it passes 92 % by day. Read twice a day, one of the readings would have shown it.
        of, night = rig(), datetime(2026, 11, 1, 12, tzinfo=UTC)
        small, large = {"soc": 0.75, "solar_wh": 2200.0, "use_wh": 2000.0}, {"soc": 0.82, "solar_wh": 5400.0,
                                                                             "use_wh": 5000.0}

        def told(rows, begin=night, hours=24.0, **bank):
            with_bank = replace(of, bank=replace(of.bank, **bank))
            made = reckon(with_bank, readings(*rows, start=begin, hours=hours), sun_of(of)).intervals
            return days.sky_days(with_bank, made, sun_of(of))
        found = told([small] * 20 + [large] * 20)
        share = reckon(of, readings(*[small] * 20, *[large] * 20, start=night), sun_of(of)).learned.share
        self.assertEqual((share.days, share.capped_days), (39, 19))
        self.assertEqual([day.capped for day in found], [False] * 20 + [True] * 19)
        self.assertEqual([round(day.share, 2) for day in found[:2]], [round(day.share, 2) for day in told([small] * 3)])
        self.assertEqual({day.capped for day in told([small] * 9, unit_capacity_ah=80.0)}, {True})
        self.assertEqual({day.capped for day in told([large] * 9, unit_capacity_ah=600.0)}, {False})
        halves = [{"soc": 0.75, "solar_wh": 300.0, "use_wh": 1700.0},
                  {"soc": 0.9, "solar_wh": 8000.0, "use_wh": 6000.0}]
        self.assertEqual({day.capped for day in told(halves * 9, night + timedelta(hours=9), 12.0)}, {False})
        # Begun full, it says nothing of the dark day after.
        dark = [{"soc": 0.6}, {"soc": 0.95, "solar_wh": 8000.0, "use_wh": 4500.0}, {"soc": 0.5, "solar_wh": 900.0,
                                                                                    "use_wh": 5000.0}]
        self.assertEqual([day.capped for day in told(dark)], [True, False])
        # It counts for the day in which it was full: here the second of the two that a reading at noon parts.
        noon = datetime(2026, 11, 1, 1, tzinfo=UTC)
        rows = [{"soc": 0.3}, {"soc": 0.3, "solar_wh": 2000.0, "use_wh": 1900.0},
                {"soc": 0.94, "solar_wh": 8000.0, "use_wh": 1800.0}, {"soc": 0.6, "solar_wh": 600.0, "use_wh": 3300.0}]
        self.assertEqual([(day.day.day, day.capped) for day in told(rows, noon)], [(2, False), (3, True)])
