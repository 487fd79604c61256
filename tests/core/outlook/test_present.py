"""One present: what is said of now comes from the futures. The rig of `test_decisions`: 9600 Wh, 2 W standby."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from tests.core.test_decisions import MIDNIGHT, PLAIN, _held
from tests.support import readings, rig
from voltaun.core.learned.account import reckon
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.outlook import outlook
from voltaun.core.outlook.plans import GeneratorRule, Plan, use_changes
from voltaun.core.outlook.prepare import prepare
from voltaun.core.outlook.present import Middle, middle_of, present
from voltaun.core.rig.loads import hourly_shape
from voltaun.core.rig.parts import Generator, Load
from voltaun.words import advising

SET = replace(PLAIN, generators=(Generator("Set", 900.0, 0.7),))
TODAY = date(2026, 11, 25)


def asked(of=PLAIN, hours=0.0, level=0.6, per_day=(1200.0,), **given):
    """A question so many hours after the last of sixty readings at midnight."""
    log = [Reading(MIDNIGHT - timedelta(days=60 - n), soc=level, use_wh=per_day[n % len(per_day)]) for n in range(61)]
    now = MIDNIGHT + timedelta(hours=hours)
    return Ask(of, known(of, log, None, now), None, now, **given)


class Present(unittest.TestCase):
    def test_the_same_figures_without_the_days_ahead(self):
        for hours in (0.0, 7.4, 30.0):
            ask = asked(hours=hours, per_day=(900.0, 1500.0))
            self.assertEqual(present(ask), outlook(ask).present)

    def test_it_is_the_middle_of_the_futures_and_lies_within_its_range(self):
        made = outlook(asked(hours=10.0, per_day=(1000.0, 1100.0, 1200.0, 1300.0, 1400.0)))
        now, step = made.present, made.times.index(made.as_of)
        np.testing.assert_allclose((now.soc.p10, now.soc.p50, now.soc.p90), made.fan[step, [0, 2, 4]], atol=2e-4)
        for floor, of in now.days.items():
            self.assertTrue(of.p10 <= of.p50 <= of.p90, floor)
        # Ten hours at 1200 Wh a day and 2 W are 520 of 9600 Wh: 5.4 points.
        self.assertAlmostEqual(now.soc.p50, 0.6 - 520 / 9600, delta=0.006)
        self.assertEqual(middle_of(np.array([3.0, np.inf, 1.0])).p50, 3.0)

    def test_days_in_hand_go_by_what_is_planned_and_by_no_charging(self):
        day = MIDNIGHT.date() + timedelta(days=1)
        plain = outlook(asked(SET)).present.days["everyday_floor"].p50
        guests = (Plan("guests", day, day + timedelta(days=9), 2.0),)
        # 40 points are 3840 Wh: at 1248 Wh a day 3.08 days, at twice the use (2448) 1.57; a generator is no use to it.
        self.assertAlmostEqual(plain, 3.08, delta=0.1)
        self.assertAlmostEqual(outlook(asked(SET, plans=guests)).present.days["everyday_floor"].p50, 1.57, delta=0.04)
        run = (Plan("generator", day, day, 5.0),)
        charged = outlook(asked(SET, plans=run, rule=GeneratorRule(0.5, 0.9))).present
        self.assertEqual(charged.days["everyday_floor"].p50, plain)

    def test_what_was_read_just_now_is_the_level_however_wide(self):
        made = outlook(asked()).present
        for hours, wide, as_read, vague in ((0.0, 0.4, 0.4, False), (3.0, 0.4, 0.1, False), (3.1, 0.16, 0.06, True),
                                            (3.1, 0.14, 0.06, False), (3.1, 0.29, 0.2, False), (3.1, 0.31, 0.2, True),
                                            (12.0, 0.1, 0.2, True)):
            now = replace(made, soc=Middle(0.4, 0.5, 0.4 + wide), as_read=as_read,
                          read_at=made.as_of - timedelta(hours=hours))
            self.assertEqual(now.vague, vague, (hours, wide, as_read))
        # Volts tell the level to ten points either way: nobody is asked to read it at once again.
        volts = replace(PLAIN, soc_from="volts")
        for hours in (0.0, 1.0, 5.0):
            said = advising.headline(outlook(asked(volts, hours=hours)), volts)
            self.assertTrue(said.startswith("About "), said)

    def test_age_has_its_own_words(self):
        said = [advising.headline(outlook(asked(hours=hours)), PLAIN) for hours in (2.9, 12.0, 73.0)]
        self.assertRegex(said[0], r"^About \d+ (hours|days) of power without any charging\.$")
        self.assertRegex(said[1], r"^Not read for 12 h: probably \d+ %, between \d+ and \d+\. Read it\.$")
        self.assertEqual(said[2], "Not read for 3 days. Read the level.")
        made = outlook(asked(hours=4.0))
        # Midnight of 25 November in Hobart is the 25th there, at 0:00.
        self.assertEqual(advising.read_when(made.present, PLAIN), "Last read: 60 % on Wed 0:00, 4 h ago.")
        self.assertEqual(advising.read_when(outlook(asked(hours=2.9)).present, PLAIN), "")

    def test_the_rest_of_a_day_is_drawn_like_any_other(self):
        # The last reading closes a leg whose middle lies in the day before: at noon the rest of the day was one number.
        ready = prepare(asked(hours=12.0, per_day=(400.0, 2000.0)))
        rest = ready.load[ready.grid.now:ready.grid.now + 6].sum(axis=0)
        self.assertGreater(rest.std(), 0.2 * rest.mean())

    def test_what_went_unserved_before_now_is_over(self):
        # At the hard floor nothing more is given: three days on the same Wh are wanted of the days ahead, not more.
        early, late = (outlook(asked(hours=hours, level=0.1, days=5)).unserved_wh.p50 / (5 + (24 - hours % 24) / 24)
                       for hours in (0.0, 60.0))
        self.assertAlmostEqual(early, late, delta=60)

    def test_a_generators_surplus_is_not_the_suns(self):
        # On a rig without panels a full bank spills the generator's 900 W, and no sun is told of.
        run = (Plan("generator", MIDNIGHT.date() + timedelta(days=1), MIDNIGHT.date() + timedelta(days=1), 6.0),)
        made = outlook(asked(SET, level=1.0, plans=run))
        self.assertEqual([(day.solar_wh.p90, day.spilt_wh.p90) for day in made.days], [(0.0, 0.0)] * 10)
        self.assertNotIn("sun", " ".join(advising.advice(made, SET, None)))

    def test_a_rule_does_not_start_what_runs_by_plan(self):
        # 900 W for three hours by plan, with a rule that would start the same set at once: 2700 Wh and not 5400.
        day = MIDNIGHT.astimezone(PLAIN.zone).date()
        run = (Plan("generator", day, day, 3.0, begin=6.0),)
        made = outlook(asked(SET, level=0.25, days=0, plans=run, rule=GeneratorRule(0.5, 0.9, 6, 9)))
        self.assertAlmostEqual(made.generator_hours.p90, 3.0, places=3)


class HoursOfUse(unittest.TestCase):
    def test_a_load_out_of_season_shapes_no_hour(self):
        of = rig(loads=(Load("Fridge", 480, "dc"),
                        Load("Heater", 4800, "dc", pattern=("hours", 18, 22), months=(6, 7, 8))))
        np.testing.assert_allclose(hourly_shape(of, 11), np.full(24, 1 / 24))
        self.assertAlmostEqual(hourly_shape(of, 7)[18:22].sum(), (4800 + 80) / 5280)

    def test_a_day_of_23_or_25_hours_uses_what_a_day_uses(self):
        # Hobart's clock comes to 2:00 twice on 5 April 2026 and skips it on 4 October.
        lamp = rig(arrays=(), loads=(Load("Lamp", 300, "dc", pattern=("hours", 1, 4)),))
        for day, hours in ((date(2026, 4, 5), 25), (date(2026, 10, 4), 23)):
            begin = datetime(day.year, day.month, day.day, tzinfo=lamp.zone).astimezone(UTC)
            log = readings(*({"soc": 0.9, "use_wh": 300.0} for _ in range(40)), start=begin - timedelta(days=39))
            more = Plan("add", day, day, 600.0, "", 1.0, 4.0)
            for plans, wh in (((), 300.0), ((more,), 900.0)):
                ask = Ask(lamp, known(lamp, log, None, begin), None, begin, 0, plans=plans)
                ready = prepare(ask)
                self.assertEqual(round(ready.grid.hours.sum()), hours)
                self.assertAlmostEqual(float(np.median(ready.load.sum(axis=0))), wh, delta=12)

    def test_what_draws_unseen_draws_at_all_hours_alike(self):
        evening = rig(arrays=(), loads=(Load("Lamp", 1200, "dc", pattern=("hours", 18, 24)),))
        usual = np.array([hourly_shape(evening, 11)])
        self.assertEqual(use_changes(evening, (), [TODAY], usual)[1].sum(), 0.0)
        # Ten watts are 180 Wh until six in the evening, when nothing else is used.
        ask = asked(evening)
        learned = replace(ask.known.learned, held=_held(10.0, 9.99, 10.01))
        ready = prepare(replace(ask, known=replace(ask.known, learned=learned)))
        np.testing.assert_allclose(ready.load[:18].sum(axis=0), 180.0, atol=1.0)


class RunningDraw(unittest.TestCase):
    def log(self, first, last, days=110, draw_w=30.0):
        """A bank filled by a generator as it is used, and from one day to another 30 W that nobody noted."""
        rng, rows, soc = np.random.default_rng(2), [], 0.7
        for n in range(days):
            use = float(round(rng.normal(1500, 150)))
            lost = draw_w * 24 if first <= n < last else 0.0
            came = float(round((use + 48 + lost) / 0.95 * (1.1 if n % 2 else 0.9)))
            soc += (0.95 * came - use - 48 - lost + 0.05 * min(0.35 * use, came)) / 9600
            rows.append({"soc": round(soc, 3), "generator_wh": came, "use_wh": use})
        return readings(*rows)

    def test_one_that_runs_counts_in_full_from_its_day_and_one_that_ended_does_not(self):
        running, ended = (reckon(SET, self.log(*span), None).learned for span in ((85, 110), (40, 60)))
        self.assertAlmostEqual(running.hidden_draw_w.estimate, 30, delta=4)
        self.assertAlmostEqual(running.steady_draw_w, running.hidden_draw_w.estimate)
        self.assertAlmostEqual(ended.hidden_draw_w.estimate, 0, delta=2.5)
        self.assertEqual([draw.until is None for draw in running.draws + ended.draws], [True, False])


if __name__ == "__main__":
    unittest.main()
