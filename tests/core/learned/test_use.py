import math
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.support import NOW, readings, rig
from voltaun.core.instants import zone
from voltaun.core.learned import season, use
from voltaun.core.learned.level import use_level
from voltaun.core.learned.share import ShareLearned, with_spilt
from voltaun.core.learned.use import Leg, Lot, learn_uses
from voltaun.core.log.ledger import intervals
from voltaun.core.log.reading import Reading

HOBART = zone("Australia/Hobart")
TODAY = date(2026, 11, 25)


def legs(*watt_hours, hours=24.0):
    """Legs of a day each, the last of which ends this morning at eight in Hobart."""
    last = datetime(2026, 11, 24, 21, tzinfo=UTC)
    return [Leg(hours, wh * hours / 24, None, None, False, True, last - timedelta(days=n))
            for n, wh in enumerate(reversed(watt_hours))][::-1]


def lot(day, wh, days=1.0):
    return Lot(days, np.eye(7)[day.weekday()], wh, day)


def model(*watt_hours):
    return learn_uses([legs(*watt_hours)], [TODAY], HOBART, 0.1)[0]


class Seasons(unittest.TestCase):
    def test_a_year_is_round(self):
        # The last of December lies 16 days from the middle of its month and 15 from that of January.
        near = season.nearness([date(2026, 12, 31), date(2026, 1, 15)])
        self.assertAlmostEqual(near[11, 0], math.exp(-0.5 * (16 / 30) ** 2))
        self.assertAlmostEqual(near[0, 0], math.exp(-0.5 * (15 / 30) ** 2))
        self.assertEqual(near[0, 1], 1.0)
        before, after, part = season.between_months([date(2026, 12, 31), date(2026, 1, 15)])
        self.assertEqual((before.tolist(), after.tolist()), ([11, 11], [0, 0]))
        np.testing.assert_allclose(part, [16 / 31, 1.0])
        months = np.arange(12.0)
        self.assertAlmostEqual(season.on_days(months, [date(2026, 2, 1)])[0], 17 / 31)

    def test_a_months_use_is_drawn_towards_the_usual(self):
        told = {date(2026, 7, 15): 2000.0, date(2026, 1, 15): 1000.0}
        mean, months = season.seasons_of_use(told)
        far = math.exp(-0.5 * (181 / 30) ** 2)
        self.assertEqual(mean, 1500.0)
        self.assertAlmostEqual(months[6], 1 + (500 / 1500) * (1 - far) / (1 + far + 10))


class Legs(unittest.TestCase):
    def test_half_days_make_a_day_and_more_than_a_week_makes_none(self):
        # A day of 1000 Wh and a night of 200, twice: 1200 a day each time, not 2000 and 400.
        halves = intervals(rig(arrays=()), readings({"soc": 0.9}, *({"use_wh": wh} for wh in (1000.0, 200.0) * 2),
                                                    hours=12), None)
        self.assertEqual([(leg.hours, leg.use_wh) for leg in use.day_legs(halves)], [(24.0, 1200.0)] * 2)
        self.assertEqual(use.use_of(use.day_legs(halves)).rates.tolist(), [1200.0, 1200.0])
        for hours, count in ((7 * 24, 1), (7 * 24 + 1, 0)):
            long = intervals(rig(arrays=()), readings({"soc": 0.9}, {"use_wh": 900.0}, hours=hours), None)
            self.assertEqual(len(use.day_legs(long)), count, hours)

    def test_what_is_set_apart_counts_in_no_day_and_an_absence_stays_one(self):
        # 12 h of 1000 Wh, 6 h that are left out, 12 h of 200: a day's leg of the 24 h that count.
        day = [Reading(NOW + timedelta(hours=hours), **told) for hours, told in (
            (0, {"soc": 0.9}), (12, {"use_wh": 1000.0}), (18, {"soc": 0.5, "answer": "reset"}),
            (30, {"use_wh": 200.0}))]
        self.assertEqual([(leg.hours, leg.use_wh) for leg in use.day_legs(intervals(rig(arrays=()), day, None))],
                         [(24.0, 1200.0)])
        away = [Reading(NOW, soc=0.9), Reading(NOW + timedelta(days=10), soc=0.4, answer="reset")]
        self.assertEqual(len(use.gap_legs(intervals(rig(arrays=()), away, None))), 1)


class Spilt(unittest.TestCase):
    def test_sun_beyond_what_the_word_brings_is_likely_as_much_as_the_better_days(self):
        # Half of the days bring 0.5 and half 0.9 of a clear sky. Capped at 0.8, which a clear word (0.75) does not
        # reach: likely 0.9, so a tenth of 5000 Wh was spilt. Capped at 0.6: 0.75, so 750 Wh.
        share = ShareLearned(np.array([0.5, 0.9]), np.array([0.5, 0.5]), 20, 0)
        made, = intervals(rig(arrays=()), readings({"soc": 0.9}, {"soc": 1.0, "solar_wh": 4000.0}), None)
        for solar, spilt in ((4000.0, 500.0), (3000.0, 750.0)):
            capped = replace(made, capped=True, harvest=made.harvest | {"solar": solar}, clear_sky_wh=5000.0,
                             sky="clear")
            self.assertAlmostEqual(with_spilt(capped, share).spilt_wh, spilt)


class Habits(unittest.TestCase):
    def test_a_leg_belongs_to_the_day_of_its_middle_and_a_long_one_to_none(self):
        # From eight on the 24th to eight on the 25th: the middle is eight in the evening of the 24th.
        self.assertEqual(use.days_of(legs(1200.0), HOBART), {date(2026, 11, 24): 1200.0})
        self.assertEqual(use.days_of(legs(1200.0, hours=30.0), HOBART), {date(2026, 11, 24): 1200.0})
        self.assertEqual(use.days_of(legs(1200.0, hours=36.5), HOBART), {})

    def test_old_days_fade_from_the_usual(self):
        # 1000 today and 2000 forty days ago, which weighs 1/e = 0.3679: (1000 + 735.8) / 1.3679 = 1269.
        lots = [lot(TODAY - timedelta(days=40), 2000.0), lot(TODAY, 1000.0)]
        self.assertAlmostEqual(use._scale(lots, TODAY), (1000 + 2000 / math.e) / (1 + 1 / math.e))
        self.assertAlmostEqual(use._scale(lots, TODAY), 1269, delta=0.5)
        # One of three days counts three times as much.
        self.assertAlmostEqual(use._scale([lot(TODAY, 1000.0, 3.0), lot(TODAY, 2000.0)], TODAY), 1250.0)

    def test_a_weekday_is_believed_as_if_eight_of_its_days_had_shown_nothing(self):
        # Eight weeks, Mondays 1700 and else 1000: the mean is 1100, Mondays 600 / 1100 = 0.545 more; 8 of 16 count.
        days = [TODAY - timedelta(days=n) for n in range(56)]
        habit = use._weekdays([lot(day, 1000.0 if day.weekday() else 1700.0) for day in days], 1100.0)
        self.assertAlmostEqual(habit[0], 1 + 8 / 16 * 600 / 1100)
        self.assertAlmostEqual(habit[3], 1 - 8 / 16 * 100 / 1100)
        self.assertEqual(use._weekdays([], 0.0).tolist(), [1.0] * 7)

    def test_weekends_and_the_five_days_between_them_tell_the_weekdays(self):
        # Eight weeks: Saturday and Sunday 1800 Wh each, read together, the other days 1000, together: 1228.6 a day.
        monday, midnight, there = date(2026, 9, 28), datetime(2026, 9, 28, tzinfo=UTC), zone("Etc/UTC")
        made = [Leg(hours, wh, None, None, False, True, midnight + timedelta(weeks=n, days=ends))
                for n in range(8) for hours, wh, ends in ((120.0, 5000.0, 5), (48.0, 3600.0, 7))]
        lots = use._lots({}, made, there)
        self.assertAlmostEqual(use._scale([replace(of, middle=TODAY) for of in lots], TODAY), 8600 / 7)
        habit = use._weekdays(lots, 8600 / 7)
        # Saturday and Sunday are one figure for two days, which counts 16 against 8 of nothing: half of 0.465 and more.
        self.assertAlmostEqual(habit[5], habit[6])
        self.assertAlmostEqual(habit[5], 1 + 8 / (8 + 8) * (1800 * 7 / 8600 - 1), places=6)
        self.assertEqual(sorted(use.mean_days(made[:1], there, habit)), [monday + timedelta(days=n) for n in range(5)])

    def test_weeks_in_which_little_was_used_are_an_absence_and_others_are_not(self):
        end = datetime(2026, 9, 28, 18, tzinfo=HOBART)
        gone, at_home = (Leg(480.0, wh, None, None, False, True, end) for wh in (1800.0, 18000.0))
        (found,) = use.absences([gone, at_home], 1000.0, HOBART)
        self.assertEqual((found.first, found.last, found.use_wh), (date(2026, 9, 9), date(2026, 9, 28), 90.0))

    def test_with_fewer_than_seven_days_nothing_is_said(self):
        self.assertIsNone(model(*[1000.0] * 6))
        self.assertIsNotNone(model(*[1000.0] * 7))
        self.assertIsNone(model(*[0.0] * 20))  # nothing was used: there is nothing to measure by

    def drawn(self, *watt_hours):
        return model(*watt_hours).draw([TODAY + timedelta(days=n) for n in range(10)], 4000, 1)

    def test_a_quiet_week_goes_on_and_slowly_ends(self):
        rng = np.random.default_rng(1)
        usual = (1000 * np.exp(0.2 * rng.standard_normal(90))).tolist()
        away = self.drawn(*usual[:80], *[200.0] * 10)
        as_usual = self.drawn(*usual)
        self.assertLess(np.median(away[0]), 0.6 * np.median(as_usual[0]))
        self.assertGreater(np.median(away[9]), np.median(away[0]))
        self.assertLess(np.median(away[9]), np.median(as_usual[9]))

    def test_a_day_that_was_cut_short_at_the_hard_floor_is_only_a_least(self):
        rng = np.random.default_rng(1)
        usual = (1000 * np.exp(0.2 * rng.standard_normal(80))).tolist()
        told = legs(*usual, *[300.0] * 10)
        days = [TODAY + timedelta(days=n) for n in range(10)]

        def cut_of(legs):
            return use.cut_short(use.days_of(legs, HOBART), legs, HOBART, 0.1)

        def ahead(lowest):
            cut = [*told[:80], *(replace(leg, lowest=lowest) for leg in told[80:])]
            made = learn_uses([cut], [TODAY], HOBART, 0.1)[0]
            return len(cut_of(cut)), float(np.median(made.draw(days, 4000, 1)))
        saved, at_floor, near, above = ahead(None), ahead(0.1), ahead(0.11), ahead(0.12)
        self.assertEqual([each[0] for each in (saved, at_floor, near, above)], [0, 10, 10, 0])
        self.assertEqual(saved[1], above[1])  # as little by one's own will
        self.assertLess(saved[1], 800)
        self.assertGreater(at_floor[1], 900)
        # Nine tenths of the usual and more was not cut short; with too few days beside them all days count.
        full = [replace(leg, lowest=0.1) for leg in legs(*[1000.0] * 20, 890.0, 910.0)]
        self.assertEqual(len(cut_of([*legs(*[1000.0] * 60)[:-22], *full])), 1)
        few = {date(2026, 11, n): 1000.0 for n in range(1, 15)}
        self.assertEqual(len(use.free_of(few, {date(2026, 11, 1)})), 14)
        self.assertEqual(len(use.free_of(few | {date(2026, 11, 15): 1.0}, {date(2026, 11, 15)})), 14)

    def test_ten_days_are_wider_than_days_that_forget_each_other(self):
        rng = np.random.default_rng(2)
        spell = np.repeat(np.exp(0.3 * rng.standard_normal(30)), 4) * 1000  # the same for four days, then another
        sums = self.drawn(*spell.tolist()).sum(axis=0)
        alone = 1000 * np.exp(0.3 * rng.standard_normal((10, 4000))).sum(axis=0)
        self.assertGreater(sums.std() / sums.mean(), 1.3 * alone.std() / alone.mean())

    def test_the_band_of_eight_in_ten_holds_days_like_those_it_was_learned_from(self):
        held = made = 0
        for seed in range(40):
            rng = np.random.default_rng(seed)
            level, days = 0.0, []
            for _ in range(100):
                level = 0.85 * level + 0.15 * rng.standard_normal()
                days.append(1500 * math.exp(level + 0.2 * rng.standard_normal()))
            drawn = self.drawn(*days[:90])
            for k in (1, 3, 10):
                low, high = np.quantile(drawn[:k].sum(axis=0), (0.1, 0.9))
                held += low <= sum(days[90:90 + k]) <= high
                made += 1
        self.assertTrue(0.7 <= held / made <= 0.92, f"{held} of {made}")

    def test_a_longer_draw_begins_like_a_shorter_one(self):
        of = model(*[900.0, 1100.0] * 20)
        days = [TODAY + timedelta(days=n) for n in range(5)]
        self.assertTrue((of.draw(days, 50, 3)[:2] == of.draw(days[:2], 50, 3)).all())
        self.assertEqual(of.draw([], 50, 3).shape, (0, 50))


class Unlike(unittest.TestCase):
    def test_days_told_by_themselves_beside_the_mean_of_all(self):
        # Two Saturdays of 1500 Wh and two weeks of seven days of 1000: the single days use 24 / 17 of the mean.
        even, saturday = np.full(7, 1 / 7), np.eye(7)[5]
        lots = [Lot(1.0, saturday, 1500.0, date(2026, 11, 7)), Lot(7.0, even, 1000.0, date(2026, 11, 4))] * 2
        self.assertAlmostEqual(use._unlike(lots, 1000.0, np.ones(7)), 1.5 / ((1.5 + 7) / 8))
        self.assertEqual(use._unlike(lots, 0.0, np.ones(7)), 1.0)
        self.assertEqual(use._unlike(lots[::2], 1000.0, np.ones(7)), 1.0)


class Level(unittest.TestCase):
    FIRST = date(2025, 1, 6)

    def days(self, count, wh):
        return {self.FIRST + timedelta(days=n): wh(n) for n in range(count)}

    def ahead(self, told, latitude=0.0):
        made = use_level(told, latitude)
        return made, made.draw(np.arange(365), 400, np.random.default_rng(1)) * made.mean_wh

    def test_the_same_use_every_day_goes_on(self):
        made, drawn = self.ahead(self.days(430, lambda n: 1000.0))
        self.assertAlmostEqual(float(drawn.mean()), 1000.0, delta=5)
        self.assertLess(float(drawn.std()), 30)
        self.assertAlmostEqual(made.factor(self.FIRST), 1.0, delta=0.01)

    def test_use_that_has_grown_is_carried_on_as_it_is_now(self):
        # 1000 Wh until day 110, in a line to 1500 on day 320, and so on to day 430, as the days of early winter come
        # again: a mean of all would be 1265.
        grown = self.days(430, lambda n: 1000 + 500 * min(max((n - 110) / 210, 0.0), 1.0))
        _, drawn = self.ahead(grown)
        self.assertAlmostEqual(float(drawn.mean()), 1500.0, delta=75)

    def test_a_season_that_came_twice_is_no_growth(self):
        seasons = self.days(730, lambda n: 1000 + 250 * np.cos(2 * np.pi * n / 365))
        _, drawn = self.ahead(seasons)
        january, july = (float(drawn[n:n + 30].mean()) for n in (0, 180))
        self.assertAlmostEqual(january, 1250.0, delta=40)
        self.assertAlmostEqual(july, 750.0, delta=40)

    def test_what_was_not_seen_is_wide(self):
        _, drawn = self.ahead(self.days(60, lambda n: 1000.0 + 60 * (n % 3)))
        seen, unseen = (float(drawn[n].std()) for n in (30, 210))
        self.assertGreater(unseen, 2 * seen)

    def test_winters_use_more_before_the_log_tells_in_the_north_in_january(self):
        summer = {date(2026, 6, 15) + timedelta(days=n): 1000.0 for n in range(60)}
        # 0.12 more than the mean in midwinter, as much less in midsummer, at 45 degrees and beyond.
        for latitude, day, low, high in ((50.0, 14, 1180, 1320), (50.0, 196, 960, 1040), (0.0, 14, 960, 1040),
                                         (-50.0, 14, 720, 860)):
            with self.subTest(latitude=latitude, day=day):
                drawn = self.ahead(summer, latitude)[1]
                self.assertTrue(low < float(drawn[day].mean()) < high, float(drawn[day].mean()))

    def test_nothing_known_is_none_and_nothing_used_is_drawn_as_nothing(self):
        self.assertIsNone(use_level({}, 0.0))
        self.assertEqual(float(self.ahead(self.days(20, lambda n: 0.0))[1].max()), 0.0)
