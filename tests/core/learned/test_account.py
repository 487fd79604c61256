import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
from scipy import stats

from tests.support import NOW, readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.outlook.autonomy import drain
from voltaun.core.rig.parts import Load
from voltaun.core.sky.model import STARTUP_SHARES, STARTUP_SKIES
from voltaun.core.stats import right_censored
from voltaun.demo import honey_house
from voltaun.words import sentences


class Censoring(unittest.TestCase):
    def test_agrees_with_scipy(self):
        rng = np.random.default_rng(2)
        for n in (1, 5, 40, 300):
            values = rng.uniform(0, 1, n).round(2)
            censored = rng.random(n) < 0.4
            points, weights = right_censored(values, censored, np.ones(n))
            self.assertAlmostEqual(weights.sum(), 1)
            data = stats.CensoredData(uncensored=values[~censored], right=values[censored])
            curve = stats.ecdf(data).cdf
            for q in np.unique(values[~censored])[:-1]:
                self.assertAlmostEqual(weights[points <= q + 1e-9].sum(), float(curve.evaluate(q)))

    def test_capped_days_do_not_drag_the_yield_down(self):
        rng = np.random.default_rng(3)
        true = rng.uniform(0.2, 0.8, 4000)
        cap = rng.uniform(0.2, 1.0, 4000)
        points, weights = right_censored(np.minimum(true, cap), true > cap, np.ones(4000))
        self.assertAlmostEqual(points @ weights, 0.5, delta=0.02)
        self.assertLess(np.minimum(true, cap).mean(), 0.45)


class FirstNight(unittest.TestCase):
    """Nine hours of the dark, from 80 to 74 % of 9600 Wh: 576 Wh less 18 Wh of standby are 558 Wh."""

    DUSK = datetime(2026, 11, 1, 11, 0, tzinfo=UTC)
    NIGHT = readings({"soc": 0.80}, {"soc": 0.74, "solar_wh": 0.0}, start=DUSK, hours=9)

    def use(self, of=None, log=None):
        of = of or rig()
        return reckon(of, log or self.NIGHT, sun_of(of)).learned.use

    def test_a_single_night_tells_a_day_with_its_doubt(self):
        use = self.use()
        self.assertAlmostEqual(use.mean, 558 / 9 * 24, delta=0.1)
        # Two levels of one per cent each are 135.8 Wh of 558, beside the 0.4 of any few hours.
        self.assertAlmostEqual(use.sd / use.mean, (0.4 ** 2 + (135.8 / 558) ** 2) ** 0.5, places=3)
        self.assertEqual((use.intervals, use.hours, use.read_share), (0, 9.0, 0.0))

    def test_those_hours_weigh_by_the_list(self):
        # 22:00 to 7:00: the lamp's two hours till midnight are half of a day of its four; it is 300 of 540 Wh.
        lamp, fridge = Load("Lamp", 300, "dc", pattern=("hours", 20, 24)), Load("Fridge", 240, "dc")
        # They tell 558 / (240 / 540) = 1255.5 Wh a day, in doubt by 0.468 (0.4, and the levels' 135.8 of 558); the list
        # tells 540, in doubt by 0.4, and counts less where it is far off: ln(540 / 1255.5) = -0.844, and
        # (0.468 / 0.4)² / (1 + (0.844 / 0.8)⁴) = 0.612. 1255.5 × e^(-0.844 × 0.612 / 1.612) = 911.3
        use = self.use(rig(loads=(lamp, fridge)))
        self.assertAlmostEqual(use.mean, 911.3, delta=0.2)
        self.assertAlmostEqual(use.sd / use.mean, 0.468 / 1.612 ** 0.5, places=3)
        near = self.use(rig(loads=(replace(lamp, daily_wh=697.5), replace(fridge, daily_wh=558))))
        self.assertAlmostEqual(near.mean, 1255.5, delta=0.2)  # a list that says the same changes nothing

    def test_too_short_or_too_little_tells_nothing(self):
        for hours, shown in ((240.0, {"soc": 0.3}), (5.9, {"soc": 0.7}), (9, {"soc": 0.79}),
                             (9, {"soc": 0.7, "answer": "reset"})):
            log = readings({"soc": 0.8}, shown | {"solar_wh": 0.0}, start=self.DUSK, hours=hours)
            self.assertIsNone(self.use(log=log), shown)

    def test_neither_do_hours_without_loads_nor_a_bank_that_was_full(self):
        self.assertIsNone(self.use(rig(loads=(Load("Pump", 300, "dc", pattern=("hours", 9, 12)),))))
        dawn = self.DUSK + timedelta(hours=11)
        day = readings({"soc": 0.9}, {"soc": 1.0, "solar_wh": 2600.0}, start=dawn, hours=8)
        self.assertIsNone(self.use(log=day))

    def test_the_drain_of_a_day_has_that_doubt(self):
        learned = reckon(rig(), self.NIGHT, None).learned
        leaving = drain(rig(), learned, 11)
        self.assertEqual((leaving.basis, leaving.days_known, leaving.hours_known), ("log", 0, 9.0))
        self.assertEqual((leaving.use_wh, leaving.sd_wh), (learned.use.mean, learned.use.sd))
        self.assertEqual([sentences.logged(0, 9.0), sentences.logged(4, None)], ["9 h of the log", "4 logged days"])

    def test_what_no_list_explains_names_the_draw_that_is_part_of_it(self):
        part = "The draw of about 12 W that the log does not explain is part of it."
        for gap_wh, draw_w, named in ((341, 12.0, True), (200, 12.0, False), (341, 0.0, False), (-50, 12.0, False)):
            said = sentences.not_listed(gap_wh, draw_w)
            self.assertEqual(part in said, named, said)
        self.assertIn("That is 14 W day and night", sentences.not_listed(341, 0.0))

    def test_a_use_that_was_read_has_no_error_of_levels_and_days_take_its_place(self):
        rows = readings({"soc": 0.80}, {"soc": 0.74, "solar_wh": 0.0, "use_wh": 600.0}, start=self.DUSK, hours=9)
        use = self.use(log=rows)
        self.assertAlmostEqual(use.mean, 1600, delta=0.1)
        self.assertAlmostEqual(use.sd, 640, delta=0.1)
        later = readings({"soc": 0.7, "solar_wh": 0.0, "use_wh": 400.0}, start=rows[-1].at + timedelta(hours=15))
        use = self.use(log=[*rows, *later])
        self.assertEqual((use.intervals, use.hours), (1, None))
        self.assertAlmostEqual(use.mean, 1000, delta=0.1)


class Learning(unittest.TestCase):
    def test_few_days_pull_only_a_little_and_many_replace(self):
        of = rig()
        startup = sum(STARTUP_SHARES[sky] * STARTUP_SKIES[sky] for sky in STARTUP_SHARES)
        sun = sun_of(of)
        means = []
        for days in (0, 2, 80):
            log = readings(*({"soc": 0.5, "solar_wh": 900} for _ in range(days + 1)))
            share = reckon(of, log, sun).learned.share
            means.append(share.mean)
            self.assertEqual(share.days, days)
        self.assertAlmostEqual(means[0], startup)
        self.assertLess(startup - means[1], 0.15)
        self.assertLess(means[2], 0.2)

    def test_reset_teaches_nothing_and_use_is_weighed_by_time(self):
        of = rig()
        log = readings({"soc": 0.8}, {"soc": 0.7, "solar_wh": 2000}, {"soc": 0.6, "solar_wh": 2000},
                       {"soc": 1.0, "solar_wh": 0})
        learned = reckon(of, log, sun_of(of)).learned
        self.assertEqual(learned.use.intervals, 2)
        self.assertAlmostEqual(learned.use.mean, learned.use.rates.mean())
        self.assertIsNone(learned.hidden_draw_w)

    def test_demo_log_brings_out_the_hidden_draw_and_the_use(self):
        sun = sun_of(honey_house.RIG)
        for seed in (1, 2, 7):
            with self.subTest(seed):
                learned = reckon(honey_house.RIG, honey_house.log(NOW, sun, seed), sun).learned
                draw = learned.hidden_draw_w
                self.assertLess(draw.low, honey_house.TRUTH.hidden_w)
                self.assertGreater(draw.high, honey_house.TRUTH.hidden_w)
                self.assertGreater(draw.low, 0)
                self.assertAlmostEqual(learned.use.mean, honey_house.TRUTH.use_wh_per_day, delta=200)
                self.assertGreater(learned.share.capped_days, 5)
