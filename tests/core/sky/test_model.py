import math
import unittest
from datetime import date, timedelta

import numpy as np

from tests.simulated import weather
from voltaun.core.outlook.scores import pinball
from voltaun.core.sky import model as sky
from voltaun.core.sky.model import SkyDay, Word, draw_shares, learn_skies, learn_sky, word_shares

FIRST = date(2024, 1, 1)
QUANTILES = np.array((0.10, 0.25, 0.50, 0.75, 0.90))
NORMAL = np.array((-1.2815516, -0.6744898, 0.0, 0.6744898, 1.2815516))


def logged(shares, capped=None):
    return [SkyDay(FIRST + timedelta(days=n), float(share), bool(capped is not None and capped[n]), None)
            for n, share in enumerate(shares)]


def walk_forward(shares, horizons=(1, 3, 5, 7, 10), start=60, step=5, history=10_000, seen=None):
    """Coverage, and loss beside the yardstick's, of harvests under a steady clear sky; `seen` what the log shows."""
    seen = logged(shares) if seen is None else seen
    starts = range(start, len(shares) - max(horizons), step)
    models = learn_skies([seen[max(0, n - history):n] for n in starts], [FIRST + timedelta(days=n - 1) for n in starts])
    told = {k: [] for k in horizons}
    for n, model in zip(starts, models, strict=True):
        sums = np.cumsum(draw_shares(model, FIRST + timedelta(days=n), max(horizons), 500, n), axis=0)
        mean, sd = shares[n - 7:n].mean(), shares[n - 7:n].std(ddof=1)
        for k in horizons:
            quantiles, came = np.quantile(sums[k - 1], QUANTILES), shares[n:n + k].sum()
            told[k].append((quantiles[0] <= came <= quantiles[4], pinball(quantiles, came),
                            pinball(k * mean + math.sqrt(k) * sd * NORMAL, came)))
    return {k: (np.mean([each[0] for each in of]), sum(each[1] for each in of) / sum(each[2] for each in of))
            for k, of in told.items()}


def coast(rng, days=730):
    """A wet half of the year and a dry one, with spells of weeks and days that follow one another a little."""
    slow, spell = np.empty(days), 0.0
    for n in range(days):
        spell = spell * math.exp(-1 / 20) + rng.normal() * math.sqrt(1 - math.exp(-2 / 20))
        slow[n] = 0.9 * math.sin(2 * math.pi * (n / 365 + 0.1)) + 0.6 * spell
    return weather(rng, days, 0.3, slow)


class WalkingForward(unittest.TestCase):
    slow = True

    def test_bands_hold_and_beat_the_last_seven_days_in_steady_weather_and_on_a_coast(self):
        for name, make, losses in (("steady", lambda rng: weather(rng, 730), (0.93, 0.85, 0.78, 0.74, 0.68)),
                                   ("coast", coast, (1.00, 0.92, 0.90, 0.86, 0.84))):
            found = [walk_forward(make(np.random.default_rng(seed))) for seed in range(6)]
            for k, most in zip((1, 3, 5, 7, 10), losses, strict=True):
                coverage, loss = (np.mean([each[k][n] for each in found]) for n in (0, 1))
                self.assertTrue(0.74 <= coverage <= 0.86, (name, k, coverage))
                self.assertLessEqual(loss, most, (name, k))

    def test_capped_days_cost_no_coverage(self):
        held = []
        for seed in range(4):
            rng = np.random.default_rng(seed)
            shares = weather(rng, 400)
            cap = np.where(rng.random(400) < 0.5, rng.uniform(0.3, 0.8, 400), 2.0)
            seen = logged(np.minimum(shares, cap), shares > cap)
            held.append([walk_forward(shares, (1, 5), seen=seen)[k][0] for k in (1, 5)])
        for coverage in np.mean(held, axis=0):
            self.assertTrue(0.72 <= coverage <= 0.90, coverage)

    def test_coverage_stays_with_any_length_of_log_and_the_width_falls(self):
        rng = np.random.default_rng(8)
        shares = weather(rng, 730)
        for days in (5, 20, 60, 365):
            coverage = walk_forward(shares, (1, 5), 370, 3, days)
            for k in (1, 5):
                self.assertTrue(0.70 <= coverage[k][0] <= 0.92, (days, k, coverage[k][0]))
        widths = []
        for days in (0, 5, 20, 60, 365):
            of = [learn_sky(logged(weather(np.random.default_rng(seed), 365))[365 - days:], FIRST + timedelta(days=364))
                  for seed in range(12)]
            spread = [np.ptp(np.quantile(draw_shares(each, FIRST + timedelta(days=365), 5, 800, 1).sum(axis=0),
                                         (0.1, 0.9))) for each in of]
            widths.append(np.median(spread))
        self.assertGreater(widths[1], widths[3])
        self.assertGreater(widths[2], widths[4])


class Words(unittest.TestCase):
    def test_the_start_up_share_of_a_word_weighs_as_much_as_three_of_its_days(self):
        # Three clear days of 0.40 beside 0.75 (× 1.02, the mean of a fifth either way): half of each is 0.58.
        noted = [SkyDay(FIRST + timedelta(days=n), 0.40, False, "clear") for n in range(3)]
        self.assertAlmostEqual(float(word_shares(noted)["clear"].mean()), 0.58, delta=0.015)


class Drawing(unittest.TestCase):
    MODEL = learn_sky(logged(weather(np.random.default_rng(1), 90)), FIRST + timedelta(days=89))

    def draw(self, days=6, **more):
        return draw_shares(self.MODEL, FIRST + timedelta(days=90), days, 4000, 3, **more)

    def test_the_same_seed_and_a_longer_one_begins_like_a_shorter(self):
        np.testing.assert_array_equal(self.draw(), self.draw())
        np.testing.assert_array_equal(self.draw(9)[:6], self.draw())
        self.assertTrue((self.draw() >= 0).all() and (self.draw() <= sky.SKY.most).all())

    def test_a_word_is_believed_as_far_as_it_is_trusted_and_colours_the_next_day(self):
        day, storm = FIRST + timedelta(days=91), word_shares([])["storm"]
        plain = self.draw()
        sure, half = (self.draw(words={day: Word(storm, trust)}) for trust in (1.0, 0.5))
        self.assertLess(np.quantile(sure[1], 0.95), 0.12)
        self.assertAlmostEqual((half[1] < 0.12).mean() - (plain[1] < 0.12).mean(), 0.5, delta=0.06)
        self.assertLess(sure[2].mean(), plain[2].mean())
        np.testing.assert_array_equal(sure[0], plain[0])

    def test_an_empty_log_is_the_start_up_skies_and_a_gap_forgets(self):
        none = learn_sky([], FIRST)
        drawn = draw_shares(none, FIRST, 3, 20_000, 1)
        self.assertAlmostEqual(drawn.mean(), sum(sky.STARTUP_SHARES[word] * often
                                                 for word, often in sky.STARTUP_SKIES.items()), delta=0.05)
        dark = learn_sky(logged([0.7, 0.6] * 30 + [0.1] * 6), FIRST + timedelta(days=65))
        soon, later = (draw_shares(dark, FIRST + timedelta(days=day), 1, 8000, 1).mean() for day in (66, 130))
        self.assertLess(soon, later)

    def test_many_at_once_are_each_alone(self):
        days = logged(weather(np.random.default_rng(4), 80), np.arange(80) % 3 == 0)
        alone = learn_sky(days[:50], FIRST + timedelta(days=49))
        _, together, _ = learn_skies([days, days[:50], []], [FIRST + timedelta(days=n) for n in (79, 49, 5)])
        for name in ("chances", "slow", "daily", "points", "lately"):
            np.testing.assert_allclose(getattr(alone, name), getattr(together, name), atol=1e-9)
