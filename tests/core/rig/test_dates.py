"""Parts that were not always there: what a day of the log is reckoned with."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.support import readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.log.ledger import intervals
from voltaun.core.outlook.ask import known
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.parts import Bank, Generator, Inverter, Load, SolarArray
from voltaun.core.rig.rig import Former
from voltaun.core.sizing import again
from voltaun.core.sizing.again import log_again
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.suns import AS_THEY_ARE

SEPTEMBER = date(2026, 9, 20)
NINETEENTH = SEPTEMBER - timedelta(days=1)
ROOF = SolarArray("Roof", 300, 4, 30, 0)
GREW = rig(arrays=(replace(ROOF, panels=8, from_day=SEPTEMBER),), former=(Former("arrays", replace(
    ROOF, until_day=NINETEENTH)),))


class Stood(unittest.TestCase):
    def test_a_rig_that_never_changed_is_the_same_on_any_day(self):
        of = rig()
        self.assertFalse(of.dated)
        self.assertIs(of.on(date(1999, 1, 1)), of)

    def test_on_its_last_day_the_old_one_and_from_the_next_the_new(self):
        self.assertEqual(GREW.turns, (SEPTEMBER,))
        stood = [GREW.on(day).arrays[0].panels for day in (date(2020, 1, 1), NINETEENTH, SEPTEMBER)]
        self.assertEqual(stood, [4, 4, 8])
        self.assertEqual(GREW.on(NINETEENTH).former, ())

    def test_one_part_goes_and_another_comes_with_a_gap_between(self):
        of = rig(generators=(Generator("New", 900, from_day=date(2026, 6, 1)),),
                 former=(Former("generators", Generator("Old", 400, until_day=date(2026, 3, 31))),))
        self.assertEqual([[part.name for part in of.on(day).generators] for day in
                          (date(2026, 3, 31), date(2026, 4, 1), date(2026, 6, 1))], [["Old"], [], ["New"]])

    def test_before_the_first_bank_there_was_that_one(self):
        old = Bank("agm", 12, 100, until_day=NINETEENTH)
        of = rig(bank=replace(rig().bank, from_day=SEPTEMBER), former=(Former("bank", replace(
            old, from_day=date(2025, 1, 1))),))
        self.assertEqual([of.on(day).bank.chemistry for day in (date(2024, 1, 1), NINETEENTH, SEPTEMBER)],
                         ["agm", "agm", "lfp"])
        self.assertEqual(of.on(NINETEENTH).bank.from_day, date(2025, 1, 1))

    def test_what_cannot_be(self):
        later = replace(ROOF, from_day=SEPTEMBER)
        old = replace(ROOF, until_day=NINETEENTH)
        bank = replace(rig().bank, from_day=SEPTEMBER)
        for changes, path, words in (
                ({"arrays": (replace(ROOF, until_day=SEPTEMBER),)}, "arrays.until", "no last day"),
                ({"arrays": (replace(later, until_day=date(2026, 9, 1)),)}, "arrays[0].until", "2026-09-20 on"),
                ({"former": (Former("arrays", ROOF),)}, "arrays[1].until", "the last day"),
                ({"arrays": (later,), "former": (Former("arrays", replace(old, until_day=SEPTEMBER)),)}, "arrays[1]",
                 "one after the other"),
                ({"bank": bank, "former": (Former("bank", replace(bank, from_day=None, until_day=SEPTEMBER)),)},
                 "earlier_banks[0]", "one after the other"),
                ({"former": (Former("bank", replace(bank, from_day=None, until_day=NINETEENTH)),)},
                 "earlier_banks[0]", "one after the other"),
                ({"loads": (Load("Lamp", 20, from_day=date(1890, 1, 1)),)}, "loads[0].from", "1970")):
            with self.subTest(path=path, words=words), self.assertRaises(RigFaults) as caught:
                rig(**changes)
            self.assertTrue(any(fault.path == path and words in fault.expected for fault in caught.exception.faults),
                            caught.exception)


class Reckoned(unittest.TestCase):
    def test_the_sun_is_that_of_the_arrays_of_the_day(self):
        now, whole, before = (sun_of(of) for of in (GREW, rig(arrays=(replace(ROOF, panels=8),)), rig(arrays=(ROOF,))))
        for day, of in ((date(2026, 9, 10), before), (date(2026, 9, 25), whole)):
            begin = datetime(day.year, day.month, day.day, tzinfo=UTC)
            self.assertAlmostEqual(now.between(begin, begin + timedelta(days=1)),
                                   of.between(begin, begin + timedelta(days=1)), places=6)
        # What lies ahead, and what a year is drawn from, knows the arrays of now only.
        self.assertEqual(len(now.arrays), 1)
        year = [float(of.between(0, 86_400 * 365)) for of in (now.arrays[0], whole.total)]
        self.assertAlmostEqual(*year)

    def test_a_share_of_clear_sky_outlives_its_panels(self):
        sun = sun_of(GREW)
        start = datetime(2026, 9, 6, 8, tzinfo=UTC)
        half = [{"soc": 0.5, "solar_wh": 0.5 * sun.between(start + timedelta(days=n - 1), start + timedelta(days=n))}
                for n in range(29)]
        account = reckon(GREW, readings(*half, start=start), sun)
        shares = [each.harvest["solar"] / each.clear_sky_wh for each in account.intervals]
        self.assertTrue(np.allclose(shares, 0.5), shares)
        self.assertGreater(half[20]["solar_wh"], 1.8 * half[10]["solar_wh"])

    def test_hours_of_a_generator_count_its_own_watts(self):
        of = rig(generators=(Generator("New", 900, from_day=SEPTEMBER),),
                 former=(Former("generators", Generator("Old", 400, until_day=NINETEENTH)),))
        made = intervals(of, readings({"soc": 0.5}, {"soc": 0.5, "generator_hours": 2.0},
                                      {"soc": 0.5, "generator_hours": 2.0},
                                      start=datetime(2026, 9, 18, 2, tzinfo=UTC)), None)
        self.assertEqual([each.harvest["generator"] for each in made], [800.0, 1800.0])

    def test_a_bank_s_percent_is_of_that_bank_and_says_nothing_across_the_change(self):
        # 10 points of 1200 Wh are 120 Wh, of 9600 Wh 960; 4800 Wh that went into it are no use of it.
        of = rig(bank=replace(rig().bank, from_day=SEPTEMBER), arrays=(), former=(Former(
            "bank", Bank("lfp", 12, 100, until_day=NINETEENTH)),))
        made = intervals(of, readings({"soc": 0.6}, {"soc": 0.5}, {"soc": 1.0}, {"soc": 0.9},
                                      start=datetime(2026, 9, 18, 2, tzinfo=UTC)), None)
        self.assertAlmostEqual(made[0].stored_change_wh, -120.0)
        self.assertEqual((made[1].stored_change_wh, made[1].use_wh, made[1].marks), (None, None, ("reset",)))
        self.assertAlmostEqual(made[2].stored_change_wh, -960.0)

    def test_the_use_of_before_counts_with_the_loads_of_now(self):
        # A fridge of 480 Wh came for one of 1200: 2000 Wh a day were used, as things stand that is 1280.
        of = rig(inverter=Inverter(0, 1.0, 2000), arrays=(), loads=(Load("Fridge", 480, "dc", from_day=SEPTEMBER),),
                 former=(Former("loads", Load("Old fridge", 1200, "dc", until_day=NINETEENTH)),))
        log = readings(*({"soc": 0.5, "use_wh": 2000.0} for _ in range(12)), start=datetime(2026, 9, 5, tzinfo=UTC))
        learned = reckon(of, log, None).learned
        self.assertAlmostEqual(learned.use.mean, 1280.0)
        self.assertAlmostEqual(known(of, log, None, log[-1].at).use.scale_wh, 1280.0)
        self.assertAlmostEqual(reckon(of, log, None).intervals[3].use_wh, 2000.0)  # the log itself stands

    def test_the_log_again_lives_with_what_stood_there(self):
        sun = sun_of(GREW)
        start = datetime(2026, 9, 4, 14, tzinfo=UTC)  # midnight at the place
        log = readings(*({"soc": 0.5, "use_wh": 1000.0, "solar_wh": 0.3 * sun.between(
            start + timedelta(days=n - 1), start + timedelta(days=n))} for n in range(30)), start=start)
        told = known(GREW, log, sun, log[-1].at)
        # One W more brings its share of the clear sky all along; the array of now what the one of the time did.
        suns = again._logged(GREW, told, sun, AS_THEY_ARE, None).years.sun[:, :, again.AS_IT_WAS]
        one = sun_of(rig(arrays=(replace(ROOF, panel_w=1.0, panels=1),)))
        self.assertAlmostEqual(float(suns[-1].sum()), 0.3 * one.between(start, start + timedelta(days=29)), delta=0.5)
        as_it_was, more = log_again(GREW, told, sun, [Lane(), Lane(added_w=1200.0)])
        self.assertEqual(as_it_was.days, 29)
        # What 1200 W more would have spilt beyond the bank is less than what they bring: 0.3 of their clear sky.
        brings = 0.3 * sun_of(rig(arrays=(ROOF,))).between(start, start + timedelta(days=29))
        self.assertGreater(more.spilt_wh, as_it_was.spilt_wh)
        self.assertLess(more.spilt_wh - as_it_was.spilt_wh, brings)
