import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from unittest import mock

import numpy as np

from tests.core.outlook.test_outlook import log_of, look
from tests.simulated import Truth, random_rig
from tests.simulated import log_of as log_of_rig
from tests.support import NOW, readings, rig, sun_of
from voltaun.core.learned.patterns import learned_trust
from voltaun.core.learned.use import learn_uses
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import usual_trust
from voltaun.core.outlook.backtest import backtest
from voltaun.core.outlook.plans import GeneratorRule, Plan, planned_watts, use_changes, with_fuel_left
from voltaun.core.outlook.simulate import Started, simulate
from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.parts import Engine, Generator, Load
from voltaun.core.sky.model import SkyDay
from voltaun.words import sentences as words

SET = rig(generators=(Generator("Set", 900, 0.7),), vehicles=(Engine("Ute", 300),),
          loads=(Load("Cabinet", 1200, "dc", 200, pattern=("hours", 8, 20)), Load("Lights", 200, "dc", 40)))
LOG = log_of(30)
TODAY = date(2026, 11, 30)


def ahead(*plans, of=SET, **more):
    return look(of, LOG, plans=plans, **more)


class Changes(unittest.TestCase):
    DAY = TODAY + timedelta(days=2)

    def test_each_kind_moves_the_level_its_way_and_only_from_its_day_on(self):
        plain = ahead()
        for plan, sign in ((Plan("guests", self.DAY, self.DAY), -1), (Plan("away", self.DAY, self.DAY), 1),
                           (Plan("add", self.DAY, self.DAY, 900.0), -1), (Plan("drive", self.DAY, self.DAY, 2.0), 1),
                           (Plan("generator", self.DAY, self.DAY, 2.0), 1),
                           (Plan("leave_off", self.DAY, self.DAY, None, "Cabinet"), 1)):
            other = ahead(plan)
            self.assertEqual(other.days[0], plain.days[0], plan.kind)
            moved = np.array(other.fan[-1]) - np.array(plain.fan[-1])
            self.assertTrue((sign * moved >= -1e-6).all(), plan.kind)
            self.assertGreater(sign * (other.days[1].dusk_soc.p50 - plain.days[1].dusk_soc.p50), -1e-9, plan.kind)

    def test_leaving_off_takes_the_loads_own_hours_and_no_more_than_its_use(self):
        days = [TODAY + timedelta(days=n) for n in range(3)]
        factor, more = use_changes(SET, [Plan("leave_off", days[1], days[1], None, "Cabinet"),
                                         Plan("guests", days[2], days[2])], days, np.full(24, 1 / 24))
        self.assertEqual(factor.tolist(), [1, 1, 1.4])
        self.assertAlmostEqual(more[1].sum(), -1200)
        self.assertEqual(more[1][:8].tolist(), [0] * 8)
        self.assertEqual(abs(more[[0, 2]]).sum(), 0)
        watts = planned_watts(SET, [Plan("drive", days[0], days[1], 1.5)], days)
        self.assertEqual(watts.sum(axis=1).tolist(), [450, 450, 0])

    def test_illegal_plans_and_rules(self):
        for kind, first, last, amount in (("fly", TODAY, TODAY, 1), ("drive", TODAY, TODAY, None),
                                          ("add", TODAY, TODAY, -1), ("drive", TODAY, TODAY - timedelta(days=1), 1),
                                          ("drive", TODAY, TODAY, 30),
                                          ("away", TODAY, TODAY + timedelta(days=900), None)):
            with self.assertRaises(ValueError):
                Plan(kind, first, last, amount)
        for values in ((0.5, 0.3), (-0.1, 0.5), (0.2, 0.6, 9, 9), (0.2, 0.6, 0, 24, -1)):
            with self.assertRaises(ValueError):
                GeneratorRule(*values)

    def test_in_words(self):
        plain, other = ahead(), ahead(Plan("guests", TODAY, TODAY + timedelta(days=9), 3.0))
        told = words.difference(plain, other, "using 200 % more", TODAY, 0.2)
        self.assertIn("Using 200 % more", told)
        self.assertIn("chance", told)
        self.assertIn("next to nothing", words.difference(plain, plain, "waiting", TODAY, 0.2))


class Rule(unittest.TestCase):
    def step(self, level, watts=900.0, **more):
        hours = np.ones(48)
        allowed = more.pop("allowed", np.ones(48, dtype=bool))
        return simulate(SET, 9600.0, np.full(3, level), np.zeros((48, 3)), np.full((48, 3), 150.0), hours,
                   generator=Started(0.3, 0.6, watts, allowed, **more))

    def test_it_starts_below_runs_to_its_stop_and_keeps_the_books(self):
        made = self.step(0.35)
        self.assertGreater(made.level.min(), 0.28)
        self.assertTrue(((made.level[-1] > 0.28) & (made.level.max() < 0.7)).all())
        np.testing.assert_allclose(made.harvest, made.used + made.stored + made.lost + made.spilt, atol=1e-6)
        self.assertGreater(made.generated.sum(), 0)

    def test_only_where_it_may_and_while_there_is_fuel(self):
        self.assertEqual(self.step(0.35, allowed=np.zeros(48, dtype=bool)).generated.sum(), 0)
        self.assertAlmostEqual(self.step(0.2, most_hours=2.5).generated[:, 0].sum(), 2.5 * 900)
        night = GeneratorRule(0.3, 0.6, 22, 6).allows(np.arange(24))
        self.assertEqual(np.flatnonzero(night).tolist(), [0, 1, 2, 3, 4, 5, 22, 23])

    def test_what_is_left_of_the_litres_by_the_log(self):
        rule, hours = GeneratorRule(0.3, 0.7, litres=10.0), timedelta(hours=1)
        log = [Reading(NOW, soc=0.5, generator_wh=9000.0), Reading(NOW + 2 * hours, soc=0.5, generator_wh=1800.0),
               Reading(NOW + 5 * hours, soc=0.5), Reading(NOW + 9 * hours, soc=0.5, generator_wh=900.0)]

        def left(noted_at, of=SET, rule=rule, log=log):
            return with_fuel_left(rule, of, log, noted_at).litres
        # 2700 Wh at 900 W are three hours, at 0.7 l an hour 2.1 l; what ran up to the noting was counted with it.
        self.assertAlmostEqual(left(NOW), 10 - 2.1)
        self.assertAlmostEqual(left(NOW + hours), 10 - 0.7 - 0.7)  # half of the reading that reaches back
        self.assertAlmostEqual(left(NOW + 9 * hours), 10)
        self.assertAlmostEqual(left(NOW - hours, log=log[:1]), 10 - 7.0)  # a first reading, all since
        self.assertAlmostEqual(left(NOW - hours), 10 - 7.0 - 2.1)
        self.assertEqual(left(NOW - hours, rule=replace(rule, litres=5.0)), 0.0)  # never less than none
        for of in (replace(SET, generators=()), replace(SET, generators=(Generator("Set", 900),))):
            self.assertEqual(left(NOW, of), 10.0)
        self.assertIsNone(left(NOW, rule=replace(rule, litres=None)))
        self.assertEqual(words.fuel_left(rule, replace(rule, litres=7.9)), "By the log 7.9 of the 10 litres are left.")
        self.assertEqual(words.fuel_left(rule, replace(rule, litres=9.97)), "")
        self.assertEqual(words.by_rule(replace(rule, litres=None)), "from 30 % to 70 %")
        self.assertEqual(words.by_rule(GeneratorRule(0.3, 0.7, 22, 6, 0.0)),
                         "from 30 % to 70 %, between 22:00 and 6:00, but has no litres left")

    def test_it_keeps_the_bank_up_and_says_its_hours_and_litres(self):
        hungry = replace(SET, arrays=())
        plain, ruled = ahead(of=hungry), ahead(of=hungry, rule=GeneratorRule(0.3, 0.7))
        self.assertLess(ruled.chance_below_everyday_floor, plain.chance_below_everyday_floor)
        self.assertGreater(ruled.generator_hours.p50, 10)
        self.assertAlmostEqual(ruled.generator_litres.p50, 0.7 * ruled.generator_hours.p50)
        self.assertGreater(plain.unserved_wh.p50, 0)


class Monotony(unittest.TestCase):
    def test_more_sun_never_lowers_and_more_use_never_raises_any_quantile_of_the_level(self):
        # The log's shares would follow the panels; with one reading the start-up shares count for both.
        less, more = (look(replace(SET, arrays=(replace(SET.arrays[0], panels=n),)), [Reading(NOW, soc=0.5)])
                      for n in (3, 5))
        self.assertTrue((more.fan - less.fan >= -1e-6).all())
        frugal, lavish = ahead(Plan("away", TODAY, TODAY + timedelta(days=10), 0.9)), ahead()
        self.assertTrue((frugal.fan - lavish.fan >= -1e-6).all())

    def test_a_bigger_bank_never_raises_the_chance_of_the_floor_from_the_same_energy(self):
        rng = np.random.default_rng(1)
        harvest, load = rng.uniform(0, 900, (72, 300)), rng.uniform(100, 500, (72, 300))
        small, large = (simulate(SET, energy, 4000 / energy, harvest, load, np.ones(72))
                        for energy in (9600.0, 14_400.0))
        self.assertTrue((small.level * 9600 <= large.level * 14_400 + 1e-6).all())
        # From the same energy above the floor, which is what one has in hand.
        floor = SET.bank.everyday_floor
        below = [simulate(SET, energy, floor + 1500 / energy, harvest, load, np.ones(72)).level.min(axis=0)
                 < floor - 1e-6 for energy in (9600.0, 14_400.0)]
        self.assertTrue(0 < below[0].mean() < 1, below[0].mean())
        self.assertTrue((below[0] >= below[1]).all())

    def test_no_spread_is_the_single_run(self):
        harvest, load = np.tile(np.linspace(0, 700, 72)[:, None], (1, 5)), np.full((72, 5), 240.0)
        made, single = (simulate(SET, 9600.0, 0.5, harvest[:, :n], load[:, :n], np.ones(72)) for n in (5, 1))
        self.assertEqual(np.ptp(made.level, axis=1).max(), 0)
        np.testing.assert_array_equal(made.level[:, :1], single.level)

    def test_several_outlooks_side_by_side_are_each_alone(self):
        rng = np.random.default_rng(2)
        harvest, load = rng.uniform(0, 900, (40, 6)), rng.uniform(100, 500, (40, 6))
        hours = np.where(np.arange(40)[:, None] < 5, 0.0, 1.0) * np.ones((40, 6))
        made = simulate(SET, 9600.0, 0.5, harvest * (hours > 0), load * (hours > 0), hours)
        alone = simulate(SET, 9600.0, 0.5, harvest[5:], load[5:], np.ones(35))
        np.testing.assert_allclose(made.columns(slice(2, 4)).part(slice(5, 40)).level, alone.level[:, 2:4])


class Backtests(unittest.TestCase):
    def test_a_changed_future_leaves_every_earlier_outlook_as_it_was(self):
        log = log_of(100)
        first = log[0].at + timedelta(days=70)
        cut = log[85].at
        changed = log[:86] + [Reading(each.at, soc=0.31, solar_wh=77.0, use_wh=9000) for each in log[86:]]
        before, after = (backtest(rig(), each, sun_of(rig()), (1, 3), first) for each in (log, changed))
        told = [[(each.as_of, each.days, each.quantiles, each.yardstick) for each in of.sun if each.as_of <= cut]
                for of in (before, after)]
        self.assertEqual(told[0], told[1])
        self.assertGreater(len(told[0]), 20)
        self.assertNotEqual([each.actual for each in before.sun], [each.actual for each in after.sun])

    def test_its_outlook_is_the_one_that_was_made_then(self):
        log = log_of(75)
        past = backtest(rig(), log, sun_of(rig()), (3,), log[70].at, futures=4000)
        then = look(rig(), log[:71], log[70].at, futures=4000, seed=9).days[2].solar_to_date_wh
        self.assertAlmostEqual(past.sun[0].quantiles[2] / then.p50, 1, delta=0.05)
        self.assertAlmostEqual(past.sun[0].quantiles[0] / then.p10, 1, delta=0.12)

    def test_it_knows_the_days_that_were_cut_short_as_the_outlook_does(self):
        log = [replace(each, soc=0.1, use_wh=900.0) if 50 <= n < 75 else each for n, each in enumerate(log_of(80))]
        with mock.patch("voltaun.core.outlook.backtest.learn_uses", wraps=learn_uses) as asked:
            backtest(rig(), log, sun_of(rig()), (3,), log[76].at, futures=50)
        made = learn_uses(*asked.call_args[0])
        self.assertGreater(made[0].series.capped_days, 20)

    def test_short_and_empty_logs(self):
        for log in ([], log_of(2), log_of(30)):
            self.assertEqual(backtest(rig(), log, sun_of(rig())).sun, [])
        self.assertEqual(backtest(rig(), [], sun_of(rig())).level_held().cases, 0)


class Words(unittest.TestCase):
    def test_trust_is_learned_by_how_far_ahead_a_word_was_given(self):
        days = [SkyDay(TODAY + timedelta(days=n), 0.7 if n % 2 else 0.2, False, None) for n in range(40)]
        right = [(day.day, 1, "clear" if day.share > 0.5 else "overcast") for day in days]
        wrong = [(day.day, 6, "storm") for day in days]
        trust = learned_trust(right + wrong, days, usual_trust)
        self.assertGreater(trust(1), 0.95)
        self.assertLess(trust(6), 0.1)
        self.assertAlmostEqual(learned_trust([], days, usual_trust)(3), usual_trust(3))


class StaleAndOdd(unittest.TestCase):
    def test_banks_at_their_ends_and_one_reading(self):
        for soc in (0.0, 1.0):
            log = readings(*({"soc": soc, "solar_wh": 2000, "use_wh": 1800} for _ in range(12)),
                           start=datetime(2026, 11, 1, 8, tzinfo=UTC))
            seen = look(SET, log)
            self.assertTrue((seen.fan >= 0).all() and (seen.fan <= 1 + 1e-6).all())
        single = look(SET, [Reading(NOW, soc=0.5)])
        self.assertEqual(single.present.drain.basis, "loads")
        self.assertEqual(single.sky.days, 0)


class Dawn(unittest.TestCase):
    def test_the_band_of_the_level_three_dawns_ahead_holds(self):
        held = []
        for seed in range(8):
            rng = np.random.default_rng(seed)
            of = replace(random_rig(rng), generators=())
            of = replace(of, arrays=(replace(of.arrays[0], panel_w=1.5 * of.arrays[0].panel_w),))
            truth, trace = Truth(rated_energy(of.bank), 3.0, of.bank.charge_efficiency), []
            log = log_of_rig(of, truth, rng, 130, trace=trace)
            levels = {at: level for at, level, _ in trace}
            for n in range(70, 124, 6):
                seen = look(of, log[:n + 1], seed=n, futures=600, days=4)
                step = next(k for k, at in enumerate(seen.times) if at.astimezone(of.zone).date() == seen.days[2].day
                            and at.astimezone(of.zone).hour == 6)
                came = levels.get(seen.times[step].astimezone(UTC))
                if came is not None and came > 0.05:
                    held.append(seen.fan[step][0] <= came <= seen.fan[step][4])
        self.assertGreater(len(held), 40)
        self.assertTrue(0.68 <= np.mean(held) <= 0.90, np.mean(held))
