"""What to add: years, the run, choices and the answer. The vectors of recorded years are a second hand's."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from functools import cache
from pathlib import Path
from unittest import mock

import numpy as np
import pvlib

from tests.core.outlook.test_outlook import log_of
from tests.support import HOBART, readings, rig, sun_of
from voltaun.core.learned.use import cut_short, day_legs, days_of
from voltaun.core.log.days import Day
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import known
from voltaun.core.rig.parts import Bank, Engine, Generator, Load, Mains, Place, SolarArray
from voltaun.core.series import Seen
from voltaun.core.sizing import again
from voltaun.core.sizing.again import log_again, with_bridged
from voltaun.core.sizing.calendar import DAYS, EARLY_DAYS
from voltaun.core.sizing.choices import (
    Choice,
    Limits,
    Offer,
    Product,
    all_choices,
    offer_of,
)
from voltaun.core.sizing.frontier import answer, unbeaten
from voltaun.core.sizing.lanes import Lane
from voltaun.core.sizing.run import run
from voltaun.core.sizing.simulation import AdditionsAsk, simulate_additions, system_share
from voltaun.core.sizing.suns import AS_THEY_ARE
from voltaun.core.sizing.worksheet import Inputs, options, peak_sun, worksheet
from voltaun.core.sizing.years import (
    STRETCH_DAYS,
    Years,
    from_files,
    from_log,
    lay_stretches,
    month_shares,
    season_of,
)
from voltaun.core.sky.model import SkyDay
from voltaun.core.sky.weather import distance_km, on_plane
from voltaun.formats.weather_file import read_weather
from voltaun.words.additions import unsure
from voltaun.words.sentences import no_sun

DATA = Path(pvlib.__path__[0]) / "data"
GREENSBORO = rig(
    place=Place(36.1, -79.95, "America/New_York", 273), inverter=None,
    bank=Bank("lfp", 12.8, 200, 2, 1, charge_efficiency=0.95, standby_w=2.0),
    arrays=(SolarArray("Roof", 400, 4, 36, 180),), loads=(Load("Everything", 3600, "dc"),))
NONE_YET = datetime(2026, 1, 1, tzinfo=UTC)


@cache
def weather(name):
    return read_weather((DATA / name).read_bytes())


def ask(of, log=(), **given):
    sun = sun_of(of)
    offer = {name: given.pop(name) for name in (*Offer.__dataclass_fields__,) if name in given}
    return AdditionsAsk(of, known(of, log, sun, log[-1].at if log else NONE_YET), sun, offer=offer_of(of, **offer),
                        **({"years": 6} | given))


def without_buying(of):
    """What the rig could do, as options."""
    return all_choices(of, offer_of(of, panels=0, strings=0))[1:]


def field_of(of, panels, strings, products, limits):
    """The field alone."""
    return all_choices(of, Offer(panels, strings, tuple(products), limits))


def plain_loop(sun, load_w, energy, limit_w, days):
    """The same in a plain loop that shares nothing with the core: one lap for the level, then counted."""
    level = 1.0
    for _ in range(2):
        below, short, spilt, missing = set(), set(), 0.0, 0.0
        for hour, came in enumerate(sun):
            net = came - load_w - 2.0
            if net > 0:
                takes = limit_w * min(1.0, 1 - 0.98 * max(0.0, level - 0.95) / 0.05)
                taken = min(net, takes, (1 - level) * energy / 0.95)
                spilt += net - taken
                level += taken * 0.95 / energy
            else:
                given = min(-net, max(0.0, level - 0.1) * energy)
                level -= given / energy
                unserved = min(-net - given, load_w)
                missing += unserved
                if unserved > 0.01:
                    short.add(days[hour // 24])
            if level < 0.2 - 1e-5:
                below.add(days[hour // 24])
    return len(below), len(short), missing, spilt


class AsRecorded(unittest.TestCase):
    def test_the_vectors(self):
        found = simulate_additions(ask(GREENSBORO, weathers=[weather("723170TYA.CSV")], panels=4, strings=2, years=1))
        by_option = {(of.panels, of.strings): came for of, came in zip(found.choices, found.recorded, strict=True)}
        for option, (below, short, unserved, spilt) in {(0, 0): (54, 41, 48.9, 766), (2, 0): (22, 18, 19.3, 1779),
                                                        (0, 1): (21, 14, 17.9, 733), (4, 2): (0, 0, 0, 2802)}.items():
            came = by_option[option]
            self.assertAlmostEqual(came.below, below, delta=3, msg=option)
            self.assertAlmostEqual(came.unserved_days, short, delta=3, msg=option)
            self.assertAlmostEqual(came.unserved_wh / 1000, unserved, delta=0.05 * unserved + 0.1, msg=option)
            self.assertAlmostEqual(came.spilt_wh / 1000, spilt, delta=0.02 * spilt, msg=option)

    def test_other_places_against_a_plain_loop(self):
        for name, place, tilt in (("703165TY.csv", Place(55.317, -160.517, "America/Anchorage", 7), 55),
                                  ("12839.tm2", Place(25.8, -80.27, "America/New_York", 2), 25)):
            of = replace(GREENSBORO, place=place, arrays=(SolarArray("Roof", 400, 3, tilt, 180),))
            file = weather(name)
            found = simulate_additions(ask(of, weathers=[file], panels=2, strings=1, years=1))
            for choice, came in zip(found.choices, found.recorded, strict=True):
                energy = 5120.0 * (1 + choice.strings)
                sun = on_plane(file, tilt, 180) * 0.75 * 400 * (3 + choice.panels) / 1000
                below, short, unserved, spilt = plain_loop(sun.tolist(), 150.0, energy, 0.5 * energy, file.dates)
                self.assertAlmostEqual(came.below, below, delta=1, msg=(name, choice.panels, choice.strings))
                self.assertAlmostEqual(came.unserved_days, short, delta=1)
                self.assertAlmostEqual(came.unserved_wh, unserved, delta=0.002 * unserved + 5)
                self.assertAlmostEqual(came.spilt_wh, spilt, delta=0.002 * spilt + 5)

    def test_the_file_lies_where_it_says(self):
        # A degree of latitude is 111.2 km.
        self.assertAlmostEqual(distance_km(weather("723170TYA.CSV"), replace(GREENSBORO.place, latitude=37.1)), 111.2,
                               delta=0.1)

    def test_the_log_corrects_the_level_of_a_file(self):
        # Days that brought six tenths of the irradiance: forty of them against 200 of the usual 0.75 make 0.725.
        file, of = weather("723170TYA.CSV"), GREENSBORO
        plane = [on_plane(file, 36, 180)]
        asked = ask(of, weathers=[file])
        by_day = plane[0].reshape(-1, 24).sum(axis=1) * 1.6
        sun, wanted = sun_of(of), []
        for n in range(40):
            day = date(2025, 5, 1) + timedelta(days=n)
            start = datetime(day.year, day.month, day.day, 4, tzinfo=UTC).timestamp()  # midnight in summer time there
            clear = float(sun.total.between(start, start + 86_400))
            usual = np.mean([by_day[(day - date(2025, 1, 1)).days + shift] for shift in range(-15, 16)])
            wanted.append(SkyDay(day, 0.6 * usual / clear, False, None))

        def told(skies):
            return system_share(replace(asked, known=replace(asked.known, skies=skies)), [plane])
        self.assertAlmostEqual(told(wanted), (40 * 0.6 + 200 * 0.75) / 240, delta=0.008)
        half = [replace(day, capped=day.day.day % 2 > 0) for day in wanted]
        self.assertGreater(told(half), told(wanted) + 0.005)  # half of the days had more to give
        self.assertEqual(system_share(asked, [plane]), 0.75)


def flat_years(sun_wh, use_wh, count=3):
    """Years of the same hours: sun from nine to fifteen o'clock, the use all day; the second array is one W more."""
    hours = np.zeros((24 * DAYS, count), np.float32)
    hours.reshape(DAYS, 24, count)[:, 9:15] = 1.0
    return Years(np.stack((hours * sun_wh / 6, hours * 0.5)), np.full((24 * DAYS, count), use_wh / 24, np.float32),
                 np.ones(count, np.float32), 9600.0, (), ())


class Run(unittest.TestCase):
    OF = rig(bank=Bank("lfp", 12, 400, 2, 1, charge_efficiency=0.95, standby_w=0.0))

    def test_days_are_counted_by_the_sum(self):
        # 1200 Wh used, nothing comes in: from full to 20 % of 9600 Wh are 6.4 days, to 10 % 7.2; from the eighth day on
        # all is missing. Thirty early days are long enough to begin the year empty.
        counted = run(self.OF, flat_years(0.0, 1200.0), [Lane()])
        self.assertEqual((counted.below[0, 0], counted.unserved_days[0, 0], counted.longest[0, 0]), (365, 365, 365))
        self.assertAlmostEqual(counted.unserved_wh[0, 0], 365 * 1200, delta=1)
        short = run(self.OF, flat_years(0.0, 1200.0), [Lane()], early_days=0)
        # Of 395 days below from the seventh on; unserved from the eighth on, 0.8 of that one.
        self.assertEqual((short.below[0, 0], short.unserved_days[0, 0]), (395 - 6, 395 - 7))
        self.assertAlmostEqual(short.unserved_wh[0, 0], (395 - 7.2) * 1200, delta=2)

    def test_energy_is_conserved(self):
        years, lanes = flat_years(1500.0, 1400.0), [Lane(), Lane(600.0, 1), Lane(brought_w=np.full(24 * DAYS, 20.0))]
        counted = run(self.OF, years, lanes, early_days=0)
        # In the end nearly the level of the beginning: what came in less what was used, lost and spilt is little.
        for n, extra in enumerate((0.0, 600 * 3.0, 480.0)):
            into = (1500.0 + extra) * DAYS
            used = 1400.0 * DAYS - counted.unserved_wh[n, 0]
            lost = into - used - counted.spilt_wh[n, 0]
            self.assertTrue(-9600 * (1 + lanes[n].strings) <= lost <= 0.05 * into + 9600, (n, lost))

    def test_what_an_option_changes(self):
        years = flat_years(900.0, 1400.0)
        plain = run(self.OF, years, [Lane()])
        nothing = run(self.OF, years, [Lane(more_wh=np.zeros(24 * DAYS), brought_w=np.zeros(24 * DAYS))])
        self.assertEqual(plain.unserved_wh.tolist(), nothing.unserved_wh.tolist())
        saved = run(self.OF, years, [Lane(more_wh=np.full(24 * DAYS, -600.0 / 24))])
        self.assertLess(saved.unserved_wh[0, 0], 1.0)  # 800 Wh are less than the 900 that come in
        brought = np.zeros((DAYS, 24))
        brought[::3, 9] = 320.0
        driven = run(self.OF, years, [Lane(brought_w=brought.ravel())])
        self.assertAlmostEqual(driven.brought_wh[0, 0], 320 * 122, delta=321)
        self.assertLess(driven.unserved_wh[0, 0], plain.unserved_wh[0, 0] - 320 * 115 * 0.95)
        ruled = run(self.OF, years, [Lane(rule=(0.25, 0.60, 900.0))])
        self.assertEqual((ruled.below[0, 0], ruled.unserved_wh[0, 0]), (0, 0.0))
        # What the sun does not bring the set does: about 500 Wh and what is lost on the way a day, at 900 W.
        self.assertTrue(365 * 500 / 900 < ruled.generator_h[0, 0] < 365 * 620 / 900, ruled.generator_h)

    def test_what_follows_from_the_level_against_a_plain_loop(self):
        # Beside others that do not, for years that go their own ways: by day and by night, alone and together.
        rng, days = np.random.default_rng(5), 50
        sun = (rng.uniform(0, 780, (24 * days, 3)) * (np.arange(24 * days) % 24 // 6 == 1)[:, None]).astype(np.float32)
        use = rng.uniform(20, 160, sun.shape).astype(np.float32)
        years = Years(np.stack((sun, sun * 0)), use, np.array([1.0, 0.9, 1.1], np.float32), 9600.0, (), ())
        less = rng.uniform(0, 120, 24 * days)
        lanes = [Lane(), Lane(saved_low=(0.5, less)), Lane(rule=(0.25, 0.6, 700.0)), Lane(strings=1),
                 Lane(rule=(0.3, 0.4, 60.0), saved_low=(0.35, less)), Lane(use_share=np.full(24 * days, 1.2)),
                 *(Lane(use_share=np.full(24 * days, 1.6), saved_low=(0.5, less), rule=rule)
                   for rule in (None, (0.12, 0.15, 1.0)))]
        of = rig(bank=replace(self.OF.bank, standby_w=2.0, charge_limit_w=500.0))
        counted = run(of, years, lanes, early_days=0, start=0.7)
        for n, lane in enumerate(lanes):
            for year in range(3):
                energy, limit = 9600 * (years.energy[year] + lane.strings), 500.0 * (1 + lane.strings)
                level, ran, spilt, missing, below, hours = 0.7, False, 0.0, 0.0, set(), 0
                for hour in range(24 * days):
                    load = use[hour, year] * (1.0 if lane.use_share is None else lane.use_share[0])
                    came = sun[hour, year]
                    if lane.saved_low and level < lane.saved_low[0]:
                        load -= min(load, less[hour])
                    if lane.rule:
                        ran = level < lane.rule[0] or ran and level < lane.rule[1]
                        came, hours = came + ran * lane.rule[2], hours + ran
                    net = came - load - 2
                    if net > 0:
                        taken = min(net, limit * min(1, 1 - 0.98 * max(0, level - 0.95) / 0.05),
                                    (1 - level) * energy / 0.95)
                        level, spilt = level + taken * 0.95 / energy, spilt + net - taken
                    else:
                        given = min(-net, max(0, level - 0.1) * energy)
                        level, missing = level - given / energy, missing + min(-net - given, load)
                    if level < 0.2 - 1e-5:
                        below.add(hour // 24)
                case = (n, year)
                self.assertEqual((counted.below[case], counted.generator_h[case]), (len(below), hours), case)
                self.assertAlmostEqual(counted.level[case], level, 4, case)
                self.assertAlmostEqual(counted.spilt_wh[case], spilt, delta=1 + 1e-5 * spilt)
                self.assertAlmostEqual(counted.unserved_wh[case], missing, delta=1 + 1e-5 * missing)

    def test_a_controller_holds_the_array(self):
        of = replace(self.OF, arrays=(replace(self.OF.arrays[0], controller_limit_w=200.0),))
        counted = run(of, flat_years(1500.0, 1400.0), [Lane(), Lane(2000.0)])
        self.assertEqual(counted.unserved_wh[0, 0], counted.unserved_wh[1, 0])
        self.assertGreater(counted.unserved_wh[0, 0], 150 * 365)  # 6 × 200 Wh come, 1400 are wanted

    def test_more_never_hurts(self):
        asked = ask(GREENSBORO, weathers=[weather("723170TYA.CSV")], panels=3, strings=3, years=5)
        planes = [[on_plane(asked.weathers[0], 36, 180)]]
        years = from_files(asked.rig, asked.known, [], planes, asked.weathers, 0.75, 5, 1)
        counted = run(asked.rig, years, [Lane(400.0 * panels, strings) for strings in range(3) for panels in range(3)])
        below, unserved = (each.reshape(3, 3, 5) for each in (counted.below, counted.unserved_wh))
        self.assertTrue((np.diff(below, axis=1) <= 0).all())  # one more panel, in every year
        self.assertTrue((np.diff(unserved, axis=0) <= 1).all())  # one more string

    def test_it_can_be_stopped(self):
        told = []
        self.assertIsNone(run(self.OF, flat_years(1.0, 1.0), [Lane()], lambda part: told.append(part) or part < 0.5))
        self.assertTrue(0.5 <= told[-1] < 0.6)


class FromLog(unittest.TestCase):
    def years(self, days, habits=None, count=200):
        of, log = rig(), log_of(days)
        told = known(of, log, sun_of(of), log[-1].at)
        return from_log(of, told, [], sun_of(of), count, 3, habits)

    def test_a_year_has_its_days_and_the_seasons_nobody_saw_are_guesses(self):
        years = self.years(60)  # November and December, in the south
        self.assertEqual(years.sun.shape, (2, 24 * DAYS, 200))
        self.assertEqual((years.guesses, years.sources), (("autumn", "winter"), ("log",)))
        self.assertEqual((season_of(1, True), season_of(1, False), season_of(4, True)), ("winter", "summer", "spring"))
        totals = years.sun[0].reshape(DAYS, 24, -1).sum(axis=1)
        summer, winter = (totals[EARLY_DAYS + first:EARLY_DAYS + first + 60].mean(axis=0) for first in (305, 160))
        # An unseen season is off by 0.6 on the logit: its mean spreads far wider over the years.
        self.assertGreater((winter / winter.mean()).std(), 1.8 * (summer / summer.mean()).std())

    def test_the_users_word_on_a_season_counts_as_three_weeks(self):
        bright, dark = (self.years(60, {"winter": habit}) for habit in ((1.0, 0.0, 0.0), (0.0, 0.0, 1.0)))
        self.assertNotIn("winter", bright.guesses)
        self.assertIn("habit", bright.sources)
        june = slice(24 * (EARLY_DAYS + 155), 24 * (EARLY_DAYS + 185))
        shares = [years.sun[0, june].mean() for years in (bright, dark)]
        self.assertGreater(shares[0], 1.8 * shares[1])  # 0.75 and 0.20 of clear sky, with some doubt

    def test_every_other_year_keeps_the_spells_of_the_log_whole(self):
        first = date(2026, 6, 1)
        log = [0.05 if 50 <= n < 60 else 0.3 + n / 400 for n in range(120)]
        seen = [Seen(first + timedelta(days=n), rank, n == 100) for n, rank in enumerate(log)]
        days = [date(2026, 1, 1) + timedelta(days=n) for n in range(364)]
        ranks = np.full((364, 40), 0.5)
        lay_stretches(ranks, seen, days, np.random.default_rng(4))
        self.assertTrue(np.all(ranks[:, ::2] == 0.5) and np.all(ranks[:98] == 0.5))  # drawn ones, and months not logged
        whole = 0
        for block in ranks[14 * 13:14 * 16, 1::2].reshape(3, STRETCH_DAYS, -1).transpose(0, 2, 1).reshape(60, -1):
            at = [n for n in range(107) if np.allclose(log[n:n + STRETCH_DAYS], block, atol=1e-12)
                  or n <= 100 < n + STRETCH_DAYS and block[100 - n] >= log[100]
                  and np.allclose(np.delete(log[n:n + STRETCH_DAYS], 100 - n), np.delete(block, 100 - n))]
            self.assertTrue(at, block)
            whole += np.sum(block == 0.05) == 10
        self.assertGreater(whole, 2)
        joints = [np.abs(ranks[14 * n, 1::2] - ranks[14 * n - 1, 1::2]).mean() for n in (14, 15)]
        self.assertLess(max(joints), 0.13)  # taken at random they are 0.19 apart
        capped = ranks[ranks > 0.6]
        self.assertTrue(capped.size and capped.max() <= 1)  # a day that was capped may have been any brighter
        bare = np.full((20, 4), 0.5)
        lay_stretches(bare, seen[:11], days[151:171], np.random.default_rng(4))
        self.assertTrue(np.all(bare == 0.5))  # too few days in a row to keep anything whole
        for begins, laid in ((date(2026, 5, 11), True), (date(2026, 5, 10), False)):  # 21 and 22 days before the log's
            near = np.full((STRETCH_DAYS, 4), 0.5)
            lay_stretches(near, seen[:STRETCH_DAYS], [begins + timedelta(days=n) for n in range(STRETCH_DAYS)],
                          np.random.default_rng(4))
            self.assertEqual(bool((near[:, 1::2] != 0.5).any()), laid, begins)
        with mock.patch("voltaun.core.sizing.years.lay_stretches", lambda ranks, *_: ranks[:, 1::2].fill(0.0)):
            laid = self.years(60, count=20).sun[0].mean(axis=0)
        self.assertLess(laid[1::2].max(), laid[::2].min() / 2)

    def test_use_that_the_cut_off_held_down_is_only_a_least(self):
        floor = rig().bank.hard_floor
        rows = [{"soc": 0.6, "solar_wh": 2000.0, "use_wh": 2600.0} for _ in range(40)]
        for n, soc, use in ((10, floor, 1500.0), (11, 0.6, 1500.0), (20, floor + 0.01, 1500.0),
                            (25, floor + 0.05, 1500.0), (30, floor, 2500.0)):
            rows[n] = {"soc": soc, "solar_wh": 500.0, "use_wh": use}
        log = readings(*rows)
        told = known(rig(), log, sun_of(rig()), log[-1].at)
        legs = day_legs(told.account.intervals)
        days = days_of(legs, rig().zone)
        cut = cut_short(days, legs, rig().zone, floor)
        # At the floor at either end, and short of use; what stood above it, and what used 96 %, was not cut short.
        self.assertEqual(sorted(days[day] for day in cut), [1500.0] * 3)
        self.assertEqual(sum(wh == 1500.0 for day, wh in days.items() if day not in cut), 1)
        self.assertEqual(told.use.series.capped_days, 3)
        with mock.patch("voltaun.core.sizing.years.cut_short", lambda *_: set()):
            served = from_log(rig(), told, legs, sun_of(rig()), 200, 3)
        asked = from_log(rig(), told, legs, sun_of(rig()), 200, 3)
        more = [of.use.reshape(DAYS, 24, -1).sum(axis=1).mean() for of in (asked, served)]
        # The mean of the other 36 days against that of all 39, of which the level at the log's end keeps a part.
        others = np.mean([wh for day, wh in days.items() if day not in cut])
        self.assertTrue(0.2 < (more[0] - more[1]) / (3 / 39 * (others - 1500)) < 1.3, more)

    def test_what_was_held_back_between_readings_makes_the_years_brighter(self):
        night, row = datetime(2026, 11, 1, 12, tzinfo=UTC), {"soc": 0.82, "solar_wh": 5400.0, "use_wh": 5000.0}
        log = readings(*[row] * 60, start=night)
        told = known(rig(), log, sun_of(rig()), log[-1].at)
        years = from_log(rig(), told, [], sun_of(rig()), 40, 3)
        self.assertGreater(years.sun[0, 24 * (EARLY_DAYS + 310):24 * (EARLY_DAYS + 360)].mean() * 24, 5400 * 1.15)

    def test_the_same_seed_draws_the_same_years(self):
        one, two = self.years(40, count=3), self.years(40, count=3)
        np.testing.assert_array_equal(one.sun, two.sun)
        np.testing.assert_array_equal(one.use, two.use)


class LogAgain(unittest.TestCase):
    OF = rig(place=HOBART, bank=Bank("lfp", 12, 400, 2, 1, charge_efficiency=0.95, standby_w=0.0))

    def log(self, levels, use_wh=2400.0, solar_wh=1500.0):
        return readings(*({"soc": level, "use_wh": use_wh, "solar_wh": solar_wh} for level in levels))

    def again(self, log, *lanes):
        sun = sun_of(self.OF)
        return log_again(self.OF, known(self.OF, log, sun, log[-1].at), sun, [Lane(), *lanes])

    def test_with_nothing_added_the_levels_are_those_that_were_read(self):
        # Whatever the books miss: the level is read below the floor of 20 % on ten evenings of forty.
        levels = [0.15 if 10 <= n < 20 else 0.60 for n in range(40)]
        plain, more, saved = self.again(self.log(levels), Lane(300.0), Lane(more_wh=np.full(24 * DAYS, -50.0)))
        self.assertTrue(10 <= plain.below <= 12, plain)
        self.assertEqual((plain.days, more.days), (38, 38))  # between the first midnight and the last
        # A quarter more sun than 1500 Wh, and 1200 Wh a day saved: both leave no more days below, the second fewer.
        self.assertLess(saved.below, plain.below)
        self.assertLessEqual(more.below, plain.below)

    def lived(self, panels, strings=1):
        """Sixty days from midnight in a plain loop, a fortnight of them dark: days below 20 %, and the readings."""
        energy = 9600 * strings
        sun, level, below, log, came, used = sun_of(self.OF), 0.9, set(), [], 0.0, 0.0
        begin = datetime(2026, 8, 31, 14, tzinfo=UTC)
        for hour in range(24 * 60):
            at = begin + timedelta(hours=hour)
            dark = 20 <= hour // 24 < 34
            share = 0.10 + 0.02 * (hour // 24 % 3) if dark else 0.65 + 0.05 * (hour // 24 % 4)
            gives = share * panels / 4 * sun.between(at, at + timedelta(hours=1))
            wants = (220.0 if hour // 24 % 2 else 180.0) * (1.5 if hour % 24 >= 17 else 0.79)
            if gives >= wants:
                into = min(gives - wants, energy / 2, (1 - level) * energy / 0.95)
                level, came, used = level + into * 0.95 / energy, came + wants + into, used + wants
            else:
                out = min(wants - gives, (level - 0.1) * energy)
                level, came, used = level - out / energy, came + gives, used + gives + out
            if level < 0.2:
                below.add(hour // 24)
            if hour % 24 == 20:  # read at nine in the evening: never full, nothing of what was cut off
                log.append(Reading(at + timedelta(hours=1), soc=round(level, 2), solar_wh=came, use_wh=used))
                came = used = 0.0
        return len(below), log

    def test_the_few_days_that_nobody_wrote_down_are_bridged(self):
        was, log = self.lived(4)
        left_out = {5, 12, 13, 25, 40, 41, 42}
        rows = []
        for n, reading in enumerate(log):
            if n not in left_out:
                # The day's own sums: an empty reading the evening before keeps them from being spread over the gap.
                rows += [Reading(reading.at - timedelta(hours=24))] if n - 1 in left_out else []
                rows.append(reading)
        plain, four = self.again(rows, Lane(1200.0))
        whole, all_four = self.again(log, Lane(1200.0))
        self.assertEqual((plain.days, plain.bridged, whole.bridged), (whole.days, 7 + 4, 0))  # a half day at each end
        self.assertAlmostEqual(plain.below, was, delta=1)
        self.assertAlmostEqual(four.below, all_four.below, delta=1)
        # Five are more than neighbours tell: what follows them is the longest row.
        rows = [replace(row, use_wh=None, solar_wh=None) if 20 <= (row.at - log[0].at).days < 26 else row
                for row in rows]
        self.assertLess(self.again(rows)[0].days, 40)

    def test_bridged_days_are_as_both_their_neighbours(self):
        one, other = (Day(date(2026, 6, n), 24.0, {"solar": wh}, use, spilt) for n, wh, use, spilt in
                      ((1, 1000.0, 2000.0, 0.0), (4, 3000.0, 2400.0, 500.0)))
        made = with_bridged([one, other])
        self.assertEqual([(day.day.day, day.harvest["solar"], day.use_wh, day.spilt_wh) for day in made],
                         [(1, 1000, 2000, 0), (2, 2000, 2200, 250), (3, 2000, 2200, 250), (4, 3000, 2400, 500)])
        self.assertEqual(with_bridged([one, replace(other, day=date(2026, 6, 7))]),
                         [one, replace(other, day=date(2026, 6, 7))])
        self.assertEqual(with_bridged([]), [])

    def test_what_nobody_saw_spilt_comes_and_what_was_cut_off_is_wanted(self):
        was, log = self.lived(4)
        plain, two, four, bank = self.again(log, Lane(600.0), Lane(1200.0), Lane(strings=2))
        self.assertEqual(was, 14)
        self.assertAlmostEqual(plain.below, was, delta=1)
        self.assertEqual(plain.spilt_wh, 0.0)  # with nothing added no more comes than was taken
        for lane, more in ((two, (6,)), (four, (8,)), (bank, (4, 3))):
            self.assertAlmostEqual(lane.below, self.lived(*more)[0], delta=1)
        # Only what an option finds in place is more, and only on the days in which the bank may have been full.
        sun = sun_of(self.OF)
        told = known(self.OF, log, sun, log[-1].at)
        logged = again._logged(self.OF, told, sun, AS_THEY_ARE, None)
        came = logged.years.sun[0].reshape(len(logged.days), 24, 2).sum(axis=1)
        least = {day.day for day in told.skies if day.capped}
        self.assertGreater(len(least), 20)
        more = came[:, 1] > came[:, 0] + 1
        self.assertTrue({day for day, is_more in zip(logged.days, more, strict=True) if is_more} <= least)
        self.assertGreater(more.sum(), len(least) // 2)

    def test_what_is_missed_is_put_in_evenly(self):
        # From 50 % with 2400 Wh used in 24 h and nothing in the level would be 25 %; 30 % was read: 480 of 9600 Wh, 20
        # an hour, were put in; in the twelve hours after that nothing is known.
        missed = again._missed(self.OF, np.zeros(36), np.full(36, 100.0), 9600.0, [(0, 0.50), (24, 0.30)])
        np.testing.assert_allclose(missed, [20.0] * 24 + [0.0] * 12)
        far = again._missed(self.OF, np.zeros(97), np.full(97, 50.0), 9600.0, [(0, 0.90), (97, 0.30)])
        self.assertEqual(far.tolist(), [0.0] * 97)

    def test_only_days_in_a_row(self):
        log = self.log([0.6] * 50)
        gap = [each for n, each in enumerate(log) if not 20 <= n < 23]
        gap[20] = replace(gap[20], use_wh=None, solar_wh=None)
        (plain,) = self.again(gap)
        self.assertTrue(24 <= plain.days <= 27, plain)
        self.assertIsNone(self.again(self.log([0.6] * 10)))


class Choices(unittest.TestCase):
    PANEL, UNIT = Product("Big", "panel", 440, 250, 22, 2.0), Product("Unit", "battery", 4800, 900, 40)

    def test_prices_weights_and_what_rules_out(self):
        of = rig(arrays=(SolarArray("Roof", 300, 4, 30, 0, controller_limit_w=2000.0),))
        made = {(each.panels, each.strings): each
                for each in field_of(of, 4, 1, [self.PANEL, self.UNIT], Limits(2000, 90, 6.0))}
        one = made[1, 1]
        # One panel of 440 W and a string of two units: 250 + 1800, 22 + 80 kg, 2 m².
        self.assertEqual((one.lane.added_w, one.price, one.weight_kg, one.roof_m2), (440.0, 2050.0, 102.0, 2.0))
        self.assertEqual([why.code for why in one.ruled_out], ["over_budget", "over_weight"])
        self.assertEqual([why.code for why in made[2, 0].ruled_out], ["controller_passes"])  # 1200 + 880 over 2000
        self.assertEqual([why.code for why in made[4, 0].ruled_out], ["over_roof", "controller_passes"])
        self.assertEqual(made[1, 0].ruled_out, ())
        self.assertEqual({each.price for each in field_of(of, 2, 1, [], Limits())} - {0.0}, {None})
        own = field_of(of, 1, 0, [self.PANEL, Product("Own", "panel", 300, 99)], Limits())
        self.assertEqual(own[1].price, 99)
        self.assertEqual(len(field_of(rig(arrays=()), 4, 2, [], Limits())), 3)

    def test_a_small_bank_hardly_takes_a_large_array(self):
        of = rig(bank=Bank("flooded", 12, 100, 1, 1), arrays=(SolarArray("Roof", 100, 2, 30, 0),))
        # 0.13 × 1200 W are 156: half again are 234.
        self.assertEqual([[why.code for why in each.ruled_out] for each in field_of(of, 1, 0, [], Limits())],
                         [[], ["bank_hardly_takes"]])

    def test_a_product_that_cannot_be(self):
        for odd in ({"size": 0}, {"kind": "cat"}, {"price": -1.0}, {"weight_kg": float("nan")}):
            with self.assertRaises(ValueError):
                Product(**({"name": "P", "kind": "panel", "size": 300} | odd))

    def choice(self, price, panels=0, out=()):
        return Choice(panels, 0, Lane(), (), price, ruled_out=out)

    def test_the_unbeaten_and_the_answer(self):
        choices = [self.choice(0.0), self.choice(100.0), self.choice(200.0), self.choice(150.0),
                   self.choice(50.0, out=(1,))]
        days = [30.0, 10.0, 10.0, 3.0, 0.0]
        self.assertEqual(unbeaten(choices, days), [True, True, False, True, False])
        self.assertEqual(answer(choices, days, days, 3.0), 3)
        self.assertEqual(answer(choices, days, days, 12.0), 1)
        self.assertEqual(answer(choices, days, days, 40.0), 0)
        self.assertIsNone(answer(choices, days, days, 2.0))
        # What is done without buying is the answer only where nothing to buy is enough; fuel has no known price.
        driving = Choice(0, 0, Lane(), ("drive:Ute",))
        self.assertEqual(answer([*choices, driving], [*days, 0.0], [*days, 0.0], 3.0), 3)
        self.assertEqual(answer([*choices, driving], [*days, 0.0], [*days, 0.0], 2.0), 5)
        self.assertEqual(unbeaten([*choices, driving], [*days, 0.0]), [True, True, False, True, False, False])
        bare = [Choice(0, 0, Lane()), Choice(1, 0, Lane()), Choice(0, 1, Lane()), Choice(1, 1, Lane())]
        self.assertEqual(unbeaten(bare, [9.0, 5.0, 9.0, 5.0]), [True, True, False, False])
        # Of two that are as much the one with the better hard year.
        pairs = [Choice(1, 3, Lane(400.0, 3)), Choice(2, 2, Lane(800.0, 2)), Choice(3, 1, Lane(1200.0, 1))]
        self.assertEqual(answer(pairs, [1.0, 2.0, 3.0], [28.0, 20.0, 22.0], 3.0), 1)

    def test_without_buying(self):
        of = rig(vehicles=(Engine("Ute", 320),), generators=(Generator("Set", 900, 0.7),), mains=(Mains("Post", 500),),
                 loads=(Load("Radio", 240, "dc", priority="spare", pattern=("hours", 18, 22), months=(1,)),
                        Load("Fridge", 500, "dc")))
        off, drive, socket, generator = without_buying(of)
        less = off.lane.more_wh.reshape(DAYS, 24)
        self.assertEqual((less[EARLY_DAYS, 17:23].tolist(), less[EARLY_DAYS + 31].sum()),
                         ([0.0, -60.0, -60.0, -60.0, -60.0, 0.0], 0.0))
        self.assertEqual((drive.lane.brought_w.sum(), socket.lane.brought_w.sum()), (320 * 132, 500 * 6 * 57))
        self.assertEqual(generator.lane.rule, (0.25, 0.60, 900))
        self.assertEqual([of.code for of in off.measures], ["leave_off:Radio"])
        self.assertEqual(without_buying(rig(loads=(Load("Fridge", 500, "dc"),))), [])


class Sheet(unittest.TestCase):
    def test_the_design_month_is_the_one_with_least_sun_and_not_with_least_clear_sky(self):
        # Six kWh/m² of clear sky in the monsoon at a share of 0.3 are 2.4 peak-sun hours, four in the dry month at 0.7
        # are 3.73; the year's mean of 0.5 for both would have it the other way round.
        clear, shares = np.full(12, 5.0), np.full(12, 0.7)
        clear[6], shares[6], clear[11] = 6.0, 0.3, 4.0
        month, hours = peak_sun(clear, shares, 0.75)
        self.assertEqual((month, round(hours, 3)), (7, 2.4))
        self.assertEqual(peak_sun(clear, 0.5, 0.75)[0], 12)

    def test_each_months_share_is_its_own_days(self):
        days = [SkyDay(date(2025, month, day), 0.8 if month < 7 else 0.3, False, None)
                for month in range(1, 13) for day in range(1, 28)]
        shares = month_shares(days, {}, 40.0)
        self.assertAlmostEqual(shares[3], 0.8, delta=0.03)
        self.assertAlmostEqual(shares[9], 0.3, delta=0.03)
        self.assertTrue(0.35 < shares[6] < 0.65, shares)  # July stands next to June
        # Three weeks of dark days in a winter that nobody logged: 0.2, and a fifth of what other days bring.
        told = month_shares(days[:27 * 2], {"winter": (0.0, 0.0, 1.0)}, -40.0)
        self.assertTrue(0.2 < told[6] < 0.4, told)

    def test_without_an_array_and_in_a_polar_night_the_bank_is_sized(self):
        for sun, array in ((None, None), (0.02, None), (2.0, 4)):
            sheet = worksheet(rig(), Inputs(1900.0, sun, design_month=12))
            self.assertEqual((round(sheet.bank_energy_wh), sheet.panels is None), (7125, array is None))
        # 1900 × 1.75 / (0.95 × 2 × 0.75) = 2333 W are eight panels of 300 W.
        self.assertEqual(sheet.panels, 8)
        polar = worksheet(rig(), Inputs(1900.0, 0.0, design_month=12))
        self.assertIn("In December the sun hardly rises", no_sun(polar))
        self.assertEqual([each.part for each in options(rig(arrays=()), worksheet(rig(), Inputs(1900.0, None)))],
                         ["units"])
        with self.assertRaises(ValueError):
            worksheet(rig(), Inputs(1900.0, -1.0))


class Answer(unittest.TestCase):
    def test_from_a_log_with_the_log_again(self):
        log = log_of(90, use_wh=2600)
        found = simulate_additions(ask(rig(place=HOBART), log, panels=2, strings=1, years=10))
        self.assertEqual(len(found.choices), 6)
        self.assertEqual(found.again[0].days, found.again[5].days)
        self.assertTrue(80 <= found.again[0].days <= 90)
        self.assertTrue(all(more.below <= found.again[0].below for more in found.again))
        below = found.outcomes[0].below
        self.assertTrue(below.p10 <= below.p25 <= below.p50 <= below.p75 <= below.p90)
        # Where seasons are not known the answer is a range: what is enough in the better years and in the worse.
        low, high = found.between
        for n, name in ((low, "p25"), (high, "p75")):
            self.assertTrue(n is None or getattr(found.outcomes[n].below, name) <= 3)
        told = replace(found, between=(1, 5))
        self.assertEqual(unsure(replace(told, guesses=("spring",))),
                         ["One panel may do, or two panels and one string may be needed.",
                          "Your spring is not in the log yet."])
        self.assertIn("What you have may do, or more than was looked at may be needed.",
                      unsure(replace(found, between=(0, None))))
        self.assertEqual((unsure(replace(found, between=(1, 1))), unsure(replace(found, between=None))), ([], []))

    def test_what_cannot_be_asked(self):
        with self.assertRaisesRegex(ValueError, "neither a log nor loads"):
            simulate_additions(ask(rig()))
        with self.assertRaisesRegex(ValueError, "no array"):
            simulate_additions(ask(rig(arrays=(), loads=(Load("Fridge", 500, "dc"),))))


if __name__ == "__main__":
    unittest.main()
