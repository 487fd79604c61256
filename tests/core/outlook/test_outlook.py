import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.core.test_decisions import looked
from tests.support import HOBART, readings, rig, sun_of
from voltaun.core import instants
from voltaun.core.learned.hours import Lean
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.outlook import outlook
from voltaun.core.outlook.replay import Again
from voltaun.core.reasons import NoOutlook
from voltaun.core.rig.parts import Load, Place
from voltaun.words import advising
from voltaun.words.assumed import when_used
from voltaun.words.sentences import about, chance, moment, rests_on, stretch

HOBART_ZONE = instants.zone("Australia/Hobart")


def log_of(days=40, start=datetime(2026, 11, 1, 8, tzinfo=UTC), use_wh=2600):
    rng = np.random.default_rng(1)
    return readings(*({"soc": 0.6 + 0.1 * rng.random(), "solar_wh": 3000 * rng.random() + 1500, "use_wh": use_wh}
                      for _ in range(days)), start=start)


def look(of, log, as_of=None, **options):
    as_of = as_of or log[-1].at
    return outlook(Ask(of, known(of, log, sun_of(of), as_of), sun_of(of), as_of, **options))


class Outlooks(unittest.TestCase):
    def test_same_seed_same_figures_and_a_longer_one_begins_like_a_shorter(self):
        log = log_of()
        long, again, short = look(rig(), log), look(rig(), log), look(rig(), log, days=3)
        np.testing.assert_array_equal(long.fan, again.fan)
        self.assertEqual(long.days[:3], short.days)
        self.assertNotEqual(look(rig(), log, seed=2).days, long.days)
        self.assertEqual([day.day for day in long.days][0], date(2026, 12, 11))
        self.assertEqual(len(long.days), 10)

    def test_nothing_later_than_as_of_is_used(self):
        log = log_of()
        as_of = log[25].at
        changed = log[:26] + [Reading(r.at, soc=0.01, solar_wh=1.0) for r in log[26:]]
        first, second = look(rig(), log, as_of), look(rig(), changed, as_of)
        np.testing.assert_array_equal(first.fan, second.fan)
        self.assertEqual(first.present.read_at, as_of)

    def test_quantiles_and_chances_are_in_order(self):
        seen = look(rig(), log_of())
        for day in seen.days:
            for of in (day.solar_wh, day.dawn_soc, day.dusk_soc, day.solar_to_date_wh, day.spilt_wh):
                self.assertEqual(sorted((of.p10, of.p25, of.p50, of.p75, of.p90)),
                                 [of.p10, of.p25, of.p50, of.p75, of.p90])
            self.assertLessEqual(day.chance_below_hard_floor, day.chance_below_everyday_floor)
        self.assertGreaterEqual(seen.chance_below_everyday_floor,
                                max(day.chance_below_everyday_floor for day in seen.days))

    def test_short_log_makes_a_wider_fan(self):
        widths = [look(rig(), log_of(days)).days[6].solar_to_date_wh for days in (3, 60)]
        self.assertGreater(widths[0].p90 - widths[0].p10, widths[1].p90 - widths[1].p10)

    def test_a_given_sky_narrows_its_day(self):
        log = log_of()
        day = look(rig(), log).days[1].day
        clear, storm = (look(rig(), log, skies={day: word}).days[1].solar_wh for word in ("clear", "storm"))
        self.assertGreater(clear.p25, storm.p75)

    def test_what_is_not_known_is_said(self):
        with self.assertRaisesRegex(NoOutlook, "no_level"):
            look(rig(), [Reading(datetime(2026, 11, 1, tzinfo=UTC), solar_wh=200)])
        with self.assertRaisesRegex(NoOutlook, "no_use"):
            look(rig(), [Reading(datetime(2026, 11, 1, tzinfo=UTC), soc=0.5)])
        log = log_of()
        with self.assertRaisesRegex(NoOutlook, "level_too_old .*31"):
            look(rig(), log, log[-1].at + timedelta(days=31))
        self.assertTrue(look(rig(), log, log[-1].at + timedelta(days=4)).present.silent)
        listed = rig(loads=(Load("Fridge", 700),))
        self.assertEqual(look(listed, [Reading(datetime(2026, 11, 1, tzinfo=UTC), soc=0.5)]).present.drain.basis,
                         "loads")

    def test_odd_places_and_days(self):
        for zone, latitude, start in (
                ("Australia/Hobart", -42.0, datetime(2026, 3, 1, 8, tzinfo=UTC)),   # 25 h on 5 April
                ("Europe/Oslo", 70.0, datetime(2026, 11, 20, 8, tzinfo=UTC)),       # no sun for weeks
                ("Asia/Kolkata", 20.0, datetime(2026, 5, 1, 8, tzinfo=UTC)),        # half an hour off
                ("America/New_York", 42.0, datetime(2026, 1, 28, 8, tzinfo=UTC))):  # 23 h on 8 March
            with self.subTest(zone):
                of = rig(place=Place(latitude, 20.0, zone), )
                seen = look(of, log_of(36, start))
                self.assertEqual(len(seen.days), 10)
                steps = np.diff([t.timestamp() for t in seen.times])
                self.assertLessEqual(steps.max(), 3600)
                self.assertTrue(np.isfinite(seen.fan).all())
        dark = rig(place=Place(75.0, 20.0, "Europe/Oslo"))
        self.assertEqual(look(dark, log_of(30, datetime(2026, 11, 10, 8, tzinfo=UTC))).days[0].solar_wh.p90, 0)

    def test_no_array_empty_bank_and_full_bank(self):
        bare = rig(arrays=())
        log = readings(*({"soc": 0.9 - 0.1 * n, "use_wh": 900} for n in range(5)))
        self.assertEqual(look(bare, log).days[0].solar_wh.p90, 0)
        for soc in (0.0, 1.0):
            seen = look(rig(), [*log_of(20), Reading(datetime(2026, 11, 21, 8, tzinfo=UTC), soc=soc)])
            self.assertTrue(0 <= seen.present.soc.p50 <= 1)
        self.assertEqual(look(rig(), [*log_of(20), Reading(datetime(2026, 11, 21, 8, tzinfo=UTC), soc=0.0)])
                         .present.days["everyday_floor"].p90, 0)

    def test_controller_limit_holds(self):
        from dataclasses import replace
        held = rig(arrays=(replace(rig().arrays[0], controller_limit_w=100.0),))
        self.assertLess(look(held, log_of()).days[2].solar_wh.p90, 100 * 16)


class Words(unittest.TestCase):
    def test_lengths_and_chances(self):
        self.assertEqual([stretch(days) for days in (0.02, 0.4, 1, 2.21, 9.4, 90)],
                         ["less than an hour", "ten hours", "one day", "two days and five hours", "nine days",
                          "more than two months"])
        self.assertEqual([chance(p) for p in (0, 0.05, 0.11, 0.42, 0.96, 1)],
                         ["very unlikely", "1 in 10", "1 in 10", "4 in 10", "almost certain", "almost certain"])

    def test_rough_figures_are_said_roughly(self):
        self.assertEqual([about(wh) for wh in (7, 83, 483, 996, 2371, 9960, 10_540, 765_400)],
                         ["about 7 Wh", "about 83 Wh", "about 480 Wh", "about 1.0 kWh", "about 2.4 kWh", "about 10 kWh",
                          "about 11 kWh", "about 770 kWh"])

    def test_headline_advice_and_foot_speak_of_one_chance(self):
        """Over many rigs and logs: no calm sentence beside a chance over the span that is not calm."""
        of = rig(place=HOBART)
        for use_wh in (900, 1900, 2300, 2600, 3000, 3600):
            seen = look(of, log_of(use_wh=use_wh))
            said, told = " ".join(advising.odds(seen, of)), " ".join(advising.advice(seen, of, None))
            self.assertEqual(seen.lack.chance, seen.chance_below_everyday_floor)
            self.assertIn(chance(seen.chance_below_everyday_floor), said.replace("almost certainly", "almost certain"))
            self.assertEqual("All is well" in told, seen.chance_below_everyday_floor <= 0.1, (use_wh, told))
            self.assertEqual(seen.lack.first is None, seen.chance_below_everyday_floor <= 0.1)

    def test_what_is_said_of_how_little_it_rests_on(self):
        for days, told in ((1, "This rests on one day of your log"), (6, "rests on six days of your log"), (7, "")):
            seen = look(rig(), log_of(days + 1))
            self.assertIn(told, rests_on(seen))
            self.assertEqual(not told, not rests_on(seen))
        listed = rig(loads=(Load("Fridge", 900, "dc"),))
        self.assertIn("list of loads", rests_on(look(listed, readings({"soc": 0.8}))))

    def test_the_hour_towards_which_the_use_leans(self):
        # All of a lean in the sine is at six o'clock, in the cosine at midnight, both alike between them.
        for mean, told in (((0.5, 0.0), "towards 6:00, by 50 %"), ((0.0, 0.4), "towards 0:00, by 40 %"),
                           ((-0.3, -0.3), "towards 15:00, by 42 %"), ((0.05, 0.05), "")):
            self.assertIn(told, when_used(Lean(np.array(mean), np.zeros((2, 2)))))
        self.assertEqual(when_used(Lean(np.array((0.05, 0.05)), np.zeros((2, 2)))), "")

    def test_a_calm_outlook_says_when_the_worst_of_the_log_would_not_hold(self):
        steady = readings(*({"soc": 0.95, "solar_wh": 950.0, "use_wh": 850.0} for _ in range(40)))
        of = rig(place=HOBART)
        seen = look(of, steady)
        below = Again(date(2026, 6, 1), date(2026, 6, 5), 0.9, (0.5,) * 5, seen.as_of, 0.1,
                      datetime(2026, 12, 13, 18, tzinfo=UTC), 0.0)
        self.assertIn("The worst five days of your log again would take you below 20 % on Monday before dawn.",
                      advising.advice(seen, of, below))
        self.assertIn("All is well until Sun 20 Dec (9 in 10).", advising.advice(seen, of, replace(below, below=None)))

    def test_the_most_likely_day_is_the_one_on_which_most_first_go_below(self):
        # Of ten futures three first go below on the first day and stay there, two on the second, one on the third: by
        # then six are below, but the first day it is.
        seen, first = looked(0.31, days=2), None
        self.assertEqual(seen.lack.likeliest.astimezone(HOBART_ZONE).date(), date(2026, 11, 25))
        self.assertLess((seen.lack.likeliest - seen.as_of).total_seconds() / 3600, 24)
        self.assertIsNone(looked(0.95).lack.likeliest, first)

    def test_the_first_time_in_doubt_is_the_hour_at_which_it_is(self):
        # From 31 % to the floor of 20 % are 1056 of 9600 Wh; with no sun 52 Wh an hour take them in 20 hours.
        seen = looked(0.31, days=2)
        hours = (seen.lack.first - seen.as_of).total_seconds() / 3600
        self.assertTrue(16 <= hours <= 21, hours)
        self.assertLess(abs(seen.lack.likeliest - seen.lack.first), timedelta(hours=5))
        self.assertEqual(moment(datetime(2026, 11, 25, 16, 30, tzinfo=UTC), date(2026, 11, 26), HOBART_ZONE),
                         "today before dawn")
        self.assertEqual(moment(datetime(2026, 11, 26, 8, 0, tzinfo=UTC), date(2026, 11, 26), HOBART_ZONE),
                         "this evening")
        self.assertEqual(moment(datetime(2026, 11, 28, 2, 0, tzinfo=UTC), date(2026, 11, 26), HOBART_ZONE),
                         "Saturday afternoon")
