"""What a night takes, by hand: 9600 Wh, standby 2 W, four panels of 300 W in Hobart; the sun is down from 21 to 5."""

import unittest
from datetime import datetime, timedelta

import numpy as np

from tests.support import HOBART, readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.learned.nights import BETWEEN_NIGHTS, Nights, dark_hours, in_dark, nights_of
from voltaun.core.log.ledger import READ, RECKONED, UNKNOWN
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.outlook import outlook
from voltaun.core.rig.parts import Bank

RIG = rig()
SUN = sun_of(RIG)
DUSK = datetime(2026, 11, 10, 21, tzinfo=RIG.zone)
DAWN = DUSK + timedelta(hours=8)


def told(log, of=RIG, sun=SUN):
    return reckon(of, log, sun).intervals


class Dark(unittest.TestCase):
    def test_blank_is_nought_where_the_sun_is_down(self):
        (night,) = told([Reading(DUSK, soc=0.93), Reading(DAWN, soc=0.81)])
        self.assertEqual((night.harvest["solar"], night.harvest_bases["solar"]), (0.0, READ))
        # 12 % of 9600 Wh are 1152, of which 2 W of standby took 16.
        self.assertAlmostEqual(night.use_wh, 1136.0)
        self.assertEqual(night.use_basis, RECKONED)

    def test_an_hour_of_dusk_brings_about_half_of_the_little_that_it_could(self):
        early = DUSK - timedelta(hours=2, minutes=30)  # 18:30, when panels that face north see little sun yet
        clear = SUN.between(early, DAWN)
        self.assertTrue(0.003 * 9600 < clear < 0.05 * 9600, clear)
        (night,) = told([Reading(early, soc=0.93), Reading(DAWN, soc=0.81)])
        self.assertEqual(night.harvest_bases["solar"], RECKONED)
        self.assertAlmostEqual(night.harvest["solar"], clear / 2)
        self.assertEqual(dict(night.how)["solar_wh"].figures["clear_wh"], clear)
        # What was read of the use leaves the sun to the books, as ever.
        (read,) = told([Reading(early, soc=0.93), Reading(DAWN, soc=0.81, use_wh=1136.0)])
        self.assertNotEqual(read.harvest["solar"], clear / 2)

    def test_by_day_blank_stays_unknown_and_a_sun_that_was_written_down_stands(self):
        (day,) = told([Reading(DAWN, soc=0.7), Reading(DAWN + timedelta(hours=14), soc=0.8)])
        self.assertEqual((day.harvest["solar"], day.use_basis), (None, UNKNOWN))
        (night,) = told([Reading(DUSK, soc=0.93), Reading(DAWN, soc=0.81, solar_wh=40.0)])
        self.assertEqual(night.harvest["solar"], 40.0)

    def test_how_long_it_is_dark(self):
        midnight = datetime(2026, 11, 11, tzinfo=RIG.zone)
        # Sun up from 5:40 to 20:15 in November, from 7:40 to 16:45 in June; panels to the north see it later, and less.
        self.assertAlmostEqual(dark_hours(SUN, midnight, 9600), 10.5, delta=0.4)
        self.assertAlmostEqual(dark_hours(SUN, datetime(2026, 6, 21, tzinfo=RIG.zone), 9600), 15.5, delta=0.4)
        self.assertEqual(dark_hours(SUN, datetime(2026, 11, 11, 12, tzinfo=RIG.zone), 9600), 0.0)
        steps = in_dark(SUN, DUSK.timestamp() + 3600.0 * np.arange(-12, 40), 9600)
        self.assertEqual([steps[0], steps[13], steps[25], steps[37]], [0, 1, 0, 2])  # 9:00, 22:00, 10:00, 22:00
        self.assertEqual(in_dark(None, np.arange(3.0), 9600).tolist(), [0, 0])


class WhatItTakes(unittest.TestCase):
    def nights(self, *ends, start=0.93):
        log = []
        for n, end in enumerate(ends):
            log += [Reading(DUSK + timedelta(days=n), soc=start), Reading(DAWN + timedelta(days=n), soc=end)]
        return nights_of(told(log), 9600, 0.1)

    def test_the_first_pair_tells_it_with_its_doubt(self):
        night = self.nights(0.81)
        self.assertAlmostEqual(night.watts, 142.0)  # 1136 Wh in 8 h
        self.assertEqual(night.count, 1)
        # Nights are unlike by a quarter until more are known: of four, three are believed.
        self.assertAlmostEqual(night.sd_w, 142 * BETWEEN_NIGHTS * (3 / 4) ** 0.5, places=6)
        # Two levels in whole percent: 9600 × 0.01 / √12 × √2 / 8 h = 4.9 W
        self.assertAlmostEqual(night.doubt_w, (night.sd_w ** 2 + 4.899 ** 2) ** 0.5, places=2)

    def test_more_of_them_tell_it_surer(self):
        few, many = self.nights(0.81, 0.81), self.nights(*[0.81] * 11)
        self.assertAlmostEqual(many.watts, 142.0)
        self.assertLess(many.doubt_w, few.doubt_w / 2)
        self.assertLess(many.sd_w, 0.7 * few.sd_w)
        unlike = self.nights(*[0.86, 0.76] * 5)
        self.assertGreater(unlike.sd_w, 45)  # 59 W off either way, in truth
        late = self.nights(*[0.81] * 10, *[0.87] * 10)
        self.assertLess(late.watts, (142 + 70) / 2)  # late ones count more

    def test_what_says_nothing_of_a_night_is_left_out(self):
        self.assertIsNone(self.nights(0.11))  # at the hard floor the load is cut off
        self.assertIsNone(nights_of(told(readings({"soc": 0.9}, {"soc": 0.8}, start=DAWN, hours=12)), 9600, 0.1))
        self.assertIsNone(nights_of(told([Reading(DUSK, soc=0.9), Reading(DUSK + timedelta(hours=2), soc=0.8)]),
                                    9600, 0.1))

    def test_the_futures_have_those_nights_and_no_other(self):
        log = [Reading(DUSK, soc=0.93), Reading(DAWN, soc=0.81), Reading(DAWN + timedelta(hours=16), soc=0.90)]
        now = log[-1].at
        made = outlook(Ask(RIG, known(RIG, log, SUN, now), SUN, now, days=2, futures=1000))
        dawn = made.days[0].dawn_soc
        # It is 21:00; about 8 h of the dark at 144 W are 12 %, give or take a quarter of it and what the bank holds.
        self.assertAlmostEqual(dawn.p50, 0.90 - 0.12, delta=0.02)
        self.assertTrue(0.06 < dawn.p90 - dawn.p10 < 0.16, dawn)

    def test_draws_are_of_that_mean_and_never_a_source(self):
        drawn = Nights(100.0, 30.0, 40.0, 1).draw(3, 20_000, np.random.default_rng(1))
        self.assertAlmostEqual(float(drawn.mean()), 100.4, delta=1.5)
        self.assertAlmostEqual(float(drawn[0].std()), 50.0, delta=1.5)
        self.assertEqual(drawn.min(), 0.0)

    def test_readings_of_any_kind_that_people_make_tell_a_use(self):
        """What a page promises of two readings holds of the pairs that people make, with panels and without."""
        without = rig(arrays=())
        day = {"solar_wh": 2000.0}
        for name, of, pair, knows in (
                ("dusk and dawn", RIG, (Reading(DUSK, soc=0.93), Reading(DAWN, soc=0.81)), True),
                ("evening and morning", RIG, (Reading(DUSK - timedelta(hours=1), soc=0.9),
                                              Reading(DAWN + timedelta(hours=1), soc=0.8)), True),
                ("morning and evening, sun read", RIG, (Reading(DAWN, soc=0.7),
                                                        Reading(DAWN + timedelta(hours=14), soc=0.75, **day)), True),
                ("morning and evening", RIG, (Reading(DAWN, soc=0.7),
                                              Reading(DAWN + timedelta(hours=14), soc=0.75)), False),
                ("noon and noon", RIG, (Reading(DAWN + timedelta(hours=7), soc=0.7),
                                        Reading(DAWN + timedelta(hours=31), soc=0.68, **day)), True),
                ("noon and noon, use read", RIG, (Reading(DAWN + timedelta(hours=7), soc=0.7),
                                                  Reading(DAWN + timedelta(hours=31), soc=0.68, use_wh=1800.0)), True),
                ("an hour apart", without, (Reading(DAWN, soc=0.7),
                                            Reading(DAWN + timedelta(hours=1), soc=0.69)), False),
                ("a day apart", without, (Reading(DAWN, soc=0.9), Reading(DAWN + timedelta(days=1), soc=0.7)), True)):
            with self.subTest(name):
                found = reckon(of, pair, sun_of(of) if of.arrays else None).learned.use
                self.assertEqual(found is not None, knows)


class Small(unittest.TestCase):
    def test_a_small_station_learns_from_its_night_too(self):
        of = rig(bank=Bank(rated_energy_wh=1024, standby_w=0.0), place=HOBART)
        found = nights_of(told([Reading(DUSK, soc=0.9), Reading(DAWN, soc=0.7)], of, sun_of(of)), 1024 * 0.85, 0.1)
        self.assertAlmostEqual(found.watts, 0.2 * 1024 * 0.85 / 8, delta=4)


if __name__ == "__main__":
    unittest.main()
