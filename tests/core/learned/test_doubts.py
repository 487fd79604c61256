"""Worked on paper: a bank of 9600 Wh, four 300 W panels, about 2 kWh used a day."""

import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np

from tests.simulated import log_of as log_of_simulated
from tests.simulated import random_rig, truth_of
from tests.support import NOW, readings, rig, sun_of
from voltaun.core.learned.account import reckon
from voltaun.core.learned.doubts import Doubt, doubts, doubts_of_many
from voltaun.core.learned.left_over import left_of, usual_left
from voltaun.core.log.ledger import intervals
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Bank, Generator
from voltaun.words.sentences import doubt_words

RIG = rig()
SUN = sun_of(RIG)
BEFORE = Reading(NOW - timedelta(days=1), soc=0.60)
SUNSET = datetime(2026, 11, 24, 11, tzinfo=UTC)  # 22:00 in Hobart


def log_of(**day):
    return readings(*({"soc": 0.6, "solar_wh": 2000.0, "use_wh": 1850.0, "sky": "mixed"} | day for _ in range(20)),
                    start=NOW - timedelta(days=21))


class Doubted(unittest.TestCase):
    def slip(self, before, log=None, **figures):
        """(name, kind, what would fit) of what is asked."""
        learned = reckon(RIG, log_of() if log is None else log, SUN).learned
        reading = Reading(before.at + timedelta(hours=24), **figures)
        return [(of.name, of.kind, of.usual) for of in doubts(RIG, learned, before, reading, SUN)]

    def asked(self, log=None, before=BEFORE, hours=24.0, **figures):
        learned = reckon(RIG, log_of() if log is None else log, SUN).learned
        reading = Reading(before.at + timedelta(hours=hours), **figures)
        return [(doubt.name, doubt.kind) for doubt in doubts(RIG, learned, before, reading, SUN)]

    def test_usual_days_are_not(self):
        for figures in ({"soc": 0.58, "solar_wh": 2000, "use_wh": 1850, "sky": "mixed"}, {"soc": 0.55, "solar_wh": 900},
                        {"solar_wh": 60, "sky": "storm"}, {"solar_wh": 185, "sky": "overcast"}, {"use_wh": 5500},
                        {"use_wh": 400}, {"soc": 1.0, "solar_wh": 300, "sky": "clear"}, {"soc": 0.6}, {"note": "x"}):
            self.assertEqual(self.asked(**figures), [], figures)

    def test_a_bank_is_as_warm_as_people_are(self):
        for celsius, odd in ((75, True), (50, False), (51, True), (-30, False), (-31, True), (-40, True)):
            self.assertEqual(self.asked(temp_c=celsius), [("temp_c", "degrees")] * odd, celsius)
        self.assertEqual(doubt_words(Doubt(NOW, "temp_c", "degrees", 75.0, 50.0), RIG),
                         "75 °C at the bank? Other degrees may be meant, or another sign.")

    def test_volts_and_percent_of_a_lead_bank_meet(self):
        for chemistry, volts, soc, odd in (("agm", 11.6, 0.45, True), ("agm", 11.6, 0.34, False),
                                           ("agm", 12.25, 0.78, True), ("agm", 12.25, 0.76, False),
                                           ("agm", 14.2, 0.5, False), ("agm", 9.0, 0.5, False),
                                           ("lfp", 11.6, 0.45, False), ("flooded", 11.9, 0.61, True)):
            of = rig(bank=Bank(chemistry, 12, 400))
            learned = reckon(of, log_of(), SUN).learned
            found = doubts(of, learned, None, Reading(NOW, soc=soc, volts=volts), SUN)
            self.assertEqual([each.kind for each in found], ["rested"] * odd, (chemistry, volts, soc))
        self.assertEqual(doubt_words(Doubt(NOW, "volts", "rested", 11.6, 0.0), RIG),
                         "11.6 V at rest is about 0 %, and the level says more. Which is it?")

    def test_full_in_the_dark_is_asked_about_unless_something_charged(self):
        night, noon = datetime(2026, 11, 23, 15, tzinfo=UTC), datetime(2026, 11, 24, 2, tzinfo=UTC)  # 2:00 and 13:00
        self.assertEqual(self.asked(full_at=night, soc=0.95), [("full_at", "dark")])
        self.assertEqual(self.asked(full_at=night, soc=0.95, generator_wh=900.0), [])
        self.assertEqual(self.asked(full_at=night, soc=0.95, vehicle_hours=2.0), [])
        self.assertEqual(self.asked(full_at=noon, soc=0.95), [])
        self.assertEqual(doubt_words(Doubt(NOW, "full_at", "dark", night.timestamp(), 0.0), RIG),
                         "Full at 02:00, with no sun and nothing else that charged? Is that the hour?")
        # Full 18 h ago (13:00): four times 1.85 kWh a day are 5.55 kWh, and a fifth of 9.6 kWh: 22 % would be left.
        self.assertEqual(self.asked(full_at=noon, soc=0.23, before=replace(BEFORE, soc=0.3)), [])
        self.assertEqual(self.asked(full_at=noon, soc=0.20, before=replace(BEFORE, soc=0.3)), [("full_at", "emptied")])

    def test_a_year_or_a_month_that_slipped(self):
        learned = reckon(RIG, log_of(), SUN).learned

        def asked(log, new, now=NOW, edited=None):
            found = doubts_of_many(RIG, learned, log, new, SUN, now, edited)
            return [(of.name, of.kind, round(of.value)) for of in found if of.name == "at"]
        log = [Reading(NOW - timedelta(days=n), soc=0.6) for n in range(700, 0, -1)]
        for days, odd in ((1, 0), (59, 0), (61, 1), (365, 1), (3650, 1), (56 * 365, 1)):
            reading = Reading(NOW - timedelta(days=days, minutes=7), soc=0.6)
            self.assertEqual(asked(log, [reading]), [("at", "far", days - 1)] * odd, days)  # the log ended a day ago
            self.assertEqual(asked(log, [reading], edited=reading.at), [])
        # After a winter away one goes on at the old end; a paper log of long ago holds itself.
        old = [Reading(NOW - timedelta(days=n), soc=0.6) for n in range(400, 300, -1)]
        self.assertEqual(asked(old, [Reading(NOW - timedelta(days=299), soc=0.6)]), [])
        self.assertEqual(asked([], old), [])
        slipped = replace(old[50], at=old[50].at - timedelta(days=365))
        self.assertEqual(asked([], [slipped, *old]), [("at", "far", 315)])
        self.assertEqual(doubt_words(Doubt(NOW - timedelta(days=365), "at", "far", 365.0, 0.0), RIG),
                         "25 November 2025 is 365 days from the end of the log. Is it that day?")

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
        self.assertEqual(self.asked(soc=0.50, use_wh=500.0, hours=20), [])
        # After a dark night nothing charged: no monitor sets itself to full then.
        dark = Reading(SUNSET, soc=0.61)
        self.assertEqual(self.asked(before=dark, soc=0.99, use_wh=700.0, solar_wh=0.0, hours=8), [("soc", "rise")])

    def test_a_figure_that_all_the_others_contradict(self):
        # 0.95 × (3496 − 0.35 × 4349) − 0.65 × 4349 − 48 Wh leave 1000 of 9600: 61 % falls to 51 %.
        before = Reading(BEFORE.at, soc=0.61)
        day = {"soc": 0.51, "solar_wh": 3496.0, "use_wh": 4349.0, "sky": "mixed"}
        self.assertEqual(self.slip(before, **day), [])
        for figures, told in (({"soc": 0.048}, ("soc", "slip", 0.48)), ({"soc": 0.84}, ("soc", "level", 0.506)),
                              ({"soc": 0.31}, ("soc", "level", 0.506)),
                              ({"solar_wh": 349.6, "sky": None}, ("solar_wh", "slip", 3496.0)),
                              ({"use_wh": 434.9}, ("use_wh", "slip", 4349.0))):
            (found,) = self.slip(before, **day | figures)
            self.assertEqual(found[:2], told[:2], figures)
            self.assertAlmostEqual(found[2], told[2], delta=0.01, msg=figures)
        # In the first days the label says how large the bank is, and more is let pass.
        first = log_of()[:2]
        self.assertEqual(self.slip(before, log=first, **day | {"soc": 0.40}), [])
        self.assertEqual(self.slip(before, log=first, **day | {"soc": 0.90, "solar_wh": 500.0})[0][0], "soc")
        self.assertEqual(self.slip(before, log=first, **day | {"soc": 0.05})[0][:2], ("soc", "slip"))
        # 18 points too few: let pass where the level rose by 32, asked about where it hardly moved.
        low, flows = Reading(BEFORE.at, soc=0.20), {"solar_wh": 5000.0, "use_wh": 0.0}
        self.assertEqual(self.slip(low, log=first, soc=0.52, **flows), [])
        self.assertEqual(self.slip(before, log=first, soc=0.62, solar_wh=2000.0, use_wh=0.0)[0][0], "solar_wh")

    def test_what_this_log_leaves_is_nothing_odd_in_it(self):
        # A display that wanders by ten points: what stands out elsewhere is usual here.
        rng = np.random.default_rng(3)
        wandering = readings(*({"soc": float(0.6 + rng.uniform(-0.1, 0.1)), "solar_wh": 2000.0, "use_wh": 1850.0}
                               for _ in range(60)), start=NOW - timedelta(days=61))
        for log, asked in ((None, 1), (wandering, 0)):
            self.assertEqual(len(self.slip(BEFORE, log, soc=0.48, solar_wh=2000.0, use_wh=1850.0)), asked)

    def test_neither_a_jump_nor_one_slip_in_forty_is_usual(self):
        day = {"soc": 0.6, "solar_wh": 2000.0, "use_wh": 1850.0}
        log = readings(*(day for _ in range(60)), start=NOW - timedelta(days=61))
        log[30] = replace(log[30], use_wh=9000.0)
        made = intervals(RIG, log, SUN)
        self.assertLess(usual_left(made, None, 9600)["read"].most, 0.02)
        self.assertIsNotNone(left_of(made[0], None, 9600))
        self.assertIsNone(left_of(replace(made[0], marks=("reset",)), None, 9600))

    def test_slips_stand_out_in_made_up_logs_and_honest_readings_do_not(self):
        asked, honest, found, slips = 0, 0, 0, 0
        for seed in range(4):
            rng = np.random.default_rng(seed)
            of = random_rig(rng)
            log = log_of_simulated(of, truth_of(of, rng), rng, 150)
            learned, sun = reckon(of, log[:90], sun_of(of)).learned, sun_of(of)
            for before, reading in zip(log[89:], log[90:], strict=False):
                honest += 1
                asked += bool(doubts(of, learned, before, reading, sun))
                for name in ("soc", "use_wh"):
                    slip = replace(reading, **{name: getattr(reading, name) / 10})
                    slips += 1
                    found += bool(doubts(of, learned, before, slip, sun))
        self.assertLessEqual(asked, 3 + honest / 200)
        self.assertGreater(found, 0.95 * slips)

    def test_next_to_nothing_was_meant_in_another_unit(self):
        for log in ([], log_of()[:2]):
            self.assertEqual(self.asked(log, solar_wh=1.9), [("solar_wh", "tiny")])
        self.assertEqual(self.asked([], use_wh=1.2), [("use_wh", "tiny")])
        for honest in ({"solar_wh": 0.0}, {"use_wh": 0.0}, {"use_wh": 40.0}, {"solar_wh": 60.0}):
            self.assertEqual(self.asked([], **honest), [], honest)
        self.assertEqual(doubt_words(Doubt(NOW, "solar_wh", "tiny", 1.9, 8000.0, 24.0), RIG),
                         "2 Wh of sun in 24 h: a clear sky could bring 8.00 kWh. Is it in Wh?")
        self.assertEqual(doubt_words(Doubt(NOW, "soc", "slip", 0.048, 0.48), RIG),
                         "4.8 %: with the other figures 48 % would fit. Is that the level?")

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
        self.assertEqual([(doubt.at, doubt.name) for doubt in doubts_of_many(RIG, learned, [], log, SUN, NOW)],
                         [(log[12].at, "use_wh")])
