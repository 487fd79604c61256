import random
import unittest
from dataclasses import replace

import numpy as np

from tests.simulated import log_of, random_rig, truth_of
from tests.support import readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.rig.bank import effective_energy, rated_energy


def held_of(of, log):
    return reckon(of, log, sun_of(of)).learned.held


class AgainstTruth(unittest.TestCase):
    def test_nine_in_ten_intervals_hold_the_truth_over_a_hundred_random_rigs(self):
        energy = draw = 0
        for seed in range(100):
            rng = np.random.default_rng(seed)
            of = random_rig(rng, ("lfp", "agm", "nmc")[seed % 3])
            truth = truth_of(of, rng)
            held = held_of(of, log_of(of, truth, rng, 90))
            energy += held.energy_wh.low <= truth.energy_wh <= held.energy_wh.high
            draw += held.hidden_w.low <= truth.hidden_w <= held.hidden_w.high
            self.assertLess(held.energy_wh.high - held.energy_wh.low, 0.24 * held.energy_wh.estimate)
        self.assertTrue(84 <= energy <= 96, energy)
        self.assertTrue(84 <= draw <= 96, draw)

    def test_days_that_do_not_fit_are_left_out(self):
        rng = np.random.default_rng(4)
        of = random_rig(rng)
        truth = truth_of(of, rng)
        log = log_of(of, truth, rng, 90)
        # A generator that ran unread on one day in nine, and a slip of the pen.
        spoilt = [replace(each, use_wh=each.use_wh + 0.3 * truth.energy_wh) if n % 9 == 4 else each
                  for n, each in enumerate(log)]
        spoilt[20] = replace(spoilt[20], solar_wh=spoilt[20].solar_wh * 10)
        held = held_of(of, spoilt)
        self.assertTrue(held.energy_wh.low <= truth.energy_wh <= held.energy_wh.high)
        self.assertTrue(held.hidden_w.low <= truth.hidden_w <= held.hidden_w.high)

    def test_a_percent_that_drifts_is_told_from_one_that_is_only_rounded(self):
        rng = np.random.default_rng(9)
        of = random_rig(rng)
        log = log_of(of, truth_of(of, rng), rng, 90)
        self.assertLess(held_of(of, log).wander, 2)
        drifting = [replace(each, soc=float(np.clip(each.soc + rng.normal(0, 0.04), 0, 1))) for each in log]
        self.assertGreater(held_of(of, drifting).wander, 2.5)

    def test_more_days_narrow_it_down_to_what_the_books_take_for_granted(self):
        rng = np.random.default_rng(6)
        of = random_rig(rng)
        log = log_of(of, truth_of(of, rng), rng, 365)
        short, long = held_of(of, log[:40]), held_of(of, log)
        self.assertLess(long.hidden_w.high - long.hidden_w.low, short.hidden_w.high - short.hidden_w.low)
        self.assertGreater(long.energy_wh.high - long.energy_wh.low, 0.04 * long.energy_wh.estimate)


class TooLittle(unittest.TestCase):
    def test_few_days_or_figures_not_read_tell_nothing(self):
        of = rig()
        whole = {"soc": 0.5, "solar_wh": 2600, "use_wh": 2500}
        self.assertIsNone(held_of(of, readings(*[whole] * 10)))
        self.assertIsNone(held_of(of, readings(*[{"soc": 0.5, "solar_wh": 2600}] * 60)))

    def test_a_level_that_hardly_moves_tells_the_draw_and_no_energy(self):
        rng = random.Random(1)
        of = rig()
        held = held_of(of, readings(*({"soc": 0.6 + rng.randint(-1, 1) / 100, "solar_wh": 3000, "use_wh": 2500}
                                      for _ in range(60))))
        self.assertIsNone(held.energy_wh)
        self.assertGreater(held.hidden_w.estimate, 10)

    def test_what_the_log_showed_counts_after_a_test_and_before_the_rating(self):
        bank = rig().bank
        self.assertEqual(effective_energy(rig()).wh, rated_energy(bank))
        logged = rig(bank=replace(bank, logged_energy_wh=9000))
        self.assertEqual((effective_energy(logged).wh, effective_energy(logged).basis), (9000, "log"))
        tested = rig(bank=replace(bank, logged_energy_wh=9000, tested_energy_wh=8800))
        self.assertEqual(effective_energy(tested).wh, 8800)
