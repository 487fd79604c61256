"""How past outlooks did, with sums that can be done by hand."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from types import SimpleNamespace

import numpy as np

from tests.core.outlook.test_outlook import log_of
from tests.support import readings, rig, sun_of
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.backtest import _came_of, _seldom, backtest
from voltaun.core.outlook.scores import Backtest, Came, Forecast, Held, LevelForecast, Said, pinball
from voltaun.core.rig.parts import Generator
from voltaun.words.sentences import held, record, said

AT = datetime(2026, 11, 1, 8, tzinfo=UTC)
BAND = (10.0, 20.0, 30.0, 40.0, 50.0)
LEVELS = (0.1, 0.2, 0.3, 0.4, 0.5)


def forecast(actual, seen=None, days=1):
    return Forecast(AT, days, BAND, (0.0,) * 5, actual, LEVELS, BAND, 0.2, seen or Came())


class Sums(unittest.TestCase):
    def test_the_loss_is_the_mean_over_the_five_lines(self):
        # 35 is above 10, 20 and 30 and below 40 and 50: (0.1·25 + 0.25·15 + 0.5·5 + 0.25·5 + 0.1·15) / 5 = 2.3.
        self.assertAlmostEqual(pinball(BAND, 35.0), 2.3)

    def test_bands_are_held_at_their_edges_and_what_nobody_saw_does_not_count(self):
        past = Backtest([forecast(10.0, Came(BAND, 60.0, LEVELS, 0.504, 0.2, True)), forecast(51.0, Came(BAND, 50.0)),
                         forecast(30.0, Came(None, None, LEVELS, 0.506, 0.24, False)), forecast(9.0)], [])
        (first,) = past.horizons()
        self.assertEqual((first.sun, first.use, first.level), (Held(2, 4), Held(1, 2), Held(1, 2)))
        # The middle, 30, was off by 20, 21, 0 and 21.
        self.assertEqual(first.missed_wh, 15.5)
        self.assertEqual(past.said(1), [Said(2, 2, 1)])
        self.assertEqual(past.said(3), [])
        (bare,) = Backtest([forecast(1.0)], []).horizons()
        self.assertEqual((bare.use.share, bare.level.share, bare.level.cases), (None, None, 0))
        levels = [LevelForecast(AT, AT, LEVELS, level) for level in (0.096, 0.094)]
        self.assertEqual(Backtest([], levels).level_held(), Held(1, 2))

    def test_of_few_cases_no_share_is_told(self):
        self.assertEqual([held(Held(*of)) for of in ((36, 52), (8, 9), (1, 1), (0, 0))],
                         ["36 of 52", "9 cases, too few", "1 case, too few", "—"])
        (one,) = Backtest([forecast(30.0) for _ in range(52)], []).horizons()
        self.assertEqual(record(one), "One day ahead, the sun came within its range 52 of 52 times. About 42 would be "
                                      "right.")
        (few,) = Backtest([forecast(30.0)], []).horizons()
        self.assertEqual(record(few), "1 outlook for the next day can be held against what came. Ten are needed.")

    def test_said_and_come_in_words(self):
        self.assertEqual(said(Said(2, 40, 9)), "Of 40 times it said 2 in 10, it came 9 times.")
        self.assertEqual(said(Said(0, 1, 0)), "Of 1 time it said hardly ever, it came never.")
        self.assertEqual(said(Said(10, 3, 1)), "Of 3 times it said almost certain, it came once.")


class Seeing(unittest.TestCase):
    def past(self, log, of=None, days=(1, 3)):
        of = of or rig()
        return backtest(of, log, sun_of(of), days, log[70].at, futures=300)

    def test_what_came_is_what_the_log_shows(self):
        log = log_of(80)
        past = self.past(log)
        one = next(each for each in past.sun if each.days == 3)
        at = log.index(next(each for each in log if each.at == one.as_of))
        self.assertEqual(one.seen.level_read, log[at + 3].soc)
        # What the readings until the one three days on say was used, and nothing that was parted between days.
        self.assertEqual(one.seen.use_wh, sum(log[at + n].use_wh for n in (1, 2, 3)))
        self.assertTrue(one.seen.use[0] < one.seen.use_wh < one.seen.use[4])
        self.assertTrue(0 <= one.seen.chance <= 1)
        self.assertFalse(one.seen.below)

    def test_every_reading_is_looked_ahead_from_or_the_last_of_each_so_many_days(self):
        log = readings(*({} for _ in range(8)), hours=12.0, start=datetime(2026, 11, 1, 20, tzinfo=UTC))  # from 7:00
        for every, starts in ((1, [0, 1, 2, 3, 4, 5, 6, 7]), (2, [1, 5]), (3, [1, 7])):
            self.assertEqual(_seldom(list(range(8)), log, rig(), every), starts)
        self.assertEqual(_seldom([], log, rig(), 2), [])

    def test_a_reading_below_the_floor_is_seen_at_its_horizon_and_later(self):
        log = log_of(80)
        low = [Reading(each.at, soc=0.15 if n == 74 else each.soc, solar_wh=each.solar_wh, use_wh=each.use_wh)
               for n, each in enumerate(log)]
        found = {(each.as_of, each.days): each.seen.below for each in self.past(low).sun}
        self.assertEqual([found[log[n].at, days] for n, days in ((71, 1), (71, 3), (73, 1), (74, 1))],
                         [False, True, True, False])

    def test_the_chance_is_that_of_any_of_the_readings(self):
        # Four futures, read at the end of each of two hours of the next day: two of them are below 20 % at one of the
        # readings, one of these at the last; what was read is below at the first.
        begin = datetime(2026, 11, 1, 13, tzinfo=UTC)  # midnight of the second there
        levels = np.array([[0.5] * 4, [0.1, 0.5, 0.5, 0.5], [0.5, 0.1, 0.5, 0.3]])
        read = [Reading(begin + timedelta(hours=1), soc=0.15), Reading(begin + timedelta(hours=2), soc=0.4)]
        bounds = np.array([(begin + timedelta(hours=n)).timestamp() for n in range(3)])
        asked = SimpleNamespace(rig=rig(), today=date(2026, 11, 1))
        grid = SimpleNamespace(bounds=bounds, hours=np.ones(2))
        of = SimpleNamespace(ready=SimpleNamespace(ask=asked, grid=grid, unseen=np.full(4, 24.0)),
                             read=[(read[0], 500.0), (read[1], 900.0)])
        used = np.array([[500.0] * 4, [400.0, 402.0, 404.0, 406.0]])
        made = SimpleNamespace(level=levels, load=np.ones((2, 4)), used=used)
        seen = _came_of(of, made, 1)
        self.assertEqual((seen.use_wh, seen.level_read, seen.chance, seen.below), (900.0, 0.4, 0.5, True))
        self.assertAlmostEqual(seen.use[2], 903.0 - 2.0)  # the middle, less what draws unseen in two hours
        self.assertAlmostEqual(seen.level[2], 0.4)  # the middle of 0.5, 0.1, 0.5 and 0.3
        self.assertEqual(_came_of(of, made, 2), Came())  # nobody read on the second day

    def test_said_goes_by_what_readings_could_show(self):
        seen = Came(BAND, 50.0, LEVELS, 0.3, 0.31, False)
        self.assertEqual(Backtest([forecast(30.0, seen)], []).said(1), [Said(3, 1, 0)])

    def test_what_was_started_by_hand_is_counted_as_it_happened(self):
        # 3000 Wh of the generator after a reading at 50 %: with η 0.95 some 29 points that no outlook could know of,
        # and that the one which is held against the next reading has in it.
        of = rig(generators=(Generator("Set", 900, 0.7),))
        log = readings(*({"soc": 0.5, "solar_wh": 1500.0, "use_wh": 1400.0} for _ in range(80)))
        helped = [replace(each, generator_wh=3000.0, soc=0.78) if n == 74 else each for n, each in enumerate(log)]
        found = {(each.as_of, each.days): each.seen for each in self.past(helped, of).sun}
        level = found[log[73].at, 1]
        self.assertEqual(level.level_read, 0.78)
        self.assertTrue(0.70 < level.level[2] < 0.86, level.level)

    def test_a_log_without_levels_still_tells_of_sun_and_use(self):
        log = [Reading(each.at, soc=each.soc if n < 72 else None, solar_wh=each.solar_wh, use_wh=each.use_wh)
               for n, each in enumerate(log_of(80))]
        late = [each for each in self.past(log).sun if each.as_of >= log[72].at]
        self.assertTrue(late and all(each.seen.use_wh and each.seen.level_read is None for each in late))

    def test_evening_readings_of_one_day_are_not_those_of_the_next(self):
        log = readings(*({"soc": 0.6, "solar_wh": 2000.0, "use_wh": 1500.0} for _ in range(80)))
        gone = [each for n, each in enumerate(log) if n != 73]
        found = {(each.as_of, each.days): each.seen for each in self.past(gone).sun}
        self.assertIsNone(found.get((log[72].at, 1), Came()).level_read)
        self.assertEqual(timedelta(days=1), log[1].at - log[0].at)


if __name__ == "__main__":
    unittest.main()
