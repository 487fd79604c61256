import html
import re
import threading
from dataclasses import replace
from datetime import date, timedelta
from unittest import mock

import numpy as np
from werkzeug.datastructures import MultiDict

from tests.pages.test_pages import PagesCase
from tests.simulated import Truth, log_of
from tests.support import NOW, environment, readings
from voltaun.core.log.reading import Reading
from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.parts import Engine, Generator, Inverter, Load
from voltaun.core.sky.clear_sky import planes
from voltaun.database import archive, monitors, plans, rigs
from voltaun.database.connection import transaction
from voltaun.intake import forecast as forecasts
from voltaun.pages.outlook.asked import Asked, begins
from voltaun.standins import sky as standin

TODAY = date(2026, 11, 25)


class OutlookCase(PagesCase):
    def setUp(self):
        super().setUp()
        self.rig = replace(self.rig, generators=(Generator("Set", 900, 0.7),), vehicles=(Engine("Ute", 300),),
                           loads=(Load("Cabinet", 1500, "ac", 250), Load("Lights", 300, "dc", 40)))
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), self.rig, NOW)
        self.assertEqual(len(planes(self.rig)), 1)
        truth = Truth(rated_energy(self.rig.bank), 5.0, 0.95)
        self.keep(*log_of(self.rig, truth, np.random.default_rng(3), 60, start=NOW - timedelta(days=60)))

    def show(self, asked=""):
        return self.client.get(f"/1/outlook{asked}").text


class WhatIf(OutlookCase):
    def test_use_loads_and_hours_change_the_fan_and_are_said_in_words(self):
        plain = self.show()
        self.hides("fan-before", plain)
        for asked, told in (("?use=60", "Using 60 % more"), ("?off=Cabinet", "Doing without Cabinet until"),
                            (f"?generator=3&on={TODAY}", "Running the generator 3 h today"),
                            (f"?drive=2&on={TODAY + timedelta(days=1)}", "Driving 2 h tomorrow from 9:00"),
                            ("?load=1000&begin=18&end=21:30", "A load of 1\u202f000 W today from 18:00 to 21:30"),
                            ("?load=1000&begin=18", "today from 18:00 to 23:00"),
                            ("?load=1000&begin=22:45", "today from 22:45 to 23:45")):
            page = self.show(asked)
            self.shows("fan-before", page)
            self.shows(told, page)
        self.assertEqual(plans.current(self.db, 1, TODAY), [])

    def test_headline_and_table_are_those_of_the_what_if_and_say_so(self):
        plain, page = self.show(), self.show("?use=-60")
        self.shows("What if, and not as things stand: using 60 % less.", page)
        self.hides("What if, and not", plain)
        parts = [re.search(r'<h1 class="answer">(.*?)</h1>.*?Day by day</h2>(.*?)</table>', self.client.get(
            f"/1/outlook/days{query}").text, re.DOTALL).groups() for query in ("", "?use=-60")]
        self.assertIn('href="/1/outlook/days?use=-60"', page)  # the question goes along to the other leaves
        self.assertNotEqual(parts[0][0], parts[1][0])
        self.assertNotEqual(parts[0][1], parts[1][1])
        # A sky that is tapped meanwhile leaves the question as it is.
        tapped = self.post("/1/outlook/sky?use=-60", {"sky": f"{TODAY}=clear"})
        self.assertIn("/1/outlook?use=-60#sky", tapped.headers["Location"])

    def test_a_load_more_passes_through_the_inverter_or_is_refused_by_it(self):
        """500 W for 4 h: 2 kWh on the battery's side; behind the inverter through its 90 %, and its 10 W."""
        inverter = Inverter(10, 0.9, continuous_w=600, hours_on_per_day=2)
        for rig, side, wh in ((replace(self.rig, inverter=inverter), "", 4 * (500 / 0.9 + 10)),
                              (replace(self.rig, inverter=inverter), "dc", 2000),
                              (replace(self.rig, inverter=None), "", 2000)):
            given = MultiDict({"load": "500", "side": side, "begin": "18", "end": "22"})
            asked = Asked.of(replace(rig, loads=()), NOW, given)
            self.assertAlmostEqual(asked.plans[0].amount, wh, msg=(rig.inverter, side))
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, inverter=inverter), NOW)
        self.shows("expected 600 W at the most: the inverter gives no more.", self.show("?load=1500&begin=18"))
        self.hides("gives no more", self.show("?load=1500&begin=18&side=dc"))

    def test_an_option_is_tried_on(self):
        page = self.show("?panels=2&strings=1")
        self.shows("What if, and not as things stand: with two panels and one string more.", page)
        self.shows("fan-before", page)
        self.shows("With two panels and one string more", page)
        self.assertEqual(rigs.get(self.db, 1).rig, self.rig)
        self.shows("expected panels more, 0 to 40", self.show("?panels=many"))

    def test_hours_that_are_over_change_nothing_and_that_is_said(self):
        # It is seven in the morning there.
        for asked in ("?load=500&begin=3&end=6", "?generator=2&begin=4:30"):
            page = self.show(f"{asked}&on={TODAY}")
            self.shows("today, which is over; expected a later time, or another day.", page)
            self.hides("What if, and not", page)
        self.hides("which is over", self.show(f"?load=500&begin=5&end=8&on={TODAY}"))

    def test_bad_figures_are_said_and_stay_typed(self):
        page = self.show("?generator=lots&on=someday&use=900&begin=noon")
        for words in ("expected a time of the day", "expected hours, 0 to 24", "expected a coming day",
                      "expected percent more or less", 'value="lots"'):
            self.shows(words, page)
        self.assertEqual(self.client.get("/1/outlook?off=%00&until=9999-99-99&use=nan").status_code, 200)


class Sky(OutlookCase):
    def tap(self, day, word, **options):
        return self.post("/1/outlook/sky", {"sky": f"{day}={word}"}, **options)

    def test_a_tap_narrows_its_day_and_another_takes_it_away(self):
        self.tap(TODAY + timedelta(days=2), "storm")
        self.assertEqual(plans.skies(self.db, 1, TODAY, TODAY + timedelta(days=10)), {date(2026, 11, 27): "storm"})
        page = self.show()
        self.assertIn('value="2026-11-27=" aria-pressed="true"', page)  # pressed again it takes the word away
        self.assertIn('id="sky-2026-11-27-clear" name="sky" value="2026-11-27=clear" aria-pressed="false"', page)
        self.shows("storm expected", self.client.get("/1/today").text)
        self.tap(TODAY + timedelta(days=2), "")
        self.assertEqual(plans.skies(self.db, 1, TODAY, TODAY + timedelta(days=10)), {})
        for day, word in ((TODAY - timedelta(days=1), "clear"), (TODAY, "fog"), ("soon", "clear"),
                          (TODAY + timedelta(days=99), "clear")):
            self.assertEqual(self.tap(day, word).status_code, 400)

    def test_after_sunset_the_sky_of_today_changes_nothing_and_that_is_said(self):
        told = "The sun is down: today’s sky changes nothing any more."
        for hours, day, is_said in ((0, TODAY, False), (14, TODAY, True), (14, TODAY + timedelta(days=1), False)):
            with mock.patch.dict("os.environ", environment(NOW + timedelta(hours=hours))):
                page = html.unescape(self.tap(day, "storm", follow_redirects=True).text)
            self.assertEqual(told in page, is_said, (hours, day))

    def test_the_last_word_of_several_days_stands(self):
        day = TODAY + timedelta(days=2)
        with transaction(self.db):
            for ago, word in ((0, "clear"), (3, "storm"), (1, "mixed")):
                plans.give_sky(self.db, 1, day, TODAY - timedelta(days=ago), word)
        self.assertEqual(plans.skies(self.db, 1, TODAY, day), {day: "clear"})
        past = plans.past_skies(self.db, 1, TODAY, day + timedelta(days=1))
        self.assertEqual(sorted(past), [(day, 2, "clear"), (day, 3, "mixed"), (day, 5, "storm")])

    def serve(self, **more):
        server = standin.server(0, **more)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        return f"http://127.0.0.1:{server.server_address[1]}"

    def fetch(self, address):
        return self.post("/1/outlook/forecast", {"address": address}, follow_redirects=True).text

    def test_from_the_forecast_service(self):
        address = self.serve()
        self.shows("The sky of eleven days came in", self.fetch(address))
        given = plans.skies(self.db, 1, TODAY, TODAY + timedelta(days=10))
        self.assertEqual([{"date": str(day), "sky": word} for day, word in given.items()], standin.words(TODAY, 11))
        self.assertEqual(monitors.setting(self.db, 1, "forecast_address", ""), address)

    def test_trouble_changes_nothing(self):
        for address, words in ((self.serve(garbled=True), "cannot be read"), ("http://127.0.0.1:9", "does not answer"),
                               ("http://example.org", "Voltaun asks nobody else")):
            self.shows(words, self.fetch(address))
        self.assertEqual(plans.skies(self.db, 1, TODAY, TODAY + timedelta(days=10)), {})
        with self.assertRaises(forecasts.NoForecast):
            forecasts.fetch(self.serve(garbled=True), TODAY, 3)


class Plans(OutlookCase):
    def plan(self, **typed):
        return self.post("/1/outlook/plans", {"first": "2026-11-27"} | typed)

    def test_kept_shown_counted_and_taken_back(self):
        kept = self.post("/1/outlook/plans", {"kind": "guests", "first": "2026-11-27", "last": "2026-11-29",
                                              "name": "Market folk"}, follow_redirects=True).text
        self.shows("Planned: Market folk, use × 1.4", kept)
        self.shows("plan-mark", self.show())
        self.shows("Market folk", self.client.get("/1/today").text)
        (only,) = plans.current(self.db, 1, TODAY)
        self.post(f"/1/outlook/plans/{only.id}")
        self.assertEqual(plans.current(self.db, 1, TODAY), [])
        self.post(f"/1/outlook/plans/{only.id}", {"back": "yes"})
        self.assertEqual([each.plan for each in plans.current(self.db, 1, TODAY)], [only.plan])
        self.assertEqual(self.post("/1/outlook/plans/99").status_code, 404)

    def test_hours_are_shown_and_changed(self):
        self.plan(kind="add", amount="1 kWh", begin="18", end="23:30", name="Heater")
        (kept,) = plans.current(self.db, 1, TODAY)
        self.assertEqual((kept.plan.begin, kept.plan.end), (18.0, 23.5))
        self.shows("Heater added, 1.00 kWh a day, 18:00 to 23:30", self.show())
        form = self.client.get(f"/1/outlook/plans?change={kept.id}").text
        for figure in ('value="1000"', 'value="18:00"', 'value="23:30"', 'value="Heater"',
                       f'name="instead" value="{kept.id}"'):
            self.shows(figure, form)
        changed = self.plan(kind="add", amount="500", begin="22", end="2", instead=str(kept.id), follow_redirects=True)
        self.assertEqual(changed.status_code, 303)
        (after,) = plans.current(self.db, 1, TODAY)
        self.assertEqual((after.plan.amount, after.plan.hours), (500.0, (22.0, 26.0)))
        self.shows("Changed; planned now: a load added, 500 Wh a day, 22:00 to 2:00", self.show())
        # Taken back, it is as it was.
        self.post(f"/1/outlook/plans/{kept.id}", {"back": "yes", "instead": str(after.id)})
        self.assertEqual(plans.current(self.db, 1, TODAY), [kept])
        self.assertEqual(self.plan(kind="away", instead="99").status_code, 404)
        self.assertEqual(plans.current(self.db, 1, TODAY), [kept])

    def test_guests_are_people_or_a_factor_and_it_says_which(self):
        self.plan(kind="people", amount="3")
        self.plan(kind="guests", amount="1.5", name="A feast")
        page = self.client.get("/1/outlook/plans").text
        self.shows("3 guests, use × 1.6", page)  # a fifth more each
        self.shows("A feast, use × 1.5", page)

    def test_what_is_planned_today_without_a_time_is_still_to_come(self):
        # It is seven in the morning there: the usual nine o'clock is ahead; at 21:05 it would be a quarter past.
        self.assertEqual(begins("drive", TODAY, NOW, self.rig), 9.0)
        late = NOW + timedelta(hours=14, minutes=5)
        self.assertEqual(begins("drive", TODAY, late, self.rig), 21.25)
        self.assertEqual(begins("generator", TODAY + timedelta(days=1), late, self.rig), 17.0)

    def test_every_kind_as_it_is_typed(self):
        for kind, amount, found in (("drive", "1 h 30", 1.5), ("generator", "2", 2.0), ("add", "1.2 kWh", 1200.0),
                                    ("away", "0.1", 0.1)):
            self.assertEqual(self.plan(kind=kind, amount=amount).status_code, 303, kind)
            self.assertIn(found, [each.plan.amount for each in plans.current(self.db, 1, TODAY)])
        self.assertEqual(self.plan(kind="leave_off", load="Cabinet").status_code, 303)
        self.assertEqual(self.client.get("/1/outlook").status_code, 200)
        again = archive.rig_archive(self.db, 1)
        self.assertEqual(len(again["plan"]), 5)

    def test_bad_plans_are_refused_in_words(self):
        for typed, words in (({"kind": "drive"}, "expected hours a day"),
                             ({"kind": "drive", "amount": "40"}, "expected"),
                             ({"kind": "mains", "amount": "2"}, "no such source"),
                             ({"kind": "leave_off"}, "a load to do without"),
                             ({"kind": "fly"}, "one of the kinds"), ({"kind": "away", "first": ""}, "Found no day"),
                             ({"kind": "away", "first": "2026-11-27", "last": "2026-11-26"}, "the earlier day first"),
                             ({"kind": "away", "first": "2026-11-20", "last": "2026-11-24"}, "over by 24 Nov 2026"),
                             ({"kind": "drive", "amount": "1", "begin": "25"}, "a time of the day"),
                             ({"kind": "add", "amount": "500", "begin": "18"}, "expected both"),
                             ({"kind": "people", "amount": "some"}, "expected a number"),
                             ({"kind": "away", "first": "Whitsun"}, "expected a day, such as")):
            answer = self.plan(**typed)
            self.assertEqual(answer.status_code, 422, typed)
            self.shows(words, answer.text)
        self.assertEqual(plans.current(self.db, 1, TODAY), [])


class Rule(OutlookCase):
    def test_kept_counted_and_let_go(self):
        page = self.post("/1/outlook/rule", {"start": "40", "stop": "80%", "from_hour": "7", "litres": "10"},
                         follow_redirects=True).text
        self.shows("It runs from 40 % to 80 %, between 7:00 and 24:00, on at most 10.0 litres.", page)
        self.assertEqual(plans.rule(self.db, 1).litres, 10)
        self.shows("the generator from 40 % to 80 %", self.client.get("/1/outlook/basis").text)
        bad = self.post("/1/outlook/rule", {"start": "80", "stop": "40"})
        self.assertEqual(bad.status_code, 422)
        self.shows("the lower level first", bad.text)
        self.shows("expected a percent", self.post("/1/outlook/rule", {"start": "a lot", "stop": "40"}).text)
        # Two hours of it at 900 W and 0.7 l are 1.4 of the ten; what ran before they were noted is no part of them.
        self.keep(Reading(NOW - timedelta(minutes=30), soc=0.6, generator_wh=900.0),
                  Reading(NOW + timedelta(hours=20), soc=0.8, generator_wh=1800.0))
        with mock.patch.dict("os.environ", environment(NOW + timedelta(hours=21))):
            page = self.client.get("/1/outlook/plans").text
            self.shows("By the log 8.6 of the 10 litres are left.", page)
            self.assertRegex(page, r'name="litres"\s+value="8.6"')
        self.post("/1/outlook/rule", {"none": "yes"})
        self.assertIsNone(plans.rule(self.db, 1))


class Past(OutlookCase):
    def test_made_again_on_demand(self):
        page = self.client.get("/1/outlook/past").text
        held, outlooks = re.search(r"the sun came within its range (\d+) of (\d+) times", page).groups()
        self.assertGreater(int(outlooks), 30)
        self.assertGreaterEqual(int(held), 0.6 * int(outlooks))
        self.shows("The last seven days again", page)
        for words in ("Use held", "Level held", "Below your floor within ten days: said and come"):
            self.shows(words, page)
        self.assertRegex(page, r"Of \d+ times it said .*, it came (never|once|\d+ times)\.")
        part = self.client.get("/1/outlook/past", headers={"HX-Request": "true"}).text
        self.hides("<main", part)

    def test_too_little(self):
        self.db.execute("UPDATE reading SET removed = 1 WHERE id > 5")
        self.shows("too little of the log", self.client.get("/1/outlook/past").text)


class Stale(PagesCase):
    def test_a_log_a_month_old_claims_no_level(self):
        self.keep(*readings({"soc": 0.5}, {"soc": 0.6, "solar_wh": 2000}, start=NOW - timedelta(days=40)))
        self.shows("days old", self.client.get("/1/outlook").text)
        self.hides("fan-outer", self.client.get("/1/outlook").text.split("<main")[1])
