"""What an outlook is unsure of besides sky and use: levels, the bank's energy, what draws unseen, the hours of use."""

import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import numpy as np

from tests.core.test_decisions import MIDNIGHT, SHARE, USE, looked
from tests.support import NOW, readings, rig
from voltaun.core.learned.account import Learned, reckon
from voltaun.core.learned.capacity_fit import Estimate, Held
from voltaun.core.learned.hours import Shares
from voltaun.core.log.grain import level_grain, rounding
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import USE_DAYS, known, lean_of
from voltaun.core.outlook.beliefs import Belief, bank_energy, contradicted, level_doubt, unseen_draws
from voltaun.core.outlook.simulate import simulate
from voltaun.core.rig.parts import Load

BARE = rig(arrays=())


def learned(energy=None, draw=None, use=USE):
    return Learned(use, SHARE, Held(energy, draw or Estimate(0.0, 0.0, 0.0), 30, 60.0, 1.0))


class Grain(unittest.TestCase):
    def test_the_coarsest_grain_on_which_all_levels_lie(self):
        self.assertEqual(level_grain([0.35, 0.40, 0.55, 0.60, None, 0.973, 1.0][:5] + [1.0]), 0.05)
        self.assertEqual(level_grain([0.35, 0.40, 0.55, 0.61]), 0.01)
        self.assertEqual(level_grain([0.35, 0.40, 0.55, 1.0]), 0.01)  # full is full on every grain
        self.assertEqual(level_grain([0.35, 0.40, 0.55, 0.613]), 0.001)
        self.assertEqual(level_grain([0.20, 0.40, 0.60, 0.90]), 0.10)
        self.assertEqual(level_grain([0.35, 0.40, 0.55, 0.55, 0.55]), 0.01)  # three levels may lie so by chance
        self.assertAlmostEqual(rounding(0.05), 0.01443, places=5)

    def test_five_point_levels_still_tell_the_bank_within_its_interval(self):
        # The log of a bank of 9600 Wh read to five points: each day 20 to 30 points out and in again.
        rng, level, rows = np.random.default_rng(2), 0.7, []
        for n in range(120):
            use, sun = (2400.0 + 600 * rng.random(), 0.0) if n % 2 else (0.0, 2600.0 + 600 * rng.random())
            level = min(0.99, level + (0.95 * sun - use - 48) / 9600)
            rows.append({"soc": round(level * 20) / 20, "solar_wh": sun, "use_wh": use})
        held = reckon(BARE, readings(*rows), None).learned.held
        self.assertTrue(held.energy_wh.low < 9600 < held.energy_wh.high, held)
        self.assertLess(held.wander, 1.4)  # five points are the grain, not a monitor that drifts


class Beliefs(unittest.TestCase):
    def test_what_is_printed_and_what_the_log_shows_are_weighed_by_how_well_they_are_known(self):
        # 9600 ± 960 printed (a tenth) and 8000 ± 200 shown: weights 1 : 23.04, so 8066.6 ± 195.8.
        shown = learned(Estimate(8000.0, 8000 - 329, 8000 + 329))
        found = bank_energy(BARE, shown, None)
        self.assertAlmostEqual(found.mean, (9600 + 23.04 * 8000) / 24.04, delta=0.1)
        self.assertAlmostEqual(found.sd, 960 / 24.04 ** 0.5, delta=0.1)
        self.assertAlmostEqual(bank_energy(BARE, shown, 0.0).mean, 0.9 * found.mean)  # lithium at 0 °C
        self.assertEqual(bank_energy(BARE, None, None), Belief(9600.0, 960.0))
        self.assertTrue(contradicted(BARE, shown))
        self.assertFalse(contradicted(BARE, learned(Estimate(9300.0, 8971.0, 9629.0))))
        self.assertFalse(contradicted(BARE, None))

    def test_the_level_sinks_by_what_the_bank_really_holds(self):
        # 24 h × 52 Wh = 1248 Wh are 13 points of 9600 Wh, 20.8 of the 6000 that the log shows; so are the days in hand.
        sure = {"held": Held(Estimate(6000.0, 6000.0, 6000.0), Estimate(0.0, 0.0, 0.0), 30, 60.0, 1.0)}
        seen = looked(0.60, learned=sure)
        self.assertAlmostEqual(seen.fan[-1, 2], 0.60 - 0.208, delta=0.002)
        self.assertAlmostEqual(seen.present.days["everyday_floor"].p50, 0.40 * 6000 / 1248, delta=0.02)

    def test_each_future_has_its_own_bank(self):
        made = simulate(BARE, np.array([5000.0, 10_000.0]), 0.6, np.zeros((1, 2)), np.full((1, 2), 498.0), np.ones(1))
        np.testing.assert_allclose(made.level[1], [0.5, 0.55])
        np.testing.assert_allclose(made.stored, [[-500.0, -500.0]])
        np.testing.assert_allclose(made.columns(slice(1, 2)).stored, [[-500.0]])
        # 5 points of room take 250 / 0.95 and 500 / 0.95 Wh.
        full = simulate(rig(arrays=()), np.array([5000.0, 10_000.0]), 0.95, np.full((1, 2), 602.0), np.zeros((1, 2)),
                        np.ones(1))
        np.testing.assert_allclose(full.taken, [[250 / 0.95, 500 / 0.95]])

    def test_a_draw_is_drawn_from_its_interval(self):
        # 10 ± 5 W shown (240 ± 120 Wh a day) against 0 ± 300 (a quarter of 1200): 206.9 ± 111.4.
        shown = learned(draw=Estimate(10.0, 10 - 8.225, 10 + 8.225))
        np.testing.assert_allclose(unseen_draws(shown, np.array([0.0, 1.0])), [206.9, 318.3], atol=0.1)
        half = learned(draw=shown.held.hidden_w, use=replace(USE, read_share=0.5))
        np.testing.assert_allclose(unseen_draws(half, np.array([0.0])), [103.4], atol=0.1)
        self.assertEqual(unseen_draws(None, np.ones(3)).tolist(), [0.0, 0.0, 0.0])

    def test_a_source_that_nobody_notes_is_not_counted_on(self):
        # The books may take a twentieth of 1200 Wh too much for lost, not 1200 of them.
        odd = learned(draw=Estimate(-50.0, -50.1, -49.9))
        self.assertEqual(unseen_draws(odd, np.zeros(1)).tolist(), [-60.0])

    def test_a_shunt_drifts_until_the_bank_is_full_again(self):
        rows = [{"soc": 1.0}, *({"soc": 0.5 + 0.01 * n} for n in range(11))]
        shunt = rig(arrays=(), soc_from="shunt")
        made = reckon(shunt, readings(*rows), None).intervals
        # Ten days and eleven intervals after full: √(0.5² + 0.289² + 1.1²) points; a display stays at √(0.5² + 0.289²).
        self.assertAlmostEqual(level_doubt(shunt, made), 0.01242, places=5)
        self.assertAlmostEqual(level_doubt(rig(arrays=(), soc_from="display"), made), 0.00577, places=5)
        self.assertAlmostEqual(level_doubt(shunt, made * 9), 0.02082, places=5)  # √(2² + 0.577²): two at the most
        again = made + reckon(rig(arrays=()), readings({"soc": 0.9}, {"soc": 1.0}), None).intervals
        self.assertAlmostEqual(level_doubt(shunt, again), 0.00577, places=5)


def replace_at(at, use_wh):
    return Reading(at, soc=0.8, use_wh=use_wh)


class Hours(unittest.TestCase):
    def log(self, by_day_wh, by_night_wh, days=40):
        """Read at six in the morning and six in the evening, Hobart summer time."""
        start = datetime(2026, 10, 15, 19, 0, tzinfo=UTC)  # six in the morning there
        rows = [{"soc": 0.8}, *({"soc": 0.8, "use_wh": by_day_wh if n % 2 == 0 else by_night_wh}
                                for n in range(2 * days))]
        return readings(*rows, start=start, hours=12.0)

    def lean(self, log, of=BARE):
        return Shares(of, reckon(of, log, None).intervals).lean(of, 1200.0, log[0].at, log[-1].at)

    def test_what_is_read_twice_a_day_tells_when_it_is_used(self):
        # 800 of 1200 Wh from six to six by day: the half of a flat day and −b/π more, so b = −π/6 = −0.524.
        told = self.lean(self.log(800.0, 400.0))
        self.assertAlmostEqual(told.mean[1], -np.pi / 6, delta=0.01)
        self.assertAlmostEqual(told.mean[0], 0.0, delta=0.01)
        shape = told.shape(BARE, 11)
        self.assertAlmostEqual(shape[6:18].sum(), 2 / 3, delta=0.003)
        self.assertAlmostEqual(shape.sum(), 1.0)
        # However sure the log is, a day may lean otherwise by a twentieth.
        self.assertTrue(0.045 < told.root[1, 1] < 0.06, told.root)

    def test_a_few_mornings_teach_until_later_ones_teach_otherwise(self):
        early = self.log(800.0, 400.0)
        once = [Reading(early[-1].at + timedelta(days=n), soc=0.8, use_wh=1200.0) for n in range(1, 200)]
        later = [replace(each, at=each.at + timedelta(days=200)) for each in self.log(400.0, 800.0)[1:]]

        def lean_after(log):
            account = reckon(BARE, log, None)
            return lean_of(BARE, Shares(BARE, account.intervals), account.learned, log[-1].at)
        self.assertAlmostEqual(lean_after([*early, *once]).mean[1], -np.pi / 6, delta=0.02)
        # The last season tells for itself once it tells enough.
        self.assertAlmostEqual(lean_after([*early, *once[:155], *later]).mean[1], np.pi / 6, delta=0.05)
        # After more than a year they tell nothing any more.
        longer = [replace(each, at=each.at + timedelta(days=210)) for each in once]
        self.assertEqual(lean_after([*early, *once, *longer]).parts, 0)

    def test_ten_mornings_of_the_last_season_tell_for_themselves(self):
        for lately, told in ((9, 40), (10, 10)):
            shares = SimpleNamespace(lean=lambda of, use_wh, since, until, lately=lately: SimpleNamespace(
                parts=lately if until - since <= timedelta(days=USE_DAYS) else 40))
            self.assertEqual(lean_of(BARE, shares, SimpleNamespace(use=None), NOW).parts, told)

    def test_a_listed_shape_is_leaned_and_not_a_flat_one(self):
        # All on the list comes from six to noon: 800 of 1200 Wh by day is less than the list has it, so it leans to
        # the night. S 1 by day and 0 by night; cosine over those hours −0.427 of it: 1 + b (−0.427 + 0.667 · 0.427)
        # = 0.667 gives b = 2.34, drawn towards nothing only a little.
        of = replace(BARE, loads=(Load("Oven", 1200.0, "dc", pattern=("hours", 6, 12)),))
        told = self.lean(self.log(900.0, 300.0), of)
        flat = self.lean(self.log(900.0, 300.0))
        self.assertAlmostEqual(flat.mean[1], -np.pi / 4, delta=0.02)
        shape = told.shape(of, 11)
        self.assertAlmostEqual(shape[6:12].sum(), 1.0)

    def test_a_day_of_which_the_reading_gap_is_uneven(self):
        # Thirty hours with 1500 Wh used all alike: 600 in the first twelve and 900 in the next eighteen lean nowhere.
        start = datetime(2026, 10, 15, 19, 0, tzinfo=UTC)
        log, at = [], start
        for n in range(60):
            log.append(replace_at(at, None if n == 0 else 600.0 if n % 2 else 900.0))
            at += timedelta(hours=12 if n % 2 == 0 else 18)
        told = self.lean(log)
        np.testing.assert_allclose(told.mean, [0.0, 0.0], atol=0.02)

    def test_read_once_a_day_the_hours_stay_open(self):
        told = self.lean(readings(*({"soc": 0.8, "use_wh": 1200.0} for _ in range(60))))
        np.testing.assert_allclose((told.mean, np.diag(told.root)), [[0, 0], [0.18, 0.18]])
        listed = replace(BARE, loads=(Load("Fridge", 1200.0, "dc"),))
        told = self.lean(readings(*({"soc": 0.8, "use_wh": 1200.0} for _ in range(60))), listed)
        np.testing.assert_allclose(np.diag(told.root), 0.18 * 0.7)

    def test_only_late_days_count(self):
        log = self.log(400.0, 800.0)
        late = self.log(800.0, 400.0)
        shifted = [replace(each, at=each.at + timedelta(days=130)) for each in late]
        told = known(BARE, [*log, *shifted], None, shifted[-1].at + timedelta(hours=1))
        self.assertAlmostEqual(told.lean.mean[1], -np.pi / 6, delta=0.02)

    def test_the_outlook_takes_it_over(self):
        # At 52 Wh an hour with standby eight hours to dawn take 4.33 points; leaned so, at night, 2.9.
        seen = looked(0.60, lean=self.lean(self.log(800.0, 400.0)))
        shape = self.lean(self.log(800.0, 400.0)).shape(BARE, 11)[:8].sum()
        self.assertAlmostEqual(seen.today.dawn_soc.p50, 0.60 - (1200 * shape + 16) / 9600, delta=0.001)
        self.assertLess(1200 * shape, 320)
        self.assertEqual(seen.as_of, MIDNIGHT)
