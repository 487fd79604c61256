import math
import random
import unittest

from tests.support import random_rig, rig
from voltaun.core.rig.bank import acceptance, effective_energy
from voltaun.core.rig.parts import Bank, Inverter, Load
from voltaun.core.sizing import sums


class WorkedExamples(unittest.TestCase):
    def test_to_the_printed_digits(self):
        self.assertAlmostEqual(sums.voltage_drop(15, 4, 2.5), 0.84)
        self.assertEqual([round(sums.dc_amps(1, volts, 12, 0.9)) for volts in (120, 230)], [11, 21])
        self.assertAlmostEqual(sums.daily_from_yearly(365), 1000)
        self.assertAlmostEqual(sums.run_time(4800, 600, 120), 10)
        self.assertEqual([round(sums.awg_mm2(gauge), 2) for gauge in (10, 4)], [5.26, 21.15])

    def test_a_charge_of_a_thing_with_a_battery_of_its_own(self):
        # 50 Wh from a fifth: 40 Wh at 20 W are two hours; 20 / 0.8 = 25 W on the AC side are 25 / 0.9 + 18 W at the
        # battery, 45.8 W, for two hours.
        of = rig(inverter=Inverter(18, 0.9))
        one = sums.charge(of, 960, 50, 0.2, 20, 0.8, "ac")
        self.assertAlmostEqual(one.wh, 2 * (25 / 0.9 + 18))
        self.assertEqual((one.hours, round(one.times, 3)), (2.0, 10.485))
        self.assertEqual(sums.charge(of, 960, 50, 0.2, 20, 0.8, "dc").times, 19.2)  # 25 W for two hours
        self.assertEqual(sums.charge(of, 960, 50, 0.2, 20, 0.8, "dc", 15).wh, 20)
        self.assertEqual(sums.charge(of, 960, 50, 0.2, 20, 0.8, "dc", 25).times, math.inf)

    def test_a_big_load_on_lead_runs_shorter(self):
        of = rig(bank=Bank("flooded", 12, 100), inverter=None)
        # 20 × (100 / 500)^1.25, where the plain sum says four hours.
        self.assertAlmostEqual(sums.run_time_on_lead(of, 1.0, 300), 2.675, 3)
        self.assertAlmostEqual(sums.run_time_on_lead(of, 0.5, 300), 1.337, 3)
        # From the label's twenty hours on without a step: at 5 A it runs twenty hours by either sum.
        self.assertIsNone(sums.run_time_on_lead(of, 1.0, 60))
        self.assertAlmostEqual(sums.run_time_on_lead(of, 1.0, 60.01), 20.0, 2)
        self.assertAlmostEqual(sums.run_time_on_lead(of, 1.0, 120), 20 * 0.5 ** 1.25)
        self.assertIsNone(sums.run_time_on_lead(rig(), 1.0, 30_000))

    def test_never_runs_out_with_enough_sun(self):
        self.assertEqual(sums.run_time(100, 60, 60), math.inf)
        self.assertEqual(sums.run_time(100, 60, 90), math.inf)

    def test_sides(self):
        of = rig(inverter=Inverter(18, 0.9))
        self.assertAlmostEqual(sums.dc_power(of, 90, "ac"), 118)
        self.assertEqual(sums.dc_power(of, 90, "dc"), 90)
        self.assertEqual(sums.dc_power(rig(inverter=None), 90, "ac"), 90)

    def test_own_loads_by_what_they_take_a_day(self):
        of = rig(inverter=Inverter(18, 0.9), loads=(
            Load("Lamp", 120, "dc"), Load("Freezer", 600, "dc", 50, months=(11,)), Load("Off", 0, "dc"),
            Load("Fan heater", 1350, "ac", 1500)))
        self.assertEqual([(load.name, round(usual, 2), on and round(on * 60)) for load, usual, on in
                          sums.loads_run_on(of, 484, 11)],
                         [("Fan heater", 7.74, 17), ("Freezer", 19.36, 581), ("Lamp", 96.8, None)])
        self.assertEqual([load.name for load, *_ in sums.loads_run_on(of, 300, 1)], ["Fan heater", "Lamp"])

    def test_nothing_to_divide_by_is_refused(self):
        for wrong in (lambda: sums.run_time(100, 0), lambda: sums.charge(rig(), 100, 0, 0, 10, 0.9, "dc"),
                      lambda: sums.dc_amps(1, 230, 0, 0.9), lambda: sums.voltage_drop(1, 1, 0)):
            with self.assertRaises(ValueError):
                wrong()


class TimeToFull(unittest.TestCase):
    def test_agrees_with_small_steps_over_random_rigs(self):
        rng = random.Random(3)
        for _ in range(25):
            of, start, goal = random_rig(rng), rng.uniform(0, 0.7), rng.uniform(0.8, 1.0)
            watts = rng.uniform(0.02, 0.8) * effective_energy(of).wh
            steps, hours = 20_000, 0.0
            for n in range(steps):
                soc = start + (goal - start) * (n + 0.5) / steps
                hours += (goal - start) / steps / min(watts, float(acceptance(of, soc)))
            hours *= effective_energy(of).wh / of.bank.charge_efficiency
            self.assertAlmostEqual(sums.time_to_full(of, start, goal, watts), hours, delta=0.002 * hours)

    def test_falls_as_power_rises_and_the_end_is_slow(self):
        of = rig()
        times = [sums.time_to_full(of, 0.3, 1.0, watts) for watts in (100, 300, 900, 2700, 20_000)]
        self.assertEqual(times, sorted(times, reverse=True))
        last = sums.time_to_full(of, 0.95, 1.0, 4800)
        self.assertGreater(last, 3 * sums.time_to_full(of, 0.90, 0.95, 4800))
        self.assertEqual(sums.time_to_full(of, 0.8, 0.8, 100), 0)
        self.assertEqual(sums.time_to_full(of, 0.5, 0.8, 0), math.inf)
