"""Logs in ten shapes that people and their programs make, each brought in through the pages with three answers at the
most, and out again the same. The truth of each is written by hand."""

import html
import io
import re
from dataclasses import dataclass, field
from datetime import UTC, datetime

from tests.pages.test_pages import PagesCase, standing
from tests.support import voltaun
from voltaun.core.instants import zone
from voltaun.database import readings as kept
from voltaun.formats.log_csv import read_log

HOBART = zone("Australia/Hobart")


@dataclass
class Shape:
    """A file, what is answered where it asks, and what the log then has: (day and time, level, sun, use)."""

    text: str
    log: list
    answers: dict = field(default_factory=dict)
    asked: str = ""


EVENINGS = [("2026-11-20 19:30", 0.60, 1850, 1200), ("2026-11-21 20:00", 0.64, 2050, 1100),
            ("2026-11-22 19:30", 0.55, 900, 1150)]

SHAPES = {
    "a table with words for its columns": Shape(
        "When,What happened,Batt,Sun,Used\n2026-11-20 19:30,\"rain, stove on\",60%,1850 Wh,1200\n"
        "2026-11-21 20:00,,64%,2050 Wh,1100\n2026-11-22 19:30,guests,55%,900 Wh,1150\n", EVENINGS),
    "semicolons, commas and kWh": Shape(
        "Datum;Uhr;Ladestand;Ertrag;Verbrauch\n20.11.2026;19.30;60;1,85;1,2\n21.11.2026;20 Uhr;64;2,05;1,1\n"
        "22.11.2026;19:30;55;0,9;1,15\n", EVENINGS),
    "thousands with a space": Shape(
        "Date;Heure;Niveau %;Soleil Wh;Conso Wh\n20/11/2026;19h30;60;1 850;1 200\n21/11/2026;20h;64;2 050;1 100\n"
        "22/11/2026;19h30;55;900;1 150\n", EVENINGS),
    "the month first, and degrees Fahrenheit": Shape(
        "Date,Time,Battery %,Solar (Wh),Used Wh,Low temp F\n11/20/2026,7:30 PM,60,1850,1200,50\n"
        "11/21/2026,8 pm,64,2050,1100,50\n11/22/2026,7:30 PM,55,900,1150,50\n", EVENINGS),
    "times in UTC": Shape(
        "timestamp (UTC),SOC,solar_wh,use_wh\n2026-11-20 08:30,60,1850,1200\n2026-11-21 09:00,64,2050,1100\n"
        "2026-11-22 08:30,55,900,1150\n", EVENINGS),
    "counters that run on": Shape(
        "Date;Zähler Solar kWh;Zähler Verbrauch kWh;Ladestand\n20.11.2026 19:30;1204,2;811,1;60\n"
        "21.11.2026 20:00;1206,25;812,2;64\n22.11.2026 19:30;1207,15;813,35;55\n",
        [("2026-11-20 19:30", 0.60, None, None), *EVENINGS[1:]], {"sums": "counters that run on"},
        "Zähler Solar kWh and Zähler Verbrauch kWh only rise"),
    "two rigs in one sheet": Shape(
        "system,date,level,sun,used\nhut,2026-11-20 19:30,60,1850,1200\ntrailer,2026-11-20 19:30,80,300,90\n"
        "hut,2026-11-21 20:00,64,2050,1100\ntrailer,2026-11-21 20:00,70,100,110\nhut,2026-11-22 19:30,55,900,1150\n",
        EVENINGS, {"only": "hut"}, "More than one rig is in the file"),
    "lines that sum up others, and cells left as they were": Shape(
        "Date,SOC,Sun kWh,Used kWh\n2026-11-20 19:30,60,1.85,1.2\nWeek total,-,1.85,1.2\n"
        "2026-11-21 20:00,~64,2.05,1.1\n2026-11-22 19:30,55,0.9,1.15\nTotal November,n/a,4.8,3.45\n",
        EVENINGS, {"loose": ["totals", "blank", "about"]},
        "stand for lines that sum up others: “Week total”, “Total November”"),
    "days without a year or a time, in tabs": Shape(
        "day\tlevel\tharvest\tused\n30 Dec\t0.6\t1.85\t1.2\n31 Dec\t0.64\t2.05\t1.1\n1 Jan\t0.55\t0.9\t1.15\n",
        [("2025-12-30 19:00", 0.60, 1850, 1200), ("2025-12-31 19:00", 0.64, 2050, 1100),
         ("2026-01-01 19:00", 0.55, 900, 1150)], {"year": "2025", "hour": "19:00"}, "30 Dec has no year with it"),
    "sums of months": Shape(
        "Month,Sun kWh,Used kWh\n2026-08,62.4,41\n2026-09,84.2,42.5\n2026-10,101,40.1\n",
        [("2026-08-31 23:00", None, 62_400, 41_000), ("2026-09-30 23:00", None, 84_200, 42_500),
         ("2026-10-31 23:00", None, 101_000, 40_100)], {"hour": "23:00"}, "The days have no time with them"),
}


class Shapes(PagesCase):
    def send(self, shape):
        file = (io.BytesIO(shape.text.encode()), "sheet.csv")
        return self.post("/1/log/import", {"file": file}, follow_redirects=True).text

    def bring(self, shape):
        """Send the file, answer where it asks, and keep it; what the page said first."""
        first = page = self.send(shape)
        for _ in range(3):
            path = re.search(r'action="(/1/log/bring/\d+)"', page)
            if path is None:
                break
            form = page[page.index(path[0]):]
            answered = {name: html.unescape(value) for name, value in standing(form).items()} | shape.answers
            press = next((name for name in ("sure", "bring") if f'name="{name}" value="yes"' in form), None)
            page = self.post(path[1], answered | ({press: "yes"} if press else {}), follow_redirects=True).text
        self.assertNotIn("/log/bring/", page, re.findall(r'class="caution"[^>]*>(.*?)</', page, re.S))
        return first

    def test_ten_shapes_come_in_and_go_out_again_the_same(self):
        for name, shape in SHAPES.items():
            with self.subTest(shape=name):
                self.assertLessEqual(len(shape.answers), 3)
                before = {each.id for each in kept.everything(self.db, 1)}
                said = self.bring(shape)
                if shape.asked:
                    self.shows(shape.asked, said)
                else:
                    self.assertNotIn('role="alert"', said)
                came = [each for each in kept.everything(self.db, 1) if each.id not in before]
                log = [each.reading for each in came]
                self.assertEqual([(f"{each.at.astimezone(HOBART):%Y-%m-%d %H:%M}", each.soc, _wh(each.solar_wh),
                                   _wh(each.use_wh)) for each in log], shape.log)
                out = voltaun("export", "--db", self.path, check=0).stdout
                self.assertEqual(read_log(out.encode(), HOBART).readings, log)
                with self.db:
                    self.db.execute("DELETE FROM reading")

    def test_what_else_they_hold(self):
        self.bring(SHAPES["a table with words for its columns"])
        self.assertEqual([each.note for each in self.log()], ["rain, stove on", "", "guests"])
        self.db.execute("DELETE FROM reading")
        self.bring(SHAPES["the month first, and degrees Fahrenheit"])
        self.assertEqual({each.temp_c for each in self.log()}, {10.0})
        self.assertEqual(self.log()[0].at, datetime(2026, 11, 20, 8, 30, tzinfo=UTC))

    def test_a_kept_answer_without_its_year_asks_for_the_next(self):
        shape = SHAPES["days without a year or a time, in tabs"]
        self.bring(shape)
        again = self.send(shape)
        self.shows("30 Dec has no year with it", again)
        self.assertIn('value="19:00"', again)  # the rest was kept


def _wh(value):
    return None if value is None else round(value, 6)
