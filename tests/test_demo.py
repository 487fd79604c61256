import unittest
from datetime import UTC, date, datetime, timedelta

from tests.support import NOW, DatabaseCase, serving, sun_of
from voltaun.core.instants import day_start
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.outlook import outlook
from voltaun.core.sizing.choices import Limits, offer_of
from voltaun.core.sizing.simulation import AdditionsAsk, simulate_additions
from voltaun.database import readings, rigs
from voltaun.demo import honey_house, orchard_trailer, weighed
from voltaun.demo.fill import fill
from voltaun.formats.price_list import read_prices
from voltaun.words.additions import answer

CLOCKS = (NOW, datetime(2026, 2, 3, 9, 30, tzinfo=UTC), datetime(2027, 6, 20, 3, 0, tzinfo=UTC))


class HoneyHouse(unittest.TestCase):
    def log(self, now=NOW, seed=honey_house.SEED):
        return honey_house.log(now, sun_of(honey_house.RIG), seed)

    def test_the_same_seed_and_clock_make_the_same_log(self):
        self.assertEqual(self.log(), self.log())
        self.assertNotEqual(self.log(), self.log(seed=8))

    def test_it_opens_on_a_level_of_today_at_any_hour_of_the_day(self):
        for hour, looks in ((7.1, []), (7.2, [7]), (10.2, [7, 10]), (12.9, [7, 10]), (18.4, [7, 16])):
            seen = [each.at.astimezone(honey_house.RIG.zone) for each in self.log(
                day_start(date(2026, 11, 25), honey_house.RIG.zone) + timedelta(hours=hour))]
            self.assertEqual([at.hour for at in seen if at.date() == date(2026, 11, 25)], looks)

    def test_it_has_the_habits_of_the_scenario_at_any_clock(self):
        for now in CLOCKS:
            with self.subTest(now):
                log = self.log(now)
                self.assertLessEqual(log[-1].at, now)
                self.assertLess(now - log[-1].at, timedelta(hours=13))  # this morning, or last evening
                while log[-1].at.astimezone(honey_house.RIG.zone).hour in (7, 10, 13, 16):
                    glance = log.pop()
                    self.assertEqual(glance, Reading(glance.at, soc=glance.soc))
                local = [reading.at.astimezone(honey_house.RIG.zone) for reading in log]
                self.assertEqual(len(log), 76 - 2)
                gaps = [after.at - before.at for before, after in zip(log, log[1:], strict=False)]
                self.assertEqual(sum(gap > timedelta(hours=40) for gap in gaps), 2)  # the days nobody looked
                self.assertEqual(sum(at.hour < 9 for at in local), 1)
                self.assertGreater(len({(at.hour, at.minute) for at in local}), 8)
                self.assertEqual(sum(reading.solar_wh is None for reading in log), 7)
                self.assertGreaterEqual(sum(reading.generator_wh is not None for reading in log), 2)
                self.assertEqual(sum(reading.vehicle_hours is not None for reading in log), 7)

    def test_several_days_are_full_before_two(self):
        full = [reading.full_at.astimezone(honey_house.RIG.zone).hour for reading in self.log() if reading.full_at]
        self.assertGreaterEqual(sum(hour < 14 for hour in full), 5)

    def test_a_year_is_somewhat_short_and_an_answer_lies_within_the_limits(self):
        of, sun, asked = honey_house.RIG, sun_of(honey_house.RIG), weighed.QUESTION["numbers"]
        log = self.log()
        limits = Limits(asked["budget"], None, asked["roof_m2"])
        offer = offer_of(of, panels=8, strings=3, products=tuple(read_prices(weighed.PRICES.encode())), limits=limits)
        told, ridge = known(of, log, sun, NOW), weighed.ridge(of.place)
        found = simulate_additions(AdditionsAsk(of, told, sun, [ridge], {}, offer))
        self.assertTrue(20 <= found.outcomes[0].below.p50 <= 45, found.outcomes[0].below)
        self.assertIsNotNone(found.best)
        best, said = found.choices[found.best], " ".join(answer(found))
        self.assertTrue(0 < best.price <= 3000 and best.roof_m2 <= 18 and not best.measures, best)
        self.assertRegex(said, r"Not buying: running Petrol set .*, about \d+ h and \d+ litres a year")

    def test_it_opens_on_a_morning_when_the_answers_matter(self):
        for now in CLOCKS:
            self.assertTrue(0.3 <= self.log(now)[-1].soc <= 0.6, (now, self.log(now)[-1]))

    def test_the_outlook_holds_what_came(self):
        """The band of eight in ten for tomorrow's sun, made each day with what was known then, against the truth."""
        sun, of = sun_of(honey_house.RIG), honey_house.RIG
        log, held, made = self.log(seed=11), 0, 0
        for n in range(30, len(log) - 1):
            after = log[n + 1]
            if after.solar_wh is None or not 20 < (after.at - log[n].at) / timedelta(hours=1) < 28:
                continue
            at = log[n].at
            seen = outlook(Ask(of, known(of, log, sun, at), sun, at, days=1, futures=500)).days[0].solar_wh
            made += 1
            held += seen.p10 <= after.solar_wh <= seen.p90
        self.assertGreater(made, 25)
        self.assertTrue(0.6 <= held / made <= 0.97, f"{held} of {made}")


class OrchardTrailer(unittest.TestCase):
    def test_it_is_read_twice_a_day_and_what_was_driven_stands_there(self):
        of = orchard_trailer.rig(NOW)
        log = orchard_trailer.log(NOW, sun_of(of))
        self.assertEqual(len(log), 2 * 18)
        # Two hours on the first day, then one and a half, one and three quarters, and one.
        driven = [each.vehicle_hours for each in log if each.vehicle_hours]
        self.assertAlmostEqual(sum(driven), 6.25, delta=0.3)
        self.assertEqual(len(driven), 4)


class Filling(DatabaseCase):
    def test_filled_once(self):
        first, again = fill(self.db, NOW), fill(self.db, NOW)
        self.assertEqual(first, again)
        kept = rigs.get(self.db, first).rig
        self.assertEqual((kept.bank, kept.arrays, [load.name for load in kept.loads]),
                         (honey_house.RIG.bank, honey_house.RIG.arrays, [load.name for load in honey_house.RIG.loads]))
        self.assertEqual([name for _, name in rigs.names(self.db)], ["Honey house", "Orchard trailer", "Test rig"])
        self.assertEqual(len(readings.everything(self.db, first)), 74)

    def test_the_demo_command_serves_it(self):
        import urllib.request
        with (serving(self.path.with_name("demo.db"), command="demo") as address,
              urllib.request.urlopen(address + "/1/today") as page):
            self.assertIn("of power without any charging", page.read().decode())
