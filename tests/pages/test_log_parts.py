import io
import re
import sqlite3
import threading
import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import mock

import numpy as np

from tests.pages.test_pages import PagesCase
from tests.simulated import Truth, log_of
from tests.support import NOW, readings
from voltaun.core.log.reading import Reading
from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.parts import Generator
from voltaun.database import check, monitors, rigs, samples
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.standins import monitor as standin


class Taught(PagesCase):
    def test_what_the_log_shows_is_applied_and_taken_back(self):
        rng = np.random.default_rng(1)
        truth = Truth(0.85 * rated_energy(self.rig.bank), 25.0, self.rig.bank.charge_efficiency)
        with_set = replace(self.rig, generators=(Generator("Set", 900),))
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), with_set, NOW)
        self.keep(*log_of(with_set, truth, rng, 90, start=NOW - timedelta(days=91)))
        page = self.client.get("/1/log/taught").text
        draws = re.search(r"There is a draw of about ([\d.]+ W) that the log does not explain", page)[1]
        for where in ("/1/log", "/1/outlook/basis", "/1/additions/worksheet"):
            self.shows(f"a draw of about {draws} that the log does not explain", self.client.get(where).text)
        answer = self.post("/1/log/taught", {"apply": "energy"}, follow_redirects=True).text
        self.shows("applied to the rig", answer)
        bank = rigs.get(self.db, 1).rig.bank
        self.assertAlmostEqual(bank.logged_energy_wh, truth.energy_wh, delta=0.06 * truth.energy_wh)
        self.shows("the log</a>", self.client.get("/1/rig/figures").text)
        self.post("/1/log/taught", {"apply": "standby"})
        self.assertAlmostEqual(rigs.get(self.db, 1).rig.bank.standby_w, 27, delta=6)
        again = self.post("/1/log/taught", {"apply": "standby"}, follow_redirects=True).text
        self.shows("does not propose that any more", again)
        change = re.findall(r"/rig/undo/(\d+)", self.post("/1/log/taught", {"apply": "energy"},
                                                          follow_redirects=True).text)
        self.assertEqual(change, [])
        self.post("/1/rig/undo/3")
        self.assertEqual(rigs.get(self.db, 1).rig.bank.standby_w, 2.0)
        self.assertEqual(self.post("/1/log/taught", {"apply": "moon"}).status_code, 400)

    def test_little_and_nothing(self):
        self.shows("does not teach anything yet", self.client.get("/1/log/taught").text)
        self.keep(*readings({"soc": 0.5}, {"soc": 0.6, "solar_wh": 3000}))
        self.shows("not known yet", self.client.get("/1/log/taught").text)


class Sheets(PagesCase):
    def setUp(self):
        super().setUp()
        self.keep(*readings(*({"soc": 0.5 + n % 5 / 100, "solar_wh": 2400.0, "use_wh": 2000.0} for n in range(40)),
                            start=NOW - timedelta(days=40)))

    def test_two_stretches(self):
        self.shows("No clear difference", self.client.get("/1/log/compare").text)
        asked = self.client.get("/1/log/compare?a_first=2026-11-10&a_last=2026-11-01&b_first=soon").text
        self.shows("expected a day, such as 25 Nov 2026", asked)
        self.shows("value=\"10 Nov 2026\"", asked)
        self.shows("expected the earlier day first",
                   self.client.get("/1/log/compare?a_first=2026-11-10&a_last=2026-11-01").text)

    def test_the_bounds_of_a_stretch(self):
        # A reading at the midnight that begins a stretch tells of the day before; at the one that ends it, of it.
        midnight = datetime(2026, 11, 10, 13, tzinfo=UTC)  # the 11th in Hobart
        self.keep(Reading(midnight, soc=0.15, generator_hours=2.0),
                  Reading(midnight + timedelta(days=5), soc=0.5, generator_hours=1.5))
        asked = self.client.get("/1/log/compare?a_first=2026-11-06&a_last=2026-11-10"
                                "&b_first=2026-11-11&b_last=2026-11-15").text
        row = re.search(r"<tr><th>Generator</th><td[^>]*>([^<]*)</td><td[^>]*>([^<]*)</td>", " ".join(asked.split()))
        self.assertEqual(row.groups(), ("2 h", "1 h 30"))

    def test_the_last_level_of_a_month_and_its_last_night(self):
        first = datetime(2025, 1, 30, 22, tzinfo=UTC)  # 9:00 on the 31st in Hobart
        self.keep(*(Reading(first + timedelta(hours=24 * n), soc=soc, use_wh=2400.0, solar_wh=0.0)
                    for n, soc in enumerate((0.61, 0.52, 0.44), -1)))
        lines = " ".join(self.client.get("/1/log/year/2025").text.split())
        january = lines[lines.index("month/2025/1\""):lines.index("month/2025/2\"")]
        # 15 h of the 30th, 9 and 15 h of the 31st: 39 of 24-hour days of 2400 Wh. The lowest, and the last.
        self.assertIn("3.90 kWh", january)
        self.assertRegex(january, r">52 %</td> <td[^>]*>52 %</td>")
        day = " ".join(self.client.get("/1/log/month/2025/1").text.split())
        thirty_first = day[day.index("day=2025-01-31"):]
        self.assertRegex(thirty_first, r">52 %</td> <td[^>]*>52 %</td>")
        self.keep(Reading(first + timedelta(hours=6), soc=0.58))  # the last of the month, not its lowest
        lines = " ".join(self.client.get("/1/log/year/2025").text.split())
        self.assertRegex(lines, r">January</a></th> <td[^>]*>52 %</td> <td[^>]*>58 %")

    def test_month_and_year(self):
        month = self.client.get("/1/log/month/2026/11").text
        self.shows("November 2026: ", month)
        self.shows("2.40 kWh", month)
        year = self.client.get("/1/log/year/2026").text
        self.shows('href="/1/log/month/2026/11"', year)
        for path in ("month/2026/13", "month/9/1", "year/9999"):
            self.assertEqual(self.client.get(f"/1/log/{path}").status_code, 404)
        self.shows("nothing is in the log", self.client.get("/1/log/month/2020/2").text)

    def test_a_month_ends_with_its_last_day(self):
        self.keep(*readings(*({"soc": 0.5, "use_wh": 900, "solar_wh": 950} for _ in range(4)),
                            start=datetime(2026, 10, 30, 1, tzinfo=UTC)))
        page = self.client.get("/1/log/month/2026/10").text
        row = page[page.index("Sat 31"):]
        self.assertRegex(row[:row.index("</tr>")], r">\d[\d.]* k?Wh<")


class Done(PagesCase):
    def test_what_was_done_is_said_on_the_log_and_the_strip_with_the_days_since(self):
        self.keep(*readings(*({"soc": 0.5, "solar_wh": 2400.0, "use_wh": 2000.0} for n in range(30)),
                            start=NOW - timedelta(days=30)),
                  Reading(NOW - timedelta(days=11, hours=5), soc=0.5, events=("equalised", "panels_wiped"),
                          note="Dusty."))
        page = " ".join(self.client.get("/1/log").text.split())
        self.shows("Bank equalised 11 days ago, on 14 Nov.", page)
        self.shows("Panels wiped 11 days ago, on 14 Nov.", page)
        self.shows("a_first=2026-11-04&amp;a_last=2026-11-13&amp;b_first=2026-11-15&amp;b_last=2026-11-24", page)
        self.shows("Bank equalised, panels wiped.</span> Dusty.", page)
        self.assertIn('class="done-mark"', self.client.get("/1/today").text)
        self.shows("bank equalised; panels wiped", self.client.get("/1/today").text)


class Grid(PagesCase):
    def rows(self, *rows):
        return self.post("/1/log/grid", {f"r{n}-{name}": value for n, row in enumerate(rows)
                                         for name, value in row.items()})

    def test_rows_with_a_figure_are_kept_together_or_not_at_all(self):
        self.shows('name="r6-at"', self.client.get("/1/log/grid").text)
        day = [{"at": f"2026-11-{n}T19:30"} for n in range(18, 23)]
        self.assertEqual(self.rows(day[0] | {"soc": "74%", "solar_wh": "2.1 kWh"}, day[1],
                                   day[2] | {"soc": "71", "note": "wet"}).status_code, 303)
        self.assertEqual([(each.soc, each.solar_wh, each.note) for each in self.log()],
                         [(0.74, 2100, ""), (0.71, None, "wet")])
        bad = self.rows(day[3] | {"soc": "70"}, day[4] | {"soc": "170"}, {"at": "2031-01-01T10:00", "soc": "5"})
        self.assertEqual(bad.status_code, 422)
        self.shows('value="170"', bad.text)
        self.shows("still to come", bad.text)
        taken = self.rows(day[3] | {"soc": "70"}, day[0] | {"soc": "60"})
        self.assertEqual(taken.status_code, 409)
        self.shows("is kept already", taken.text)
        self.assertEqual(len(self.log()), 2)
        self.shows("at least one row", self.rows(day[3], day[4]).text)
        self.rows(day[3] | {"soc": "70"})
        self.shows("1 reading kept.", self.client.get("/1/log").text)


class Marks(PagesCase):
    def test_an_answer_is_kept_and_taken_back_and_stands_in_the_history(self):
        start = NOW - timedelta(days=3)
        self.keep(Reading(start, soc=0.3), Reading(start + timedelta(days=1), soc=1.0, solar_wh=100, use_wh=900))
        page = self.client.get("/1/log?edit=2").text
        self.shows("Did the monitor set itself?", page)
        answer = self.post("/1/readings/2/answer", {"answer": "reset", "version": 1}, follow_redirects=True).text
        self.shows("what moved the level there is not booked", answer)
        self.assertEqual(self.log()[1].answer, "reset")
        page = self.client.get("/1/log?edit=2").text
        self.shows("nothing → reset", page)
        self.shows("This change of level is not booked: the monitor set itself, or a trial leaves it out.", page)
        edited = self.post("/1/readings/2", {"version": 2, "at": self.log()[1].at.isoformat()[:16], "soc": "99"})
        self.assertEqual((edited.status_code, self.log()[1].answer), (303, "reset"))
        stale = self.post("/1/readings/2/answer", {"answer": "right", "version": 1}, follow_redirects=True).text
        self.shows("changed meanwhile", stale)
        self.assertEqual(self.post("/1/readings/2/answer", {"answer": "maybe", "version": 3}).status_code, 400)
        self.assertEqual(self.post("/1/readings/77/answer", {"answer": "", "version": 1}).status_code, 404)

    def test_a_monitors_trouble_stands_between_the_readings(self):
        self.keep(Reading(NOW - timedelta(days=2), soc=0.5), Reading(NOW - timedelta(hours=1), soc=0.6))
        with transaction(self.db):
            monitors.keep(self.db, 1, "http://127.0.0.1:9", 5)
            monitors.asked(self.db, 1, NOW - timedelta(days=1), "lying", "It showed 4 % right after 97 %.")
        self.shows("4 % right after 97 %", self.client.get("/1/log").text)


class Dense(PagesCase):
    def bring(self, text):
        return self.post("/1/log/samples", {"file": (io.BytesIO(text.encode()), "s.csv")},
                         content_type="multipart/form-data")

    def ended(self, answer, while_in="Bringing s.csv in."):
        path = answer.headers["Location"]
        until = time.monotonic() + 20
        while while_in in (page := self.client.get(path).text):
            self.assertLess(time.monotonic(), until)
            time.sleep(0.05)
        return page

    def answered(self, answer):
        """The page once the job has taken up what it asked and ended; until then its question stands."""
        self.ended(answer, "Is that right?")
        return self.ended(answer)

    def text(self):
        end = int(NOW.timestamp())
        return standin.text(end - 2 * 86_400, end).replace("26.", "24.")

    def test_a_file_of_another_shape_is_asked_about_once_and_comes_in(self):
        renamed = self.text().replace("at,", "Zeit,", 1).replace("soc_percent", "SOC", 1)
        page = self.client.get(self.bring(renamed).headers["Location"]).text
        self.shows("What is what in s.csv?", page)
        path = re.search(r'action="(/1/log/bring/\d+)"', page)[1]
        answers = dict(re.findall(r'<select name="(as-\d+)".*?<option value="([a-z_]+)" selected', page, re.S))
        self.assertEqual(sorted(answers.values()), ["amps", "at", "charge_wh", "discharge_wh", "soc_percent", "volts",
                                                    "watts"])
        form = answers | {"kind": "samples", "name": "The shunt", "decimal": ".", "separator": ","}
        shown = self.post(path, form).text
        self.shows("Is that right?", shown)
        self.assertIsNone(samples.span(self.db, 1))
        self.shows("2880 samples came in", self.ended(self.post(path, form | {"bring": "yes"})))
        self.assertGreater(len(self.log()), 2)
        self.shows("1440 samples", self.client.get("/1/log/monitor?day=2026-11-24").text)
        self.shows("Samples from", self.client.get("/1/log/monitor?month=2026-11-01").text)
        self.shows("Nothing was sampled then", self.client.get("/1/log/monitor?month=2020-01-01").text)
        self.shows("Its samples", self.client.get("/1/log?edit=1").text)
        self.shows("2880 were there already", self.ended(self.bring(renamed)))  # the answers are kept

    def test_what_cannot_be_is_asked_about_and_kept_or_not(self):
        odd = self.text().replace("24.", "54.")
        for said, words in (({}, "Nothing of the file was kept"), ({"sure": "yes"}, "2880 samples came in")):
            answer = self.bring(odd)
            self.shows("on a bank of 24 V", self.ended(answer))
            self.assertIsNone(samples.span(self.db, 1))
            self.post(answer.headers["Location"] + "/cancel", said)
            self.shows(words, self.answered(answer))

    def test_one_wrong_year_is_asked_about_and_takes_no_month_between(self):
        odd = self.text().replace("2026-11-24T12:00:00", "2062-11-24T12:00:00", 1)
        answer = self.bring(odd)
        self.shows("Found 24 November 2062 right after 24 November 2026. Is that right?", self.ended(answer))
        self.post(answer.headers["Location"] + "/cancel")
        self.shows("Nothing of the file was kept", self.answered(answer))
        pauses = mock.Mock()
        with mock.patch("voltaun.intake.bringing.let_others", pauses):
            answer = self.bring(odd)
            self.shows("Is that right?", self.ended(answer))
            self.post(answer.headers["Location"] + "/cancel", {"sure": "yes"})
            self.shows("samples came in", self.answered(answer))
            self.post("/1/log/changed/import/1")
        self.assertLess(pauses.call_count, 12)
        self.assertEqual(check.faults(self.db), [])

    def test_what_a_fault_left_in_the_file_is_said(self):
        # The disk fails in mid-import, and then again when what came in is to be taken out.
        full = sqlite3.OperationalError("database or disk is full")
        for undoing, words in ((full, "Part of it is still in the file"), (None, "Nothing of the file was kept")):
            undone = {"side_effect": undoing} if undoing else {"wraps": samples.drop}
            with mock.patch("voltaun.intake.bringing.condense", side_effect=full), \
                    mock.patch("voltaun.intake.bringing.samples.drop", **undone):
                page = self.ended(self.bring(self.text()))
            self.shows("The import stumbled: the disk is full.", page)
            self.shows(words, page)

    def test_faults_and_a_stop_leave_nothing(self):
        self.shows("line 2, column watts", self.ended(self.bring("at,watts\n2026-11-01T10:00Z,lots\n")))
        go, seen = threading.Event(), threading.Event()

        def slowly():
            seen.set()
            go.wait(10)
        with mock.patch("voltaun.intake.bringing.let_others", slowly):
            answer = self.bring(self.text())
            self.assertTrue(seen.wait(10))
            self.post(answer.headers["Location"] + "/cancel")
            go.set()
            self.shows("Nothing of the file was kept", self.ended(answer))
        self.assertIsNone(samples.span(self.db, 1))
        self.assertEqual(self.client.get("/1/log/samples/999").status_code, 404)
        self.assertEqual(self.post("/1/log/samples", {}).status_code, 422)

    def test_samples_of_a_period_are_taken_out_and_come_back(self):
        self.ended(self.bring(self.text()))
        made = self.log()
        self.post("/1/log/samples/remove", {"first": "2026-11-24", "last": "24.11.2026"})
        self.assertEqual(self.db.execute("SELECT count(*) FROM sample").fetchone()[0], 1440)
        self.assertEqual(check.faults(self.db), [])
        self.assertLess(len(self.log()), len(made))
        self.shows("1440 samples of 24 Nov 2026", self.client.get("/1/log/changed").text)
        self.post("/1/log/changed/samples/1")
        self.assertEqual(self.db.execute("SELECT count(*) FROM sample").fetchone()[0], 2880)
        self.assertEqual((check.faults(self.db), self.log()), ([], made))
        self.assertEqual(self.post("/1/log/samples/remove", {"first": "2026-11-25", "last": "now"}).status_code, 422)

    def test_the_monitors_figures_are_checked(self):
        bad = self.post("/1/log/monitor", {"address": "http://example.org", "every": "often", "hours": "7 25"})
        self.assertEqual(bad.status_code, 422)
        for words in ("Voltaun asks nobody else", "expected minutes from 1", "expected hours of the day"):
            self.shows(words, bad.text)
        told = self.post("/1/log/monitor", {"address": "http://127.0.0.1:9", "every": "0", "hours": "19, 7",
                                               "now": "y"}, follow_redirects=True).text
        self.shows("The monitor is silent", told)
        self.assertEqual(monitors.setting(self.db, 1, "reading_hours", None), [7, 19])
        self.post("/1/log/monitor", {"forget": "yes"})
        self.assertIsNone(monitors.get(self.db, 1))

    def test_readings_are_made_of_all_samples(self):
        with transaction(self.db):
            from tests.core.log.test_samples import minutes
            start = int(datetime(2026, 10, 1, tzinfo=UTC).timestamp())
            samples.bring(self.db, 1, [minutes(3000, start=start, watts=40.0, soc=0.5)])
        self.shows("readings made", self.post("/1/log/monitor/readings", follow_redirects=True).text)
        self.assertTrue(all(each.at_bank for each in self.log()))

    def test_a_full_disk_is_said(self):
        pages = self.db.execute("PRAGMA page_count").fetchone()[0]
        mark = self.mark()

        def small(path, connect=kept.sqlite3.connect, **options):
            db = connect(path, **options)
            db.execute(f"PRAGMA max_page_count = {pages}")
            return db
        note = {"soc": "50", "note": "x" * 1900}
        with mock.patch("sqlite3.connect", small):
            answers = [self.client.post("/1/readings", data={"csrf_token": mark, "at": f"2026-11-{n:02d}T10:00"} | note)
                       for n in range(1, 20)]
        self.assertEqual(answers[-1].status_code, 507)
        self.shows("The disk is full", answers[-1].text)
        self.assertEqual(len(self.log()), sum(answer.status_code == 303 for answer in answers))


class Fresh(PagesCase):
    def test_what_is_kept_reckoned_follows_every_change_of_the_log(self):
        self.keep(*readings(*({"soc": 0.5, "solar_wh": 2400.0} for _ in range(20)), start=NOW - timedelta(days=19)))

        def act(what, *arguments):
            with transaction(self.db):
                return what(self.db, 1, *arguments, NOW)
        last, before = kept.everything(self.db, 1)[:-3:-1]
        seen = [self.client.get("/1/outlook").text.split("<main")[1]]
        gone = act(kept.remove, last.id, last.version)
        seen.append(self.client.get("/1/outlook").text.split("<main")[1])
        other = act(kept.remove, before.id, before.version)
        act(kept.undo, gone)
        seen.append(self.client.get("/1/outlook").text.split("<main")[1])
        act(kept.undo, other)
        now = kept.get(self.db, 1, last.id)
        act(kept.edit, now.id, now.version, replace(now.reading, soc=0.9))
        seen.append(self.client.get("/1/outlook").text.split("<main")[1])
        self.assertEqual(len(set(map(_without_marks, seen))), 4)


def _without_marks(page):
    return re.sub(r'name="csrf_token"[^>]*', "", page)


class Identity(PagesCase):
    def test_removing_and_bringing_back_is_the_identity(self):
        self.keep(*readings(*({"soc": 0.5 + n / 100, "solar_wh": 900.0} for n in range(9)),
                            start=NOW - timedelta(days=9)))
        before, exported = self.log(), self.client.get("/1/log.csv").data
        for each in kept.everything(self.db, 1)[::2]:
            with transaction(self.db):
                change = kept.remove(self.db, 1, each.id, each.version, NOW)
                kept.undo(self.db, 1, change, NOW)
        self.assertEqual(self.log(), before)
        self.assertEqual(self.client.get("/1/log.csv").data, exported)
        with transaction(self.db):
            first = kept.everything(self.db, 1)[0]
            kept.edit(self.db, 1, first.id, first.version, replace(first.reading, answer="right", at_bank=True), NOW)
        self.shows("right,1", self.client.get("/1/log.csv").text)


class OneTruth(PagesCase):
    def test_spilt_is_one_figure_on_today_the_month_and_the_year(self):
        rng = np.random.default_rng(4)
        truth = Truth(rated_energy(self.rig.bank), 5.0, self.rig.bank.charge_efficiency)
        small = replace(self.rig, bank=replace(self.rig.bank, unit_capacity_ah=150))
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), small, NOW)
        self.keep(*log_of(small, replace(truth, energy_wh=3600.0), rng, 100, start=NOW - timedelta(days=101)))

        def spilt(path, where):
            page = self.client.get(path).text.replace("\u202f", "")
            found = re.search(where, page, re.S)
            return found and found[1]
        month = spilt("/1/log/month/2026/11", r"About ([\d.]+ kWh) of sun was spilt")
        year = spilt("/1/log/year/2026", r">November</a>.*?<em>([\d.]+ kWh)</em></td>\s*</tr>")
        self.assertIsNotNone(month)
        self.assertEqual(year, month)
        day = spilt("/1/log/month/2026/11",
                    r"day=2026-11-20\">Fri 20</a>.*?<em>([\d.]+ k?Wh)</em></td>\s*<td class=\"sheet")
        self.assertIsNotNone(day)
        self.assertIn(f"about {day} spilt", self.client.get("/1/today").text.replace("\u202f", ""))
