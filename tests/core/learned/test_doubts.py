"""Worked on paper: a bank of 9600 Wh, four 300 W panels, about 2 kWh used a day."""

import unittest
from dataclasses import replace
from datetime import timedelta

from tests.support import NOW, readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.learned.doubts import doubts, doubts_of_many
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Generator

RIG = rig()
SUN = sun_of(RIG)
BEFORE = Reading(NOW - timedelta(days=1), soc=0.60)


def log_of(**day):
    return readings(*({"soc": 0.6, "solar_wh": 2000.0, "use_wh": 1850.0, "sky": "mixed"} | day for _ in range(20)),
                    start=NOW - timedelta(days=21))


class Doubted(unittest.TestCase):
    def asked(self, log=None, before=BEFORE, hours=24.0, **figures):
        learned = reckon(RIG, log_of() if log is None else log, SUN).learned
        reading = Reading(before.at + timedelta(hours=hours), **figures)
        return [(doubt.name, doubt.kind) for doubt in doubts(RIG, learned, before, reading, SUN)]

    def test_usual_days_are_not(self):
        for figures in ({"soc": 0.58, "solar_wh": 2000, "use_wh": 1850, "sky": "mixed"}, {"soc": 0.55, "solar_wh": 900},
                        {"solar_wh": 60, "sky": "storm"}, {"solar_wh": 185, "sky": "overcast"}, {"use_wh": 5500},
                        {"use_wh": 400}, {"soc": 1.0, "solar_wh": 300, "sky": "clear"}, {"soc": 0.6}, {"note": "x"}):
            self.assertEqual(self.asked(**figures), [], figures)

    def test_a_nought_too_few_or_too_many(self):
        self.assertEqual(self.asked(solar_wh=185, sky="mixed"), [("solar_wh", "little")])
        self.assertEqual(self.asked(solar_wh=20_000, sky="clear"), [("solar_wh", "much")])
        self.assertEqual(self.asked(use_wh=18_500), [("use_wh", "much")])
        self.assertEqual(self.asked(use_wh=185), [("use_wh", "little")])
        self.assertEqual(self.asked(use_wh=1.85), [("use_wh", "little")])
        # Just inside the bounds: four times the usual, a sixth of it.
        self.assertEqual((self.asked(use_wh=7390), self.asked(use_wh=310)), ([], []))

    def test_little_is_nothing_odd_in_a_night_or_under_a_full_bank(self):
        self.assertEqual(self.asked(use_wh=20, hours=11), [])
        nearly = Reading(BEFORE.at, soc=0.94)
        self.assertEqual(self.asked(before=nearly, solar_wh=185, sky="clear", soc=0.95), [])

    def test_a_level_that_cannot_be(self):
        # 300 Wh came in: from 60 % of 9600 Wh that is 63 % at the most, and 12 % slack.
        self.assertEqual(self.asked(soc=0.90, solar_wh=300), [("soc", "rise")])
        self.assertEqual(self.asked(soc=0.74, solar_wh=300), [])
        self.assertEqual(self.asked(soc=1.0, solar_wh=300), [])  # a monitor that set itself to full
        # 500 Wh were used, 48 Wh standby: 54 % at the least, and 18 % slack.
        self.assertEqual(self.asked(soc=0.30, use_wh=500.0, hours=20), [("soc", "fall")])
        self.assertEqual(self.asked(soc=0.38, use_wh=500.0, hours=20), [])

    def test_hours_and_volts(self):
        self.assertEqual(self.asked(generator_hours=25.5), [("generator_hours", "hours")])
        self.assertEqual((self.asked(generator_hours=25.0), self.asked(volts=26.4)), ([], []))
        self.assertEqual((self.asked(volts=13.2), self.asked(volts=264)), ([("volts", "volts")],) * 2)

    def test_more_than_a_source_can_give_in_the_time(self):
        # 900 W for a day are 21.6 kWh; with three tenths of room and 50 Wh, 28.13 kWh. A rig without one is not asked.
        of = replace(RIG, generators=(Generator("Set", 900),))
        for wh, asked in ((28_100.0, []), (28_200.0, [("generator_wh", "most")])):
            told = Reading(BEFORE.at + timedelta(hours=24), generator_wh=wh)
            learned = reckon(RIG, log_of(), SUN).learned
            self.assertEqual([(each.name, each.kind) for each in doubts(of, learned, BEFORE, told, SUN)], asked)
            self.assertEqual(doubts(replace(RIG, generators=()), learned, BEFORE, told, SUN), [])

    def test_a_new_log_knows_only_the_sky(self):
        self.assertEqual(self.asked(log=[], use_wh=18_500), [])
        self.assertEqual(self.asked(log=[], solar_wh=185, sky="mixed"), [("solar_wh", "little")])

    def test_in_many_the_odd_one_is_found_among_the_rest(self):
        log = log_of()
        log[12] = Reading(log[12].at, soc=0.6, solar_wh=2000.0, use_wh=18_500.0)
        learned = reckon(RIG, log, SUN).learned
        self.assertEqual([(doubt.at, doubt.name) for doubt in doubts_of_many(RIG, learned, [], log, SUN)],
                         [(log[12].at, "use_wh")])
