"""A step in what the bank holds that nobody wrote down."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.support import readings, rig
from voltaun.core.learned.account import reckon
from voltaun.core.learned.bank_step import as_it_seems, bank_step
from voltaun.core.learned.capacity_fit import Estimate, Held
from voltaun.core.outlook.ask import Explained, known
from voltaun.core.outlook.beliefs import bank_energy
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.changes import holding
from voltaun.core.rig.parts import Inverter

RIG = rig(inverter=Inverter(0, 1.0, 2000, 4000))  # 9600 Wh, no idle: the use that is read is the bank's
START = datetime(2026, 1, 1, 20, tzinfo=UTC)  # the morning in Hobart
CHANGED = date(2026, 3, 1)


def log(before, since, days=120, seed=1, still=(0, 0), loose=0.01):
    """Mornings and evenings of a bank that held so many Wh, and other ones since `CHANGED`, by books that close but for
    a part in a hundred, or looser ones; still  from which day to which the level hardly moves."""
    rng, level = np.random.default_rng(seed), 0.70
    rows = [{"soc": level}]
    for half in range(1, 2 * days):
        at = START + timedelta(hours=12 * half)
        holds = since if at - timedelta(hours=12) >= datetime(2026, 2, 28, 13, tzinfo=UTC) else before
        wh = rng.uniform(1300, 1900) * (0.1 if still[0] <= half // 2 < still[1] else 1.0)
        night, to = half % 2 == 0, 0.70
        after = round(level - wh / holds if night else to, 2)
        stored, use = (after - level) * holds, 900.0
        if night:
            rows.append({"soc": after, "solar_wh": 0.0, "use_wh": (-stored - 24) * rng.normal(1, loose)})
        else:
            came = (stored + 24 + 0.65 * use) / 0.95 + 0.35 * use
            rows.append({"soc": after, "solar_wh": came * rng.normal(1, loose), "use_wh": use * rng.normal(1, loose)})
        level = after
    return readings(*rows, start=START, hours=12.0)


def found(of, made=RIG):
    return bank_step(made, reckon(made, of, None).intervals)


class Found(unittest.TestCase):
    def test_twice_and_half_as_much_with_the_day(self):
        for before, since in ((4800.0, 9600.0), (9600.0, 4800.0), (9600.0, 14_400.0)):
            step = found(log(before, since))
            self.assertLessEqual(abs((step.day - CHANGED).days), 1, step)
            self.assertAlmostEqual(step.ratio, since / before, delta=0.08 * since / before)
            self.assertTrue(step.before.low < before < step.before.high, step)
            self.assertTrue(step.since.low < since < step.since.high, step)

    def test_the_day_where_the_level_hardly_moved_for_weeks(self):
        step = found(log(4800.0, 9600.0, still=(35, 80)))
        self.assertLessEqual(abs((step.day - CHANGED).days), 4, step)

    def test_none_without_one_none_of_a_third_and_none_from_a_few_days(self):
        for seed in range(1, 7):
            self.assertIsNone(found(log(9600.0, 9600.0, seed=seed)))
            self.assertIsNone(found(log(9600.0, 12_000.0, seed=seed)))
        self.assertIsNone(found(log(4800.0, 9600.0, days=62)))
        self.assertIsNone(bank_step(RIG, []))
        # Far apart by their middles, and yet either may be the other: the figures are noted loosely.
        for seed in (1, 5):
            self.assertIsNone(found(log(9600.0, 16_000.0, days=74, seed=seed, loose=0.6)))

    def test_what_another_bank_held_is_no_part_of_it(self):
        told = replace(RIG, bank=replace(RIG.bank, from_day=CHANGED))
        self.assertIsNone(found(log(4800.0, 9600.0), told))


class ReckonedWith(unittest.TestCase):
    def test_the_side_that_is_like_the_rig_is_taken_to_be_it(self):
        for before, since, now in ((4800.0, 9600.0, True), (9600.0, 19_200.0, False), (9600.0, 4800.0, False)):
            step = found(log(before, since))
            seems = as_it_seems(RIG, step)
            stood = seems.on(CHANGED - timedelta(days=9)), seems.on(CHANGED + timedelta(days=9))
            self.assertEqual(step.is_now(RIG), now)
            for of, wh in zip(stood, (before, since), strict=True):
                self.assertAlmostEqual(effective_energy(of).wh, wh, delta=0.05 * wh)
            self.assertEqual(effective_energy(stood[now]).wh, 9600.0)

    def test_what_lies_ahead_has_the_bank_of_now(self):
        told = log(9600.0, 19_200.0)
        of = known(RIG, told, None, told[-1].at)
        self.assertAlmostEqual(bank_energy(RIG, of.learned, None).mean, 19_200, delta=600)
        late = [each.unexplained_wh for each in of.account.intervals[-60:] if each.unexplained_wh is not None]
        self.assertLess(abs(np.mean(late)), 30)
        # As the user said it is the same bank: what the log shows and what is printed are weighed as ever.
        same = known(RIG, told, None, told[-1].at, explained=Explained(bank=(CHANGED,)))
        self.assertIsNone(same.bank_step)
        self.assertLess(bank_energy(RIG, same.learned, None).mean, 18_000)

    def test_the_bank_of_now_holds_what_the_rig_says(self):
        told = log(4800.0, 9600.0)
        of = known(RIG, told, None, told[-1].at)
        self.assertAlmostEqual(bank_energy(RIG, of.learned, None).mean, 9600, delta=300)
        self.assertIsNone(of.learned.other_bank)
        early = [each.unexplained_wh for each in of.account.intervals[:60] if each.unexplained_wh is not None]
        self.assertLess(abs(np.mean(early)), 30)

    def test_what_the_days_since_show_counts_before_the_step_itself(self):
        held = Held(Estimate(19_000.0, 18_500.0, 19_500.0), Estimate(0.0, 0.0, 0.0), 30, 60.0, 1.0)
        learned = replace(known(RIG, log(9600.0, 9600.0), None, START + timedelta(days=130)).learned,
                          other_bank=Estimate(22_000.0, 20_000.0, 24_000.0))
        self.assertEqual(bank_energy(RIG, replace(learned, held=held), None).mean, 19_000.0)
        self.assertEqual(bank_energy(RIG, replace(learned, held=None), None).mean, 22_000.0)


class Holding(unittest.TestCase):
    def test_whole_strings_are_strings_and_other_wh_are_what_it_holds(self):
        one = RIG.bank
        self.assertEqual([(of.parallel, of.logged_energy_wh) for of in (
            holding(one, 19_200), holding(one, 19_900), holding(one, 13_000), holding(one, 4000))],
            [(2, None), (2, None), (1, 13_000), (1, 4000)])
        station = replace(one, unit_voltage_v=None, unit_capacity_ah=None, rated_energy_wh=2000.0, series=1)
        self.assertEqual(holding(station, 4000).logged_energy_wh, 4000)
