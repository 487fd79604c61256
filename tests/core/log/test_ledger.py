import random
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta

from tests.support import readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.log.ledger import Balance, intervals
from voltaun.core.log.reading import Reading
from voltaun.core.reasons import reason
from voltaun.core.rig.parts import Bank, Engine, Generator, Inverter

WITH_SET = {"generators": (Generator("Set", 900, 0.7),)}


def one(of, before, after, sun=None):
    interval, = intervals(of, readings(before, after), sun)
    return interval


def identity(interval, of):
    """What is left of the books' line; 0 when it holds."""
    balance = Balance(of.bank.charge_efficiency, of.bank.standby_w * interval.hours)
    return (balance.stored(interval.harvest_wh, interval.use_wh) - interval.unexplained_wh
            - interval.stored_change_wh)


class BalanceOfTheBooks(unittest.TestCase):
    def test_use_and_harvest_are_inverses_and_rise_together(self):
        rng = random.Random(1)
        for _ in range(2000):
            balance = Balance(rng.uniform(0.5, 1), rng.uniform(0, 200), rng.uniform(0, 1))
            harvest, use = rng.choice((0, rng.uniform(0, 9000))), rng.uniform(0, 9000)
            stored = balance.stored(harvest, use)
            self.assertAlmostEqual(balance.use(harvest, stored), use, places=5)
            self.assertAlmostEqual(balance.stored(balance.harvest(use, stored), use), stored, places=5)
            self.assertGreaterEqual(balance.stored(harvest + 100, use), stored)
            self.assertLess(balance.stored(harvest, use + 100), stored)


class Reckoning(unittest.TestCase):
    def test_sun_that_was_not_written_down(self):
        known = one(rig(), {"soc": 0.5}, {"soc": 0.6, "solar_wh": 3000})
        again = one(rig(), {"soc": 0.5}, {"soc": 0.6, "use_wh": known.use_wh})
        self.assertAlmostEqual(again.harvest["solar"], 3000)
        self.assertEqual(again.harvest_basis, "reckoned")
        self.assertEqual(dict(again.how)["solar_wh"].code, "how_harvest")

    def test_left_over_when_everything_was_read(self):
        known = one(rig(), {"soc": 0.5}, {"soc": 0.6, "solar_wh": 3000})
        hidden = one(rig(), {"soc": 0.5}, {"soc": 0.6, "solar_wh": 3000, "use_wh": known.use_wh - 336})
        self.assertGreater(hidden.unexplained_wh, 300)
        self.assertTrue(hidden.all_read)

    def test_level_that_was_not_read(self):
        known = one(rig(), {"soc": 0.5}, {"soc": 0.6, "solar_wh": 3000})
        made = one(rig(), {"soc": 0.5}, {"solar_wh": 3000, "use_wh": known.use_wh})
        self.assertAlmostEqual(made.soc_end, 0.6)
        self.assertEqual(made.soc_basis, "reckoned")

    def test_two_unknowns_are_beyond_reckoning(self):
        interval = one(rig(), {"soc": 0.5}, {"soc": 0.6})
        self.assertIsNone(interval.use_wh)
        self.assertIsNone(interval.harvest["solar"])
        self.assertEqual((interval.use_basis, interval.harvest_basis), ("unknown", "unknown"))

    def test_blank_generator_is_reckoned_only_when_it_clearly_ran(self):
        of = rig(**WITH_SET)
        still = one(of, {"soc": 0.6}, {"soc": 0.5, "solar_wh": 2000, "use_wh": 2700})
        self.assertEqual((still.harvest["generator"], still.harvest_bases["generator"]), (0.0, "read"))
        ran = one(of, {"soc": 0.5}, {"soc": 0.7, "solar_wh": 2000, "use_wh": 2700})
        self.assertEqual(ran.harvest_bases["generator"], "reckoned")
        self.assertGreater(ran.harvest["generator"], 2500)
        self.assertAlmostEqual(ran.unexplained_wh, 0)
        unread = one(of, {"soc": 0.82}, {"soc": 0.74, "solar_wh": 2150})
        self.assertEqual(unread.harvest["generator"], 0)
        self.assertEqual(unread.use_basis, "reckoned")

    def test_source_the_rig_lacks_counts_as_nothing_and_hours_count_with_its_watts(self):
        of = rig(vehicles=(Engine("Ute", 320),))
        interval = one(of, {"soc": 0.5}, {"soc": 0.6, "solar_wh": 1000, "vehicle_hours": 1.5})
        self.assertEqual((interval.harvest["vehicle"], interval.harvest["mains"]), (480, 0))
        self.assertEqual(interval.harvest_bases["vehicle"], "reckoned")
        self.assertEqual(dict(interval.how)["vehicle_wh"], reason("how_hours", hours=1.5, watts=320))

    def test_ac_use_is_turned_to_the_battery_side(self):
        of = rig(use_side="ac", inverter=Inverter(10, 0.9))
        interval = one(of, {"soc": 0.6}, {"soc": 0.5, "solar_wh": 2000, "use_wh": 1800})
        self.assertAlmostEqual(interval.use_wh, 1800 / 0.9 + 10 * 24)

    def test_harvest_is_never_less_than_nothing(self):
        interval = one(rig(), {"soc": 0.9}, {"soc": 0.3, "use_wh": 2000})
        self.assertEqual(interval.harvest["solar"], 0)
        self.assertGreater(interval.unexplained_wh, 3000)

    def test_books_hold_for_every_interval(self):
        rng = random.Random(4)
        of = rig(**WITH_SET, vehicles=(Engine("Ute", 320),))
        maybe = {"soc": lambda: rng.random(), "solar_wh": lambda: rng.uniform(0, 7000),
                 "use_wh": lambda: rng.uniform(0, 7000), "generator_wh": lambda: rng.uniform(0, 3000),
                 "vehicle_hours": lambda: rng.uniform(0, 4)}
        log = readings(*({name: make() for name, make in maybe.items() if rng.random() < 0.7} for _ in range(600)),
                       hours=17.3)
        whole = 0
        for interval in reckon(of, log, sun_of(of)).intervals:
            if interval.unexplained_wh is not None:
                whole += 1
                self.assertAlmostEqual(identity(interval, of), 0, places=6)
            for wh in (*interval.harvest.values(), interval.use_wh, interval.spilt_wh):
                self.assertTrue(wh is None or wh >= 0)
            self.assertTrue(interval.soc_end is None or 0 <= interval.soc_end <= 1)
        self.assertGreater(whole, 150)


class MarksAndOddLogs(unittest.TestCase):
    def test_jump_to_full_without_energy_is_marked_not_booked(self):
        interval = one(rig(), {"soc": 0.4}, {"soc": 1.0, "solar_wh": 500}, sun_of(rig()))
        self.assertIn("reset", interval.marks)
        self.assertIsNone(interval.use_wh)
        unread = one(rig(), {"soc": 0.1}, {"soc": 1.0, "use_wh": 6000}, sun_of(rig()))
        self.assertIn("reset", unread.marks)
        self.assertIsNone(unread.harvest["solar"])

    def test_full_while_the_sun_is_up_is_capped_and_full_at_night_is_not(self):
        of, evening = rig(), datetime(2026, 11, 1, 9, tzinfo=UTC)  # 20:00 in Hobart
        log = [Reading(evening, soc=0.7),
               Reading(evening + timedelta(days=1), soc=0.9, solar_wh=3000,
                       full_at=datetime(2026, 11, 2, 2, tzinfo=UTC)),
               Reading(evening + timedelta(days=2), soc=0.8, solar_wh=3000),
               Reading(evening + timedelta(days=2, hours=8), soc=0.75, solar_wh=0)]
        first, second, night = reckon(of, log, sun_of(of)).intervals
        self.assertTrue(first.capped)
        self.assertGreater(first.spilt_wh, 500)
        self.assertFalse(second.capped or night.capped)
        self.assertEqual(second.spilt_wh, 0)

    def test_odd_logs_are_taken_without_complaint(self):
        of = rig()
        start = datetime(2016, 1, 1, tzinfo=UTC)
        self.assertEqual(reckon(of, [], sun_of(of)).intervals, [])
        self.assertEqual(reckon(of, [Reading(start, soc=0.5)], sun_of(of)).intervals, [])
        apart = [Reading(start, soc=0.5), Reading(start + timedelta(days=3653), soc=0.6, solar_wh=2000)]
        self.assertAlmostEqual(intervals(of, apart, sun_of(of))[0].hours, 3653 * 24)
        self.assertIsNone(reckon(of, apart, sun_of(of)).learned.use)

    def test_order_of_entry_does_not_matter(self):
        of = rig()
        log = readings(*({"soc": 0.5 + 0.01 * n, "solar_wh": 2000 + n} for n in range(9)))
        self.assertEqual(intervals(of, reversed(log), sun_of(of)), intervals(of, log, sun_of(of)))

    def test_bigger_bank_stores_more_for_the_same_percent(self):
        small = one(rig(), {"soc": 0.5}, {"soc": 0.4, "solar_wh": 0})
        large = one(rig(bank=replace(rig().bank, parallel=2)), {"soc": 0.5}, {"soc": 0.4, "solar_wh": 0})
        self.assertAlmostEqual(large.stored_change_wh, 2 * small.stored_change_wh)
        self.assertEqual(Bank("lfp", 12, 100).everyday_floor, 0.2)
