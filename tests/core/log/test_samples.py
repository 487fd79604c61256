import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np

from tests.support import NOW, rig
from voltaun.core.log.ledger import intervals
from voltaun.core.log.samples import HOUR, Samples, beyond_belief, from_rows, hours, in_order, joined, readings_from
from voltaun.core.rig.parts import Generator

START = int(datetime(2026, 11, 1, tzinfo=UTC).timestamp())


def minutes(count, step=60, start=START, **columns):
    """Samples a minute apart; a figure or an array for each column."""
    at = start + step * np.arange(count)
    blank = np.full(count, np.nan)
    values = {name: np.broadcast_to(np.asarray(columns.get(name, blank), dtype=float), count)
              for name in ("volts", "amps", "watts", "soc", "charge_wh", "discharge_wh")}
    return Samples(at, **values)


class Hours(unittest.TestCase):
    def test_power_and_counters_come_to_the_same_sums(self):
        watts = np.where(np.arange(600) < 300, 120.0, -60.0)
        into, out = (np.cumsum(np.maximum(sign * watts, 0)) / 60 for sign in (1, -1))
        by_power, by_counter = hours(minutes(600, watts=watts)), hours(minutes(600, charge_wh=into, discharge_wh=out))
        self.assertEqual(by_power.charge_wh[1:4].tolist(), [120.0] * 3)
        np.testing.assert_allclose(by_power.discharge_wh[6:9], 60.0)
        np.testing.assert_allclose(by_counter.charge_wh[1:4], 120.0)
        by_amps = hours(minutes(600, volts=12.0, amps=watts / 12))
        np.testing.assert_allclose(by_amps.charge_wh, by_power.charge_wh)

    def test_a_gap_is_bridged_by_a_counter_and_left_open_by_power(self):
        at = np.array([0, 60, 7200, 7260]) + START
        blank = np.full(4, np.nan)
        gap = Samples(at, blank, blank, np.full(4, 100.0), blank, blank, blank)
        self.assertAlmostEqual(hours(gap).charge_wh.sum(), 100 * 120 / 3600)
        self.assertAlmostEqual(hours(gap).seconds.sum(), 120)
        counted = Samples(at, blank, blank, blank, blank, np.array([0.0, 2, 200, 202]), np.array([0.0, 0, 0, 0]))
        self.assertAlmostEqual(hours(counted).charge_wh.sum(), 202)
        self.assertAlmostEqual(hours(counted).seconds.sum(), 7260)

    def test_a_counter_that_was_set_back_counts_from_nought(self):
        counted = hours(minutes(5, charge_wh=[100, 110, 3, 5, 9], discharge_wh=0.0))
        self.assertAlmostEqual(counted.charge_wh.sum(), 10 + 3 + 2 + 4)

    def test_splitting_the_samples_anywhere_changes_no_sum(self):
        rng = np.random.default_rng(1)
        whole = minutes(500, watts=rng.normal(0, 200, 500), soc=rng.uniform(0, 1, 500))
        cut = 217
        parts = [whole.part(slice(0, cut)), whole.part(slice(cut - 1, None))]
        self.assertAlmostEqual(sum(hours(part).charge_wh.sum() for part in parts), hours(whole).charge_wh.sum())
        self.assertEqual(len(joined(parts[0], whole.part(slice(cut, None)))), 500)

    def test_order_and_doubles(self):
        rows = [(START + 120, 1), (START, 2), (START + 60, 3), (START, 4)]
        mixed = from_rows([(at, None, None, watts, None, None, None) for at, watts in rows])
        ordered, back, twice = in_order(mixed)
        self.assertEqual((ordered.watts.tolist(), back, twice), ([2, 3, 1], 2, 1))
        self.assertEqual([row[1] for row in ordered.rows()], [None] * 3)
        self.assertEqual(len(hours(from_rows([])).hour), 0)


class Readings(unittest.TestCase):
    def test_a_reading_at_each_hour_chosen_with_what_flowed_since(self):
        day = minutes(3 * 1440, watts=90.0, soc=np.linspace(0.2, 0.9, 3 * 1440), volts=26.0)
        made = readings_from(rig(), hours(day), (6, 18), None)
        self.assertEqual({each.at.astimezone(rig().zone).hour for each in made}, {6, 18})
        self.assertIsNone(made[0].solar_wh)
        for each in made[1:]:
            self.assertAlmostEqual(each.solar_wh, 90 * 12, delta=2)
            self.assertEqual(each.use_wh, 0)
            self.assertTrue(each.at_bank)
        later = readings_from(rig(), hours(day), (6, 18), made[2].at)
        self.assertEqual(later, made[3:])

    def test_energies_stay_blank_where_too_little_is_covered(self):
        day = minutes(3 * 1440, watts=90.0, soc=0.5)
        holed = day.part((np.arange(3 * 1440) % 1440 < 600) | (np.arange(3 * 1440) % 1440 > 1000))
        made = readings_from(rig(), hours(holed), (6, 18), None)
        self.assertTrue(any(each.solar_wh is None for each in made[1:]))
        self.assertTrue(all(each.soc == 0.5 for each in made))

    def test_other_rigs(self):
        day = hours(minutes(2 * 1440, watts=-90.0, soc=0.5))
        dark = rig(arrays=(), generators=(Generator("Set", 900),), use_side="ac")
        made = readings_from(dark, day, (6,), None)
        self.assertEqual((made[-1].generator_wh, made[-1].use_wh), (0.0, None))
        self.assertTrue(intervals(dark, made, None))


class OddZones(unittest.TestCase):
    def test_a_clock_hour_within_an_hour_of_utc(self):
        # 120 W into the bank for one hour in two, 60 W out in the other, and a point of level in two minutes up and
        # down: twelve clock hours hold six of each, and the level is half-way through its hour in a zone of half hours.
        count = 3 * 1440 + 120
        hour = np.arange(count) // 60
        watts = np.where(hour % 2 == 0, 120.0, -60.0)
        soc = 0.5 + 0.005 * np.where(hour % 2 == 0, np.arange(count) % 60, 60 - np.arange(count) % 60)
        summed = hours(minutes(count, watts=watts, soc=soc, volts=25.0))
        for name, offset in (("Asia/Kolkata", 30), ("Asia/Kathmandu", 45), ("Australia/Adelaide", 30),
                             ("America/St_Johns", 30), ("Pacific/Chatham", 45), ("Australia/Lord_Howe", 0)):
            of = rig(place=replace(rig().place, timezone=name))
            made = readings_from(of, summed, (7, 19), None)
            self.assertGreaterEqual(len(made), 5, name)
            for reading in made[1:]:
                self.assertEqual(reading.at.astimezone(of.zone).minute, 0)
                minute = int(reading.at.timestamp() - START) // 60
                self.assertAlmostEqual(reading.soc, soc[minute], delta=0.011, msg=name)
                # Six hours each, but for the minute of each in which it turns; what is cut off here comes there.
                self.assertAlmostEqual(reading.solar_wh, 6 * 120, delta=8 + 120 * (offset > 0), msg=name)
                self.assertAlmostEqual(reading.use_wh, 6 * 60, delta=8 + 60 * (offset > 0), msg=name)

    def test_no_level_is_told_beyond_the_last_sample(self):
        # Samples until ten past seven in Kolkata (1:40 UTC) reach seven (1:30); until twenty past one UTC they do not.
        of = rig(place=replace(rig().place, timezone="Asia/Kolkata"))
        for count, soc in ((1440 + 100, 0.5), (1440 + 80, None)):
            made = readings_from(of, hours(minutes(count, watts=60.0, soc=0.5)), (7,), None)
            self.assertEqual([each.soc for each in made if each.at == datetime(2026, 11, 2, 1, 30, tzinfo=UTC)], [soc])


class Lies(unittest.TestCase):
    def test_what_cannot_be_is_named_and_what_can_is_not(self):
        of = rig()
        now = datetime.fromtimestamp(START + 86_400, UTC)
        good = minutes(1440, watts=900.0, soc=np.linspace(0.4, 1.0, 1440), volts=26.0)
        self.assertIsNone(beyond_belief(of, good, now))
        self.assertIsNone(beyond_belief(of, from_rows([]), now))
        reset = minutes(3, soc=[0.6, 0.6, 1.0])
        self.assertIsNone(beyond_belief(of, reset, now))
        for lie, words in ((minutes(3, soc=[0.9, 0.2, 0.9]), "20 % right after 90 %"),
                           (minutes(2, watts=[0, 9e5]), "more than this bank can move"),
                           (minutes(2, volts=[25, 260]), "260.0 V on a bank of 24 V"),
                           (minutes(2, start=START + 2 * 86_400, watts=5.0), "ahead of the clock")):
            self.assertIn(words, beyond_belief(of, lie, now))
        self.assertIsNone(beyond_belief(of, minutes(2, step=6 * HOUR, soc=[0.9, 0.3]), NOW + timedelta(days=9)))
