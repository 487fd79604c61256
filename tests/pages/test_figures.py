import itertools
import re
import unittest
import xml.etree.ElementTree as ElementTree
from datetime import UTC, date, datetime, timedelta
from types import SimpleNamespace

import numpy as np

from tests.support import HOBART, NOW, readings, rig, sun_of
from voltaun.core.bench.runs import Mark, Run
from voltaun.core.instants import zone
from voltaun.core.learned.account import reckon
from voltaun.core.log import days
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.outlook import outlook
from voltaun.core.outlook.present import Middle
from voltaun.core.rig.parts import Bank, Engine, SolarArray
from voltaun.database.readings import KeptReading
from voltaun.pages.figures import bench, dense, facing, fan, glass, hours, one_line, strip, weave
from voltaun.pages.figures.svg import el
from voltaun.pages.log.dense import _figures as figures_of
from voltaun.pages.log.sheet import Sheet
from voltaun.words.rig import facing_words

ZONE = zone("Australia/Hobart")


def parts(markup):
    """The drawing as a tree; fails on anything that is no XML, and on a number that is none."""
    assert "nan" not in markup and "inf" not in markup, markup
    return ElementTree.fromstring(str(markup))


class Drawings(unittest.TestCase):
    def setUp(self):
        self.rig = rig(place=HOBART)
        self.sun = sun_of(self.rig)
        log = readings(*({"soc": 0.35 + 0.05 * (n % 9), "solar_wh": 1500 + 200 * n, "use_wh": 2100,
                          "sky": ("clear", "mixed", "overcast", "storm")[n % 4]} for n in range(20)),
                       start=NOW - timedelta(days=19, hours=12))
        self.account = reckon(self.rig, log, self.sun)
        self.outlook = outlook(Ask(self.rig, known(self.rig, log, self.sun, NOW), self.sun, NOW))
        logged = days.by_day(self.rig, self.account.intervals, self.sun)
        today = date(2026, 11, 25)
        self.columns = strip.columns(today - timedelta(days=14), today + timedelta(days=10), logged, self.outlook,
                                     floor=0.2)

    def strip(self, size=strip.WIDE, shown=None, levels=None, seen="as it is"):
        levels = levels if levels is not None else [(i.end, i.soc_end, True) for i in self.account.intervals]
        seen = self.outlook if seen == "as it is" else seen
        return parts(strip.draw(size, shown or self.columns, levels, seen, (0.2, 0.1), ZONE, NOW, "/1/log"))

    def test_text_is_escaped_and_numbers_are_short(self):
        self.assertEqual(el("text", "<b>", x=1.25, y=3.0, class_='a"b'),
                         '<text x="1.2" y="3" class="a&#34;b">&lt;b&gt;</text>')

    def test_strip_has_a_link_a_day_with_its_figures_in_words(self):
        drawn = self.strip()
        links = drawn.findall(".//a")
        self.assertEqual(len(links), 25)
        self.assertEqual([link.get("tabindex") for link in links].count("0"), 1)
        self.assertEqual(links[14].get("href"), "/1/log?day=2026-11-25")
        self.assertRegex(links[20].get("data-line"), r"sun \d\.\d+–\d\.\d+ kWh; at dusk \d+–\d+ %; below 20 %: ")
        self.assertRegex(links[5].get("data-line"), r"in sun 3\.\d+ kWh; used 2\.10 kWh")
        self.assertEqual(drawn.get("viewBox"), "0 0 1060 330")
        self.assertTrue(drawn.find("title").text and drawn.find("desc").text)

    def test_nothing_is_drawn_outside_the_picture(self):
        for size in (strip.WIDE, strip.NARROW):
            drawn = self.strip(size)
            for box in drawn.iter("rect"):
                self.assertGreaterEqual(float(box.get("y")), -0.1)
                self.assertLessEqual(float(box.get("y")) + float(box.get("height")), size.height + 0.1)
                self.assertGreaterEqual(float(box.get("height")), 0)
                if "bar" in box.get("class", ""):  # below the level
                    self.assertGreaterEqual(float(box.get("y")), 0.59 * size.height)
            for path in drawn.iter("path"):
                for x, y in re.findall(r"[ML](-?[\d.]+) (-?[\d.]+)", path.get("d")):
                    self.assertTrue(-1 <= float(x) <= size.width + 1, path.get("d"))
                    self.assertTrue(-1 <= float(y) <= size.height + 1, path.get("d"))

    def test_an_empty_log_still_draws(self):
        empty = strip.columns(date(2026, 11, 11), date(2026, 12, 5), {}, None)
        drawn = self.strip(shown=empty, levels=[], seen=None)
        self.assertIn("nothing logged", drawn.find(".//a").get("data-line"))

    def test_no_tick_is_said_twice(self):
        run = Run("meter", "Clock", "ac", tuple(Mark(NOW + timedelta(hours=n), wh=wh) for n, wh in ((0, 0), (5, 0.7))))
        drawn = parts(bench.draw(run, None, rig()))
        said = [text.text for text in drawn.iter() if text.tag.endswith("text")]
        self.assertEqual(len(said), len(set(said)), said)

    def test_every_source_has_a_weave_of_its_own(self):
        fills = {source: weave.fill(source) for source in ("solar", "vehicle", "generator", "mains")}
        self.assertEqual(len(set(fills.values())), 4)
        defined = {pattern.get("id") for pattern in parts(weave.definitions()).iter("pattern")}
        self.assertTrue({fill[5:-1] for fill in fills.values() if fill.startswith("url")} <= defined)

    def test_glass_at_every_level_and_without_one(self):
        for soc in (None, 0.0, 0.07, 0.2, 0.61, 1.0):
            for days_per_soc in (None, 0.4, 2.2, 60.0):
                for draw in (glass.upright, glass.lying):
                    in_hand = None if soc is None or days_per_soc is None else max(0.0, (soc - 0.2) * days_per_soc)
                    drawn = parts(draw(soc, 0.2, 0.1, days_per_soc, in_hand))
                    self.assertIn("No level" if soc is None else f"{round(soc * 100)} %", drawn.find("title").text)
                    for text in drawn.iter("text") if draw is glass.upright else ():
                        if text.get("class") == "scale scale-now":  # a letter of this size is 9 wide
                            self.assertLessEqual(float(text.get("x")) + 9 * len(text.text), 124)
        self.assertEqual([text.text for text in parts(glass.upright(0.4, 0.2, 0.1, 2.2, 0.44)).iter("text")][-5:-2],
                         ["10", "h 30", "40"])  # 0.44 × 24 = 10.56 h

    def test_nothing_that_the_lying_glass_says_lies_over_another(self):
        def span(text):
            wide = (8.6 if "scale-now" in text.get("class") else 7.5) * len(text.text)
            x, end = float(text.get("x")), "end" in text.get("class")
            return (x - wide, x) if end else (x, x + wide)
        for floor in (0.1, 0.2, 0.5, 0.7):
            for soc in np.linspace(0, 1, 41):
                drawn = parts(glass.lying(soc, floor, 0.05, 3.0, max(0.0, (soc - floor) * 3.0)))
                below = sorted(span(text) for text in drawn.iter("text") if float(text.get("y")) > 50)
                self.assertTrue(all(low >= 0 and high <= 390 for low, high in below), (floor, soc, below))
                for (_, end), (begin, _) in itertools.pairwise(below):
                    self.assertLessEqual(end, begin, (floor, soc, below))

    def test_fan_covers_the_days_it_is_made_for(self):
        drawn = parts(fan.draw(self.outlook, (0.2, 0.1), ZONE, 1060, 360, 13, "fan"))
        words = [text.text for text in drawn.iter("text")]
        self.assertIn("everyday floor", words)
        self.assertIn("now", words)
        self.assertIn("5", words)


class OfADay(unittest.TestCase):
    def test_what_flows_in_an_hour_stays_in_the_picture(self):
        start = NOW.replace(hour=0)
        hour = timedelta(hours=1)
        flows = [SimpleNamespace(start=start + n * hour, end=start + (n + 1) * hour, soc=Middle(0.5, 0.6, 0.7),
                                 solar_wh=Middle(300.0, 600.0, 900.0), use_wh=Middle(100.0, 200.0, 300.0),
                                 spilt_wh=Middle(0.0, 50.0, 100.0)) for n in range(24)]
        drawn = parts(hours.draw(SimpleNamespace(hours=flows, day=start.date()), [], 0.2, ZONE))
        ys = [float(y) for path in drawn.iter("path") for y in re.findall(r"[ML ]-?[\d.]+ (-?[\d.]+)", path.get("d"))]
        self.assertGreater(len(ys), 50)
        self.assertTrue(min(ys) >= 0 and max(ys) <= hours.HEIGHT, (min(ys), max(ys)))

    def test_an_hour_is_covered_by_its_seconds(self):
        none = np.full(2, np.nan)
        summed = SimpleNamespace(soc_low=none, soc_high=none, charge_wh=np.array([100.0, 50.0]),
                                 discharge_wh=np.zeros(2), samples=np.array([60, 30]), seconds=np.array([3600, 1800]))
        made = figures_of("Tue", summed, slice(0, 2), None)
        self.assertEqual((made["covered"], made["charge"], made["samples"], made["low"]), (1.5, 150.0, 90, None))


class Facing(unittest.TestCase):
    def drawn(self, tilt, azimuth, latitude=-42.0, **more):
        return facing.draw(SolarArray("Roof", 300, 4, tilt, azimuth, **more), latitude)

    def ends(self, picture, name):
        """Where the lines of a class begin and end."""
        return [[float(each) for each in re.findall(r"-?[\d.]+", d)]
                for d in re.findall(rf'<path d="(M[^"A]*)" class="{name}"', str(picture))]

    def test_from_above_it_looks_where_it_faces(self):
        for azimuth, ends in ((0, (56, 24)), (90, (88, 56)), (180, (56, 88)), (270, (24, 56))):
            (looks,) = self.ends(self.drawn(30, azimuth), "tick")
            self.assertEqual(looks, [56, 56, *ends])
            panel = self.ends(self.drawn(30, azimuth), "level")[0]
            self.assertEqual(abs(panel[2] - panel[0]) > abs(panel[3] - panel[1]), azimuth % 180 == 0)
        self.assertEqual(self.ends(self.drawn(0, 0), "tick"), [])  # what lies flat looks nowhere

    def test_from_the_side_it_leans(self):
        for tilt, ends in ((0, (220, 92)), (30, (210.6, 57)), (90, (150, 22))):
            self.assertEqual(self.ends(self.drawn(tilt, 0), "level")[1], [150, 92, *ends])

    def test_the_sun_at_noon_stands_towards_the_equator(self):
        for latitude, at in ((-42.0, 20), (47.0, 92)):
            self.assertIn(f'cx="56" cy="{at}" r="5" class="noon"', str(self.drawn(30, 0, latitude)))
        self.assertIsNone(self.drawn(30, 0, aimed_per_day=2))

    def test_it_is_said(self):
        for tilt, azimuth, said in ((0, 0, "flat"), (90, 0, "upright, facing north"),
                                    (30, 45, "30° from level, facing north-east"),
                                    (18.4, 350, "18° from level, facing north (350°)"),
                                    (30, 338, "30° from level, facing north (338°)"),
                                    (30, 200, "30° from level, facing south (200°)")):
            self.assertEqual(facing_words(tilt, azimuth), said)


class OneLine(unittest.TestCase):
    def test_all_of_many_sources_is_in_the_picture(self):
        engines = tuple(Engine(f"Engine {n}", 300) for n in range(12))
        drawn = parts(one_line.wide(rig(place=HOBART, vehicles=engines)))
        height = float(drawn.get("viewBox").split()[3])
        self.assertLess(max(float(text.get("y")) for text in drawn.iter("text")), height)

    def test_all_of_the_bank_opens_it(self):
        for bank, name in ((Bank("lfp", 12.8, 200, series=2, parallel=3), "12.8 V 200 Ah, 2 in series × 3 strings"),
                           (Bank("lfp", rated_energy_wh=2000, pack_wh=(1000,)), "Station and 1 pack")):
            link = next(a for a in parts(one_line.wide(rig(bank=bank))).iter("a") if "Bank" in a.find("title").text)
            reach = next(of for of in link.iter("rect") if of.get("class") == "reach")
            top, bottom = float(reach.get("y")), float(reach.get("y")) + float(reach.get("height"))
            texts = [float(text.get("y")) for text in link.iter("text")]
            self.assertTrue(all(top < y < bottom for y in texts), (top, bottom, texts))
            self.assertLess(bottom - max(texts), 20)
            self.assertIn(name, link.find("title").text)


class Axes(unittest.TestCase):
    def test_a_day_goes_from_the_left_to_the_right(self):
        axis = dense._Axis(NOW, NOW + timedelta(hours=24), rig())
        left, middle, right = (axis.x(NOW.timestamp() + 3600 * hours) for hours in (0, 12, 24))
        self.assertEqual((left, middle, right), (dense._LEFT, (dense._LEFT + dense._RIGHT) / 2, dense._RIGHT))


class Sheets(unittest.TestCase):
    def test_weeks_sum_their_days(self):
        of = rig()
        start = datetime(2026, 10, 20, 8, tzinfo=UTC)
        log = readings(*({"soc": 0.5, "solar_wh": 1000, "use_wh": 900} for _ in range(36)), start=start)
        kept = [KeptReading(n, 1, reading) for n, reading in enumerate(log)]
        account = reckon(of, log, sun_of(of))
        split = days.by_day(of, account.intervals, sun_of(of))
        sheet = Sheet(of, kept, account, split, date(2026, 10, 19), date(2026, 11, 29), older=False, newer=False)
        self.assertAlmostEqual(sum(week.sum.harvest_wh for week in sheet.weeks), 35_000)
        self.assertAlmostEqual(sum(week.sum.use_wh for week in sheet.weeks), 35 * 900)
        newest = [row.day for row in sheet.weeks[0].rows]
        self.assertEqual(newest, sorted(newest, reverse=True))
        self.assertEqual(sum(len(week.rows) for week in sheet.weeks), 36)
        self.assertIsNone(sheet.weeks[-1].rows[-1].interval)
        holes = Sheet(of, kept[:3] + kept[5:], account, split, date(2026, 10, 19), date(2026, 11, 29), False, False)
        self.assertEqual([row.missed for week in holes.weeks for row in week.rows if row.missed], [2])
