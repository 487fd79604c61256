"""Additions as it is seen: the answer, the field, what is asked, the price list, the weather of the place."""

import csv
import io
import re
import time
from contextlib import closing
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import pvlib
from flask import g

from tests.core.outlook.test_outlook import log_of
from tests.formats.test_weather_file import epw
from tests.pages.test_pages import PagesCase
from tests.support import NOW, readings
from voltaun.core.learned.capacity_fit import Estimate, Held
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Engine, Load
from voltaun.core.sizing.worksheet import Option
from voltaun.core.sky.model import SKY
from voltaun.database import archive, connection, rigs, weather
from voltaun.database.connection import transaction
from voltaun.database.monitors import put_setting, setting
from voltaun.pages import context
from voltaun.pages.additions import asked, simulated

PRICES = "name,kind,size,price,weight_kg,area_m2\nRoof panel,panel,300,150,17,1.6\nUnit,battery,4800,1100,45,\n"
HERE = "/1/additions"


class AdditionsCase(PagesCase):
    def setUp(self):
        super().setUp()
        self.rig = replace(self.rig, vehicles=(Engine("Ute", 320),))
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), self.rig, NOW)
            asking = asked.kept(self.db, 1)
            asking.numbers |= {"panels": 2, "strings": 1}
            asked.keep(self.db, 1, asking)
        log = log_of(60, use_wh=2600)
        late = NOW - log[-1].at
        self.keep(*(Reading(each.at + late, soc=each.soc, solar_wh=each.solar_wh, use_wh=each.use_wh) for each in log))

    def show(self, more=""):
        return self.client.get(HERE + more).text

    def sharp(self):
        """The simulated part over all of the years, once they are run."""
        for _ in range(100):
            answer = self.client.get(HERE + "/years")
            if "HX-Retarget" in answer.headers:
                return answer.text
            self.shows("40 are being run", answer.text)
        raise AssertionError("the years were never done")


class Answer(AdditionsCase):
    def test_the_answer_the_field_and_the_rest_in_time(self):
        page = self.show()
        for words in ("Over 6 years so far; 40 are being run", 'hx-get="/1/additions/years"',
                      "Days short in a usual year", "Best for its price",
                      "What the log has not seen is a guess.", "No price list is kept"):
            self.shows(words, page)
        self.shows("An hour’s drive with Ute every three days", self.show("/without"))
        self.shows("To live on", self.show("/worksheet"))
        self.assertEqual(self.client.get(HERE + "/nowhere").status_code, 404)
        self.assertEqual(page.count("#option\" data-panels="), 6)
        sharp = self.sharp()
        self.shows("Over 40 years of weather", sharp)
        self.hides("being run", sharp)
        self.shows("Over 40 years of weather", self.show())  # what was run is kept

    def test_an_option_is_opened_with_its_figures(self):
        self.sharp()
        page = self.show("?at=2-1")
        self.shows('<h2 id="option">Two panels and one string</h2>', page)
        self.assertRegex(" ".join(page.split()), r"Your log’s \d+ days in a row again: (\d+|none) below your floor")
        self.shows('<h2 id="option">An hour’s drive with Ute every three days</h2>',
                   self.show("?at=0-0 drive:Ute hours=1 every=3"))
        self.assertEqual(self.client.get(HERE + "?at=%00<b>").status_code, 200)

    def test_the_table_as_a_file(self):
        answer = self.client.get(HERE + ".csv")
        lines = answer.text.splitlines()
        self.assertEqual((answer.mimetype, len(lines)), ("text/csv", 1 + 6 + 1))
        self.assertTrue(lines[1].startswith("0,0,as it is now,"))

    def test_a_log_that_ended_long_ago_still_tells(self):
        with mock.patch("voltaun.clock.now", return_value=NOW + timedelta(days=900)):
            page = self.show()
        self.shows("From your log", page)
        self.shows("Days short in a usual year", page)

    def test_without_use_or_sun_the_worksheet_says_why(self):
        self.db.execute("DELETE FROM reading")
        self.shows("What to add follows from what you use.", self.show())
        self.shows("To live on 2.00 kWh a day", self.show("?use_wh_per_day=2000"))
        self.assertEqual(self.client.get(HERE + "/years").status_code, 200)
        with transaction(self.db):
            bare = replace(self.rig, arrays=(), loads=(Load("Fridge", 500, "dc"),))
            rigs.save(self.db, rigs.get(self.db, 1), bare, NOW)
        self.assertEqual(self.client.get(HERE).status_code, 200)


class Young(PagesCase):
    def test_a_young_log_has_one_line_and_the_worksheet(self):
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, loads=(Load("Fridge", 900, "dc"),)), NOW)
        self.keep(*readings({"soc": 0.9}, {"soc": 0.8}, start=NOW - timedelta(days=1)))
        page = self.client.get(HERE).text
        self.shows("The sheet", page)
        self.shows("all the same", page)
        self.hides("Days short in a usual year", page)
        self.shows("Days short in a usual year", self.client.get(HERE + "?years=1").text)
        self.keep(*readings(*({"soc": 0.9} for _ in range(3)), start=NOW - timedelta(days=5)))
        self.shows("Days short in a usual year", self.client.get(HERE).text)


class Question(AdditionsCase):
    def ask(self, **typed):
        return self.post(HERE, {"panels": "2", "strings": "1"} | typed)

    def test_limits_rule_out_and_say_why(self):
        self.post(HERE + "/prices", {"prices": PRICES})
        self.assertEqual(self.ask(budget="200", roof_m2="2").status_code, 303)
        page = self.show("?at=2-0")
        self.shows("Ruled out: it costs 300, and 200 may be spent.", page)
        self.shows("Ruled out: it covers 3.2 m², and there are 2.0 m².", page)
        self.assertIn("<s>", page)
        self.shows("150 by your list, 17 kg, 1.6 m². That is about 6 a year over the life of such things, a guess.",
                   self.show("?at=1-0"))
        self.ask()
        self.hides("Ruled out", self.show("?at=2-0"))

    def test_panels_tried_on_a_rig_without_any_bring_sun(self):
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, arrays=()), NOW)
        self.post(HERE + "/prices", {"prices": PRICES})
        self.ask()

        def brought():
            with self.app.test_request_context(HERE):
                g.kept, g.now = rigs.get(self.db, 1), NOW
                try:
                    return sum(day.solar_wh.p50 for day in context.look().outlook.days)
                finally:
                    g.db.close()
        self.assertEqual(brought(), 0)
        self.post(HERE + "/tried", {"panels": "2", "strings": "0"})
        self.shows("Tried on: two panels more.", self.client.get("/1/today").text)
        self.assertGreater(brought(), 1000)

    def test_a_word_on_the_winter_is_kept_and_counts(self):
        def july(page):  # of the worksheet by month
            return float(re.findall(r'<td class="n">([\d.]+)</td>', page[page.index("<th>Peak-sun h</th>"):])[6])
        bright = july(self.show("/worksheet"))
        self.ask(winter="0/0/10")
        self.assertLess(july(self.show("/worksheet")), bright - 0.3)
        self.ask(winter="2/3/5", most_days="5")
        page = self.show()
        self.shows('value="2/3/5"', self.show("/question"))
        self.shows("within 5", page)
        self.shows("your word on the seasons", page)
        self.hides("Of autumn, winter", page)

    def test_what_is_wrong_is_said_and_stays_typed(self):
        before = asked.kept(self.db, 1)
        for typed, words in (({"winter": "often"}, "Winter: found &#39;often&#39;"),
                             ({"roof_m2": "0"}, "Roof left, m²: found"),
                             ({"panels": "900"}, "Panels more, at most: found"), ({"budget": "-5"}, "To spend: found")):
            answer = self.ask(**typed)
            self.assertEqual(answer.status_code, 422, typed)
            self.shows(words, answer.text)
            self.shows(f'value="{next(iter(typed.values()))}"', answer.text)
        self.assertEqual(asked.kept(self.db, 1), before)
        answer = self.post(HERE + "/prices", {"prices": PRICES + "Odd,panel,-1,5,,\n"})
        self.assertEqual(answer.status_code, 422)
        self.shows("The price list was not kept: line 4: found a size of -1", answer.text)
        self.shows("Odd,panel,-1,5,,", answer.text)
        self.assertEqual(self.post(HERE + "/prices", {"prices": "name,kind,size\nhalf typed"}).status_code, 422)
        self.assertEqual(asked.kept(self.db, 1).prices, "")


class Measures(AdditionsCase):
    def add(self, kind, **typed):
        return self.post(HERE + "/measures", {"kind": kind} | typed)

    def codes(self):
        listed = asked.kept(self.db, 1).listed(self.rig)
        return [of.measure.code for of in listed if not of.removed]

    def test_one_more_is_looked_at_taken_out_and_put_back(self):
        self.assertEqual(self.codes(), ["drive:Ute hours=1 every=3"])
        self.assertEqual(self.add("drive", names="Ute", hours="1 h 30", every="2", months=["6", "7"]).status_code, 303)
        self.assertEqual(self.codes()[1], "drive:Ute hours=1.5 every=2 months=6-7")
        self.shows("1 h 30 drive with Ute every two days from June to July brings", self.show("/without"))
        page = self.post(HERE + "/measures/0", follow_redirects=True).text
        self.shows("An hour’s drive with Ute every three days: no longer looked at.", page)
        self.shows('action="/1/additions/measures/0" ', page)
        self.assertEqual(len(self.codes()), 1)
        self.hides("drive with Ute every three days brings", self.show("/without"))
        self.post(HERE + "/measures/0", {"back": "yes"})
        self.assertEqual(len(self.codes()), 2)
        # Told twice it stands once; taken out it can be told again.
        for taken_out, left in ((False, 2), (True, 2)):
            if taken_out:
                self.post(HERE + "/measures/1")
            self.add("drive", names="Ute", hours="1 h 30", every="2", months=["6", "7"])
            self.assertEqual(len(self.codes()), left, taken_out)
        self.assertEqual(self.post(HERE + "/measures/9").status_code, 404)

    def test_what_is_done_in_any_case_is_in_all_of_it(self):
        before = self.show()
        self.post(HERE + "/measures/0", {"together": "yes"})
        page = self.show()
        self.shows("All of it with an hour’s drive with Ute every three days.", page)
        self.assertNotEqual(before[before.index("<table"):before.index("</table")],
                            page[page.index("<table"):page.index("</table")])
        self.post(HERE + "/measures/0", {"together": "no"})
        self.hides("All of it with", self.show())

    def test_what_is_wrong_is_said(self):
        for kind, typed, words in (("fly", {}, "expected one of the measures"), ("drive", {"names": "Ute"}, "found"),
                                   ("drive", {"names": "Bus", "hours": "1", "every": "2"}, "nothing of that name"),
                                   ("drive", {"names": "Ute", "hours": "30", "every": "2"}, "Hours each time: found"),
                                   ("leave_off", {}, "Found no load ticked, expected one at least."),
                                   ("inverter", {"hours": "often"}, "Hours each time: found")):
            answer = self.add(kind, **typed)
            self.assertEqual(answer.status_code, 422, (kind, typed))
            self.shows(words, answer.text)
        self.assertEqual(len(self.codes()), 1)

    def test_panels_on_a_plane_of_their_own_and_of_another_kind(self):
        self.post(HERE + "/prices", {"prices": PRICES + "Large,panel,440,260,,\n"})
        given = {"panels": "2", "strings": "1"}
        self.assertEqual(self.post(HERE, given | {"plane": "own", "own_plane": "steep"}).status_code, 422)
        self.post(HERE, given | {"plane": "own", "own_plane": "60/0", "panel": "Large"})
        offer = asked.kept(self.db, 1).offer(self.rig)
        own = offer.aims.first.own
        self.assertEqual((own.tilt_deg, own.azimuth_deg, offer.panel), (60, 0, "Large"))
        page = self.show("?at=1-0")
        self.shows("need a controller of their own", page)
        self.hides("was not run", page)  # one like those of the array is looked at there too
        self.shows("need a controller of their own", self.show("?at=0-0+1+%C3%97+Roof+panel"))
        self.post(HERE, given)
        self.hides("controller of their own", self.show("?at=1-0"))

    def test_panels_of_two_sizes_on_two_planes_at_once(self):
        self.post(HERE + "/prices", {"prices": PRICES + "Small,panel,200,60,,\n"})
        given = {"panels": "2", "strings": "0", "second_plane": "own", "second_panel": "Small"}
        wrong = self.post(HERE, given | {"second_own": "up"})
        self.shows("A plane of their own: found &#39;up&#39;, expected tilt and azimuth", wrong.text)
        self.assertIn('value="up"', wrong.text)
        self.assertIn('<option value="own" selected>a plane of their own', wrong.text)
        self.post(HERE, given | {"second_own": "80/0"})
        self.assertRegex(self.show("/question"), r'value="80/0"')
        page = self.show("?at=1%2B1-0")
        self.shows("1 × Roof panel with 1 × Small on the other plane", page)
        self.shows("On a plane of their own they need a controller of their own.", page)
        self.shows("1 × Roof panel with 1 × Small on the other plane", self.show("/options?by=price"))
        rows = list(csv.DictReader(io.StringIO(self.client.get(HERE + ".csv").text)))
        both = next(row for row in rows if row["what"] == "1 × Roof panel with 1 × Small on the other plane")
        self.assertEqual((both["panels_added"], both["second_panels_added"], both["price"]), ("1", "1", "210.0"))
        self.post(HERE + "/tried", {"panels": "1", "second": "1", "strings": "0"})
        self.shows("Tried on: two panels more.", self.client.get("/1/today").text)
        with self.app.test_request_context(HERE):
            g.kept, g.now = rigs.get(self.db, 1), NOW
            try:
                tried = context.with_tried(self.rig, context.look().recent.known, context.tried_on())["rig"]
            finally:
                g.db.close()
        self.assertEqual([(of.rated_w, of.tilt_deg) for of in tried.arrays], [(1500, 30), (200, 80)])
        self.post(HERE, {"panels": "2", "strings": "0"})
        self.hides("other plane", self.show())
        self.assertEqual(self.post(HERE + "/tried", {"second": "1"}).status_code, 400)


class Shown(AdditionsCase):
    def test_the_best_for_its_price_stand_the_cheapest_first(self):
        self.post(HERE + "/prices", {"prices": PRICES + "Large,panel,440,200,,\n"})
        page = self.show()
        table = page[page.index('aria-label="Best for its price"'):]
        rows = re.findall(r"<tr><th><a[^>]*>(.*?)</a></th>(.*?)</tr>", table[:table.index("</table>")], re.S)
        prices = [float(re.findall(r'<td class="n">([\d\u202f]+)</td>', row)[2].replace("\u202f", ""))
                  for _, row in rows]
        self.assertEqual(prices, sorted(prices))
        self.assertIn("1 × Large", [name.strip() for name, _ in rows])

    def test_an_answer_that_is_not_in_the_field_is_said_to_be_elsewhere(self):
        self.post(HERE, {"panels": "2", "strings": "1", "most_days": "20"})
        for large, elsewhere in ((1500, True), (30, False)):
            self.post(HERE + "/prices", {"prices": PRICES + f"Large,panel,{large},400,,\n"})
            page = self.show()
            self.assertEqual("2 × Large" in page[page.index("Buying:"):page.index("Days short in")], elsewhere)
            self.assertEqual("The answer above is not in this field" in page, elsewhere)

    def test_all_options_are_sorted_and_lines_of_equal_price_drawn(self):
        self.hides("lines of equal", self.show())
        self.post(HERE + "/prices", {"prices": PRICES})
        page = self.show("/options?by=price")
        table = page[page.index('aria-label="All options"'):]
        rows = re.findall(r"<tr><th><a[^>]*>(.*?)</a>", table[:table.index("</table>")], re.S)
        self.assertEqual([" ".join(row.split()) for row in rows],
                         ["As it is now", "1 × Roof panel", "2 × Roof panel", "One string",
                          "1 × Roof panel and one string", "2 × Roof panel and one string",
                          "An hour’s drive with Ute every three days"])
        page = self.show()
        self.shows("Columns: Roof panel added. Rows: strings added.", page)
        # One string is two units of 1100; a line each 500 passes between nothing and a string, and none beside a panel.
        self.shows("dotted line: another 500", page)
        self.assertEqual(re.findall(r'<td\s+class="[^"]*?( p[rt]| p[rt] p[rt])?"><a', page).count(" pt"), 3)
        self.assertEqual(self.client.get(HERE + "/options?by=nonsense").status_code, 200)

    def test_an_option_tried_on_stands_on_every_page_until_it_is_taken_off(self):
        before = [self.client.get(f"/1/{page}").text for page in ("today", "outlook")]
        self.assertEqual(self.post(HERE + "/tried", {"panels": "2", "strings": "1"}).location, "/1/outlook")
        for name, was in zip(("today", "outlook"), before, strict=True):
            page = self.client.get(f"/1/{name}").text
            self.shows("Tried on: two panels and one string more.", page)
            self.assertNotEqual(re.search(r'<h1 class="answer">(.*?)</h1>', was, re.S)[1],
                                re.search(r'<h1 class="answer">(.*?)</h1>', page, re.S)[1])
        self.shows("Tried on", self.client.get("/1/log").text)
        # What may be added is still reckoned from the rig as it is.
        self.assertEqual(asked.kept(self.db, 1).offer(self.rig).panels, 2)
        self.post(HERE + "/tried")
        after = [self.client.get(f"/1/{page}").text for page in ("today", "outlook")]
        self.hides("Tried on", after[0])
        for was, now in zip(before, after, strict=True):
            self.assertEqual(re.search(r'<h1 class="answer">(.*?)</h1>', was, re.S)[1],
                             re.search(r'<h1 class="answer">(.*?)</h1>', now, re.S)[1])
        self.assertEqual(self.post(HERE + "/tried", {"panels": "900"}).status_code, 400)

    def test_the_years_can_be_left_and_run_after_all(self):
        with mock.patch.object(simulated, "PATIENCE", 0.0), mock.patch.object(simulated, "_made", self.slow):
            self.shows("40 are being run", self.client.get(HERE + "/years").text)
            job = simulated_of(self.app)[1]
            self.post(HERE + "/years")
            self.assertTrue(job.done.wait(20))
        page = self.show()
        self.shows("Over 6 years of weather; the rest were left.", page)
        self.hides("hx-get=\"/1/additions/years", page)
        self.hides("hx-get", self.client.get(HERE + "/years").text)  # another window does not begin them again
        self.shows("Over 40 years of weather.", self.show("?all=years"))

    def slow(self, ask, going=lambda part: True):
        while ask.years >= simulated.SHARP and going(0.2):
            time.sleep(0.01)
        return None if ask.years >= simulated.SHARP else simulated.simulate_additions(ask)

    def test_the_worksheet_says_what_it_leaves_and_what_each_month_asks_for(self):
        page = self.show("/worksheet")
        self.assertRegex(" ".join(page.split()),
                         r"in years of weather: (about \d+ days?|hardly a day) in a usual")
        self.shows("<th>Array, W</th>", page)
        self.shows("Below your floor with that, in years of weather", self.show("/worksheet?reserve_days=1"))
        self.shows("with one day in reserve", self.show("?reserve_days=1"))  # a bookmark from before it had a leaf
        self.assertEqual(self.client.get(HERE + "/years?leaf=nowhere").status_code, 404)

    def test_the_sheets_answer_is_one_of_the_field_where_it_is_there(self):
        sheet = SimpleNamespace(panel_w=300.0)
        with self.app.test_request_context(HERE):
            g.kept, g.now = rigs.get(self.db, 1), NOW
            try:
                made, _ = simulated.found()
                # Two units are one string of this bank.
                of = simulated.of_sheet(sheet, [Option("units", 2, 4), Option("panels", 4, 5)])
                self.assertEqual(of, made.outcomes[4].below)
                with mock.patch.object(simulated, "SHEET_YEARS", 6):
                    beyond = simulated.of_sheet(sheet, [Option("units", 2, 2), Option("panels", 4, 9)])
                self.assertLess(beyond.mean, made.outcomes[2].below.mean + 0.01)
            finally:
                g.db.close()

    def test_what_is_tried_on_grows_what_the_log_shows_of_the_bank(self):
        with self.app.test_request_context(HERE):
            g.kept, g.now = rigs.get(self.db, 1), NOW
            try:
                tells = context.look().recent.known
                held = Held(Estimate(9000.0, 8900.0, 9100.0), Estimate(0.0, 0.0, 0.0), 30, 60.0, 1.0)
                tells = replace(tells, learned=replace(tells.learned, held=held))
                tried = context.with_tried(self.rig, tells, {"panels": 0, "strings": 1})
                self.assertEqual(tried["known"].learned.held.energy_wh.estimate, 18_600.0)
            finally:
                g.db.close()

    def test_the_log_again_is_drawn(self):
        self.sharp()
        page = self.show("?at=2-0")
        self.assertEqual((page.count("level-was"), page.count("level-instead")), (2, 2))
        self.hides("level-was", self.show("?at=0-0"))


class Beside(AdditionsCase):
    GIVEN = {"name": "Station", "chemistry": "lfp", "station_wh": "2 kWh", "inverter_w": "1800", "surge_w": "3000",
             "solar_w": "500", "socket_w": "600", "price": "1500", "weight_kg": "25"}

    def test_candidates_stand_beside_one_another(self):
        there = HERE + "/beside"
        self.shows("Put what you think of buying side by side", self.client.get(there).text)
        self.assertEqual(self.post(there, self.GIVEN).status_code, 303)
        self.assertEqual(self.post(there, {"name": "Bank", "chemistry": "agm", "unit_v": "12", "unit_ah": "100",
                                           "series": "2"}).status_code, 303)
        page = self.client.get(there).text
        for words in ("Station</th>", "Bank</th>", "runs all of your list", "Filled by your sun, worst month",
                      "None of these is enough: even with"):
            self.shows(words, page)
        page = self.post(there + "/0", follow_redirects=True).text
        self.hides("Station</th>", page)
        self.shows("Station is taken away.", page)
        self.post(there + "/0", {"back": "yes"})
        self.shows("Station</th>", self.client.get(there).text)
        self.assertEqual(self.post(there + "/7").status_code, 404)

    def test_a_label_that_cannot_be_is_refused_and_stays_typed(self):
        for typed, words in ((self.GIVEN | {"station_wh": ""}, "found no size"), (self.GIVEN | {"name": ""}, "a name"),
                             (self.GIVEN | {"price": "-4"}, "Found"), (self.GIVEN | {"inverter_w": "3 kWh"}, "Found")):
            answer = self.post(HERE + "/beside", typed)
            self.assertEqual(answer.status_code, 422, typed)
            self.shows(words, answer.text)
            self.shows('value="1800"' if typed["inverter_w"] == "1800" else 'value="3 kWh"', answer.text)
        for _ in range(5):
            self.post(HERE + "/beside", self.GIVEN)
        self.shows("5 stand here already", self.post(HERE + "/beside", self.GIVEN).text)


class OddlyKept(AdditionsCase):
    def test_a_candidate_that_no_longer_fits_stays_kept(self):
        with transaction(self.db):
            put_setting(self.db, 1, "candidates", [{"name": "Without a size"}])
        self.shows("Without a size cannot stand in the rig as it is now", self.client.get(HERE + "/beside").text)
        self.post(HERE + "/beside", {"name": "Bank", "chemistry": "agm", "unit_v": "12", "unit_ah": "100"})
        self.assertEqual([of["name"] for of in setting(self.db, 1, "candidates", [])], ["Without a size", "Bank"])
        self.shows("Bank</th>", self.client.get(HERE + "/beside").text)

    def test_what_another_machine_kept_oddly_breaks_no_page(self):
        odd = [None, [], 3, "x", {"panels": "x", "strings": 1}, {"panels": 1, "strings": 1, "own_plane": [400, "n"]},
               {"panels": 1, "strings": 1, "added_to": 9}, {"numbers": [], "habits": 3, "measures": "x", "plane": 4},
               {"measures": [3, {"kind": "fly"}, {"kind": "drive", "names": 3}], "panel": None, "prices": 7},
               [{"name": "A"}, 3, {"name": "B", "station_wh": "x"}, {"what": 1}]]
        for value in odd:
            with transaction(self.db):
                for name in ("tried_on", "additions", "candidates"):
                    put_setting(self.db, 1, name, value)
            for page in ("today", "outlook", "additions", "additions/beside"):
                self.assertEqual(self.client.get(f"/1/{page}").status_code, 200, (value, page))


def simulated_of(app):
    """The years that are being run, by rig."""
    return app.extensions["voltaun-years"]


class OfThePlace(AdditionsCase):
    def bring(self, data, name="hobart.epw"):
        return self.post(HERE + "/weather", {"file": (io.BytesIO(data), name)}, follow_redirects=True,
                         content_type="multipart/form-data")

    def test_a_file_is_kept_used_taken_away_and_brought_back(self):
        page = self.bring(epw().encode()).text
        self.shows("hobart.epw is kept: EPW, 2021.", page)
        self.shows("hobart.epw", self.client.get("/1/rig/places").text)
        page = self.sharp()
        self.shows("The weather files as they stand:", page)
        self.shows("From weather files", page)
        (kept,) = weather.of_rig(self.db, 1)
        self.assertEqual(kept.weather.ghi.sum(), 365 * 6 * 300)
        told = setting(self.db, 1, "sky_of_place", None)
        self.assertEqual([len(month) for month in told["months"]], [10] * 12)
        self.assertEqual(self.believed().points, tuple(told["months"][10]))
        whole = archive.rig_archive(self.db, 1)
        self.post(f"{HERE}/weather/{kept.id}")
        self.assertEqual(weather.of_rig(self.db, 1), [])
        self.assertIs(self.believed(), SKY)
        self.hides("The weather files as they stand:", self.show())
        self.post(f"{HERE}/weather/{kept.id}", {"back": "yes"})
        self.assertEqual(weather.numbers(self.db, 1), (kept.id,))
        self.assertEqual(archive.rig_archive(self.db, 1), whole)
        self.assertEqual(self.post(f"{HERE}/weather/99").status_code, 404)

    def believed(self):
        """What the outlook believes of November's sky before the log tells."""
        with self.app.test_request_context("/1/today"):
            g.kept, g.now = rigs.get(self.db, 1), NOW
            try:
                return context._sky_kind(NOW.date())
            finally:
                g.db.close()

    def test_an_array_told_of_after_the_file_is_seen_in_it_too(self):
        array = self.rig.arrays[0]
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, arrays=()), NOW)
        self.bring(epw().encode())
        self.assertIs(self.believed(), SKY)
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), self.rig, NOW)
        flat = self.believed().points
        self.assertEqual(len(flat), 10)
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, arrays=(replace(array, tilt_deg=80),)), NOW)
        self.assertNotEqual(self.believed().points, flat)

    def test_it_goes_with_the_archive(self):
        self.bring(epw().encode())
        document = archive.rig_archive(self.db, 1)
        path = self.path.with_name("other.db")
        connection.prepare(path)
        with closing(connection.connect(path)) as other:
            with transaction(other):
                number, removed = archive.add_hidden(other, document)
                archive.show(other, number, removed)
            self.assertEqual(archive.rig_archive(other, number), document)
            document["weather"][0]["packed"] = "AAAA"
            document["rig"]["name"] = "Another"
            with self.assertRaisesRegex(archive.ArchiveFault, "weather file cannot be read"), transaction(other):
                archive.add_hidden(other, document)

    def test_what_cannot_stand_for_the_place_is_refused_in_words(self):
        far = (Path(pvlib.__path__[0]) / "data" / "723170TYA.CSV").read_bytes()
        for data, words in ((far, "hemisphere"), (b"nonsense", "found no weather file"), (b"", "no weather file")):
            answer = self.bring(data)
            self.assertEqual(answer.status_code, 422)
            self.shows("was not kept", answer.text)
            self.shows(words, answer.text)
        self.assertEqual(self.post(HERE + "/weather").status_code, 422)
        self.assertEqual(weather.of_rig(self.db, 1), [])
