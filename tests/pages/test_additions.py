"""Additions as it is seen: the answer, the field, what is asked, the price list, the weather of the place."""

import io
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pvlib
from flask import g

from tests.core.outlook.test_outlook import log_of
from tests.formats.test_weather_file import epw
from tests.pages.test_pages import PagesCase
from tests.support import NOW
from voltaun.core.log.ledger import Reading
from voltaun.core.rig.parts import Engine, Load
from voltaun.core.sky.model import SKY
from voltaun.database import archive, connection, rigs, weather
from voltaun.database.connection import transaction
from voltaun.database.monitors import setting
from voltaun.pages import context
from voltaun.pages.additions import asked

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


class Answer(AdditionsCase):
    def test_the_answer_the_field_and_the_rest_in_time(self):
        page = self.show()
        for words in ("Over 6 years so far; forty are being run", 'hx-get="/1/additions/years"',
                      "Days a year below your floor", "What nothing beats",
                      "An hour’s drive with Ute every three days", "nothing is known: a word on it below",
                      "No price list is kept", "The worksheet", "To live on"):
            self.shows(words, page)
        self.assertEqual(page.count("#option\" aria-label="), 6)
        sharp = self.client.get(HERE + "/years").text
        self.shows("Over 40 years of weather", sharp)
        self.hides("being run", sharp)
        self.shows("Over 40 years of weather", self.show())  # what was run is kept

    def test_an_option_is_opened_with_its_figures(self):
        self.client.get(HERE + "/years")
        page = self.show("?at=2-1")
        self.shows('<h2 id="option">Two panels and one string</h2>', page)
        self.assertRegex(" ".join(page.split()), r"Your log’s \d+ whole days again: about \d+ below your floor instead")
        self.shows('<h2 id="option">An hour’s drive with Ute every three days</h2>',
                   self.show("?at=0-0 drive:Ute hours=1 every=3"))
        self.assertEqual(self.client.get(HERE + "?at=%00<b>").status_code, 200)

    def test_the_table_as_a_file(self):
        answer = self.client.get(HERE + ".csv")
        lines = answer.text.splitlines()
        self.assertEqual((answer.mimetype, len(lines)), ("text/csv", 1 + 6 + 1))
        self.assertTrue(lines[1].startswith("0,0,nothing,"))

    def test_without_use_or_sun_the_worksheet_says_why(self):
        self.db.execute("DELETE FROM reading")
        self.shows("found neither a log nor loads", self.show())
        self.assertEqual(self.client.get(HERE + "/years").status_code, 200)
        with transaction(self.db):
            bare = replace(self.rig, arrays=(), loads=(Load("Fridge", 500, "dc"),))
            rigs.save(self.db, rigs.get(self.db, 1), bare, NOW)
        self.assertEqual(self.client.get(HERE).status_code, 200)


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
        self.shows("150 by your list, 17 kg, 1.6 m²", self.show("?at=1-0"))
        self.ask()
        self.hides("Ruled out", self.show("?at=2-0"))

    def test_a_word_on_the_winter_is_kept_and_counts(self):
        self.ask(winter="2/3/5", most_days="5")
        page = self.show()
        self.shows('value="2/3/5"', page)
        self.shows("within five days below your floor", page)
        self.shows("your word on the seasons", page)
        self.hides("Of autumn, winter", page)

    def test_what_is_wrong_is_said_and_stays_typed(self):
        before = asked.kept(self.db, 1)
        for typed, words in (({"winter": "often"}, "Winter: found &#39;often&#39;"),
                             ({"roof_m2": "0"}, "Roof left, m²: found"),
                             ({"panels": "900"}, "Up to panels more: found"), ({"budget": "-5"}, "To spend: found")):
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


class OfThePlace(AdditionsCase):
    def bring(self, data, name="hobart.epw"):
        return self.post(HERE + "/weather", {"file": (io.BytesIO(data), name)}, follow_redirects=True,
                         content_type="multipart/form-data")

    def test_a_file_is_kept_used_taken_away_and_brought_back(self):
        page = self.bring(epw().encode()).text
        self.shows("hobart.epw is kept: EPW, 2021.", page)
        page = self.client.get(HERE + "/years").text
        self.shows("The weather files as they stand:", page)
        self.shows("from weather files", page)
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
