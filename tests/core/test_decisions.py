"""What the core decides, each with a number that a person can check on paper.

The rig: 9600 Wh (24 V × 400 Ah), η 0.95, standby 2 W (48 Wh a day), floors 20 and 10 %; the log: 1200 Wh used a day,
all day alike, so 52 Wh an hour leave the bank with standby.
"""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.support import readings, rig, sun_of, table
from voltaun.core.instants import clock_before, zone
from voltaun.core.learned.account import Learned, reckon
from voltaun.core.learned.capacity_fit import Estimate, Held
from voltaun.core.learned.patterns import learned_trust
from voltaun.core.learned.share import ShareLearned
from voltaun.core.learned.use import UseLearned
from voltaun.core.log.days import Day, by_day, sky_days
from voltaun.core.log.ledger import intervals
from voltaun.core.log.reading import Reading
from voltaun.core.log.samples import beyond_belief, from_rows
from voltaun.core.outlook import backtest
from voltaun.core.outlook import outlook as outlooks
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.autonomy import dark_autonomy, dark_days, drain
from voltaun.core.outlook.beliefs import bank_energy
from voltaun.core.outlook.outlook import outlook
from voltaun.core.outlook.plans import Plan, planned_watts, use_changes
from voltaun.core.outlook.simulate import simulate
from voltaun.core.outlook.standing import recent_temperature
from voltaun.core.rig.bank import acceptance, effective_energy, usable_energy
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.inverter import ac_energy, dc_energy, idle_energy
from voltaun.core.rig.loads import Gap, Listed, daily_use, gap, listed
from voltaun.core.rig.parts import Bank, Engine, Generator, Inverter, Load, Mains, Stay
from voltaun.core.sky.clear_sky import monthly_clear_sky, planes
from voltaun.core.sky.model import SkyDay
from voltaun.core.stats import quantiles, t95, t975

HOBART = zone("Australia/Hobart")
MIDNIGHT = datetime(2026, 11, 24, 13, 0, tzinfo=UTC)  # of 25 November in Hobart
PLAIN = rig(arrays=(), inverter=Inverter(18, 0.91))
USE = UseLearned(np.full(60, 1200.0), 1200.0, 0.0)
SHARE = ShareLearned(np.array([0.5]), np.array([1.0]), 60, 0)


def looked(level, of=PLAIN, days=0, per_day=(1200.0,), learned=None, lean=None, **given):
    """The outlook from a level at midnight, after sixty days of these uses in turn; unless `learned` says otherwise
    with a bank that is known to hold 9600 Wh and nothing drawing unseen."""
    log = [Reading(MIDNIGHT - timedelta(days=60 - n), soc=level, use_wh=per_day[n % len(per_day)],
                   solar_wh=None if of.arrays else None) for n in range(61)]
    told = known(of, log, None, MIDNIGHT)
    told = replace(told, learned=replace(told.learned, **({"held": _held(0.0, 0.0, 0.0)} | (learned or {}))),
                   lean=lean or told.lean)
    return outlook(Ask(of, told, None, MIDNIGHT, days, futures=2000, **given))


class Ahead(unittest.TestCase):
    def test_a_day_takes_what_leaves_in_a_day(self):
        seen = looked(0.60)
        # 24 h × 52 Wh = 1248 of 9600 Wh are 13 points; dawn is the level at eight, dusk that at nine in the evening.
        self.assertAlmostEqual(seen.fan[-1, 2], 0.60 - 0.13, delta=0.0015)
        self.assertAlmostEqual(seen.today.dawn_soc.p50, 0.60 - 8 * 52 / 9600, delta=0.001)
        self.assertAlmostEqual(seen.today.dusk_soc.p50, 0.60 - 21 * 52 / 9600, delta=0.0015)

    def test_each_floor_has_its_own_chance(self):
        # 31 % less 13 points are 18 %: below the everyday floor, far above the hard one.
        seen = looked(0.31)
        for chances in (seen, seen.today):
            self.assertGreater(chances.chance_below_everyday_floor, 0.99)
            self.assertLess(chances.chance_below_hard_floor, 0.01)  # sixty days alike do not rule out a day of twice it
        self.assertGreater(looked(0.21).chance_below_hard_floor, 0.99)

    def test_nobody_knows_just_when_it_is_used(self):
        # From midnight to eight a lean of one to some time of the day moves (1.5² + 0.866²)^½ / 2π = 0.276 of the use;
        # 0.18 of that is 60 of 1200 Wh, 0.62 points. With 0.58 points of the level: 0.85, × 2.56 for the band.
        dawn = looked(0.60).today.dawn_soc
        self.assertTrue(0.019 < dawn.p90 - dawn.p10 < 0.026, dawn)

    def test_a_word_given_and_not_come_true_six_times_is_trusted_half_as_far(self):
        days = [SkyDay(date(2026, 11, n), 0.7, False, "clear") for n in range(1, 7)]
        trust = learned_trust([(day.day, 1, "storm") for day in days], days, lambda ahead: 0.9)
        self.assertEqual((trust(1), trust(3)), (0.45, 0.45))
        self.assertEqual(trust(3.5), 0.9)  # words given so much earlier tell nothing of it

    def test_a_level_that_moves_without_the_energy_tells_nothing_of_the_bank(self):
        rng = np.random.default_rng(3)
        log = readings(*({"soc": round(0.5 + 0.2 * rng.random(), 2), "solar_wh": 0.0, "use_wh": 0.0}
                         for _ in range(60)))
        self.assertIsNone(reckon(PLAIN, log, None).learned.effective_energy_wh)

    def test_the_level_is_held_against_the_reading_three_days_on(self):
        log = readings(*({"soc": 0.9, "use_wh": 300.0} for _ in range(80)))
        past = backtest.backtest(PLAIN, log, None, (1,), futures=20)
        self.assertEqual({each.at - each.as_of for each in past.levels}, {timedelta(days=3)})

    def test_habits_of_use_are_those_of_the_last_120_days(self):
        # 3000 Wh a day long ago, then sixty times 2000 and 1000 in turn: 1500 on the mean of those 120.
        uses = [3000.0] * 80 + [2000.0, 1000.0] * 60
        log = readings({"soc": 0.9}, *({"use_wh": wh} for wh in uses))
        told = known(PLAIN, log, None, log[-1].at)
        self.assertAlmostEqual(told.learned.use.mean, 1500, delta=10)

    def test_a_level_from_volts_is_doubted_by_eight_points_and_one_from_a_display_by_half(self):
        # Eight in ten of a normal spread of 8 points lie within 1.28 × 8 = 10.25 either way, at the first instant. Half
        # a point and the rounding to a whole one, 1 / √12, make √(0.5² + 0.289²) = 0.577; a shunt drifts 2 more.
        for of, half in ((rig(arrays=(), bank=Bank("agm", 12, 400, 2, 1), soc_from="volts"), 0.1025),
                         (rig(arrays=(), soc_from="display"), 0.0074), (rig(arrays=(), soc_from="shunt"), 0.0267)):
            fan = looked(0.70, of=of).fan[0]
            self.assertAlmostEqual((fan[4] - fan[0]) / 2, half, delta=0.06 * half)

    def test_the_days_own_sun_ends_at_its_last_step(self):
        harvest = np.zeros((24, 3))
        harvest[6:18] = 5.0
        self.assertEqual(outlooks.dawn_and_dusk(harvest, np.arange(24)), (6, 17))

    def test_the_cold_is_that_of_the_last_three_days(self):
        now = MIDNIGHT
        noted = [Reading(now - timedelta(days=4), temp_c=25.0), Reading(now - timedelta(days=2), temp_c=4.0),
                 Reading(now, temp_c=-4.0)]
        self.assertEqual(recent_temperature(noted, now), 0.0)
        self.assertIsNone(recent_temperature(noted[:1], now))
        # Lithium at 0 °C gives nine tenths, at −20 three quarters.
        self.assertEqual([bank_energy(PLAIN, None, temp).mean for temp in (None, 0.0, -20.0)], [9600.0, 8640.0, 7200.0])

    def test_a_hidden_draw_leaves_once(self):
        seen = looked(0.60, learned={"held": _held(10.0, 9.5, 10.5)})
        # 10 W are 240 Wh a day: with 1248 they are 15.5 points.
        self.assertAlmostEqual(seen.fan[-1, 2], 0.60 - 0.155, delta=0.0015)
        self.assertEqual(seen.present.drain.wh, 1200 + 48 + 240)

    def test_an_unclear_draw_is_not_booked(self):
        learned = Learned(USE, SHARE, _held(10.0, -1.0, 21.0))
        self.assertEqual(learned.steady_draw_w, 0.0)
        self.assertEqual(drain(PLAIN, learned, 11).hidden_wh, 0.0)
        clear = Learned(replace(USE, read_share=0.5), SHARE, _held(10.0, 1.0, 21.0))
        self.assertEqual(drain(PLAIN, clear, 11).hidden_wh, 120.0)  # half of the use was reckoned, and holds it already


def _held(estimate, low, high):
    return Held(Estimate(9600.0, 9600.0, 9600.0), Estimate(estimate, low, high), legs=30, days=60.0, wander=1.0)


class Planned(unittest.TestCase):
    SOURCES = replace(PLAIN, vehicles=(Engine("Ute", 320),), generators=(Generator("Set", 900, 0.7),),
                      mains=(Mains("Socket", 500),))
    TOMORROW = date(2026, 11, 26)

    def dusk(self, *plans, **given):
        return looked(0.70, of=self.SOURCES, days=1, plans=plans, **given).days[0].dusk_soc.p50

    def plan(self, kind, amount=1.0, name=""):
        return Plan(kind, self.TOMORROW, self.TOMORROW, amount, name)

    def test_each_source_lifts_the_level_by_what_it_puts_in(self):
        plain = self.dusk()
        # In an hour 52 Wh go straight to what runs, the rest into the bank at 0.95; driving at nine, the set at five.
        for kind, watts in (("drive", 320), ("generator", 900), ("mains", 500)):
            expected = (52 + (watts - 52) * 0.95) / 9600
            self.assertAlmostEqual(self.dusk(self.plan(kind)) - plain, expected, delta=0.0003, msg=kind)
            self.assertAlmostEqual(self.dusk(self.plan(kind, 2.0)) - plain, 2 * expected, delta=0.0005, msg=kind)

    def test_an_added_load_takes_its_watt_hours_and_guests_their_factor(self):
        plain = looked(0.70, days=1)
        more = looked(0.70, days=1, plans=(self.plan("add", 480.0),))
        self.assertAlmostEqual(plain.fan[-1, 2] - more.fan[-1, 2], 480 / 9600, delta=1e-4)
        guests = looked(0.70, days=1, plans=(self.plan("guests", 1.5),))
        self.assertAlmostEqual(plain.fan[-1, 2] - guests.fan[-1, 2], 600 / 9600, delta=0.0007)

    def test_planned_hours_run_on_past_midnight(self):
        # Ten hours from five in the evening: seven of them that day, three the next.
        days = [self.TOMORROW, self.TOMORROW + timedelta(days=1)]
        watts = planned_watts(self.SOURCES, (self.plan("generator", 10.0),), days)
        self.assertEqual((watts[0, 16], watts[0, 17:].tolist(), watts[1, :4].tolist()),
                         (0.0, [900.0] * 7, [900.0] * 3 + [0.0]))
        early = planned_watts(self.SOURCES, (replace(self.plan("drive"), begin=6.5),), days)
        self.assertEqual(early[0, 5:8].tolist(), [0.0, 160.0, 160.0])
        half = planned_watts(self.SOURCES, (self.plan("drive", 1.5),), [self.TOMORROW])[0]
        self.assertEqual((half[8], half[9], half[10], half[11]), (0.0, 320.0, 160.0, 0.0))
        for amount in (-1.0, 25.0):
            with self.assertRaises(ValueError):
                self.plan("drive", amount)

    def test_what_is_added_is_on_between_its_hours(self):
        days = [self.TOMORROW, self.TOMORROW + timedelta(days=1)]
        flat = np.full(24, 1 / 24)
        evening = Plan("add", days[0], days[0], 500.0, "Heater", 18.0, 23.0)
        _, more = use_changes(PLAIN, [evening], days, flat)
        self.assertEqual((more[0, 17:].tolist(), more[1].sum()), ([0.0] + [100.0] * 5 + [0.0], 0.0))
        _, more = use_changes(PLAIN, [replace(evening, begin=22.0, end=3.0)], days, flat)
        self.assertEqual((more[0, 21:].tolist(), more[1, :4].tolist()), ([0.0, 100.0, 100.0], [100.0] * 3 + [0.0]))
        for odd in ({"begin": 24.0}, {"end": 18.0}, {"begin": None}, {"begin": 20.0, "end": 20.0}):
            with self.assertRaises(ValueError, msg=odd):
                replace(evening, **odd)
        with self.assertRaises(ValueError):
            Plan("away", days[0], days[0], begin=9.0)

    def test_plans_count_from_now_and_never_backwards(self):
        # Read at midnight, asked at noon: what was planned for nine, and the guests' morning, are for the log to say.
        noon, log = MIDNIGHT + timedelta(hours=12), [Reading(MIDNIGHT - timedelta(days=60 - n), soc=0.6, use_wh=1200.0)
                                                     for n in range(61)]
        told = known(self.SOURCES, log, None, noon)
        told = replace(told, learned=replace(told.learned, held=_held(0.0, 0.0, 0.0)))
        day = date(2026, 11, 25)

        def at(*plans):
            return outlook(Ask(self.SOURCES, told, None, noon, 0, futures=500, plans=plans))
        plain, ended = at(), at().fan[-1, 2]
        drive, both = Plan("drive", day, day, 2.0), Plan("generator", day, day, 2.0, begin=11.0)
        self.assertAlmostEqual(at(drive).fan[-1, 2], ended, places=6)
        # The generator's second hour is still ahead: 50 of its 900 Wh go to the use, with standby 52.
        self.assertAlmostEqual(at(both).fan[-1, 2] - ended, (52 + 848 * 0.95) / 9600, delta=0.0004)
        self.assertAlmostEqual(at(both).generator_hours.p50, 1.0)
        guests = at(Plan("guests", day, day, 2.0))
        self.assertAlmostEqual(ended - guests.fan[-1, 2], 600 / 9600, delta=0.0025)  # half a day's use again
        self.assertEqual([each.present.soc for each in (at(drive, both), guests)], [plain.present.soc] * 2)

    def test_a_load_is_left_off_only_in_its_months(self):
        of = replace(PLAIN, loads=(Load("Extractor", 240, "dc", months=(1, 2)), Load("Fridge", 480, "dc")))
        days = [date(2026, 11, 26), date(2027, 1, 5)]
        plans = [Plan("leave_off", days[0], days[1], None, "Extractor")]
        _, more = use_changes(of, plans, days, np.full((2, 24), 1 / 24))
        np.testing.assert_allclose(more.sum(axis=1), [0.0, -240.0])
        self.assertEqual((daily_use(of, 11), daily_use(of, 1), daily_use(of)), (480.0, 720.0, 720.0))


class Steps(unittest.TestCase):
    def step(self, level, harvest, load, energy=9600.0, of=PLAIN, **given):
        made = simulate(of, energy, level, np.array([[harvest]]), np.array([[load]]), np.array([1.0]), **given)
        return made.level[1, 0], made.taken[0, 0], made.spilt[0, 0], made.missing[0, 0]

    def test_a_full_bank_takes_what_its_room_needs(self):
        # 5 Wh of room of 1000 Wh take 5 / 0.95 Wh; 98 Wh were over after standby.
        level, taken, spilt, _ = self.step(0.995, 100.0, 0.0, energy=1000.0)
        self.assertAlmostEqual(level, 1.0)
        self.assertAlmostEqual(taken, 5 / 0.95)
        self.assertAlmostEqual(spilt, 98 - 5 / 0.95)

    def test_above_the_taper_it_takes_less(self):
        # Half-way from 95 to 100 % the limit of 4800 W is down to 0.51 of it.
        self.assertAlmostEqual(self.step(0.975, 9000.0, 0.0, energy=1e6)[1], 0.51 * 4800)
        self.assertEqual([round(float(watts)) for watts in acceptance(PLAIN, np.array([0.5, 0.95, 0.975, 1.0]))],
                         [4800, 4800, 2448, 96])

    def test_nothing_goes_below_the_hard_floor_and_cold_lithium_takes_nothing(self):
        level, _, _, missing = self.step(0.105, 0.0, 100.0)
        self.assertAlmostEqual(level, 0.10)
        self.assertAlmostEqual(missing, 102 - 48)
        self.assertEqual(self.step(0.5, 500.0, 0.0, temp_c=-1.0)[:2], (0.5, 0.0))


class Figures(unittest.TestCase):
    def test_dark_autonomy_and_its_range(self):
        self.assertAlmostEqual(dark_autonomy(9600, 0.74, 0.2, 2640), 1.9636, places=4)
        self.assertEqual((dark_autonomy(9600, 0.1, 0.2, 2640), dark_autonomy(9600, 0.5, 0.2, 0)), (0.0, float("inf")))
        # 100 Wh an hour for a day: 250 Wh last two and a half hours, 4800 Wh twice the day, and nothing lasts no time.
        lasts = dark_days(np.array([250.0, 4800.0, 0.0, -5.0]), np.cumsum(np.full((24, 4), 100.0), axis=0), np.ones(24))
        np.testing.assert_allclose(lasts, [2.5 / 24, 2.0, 0.0, 0.0])
        # What is used in the evening only: 300 Wh are gone after an hour and a half of it, at half past seven.
        evening = np.zeros((24, 1))
        evening[18:22] = 200.0
        np.testing.assert_allclose(dark_days(np.array([300.0]), np.cumsum(evening, axis=0), np.ones(24)), [19.5 / 24])
        self.assertEqual(dark_days(np.array([300.0]), np.zeros((24, 1)), np.ones(24)).tolist(), [float("inf")])

    def test_the_range_of_dark_autonomy_is_that_of_level_energy_and_use(self):
        # 40 points of 9600 Wh at 1248 Wh a day last 3.08 days; the energy alone, known to 10 %, makes that 2.69 to 3.47
        # eight times in ten, and sixty days alike do not rule out others.
        unsure = {"held": None}
        seen = looked(0.60, days=5, learned=unsure)
        lasts = seen.present.days["everyday_floor"]
        low, high = lasts.p10, lasts.p90
        self.assertAlmostEqual(lasts.p50, 3.08, delta=0.1)
        self.assertTrue(2.4 < low < 2.69 and 3.3 < high < 3.6, (low, high))
        tested = looked(0.60, days=5, learned=unsure, of=rig(arrays=(), inverter=Inverter(18, 0.91), bank=replace(
            PLAIN.bank, tested_energy_wh=9600.0))).present.days["everyday_floor"]
        self.assertLess(tested.p90 - tested.p10, 0.6 * (high - low))

    def test_few_days_are_drawn_to_a_quarter_of_the_mean(self):
        # Five days with a spread of 100 beside three of 300 (a quarter of 1200): √((5 × 100² + 3 × 300²) / 8) = 200.
        use = UseLearned(np.full(5, 1200.0), 1200.0, 100.0)
        self.assertAlmostEqual(drain(PLAIN, Learned(use, SHARE), 11).sd_wh, 200.0)

    def test_what_is_usable_is_never_less_than_nothing_nor_more_than_printed(self):
        self.assertEqual((usable_energy(PLAIN, 0.5, 0.3), usable_energy(PLAIN, 0.2, 0.5)), (0.0, 2880.0))
        station = replace(PLAIN, bank=Bank(rated_energy_wh=1000), inverter=Inverter(8, 0.80))
        self.assertEqual(effective_energy(station).wh, 1000.0)  # 0.85 / 0.80 would be more than is printed
        self.assertAlmostEqual(effective_energy(replace(station, inverter=Inverter(8, 0.90))).wh, 944.444, places=3)

    def test_an_inverter_takes_its_idle_for_the_hours_it_is_on(self):
        part = Inverter(12.0, 0.9, hours_on_per_day=8.0)
        self.assertEqual((idle_energy(part, 24), idle_energy(part, 12)), (96.0, 48.0))
        self.assertAlmostEqual(dc_energy(part, 900, 24), 1096.0)
        self.assertAlmostEqual(ac_energy(part, 1096.0, 24), 900.0)
        of = replace(PLAIN, inverter=part, loads=(Load("Freezer", 900, "ac"),))
        self.assertAlmostEqual(daily_use(of), 1096.0)
        self.assertAlmostEqual(listed(of).lines[-1].wh, 96.0)

    def test_the_gap_is_as_sure_as_the_days_behind_it(self):
        of = listed(replace(PLAIN, loads=(Load("Fridge", 500, "dc", evidence="metered"),)))
        found = gap(of, 800.0, 300.0, 9)
        self.assertEqual(found.wh, 300.0)
        self.assertAlmostEqual(found.sd_wh, (50 ** 2 + 100 ** 2) ** 0.5)  # a tenth of 500; 300 / √9
        self.assertTrue(found.clear)
        self.assertFalse(Gap(143.0, 111.8).clear)  # 1.28 × 111.8 = 143.1
        self.assertEqual(Listed([]).wh, 0)


class Booked(unittest.TestCase):
    def one(self, of, **figures):
        return intervals(of, readings({"soc": 0.5}, figures), None)[0]

    def test_a_source_left_blank_is_booked_only_beyond_what_rounding_makes(self):
        of = replace(PLAIN, generators=(Generator("Set", 900),))
        # 1000 Wh used: up to 2 % of 9600 and 5 % of 1000, 242 Wh, are nothing.
        for came, booked in ((230.0, False), (260.0, True)):
            change = -1000 - 48 + came  # all of it runs straight into what is used
            interval = self.one(of, soc=0.5 + change / 9600, use_wh=1000.0)
            self.assertEqual(interval.harvest["generator"] > 0, booked, came)

    def test_sun_beyond_a_clear_sky_is_doubtful(self):
        of = rig()
        sun = sun_of(of)
        pair = readings({"soc": 0.5}, {"soc": 0.6})
        clear = sun.between(pair[0].at, pair[1].at)
        for share, marks in ((1.25, ()), (1.35, ("doubtful",)), (1.5, ("doubtful",))):
            after = replace(pair[1], solar_wh=share * clear + 0.02 * 9600)
            self.assertEqual(intervals(of, [pair[0], after], sun)[0].marks, marks, share)

    def test_a_level_that_is_reckoned_stays_between_empty_and_full(self):
        self.assertEqual(self.one(PLAIN, use_wh=9000.0).soc_end, 0.0)
        self.assertAlmostEqual(self.one(PLAIN, use_wh=1000.0).soc_end, 0.5 - 1048 / 9600)

    def test_full_at_the_readings_own_time_caps_it_not(self):
        of = rig()
        sun = sun_of(of)
        noon = datetime(2026, 11, 2, 2, 0, tzinfo=UTC)
        before = Reading(noon - timedelta(hours=18), soc=0.5)
        for full_at, capped in ((noon - timedelta(hours=3), True), (noon, False), (before.at, False)):
            after = Reading(noon, soc=0.9, solar_wh=1500.0, full_at=full_at)
            self.assertEqual(intervals(of, [before, after], sun)[0].capped, capped, full_at)

    def test_full_with_a_tenth_of_the_sun_still_to_come_is_capped(self):
        of = rig()
        sun = sun_of(of)
        midnight = datetime(2026, 11, 1, 13, tzinfo=UTC)
        whole = sun.between(midnight, midnight + timedelta(hours=22))
        for left, capped in ((0.1, True), (0.01, False)):
            full_at = next(at for at in (midnight + timedelta(minutes=n) for n in range(22 * 60))
                           if sun.between(at, midnight + timedelta(hours=22)) <= left * whole)
            after = Reading(midnight + timedelta(hours=22), soc=0.9, solar_wh=5000.0, full_at=full_at)
            self.assertEqual(intervals(of, [Reading(midnight, soc=0.5), after], sun)[0].capped, capped, left)

    def test_a_level_that_rises_without_any_harvest_is_doubtful_from_a_twentieth_of_the_bank_on(self):
        # Of 9600 Wh three points are 288, ten 960; with nothing harvested that would be a use of less than nothing.
        for rise, marks, use in ((0.03, (), 0.0), (0.10, ("doubtful",), None)):
            log = readings({"soc": 0.5}, {"soc": 0.5 + rise, "solar_wh": 0.0})
            made, = intervals(rig(arrays=()), log, None)
            self.assertEqual((made.marks, made.use_wh), (marks, use))

    def test_a_capped_interval_caps_the_day_that_held_its_sun(self):
        of = rig()
        sun = sun_of(of)
        evening = datetime(2026, 11, 1, 9, 0, tzinfo=UTC)
        log = [Reading(evening, soc=0.6), Reading(evening + timedelta(hours=23), soc=1.0, solar_wh=5200.0)]
        made = intervals(of, log, sun)
        days = by_day(of, made, sun)
        self.assertEqual({day.isoformat(): of_day.capped for day, of_day in days.items()},
                         {"2026-11-01": False, "2026-11-02": True})
        self.assertEqual([day.capped for day in sky_days(of, made, sun)], [True])
        # From noon to noon each of two days holds about half of it, and both are capped.
        noon = datetime(2026, 11, 1, 2, 0, tzinfo=UTC)
        log = [Reading(noon, soc=0.6), Reading(noon + timedelta(hours=24), soc=1.0, solar_wh=5200.0),
               Reading(noon + timedelta(hours=48), soc=0.9, solar_wh=3000.0)]
        made = intervals(of, log, sun)
        self.assertEqual([of_day.capped for of_day in by_day(of, made, sun).values()], [True, True, True])
        # Full at eleven, no longer at noon: of the day's sun the morning's half is capped, which is over a fifth.
        log = [Reading(evening, soc=0.6), Reading(noon + timedelta(hours=24), soc=0.97, solar_wh=4200.0,
                                                  full_at=noon + timedelta(hours=23)),
               Reading(evening + timedelta(hours=24), soc=0.9, solar_wh=2500.0)]
        made = intervals(of, log, sun)
        self.assertEqual([interval.capped for interval in made], [True, False])
        self.assertEqual([day.capped for day in sky_days(of, made, sun)], [True])


class Others(unittest.TestCase):
    def test_a_rig_that_moves_is_reckoned_where_it_stands_last(self):
        of = rig(places=(Stay(date(2026, 10, 1), "Far south", -60.0, 147.0),))
        here = rig()
        first = monthly_clear_sky(here, [table(plane) for plane in planes(here)])
        last = monthly_clear_sky(of, [table(plane) for plane in planes(of)])
        self.assertLess(last[5], 0.6 * first[5])  # June at 60° south has far less sun than at 42°

    def test_a_monitor_ahead_of_the_clock_is_not_believed(self):
        now = datetime(2026, 11, 24, 20, 0, tzinfo=UTC)
        for minutes, believed in ((9, True), (11, False)):
            at = int(now.timestamp()) + 60 * minutes
            sample = from_rows([(at, None, None, 5.0, None, None, None)])
            self.assertEqual(beyond_belief(PLAIN, sample, now) is None, believed, minutes)

    def test_full_at_the_readings_own_minute_is_that_minute(self):
        at = datetime(2026, 11, 2, 8, 0, tzinfo=UTC)  # 19:00 in Hobart
        self.assertEqual(clock_before("19:00", at, HOBART), at)
        self.assertEqual(clock_before("19:01", at, HOBART), at - timedelta(hours=23, minutes=59))

    def test_the_yardstick_is_of_the_last_seven_days_whose_sun_is_over(self):
        today = date(2026, 11, 20)
        came = {today - timedelta(days=n): Day(today - timedelta(days=n), 24.0, {"solar": 100.0 * n}) for n in range(9)}
        self.assertEqual(backtest._last_seven(came, today, over=False)[0], 400.0)  # 100 to 700
        self.assertEqual(backtest._last_seven(came, today, over=True)[0], 300.0)   # 0 to 600

    def test_students_t_is_the_tables(self):
        for freedom, nine, nineteen in ((1, 6.314, 12.706), (2, 2.920, 4.303), (3, 2.353, 3.182), (5, 2.015, 2.571),
                                        (30, 1.697, 2.042), (1000, 1.646, 1.962)):
            self.assertAlmostEqual(t95(freedom), nine, places=3)
            self.assertAlmostEqual(t975(freedom), nineteen, places=3)

    def test_quantiles_are_numpys_own(self):
        rng = np.random.default_rng(4)
        for shape in ((1,), (2,), (7,), (200,), (5, 31)):
            values = rng.random(shape)
            np.testing.assert_allclose(quantiles(values, (0.0, 0.1, 0.5, 0.93, 1.0)),
                                       np.quantile(values, (0.0, 0.1, 0.5, 0.93, 1.0), axis=-1).T, err_msg=str(shape))

    def test_names_have_an_end(self):
        for name in ("", " ", "x" * 81, "\ud800"):
            with self.assertRaises(RigFaults):
                rig(name=name)


if __name__ == "__main__":
    unittest.main()
