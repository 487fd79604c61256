import unittest

import numpy as np
from scipy import stats

from tests.support import NOW, readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.sky.model import STARTUP_SHARES, STARTUP_SKIES
from voltaun.core.stats import right_censored
from voltaun.demo import honey_house


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
