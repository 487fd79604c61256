"""The real interface, driven in Chromium against the real server."""

import re
import tempfile
import unittest
from functools import cache
from pathlib import Path

from tests.browser.chromium import window
from tests.browser.plain import plain_to_all
from tests.browser.test_newcomers import said_and_offered
from tests.support import NOW, serving
from voltaun.database import connection
from voltaun.demo.fill import fill
from voltaun.pages.leaves import LEAVES
from voltaun.standins import monitor as standin

PAGES = ("/1/today", "/1/log", "/1/bench", "/1/rig", "/1/outlook", "/1/additions", "/1/sums", "/start",
         "/2/rig", "/1/rig?part=loads-0", "/1/rig?part=bank", "/1/bench/usual",
         "/2/bench", "/1/bench/runs/1", "/1/bench/runs/1?edit=1", "/1/bench/new?instrument=meter",
         "/1/bench/new?instrument=label", "/1/log/taught", "/1/log/compare", "/1/log/month/2026/11", "/1/log/year/2026",
         "/1/log/grid", "/1/log/monitor", "/2/log?day=2026-10-20",
         "/1/outlook?use=30", "/1/outlook/past", "/1/log/changed", "/1/log/safe", "/1/today?entry=1", "/1/card",
         "/1/rig?part=turbines-new", "/1/rig?part=spill_list-new", "/words", "/1/today?watts=1500&for=2",
         *(f"/1/{page}/{leaf}" for page, listed in LEAVES.items() for leaf, _ in listed if leaf))

def setUpModule():
    global folder, server, address
    folder = tempfile.TemporaryDirectory()
    path = Path(folder.name) / "demo.db"
    path.write_bytes(filled())
    server = serving(path)
    address = server.__enter__()


@cache
def filled() -> bytes:
    """A database with the demo's data, made once for all classes of this process."""
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "demo.db"
        connection.prepare(path)
        db = connection.connect(path)
        fill(db, NOW)
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        db.close()
        return path.read_bytes()


def tearDownModule():
    server.__exit__(None, None, None)
    folder.cleanup()


class BrowserCase(unittest.TestCase):
    """A test with a page of its own; it fails on any request elsewhere, script error or breach of the policy."""

    window = {"width": 1280, "height": 800}
    options: dict = {}

    def setUp(self):
        self.context = window(self, viewport=self.window, timezone_id="Australia/Hobart", locale="en-AU",
                              **self.options)
        self.elsewhere, self.errors = [], []
        self.page = self.open()

    def tearDown(self):
        self.assertEqual(self.elsewhere, [], "requests that left the machine")
        self.assertEqual(self.errors, [], "errors in the browser")

    def open(self, path=None):
        page = self.context.new_page()
        page.on("request", lambda request: request.url.startswith((address, "data:", "blob:"))
                or self.elsewhere.append(request.url))
        page.on("dialog", lambda dialog: dialog.accept())  # unsaved figures are left behind
        page.on("pageerror", lambda error: self.errors.append(str(error)))
        page.on("console", lambda message: message.type == "error" and "status of 4" not in message.text
                and self.errors.append(message.text))
        if path:
            page.goto(address + path)
        return page

    def go(self, path):
        self.page.goto(address + path)
        return self.page

    def shows(self, words, page=None):
        (page or self.page).get_by_text(words).first.wait_for()


class Logging(BrowserCase):
    def test_a_reading_is_kept_in_one_line_and_taken_back(self):
        page = self.go("/1/today")
        before = page.locator("#glass title").text_content()
        page.get_by_label("Level, %").fill("140")
        page.get_by_label("Sun, Wh", exact=True).fill("0.04 kWh")
        page.get_by_role("button", name="Keep this reading").click()
        self.shows("expected a percent between 0 and 100")
        self.assertEqual(page.get_by_label("Sun, Wh", exact=True).input_value(), "0.04 kWh")
        page.get_by_label("Level, %").fill("31%")
        page.get_by_role("button", name="Keep this reading").click()
        self.shows("Kept.")
        self.assertIn("Kept.", page.locator(":focus").inner_text())
        page.keyboard.press("Tab")
        self.assertEqual(page.locator(":focus").inner_text(), "Take it back")
        self.assertEqual(page.locator("#glass title").text_content(), "The bank stands at 31 %")
        page.get_by_role("button", name="Take it back").click()
        self.shows("Taken back.")
        self.assertEqual(page.locator("#glass title").text_content(), before)

    def test_a_day_is_edited_in_place_removed_and_brought_back(self):
        page = self.go("/1/log")
        row = page.locator("tbody tr[id]").nth(1)
        figures = row.inner_text()
        row.get_by_role("link", name="change this reading").click()
        page.get_by_label("Level, %").fill("12")
        self.assertEqual(page.url, address + "/1/log")
        page.get_by_role("button", name="Keep the change").click()
        page.get_by_role("button", name="Yes, keep it so").click()  # what came in and was used tell another level
        self.shows("Changed.")
        self.assertIn("12 %", page.locator("td.below").first.inner_text())
        page.get_by_role("button", name="Take it back").click()
        self.shows("Taken back.")
        self.assertEqual(page.locator("tbody tr[id]").nth(1).inner_text(), figures)
        count = page.locator("tbody tr[id]").count()
        page.locator("tbody tr[id]").nth(1).get_by_role("link", name="change this reading").click()
        page.get_by_role("button", name="Remove this reading").click()
        self.shows("Removed.")
        self.assertEqual(page.locator("tbody tr[id]").count(), count - 1)
        page.get_by_role("button", name="Take it back").click()
        self.shows("Taken back.")
        self.assertEqual(page.locator("tbody tr[id]").count(), count)

    def test_two_windows_on_the_same_reading(self):
        first, second = self.open("/1/log"), self.open("/1/log")
        for page in (first, second):
            page.locator("tbody tr[id]").nth(3).get_by_role("link", name="change this reading").click()
        near = int(first.get_by_label("Level, %").input_value())
        first.get_by_label("Level, %").fill(str(near - 1))
        second.get_by_label("Level, %").fill(str(near - 2))
        first.get_by_role("button", name="Keep the change").click()
        self.shows("Changed.", first)
        second.get_by_role("button", name="Keep the change").click()
        self.shows("changed meanwhile", second)
        self.assertEqual(second.get_by_label("Level, %").input_value(), str(near - 2))
        first.get_by_role("button", name="Take it back").click()
        self.shows("Taken back.", first)

    def test_a_file_with_faults_is_refused_with_its_lines(self):
        page = self.go("/1/log")
        page.get_by_label("A log from a file").set_input_files(
            {"name": "bad.csv", "mimeType": "text/csv", "buffer": b"read_at,soc_percent\n2026-01-01T10:00,140\n"})
        page.get_by_role("button", name="Bring it in").click()
        self.shows("line 2, column soc_percent: found '140'")

    def test_the_log_goes_out(self):
        page = self.go("/1/log")
        with page.expect_download() as download:
            page.get_by_role("link", name="Take the log out as CSV").click()
        text = Path(download.value.path()).read_text(encoding="utf-8")
        self.assertTrue(text.startswith("read_at,soc_percent"))
        self.assertEqual(download.value.suggested_filename, "honey-house.log.csv")


class Keys(BrowserCase):
    def test_keys_reach_everything(self):
        page = self.go("/1/today")
        page.keyboard.press("n")
        self.assertEqual(page.evaluate("document.activeElement.id"), "soc")
        page.keyboard.press("Escape")
        page.keyboard.press("?")
        self.shows("walk the days of the strip")
        self.assertTrue(page.locator("#key-list").evaluate("list => list.open"))
        page.keyboard.press("Escape")
        self.assertFalse(page.locator("#key-list").evaluate("list => list.open"))
        for key, path in (("2", "/1/log"), ("[", "day="), ("]", "day="), ("5", "/1/outlook"), ("6", "/1/additions"),
                          ("4", "/1/rig"), ("1", "/1/today")):
            with page.expect_navigation():  # each is a page of its own: an earlier one's address may hold it already
                page.keyboard.press(key)
            self.assertIn(path, page.url)
        page.keyboard.press("2")
        page.wait_for_url("**/log")
        page.keyboard.press("/")
        self.assertEqual(page.evaluate("document.activeElement.id"), "find")

    def test_arrows_walk_the_strip_and_enter_opens_the_day(self):
        page = self.go("/1/today")
        line = page.locator(".walked")
        page.wait_for_function("document.querySelector('.walked').textContent.includes('25 Nov')")
        page.locator("a.day[tabindex='0']").first.focus()
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("ArrowLeft")
        self.assertIn("23 Nov", line.inner_text())
        page.keyboard.press("ArrowRight")
        self.assertIn("24 Nov", line.inner_text())
        page.keyboard.press("Enter")
        page.wait_for_url("**/log?day=2026-11-24")
        self.assertEqual(page.locator("tr.asked").count(), 1)

    def test_a_page_reached_by_its_key_begins_with_what_it_says_and_the_sky_is_one_stop(self):
        page = self.go("/1/today")
        with page.expect_navigation():
            page.keyboard.press("5")
        self.shows("The sky you expect")
        self.assertEqual(page.evaluate("document.activeElement.id"), "page")
        stops = []
        while not stops or stops[-1] != "ask-load" and len(stops) < 30:
            page.keyboard.press("Tab")
            stops.append(page.evaluate("document.activeElement.id"))
        self.assertEqual(sum(stop.startswith("sky-2") for stop in stops), 1, stops)
        # The rail is not gone through, and of 48 skies one is a stop: 20 keys to the first field of the what-if.
        self.assertLessEqual(len(stops), 20)
        page.locator("#sky-grid button[tabindex='0']").focus()
        begun = page.evaluate("document.activeElement.id")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowLeft")
        moved = page.evaluate("document.activeElement.id")
        self.assertNotEqual(moved, begun)
        self.assertEqual(page.locator("#sky-grid button[tabindex='0']").count(), 1)
        page.keyboard.press("Enter")  # its answer comes in place, and the stop stays where one is
        page.locator(f"#{moved}[aria-pressed='true'][tabindex='0']").wait_for()
        page.keyboard.press("Enter")
        page.locator(f"#{moved}[aria-pressed='false']").wait_for()

    def test_a_reading_with_the_keyboard_alone(self):
        page = self.go("/1/today")
        page.keyboard.press("n")
        page.keyboard.type("44")
        page.keyboard.press("Tab")
        page.keyboard.type("0.03 kWh")
        page.keyboard.press("Enter")
        self.shows("Kept.")
        page.get_by_role("button", name="Take it back").press("Enter")
        self.shows("Taken back.")


class Bench(BrowserCase):
    def read(self, at, wh):
        self.page.get_by_label("When").fill(at)
        self.page.get_by_label("Counter, Wh").fill(wh)
        self.page.get_by_role("button", name="Keep this reading").click()

    def test_a_whole_meter_run(self):
        page = self.go("/1/bench")
        page.get_by_role("row", name="Lights").get_by_role("link", name="Meter it").click()
        page.get_by_label("When").fill("2026-11-20T08:00")
        page.get_by_role("button", name="Start").click()
        self.shows("There is one reading yet")
        self.read("2026-11-21T08:00", "150")
        self.shows("Lights takes 150 Wh a day, give or take 10 %.")
        self.read("2026-11-22T08:00", "30")
        self.shows("Was the meter set back to zero before the reading of Sunday 08:00?")
        self.assertEqual(page.get_by_role("button", name="Apply to the rig").count(), 0)
        page.get_by_role("button", name="Some time between: leave that out").click()
        self.shows("The counter was reset once")
        self.read("2026-11-23T08:00", "1.6 kWh")
        self.shows("Lights takes 860 Wh a day")
        page.get_by_role("row", name="Mon 23 Nov").get_by_role("link", name="Change").click()
        page.get_by_label("Counter, Wh").fill("160")
        page.get_by_role("button", name="Keep the change").click()
        self.shows("Lights takes 140 Wh a day")
        self.assertEqual(page.locator("svg.run-figure circle").count(), 4)
        page.get_by_role("button", name="Apply to the rig").click()
        self.shows("Applied; the rig reckons with it now.")
        page.keyboard.press("4")
        page.get_by_role("link", name="The figures").click()
        page.get_by_role("row", name="Lights Wh a day").get_by_role("link", name="meter run").click()
        page.get_by_role("button", name="Take it back").last.click()
        self.shows("Taken back; the rig has its figures of before.")
        self.assertTrue(page.get_by_role("button", name="Apply to the rig").is_visible())
        page.get_by_role("button", name="Abandon this run").click()
        self.shows("Abandoned; it counts for nothing.")

    def test_the_round_is_laid_out_and_goes_out_as_a_calendar(self):
        page = self.go("/2/bench")
        page.get_by_label("Meters for DC").fill("1")
        page.get_by_role("button", name="Lay out the round").click()
        self.shows("The round is laid out.")
        self.assertIn("Fridge box", page.locator("table.slots tbody tr", has_text="DC 1").first.inner_text())
        with page.expect_download() as download:
            page.get_by_role("link", name="Take it out as a calendar").click()
        self.assertIn("SUMMARY:Meter DC 1: Fridge box", Path(download.value.path()).read_text(encoding="utf-8"))

    def test_a_label_becomes_a_load(self):
        page = self.go("/2/bench")
        page.get_by_role("link", name="Add a load from its label").click()
        page.get_by_label("What is it?").fill("Kettle")
        page.get_by_label("W, or V x A").fill("12 V x 15 A")
        page.get_by_role("button", name="Keep this figure").click()
        self.shows("expected its W and the hours")
        self.assertEqual(page.get_by_label("W, or V x A").input_value(), "12 V x 15 A")
        page.get_by_label("Hours on a day").fill("20 min")
        page.get_by_role("button", name="Keep this figure").click()
        self.shows("The label says 60 Wh a day")
        page.get_by_role("button", name="Take it back").click()
        self.shows("Taken back")


class RigOnAPhone(BrowserCase):
    window = {"width": 390, "height": 844}

    def test_a_part_opens_as_a_page_of_its_own(self):
        page = self.go("/2/rig")
        page.locator("svg.one-line-narrow a", has_text="Fridge box").click()
        page.get_by_role("button", name="Keep it").wait_for()
        self.assertEqual(page.locator("svg.one-line-narrow").is_visible(), False)
        self.assertEqual(page.locator("main h2:visible").all_inner_texts(), ["Fridge box"])
        self.assertLess(page.evaluate("document.documentElement.scrollHeight"), 1700)
        page.get_by_role("link", name="Leave it as it was").click()
        page.locator("svg.one-line-narrow").wait_for()


class BenchOnAPhone(BrowserCase):
    window = {"width": 390, "height": 844}

    def walk_to(self, words):
        """Tab to what is labelled or says so; the time fields are the browser's own and are set as they stand."""
        says = "(document.activeElement.labels?.[0] ?? document.activeElement).textContent.trim()"
        for _ in range(80):
            self.page.keyboard.press("Tab")
            if self.page.evaluate(says) == words:
                return
        self.fail(f"{words} cannot be reached with Tab")

    def type_into(self, label, text):
        self.walk_to(label)
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)

    def press_on(self, words, key="Enter"):
        self.walk_to(words)
        self.page.keyboard.press(key)

    def at(self, time):
        self.page.locator("#at").evaluate("(field, time) => { field.value = time; field.focus(); }", time)

    def test_today_says_no_more_than_one_came_for(self):
        said, stops = said_and_offered(self.go("/1/today"))
        self.assertLessEqual(said, 350)
        self.assertLessEqual(stops, 16)

    def test_a_capacity_test_with_the_keyboard_alone(self):
        page = self.go("/1/bench")
        self.press_on("Test the bank’s capacity")
        page.wait_for_url("**/bench/new?instrument=capacity")
        self.at("2026-11-22T08:00")
        self.press_on("Start")
        self.shows("There is one reading yet")
        self.at("2026-11-22T19:00")
        self.type_into("At the battery, Wh", "4.6 kWh")
        self.type_into("Behind the inverter, Wh", "5 kWh")
        self.type_into("Display, %", "52")
        page.keyboard.press("Enter")
        self.shows("5.00 kWh behind the inverter from 4.60 kWh at the battery, expected less")
        self.press_on("Correct or take out that reading")
        page.wait_for_url("**edit=1")
        self.type_into("Behind the inverter, Wh", "4 kWh")
        page.keyboard.press("Enter")
        self.shows("The bank gives 9.58 kWh")
        self.shows("Partial: it stopped at 52 %")
        self.at("2026-11-23T06:00")
        self.type_into("At the battery, Wh", "9.4 kWh")
        self.type_into("Volts", "23.1")
        page.keyboard.press("Enter")
        self.shows("The test is still running")
        self.press_on("The last reading was at the cut-off", "Space")
        self.press_on("Note it")
        self.shows("The bank gives 9.40 kWh, give or take 2 %: 92 % of what is printed.")
        self.press_on("Apply to the rig")
        self.shows("Applied; the rig reckons with it now.")
        self.press_on("Take it back")
        self.shows("Taken back; the rig has its figures of before.")
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)


class RigAndAdditions(BrowserCase):
    def test_a_part_of_the_drawing_opens_its_figures(self):
        page = self.go("/1/rig")
        page.locator("svg.one-line a", has_text="Inverter").click()
        page.wait_for_url("**/rig?part=inverter#part")
        self.assertTrue(page.get_by_label("Idle, W").is_visible())

    def test_a_saved_rig_is_taken_back(self):
        page = self.go("/2/rig")
        page.get_by_role("button", name="Use it").first.click()
        self.shows("The everyday floor is now 70 %.")
        page.get_by_role("button", name="Take it back").click()
        self.shows("Taken back.")
        page.locator("svg.one-line a", has_text="110 Ah").first.click()
        self.assertEqual(page.get_by_label("Everyday floor, %").input_value(), "50")

    def test_any_figure_is_changed_in_four_taps(self):
        page = self.go("/2/rig")
        page.locator("svg.one-line a", has_text="Fridge box").click()  # one
        page.get_by_label("Wh a day", exact=True).fill("432")  # two
        page.get_by_role("button", name="Keep it").click()  # three
        self.shows("Fridge box is kept.")
        page.get_by_role("button", name="Take it back").click()
        self.shows("Taken back.")

    def test_figures_follow_while_typing(self):
        page = self.go("/1/rig?part=bank")
        page.get_by_label("Strings in parallel").fill("3")
        self.shows("25.6 V, 600 Ah, 15.4 kWh as printed instead of 25.6 V, 400 Ah, 10.2 kWh")
        page.get_by_label("Everyday floor, %").fill("50")
        self.shows("7.68 kWh")
        page.get_by_label("In series").fill("0")
        self.shows("once the figures fit together")
        page.reload()
        self.assertEqual(page.locator("#follows dd").count(), 0)

    def test_a_bad_figure_is_told_beside_its_field(self):
        page = self.go("/1/rig?part=place")
        page.get_by_label("Latitude, °").fill("95")
        page.get_by_role("button", name="Keep it").click()
        self.shows("−90 (south) to 90 (north)")
        self.assertEqual(page.get_by_label("Latitude, °").input_value(), "95")

    def test_all_the_years_come_by_themselves_and_an_option_opens_by_keyboard(self):
        page = self.go("/1/additions")
        page.get_by_text("Over 40 years of weather").wait_for(timeout=60_000)
        cells = page.locator("table.field td a")
        cells.nth(3).focus()
        for key in ("ArrowDown", "ArrowRight", "ArrowRight", "ArrowLeft", "ArrowUp", "ArrowUp"):
            page.keyboard.press(key)
        page.keyboard.press("Enter")
        page.wait_for_url("**at=4-*")
        self.shows("4 × Roof panel 330")

    def test_what_is_wrong_in_a_list_stays_typed_beside_the_answer(self):
        page = self.go("/2/additions")
        page.get_by_role("link", name="Price list").click()
        page.get_by_label("Price list", exact=True).fill("name,kind,size\nhalf typed")
        page.get_by_role("button", name="Keep the list").click()
        self.shows("The price list was not kept: line 2")
        self.assertEqual(page.get_by_label("Price list", exact=True).input_value(), "name,kind,size\nhalf typed")
        page.get_by_role("link", name="The question").click()
        page.get_by_label("To spend").fill("4000")
        page.get_by_role("button", name="Keep the question").click()
        self.shows("The question is kept.")

    def test_the_worksheet_answers_a_changed_input(self):
        page = self.go("/1/additions/worksheet")
        page.get_by_label("Use a day, Wh").fill("5 kWh")
        page.get_by_label("Days in reserve").fill("2")
        page.get_by_label("Days in reserve").press("Tab")
        self.shows("To live on 5.00 kWh a day with two days in reserve")
        self.assertIn("reserve_days=2", page.url)


class Sums(BrowserCase):
    def test_a_sentence_answers_while_typing(self):
        page = self.go("/1/sums")
        line = page.locator("#drop")
        line.get_by_label("Amps").fill("30 A")
        self.shows("1.68 V")
        line.get_by_label("Amps").fill("plenty")
        self.shows("expected a current in A")
        self.assertEqual(line.get_by_label("Amps").input_value(), "plenty")
        run = page.locator("#run")
        run.get_by_label("Side").select_option("dc")
        run.get_by_label("Coming in").fill("0.5 kW")
        self.shows("never: 500 W come in")


class FirstRun(BrowserCase):
    def test_the_log_is_open_after_three_answers(self):
        page = self.go("/start")
        self.assertEqual(page.get_by_label("Time zone").input_value(), "Australia/Hobart")
        page.get_by_label("What do you call it?").fill("Ridge hut")
        volts, station = page.get_by_label("One battery, V"), page.get_by_label("The station’s Wh")
        for answer, shown in (("An all-in-one station", (False, True)), ("I don’t know yet", (False, False)),
                              ("Batteries", (True, False))):
            page.get_by_label(answer, exact=True).first.check()
            self.assertEqual((volts.is_visible(), station.is_visible()), shown, answer)
        page.get_by_label("One battery, V").fill("12.8")
        page.get_by_label("One battery, Ah").fill("0")
        page.get_by_role("button", name="Open the log").click()
        self.shows("0.1 or more")
        page.get_by_label("One battery, Ah").fill("200")
        page.get_by_label("Sun: panels and their W").fill("4 panels of 100 W")
        page.get_by_role("button", name="Open the log").click()
        self.shows("From full you can use")
        page.get_by_label("Level, %").fill("80")
        page.get_by_role("button", name="Keep this reading").click()
        self.shows("At 80 % you can use 1.5 kWh.")
        # From here to an answer for tonight: tick what runs, and list it.
        page.get_by_role("link", name="Tick what runs here").click()
        page.get_by_label("Fridge box").check()
        page.get_by_role("button", name="List what is ticked").click()
        self.shows("of power without any charging")
        page.get_by_text("Ridge hut").first.click()
        page.get_by_role("link", name="Honey house").click()
        self.shows("of power without any charging")


class Outlook(BrowserCase):
    def test_what_if_answers_at_once_and_says_what_changed(self):
        page = self.go("/1/outlook")
        page.get_by_label("Honey-warming cabinet").check()
        self.shows("Doing without Honey-warming cabinet until")
        page.get_by_label("Use, % more or less").focus()
        for _ in range(4):
            page.keyboard.press("ArrowRight")
        self.shows("Using 20 % more and doing without")
        page.get_by_role("link", name="As things stand").click()
        page.wait_for_url("**/outlook")

    def test_the_sky_by_one_tap_a_day_and_a_plan_with_undo(self):
        page = self.go("/1/outlook")
        page.get_by_role("button", name="Tomorrow: storm").click()
        page.locator('button[aria-label="tomorrow: storm"][aria-pressed="true"]').wait_for()
        page.evaluate("document.querySelector('#what-if').dataset.stands = 'yes'")
        before = page.locator("#fan svg").first.inner_html()
        # A tap swaps what follows from it, and nothing else; the focus stays too.
        page.get_by_role("button", name="tomorrow: clear").focus()
        page.keyboard.press("Enter")
        page.locator('button[aria-label="tomorrow: clear"][aria-pressed="true"]').wait_for()
        self.assertEqual(page.evaluate("document.activeElement.getAttribute('aria-label')"), "tomorrow: clear")
        self.assertEqual(page.locator("#what-if").get_attribute("data-stands"), "yes")
        self.assertNotEqual(page.locator("#fan svg").first.inner_html(), before)
        page.keyboard.press("Enter")
        page.locator('button[aria-label="tomorrow: not known"][aria-pressed="true"]').wait_for()
        page.get_by_role("link", name="Plans", exact=True).click()
        page.get_by_label("What", exact=True).select_option("guests")
        page.get_by_label("Called").fill("market day folk")
        page.get_by_role("button", name="Keep this plan").click()
        self.shows("Planned: market day folk, use × 1.4")
        page.get_by_role("button", name="Take it back").click()
        self.shows("The plan is taken away.")

    def test_past_outlooks_come_by_themselves_on_their_leaf(self):
        page = self.go("/1/outlook")
        page.get_by_role("link", name="Past outlooks").click()
        self.shows("One day ahead, the sun came within its range")


class LogParts(BrowserCase):
    def test_days_are_typed_in_with_the_keyboard_alone(self):
        page = self.go("/2/log/grid")
        page.get_by_label("Level, row 1").focus()
        for words, key in (("81", "ArrowDown"), ("79", "ArrowDown"), ("120", "ArrowUp")):
            page.keyboard.type(words)
            page.keyboard.press(key)
        page.keyboard.press("Shift+Tab")
        page.get_by_role("button", name="Keep these readings").focus()
        page.keyboard.press("Enter")
        self.shows("expected a percent between 0 and 100")
        page.get_by_label("Level, row 3").fill("77")
        page.get_by_role("button", name="Keep these readings").click()
        self.shows("3 readings kept.")

    def test_dragging_marks_stretches_to_compare(self):
        page = self.go("/1/log")
        days = page.locator(".strip-wide a.day, svg.strip a.day")
        for first, last in ((2, 6), (9, 14)):
            boxes = [days.nth(n).bounding_box() for n in (first, last)]
            page.mouse.move(boxes[0]["x"] + 5, boxes[0]["y"] + 60)
            page.mouse.down()
            page.mouse.move(boxes[1]["x"] + 5, boxes[1]["y"] + 60, steps=4)
            page.mouse.up()
        page.get_by_role("link", name="set them beside one another").click()
        page.wait_for_url("**/log/compare?a_first=**")
        self.shows("Share of a clear sky")

    def test_a_samples_file_comes_in_with_its_progress_shown(self):
        end = int(NOW.timestamp())
        text = standin.text(end - 2 * 86_400, end).encode()
        page = self.go("/2/log/monitor")
        page.set_input_files("#file", {"name": "s.csv", "mimeType": "text/csv", "buffer": text})
        page.get_by_role("button", name="Bring them in").click()
        self.shows("Found 26.4 V on a bank of 12 V")
        page.get_by_role("button", name="Yes, bring it in").click()
        self.shows("2880 samples came in")
        page.get_by_role("link", name="To the samples").click()
        page.get_by_role("link", name="Tue 24 Nov").click()
        self.shows("1440 samples")

    def test_the_log_proposes_and_it_is_taken_back(self):
        page = self.go("/1/log/taught")
        page.get_by_role("button", name="Apply to the rig").first.click()
        self.shows("applied to the rig")
        page.get_by_role("button", name="Take it back").click()
        self.shows("Taken back.")

    def test_a_sheet_prints_on_paper(self):
        page = self.go("/1/log/month/2026/11")
        page.emulate_media(media="print")
        self.assertFalse(page.locator(".rail").is_visible())
        self.assertTrue(page.locator("table.sheet").is_visible())
        self.assertLess(len(page.pdf(format="A4")), 2_000_000)


class Plain(BrowserCase):
    """Every page by day and by night, at a phone's width and at twice its size."""

    def test_nothing_is_wrong_for_those_who_see_or_point_otherwise(self):
        for path in PAGES:
            with self.subTest(path=path):
                self.page.goto(address + path)
                plain_to_all(self, self.page)

    def test_the_plan_of_a_day_whose_level_was_just_read(self):
        page = self.go("/1/today")
        page.get_by_label("Level, %").fill("88")
        page.get_by_role("button", name="Keep this reading").click()
        kept, sure = page.locator(".flash", has_text="Kept."), page.get_by_role("button", name="Yes, keep it so")
        kept.or_(sure).first.wait_for()
        if sure.count():
            sure.click()
            kept.wait_for()
        self.go("/1/today")
        page.locator("#plan .clock").first.wait_for()
        page.locator("#plan summary").first.click()
        plain_to_all(self, self.page)
        self.go("/1/log/changed")
        page.get_by_role("button", name="Take it back").first.click()
        self.shows("Taken back.")



class Looks(BrowserCase):
    def test_the_phone_sees_how_long_there_is_without_scrolling(self):
        self.page.set_viewport_size({"width": 390, "height": 844})
        self.go("/1/today")
        for found in ("#glass-lying", "#entry button.keep", ".answer"):
            box = self.page.locator(found).bounding_box()
            self.assertLess(box["y"] + box["height"], 780, found)
        self.assertFalse(self.page.locator("#glass svg").is_visible())
        self.page.set_viewport_size({"width": 360, "height": 740})
        for link in self.page.locator(".pages a").all():
            box = link.bounding_box()
            self.assertTrue(box["x"] >= 0 and box["x"] + box["width"] <= 360 and box["height"] >= 40, link.inner_text())

    def test_the_first_look_holds_the_answer_what_to_do_the_plan_and_the_entry_beside_it(self):
        self.page.set_viewport_size({"width": 1280, "height": 800})
        self.go("/1/today")
        boxes = {found: self.page.locator(found).first.bounding_box()
                 for found in (".answer", ".advice", "#plan h2", "#entry h2", "#entry #soc")}
        for found, box in boxes.items():
            self.assertLess(box["y"] + box["height"], 800, found)
            self.assertLessEqual(box["x"] + box["width"], 1280, found)
        self.assertGreater(boxes["#entry h2"]["x"], boxes["#plan h2"]["x"] + 300)
        self.assertAlmostEqual(boxes["#entry h2"]["y"], boxes["#plan h2"]["y"], delta=2)

    def test_the_shipped_faces_are_used(self):
        self.go("/1/today")
        loaded = self.page.evaluate("document.fonts.ready.then(fonts => [...fonts].filter(f => f.status === 'loaded')"
                                    ".map(f => f.family.replaceAll('\"', '')))")
        self.assertEqual(set(loaded), {"Atkinson Next", "Brygada"})

    def test_the_ground_can_be_set(self):
        page = self.go("/1/today")
        page.locator(".rig-choice summary").click()
        page.get_by_role("button", name="Night").click()
        page.wait_for_selector("html[data-ground='night']")
        self.assertEqual(page.locator("html").get_attribute("data-ground"), "night")


class WithoutScripts(BrowserCase):
    options = {"java_script_enabled": False}

    def test_the_whole_round_works_in_less_comfort(self):
        page = self.go("/1/today")
        page.get_by_label("Level, %").fill("44")
        page.get_by_role("button", name="Keep this reading").click()
        self.shows("Kept.")
        page.get_by_role("button", name="Take it back").click()
        self.shows("Taken back.")
        page.locator("tbody tr[id]").nth(2).get_by_role("link", name="change this reading").click()
        page.get_by_label("Level, %").fill("140")
        page.get_by_role("button", name="Keep the change").click()
        self.shows("expected a percent between 0 and 100")
        page = self.go("/1/today")
        page.get_by_label("Level, %").fill("44")
        page.get_by_label("Sun, Wh", exact=True).fill("9000")
        page.get_by_role("button", name="Keep this reading").click()
        page.get_by_role("button", name="No, let me correct it").click()
        page.get_by_label("Sun, Wh", exact=True).fill("9")
        page.get_by_role("button", name="Keep this reading").click()
        self.shows("Kept.")
        page.locator(".flash").get_by_role("button", name="Take it back").click()
        page = self.go("/1/today")
        page.get_by_label("Level, %").fill("70")
        page.get_by_role("button", name="Keep this reading").click()
        page = self.go("/1/today")
        page.get_by_role("button", name=re.compile("Done.*Bore pump")).click()
        self.shows("Bore pump: done.")
        page.get_by_role("button", name=re.compile("Take it back.*Bore pump")).click()
        page.get_by_text("Change: Bore pump").click()
        line = page.locator("#plan li", has_text="Bore pump")
        line.get_by_label("To").fill("10:15")
        line.get_by_role("button", name="Move it").click()
        self.assertEqual(page.locator("#plan li", has_text="Bore pump").locator(".clock").inner_text(), "10:15")
        page.get_by_text("Change: Bore pump").click()
        page.get_by_role("button", name="Back to the plan").click()
        self.go("/1/log/changed")
        page.get_by_role("button", name="Take it back").first.click()
        self.go("/start").get_by_role("link", name="Honey house").click()
        self.shows("of power without any charging")
