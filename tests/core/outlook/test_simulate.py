import random
import unittest

import numpy as np

from tests.support import random_rig, rig
from voltaun.core.outlook.simulate import BankStep, simulate
from voltaun.core.rig.bank import acceptance, effective_energy


def random_futures(of, rng, temp_c=None, steps=72, count=20):
    energy = effective_energy(of).wh
    hours = rng.uniform(0.2, 1.0, steps)
    harvest = rng.uniform(0, 0.4 * energy, (steps, count)) * (rng.random((steps, count)) < 0.5)
    load = rng.uniform(0, 0.2 * energy, (steps, count))
    return simulate(of, energy, rng.uniform(0, 1, count), harvest, load, hours, temp_c), hours


class HourlyStep(unittest.TestCase):
    def test_energy_is_conserved_over_random_rigs(self):
        for seed in range(120):
            of, rng = random_rig(random.Random(seed)), np.random.default_rng(seed)
            made, hours = random_futures(of, rng, temp_c=rng.choice([None, -5.0, 20.0]))
            balance = made.harvest - made.used - made.stored - made.lost - made.spilt
            self.assertLess(np.abs(balance).max(), 1e-6)
            for part in (made.used, made.spilt, made.unserved, made.lost, made.taken, made.missing):
                self.assertGreater(part.min(), -1e-6)
            self.assertLessEqual(made.level.max(), 1 + 1e-9)
            falling = np.diff(made.level, axis=0) < -1e-12
            self.assertGreater(made.level[1:][falling].min(), of.bank.hard_floor - 1e-9)
            allowed = acceptance(of, made.level[:-1]) * hours[:, None]
            self.assertTrue((made.taken <= allowed + 1e-6).all())

    def test_cold_lithium_takes_no_charge(self):
        made, _ = random_futures(rig(), np.random.default_rng(1), temp_c=-1.0)
        self.assertEqual(made.taken.max(), 0)

    def test_at_the_hard_floor_the_load_goes_unserved_and_is_counted(self):
        made = simulate(rig(), 9600, 0.10, np.zeros((5, 1)), np.full((5, 1), 200.0), np.ones(5))
        self.assertEqual(made.unserved.sum(), 1000)
        self.assertEqual(made.level[-1, 0], 0.10)

    def test_what_is_missing_is_the_same_looked_at_each_hour_or_once_a_day(self):
        rng = np.random.default_rng(3)
        held = np.empty((2, 25, 200))
        held[:, 0] = rng.uniform(0, 0.5 * 9600, 200)  # some begin below the hard floor, 960 Wh, and are not lifted
        wanted, missing = rng.uniform(0, 150, (24, 200)), np.empty((24, 200))
        step = BankStep(rig(), 9600, (200,), float)
        for hour in range(24):
            step.give(held[0, hour], wanted[hour], missing[hour], held[0, hour + 1])
            step.give(held[1, hour], wanted[hour], None, held[1, hour + 1])
        np.testing.assert_allclose(held[0], held[1], atol=1e-9)
        lanes, found = step.missing_of(held[1, :24], wanted, held[1, 1:].min(axis=0))
        np.testing.assert_allclose(found, missing[:, lanes], atol=1e-9)
        np.testing.assert_allclose(np.delete(missing, lanes, axis=1), 0, atol=1e-9)
        self.assertTrue(20 < len(lanes) < 180)

    def test_more_sun_never_lowers_and_more_use_never_raises_the_level(self):
        rng = np.random.default_rng(5)
        for _ in range(20):
            harvest, load = rng.uniform(0, 900, (100, 8)), rng.uniform(0, 700, (100, 8))
            base = simulate(rig(), 9600, 0.5, harvest, load, np.ones(100)).level
            sunnier = simulate(rig(), 9600, 0.5, harvest * 1.2, load, np.ones(100)).level
            used_more = simulate(rig(), 9600, 0.5, harvest, load * 1.2, np.ones(100)).level
            self.assertGreater((sunnier - base).min(), -1e-9)
            self.assertLess((used_more - base).max(), 1e-9)
