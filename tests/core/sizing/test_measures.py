"""What is done without buying, by worked numbers: what each measure changes of the hours, and what a run makes."""

import unittest
from dataclasses import replace

import numpy as np

from tests.support import rig
from voltaun.core.rig.parts import Bank, Engine, Generator, Inverter, Load, Mains, SolarArray
from voltaun.core.sizing.banks import through_controllers
from voltaun.core.sizing.calendar import DAYS, EARLY_DAYS, calendar
from voltaun.core.sizing.choices import Offer, all_choices, offer_of
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.measures import Measure, fits, from_code, replacing, usual_measures, with_measure
from voltaun.core.sizing.run import run
from voltaun.core.sizing.suns import AS_THEY_ARE, Aims, Spot, arranged, own_plane_of, under_files, under_shares
from voltaun.core.sizing.years import Years
from voltaun.words.additions import measure as told

OF = rig(bank=Bank("lfp", 12, 400, 2, 1, charge_efficiency=0.95, standby_w=0.0), inverter=Inverter(18, 0.9, 2000, 4000),
         vehicles=(Engine("Ute", 320),), generators=(Generator("Set", 900, 0.7),), mains=(Mains("Post", 500),),
         loads=(Load("Radio", 240, "dc", priority="spare", pattern=("hours", 18, 22), months=(1,)),
                Load("Pump", 450, "ac", pattern=("window", 9, 16, 2)), Load("Fridge", 600, "dc")))


def years(sun_wh, use_wh):
    """Years of the same hours: sun from nine to fifteen o'clock, half a Wh of one W more in each of them."""
    hours = np.zeros((24 * DAYS, 2), np.float32)
    hours.reshape(DAYS, 24, 2)[:, 9:15] = 1.0
    return Years(np.stack((hours * sun_wh / 6, hours * 0.5)), np.full((24 * DAYS, 2), use_wh / 24, np.float32),
                 np.ones(2, np.float32), 9600.0, (), ())


def of_day(hours, day=EARLY_DAYS):
    """The 24 hours of a day of the calendar, the first of January unless told."""
    return hours.reshape(DAYS, 24)[day].tolist()


class Changes(unittest.TestCase):
    def lane(self, *measures, watts=None, aims=AS_THEY_ARE):
        lane = Lane()
        for each in measures:
            lane = with_measure(OF, lane, each, aims, watts)
        return lane

    def test_loads_are_left_off_in_their_own_months_and_the_measures(self):
        off = self.lane(Measure("leave_off", ("Radio", "Fridge"))).more_wh
        self.assertEqual(of_day(off), [-25.0] * 18 + [-85.0] * 4 + [-25.0] * 2)
        self.assertEqual(of_day(off, EARLY_DAYS + 40), [-25.0] * 24)  # in February there is no radio
        in_may = self.lane(Measure("leave_off", ("Fridge",), months=(5,))).more_wh
        self.assertAlmostEqual(in_may.sum(), -600.0 * 31)

    def test_movable_loads_move_into_the_sun_and_nothing_is_saved(self):
        moved = self.lane(Measure("shift", ("Fridge",))).more_wh
        # 600 Wh over the day are 25 an hour; from ten to three they are 120.
        self.assertEqual(of_day(moved), [-25.0] * 10 + [95.0] * 5 + [-25.0] * 9)

    def test_the_inverter_off_saves_its_idle(self):
        self.assertAlmostEqual(sum(of_day(self.lane(Measure("inverter", hours=6)).more_wh)), -18 * 18)
        self.assertEqual(sum(of_day(self.lane(Measure("inverter", hours=24)).more_wh)), 0)

    def test_driving_and_a_socket(self):
        lane = self.lane(Measure("drive", ("Ute",), hours=1.5, every=2, months=(1,)))
        self.assertEqual(of_day(lane.brought_w)[8:12], [0, 320, 160, 0])
        self.assertEqual(of_day(lane.brought_w, EARLY_DAYS + 1), [0] * 24)
        self.assertEqual(lane.brought_w.sum(), 480 * 16)  # every second day of January; the early days are in December
        both = self.lane(Measure("drive", ("Ute",), hours=1, every=1), Measure("mains", ("Post",), hours=6, every=7))
        self.assertEqual(both.brought_w.sum(), 320 * DAYS + 3000 * 57)
        self.assertEqual(of_day(self.lane(Measure("drive", ("Ute",), hours=1, every=1), watts=1000).brought_w)[9], 1000)

    def test_months_away_leave_a_part_of_the_use(self):
        share = self.lane(Measure("away", months=(7, 8))).use_share
        july = (calendar()[EARLY_DAYS + 190].month, of_day(share, EARLY_DAYS + 190)[0])
        self.assertEqual((july, of_day(share)[0]), ((7, 0.1), 1.0))

    def test_a_load_that_takes_less(self):
        lane = replacing(OF, Lane(), OF.loads[1], 360)  # 90 Wh a day on the AC side are 100 at the battery
        self.assertAlmostEqual(sum(of_day(lane.more_wh)), -100)
        self.assertEqual(of_day(lane.more_wh)[8], 0)

    def test_a_code_says_it_all(self):
        for of in (*usual_measures(OF), Measure("tilt", ("Roof",), degrees=60, months=(5, 6)),
                   Measure("leave_off", ("Fridge", "Radio"), below=0.4), Measure("away", months=(12, 1)),
                   Measure("inverter", hours=8)):
            self.assertEqual(from_code(of.code), of)
        self.assertEqual(Measure("drive", ("Ute",), hours=1, every=3).code, "drive:Ute hours=1 every=3")
        for wrong in ("drive:Ute", "fly:Ute", "generator:Set below=0.6 until=0.3", "tilt:Roof degrees=100",
                      "away: months=13", "drive:Ute hours=x every=1"):
            with self.assertRaises(ValueError, msg=wrong):
                from_code(wrong)
        self.assertFalse(fits(OF, Measure("drive", ("Truck",), hours=1, every=1)))
        self.assertFalse(fits(rig(inverter=None), Measure("inverter", hours=6)))

    def test_in_words(self):
        for code, words in (("drive:Ute hours=1 every=3", "an hour’s drive with Ute every three days"),
                            ("leave_off:Radio, Pump, Tap below=0.4", "doing without Radio, Pump and Tap below 40 %"),
                            ("tilt:Roof degrees=60 months=5-6-7", "Roof tilted to 60° from May to July"),
                            ("away: months=1-2-12", "nobody there, 10 % of the use left, from December to February"),
                            ("inverter: hours=8 months=1-6", "the inverter on for 8 h a day in January, June"),
                            ("mains:Post hours=6 every=7", "6 h at Post once a week")):
            self.assertEqual(told(from_code(code)), words)


class ByLevel(unittest.TestCase):
    def test_what_is_left_off_only_when_the_level_is_low(self):
        # 1200 Wh a day from 9600: at half after four days. From there 600 a day: 2880 Wh down to the floor last 4.8
        # days more, so the ninth day is the first below it, instead of the seventh.
        half = with_measure(OF, Lane(), Measure("leave_off", ("Fridge",), below=0.5), AS_THEY_ARE)
        counted = run(OF, years(0.0, 1200.0), [Lane(), half], early_days=0)
        self.assertEqual(counted.below[:, 0].tolist(), [DAYS - 6, DAYS - 8])
        # Half itself is not below half: the first hour saved is the one after it.
        self.assertAlmostEqual(counted.unserved_wh[0, 0] - counted.unserved_wh[1, 0], 600 * (DAYS - 4) - 25, delta=2)

    def test_options_keep_their_order_and_a_change_of_nothing_changes_nothing(self):
        lanes = [Lane(more_wh=np.zeros(24 * DAYS)), Lane(600.0), Lane(rule=(0.0, 0.1, 900.0)), Lane(), Lane(600.0, 1),
                 Lane(use_share=np.ones(24 * DAYS))]
        counted = run(OF, years(900.0, 1400.0), lanes)
        for name in ("below", "unserved_wh", "spilt_wh", "longest", "level"):
            values = getattr(counted, name)
            for same in (0, 2, 5):
                np.testing.assert_array_equal(values[same], values[3], name)
        self.assertLess(counted.unserved_wh[1, 0], counted.unserved_wh[3, 0])

    def test_the_levels_of_each_day_are_shown(self):
        seen = []
        run(OF, years(0.0, 960.0), [Lane(more_wh=np.zeros(24 * DAYS)), Lane(0.0, 1)], early_days=0,
            each_day=lambda levels: seen.append(levels[-1, :, 0].tolist()))
        # A tenth of the one bank a day, a twentieth of the doubled one.
        self.assertEqual([[round(level, 4) for level in of] for of in seen[:2]], [[0.9, 0.95], [0.8, 0.9]])


class Planes(unittest.TestCase):
    TWO = rig(arrays=(SolarArray("Roof", 300, 4, 30, 0), SolarArray("Wall", 200, 1, 80, 0)), inverter=None)

    def test_another_plane_gains_by_the_beam_alone(self):
        class Flat:
            def __init__(self, wh):
                self.arrays = [self]
                self.wh = wh

            def at(self, seconds):
                return seconds / 3600 * self.wh
        one = replace(self.TWO, arrays=self.TWO.arrays[:1])
        aims = Aims(own_plane_of(60, 0))
        share = np.array([[0.75], [0.3], [0.0]])
        # 1200 Wh from the roof under a clear sky are 1 of each W; the other plane has 1.5 of it. Clear: all of that;
        # 0.3 of clear sky are two fifths of a bright one, and so is the gain.
        rows = under_shares(one, share, 0.0, Flat(1200.0), aims, Flat(1.5))
        np.testing.assert_allclose(rows[:, :, 0], [[900, 360, 0], [1.125, 0.3 * 1.2, 0]], rtol=1e-6)
        suns = arranged(one, rows, aims, calendar()[:1])
        self.assertEqual((suns.added_to, suns.sun.shape[0]), ((None,), 2))
        np.testing.assert_allclose(suns.sun[1, :, 0], [1.125, 0.36, 0], rtol=1e-6)

    def test_an_array_is_tilted_in_its_months_alone(self):
        aims = Aims(Spot(1), None, ((1, 20.0, (1,)),))
        self.assertEqual([array.tilt_deg for array in aims.others(self.TWO)], [20.0])
        days = calendar()[EARLY_DAYS - 1:EARLY_DAYS + 1]  # the last of December and the first of January
        per_w = under_files(self.TWO, 0.5, days, aims)
        self.assertEqual(per_w[:, 0].tolist(), [0.6, 0.1, 0.1])
        rows = np.ones((3, 48, 1)) * np.array([6.0, 2.0, 4.0])[:, None, None]
        suns = arranged(self.TWO, rows, aims, days)
        self.assertEqual(suns.sun[:, 47, 0].tolist(), [6.0, 2.0, np.float32(0.01)])
        (tilted,) = suns.others
        self.assertEqual((tilted[1, 0, 0], tilted[1, 47, 0], tilted[2, 47, 0]), (2.0, 4.0, np.float32(0.02)))

    def test_the_controller_of_the_array_that_is_added_to_and_none_on_a_plane_of_their_own(self):
        of = replace(OF, arrays=(replace(OF.arrays[0], controller_limit_w=200.0),))
        own = replace(years(1500.0, 1400.0), added_to=(None,))
        held, free = (run(of, each, [Lane(), Lane(2000.0), Lane(2000.0, controller_w=5000.0)]).unserved_wh[:, 0]
                      for each in (years(1500.0, 1400.0), own))
        self.assertEqual(held[0], held[1])  # the first array's controller passes 6 × 200 Wh, whatever is added
        self.assertEqual((free[0], held[2] == 0, free[1] == 0), (held[0], True, True))
        station = replace(of, bank=replace(of.bank, solar_input_w=200.0))
        self.assertEqual(run(station, own, [Lane(2000.0)]).unserved_wh[0, 0], held[0])

    def test_two_spots_each_through_their_own_controller(self):
        sun = np.array([100.0, 300.0, 0.5, 0.25], np.float32)[:, None, None]  # roof, wall, and one W more at each spot
        of = replace(self.TWO, arrays=tuple(replace(array, controller_limit_w=watts) for array, watts in zip(
            self.TWO.arrays, (250.0, 350.0), strict=True)))
        added = np.array([[0, 0], [200, 0], [400, 100], [0, 400]], np.float32)
        for added_to, passes in (((0, 1), [400, 500, 575, 450]), ((None, 1), [400, 500, 625, 450]),
                                 ((0, None), [400, 500, 575, 500]), ((1, 1), [400, 450, 450, 450])):
            made = through_controllers(of, sun, added_to, added)
            self.assertEqual((made.shape, made[0, :, 0].tolist()), ((1, 4, 1), passes), added_to)
        self.assertEqual(sun.ravel().tolist(), [100, 300, 0.5, 0.25])
        # Another controller is the first spot's: the wall's passes 350 Wh as before.
        self.assertEqual(through_controllers(of, sun, (0, 1), added, 1000.0)[0, :, 0].tolist(), [400, 500, 625, 450])

    def test_each_spot_has_the_sun_of_its_plane(self):
        aims = Aims(own_plane_of(60, 0), Spot(1), ((1, 20.0, (1,)),))
        self.assertEqual([array.tilt_deg for array in aims.others(self.TWO)], [60.0, 20.0])
        rows = np.array([6.0, 2.0, 0.75, 4.0])[:, None, None] * np.ones((4, 24, 1))
        suns = arranged(self.TWO, rows, aims, calendar()[EARLY_DAYS:EARLY_DAYS + 1])
        watts = self.TWO.arrays[1].rated_w
        self.assertEqual((suns.added_to, suns.sun[:, 0, 0].tolist()), ((None, 1), [6, 2, 0.75, np.float32(2 / watts)]))
        (tilted,) = suns.others
        self.assertEqual(tilted[:, 0, 0].tolist(), [6, 4, 0.75, np.float32(4 / watts)])

    def test_an_offer_brings_what_it_needs(self):
        tilt, bus = Measure("tilt", ("Roof",), degrees=60, months=(6,)), Measure("drive", ("Bus",), hours=1, every=1)
        offer = offer_of(OF, [tilt, bus], [Measure("inverter", hours=12)], panels=1, strings=0)
        self.assertEqual((len(offer.measures), offer.aims.tilted), (1, ((0, 60, (6,)),)))
        bare, more, tilted = all_choices(OF, offer)
        # What is done in any case is done in each of them.
        self.assertEqual([round(of.lane.more_wh.sum() / DAYS) for of in (bare, more, tilted)], [-18 * 12] * 3)
        self.assertEqual((more.lane.added_w, tilted.lane.sun, tilted.price), (300, 0, 0.0))
        self.assertEqual(len(all_choices(OF, Offer(2, 1))), 6)


if __name__ == "__main__":
    unittest.main()
