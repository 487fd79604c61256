"""Figures that one can check on paper: a bound, a sign, a unit or a frame of time each."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.core.test_decisions import PLAIN
from tests.support import rig
from voltaun.core.instants import at_clock, zone
from voltaun.core.log.days import by_day
from voltaun.core.log.ledger import intervals
from voltaun.core.log.reading import Reading
from voltaun.core.log.stretches import difference
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.plans import GeneratorRule
from voltaun.core.outlook.prepare import prepare
from voltaun.core.rig.limits import limits
from voltaun.core.rig.parts import Engine, Generator
from voltaun.core.sizing.laid import _rows_of_year
from voltaun.core.sky.clear_sky import RigSun, RunningTotal
from voltaun.core.sky.weather import Weather, on_plane
from voltaun.core.units import parse


class Quantities(unittest.TestCase):
    def test_m_is_minutes_and_a_bare_product_is_in_the_unit_of_its_label(self):
        self.assertAlmostEqual(parse("25 m", "duration"), 25 / 60)
        self.assertEqual(parse("2 x 125", "energy", unit="kWh"), 250_000)  # "A year, kWh"
        self.assertAlmostEqual(parse("4 x 5", "duration", unit="min"), 20 / 60)  # "Run time, min"
        self.assertEqual(parse("2 x 125 Wh", "energy", unit="kWh"), 250)  # a unit of its own stands
        self.assertEqual(parse("3 x 40", "energy"), 120)


class Clock(unittest.TestCase):
    def test_an_hour_of_the_clock_also_on_the_day_it_leaps(self):
        hobart = zone("Australia/Hobart")
        # On 4 October 2026 the clock leaps from 2 to 3: noon is at 1:00 UTC, eleven hours after midnight. On 5 April it
        # goes back at 3: noon is at 2:00 UTC, thirteen hours after midnight.
        for day, hour, utc in ((date(2026, 10, 4), 12.0, datetime(2026, 10, 4, 1, tzinfo=UTC)),
                               (date(2026, 4, 5), 12.0, datetime(2026, 4, 5, 2, tzinfo=UTC)),
                               (date(2026, 10, 3), 27.5, datetime(2026, 10, 3, 16, 30, tzinfo=UTC)),
                               (date(2026, 11, 25), 9.75, datetime(2026, 11, 24, 22, 45, tzinfo=UTC))):
            self.assertEqual(at_clock(day, hour, hobart), utc, (day, hour))


class Alternator(unittest.TestCase):
    def test_it_gives_no_more_than_the_input_lets_through(self):
        # 14 V × 30 A = 420 W pass, of the 1000 / 0.9 = 1111 W that the charger would like; 400 are spare.
        van = Engine("Van", 1000, 14, 30, 400, 0.9, 12.5)
        (over,) = [of for of in limits(rig(vehicles=(van,))) if of.reason.code == "alternator_overdrawn"]
        self.assertAlmostEqual(over.reason.figures["drawn_w"], 420)
        spared = replace(van, spare_alternator_w=430)
        self.assertFalse([of for of in limits(rig(vehicles=(spared,))) if of.reason.code == "alternator_overdrawn"])


class Spilt(unittest.TestCase):
    def test_it_goes_to_the_days_by_their_sun_and_not_by_their_hours(self):
        # 100 Wh in each half hour from 6 to 18 UTC: from noon on the 1st to 9:00 on the 3rd 6, 12 and 3 h.
        total = RunningTotal(np.tile(np.r_[np.zeros(12), np.full(24, 100.0), np.zeros(12)], 365))
        sun = RigSun((total,), (None,), total)
        here = replace(rig(), place=replace(rig().place, timezone="Etc/UTC"))
        begin = datetime(2026, 6, 1, 12, tzinfo=UTC)
        made = intervals(here, [Reading(begin, soc=0.5), Reading(begin + timedelta(hours=45), soc=0.5, solar_wh=2100.0,
                                                                 use_wh=1000.0)], sun)
        days = by_day(here, [replace(made[0], spilt_wh=2100.0)], sun)
        for n, spilt in ((1, 600), (2, 1200), (3, 300)):
            self.assertAlmostEqual(days[date(2026, 6, n)].spilt_wh, spilt, delta=2)
            self.assertAlmostEqual(days[date(2026, 6, n)].harvest["solar"], spilt, delta=2)


class Stretches(unittest.TestCase):
    def test_more_in_the_second_stretch_is_more(self):
        found = difference(np.array([99.0, 100.0, 101.0]), np.array([119.0, 120.0, 121.0]))
        self.assertEqual((found.by, found.real), (20.0, True))
        self.assertEqual(difference(np.array([120.0] * 3), np.array([100.0] * 3)).by, -20.0)


class Litres(unittest.TestCase):
    def test_seven_litres_at_half_a_litre_an_hour_are_fourteen_hours(self):
        of = replace(PLAIN, generators=(Generator("Set", 900, 0.5),))
        log = [Reading(datetime(2026, 6, 1, tzinfo=UTC) + timedelta(days=n), soc=0.5, use_wh=1000.0) for n in range(9)]
        rule = GeneratorRule(0.2, 0.6, litres=7.0)
        ask = Ask(of, known(of, log, None, log[-1].at), None, log[-1].at, 2, 50, rule=rule)
        self.assertEqual(prepare(ask).generator.most_hours, 14.0)


def recorded(year=2021, days=365, ghi=0.0, dni=0.0, latitude=0.0, longitude=0.0):
    hours = 24 * days
    return Weather(latitude, longitude, 0.0, 0.0, date(year, 1, 1), np.full(hours, ghi), np.full(hours, dni),
                   np.zeros(hours), False, "EPW")


class RecordedYears(unittest.TestCase):
    def test_the_days_before_new_year_are_its_own_last_ones(self):
        days = [date(2022, 12, 2), date(2022, 12, 31), date(2023, 1, 1), date(2023, 12, 31)]
        # The 2nd of December is the 336th day of the year: row 335, counted from nought.
        self.assertEqual(_rows_of_year(recorded(), 2021, days), [335, 364, 0, 364])

    def test_the_sun_stands_where_it_is_in_the_middle_of_the_hour(self):
        # On the equator and the meridian the sun of the 15th of April is due at its highest at noon, as the clock has
        # it then: so the hours before and after noon are alike, on a plane that leans to neither side.
        read = replace(recorded(dni=800.0), dhi=np.zeros(24 * 365))
        day = on_plane(read, 0.0, 0.0).reshape(365, 24)[104]
        self.assertAlmostEqual(float(day[11]), float(day[12]), delta=3)
        self.assertAlmostEqual(float(day[8]), float(day[15]), delta=6)
        east, west = (on_plane(read, 60.0, azimuth).reshape(365, 24)[104] for azimuth in (90.0, 270.0))
        self.assertAlmostEqual(float(east[8]), float(west[15]), delta=6)


if __name__ == "__main__":
    unittest.main()
