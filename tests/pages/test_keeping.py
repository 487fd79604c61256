"""A reading on its way in: read as it is meant, asked about when it is odd, taken back from one list."""

import io
import re
import unittest
from dataclasses import replace
from datetime import timedelta

from flask_wtf import FlaskForm

from tests.pages.test_pages import PagesCase
from tests.support import NOW, readings, rig
from voltaun.core.rig.bank import capacity_ah, effective_energy
from voltaun.core.rig.fields import Field
from voltaun.core.rig.parts import Bank, Load
from voltaun.core.units import QuantityError
from voltaun.database import plans, rigs
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.demo.honey_house import RIG
from voltaun.formats.rig_file import write_rig
from voltaun.pages.additions.forms import WorksheetForm
from voltaun.pages.bench.forms import ConditionsForm, LabelForm, MarkForm, RoundForm
from voltaun.pages.fields import LevelField, QuantityField
from voltaun.pages.rig.forms import GROUPS, BankPart, FigureField, InverterPart, PlacePart
from voltaun.pages.start.forms import StartForm
from voltaun.pages.sums.working import _value
from voltaun.words.sums import Blank, sentences

UNITS = {"kWh": 1000, "Wh": 1, "W": 1, "V": 1, "A": 1, "Ah": 1, "h": 1, "%": 0.01, "min": 1 / 60,
         "°": 1, "°C": 1, "m": 1}


def fields_of(form):
    for field in form:
        if hasattr(field, "entries"):
            for entry in field.entries:
                yield from fields_of(entry)
        elif hasattr(field, "form"):
            yield from fields_of(field.form)
        elif isinstance(field, QuantityField) and not isinstance(field, LevelField):
            yield field


class Units(PagesCase):
    def test_a_bare_number_is_in_the_unit_that_its_label_names(self):
        seen = 0
        with self.app.test_request_context():
            marks = [MarkForm(RIG, NOW, each) for each in ("meter", "drawdown", "capacity", "inverter", "harvest")]
            for form in (StartForm(), WorksheetForm(), LabelForm(RIG, NOW), RoundForm(RIG, NOW), BankPart(),
                         InverterPart(), PlacePart(), *(part() for part in GROUPS.values()), *marks):
                for field in fields_of(form):
                    unit = re.split(r"[ ,]", field.label.text)[-1]
                    field.low, field.high = None, None
                    if isinstance(field, FigureField):
                        field.legal = Field(-1e9, 1e9, "")
                    if unit in UNITS:
                        seen += 1
                        for typed in ("1", field.show(field.read("1"))):
                            read = field.read(typed)
                            one = read[1] if isinstance(read, tuple) else read  # panels: how many, and the W of one
                            self.assertEqual(one, UNITS[unit], field.label.text)
        self.assertGreater(seen, 65)
        self.assertTrue(issubclass(ConditionsForm, FlaskForm))

    def test_likewise_in_the_sums_the_unit_that_stands_there_first(self):
        blanks = {(sentence.key, part.name): part for sentence in sentences(RIG, 0.5, 11) for part in sentence.parts
                  if isinstance(part, Blank) and part.kind not in ("side", "duration")}
        self.assertGreater(len(blanks), 25)
        for key, blank in blanks.items():
            bare = re.match(r"[\d.]+", blank.first)[0]
            self.assertEqual(_value(blank, bare, None), _value(blank, blank.first, None), key)
        page = self.client.get("/1/sums?of=yearly&kwh=250").text
        self.shows("685 Wh a day", page)

    def test_a_load_that_is_always_on_runs_as_long_either_way(self):
        of = replace(RIG, loads=(Load("Fence", 120, "dc", 5), Load("Freezer", 600, "dc", 50)))
        share = next(each for each in sentences(of, 0.5, 11) if each.key == "share")
        # 500 Wh: at 5 W 100 h, and as it is usually used just as long; at 25 W 20 h, and 10 h at 50 W.
        wh = effective_energy(of).wh
        self.assertEqual(share.answer({"share": 500 / wh})[-2:],
                         ["Freezer, 20 h; 10 h while it runs", "Fence, 4 days 4 h"])

    def test_every_energy_and_power_field_names_its_unit(self):
        for path in ("/1/today", "/1/bench/new?instrument=meter", "/1/bench/new?instrument=label", "/1/additions"):
            for label in re.findall(r"<label[^>]*>([^<]*(?:Used|Sun,|Counter|energy|use a day)[^<]*)</label>",
                                    self.client.get(path).text):
                self.assertRegex(label, r"\b(k?Wh|W)\b", path)


class Levels(unittest.TestCase):
    def read(self, text, bank):
        field = LevelField("Level", name="soc", _form=FlaskForm.__new__(FlaskForm), _meta=FlaskForm.Meta())
        field.bank = bank
        soc, packs = field.read(text)
        return round(soc, 4), tuple(round(each, 4) for each in packs)

    def test_a_hydrometer_tells_the_level_of_a_flooded_bank(self):
        flooded = Bank("flooded", 6, 220, 4)
        self.assertEqual(self.read("sg 1,225", flooded), (0.75, ()))
        self.assertEqual(self.read("SG 1.265 1.190 1.225", flooded), (0.5, ()))
        for text, bank in (("sg 1.225", Bank("lfp", 12, 100)), ("sg 12", flooded), ("sg", flooded), ("sg x", flooded)):
            with self.assertRaises(QuantityError):
                self.read(text, bank)

    def test_a_comma_is_a_decimals_and_packs_are_as_many_as_there_are(self):
        two, one = Bank("lfp", 12.8, 200, 2, 2), Bank("lfp", 12.8, 100)
        for text in ("71,5", "71.5", "71,5 %", "71.5%"):
            self.assertEqual(self.read(text, two), (0.715, ()), text)
        for text in ("71 5", "71/5", "71;5", "71 / 5", "71% 5%", "71, 5"):
            self.assertEqual(self.read(text, two), (0.38, (0.71, 0.05)), text)
        self.assertEqual(self.read("71,5 / 72,5", two), (0.72, (0.715, 0.725)))
        for text, bank in (("71 5", one), ("71 5 6", two), ("71/", one), ("140", two), ("7 x", two)):
            with self.assertRaises(QuantityError, msg=text):
                self.read(text, bank)

    def test_amp_hours_where_the_banks_are_known(self):
        bank = Bank("lfp", 12.8, 200, 2, 2)
        self.assertEqual(capacity_ah(bank), 400)
        self.assertEqual(self.read("142 Ah", bank), (0.355, ()))
        self.assertEqual(self.read("410 Ah", bank), (1.0, ()))
        for text, other in (("142 Ah", Bank(rated_energy_wh=1000)), ("500 Ah", bank), ("Ah", bank)):
            with self.assertRaises(QuantityError):
                self.read(text, other)


class Asked(PagesCase):
    def setUp(self):
        super().setUp()
        self.keep(*readings(*({"soc": 0.6, "solar_wh": 2000.0, "use_wh": 1850.0, "sky": "mixed"} for _ in range(12)),
                            start=NOW - timedelta(days=12)))

    def test_once_kept_when_sure_and_asked_anew_when_it_changes(self):
        asked = self.add(soc="59", solar_wh="185", sky="mixed")
        self.assertEqual(asked.status_code, 409)
        self.shows("185 Wh of sun in 12 h 30, where such a sky brings about", asked.text)
        self.assertEqual(len(self.log()), 12)
        sure = re.search(r'name="sure" value="([^"]+)"', asked.text)[1]
        again = self.add(soc="59", solar_wh="18,5", sky="mixed", sure=sure)  # another figure than was asked about
        self.assertEqual((again.status_code, len(self.log())), (409, 12))
        back = self.add(soc="59", solar_wh="185", sky="mixed", correct="solar_wh")
        self.assertEqual((back.status_code, len(self.log())), (409, 12))
        self.shows("autofocus", back.text)
        self.hides('name="sure"', back.text)
        self.assertEqual(self.add(soc="59", solar_wh="185", sky="mixed", sure=sure).status_code, 303)
        self.assertEqual(self.log()[-1].solar_wh, 185)

    def test_an_edit_is_asked_about_too_and_not_what_stands(self):
        last = kept.everything(self.db, 1)[-1]
        at = f"{last.reading.at.astimezone(self.rig.zone):%Y-%m-%dT%H:%M}"
        typed = {"version": "1", "at": at, "soc": "60", "solar_wh": "2000", "use_wh": "1850", "sky": "mixed"}
        self.assertEqual(self.post(f"/1/readings/{last.id}", typed | {"use_wh": "18500"}).status_code, 409)
        self.assertEqual(self.post(f"/1/readings/{last.id}", typed | {"note": "fine"}).status_code, 303)

    def test_a_grid_asks_for_all_its_rows_at_once(self):
        grid = {"r0-at": "2026-11-24T10:00", "r0-soc": "60", "r1-at": "2026-11-25T06:00", "r1-use_wh": "19000"}
        asked = self.post("/1/log/grid", grid)
        self.assertEqual((asked.status_code, len(self.log())), (409, 12))
        sure = re.search(r'name="sure" value="([^"]+)"', asked.text)[1]
        self.assertEqual(self.post("/1/log/grid", grid | {"sure": sure}).status_code, 303)
        self.assertEqual(len(self.log()), 14)
        self.shows("Days typed in, 2 readings", self.client.get("/1/log/changed").text)
        self.post("/1/log/changed/import/1")
        self.assertEqual(len(self.log()), 12)

    def test_a_file_asks_on_its_page(self):
        data = b"read_at,soc_percent,use_wh\n2026-11-24T10:00,60,1800\n2026-11-25T06:00,55,19000\n"
        asked = self.post("/1/log/import", {"file": (io.BytesIO(data), "a.csv")}, content_type="multipart/form-data")
        self.assertEqual((asked.status_code, len(self.log())), (409, 12))
        self.shows("would change what the log says", asked.text)
        path = re.search(r'action="(/1/log/bring/\d+)"', asked.text)[1]
        self.assertEqual(self.post(path, {"open_shape": "yes", "sure": "yes"}).status_code, 303)
        self.assertEqual(len(self.log()), 14)


SHEET = "Tag;Stand;Ertrag kWh;Wetter\n3/11/2026;82,5;2,1;Sonne\n4/11/2026;74;0,3;Regen\n"


class AnotherShape(PagesCase):
    def send(self, data=SHEET, name="sheet.csv"):
        return self.post("/1/log/import", {"file": (io.BytesIO(data.encode()), name)},
                         content_type="multipart/form-data")

    def test_asked_about_once_shown_as_understood_kept_and_taken_back(self):
        page = self.client.get(self.send().location).text
        for words in ("can be read two ways", "no time with them", "words of your own"):
            self.shows(words, page)
        path = re.search(r'action="(/1/log/bring/\d+)"', page)[1]
        answers = {"as-0": "read_at", "as-1": "soc_percent", "as-2": "solar_wh", "unit-2": "kWh", "as-3": "sky",
                   "decimal": ",", "separator": ";", "kind": "log", "name": "Kitchen sheet"}
        self.assertEqual(self.post(path, answers).status_code, 422)  # the questions are still open
        answers |= {"dates": "day first", "hour": "19:00", "sky-word": ["Sonne", "Regen"],
                    "sky-is": ["clear", "overcast"]}
        shown = self.post(path, answers)
        self.shows("2 readings, 3 November 2026 to 4 November 2026. Is that right?", shown.text)
        self.shows("The level goes from 74 % to 82 %", shown.text)
        self.shows("About 300 Wh a day came from the sun", shown.text)  # in the one day between the two
        self.assertEqual(self.log(), [])
        self.assertEqual(self.post(path, answers | {"bring": "yes"}).status_code, 303)
        self.assertEqual([(each.soc, each.solar_wh, each.sky) for each in self.log()],
                         [(0.825, 2100, "clear"), (0.74, 300, "overcast")])
        self.assertEqual(self.send(SHEET + "5/11/2026;70;3,5;Sonne\n").status_code, 303)  # the answers are known now
        self.assertEqual(len(self.log()), 3)
        page = self.client.get("/1/log/changed").text
        self.shows("The file sheet.csv, 2 readings", page)
        self.hides("Bring it in again", page)
        for number in (2, 1):
            self.post(f"/1/log/changed/import/{number}")
        self.assertEqual(self.log(), [])
        page = self.client.get("/1/log/changed").text
        self.shows("Bring it in again", page)
        self.hides("Take all of it back", page)

    def test_a_file_in_the_open_shape_that_is_written_in_another_way_can_be_told(self):
        refused = self.send("read_at,soc_percent\n3/11/2026 19:00,82\n")
        self.assertEqual(refused.status_code, 422)
        self.shows("can be read as 3 Nov 2026 or 11 Mar 2026", refused.text)
        page = self.client.get(re.search(r'href="(/1/log/bring/\d+)"', refused.text)[1]).text
        self.shows("say below whether the day or the month comes first", page)
        path = re.search(r'action="(/1/log/bring/\d+)"', page)[1]
        self.post(path, {"as-0": "read_at", "as-1": "soc_percent", "dates": "day first", "kind": "log", "bring": "yes"})
        self.assertEqual([f"{each.at.astimezone(self.rig.zone):%Y-%m-%d}" for each in self.log()], ["2026-11-03"])

    def test_a_spreadsheet_file_says_what_to_do_and_answers_can_be_forgotten(self):
        refused = self.send("PK\x03\x04 and so on")
        self.assertEqual(refused.status_code, 422)
        self.shows("a spreadsheet file (xlsx or ods), expected CSV: open it in the program it came from", refused.text)
        page = self.client.get(self.send("Day;SOC\n2026-11-03;70\n").location).text
        path = re.search(r'action="(/1/log/bring/\d+)"', page)
        self.post(path[1], {"as-0": "read_at", "as-1": "soc_percent", "hour": "19:00", "separator": ";", "kind": "log",
                            "name": "Kitchen", "bring": "yes"})
        self.shows("Files like “Kitchen” are", self.client.get("/1/log").text)
        self.assertEqual(self.send("Day;SOC\n2026-11-04;71\n").status_code, 303)
        self.assertEqual(len(self.log()), 2)
        for name, words in (("Kitchen", "Forgotten: Kitchen."), ("Kitchen", "nothing to forget")):
            self.shows(words, self.post("/1/log/mappings", {"name": name}, follow_redirects=True).text)
        self.assertIn("/1/log/bring/", self.send("Day;SOC\n2026-11-05;72\n").location)
        self.hides("Files like", self.client.get("/1/log").text)

    def test_a_single_sample_is_shown_as_it_is_understood(self):
        page = self.client.get(self.send("Zeit;Bank V\n2026-11-24 19:30;25.6\n").location + "?kind=samples").text
        path = re.search(r'action="(/1/log/bring/\d+)"', page)[1]
        shown = self.post(path, {"as-0": "at", "as-1": "volts", "kind": "samples", "separator": ";"})
        self.shows("1 samples, 24 November 2026 to 24 November 2026. Is that right?", shown.text)

    def test_what_is_no_log_says_so(self):
        page = self.client.get(self.send("a;b\n1;2\n").location).text
        self.shows("No column is the day yet", page)
        self.assertEqual(self.client.get("/1/log/bring/999").status_code, 404)
        self.assertEqual(self.post("/1/log/bring/999").status_code, 404)

    def test_an_archive_and_a_rig_come_in_by_the_page(self):
        self.keep(*readings({"soc": 0.5}))
        archive = self.client.get("/1/archive.json").text.replace('"name": "Test rig"', '"name": "From afar"', 1)
        page = self.client.post("/start/archive", data={
            "csrf_token": self.mark(), "file": (io.BytesIO(archive.encode()), "a.json")},
            content_type="multipart/form-data", follow_redirects=True).text
        self.shows("All of the archive is kept.", page)
        self.assertEqual([name for _, name in rigs.names(self.db)], ["From afar", "Test rig"])
        bad = self.client.post("/start/archive", data={
            "csrf_token": self.mark(), "file": (io.BytesIO(b'{"voltaun_archive": 1}'), "a.json")},
            content_type="multipart/form-data")
        self.assertEqual(bad.status_code, 422)
        self.assertEqual(self.send(write_rig(replace(rig(), name="Third")), "r.json").status_code, 303)
        self.assertEqual(self.send(write_rig(replace(rig(), name="Third")), "r.json").status_code, 409)


class TakingBack(PagesCase):
    def test_a_changed_reading_is_told_by_its_figures_of_before(self):
        self.add(soc="50")
        self.post("/1/readings/1", {"at": "2026-11-24T19:30", "version": "1", "soc": "64"})
        page = self.client.get("/1/log/changed").text
        self.assertRegex(page, r"19:30, 50\s?%")

    def test_every_kind_from_one_list_long_after(self):
        self.add(soc="50")
        self.client.get("/1/today")  # the flash is gone
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, soc_from="shunt"), NOW)
            other = rigs.add(self.db, replace(self.rig, name="Other"))
            rigs.remove(self.db, other, NOW - timedelta(days=59))
        self.post("/1/outlook/plans", {"kind": "guests", "first": "2026-11-27", "amount": "1.5"})
        self.post("/1/outlook/plans/1")
        self.post("/1/bench/new", {"instrument": "meter", "subject": "Lamp", "side": "dc", "at": "2026-11-20T10:00",
                                   "wh": "0"})
        page = self.client.get("/1/log/changed").text
        ways = re.findall(r'action="/1/log/changed/([a-z-]+)/(\d+)"', page)
        self.assertEqual({kind for kind, _ in ways}, {"reading", "plan", "rig", "removed-rig"})
        for kind, number in ways:
            self.post(f"/1/log/changed/{kind}/{number}", {"again": "yes"} if kind in ("plan", "removed-rig") else {})
        self.assertEqual(self.log(), [])
        self.assertEqual(rigs.get(self.db, 1).rig, self.rig)
        self.assertEqual([name for _, name in rigs.names(self.db)], ["Other", "Test rig"])
        self.assertEqual(len(plans.current(self.db, 1, NOW.date())), 1)
        for kind, number in (("reading", 1), ("reading", 99), ("plan", 99), ("rig", 99), ("run", 99), ("import", 9),
                             ("samples", 9)):
            self.assertEqual(self.post(f"/1/log/changed/{kind}/{number}").status_code, 303, kind)
        self.assertEqual(self.post("/1/log/changed/other/1").status_code, 404)

    def test_copies_have_a_page_and_a_second_place(self):
        self.shows("There is no copy of the log yet", self.client.get("/1/log/safe").text)
        self.shows("A copy is made", self.post("/1/log/safe", {"now": "yes"}, follow_redirects=True).text)
        self.shows("The last copy of the log is of Tuesday 24 November", self.client.get("/1/today").text)
        self.assertEqual(self.post("/1/log/safe", {"second": "stick"}).status_code, 422)
        self.assertEqual(self.post("/1/log/safe", {"second": str(self.path.parent / "copies")}).status_code, 422)
        self.assertEqual(self.post("/1/log/safe", {"second": str(self.path.parent)}).status_code, 303)
        self.app.extensions["voltaun-copies"].trouble = "the stick is full"
        self.shows("No copy of the log could be made of late: the stick is full", self.client.get("/1/today").text)
