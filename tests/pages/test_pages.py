import html
import io
import re
import socket
import threading
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import mock
from urllib.parse import urlencode

from tests.support import NOW, DatabaseCase, csrf, environment, readings, serving
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Bank, Engine, Generator, Load, Mains
from voltaun.database import readings as kept
from voltaun.database import rigs
from voltaun.database.connection import transaction
from voltaun.pages import create_app

PAGES = ("today", "log", "bench", "rig", "outlook", "additions", "sums")


def standing(form):
    """What stands in the fields of a form, by their names."""
    stands = {}
    for tag in re.findall(r"<input [^>]*>", form):
        named = dict(re.findall(r'(\w+)="([^"]*)"', tag))
        if named.get("type") not in ("radio", "checkbox") or " checked" in tag:
            stands[named["name"]] = named.get("value", "")
    for name, options in re.findall(r'<select [^>]*name="([^"]*)"[^>]*>(.*?)</select>', form, re.S):
        listed = [(re.search(r'value="([^"]*)"', tag), "selected" in tag, text.strip())
                  for tag, text in re.findall(r"<option([^>]*)>([^<]*)", options)]
        values = [(value[1] if value else text, chosen) for value, chosen, text in listed]
        stands[name] = next((value for value, chosen in values if chosen), values[0][0])
    return stands


class PagesCase(DatabaseCase):
    def setUp(self):
        super().setUp()
        clock = mock.patch.dict("os.environ", environment())
        clock.start()
        self.addCleanup(clock.stop)
        self.app = create_app(self.path)
        self.client = self.app.test_client()
        self.marked = None, ""

    def keep(self, *log):
        with transaction(self.db):
            kept.add_many(self.db, self.rig_id, log)

    def log(self):
        return [each.reading for each in kept.everything(self.db, self.rig_id)]

    def mark(self):
        """The mark of the client's session, asked for once."""
        if self.marked[0] is not self.client:
            self.marked = self.client, csrf(self.client.get("/start").text)
        return self.marked[1]

    def post(self, path, data=None, **options):
        return self.client.post(path, data={"csrf_token": self.mark()} | (data or {}), **options)

    def keep_part(self, key, **typed):
        """Keep a part of the rig as its form stands, with some of it typed over."""
        page = self.client.get(f"/1/rig?part={key}").text
        stands = standing(page[page.index('id="part"'):page.index("Leave it as it was")])
        return self.post(f"/1/rig/parts/{key}", stands | typed)

    def shows(self, words, page):
        if " ".join(words.split()) not in " ".join(page.split()):  # where a line of a template ends says nothing
            faults = re.findall(r'class="fault"[^>]*>([^<]*)', page)
            self.fail(f"not shown: {words!r}; faults: {faults}")

    def hides(self, words, page):
        if " ".join(words.split()) in " ".join(page.split()):
            self.fail(f"shown: {words!r}")

    def add(self, **fields):
        return self.post("/1/readings", {"at": "2026-11-24T19:30"} | fields)


class Frame(PagesCase):
    def test_a_reading_whose_time_is_still_to_come_counts_once_it_has(self):
        self.keep(*readings({"soc": 0.9}, {"soc": 0.8, "use_wh": 900.0}, start=NOW - timedelta(hours=25)),
                  Reading(NOW + timedelta(minutes=4), soc=0.3))
        self.assertRegex(self.client.get("/1/sums").text, r"The bank stands at (79|8\d) %")
        with mock.patch.dict("os.environ", environment(NOW + timedelta(minutes=5))):
            self.shows("The bank stands at 30 %", self.client.get("/1/sums").text)

    def test_what_is_not_written_down_is_not_nothing(self):
        self.keep(*readings(*({"soc": 0.8 - 0.01 * n} for n in range(4)), start=NOW - timedelta(days=3)))
        page = self.client.get("/1/today").text
        self.shows("sun not written down; use not known", page)
        self.hides("in nothing", page)

    def test_what_is_written_down_for_part_of_a_day_is_that_part(self):
        self.keep(*readings({"soc": 0.8}, {"soc": 0.8, "solar_wh": 500, "use_wh": 500}, {"soc": 0.79},
                            start=NOW - timedelta(hours=29), hours=5))
        page = self.client.get("/1/today").text
        self.shows("in sun 500 Wh; part of the sun not written down", page)
        self.shows("used 500 Wh; part of the use not known", page)

    def test_each_message_with_a_way_back_has_the_form_of_it(self):
        for category, form in (("undo-7", '/1/undo/7">'), ("undo-rig-7", '/1/rig/undo/7">'),
                               ("undo-run-7", '/1/bench/undo/7">'), ("back-import-7", '/1/log/changed/import/7">'),
                               ("unplan-7", '/1/outlook/plans/7">'), ("replan-7", '/1/outlook/plans/7">'),
                               ("restore-7", '/start/restore/7" data-whole>')):
            with self.client.session_transaction() as session:
                session["_flashes"] = [(category, "Done.")]
            page = self.client.get("/1/sums").text
            flash = page[page.index('<div class="flash"'):]
            self.shows(f'<form method="post" action="{form}', flash)
            self.assertEqual('name="back"' in flash[:flash.index("Take it back")], category == "replan-7")

    def test_every_page_opens_on_an_empty_a_short_and_a_long_log(self):
        for log in ([], readings({"soc": 0.5}), readings(*({"soc": 0.5, "solar_wh": 900} for _ in range(20)),
                                                          start=NOW - timedelta(days=60))):
            self.keep(*log)
            for page in PAGES:
                with self.subTest(page=page, rows=len(log)):
                    self.assertEqual(self.client.get(f"/1/{page}").status_code, 200)

    def test_headers_keep_the_page_to_itself(self):
        answer = self.client.get("/1/today")
        policy = answer.headers["Content-Security-Policy"]
        self.assertIn("default-src 'none'", policy)
        self.assertNotIn("unsafe", policy)
        self.assertIn("no-store", answer.headers["Cache-Control"])
        page = answer.text
        self.assertIsNone(re.search(r"\sstyle=|\son\w+=|<script(?![^>]*\ssrc=)|https?://(?!www\.w3\.org)", page))

    def test_strange_hosts_and_posts_without_the_mark_are_refused(self):
        self.assertEqual(self.client.get("/1/today", headers={"Host": "evil.example"}).status_code, 400)
        for path in ("/1/readings", "/1/readings/1", "/1/undo/1", "/1/log/import", "/1/rig/parts/bank",
                     "/1/rig/parts/bank/follows", "/1/rig/remove", "/1/rig/depth", "/1/rig/undo/1", "/1/bench/new",
                     "/1/bench/round", "/1/bench/undo/1", "/1/bench/runs/1/marks", "/1/bench/runs/1/apply", "/start",
                     "/start/demo", "/start/restore/1", "/ground"):
            self.assertEqual(self.client.post(path, data={"soc": "50"}).status_code, 400, path)
        self.assertEqual(self.log(), [])

    def test_compressed_only_when_asked(self):
        plain, small = self.client.get("/1/today"), self.client.get("/1/today", headers={"Accept-Encoding": "gzip"})
        self.assertNotIn("Content-Encoding", plain.headers)
        self.assertEqual(small.headers["Content-Encoding"], "gzip")
        self.assertLess(len(small.data), len(plain.data) / 2)

    def test_ground_is_kept_and_leads_nowhere_else(self):
        for back, expected in (("/1/log", "/1/log"), ("//evil.example", "/"), ("/\\evil.example", "/"),
                               ("https://evil.example", "/")):
            answer = self.post("/ground", {"ground": "night", "back": back})
            self.assertEqual(answer.headers["Location"], expected)
        self.shows('data-ground="night"', self.client.get("/1/today").text)

    def test_what_is_typed_is_escaped(self):
        self.keep(Reading(NOW - timedelta(hours=5), soc=0.5, note="<script>alert(1)</script>"))
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, name="<b>Hut</b>"), NOW)
        for page in PAGES:
            text = self.client.get(f"/1/{page}").text
            self.hides("<script>alert", text)
            self.hides("<b>Hut", text)

    def test_no_such_rig_or_page(self):
        for path in ("/7/today", "/1/nothing", "/1/today/x", f"/{10 ** 30}/today", f"/1/log?edit={10 ** 30}"):
            self.assertEqual(self.client.get(path).status_code, 404)


class NewReading(PagesCase):
    def test_kept_with_quantities_as_they_come(self):
        answer = self.add(soc="74%", solar_wh="2.15 kWh", use_wh="52 Ah", sky="mixed", full_at="13:40",
                          note=" two\n lines")
        self.assertEqual(answer.status_code, 303)
        reading, = self.log()
        self.assertEqual((reading.soc, reading.solar_wh, reading.use_wh, reading.note),
                         (0.74, 2150, 52 * 24, "two lines"))
        self.assertEqual(reading.at.isoformat(), "2026-11-24T08:30:00+00:00")
        self.assertEqual(reading.full_at.isoformat(), "2026-11-24T02:40:00+00:00")

    def test_bad_input_is_refused_beside_its_field_and_stays_typed(self):
        for fields, words in (({"soc": "140"}, "expected a percent between 0 and 100"),
                              ({"soc": "50", "solar_wh": "-20"}, "0 or more"),
                              ({"soc": "50", "use_wh": "60 W"}, "W is a rate"),
                              ({"soc": "50", "sky": "purple"}, "Not a valid choice"),
                              ({"soc": "50", "full_at": "25:00"}, "13:40"),
                              ({"soc": "50", "at": "2026-11-26T08:00"}, "not after now"),
                              ({"soc": "50", "at": "yesterday"}, "expected a date and time"),
                              ({"soc": "50", "at": ""}, "Found nothing"),
                              ({"soc": "50", "at": "0001-01-01T00:00"}, "1970 to 2199"),
                              ({"soc": "50", "note": "x" * 2001}, "2000"), ({}, "nothing to keep")):
            with self.subTest(words):
                answer = self.add(**fields)
                self.assertEqual(answer.status_code, 422)
                self.shows(words, answer.text)
                for typed in fields.values():
                    self.assertTrue(not typed or typed == "purple" or typed in answer.text)
        self.assertEqual(self.log(), [])

    def test_instants_that_come_twice_or_never_are_kept_with_a_remark(self):
        for at, words in (("2026-04-05T02:30", "comes twice"), ("2026-10-04T02:30", "is skipped")):
            asked = self.add(at=at, soc="50").text
            if sure := re.search(r'name="sure" value="([^"]*)"', asked):  # half a year ago, it is asked about
                self.add(at=at, soc="50", sure=sure[1])
            self.shows(words, self.client.get("/1/today").text)
        self.assertEqual(len(self.log()), 2)

    def test_two_windows_saving_the_same_reading(self):
        self.add(soc="74")
        again = self.add(soc="74")
        self.assertEqual(again.status_code, 303)
        self.shows("kept already", self.client.get("/1/today").text)
        other = self.add(soc="60", note="mine")
        self.assertEqual(other.status_code, 409)
        self.shows("with 74 % is kept already", other.text)
        self.shows("mine", other.text)
        self.assertEqual([reading.soc for reading in self.log()], [0.74])

    def test_hours_and_watt_hours_of_a_started_source(self):
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), self.with_set(), NOW)
        self.add(soc="50", generator="4439 Wh in 5 h", vehicle="1 h 30")
        reading, = self.log()
        self.assertEqual((reading.generator_wh, reading.generator_hours, reading.vehicle_hours, reading.vehicle_wh),
                         (4439, 5, 1.5, None))
        page = self.client.get("/1/log?edit=1&day=2026-11-24").text
        self.shows('value="4439 Wh in 5 h"', page)
        self.shows('value="1.5 h"', page)

    def with_set(self):
        from voltaun.core.rig.parts import Engine, Generator
        return replace(self.rig, generators=(Generator("Set", 900),), vehicles=(Engine("Ute", 320),))


class Listed(PagesCase):
    def test_a_list_is_told_as_one_and_advises_nothing(self):
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, loads=(Load("Fridge", 3000, "dc"),)), NOW)
        self.keep(*readings({"soc": 0.4}, start=NOW - timedelta(hours=1)))
        page = self.client.get("/1/today").text
        self.shows("By your list: about", page)
        self.shows("This is a list, not a log.", page)
        for words in ("by the clock", "Keep this as a plan", "within ten days", "Tonight", "May this run?"):
            self.assertNotIn(words, page)
        self.assertEqual(page.count('id="entry"'), 1)


class Line(PagesCase):
    def test_what_is_never_filled_in_leaves_the_line_and_what_is_often_comes_into_it(self):
        def line():
            page = self.client.get("/1/today").text
            page = page[page.index('id="entry"'):]
            return re.findall(r'name="(\w+)"', page[:page.index("<details")])
        asked = ["csrf_token", "at", "soc", "solar_wh"]
        self.assertEqual(line()[:5], [*asked, "use_wh"])
        start = NOW - timedelta(days=13)
        self.keep(*readings(*({"soc": 0.8, "volts": 26.1 if n % 2 else None, "temp_c": 9.0 if not n else None}
                              for n in range(12)), start=start))
        self.assertEqual(line(), [*asked, "volts"])


class Log(PagesCase):
    def setUp(self):
        super().setUp()
        self.keep(*readings({"soc": 0.8}, {"soc": 0.7, "solar_wh": 2150}, {"soc": 0.6, "use_wh": 2000},
                            start=NOW - timedelta(days=4)))

    def change(self, number, **fields):
        return self.post(f"/1/readings/{number}", {"at": "2026-11-22T08:00", "version": "1", "soc": "55"} | fields)

    def undo_path(self):
        return re.search(r'action="(/1/undo/\d+)"', self.client.get("/1/log").text)[1]

    def test_read_and_reckoned_are_told_apart(self):
        page = self.client.get("/1/log").text
        self.shows('data-how="Reckoned from the level', page)
        self.shows("2.15 kWh", page)

    def test_change_and_take_it_back(self):
        before = self.log()
        self.assertEqual(self.change(2).status_code, 303)
        self.assertEqual([r.soc for r in self.log()], [0.8, 0.55, 0.6])
        self.assertEqual(self.post(self.undo_path()).status_code, 303)
        self.assertEqual(self.log(), before)

    def test_an_edit_leaves_alone_what_was_not_touched(self):
        reading = Reading(NOW - timedelta(days=1, seconds=3577), soc=0.5, mains_wh=0.0, note="kept",
                          full_at=NOW - timedelta(days=3, hours=2, seconds=17))
        self.keep(reading)
        page = self.client.get("/1/log?edit=4&day=2026-11-24").text
        row = page[page.index('id="row-4"'):]
        shown = {name: value for name, value in re.findall(r'<input[^>]*name="(\w+)"[^>]*?value="([^"]*)"', row)
                 if name in ("at", "soc", "full_at", "note", "mains_wh", "version")}
        self.post("/1/readings/4", shown | {"soc": "51"})
        self.assertEqual(self.log()[-1], replace(reading, soc=0.51))
        self.post("/1/readings/4", shown | {"soc": "51", "version": "2", "at": "2026-11-21T08:00"})
        moved = kept.get(self.db, 1, 4).reading
        self.assertEqual(moved.at, datetime(2026, 11, 20, 21, tzinfo=UTC))
        self.assertLess(moved.full_at, moved.at)

    def test_remove_and_take_it_back(self):
        before = self.log()
        self.change(2, remove="yes")
        self.assertEqual(len(self.log()), 2)
        path = self.undo_path()
        self.post(path)
        self.assertEqual(self.log(), before)
        self.post(path)
        self.shows("changed again since", self.client.get("/1/log").text)

    def test_two_windows_editing_lose_nothing(self):
        self.change(2, soc="55")
        late = self.change(2, soc="33")
        self.assertEqual(late.status_code, 409)
        self.shows("changed meanwhile", late.text)
        self.shows('value="33"', late.text)
        self.assertEqual(self.log()[1].soc, 0.55)
        same = self.change(2, soc="55")
        self.assertEqual(same.status_code, 303)
        gone = self.change(99, soc="21")
        self.assertEqual(gone.status_code, 409)
        self.shows('value="21"', gone.text)

    def test_bad_edit_stays_open_with_what_was_typed(self):
        answer = self.change(2, soc="140")
        self.assertEqual(answer.status_code, 422)
        self.shows('value="140"', answer.text)
        self.assertEqual(self.log()[1].soc, 0.7)

    def test_weeks_are_paged_and_dates_found(self):
        self.keep(*readings({"soc": 0.4, "note": "long ago"}, start=NOW - timedelta(days=900)))
        self.hides("long ago", self.client.get("/1/log").text)
        old = self.client.get(f"/1/log?day={(NOW - timedelta(days=899)).date()}").text
        self.shows("long ago", old)
        self.shows('rel="next"', old)
        self.assertEqual(self.client.get("/1/log?day=nonsense").status_code, 200)
        self.assertEqual(self.client.get("/1/log?day=0001-01-01").status_code, 200)
        self.assertEqual(self.client.get("/1/log?day=9999-12-31").status_code, 200)

    def send(self, data, **fields):
        return self.post("/1/log/import", {"file": (io.BytesIO(data), "a.log.csv")} | fields,
                         content_type="multipart/form-data")

    def test_a_log_that_a_spreadsheet_wrote_as_windows_1252(self):
        self.send("read_at,soc_percent,note\n2026-11-01T19:00,60,Gäste\n".encode("cp1252"))
        self.assertEqual([(each.soc, each.note) for each in self.log()[:1]], [(0.6, "Gäste")])
        self.shows("read as Windows-1252", self.client.get("/1/log").text)
        self.shows("the byte 0x81", self.send(b"read_at,note\n2026-11-02T19:00,\x81\n").text)  # neither
        self.assertEqual(len(self.log()), 4)

    def test_import_whole_or_not_at_all(self):
        self.assertEqual(self.send(b"read_at,soc_percent\n2026-11-01T19:00,50\n").status_code, 303)
        self.assertEqual(len(self.log()), 4)
        for data, words in ((b"read_at,soc_percent\n2026-11-02T19:00,50\n2026-11-03T19:00,140\n", "line 3, column soc"),
                            (b"\x00\x01" * 50, "binary"), (b"", "an empty file"),
                            (b"read_at" + b",x" * 300, "301 columns")):
            answer = self.send(data)
            self.assertEqual(answer.status_code, 422)
            self.shows(words, answer.text)
        differ = self.send(b"read_at,soc_percent\n2026-11-01T19:00,40\n2026-11-02T19:00,50\n")
        self.assertEqual(differ.status_code, 409)
        self.shows("in the log 50 %", differ.text)
        self.assertEqual(len(self.log()), 4)
        self.post(re.search(r'action="(/1/log/bring/\d+)"', differ.text)[1], {
            "open_shape": "yes", "sure": "yes", "differing": "keep"})
        self.assertEqual((len(self.log()), self.log()[0].soc), (5, 0.5))

    def test_too_large_a_file_is_refused(self):
        self.app.config["MAX_CONTENT_LENGTH"] = 10_000
        answer = self.send(b"read_at\n" * 5000)
        self.assertEqual(answer.status_code, 413)
        self.shows("too large", answer.text)

    def test_exports(self):
        self.assertEqual(self.client.get("/1/archive.json").get_json()["rigs"][0]["rig"]["name"], self.rig.name)
        log = self.client.get("/1/log.csv")
        self.assertIn("attachment", log.headers["Content-Disposition"])
        self.assertEqual(len(log.text.splitlines()), 4)
        self.shows('"voltaun_rig": 1', self.client.get("/1/rig.json").text)


class RigAndAdditions(PagesCase):
    def test_every_figure_can_be_changed(self):
        for key, typed in (
                ("place", {"name": "Shed"}), ("bank", {"parallel": "2", "everyday_floor": "30"}),
                ("loads-new", {"name": "Pump", "daily_wh": "0.3 kWh"}),
                ("loads-0", {"pattern": "2 h within 9-16", "months": "11-2 5"}),
                ("arrays-0", {"shade_factor": " ".join(["0.9"] * 12)}),
                ("vehicles-new", {"name": "Ute", "charge_w": "12 V x 25 A"})):
            self.assertEqual(self.keep_part(key, **typed).status_code, 303, key)
        made = rigs.get(self.db, 1).rig
        self.assertEqual((made.name, made.bank.parallel, made.bank.everyday_floor), ("Shed", 2, 0.3))
        self.assertEqual((made.loads[0].daily_wh, made.loads[0].pattern), (300, ("window", 9, 16, 2)))
        self.assertEqual(made.loads[0].months, (11, 12, 1, 2, 5))
        self.assertEqual((made.arrays[0].shade_by_month[3], made.vehicles[0].charge_w), (0.9, 300))

    def test_bad_figures_are_refused_beside_their_fields(self):
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, loads=(Load("X", 5, "dc"),)), NOW)
        stands = rigs.get(self.db, 1).rig
        for key, typed, words in (
                ("bank", {"unit_capacity_ah": "0"}, "Ah, 0.1 or more"), ("bank", {"series": "1.5"}, "whole"),
                ("bank", {"hard_floor": "60"}, "everyday floor"), ("bank", {"chemistry": "lemon"}, "Not a valid"),
                ("place", {"latitude": "95"}, "−90 (south) to 90 (north)"), ("place", {"name": ""}, "1 to 80"),
                ("place", {"timezone": "Mars"}, "time zone"), ("arrays-0", {"panel_w": "many"}, "power"),
                ("arrays-0", {"tilt_deg": "120"}, "90"), ("loads-0", {"daily_wh": ""}, "expected Wh a day, 0 or more"),
                ("loads-0", {"pattern": "often"}, "18-23"), ("loads-0", {"months": "13"}, "1 to 12")):
            with self.subTest(words):
                answer = self.keep_part(key, **typed)
                self.assertEqual(answer.status_code, 422)
                self.shows(words, answer.text)
        self.assertEqual(rigs.get(self.db, 1).rig, stands)

    def test_what_follows_while_typing_keeps_nothing(self):
        def follows(key, **typed):
            page = self.client.get(f"/1/rig?part={key}").text
            stands = standing(page[page.index('id="part"'):page.index("Leave it as it was")])
            return self.post(f"/1/rig/parts/{key}/follows", stands | typed).text
        self.hides("instead of", follows("bank"))
        page = follows("bank", parallel="3")
        self.shows('24 V, 1200 Ah, 28.8 kWh as printed <span class="small">instead of 24 V, 400 Ah', page)
        self.shows("once the figures fit", follows("bank", series="0"))
        self.shows("once the figures fit", follows("bank", hard_floor="60"))
        self.shows('300 Wh a day at the battery <span class="small">instead of nothing</span>',
                   follows("loads-new", name="Pump", daily_wh="300", side="dc"))
        # What limits a part meets is told of the figures as they are typed.
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, vehicles=(
                Engine("Ute", 320), Engine("Truck", 320, 13.2, 10, None, 0.9))), NOW)
        self.hides("reaches the battery", follows("vehicles-0"))
        self.shows("119 W reaches the battery and not 320 W", follows("vehicles-0", input_v="13.2", input_a="10",
                                                         converter_efficiency="90", name="Van"))
        self.assertEqual(self.client.post("/1/rig/parts/wings-0/follows", data={"csrf_token": self.mark()}).status_code,
                         404)
        self.assertEqual(rigs.get(self.db, 1).rig.bank, self.rig.bank)

    def test_removed_with_its_name_and_brought_back_with_its_log(self):
        self.keep(*readings({"soc": 0.5}))
        unsure = self.post("/1/rig/remove", {"name": "Other"})
        self.assertEqual(unsure.status_code, 422)
        self.shows("expected “Test rig”", unsure.text)
        self.post("/1/rig/remove", {"name": "Test rig"})
        page = self.client.get("/start").text
        self.shows("removed 25 November 2026", page)  # in Hobart, where it is the evening of the 24th elsewhere
        self.assertEqual(self.client.get("/1/today").status_code, 404)
        self.assertEqual(rigs.names(self.db), [])
        path = re.search(r'action="(/start/restore/1)"', page)[1]
        with transaction(self.db):
            other = rigs.add(self.db, self.rig)
        self.client.post(path, data={"csrf_token": csrf(page)})
        self.assertEqual(self.client.get("/1/today").status_code, 404)
        with transaction(self.db):
            rigs.remove(self.db, other, NOW)
        self.client.post(path, data={"csrf_token": csrf(page)})
        self.assertEqual(self.client.get("/1/today").status_code, 200)
        self.assertEqual(len(self.log()), 1)

    def test_stale_rig_is_not_overwritten(self):
        version = rigs.get(self.db, 1).version
        self.keep_part("place", name="First")
        late = self.keep_part("place", name="Second", version=version)
        self.assertEqual(late.status_code, 409)
        self.shows("Second", late.text)
        self.assertEqual(rigs.names(self.db), [(1, "First")])
        self.assertEqual(self.keep_part("place", name="Third", version="x").status_code, 409)

    def test_worksheet_from_the_address(self):
        page = self.client.get("/1/additions?use_wh_per_day=1900&reserve_days=3&peak_sun_hours=3.6").text
        self.shows("1.90 kWh a day", page)
        self.assertEqual(self.client.get("/1/additions?use_wh_per_day=-4").status_code, 422)
        self.assertEqual(self.client.get("/1/additions?design_month=13").status_code, 422)
        self.shows("What to add follows from what you use.", self.client.get("/1/additions").text)


class Bench(PagesCase):
    def page(self, *loads):
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, loads=loads), NOW)
        return self.client.get("/1/bench").text

    def test_the_gap_between_list_and_log_is_named(self):
        self.shows("What runs here?", self.page())
        self.shows("The log does not tell yet", self.page(Load("Fridge", 700, "dc")))
        self.keep(*readings(*({"soc": 0.6, "solar_wh": 1200, "use_wh": 1000} for _ in range(25)),
                            start=NOW - timedelta(days=25)))
        self.shows("a day that is not on your list", self.page(Load("Fridge", 500, "dc", evidence="metered")))
        self.shows("within their doubt", self.page(Load("Fridge", 1000, "dc", evidence="label")))
        over = self.page(Load("Fridge", 1900, "dc", evidence="metered"), Load("Fan", 90, "dc", evidence="guess"))
        self.shows("more than the log says", over)
        self.shows('subject=Fan">Fan</a>', over)


class Sums(PagesCase):
    def ask(self, key, **blanks):
        return self.client.get(f"/1/sums?{urlencode({'of': key} | blanks)}")

    def test_sentences_answer_from_the_address(self):
        for key, blanks, words in (
                ("drop", {"amps": "15 A", "length": "4", "area": "2.5", "volts": "12"}, "0.84 V, 7.0 % of it"),
                ("run", {"watts": "100", "side": "dc", "soc": "50", "harvest": "0", "floor": "20"}, "28 h 48"),
                ("run", {"watts": "100", "side": "dc", "soc": "50", "harvest": "150", "floor": "20"},
                 "never: 150 W come in, and 100 W go"),
                ("amps", {"amps": "5", "ac": "120", "dc": "12"}, "times 11"),
                ("wiring", {"series": "2", "parallel": "2", "volts": "12.8", "ah": "200"}, "25.6 V, 400 Ah, 10.2 kWh"),
                ("amount", {"volts": "12", "amps": "4.5", "time": "6 h"}, "54 W, and 324 Wh in all"),
                ("time", {"watts": "60", "time": "20 min"}, "20 Wh"), ("yearly", {"kwh": "365 kWh"}, "1.00 kWh a day"),
                ("charges", {"battery": "5000 mAh", "own": "3.7", "from": "0", "watts": "20", "passes": "90",
                             "side": "dc", "share": "10"}, "46.7 times"),  # 960 Wh over 18.5 / 0.9
                ("charges", {"battery": "2000", "from": "0", "watts": "200", "side": "dc", "share": "10"},
                 "not quite once: to 41 %"),  # 960 × 0.85 of 2000
                ("charges", {"harvest": "300", "side": "dc"}, "as often as you like"),
                ("run", {"watts": "2500", "side": "ac"}, "the inverter does not run it: 2 500 W on 2 000 W"),
                ("drop", {"amps": "15 A", "length": "13 ft", "area": "10 AWG", "volts": "12"}, "0.40 V, 3.3 % of it"),
                ("drop", {"amps": "4000", "length": "20", "area": "0.5", "volts": "12"}, "all of it"),
                ("wiring", {"series": "1", "parallel": "1", "volts": "12", "ah": "100"}, "1 battery"),
                ("full", {"soc": "20", "goal": "50", "watts": "500", "load": "100"}, "100 W of it go to what is on"),
                ("full", {"soc": "20", "goal": "20", "watts": "500"}, "0 min")):
            with self.subTest(key):
                answer = self.ask(key, **blanks)
                self.assertEqual(answer.status_code, 200)
                self.shows(words, answer.text)

    def test_lead_as_it_is(self):
        with transaction(self.db):
            lead = Bank("flooded", 6, 220, 4, 1)
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, bank=lead, inverter=None), NOW)
        page = self.ask("gravity", low="1.225", high="1.270", temp="25").text
        self.shows("75 %", page)
        self.shows("the cells are far apart: equalise, or one is going", page)
        # 24 V × 220 Ah at 1200 W are 50 A: half of it runs 20 × (220 / 1000)^1.25 / 2 h, and not 2.2.
        page = self.ask("run", watts="1200", side="dc", soc="100", floor="50", harvest="0").text
        self.shows("1 h 30", page)
        self.shows("not 2 h 12: a lead bank gives less to so large a load", page)

    def test_it_opens_without_an_alert_at_any_level(self):
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, generators=(Generator("Set", 900, 0.7),)), NOW)
        for soc in (None, 0.95, 1.0):
            if soc:
                self.keep(Reading(NOW - timedelta(hours=2 - soc), soc=soc))
            answer = self.client.get("/1/sums")
            self.assertEqual(answer.status_code, 200)
            self.hides('class="fault"', answer.text)
            self.shows("and 2", answer.text)  # litres of a charge from the floor

    def test_bad_blanks_are_told_and_stay_typed(self):
        for key, blanks, words in (
                ("run", {"soc": "140"}, "between 0 and 100"), ("run", {"watts": "0", "side": "dc"}, "load of 0 W"),
                ("run", {"side": "up"}, "ac or dc"), ("wiring", {"series": "1.5"}, "part of a battery"),
                ("drop", {"area": "0"}, "cable of 0"), ("drop", {"length": "4 mm"}, "expected a length"),
                ("drop", {"area": "10 ft"}, "expected a cross-section"),
                ("time", {"watts": "60 Wh"}, "Wh is an amount"),
                ("amps", {"dc": "-3"}, "voltage"), ("charges", {"battery": ""}, "nothing")):
            with self.subTest(words):
                answer = self.ask(key, **blanks)
                self.assertEqual(answer.status_code, 422)
                self.shows(words, answer.text)
        self.shows('value="140"', self.ask("run", soc="140").text)


class FirstRun(PagesCase):
    def start(self, **fields):
        given = {"name": "Hut", "timezone": "Europe/Oslo", "bank": "unknown", "chemistry": "lfp", "series": "1",
                 "parallel": "1"}
        return self.post("/start", given | fields)

    def test_three_times_i_dont_know_opens_the_log(self):
        answer = self.start()
        self.assertEqual(answer.status_code, 303)
        made = rigs.find(self.db, "Hut").rig
        self.assertEqual(made.not_yet_told, ("place", "bank", "sources"))
        self.assertAlmostEqual(made.place.latitude, 59.9, delta=0.2)
        self.shows("Not set yet", self.client.get(answer.headers["Location"]).text)

    def test_answers_make_a_rig(self):
        self.start(timezone="Hobart", latitude="-42.1", longitude="147", bank="station", rated_energy_wh="2 kWh",
                   solar_w="400")
        made = rigs.find(self.db, "Hut").rig
        self.assertEqual((made.bank.rated_energy_wh, made.not_yet_told), (2000, ()))
        # What was typed of batteries before the station was chosen is out of sight, and left.
        self.start(name="Van", bank="station", rated_energy_wh="2 kWh", unit_voltage_v="12.8")
        self.assertEqual(rigs.find(self.db, "Van").rig.bank.rated_energy_wh, 2000)
        self.assertEqual((made.arrays[0].azimuth_deg, made.arrays[0].rated_w), (0, 400))

    def test_what_is_hardly_meant_is_asked_beside_its_field(self):
        units = {"bank": "units", "unit_voltage_v": "12.8", "unit_capacity_ah": "200"}
        for name, typed, words in (("unit_voltage_v", units | {"unit_voltage_v": "128"}, "128 V"),
                                   ("unit_capacity_ah", units | {"unit_capacity_ah": "2000"}, "Ah"),
                                   ("label", {"bank": "units", "label": "128 V 200 Ah"}, "128 V"),
                                   ("latitude", {"latitude": "59.9 S", "longitude": "10"}, "equator"),
                                   ("longitude", {"latitude": "59.9", "longitude": "-100"}, "zone"),
                                   ("solar_w", {"solar_w": "2 x 3300 W"}, "one panel")):
            asked = self.start(**typed)
            self.assertEqual(asked.status_code, 422, typed)
            self.assertIsNone(rigs.find(self.db, "Hut"))
            told = re.search(rf'id="{name}-fault"[^>]*>([^<]*)', asked.text)
            self.assertIn(words, told[1] if told else "", typed)
            sure = re.search(r'name="sure" value="([^"]*)"', asked.text)[1]
            self.assertEqual(self.start(**typed | {"sure": "another"}).status_code, 422)
            self.assertEqual(self.start(**typed | {"name": name, "sure": sure}).status_code, 303)
            self.assertIsNotNone(rigs.find(self.db, name))
        self.assertEqual(self.start(solar_w="3300 W").status_code, 303)  # the sum of all of them

    def test_a_zone_is_found_by_its_town(self):
        for typed, zone in (("hobart", "Australia/Hobart"), ("Europe/oslo ", "Europe/Oslo"),
                            ("new york", "America/New_York"), ("America / New York", None), ("o", None),
                            ("Nowhere/Town", None), ("<b>", None)):
            answer = self.start(name=typed, timezone=typed)
            if zone:
                self.assertEqual(rigs.find(self.db, typed.strip()).rig.place.timezone, zone)
            else:
                self.assertEqual(answer.status_code, 422, typed)
                self.shows("a town of the list. Write it as Hobart or Australia/Hobart", answer.text)
                self.shows(f'value="{html.escape(typed)}"', answer.text)

    def test_answers_as_a_label_has_them(self):
        for n, (typed, expected) in enumerate((
                ("8 batteries of 6 V 350 Ah, in strings of 4", (6, 350, 4, 2, None)),
                ("2 x 12,8 V 200 Ah", (12.8, 200, 1, 2, None)), ("12 V 7 Ah", (12, 7, 1, 1, None)),
                ("1.024 kWh", (None, None, 1, 1, 1024)))):
            self.start(name=f"Hut {n}", label=typed, bank="units", latitude="48.2 N", longitude="16,4 W",
                       solar_w="4 panels of 225 W")
            made = rigs.find(self.db, f"Hut {n}").rig
            bank = made.bank
            self.assertEqual((bank.unit_voltage_v, bank.unit_capacity_ah, bank.series, bank.parallel,
                              bank.rated_energy_wh), expected)
            self.assertEqual((made.place.latitude, made.place.longitude), (48.2, -16.4))
            self.assertEqual((made.arrays[0].panels, made.arrays[0].panel_w), (4, 225))
            # Two W of standby are more than a bank of 84 Wh has to spare.
            self.assertEqual(bank.standby_w, 0.17 if typed == "12 V 7 Ah" else 2.0)
        # Of 1024 Wh 85 % come out at a station's sockets, 967 Wh at its battery; four fifths of that above the floor.
        self.shows("From full you can use 770 Wh", self.client.get("/5/today").text)
        # A station's Wh told under batteries is a station all the same, and nothing told is not known yet.
        self.start(name="Van", bank="units", rated_energy_wh="1 kWh")
        self.assertTrue(rigs.find(self.db, "Van").rig.bank.is_station)
        self.start(name="Blank", bank="units")
        self.assertIn("bank", rigs.find(self.db, "Blank").rig.not_yet_told)
        for wrong in ("8 batteries of 6 V 350 Ah, in strings of 3", "some batteries", "0 x 12 V 100 Ah"):
            answer = self.start(name="Odd", label=wrong)
            self.assertEqual(answer.status_code, 422, wrong)
            self.shows("in strings of 4", answer.text)

    def test_bad_answers(self):
        for fields, words in (({"latitude": "95", "longitude": "0"}, "-90 to 90"),
                              ({"latitude": "47"}, "both of latitude and longitude"), ({"bank": "station"}, "2 kWh"),
                              ({"bank": "units", "unit_voltage_v": "12"}, "Ah"), ({"name": "Test rig"}, "another rig"),
                              ({"bank": "units", "unit_voltage_v": "12", "unit_capacity_ah": "0"}, "0.1 or more"),
                              ({"timezone": "Mars/Crater"}, "expected a town of the list"), ({"name": ""}, "a name")):
            with self.subTest(words):
                answer = self.start(**fields)
                self.assertIn(answer.status_code, (409, 422))
                self.shows(words, answer.text)
        self.assertEqual(len(rigs.names(self.db)), 1)


class AllRigs(PagesCase):
    def test_each_stands_with_its_days_and_leads_to_its_page(self):
        with transaction(self.db):
            rigs.add(self.db, replace(self.rig, name="Second"))
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, loads=(Load("Fridge", 500, "dc"),)), NOW)
        self.keep(Reading(NOW - timedelta(hours=1), soc=0.88))
        page = self.client.get("/together").text
        self.shows("Your rigs, side by side.", page)
        self.assertLess(page.index("Test rig"), page.index("Second"))
        self.shows("There is no reading of the level yet", page)
        self.assertRegex(page, r"8[0-9] %")
        self.shows("All rigs together", self.client.get("/1/today").text)

    def test_what_one_charges_from_another_is_use_there(self):
        log = readings(*({"soc": 0.8, "use_wh": 1000.0, "solar_wh": 1100.0, "mains_wh": 1.0} for _ in range(25)),
                       start=NOW - timedelta(days=24))
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, mains=(Mains("Test rig", 200),), loads=(
                Load("Fridge", 520, "dc", evidence="metered"),)), NOW)
            second = rigs.add(self.db, replace(self.rig, name="Trailer", arrays=(), mains=(
                Mains("Test rig", 200, True),)))
            kept.add_many(self.db, second, [replace(each, solar_wh=None, mains_wh=393.12) for each in log])
        self.keep(*log)
        # 393.12 Wh through a charger (0.90) and this inverter (0.91) are 480 a day of the 1000 that are used here.
        page = self.client.get("/1/bench").text
        self.shows("Your list takes 520 Wh a day, the log says", page)
        self.shows("Of that into Trailer", page)
        self.hides("Of that into Test rig", page)
        self.shows("480 Wh", page)
        self.hides("Of that into", self.client.get("/2/bench").text)
        self.shows("Test rig put about 393 Wh a day into Trailer over 24 logged days. That was about 480 Wh a day "
                   "of its own use.", self.client.get("/together").text)
        self.shows("Named as another of your rigs", self.client.get("/2/rig?part=mains-0").text)


class DayNought(PagesCase):
    def test_the_entry_comes_first_and_what_can_be_said_already(self):
        page = self.client.get("/1/today").text
        self.shows("From full you can use 7.7 kWh.", page)
        self.assertLess(page.index('id="entry"'), page.index('id="known"'))
        self.hides("strip-figure", page)  # no empty picture
        for words in ("Tick what runs here", "Write down the level", "A day of sun here in November", "Fridge box"):
            self.shows(words, page)
        self.keep(Reading(NOW - timedelta(hours=1), soc=0.88))
        page = self.client.get("/1/today").text
        self.shows("At 88 % you can use 6.5 kWh.", page)
        self.shows("The bank stands at 88 %", page)  # the glass too, though no use is known
        self.hides("Write down the level</a>", page)
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), replace(self.rig, loads=(Load("Fridge", 500, "dc"),)), NOW)
        page = self.client.get("/1/today").text
        self.shows("of power without any charging", page)
        self.shows("Meter Fridge for a day", page)

    def test_no_empty_page_looks_broken(self):
        for path, words in (("log", "bring a log in"), ("bench", "Tick usual things"),
                            ("outlook", "The days ahead, and their odds."),
                            ("additions", "What to add follows from what you use."), ("sums", "Write over any blank")):
            answer = self.client.get(f"/1/{path}")
            self.assertEqual(answer.status_code, 200, path)
            self.shows(words, answer.text)
            self.hides('role="alert"', answer.text)


class HalfAnUpload(DatabaseCase):
    def test_an_upload_that_stops_half_way_leaves_nothing(self):
        with serving(self.path) as address:
            port = int(address.rpartition(":")[2])
            body = b"read_at,soc_percent\n2026-11-01T19:00,50\n"
            head = (f"POST /1/log/import HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nContent-Length: 5000\r\n"
                    "Content-Type: multipart/form-data; boundary=x\r\n\r\n--x\r\n"
                    'Content-Disposition: form-data; name="file"; filename="a.csv"\r\n\r\n').encode()
            with socket.create_connection(("127.0.0.1", port), timeout=5) as half:
                half.sendall(head + body)
            with socket.create_connection(("127.0.0.1", port), timeout=5) as after:
                after.sendall(f"GET /1/log HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nConnection: close\r\n\r\n".encode())
                self.assertIn(b"200 OK", after.recv(64))
        self.assertEqual(kept.everything(self.db, self.rig_id), [])


class ManyWriters(PagesCase):
    def test_many_windows_at_once_keep_each_reading_once(self):
        mark = self.mark()
        name = self.app.config["SESSION_COOKIE_NAME"]
        cookie = self.client.get_cookie(name).value

        def write(n):
            client = self.app.test_client()
            client.set_cookie(name, cookie)
            client.post("/1/readings", data={"csrf_token": mark, "at": f"2026-11-20T10:{n % 10:02d}",
                                             "soc": str(n % 10)})

        threads = [threading.Thread(target=write, args=(n,)) for n in range(30)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual([reading.soc for reading in self.log()], [n / 100 for n in range(10)])


