"""Now is one: the same to the digit wherever it stands; and what is advised is kept as plans with one action."""

import html
import json
import re
from datetime import timedelta
from unittest import mock

import numpy as np

from tests.pages.test_outlook import OutlookCase
from tests.support import NOW, environment, voltaun
from voltaun.core.log.reading import Reading
from voltaun.database import plans
from voltaun.database.readings import everything
from voltaun.pages.frame import _unbroken


def level_at_now(figure, floor):
    """The level at which the line of a drawn figure stands at its hinge, read against its floor and its scale."""
    hinge = float(re.search(r'd="M([\d.]+) [^"]*" class="hinge"', figure)[1])
    line = re.search(r'd="M([^"]+)" class="level level-ahead"', figure)[1]
    points = [tuple(map(float, point.split())) for point in line.split(" L")]
    y = float(np.interp(hinge, *zip(*points, strict=True)))
    at_floor = float(re.search(r'd="M[\d.]+ ([\d.]+) H[\d.]+" class="floor"', figure)[1])
    nought, full = (float(re.search(rf'y="([\d.]+)"[^>]*class="scale end"[^>]*>{of}(?: %)?<', figure)[1])
                    for of in (0, 100))
    return floor + (at_floor - y) / (nought - full)


class OnePresent(OutlookCase):
    def answer(self, at):
        """The answer of the command line on the files that the database gives."""
        files = {kind: self.path.parent / kind for kind in ("rig", "log-csv")}
        for kind, file in files.items():
            voltaun("export", "--db", self.path, "--as", kind, "-o", file, "--over", check=0)
        return json.loads(voltaun("outlook", "--rig-file", files["rig"], "--log", files["log-csv"], "--as-of",
                                  at.isoformat(), "--json", check=0).stdout)

    def test_level_days_and_range_are_the_same_to_the_digit_everywhere(self):
        for hours in (0, 23):
            last = everything(self.db, 1)[-1].reading.at
            late = last + timedelta(hours=hours)
            got = self.answer(late)
            level, low, high = (f"{got['now']['soc'][of]:.0%}".replace("%", " %") for of in ("p50", "p10", "p90"))
            days = f"{got['dark_autonomy_days']['everyday_floor']:.1f} days"
            self.assertEqual(got["now"]["age_hours"], hours)
            with self.subTest(hours=hours), mock.patch.dict("os.environ", environment(late)):
                for path in ("/1/today", "/1/outlook", "/1/sums", "/together"):
                    page = html.unescape(self.client.get(path).text)
                    self.shows(level, page)
                    self.shows(days.removesuffix(" days"), page)
                    if hours and path != "/together":
                        self.shows(f"between {low.removesuffix(' %')}", page.replace(low, low.removesuffix(" %")))
                        self.shows(high.removesuffix(" %"), page)
                    self.assertNotRegex(page, rf"bank stands at (?!about {level}|{level})")

    def test_less_than_half_a_day_is_said_alike_on_the_glass_and_in_the_headline(self):
        at = everything(self.db, 1)[-1].reading.at + timedelta(hours=2)
        self.keep(Reading(at, soc=0.30))
        with mock.patch.dict("os.environ", environment(at)):
            page = html.unescape(self.client.get("/1/today").text)
        said = re.search(r"About ([^.]+) of power", page)[1]
        self.assertRegex(said, r"^\d+ h")
        self.shows(f">{said}</text>", page)
        number, _, rest = said.partition(" ")
        self.assertRegex(page, rf">{number}</text><text[^>]*>{rest}</text>")

    def test_strip_and_fan_stand_at_that_level_at_now(self):
        late = everything(self.db, 1)[-1].reading.at + timedelta(hours=23)
        soc = self.answer(late)["now"]["soc"]["p50"]
        with mock.patch.dict("os.environ", environment(late)):
            for path in ("/1/today", "/1/outlook"):
                figures = [of.split("</svg>")[0] for of in self.client.get(path).text.split("<svg")]
                figures = [of for of in figures if 'class="hinge"' in of]
                self.assertEqual(len(figures), 2)  # wide, and for a phone
                for figure in figures:
                    shown = level_at_now(figure, self.rig.bank.everyday_floor)
                    self.assertAlmostEqual(shown, soc, delta=0.01, msg=path)

    def test_the_answer_for_machines_has_now_its_range_and_what_to_do(self):
        last = everything(self.db, 1)[-1].reading.at
        self.keep(Reading(last + timedelta(hours=2), soc=0.24))
        got = self.answer(last + timedelta(hours=3))
        for name, days in got["dark_autonomy_range_days"].items():
            self.assertTrue(days["p10"] <= days["p50"] <= days["p90"])
            self.assertEqual(days["p50"], got["dark_autonomy_days"][name])
        advice = got["advice"]
        self.assertGreater(advice["chance"], 0.1)
        self.assertLess(advice["chance_after"], advice["chance"])
        for way in advice["ways"]:
            self.assertTrue(way["plans"])
            self.assertLessEqual(advice["chance_after"], way["chance_after"])
        told = next(way for way in advice["ways"] if way["plans"][0].startswith("generator"))
        again = voltaun("outlook", "--rig-file", self.path.parent / "rig", "--log", self.path.parent / "log-csv",
                        "--as-of", (last + timedelta(hours=3)).isoformat(), "--json",
                        *(part for plan in told["plans"] for part in ("--plan", plan)), check=0)
        self.assertAlmostEqual(json.loads(again.stdout)["advice"]["chance"], told["chance_after"], delta=0.03)


class KeepAWay(OutlookCase):
    def kept_plans(self):
        return [each.plan for each in plans.current(self.db, 1, NOW.date())]

    def setUp(self):
        super().setUp()
        self.keep(Reading(NOW - timedelta(minutes=10), soc=0.24))
        self.page = html.unescape(self.client.get("/1/today").text)
        form = next(form for form in self.page.split('action="/1/outlook/way"')[1:]
                    if 'value="generator:' in form.split("</form>")[0]).split("</form>")[0]
        self.texts = re.findall(r'name="plan" value="([^"]+)"', form)

    def test_a_way_is_kept_whole_and_once_and_taken_back_whole(self):
        answer = self.post("/1/outlook/way", {"plan": self.texts}, follow_redirects=True).text
        self.assertEqual(len(self.kept_plans()), len(self.texts))
        self.shows("Planned:", answer)
        self.shows("planned already", self.post("/1/outlook/way", {"plan": self.texts}, follow_redirects=True).text)
        self.assertEqual(len(self.kept_plans()), len(self.texts))
        back = re.search(r'action="(/1/outlook/plans/\d+)"', answer[answer.index('class="flash"'):])[1]
        also = re.findall(r'name="also" value="(\d+)"', answer[answer.index('class="flash"'):])
        again = self.post(back, {"also": also}, follow_redirects=True).text
        self.assertEqual(self.kept_plans(), [])
        flash = again[again.index('class="flash"'):]
        self.post(re.search(r'action="([^"]+)"', flash)[1], {"back": "1", "also": also})
        self.assertEqual(len(self.kept_plans()), len(self.texts))

    def test_a_chance_stays_on_one_line(self):
        self.assertRegex(self.page, "\\d\N{NO-BREAK SPACE}in\N{NO-BREAK SPACE}10")
        self.assertRegex(self.page, "above \\d+\N{NO-BREAK SPACE}%")
        self.assertEqual(_unbroken("Then 8 h 30 of 2 hours, 1.90 kWh, 40 min and 17 W in 10 days").split(" "),
                         ["Then", "8\xa0h\xa030", "of", "2", "hours,", "1.90\xa0kWh,", "40\xa0min", "and",
                          "17\xa0W", "in", "10", "days"])

    def test_what_is_kept_is_no_longer_asked_for(self):
        self.post("/1/outlook/way", {"plan": self.texts})
        self.hides("Keep this as a plan", self.client.get("/1/today").text)

    def test_what_is_no_plan_of_this_rig_keeps_nothing(self):
        for plan in ("generator:2026-11-25=2@9#Nobody's", "nonsense", "generator:2026-13-40=2"):
            self.assertEqual(self.post("/1/outlook/way", {"plan": [self.texts[0], plan]}).status_code, 400, plan)
        self.assertEqual(self.kept_plans(), [])
        over = self.post("/1/outlook/way", {"plan": ["generator:2020-11-25=2"]}, follow_redirects=True).text
        self.shows("That is over.", over)
