import unittest
from dataclasses import replace

from tests.support import rig, sun_of, table
from voltaun.core.bench import round as measuring
from voltaun.core.learned.account import reckon
from voltaun.core.rig import loads as demand
from voltaun.core.rig.bank import soc_from_gravity
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.parts import Bank, Inverter, Load, Place, SolarArray
from voltaun.core.sizing import worksheet as additions
from voltaun.core.sky import clear_sky as sun


class LegalRigs(unittest.TestCase):
    def test_every_fault_is_named_with_its_path(self):
        for changes, path in (
                ({"bank": Bank("lfp", 12, 0)}, "bank.unit_capacity_ah"),
                ({"bank": Bank("lfp")}, "bank"),
                ({"bank": Bank("lfp", rated_energy_wh=0)}, "bank.rated_energy_wh"),
                ({"bank": Bank("lfp", 12, 100, everyday_floor=0.1, hard_floor=0.3)}, "bank.hard_floor"),
                ({"bank": Bank("lfp", 12, 100, everyday_floor=1.2)}, "bank.everyday_floor"),
                ({"bank": Bank("lithium", 12, 100)}, "bank.chemistry"),
                ({"place": Place(95, 0, "UTC")}, "place.latitude"),
                ({"place": Place(5, 0, "Nowhere/Town")}, "place.timezone"),
                ({"place": Place(float("nan"), 0, "UTC")}, "place.latitude"),
                ({"arrays": (SolarArray("Roof", 300, tilt_deg=120),)}, "arrays[0].tilt_deg"),
                ({"arrays": (SolarArray("Roof", 300, shade_factor=(1.0,) * 11),)}, "arrays[0].shade_factor"),
                ({"loads": (Load("Pump", 300, pattern=("window", 9, 10, 3)),)}, "loads[0].pattern"),
                ({"inverter": None, "use_side": "ac"}, "inverter"), ({"name": " "}, "name")):
            with self.subTest(path), self.assertRaises(RigFaults) as caught:
                rig(**changes)
            self.assertEqual([fault.path for fault in caught.exception.faults], [path])
        with self.assertRaises(RigFaults) as caught:
            rig(name="", place=Place(95, 200, "UTC"))
        self.assertEqual(len(caught.exception.faults), 3)


class Demand(unittest.TestCase):
    def test_loads_through_the_inverter_and_the_shape_of_a_day(self):
        of = rig(inverter=Inverter(10, 0.9), loads=(
            Load("Freezer", 900, "ac", 90, 500), Load("Lights", 120, "dc", pattern=("hours", 22, 2)),
            Load("Pump", 300, "ac", 750, 2000, pattern=("window", 9, 15, 0.5)),
            Load("Kettle", 90, "ac", 1200, pattern=("window", 6, 8, 0.1))))
        self.assertAlmostEqual(demand.daily_use(of), (900 + 300 + 90) / 0.9 + 120 + 240)
        shape = demand.hourly_shape(of, 11)
        self.assertAlmostEqual(shape.sum(), 1)
        self.assertGreater(shape[23], shape[3])
        self.assertGreater(shape[1], shape[3])
        self.assertEqual(demand.largest_set_running(of), 90 + 1200)
        self.assertEqual(demand.largest_surge(of), 90 + 1200 + 1250)
        self.assertIsNone(demand.daily_use(rig()))
        self.assertIsNone(demand.largest_surge(rig(loads=(Load("Pump", 300, "dc", 750, 2000),))))


class List(unittest.TestCase):
    def test_the_flat_share_is_blended_from_idle_and_efficiency(self):
        of = rig(inverter=Inverter(15, 0.858), loads=(Load("Heater", 2574 * 24 / 20, "ac"), Load("Lamp", 90, "dc")))
        self.assertAlmostEqual(demand.arriving_share(of), 0.780)
        self.assertIsNone(demand.arriving_share(rig(loads=(Load("Lamp", 90, "dc"),))))

    def test_lines_sum_to_the_whole_and_the_idle_is_one_of_them(self):
        of = rig(inverter=Inverter(10, 0.9), loads=(
            Load("Freezer", 900, "ac", evidence="metered"), Load("Lights", 120, "dc", evidence="guess"),
            Load("Pump", 450, "ac", evidence="label", months=(6, 7)), Load("Radio", 0, "dc", evidence="guess")))
        june, november = demand.listed(of, 6), demand.listed(of, 11)
        self.assertEqual([line.load.name if line.load else "idle" for line in june.lines],
                         ["Freezer", "Pump", "idle", "Lights", "Radio"])
        self.assertAlmostEqual(june.wh, 1000 + 500 + 240 + 120)
        self.assertAlmostEqual(june.side_wh("ac") + june.side_wh("dc") + 240, june.wh)
        self.assertAlmostEqual(demand.daily_use(of, 11), november.wh)
        self.assertEqual(measuring.doubts(of, 6)[0].load.name, "Pump")
        self.assertEqual(measuring.doubts(of, 11)[0].load.name, "Lights")
        self.assertEqual(measuring.doubts(rig(loads=(Load("A", 5, evidence="metered"),)), 1), [])
        self.assertAlmostEqual(june.sd_wh ** 2, 100 ** 2 + 250 ** 2 + 120 ** 2 + 90 ** 2)

    def test_gap_is_clear_only_beyond_its_own_doubt(self):
        of = demand.listed(rig(loads=(Load("Freezer", 1000, "dc", evidence="metered"),)), 1)
        self.assertFalse(demand.gap(of, 1100, 200, 25).clear)
        self.assertTrue(demand.gap(of, 1300, 200, 25).clear)
        self.assertTrue(demand.gap(of, 700, 200, 25).clear)
        self.assertFalse(demand.gap(of, 1300, 300, 1).clear)


class Worksheet(unittest.TestCase):
    def test_peak_sun_takes_the_losses_out_again_and_finds_the_worst_month(self):
        by_month = sun.monthly_clear_sky(rig(), [table(plane) for plane in sun.planes(rig())])
        month, hours = additions.peak_sun(by_month, 0.45, 0.75)
        self.assertEqual(month, 6)
        self.assertAlmostEqual(hours, by_month[5] * 0.6)
        self.assertEqual(additions.peak_sun(by_month, 0.45, 0.75, 1)[0], 1)

    def test_more_of_anything_never_asks_for_less(self):
        base = additions.Inputs(2000, 3.0)
        sheet = additions.worksheet(rig(), base)
        for change in ({"use_wh_per_day": 2400}, {"reserve_days": 4}, {"everyday_floor": 0.4}, {"cold_factor": 0.8},
                       {"peak_sun_hours": 2}, {"recovery_days": 2}):
            more = additions.worksheet(rig(), replace(base, **change))
            self.assertGreaterEqual((more.units, more.panels), (sheet.units, sheet.panels), change)

    def test_whole_strings_sizes_and_refusals(self):
        four = rig(bank=Bank("agm", 6, 200, 4, 1))
        self.assertEqual(additions.worksheet(four, additions.Inputs(3000, 3.0)).units % 4, 0)
        self.assertEqual([additions.inverter_size(w) for w in (0, None, 200, 240, 241, 4100)],
                         [None, None, 300, 300, 600, 6000])
        station = additions.worksheet(rig(bank=Bank("lfp", rated_energy_wh=2000)), additions.Inputs(2000, 3.0))
        self.assertEqual((station.bank_ah, station.controller_a), (None, None))
        for wrong in ({"use_wh_per_day": 0}, {"peak_sun_hours": -1}, {"reserve_days": float("nan")},
                      {"everyday_floor": 1.0}):
            with self.assertRaises(ValueError):
                additions.worksheet(rig(), replace(additions.Inputs(2000, 3.0), **wrong))
        nothing = reckon(rig(), [], sun_of(rig())).learned
        with self.assertRaisesRegex(ValueError, "use a day"):
            additions.suggest(rig(), nothing, [table(plane) for plane in sun.planes(rig())])


class Hydrometer(unittest.TestCase):
    OF = Bank("flooded", 6, 220, 4)

    def test_the_weakest_cell_counts_at_25_degrees(self):
        for gravity, soc in ((1.265, 1.0), (1.225, 0.75), (1.190, 0.5), (1.155, 0.25), (1.120, 0.0), (1.30, 1.0),
                             (1.2075, 0.625)):
            self.assertAlmostEqual(soc_from_gravity(self.OF, [gravity]).soc, soc)
        told = soc_from_gravity(self.OF, [1.265, 1.190, 1.225])
        self.assertEqual((told.soc, round(told.spread, 3), told.uneven), (0.5, 0.075, True))
        self.assertFalse(soc_from_gravity(self.OF, [1.225, 1.255]).uneven)  # 0.030 apart is not above it
        # Six degrees warmer it shows 0.004 less than there is: 1.221 is 1.225.
        self.assertAlmostEqual(soc_from_gravity(self.OF, [1.221], 31.0).soc, 0.75)
        self.assertAlmostEqual(soc_from_gravity(self.OF, [1.229], 19.0).soc, 0.75)

    def test_only_where_cells_can_be_opened(self):
        for bank, cells in ((Bank("agm", 12, 100), [1.2]), (self.OF, []), (self.OF, [12.25]), (self.OF, [0.9])):
            with self.assertRaises(ValueError):
                soc_from_gravity(bank, cells)
