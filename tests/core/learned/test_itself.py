"""Wind and water in the log and in the outlook. The rig of `test_decisions`: 9600 Wh, η 0.95, 2 W standby."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from tests.core.test_decisions import PLAIN
from voltaun.core.learned.itself import flow_days, histories_of, learn_flows
from voltaun.core.log.ledger import READ, RECKONED, UNKNOWN, intervals
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.backtest import backtest
from voltaun.core.outlook.outlook import outlook
from voltaun.core.rig.parts import Turbine
from voltaun.core.sizing.years import from_log

BEGIN = datetime(2026, 6, 1, 12, tzinfo=UTC)
CREEK = replace(PLAIN, place=replace(PLAIN.place, timezone="Etc/UTC"),
                bank=replace(PLAIN.bank, tested_energy_wh=9600.0), turbines=(Turbine("Creek", 100),))


def log_of(days, **each):
    """A reading a day at noon; figures that depend on the day are functions of it."""
    return [Reading(BEGIN + timedelta(days=n), **{name: of(n) if callable(of) else of for name, of in each.items()})
            for n in range(days)]


class Ledger(unittest.TestCase):
    def of(self, *rows):
        return intervals(CREEK, [Reading(BEGIN + timedelta(days=n), **row) for n, row in enumerate(rows)], None)

    def test_blank_before_it_was_first_noted_is_none_and_later_is_not_known(self):
        made = self.of({"soc": 0.5}, {"soc": 0.5, "use_wh": 100.0}, {"soc": 0.5, "use_wh": 600.0, "turbine_wh": 700.0},
                       {"soc": 0.5}, {"soc": 0.5, "use_wh": 500.0})
        self.assertEqual([each.harvest["turbine"] for each in made[:3]], [0.0, 700.0, None])
        self.assertEqual([each.harvest_bases["turbine"] for each in made], [READ, READ, UNKNOWN, RECKONED])
        self.assertIsNone(made[2].use_wh)  # what came in is not known, so neither is what was used
        # 0 = η (H − d·U) − (1 − d) U − S, with d 0.35: H = (0.65 × 500 + 48) / 0.95 + 0.35 × 500 = 567.6
        self.assertAlmostEqual(made[3].harvest["turbine"], 373 / 0.95 + 175, delta=0.1)

    def test_neither_sun_nor_wind_is_reckoned_where_both_are_blank(self):
        from tests.support import rig
        both = replace(rig(), turbines=CREEK.turbines)
        log = [Reading(BEGIN, soc=0.5), Reading(BEGIN + timedelta(hours=9), soc=0.5, solar_wh=0.0, turbine_wh=50.0),
               Reading(BEGIN + timedelta(hours=24), soc=0.6, use_wh=500.0)]
        made = intervals(both, log, None)[-1]
        self.assertEqual((made.harvest["solar"], made.harvest["turbine"]), (None, None))


class Learned(unittest.TestCase):
    def test_its_days_begin_when_it_was_first_noted(self):
        made = intervals(CREEK, log_of(6, soc=0.5, use_wh=400.0, turbine_wh=lambda n: None if n < 3 else 300.0), None)
        self.assertEqual([(of.day, of.wh) for of in flow_days(made, "turbine", ZoneInfo("Etc/UTC"))],
                         [(date(2026, 6, n), 300.0) for n in (4, 5, 6)])  # from noon to noon: the second day

    def test_a_leg_of_twenty_hours_tells_a_day_of_twenty_four(self):
        log = [Reading(BEGIN + timedelta(hours=20 * n), soc=0.5, use_wh=400.0, turbine_wh=250.0) for n in range(4)]
        found = flow_days(intervals(CREEK, log, None), "turbine", ZoneInfo("Etc/UTC"))
        self.assertEqual([of.wh for of in found], [300.0] * 3)  # 250 / 20 × 24

    def test_what_runs_by_itself_is_not_started_by_hand(self):
        self.assertEqual((CREEK.by_hand, CREEK.steady), ((), CREEK.turbines))

    def test_a_week_is_wanted_and_the_drawn_days_are_those_of_the_log(self):
        rng = np.random.default_rng(4)
        for days, told in ((7, False), (8, True), (60, True)):
            made = intervals(CREEK, log_of(days, soc=0.5, use_wh=400.0, turbine_wh=lambda n: 2400 * rng.random()), None)
            (flows,) = learn_flows(CREEK, [histories_of(CREEK, made)], [date(2026, 6, 1) + timedelta(days=days)])
            self.assertEqual("turbine" in flows, told, days)
        coming = [date(2026, 8, 1) + timedelta(days=n) for n in range(10)]
        drawn = flows["turbine"].draw(coming, 4000, 1, 0)
        self.assertEqual(drawn.shape, (10, 4000))
        # Even draws from 0 to 2400: a middle near 1200, one in ten near 240 and nine in ten near 2160.
        for part, near, give in ((50, 1200, 200), (10, 240, 150), (90, 2160, 250)):
            self.assertAlmostEqual(float(np.percentile(drawn, part)), near, delta=give)
        self.assertLessEqual(drawn.max(), 24 * 100)  # 100 W rated
        self.assertGreaterEqual(drawn.min(), 0.0)


class InTheOutlook(unittest.TestCase):
    def made(self, turbine_wh, days=40):
        came = [turbine_wh(n) for n in range(days)]
        # What keeps a level with 1200 Wh used: 0.95 × (H − 420) = 780 + 48, H 1291.6; a socket gave the rest.
        log = log_of(days, soc=0.7, use_wh=1200.0, turbine_wh=lambda n: came[n], mains_wh=lambda n: 1291.6 - came[n])
        at = log[-1].at
        return outlook(Ask(CREEK, known(CREEK, log, None, at), None, at, days=3))

    def test_a_steady_creek_is_counted_by_the_hour_and_is_no_sun(self):
        without, with_it = self.made(lambda n: 0.0), self.made(lambda n: 1000.0 + n % 2)
        # Less than is used at any hour, it goes straight to the loads: each Wh of it stays in the bank, but
        # that the middle of what is unlike is not quite what the middles come to.
        dusk = [made.fan[-1][2] for made in (without, with_it)]
        first = with_it.times[0]
        hours = (with_it.times[-1] - first) / timedelta(hours=1)
        came = 1000.5 * hours / 24
        self.assertGreater((dusk[1] - dusk[0]) * 9600, 0.94 * came)
        self.assertLess((dusk[1] - dusk[0]) * 9600, 1.08 * came)
        self.assertEqual(with_it.days[0].solar_wh.p90, 0.0)
        # "In hand" is without any charging: the creek changes nothing of it.
        self.assertAlmostEqual(with_it.present.days["everyday_floor"].p50, without.present.days["everyday_floor"].p50,
                               delta=0.05)

    def test_a_wind_that_comes_and_goes_makes_the_level_less_sure(self):
        rng = np.random.default_rng(5)
        steady, wild = self.made(lambda n: 600.0 + n % 2), self.made(lambda n: 1200.0 * rng.integers(0, 2) + n % 2)
        width = [made.days[-1].dusk_soc.p90 - made.days[-1].dusk_soc.p10 for made in (steady, wild)]
        self.assertGreater(width[1], 1.3 * width[0])

    def test_a_backtest_knows_no_day_before_it_came(self):
        log = log_of(40, soc=lambda n: 0.5 if n < 30 else 0.6, use_wh=1200.0,
                     turbine_wh=lambda n: 300.0 if n < 30 else 2300.0)
        levels = {of.as_of: of.quantiles for of in backtest(CREEK, log, None, first=log[20].at).levels}
        before, after = (levels[log[n].at][4] - levels[log[n].at][0] for n in (25, 36))
        self.assertLess(before, after)

    def test_years_need_less_where_a_creek_runs(self):
        seen = {}
        for wh in (0.0, 600.0):
            log = log_of(60, soc=0.5, use_wh=1200.0, turbine_wh=lambda n, wh=wh: wh + n % 2)
            told = known(CREEK, log, None, log[-1].at)
            seen[wh] = _year_use(told)
        self.assertAlmostEqual((seen[0.0] - seen[600.0]) / 600, 1.0, delta=0.12)


def _year_use(told):
    from voltaun.core.learned.use import day_legs
    years = from_log(CREEK, told, day_legs(told.account.intervals), None, 20, 1)
    return float(years.use.mean()) * 24


if __name__ == "__main__":
    unittest.main()
