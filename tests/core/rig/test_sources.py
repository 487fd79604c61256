import random
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.support import HOBART, NOW, random_rig, readings, rig, sun_of, table
from voltaun.core.bench import round as measuring
from voltaun.core.log.ledger import intervals
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.simulate import simulate
from voltaun.core.reasons import reason
from voltaun.core.rig import bank
from voltaun.core.rig.bank import packs_apart
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.limits import limits
from voltaun.core.rig.parts import Bank, Engine, Generator, Inverter, Load, Mains, SolarArray, Stay
from voltaun.core.sizing import sums
from voltaun.core.sky import clear_sky as sun
from voltaun.demo import orchard_trailer
from voltaun.demo.honey_house import RIG as HONEY_HOUSE


class Bank_(unittest.TestCase):
    def test_series_adds_volts_and_parallel_adds_ah(self):
        rng = random.Random(2)
        for _ in range(200):
            of = random_rig(rng).bank
            doubled, wider = replace(of, series=of.series * 2), replace(of, parallel=of.parallel * 2)
            self.assertAlmostEqual(bank.nominal_voltage(doubled), 2 * bank.nominal_voltage(of))
            self.assertEqual(bank.capacity_ah(doubled), bank.capacity_ah(of))
            self.assertAlmostEqual(bank.capacity_ah(wider), 2 * bank.capacity_ah(of))
            self.assertEqual(bank.nominal_voltage(wider), bank.nominal_voltage(of))
            for more in (doubled, wider):
                self.assertAlmostEqual(bank.rated_energy(more), 2 * bank.rated_energy(of))

    def test_acceptance_never_above_any_limit(self):
        rng = random.Random(3)
        for _ in range(100):
            of = random_rig(rng)
            own = replace(of, bank=replace(of.bank, charge_limit_w=rng.uniform(50, 5000)))
            levels = np.linspace(0, 1, 101)
            for each, limit in ((of, of.chemistry.charge_limit * bank.rated_energy(of.bank)),
                                (own, own.bank.charge_limit_w)):
                takes = bank.acceptance(each, levels)
                self.assertLessEqual(takes.max(), limit * (1 + 1e-9))
                self.assertTrue((np.diff(takes) <= 1e-9).all())
                self.assertAlmostEqual(takes[-1], 0.02 * limit)

    def test_what_is_taken_in_the_hourly_step_is_never_above_a_limit(self):
        of = rig(bank=Bank("lfp", 12, 100, 2, 1, charge_limit_w=300))
        made = simulate(of, 2400, 0.3, np.full((12, 1), 2000.0), np.zeros((12, 1)), np.ones(12))
        self.assertLessEqual(made.taken.max(), 300 + 1e-9)

    def test_time_to_full_falls_as_power_rises(self):
        rng = random.Random(4)
        for _ in range(60):
            of = random_rig(rng)
            hours = [sums.time_to_full(of, 0.3, 0.98, watts) for watts in (50, 100, 200, 400, 800, 1600, 3200)]
            self.assertEqual(hours, sorted(hours, reverse=True))

    def test_a_station_and_its_packs(self):
        station = Bank("lfp", rated_energy_wh=2000, pack_wh=(1000, 1000))
        self.assertEqual((bank.rated_energy(station), station.packs), (4000, (2000, 1000, 1000)))
        self.assertAlmostEqual(bank.pooled_soc(station, (0.8, 0.6, 0.4)), (1600 + 600 + 400) / 4000)
        self.assertAlmostEqual(bank.pooled_soc(Bank("agm", 12, 110, 1, 2), (0.7, 0.8)), 0.75)
        with self.assertRaisesRegex(ValueError, "each of the 3 packs"):
            bank.pooled_soc(station, (0.8, 0.6))
        with self.assertRaisesRegex(RigFaults, "only a station"):
            rig(bank=Bank("agm", 12, 110, pack_wh=(500,)))

    def test_packs_more_than_five_points_apart_want_looking_at(self):
        self.assertAlmostEqual(packs_apart((0.74, 0.80, 0.76)), 0.06)
        self.assertEqual((packs_apart((0.75, 0.80)), packs_apart(())), (None, None))

    def test_depth_policies(self):
        lead, lithium = rig(bank=Bank("agm", 12, 100)).chemistry, rig().chemistry
        self.assertEqual([(bank.depth_floor(lead, name), bank.depth_floor(lithium, name)) for name in bank.DEPTHS],
                         [(0.70, 0.40), (0.50, 0.20), (0.30, 0.10)])


class Volts(unittest.TestCase):
    AGM, FLOODED = Bank("agm", 12, 100), Bank("flooded", 6, 200, 4)

    def test_the_steps_and_between_them(self):
        for volts, soc in ((12.85, 1), (12.65, .8), (12.45, .6), (12.25, .42), (12.05, .25), (11.85, .1), (11.6, 0),
                           (12.75, .9), (13.2, 1), (11.0, 0)):
            self.assertAlmostEqual(bank.soc_from_volts(self.AGM, volts), soc)
        for volts, soc in ((25.4, 1), (25.0, .8), (24.6, .6), (24.2, .42), (23.8, .25), (23.4, .1), (23.0, 0)):
            self.assertAlmostEqual(bank.soc_from_volts(self.FLOODED, volts), soc)

    def test_refused_where_volts_tell_nothing(self):
        with self.assertRaisesRegex(ValueError, "flat between about 20 and 95 %"):
            bank.soc_from_volts(Bank("lfp", 12.8, 100), 13.1)
        for of, volts in ((self.AGM, 25.0), (self.FLOODED, 12.5), (Bank("agm", rated_energy_wh=1000), 12.5)):
            with self.assertRaisesRegex(ValueError, "for each 12 V"):
                bank.soc_from_volts(of, volts)

    def test_a_log_of_volts_is_reckoned_and_never_called_read(self):
        of = rig(bank=self.AGM, soc_from="volts")
        log = readings({"volts": 12.65}, {"volts": 12.45, "solar_wh": 0, "use_wh": 200}, {"volts": 20.0})
        first, second = intervals(of, log, None)
        self.assertAlmostEqual(first.soc_end - first.soc_start, -0.2)
        self.assertEqual(first.soc_basis, "reckoned")
        self.assertEqual(dict(first.how)["soc"], reason("how_from_volts"))
        self.assertIsNone(second.soc_end)
        self.assertIsNone(intervals(rig(bank=self.AGM), log, None)[0].soc_end)


class Sources(unittest.TestCase):
    def test_the_input_is_the_bottleneck(self):
        charger = Engine("Van", 1000, input_a=10, converter_efficiency=1.0)
        self.assertAlmostEqual(replace(charger, input_v=13.2).gives_w, 132)
        self.assertAlmostEqual(replace(charger, input_v=26.4).gives_w, 264)
        self.assertAlmostEqual(Engine("Van", 320, 13.2, 30).gives_w, min(320, 13.2 * 30 * 0.9))
        self.assertAlmostEqual(Engine("Van", 320, 13.2, 30, spare_alternator_w=200).gives_w, 180)
        self.assertEqual(Engine("Van", 320).gives_w, 320)

    def test_engine_power_never_above_any_of_its_limits(self):
        rng = random.Random(5)
        for _ in range(300):
            engine = Engine("Van", rng.uniform(10, 900), *(rng.choice((None, rng.uniform(low, high)))
                            for low, high in ((11, 28), (2, 60), (50, 900), (0.5, 1.0))))
            through = engine.converter_efficiency or 0.9
            bounds = [engine.charge_w, *(w * through for w in (engine.input_w, engine.spare_alternator_w) if w)]
            self.assertAlmostEqual(engine.gives_w, min(bounds))

    def test_generator_and_its_fuel(self):
        self.assertEqual(Generator("Set", 900, continuous_w=1000).gives_w, 800)
        set_ = Generator("Set", 900, 0.7, fuel_price=2.0)
        of = rig(bank=Bank("lfp", 12, 400, 2, 1, charge_efficiency=0.95), generators=(set_,))
        took = sums.fuel(of, set_, 0.3, 0.8)
        self.assertAlmostEqual(took.hours, 0.5 * 9600 / 0.95 / 900)
        self.assertAlmostEqual(took.litres, took.hours * 0.7)
        self.assertAlmostEqual(took.wh_per_litre * took.litres, 4800)
        self.assertAlmostEqual(took.cost_per_kwh, 2.0 * took.litres / 4.8)
        self.assertLess(sums.fuel(of, set_, 0.98, 1.0).wh_per_litre, 0.7 * took.wh_per_litre)
        for wrong in (lambda: sums.fuel(of, Generator("Set", 900), 0.3, 0.8), lambda: sums.fuel(of, set_, 0.8, 0.3)):
            with self.assertRaises(ValueError):
                wrong()

    def test_a_ledger_counts_hours_with_what_arrives(self):
        of = rig(vehicles=(Engine("Ute", 320, 13.2, 10),))
        interval, = intervals(of, readings({"soc": 0.5}, {"soc": 0.5, "vehicle_hours": 2.0, "solar_wh": 0}), None)
        self.assertAlmostEqual(interval.harvest["vehicle"], 2 * 13.2 * 10 * 0.9)


class Limits(unittest.TestCase):
    def short(self, **parts):
        return [(limit.group, limit.over) for limit in limits(rig(**parts))]

    def test_each_limit_is_seen_at_its_part_and_only_there(self):
        self.assertEqual(self.short(), [])
        over = (SolarArray("Roof", 300, 4, controller_limit_w=900),)
        self.assertEqual(self.short(arrays=over), [("arrays", True)])
        self.assertEqual(self.short(arrays=(replace(over[0], controller_limit_w=None, controller_limit_a=30),)),
                         [("arrays", True)])
        self.assertEqual(self.short(bank=Bank("lfp", rated_energy_wh=9000, solar_input_w=800)), [("bank", True)])
        self.assertEqual(self.short(vehicles=(Engine("Ute", 300, cut_off_v=12.2),)), [])
        for input_a, spare_w, over in ((40, 250, True), (10, None, False)):
            engine = Engine("Ute", 300, 13.2, input_a, spare_w, cut_off_v=12.2)
            self.assertEqual(self.short(vehicles=(engine,)), [("vehicles", over)])
        self.assertEqual(self.short(generators=(Generator("Set", 900, continuous_w=1000),)), [("generators", True)])
        small = Bank("agm", 12, 100)
        self.assertEqual(self.short(bank=small, arrays=(), generators=(Generator("Set", 900),)), [("bank", True)])
        self.assertEqual(self.short(bank=small, arrays=(SolarArray("Roof", 200),), mains=(Mains("Hut", 200),)),
                         [("bank", False)])
        kettle = Load("Kettle", 200, "ac", 2200, 2200)
        self.assertEqual(self.short(loads=(kettle,)), [("inverter", True)])
        pump = Load("Pump", 200, "ac", 800, 5000)
        self.assertEqual(self.short(loads=(pump,), inverter=Inverter(18, 0.9, 1000, 4000)), [("inverter", True)])
        self.assertEqual(self.short(loads=(pump,), inverter=None), [("inverter", True)])
        # A start-up of 350 W on an inverter of 300 W whose surge nobody told, and one whose W while on are not known.
        fridge = Load("Fridge", 500, "ac", 80, 350)
        for surge, met in ((None, ["inverter_surge_untold"]), (600, []), (340, ["inverter_surge"])):
            of = rig(loads=(fridge,), inverter=Inverter(5, 0.9, 300, surge))
            self.assertEqual([limit.reason.code for limit in limits(of)], met)
        bare = rig(loads=(Load("Pump", 200, "ac", None, 350),), inverter=Inverter(5, 0.9, 300))
        self.assertEqual([limit.reason.code for limit in limits(bare)], ["inverter_surge_untold"])


class Aiming(unittest.TestCase):
    ARRAY = SolarArray("Fold", 120, 2, aimed_per_day=2)

    def test_more_aiming_brings_more_and_less_each_time(self):
        tables = {n: table(sun.plane_key(HOBART, replace(self.ARRAY, aimed_per_day=n))) for n in (1, 2, 3, 4, 8)}
        for month in (1, 6, 10):
            gains = sun.aiming_gains(tables, 240, month, 0.5)
            brought = [gains[n] for n in (1, 2, 3, 4, 8)]
            self.assertEqual(brought, sorted(brought))
            self.assertGreater(gains[2] - gains[1], gains[4] - gains[3])
        fixed = table(sun.plane_key(HOBART, SolarArray("Flat", 120, 2, 0)))
        self.assertGreater(tables[2].sum(), fixed.sum() * 0.9)

    def test_like_is_set_beside_like_and_cloud_gains_nothing(self):
        # A clear year at the demo's place: fixed at 30° to the north, and aimed over 15 hours, kWh/m².
        fixed = table(sun.plane_key(HONEY_HOUSE.place, SolarArray("Fixed", 120, 2, 30, 0))).sum() / 1000
        self.assertAlmostEqual(fixed, 2467, delta=25)
        for times, whole in ((1, 2667), (2, 3226), (3, 3404), (5, 3535)):
            aimed = table(sun.plane_key(HONEY_HOUSE.place, replace(self.ARRAY, aimed_per_day=times, hours_out=15)))
            self.assertAlmostEqual(aimed.sum() / 1000, whole, delta=40, msg=times)
        tables = {0: np.full(365 * 48, 100.0), 3: np.full(365 * 48, 130.0)}
        for share, gain in ((0.9, 0.30), (0.75, 0.30), (0.3, 0.12), (0.0, 0.0)):
            found = sun.aiming_gains(tables, 1000, 6, share)
            self.assertAlmostEqual(found[3] - found[0], gain * found[0], places=6)

    def test_another_turn_brings_its_part_of_the_sun_to_come(self):
        tables = {2: np.full(365 * 48, 100.0), 3: np.full(365 * 48, 110.0), 4: np.full(365 * 48, 112.2)}
        self.assertAlmostEqual(sun.another_turn(tables, 2, 6, 800, 1), 80.0)
        self.assertAlmostEqual(sun.another_turn(tables, 3, 6, 800, 1), 16.0)
        # Under half of a clear sky two thirds of what is brought more is left: 80 Wh of 800 become 53.
        self.assertAlmostEqual(sun.another_turn(tables, 2, 6, 800, 0.5), 80 * 2 / 3)
        self.assertEqual(sun.another_turn({2: np.zeros(365 * 48), 3: np.zeros(365 * 48)}, 2, 6, 800, 1), 0.0)

    def test_nothing_comes_while_it_is_packed_away(self):
        short = table(sun.plane_key(HOBART, replace(self.ARRAY, hours_out=2)))
        midsummer = sun.RunningTotal(short)
        noon = datetime(2026, 12, 21, 2, 10, tzinfo=UTC).timestamp()  # solar noon at 147.2° east
        self.assertEqual(midsummer.between(noon - 6 * 3600, noon - 1.6 * 3600), 0)
        self.assertGreater(midsummer.between(noon - 1800, noon + 1800), 800)


class Places(unittest.TestCase):
    STAYS = (Stay(date(2026, 10, 5), "North", -20.0, 147.0, 0, 1.0),
             Stay(date(2026, 10, 9), "Wood", -42.0, 147.0, 0, 0.5))

    def test_sun_and_shade_follow_the_place(self):
        home = rig()
        moving = rig(places=self.STAYS)
        here, away = sun_of(home), sun_of(moving)

        def day(of, n):
            start = datetime(2026, 10, n, 13, 0, tzinfo=UTC)  # midnight at the place, in summer time
            return of.between(start, start + timedelta(days=1))
        self.assertAlmostEqual(day(away, 1), day(here, 1))
        north = sun_of(rig(place=replace(HOBART, latitude=-20.0, longitude=147.0, elevation_m=0)))
        self.assertAlmostEqual(day(away, 6), day(north, 6), delta=2)
        self.assertAlmostEqual(day(away, 10) / day(here, 10), 0.5, delta=0.03)
        # Over any days the parts make the whole, and it never runs backwards.
        at = np.arange(1.79e9, 1.795e9, 7200)
        self.assertTrue((np.diff(away.total.at(at)) >= -1e-6).all())
        whole = away.between(datetime(2026, 10, 1, 13, tzinfo=UTC), datetime(2026, 10, 12, 13, tzinfo=UTC))
        self.assertAlmostEqual(sum(day(away, n) for n in range(1, 12)), whole)

    def test_illegal_places(self):
        for places, words in ((self.STAYS[::-1], "out of order"), ((self.STAYS[0],) * 2, "twice"),
                              ((replace(self.STAYS[0], latitude=95),), "latitude"),
                              ((replace(self.STAYS[0], name=" "),), "a name")):
            with self.assertRaisesRegex(RigFaults, words):
                rig(places=places)

    def test_the_trailers_log_is_of_its_october(self):
        of = orchard_trailer.rig(NOW)
        log = orchard_trailer.log(NOW, sun_of(of))
        self.assertEqual(len(log), 2 * orchard_trailer.DAYS)
        self.assertEqual({reading.at.astimezone(of.zone).month for reading in log}, {10})
        self.assertLess(log[-1].at, NOW)
        self.assertEqual(orchard_trailer.log(NOW, sun_of(of)), log)
        nights = {(interval.end - timedelta(hours=12)).astimezone(of.zone).date(): interval.use_wh
                  for interval in intervals(of, log, sun_of(of)) if interval.end.astimezone(of.zone).hour < 12}
        element = max(nights, key=nights.get)
        self.assertEqual((element - orchard_trailer.october(NOW)).days, 4)  # found on the sixth morning
        usual = np.median(list(nights.values()))
        truth = orchard_trailer.TRUTH
        self.assertGreater(nights[element] - usual, 0.7 * truth.element_w * truth.element_hours)


class MeasuringRound(unittest.TestCase):
    LOADS = (Load("Pump", 400, "ac", evidence="label"), Load("Fan", 100, "ac", evidence="guess"),
             Load("Lamp", 120, "dc", evidence="label"), Load("Freezer", 900, "ac", evidence="metered"),
             Load("Heater", 500, "ac", evidence="guess", months=(6,)))

    def test_the_most_in_doubt_comes_first(self):
        november = measuring.doubts(rig(loads=self.LOADS), 11)
        self.assertEqual([doubt.load.name for doubt in november], ["Pump", "Fan", "Lamp"])
        self.assertEqual(measuring.doubts(rig(loads=self.LOADS), 6)[0].load.name, "Heater")

    def test_slots_of_a_day_on_each_meter_of_its_side(self):
        wanted = measuring.doubts(rig(loads=self.LOADS), 6)
        one = measuring.lay_out(wanted, 1, 0, NOW, NOW)
        self.assertEqual([slot.load for slot in one.slots], ["Heater", "Pump", "Fan"])
        for before, after in zip(one.slots, one.slots[1:], strict=False):
            self.assertEqual(before.end, after.start)
            self.assertEqual(before.end - before.start, measuring.SLOT)
        two = measuring.lay_out(wanted, 2, 1, NOW, NOW)
        self.assertEqual({(slot.load, slot.meter) for slot in two.slots if slot.start == NOW},
                         {("Heater", "AC 1"), ("Pump", "AC 2"), ("Lamp", "DC 1")})
        self.assertEqual(measuring.lay_out(wanted, 0, 0, NOW, NOW).slots, ())

    def test_ticked_off_by_a_run_of_a_day_that_came_after(self):
        laid = measuring.lay_out(measuring.doubts(rig(loads=self.LOADS), 11), 1, 0, NOW, NOW)
        pump, later = laid.slots[0], NOW + timedelta(days=1)
        for runs, expected in (([], False), ([("Pump", later, 24.0)], True), ([("Pump", later, 6.0)], False),
                               ([("Fan", later, 24.0)], False), ([("Pump", NOW - timedelta(days=3), 48.0)], False)):
            self.assertEqual(measuring.done(pump, laid, runs), expected)


class PacksInTheLog(unittest.TestCase):
    def test_packs_come_and_go_through_the_csv(self):
        from voltaun.core.instants import zone
        from voltaun.formats import FileFaults
        from voltaun.formats.log_csv import read_log, write_log
        log = [Reading(NOW, soc=0.75, pack_socs=(0.7, 0.8))]
        text = write_log(rig(), log, [])
        self.assertEqual(read_log(text.encode(), zone("Australia/Hobart")).readings, log)
        with self.assertRaisesRegex(FileFaults, "column pack_percents"):
            read_log(b"read_at,pack_percents\n2026-11-01T10:00,70 140\n", zone("Australia/Hobart"))
