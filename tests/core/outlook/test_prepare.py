"""What is drawn of the days ahead before they are lived."""

import unittest
from datetime import timedelta
from types import SimpleNamespace

from tests.core.test_decisions import MIDNIGHT
from voltaun.core.outlook.autonomy import Drain
from voltaun.core.outlook.prepare import _draw_uses


class Uses(unittest.TestCase):
    def test_with_few_days_known_they_spread_around_their_mean(self):
        # A mean of 1000 Wh, give or take 400, known from a hundred days: the doubt of the mean itself is 4 %.
        ask = SimpleNamespace(known=SimpleNamespace(use=None), futures=4000, seed=3)
        days = [MIDNIGHT.date() + timedelta(days=n) for n in range(5)]
        drawn = _draw_uses(ask, Drain(1000.0, 0.0, 0.0, 400.0, 100, "log"), days)
        self.assertEqual(drawn.shape, (5, 4000))
        self.assertAlmostEqual(float(drawn.mean()), 1000, delta=15)
        self.assertAlmostEqual(float(drawn.std()), 400, delta=25)
