"""People who have never seen it, from an empty file: what they set out to do is done, and the figures are those by
hand."""

import re
import tempfile
import unittest
from datetime import date, timedelta
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.chromium import window
from tests.support import serving
from voltaun.database import connection

SKIES = ("Sonne", "Wolken", "trüb")


def setUpModule():
    global folder, server, address
    folder = tempfile.TemporaryDirectory()
    path = Path(folder.name) / "empty.db"
    connection.prepare(path)
    server = serving(path)
    address = server.__enter__()


def tearDownModule():
    server.__exit__(None, None, None)
    folder.cleanup()


class Newcomer(unittest.TestCase):
    """A visit in one window, which begins with the three questions."""

    window = {"width": 1280, "height": 800}

    def setUp(self):
        self.page = window(self, viewport=self.window, timezone_id="Australia/Hobart", locale="en-AU").new_page()
        self.page.on("dialog", lambda dialog: dialog.accept())

    def begin(self, name, bank, panels, station=False):
        page = self.page
        page.goto(address + "/start")
        page.get_by_label("What do you call it?").fill(name)
        page.get_by_label("An all-in-one station" if station else "Batteries", exact=True).check()
        page.get_by_label("As the labels say").fill(bank)
        page.get_by_label("Sun: panels and their W").fill(panels)
        page.get_by_role("button", name="Open the log").click()
        self.shows("From full you can use")
        self.rig = re.search(r"/(\d+)/today", page.url)[1]

    def go(self, leaf):
        self.page.goto(f"{address}/{self.rig}/{leaf}")

    def shows(self, words):
        self.page.get_by_text(words).first.wait_for()

    def press(self, name):
        self.page.get_by_role("button", name=name, exact=True).first.click()

    def send(self, name, text):
        self.go("log")
        self.page.locator("input[type=file]").first.set_input_files(
            {"name": name, "mimeType": "text/csv", "buffer": text.encode()})
        self.press("Bring it in")


class OldBatteries(Newcomer):
    def test_what_they_hold_and_what_takes_so_much(self):
        # Eight of 6 V and 225 Ah in strings of four: 24 V and 450 Ah, 10.8 kWh, of which lead gives half.
        self.begin("Cabin", "8 batteries of 6 V 225 Ah lead, in strings of 4", "4 panels of 250 W")
        self.shows("From full you can use 5.4 kWh.")
        page = self.page
        self.go("bench/new?instrument=meter")
        page.get_by_label("What is on it?").fill("Old fridge")
        page.get_by_label("Counter, Wh").fill("0")
        page.locator("#at").fill("2026-11-23 07:00")
        self.press("Start")
        self.shows("Started.")
        page.get_by_label("Counter, Wh").fill("1340")
        page.locator("#at").fill("2026-11-24 07:00")
        self.press("Keep this reading")
        self.shows("1.34 kWh")
        self.press("Apply to the rig")
        self.shows("Applied; the rig reckons with it now.")
        self.go("bench")
        self.shows("Old fridge")
        self.shows("metered")


class AtTheDoor(Newcomer):
    """What is done most, on a phone, from an empty file; each figure by hand."""

    window = {"width": 390, "height": 844}

    def reads(self, at, soc):
        self.go("today")
        self.page.locator("#entry #soc").fill(soc)
        self.page.locator("#entry #at").fill(at)
        self.press("Keep this reading")
        self.shows("Kept.")

    def test_a_night_by_two_levels(self):
        self.begin("Night", "2 batteries of 12.8 V 200 Ah in a string of 2", "4 panels of 300 W")
        self.reads("yesterday 21:00", "93")
        self.reads("5:00", "81")
        self.go("today")
        # 12 % of 5120 Wh in 8 h are 76.8 W, standby with it; 10 h of the dark at that are 768 Wh, 15 %.
        expect(self.page.locator("#nights")).to_contain_text(
            "Last night took about 15 % in 10 h of dark, 770 Wh.")
        dawn = re.search(r"At dawn: about (\d+) %", self.page.locator("#nights").inner_text().replace("\xa0", " "))
        self.assertGreater(int(dawn[1]), 70)
        self.assertNotIn("the risk is there now", self.page.locator("main").inner_text())
        self.go("log")
        self.shows("81")

    def test_a_meter_for_half_an_hour(self):
        self.begin("Pad", "2 batteries of 12.8 V 200 Ah in a string of 2", "4 panels of 300 W")
        page = self.page
        self.go("bench/new?instrument=meter")
        page.get_by_label("What is on it?").fill("Heating pad")
        page.get_by_label("Counter, Wh").fill("0")
        page.locator("#at").fill("yesterday 20:00")
        self.press("Start")
        self.shows("Started.")
        page.get_by_label("Counter, Wh").fill("150")
        page.locator("#at").fill("yesterday 20:30")
        self.press("Keep this reading")
        self.shows("Heating pad took 150 Wh in 30 min: 300 W.")
        page.get_by_label("Or so long a day").fill("2 h")
        self.press("So it is: apply it")
        self.shows("Heating pad takes 600 Wh a day")  # 300 W × 2 h
        self.shows("Applied; the rig reckons with it now.")

    def test_agm_chosen_late(self):
        self.begin("Late", "2 batteries of 12 V 100 Ah", "2 panels of 100 W")
        page = self.page
        self.go("rig?part=bank")
        page.get_by_label("Chemistry").select_option("agm")
        self.press("Keep it")
        self.shows("With another chemistry follow: everyday floor 50 %, hard floor 20 %, charge efficiency 85 %.")
        self.go("rig")
        self.shows("1.20 kWh")  # half of 12 V × 200 Ah


class Spreadsheet(Newcomer):
    def sheet(self):
        """Forty days of a plain sheet, without two of them: 2 kWh a day used, 2.4 brought by the sun."""
        begun = date(2026, 10, 14)
        rows = [f"{begun + timedelta(days=n):%d.%m.%Y};{80 - n % 3};2,4;2,0;{SKIES[n % 3]}" for n in range(40)
                if n not in (11, 25)]
        return "Datum;Stand %;Sonne kWh;Verbrauch kWh;Himmel\n" + "\n".join(rows) + "\n"

    def test_it_comes_in_and_is_lived_again_with_two_panels_more(self):
        self.begin("Sheet", "2 batteries of 12.8 V 200 Ah in a string of 2", "4 panels of 300 W")
        page = self.page
        self.send("sheet.csv", self.sheet())
        self.shows("The days have no time with them")
        page.locator("#hour").fill("20:00")
        page.locator("#sums").select_option("of the day")
        for word, sky in zip(SKIES, ("clear", "mixed", "overcast"), strict=True):
            page.get_by_label(word, exact=True).select_option(sky)
        self.press("Show what that means")
        self.shows("40 readings, 14 October 2026 to 22 November 2026. Is that right?")
        self.shows("About 2.0 kWh a day were used. About 2.4 kWh a day came from the sun.")
        self.press("Yes, bring it in")
        self.shows("You use about 2.0 kWh a day")
        self.go("additions?at=2-0")
        self.shows("filled in: none below your floor, as before")

    def test_a_minute_export_and_a_sheet_as_people_leave_it(self):
        self.begin("Files", "1 battery of 12.8 V 200 Ah", "2 panels of 200 W")
        page = self.page
        self.send("people.csv", "Date,Time,SOC,Sun Wh\n2026-11-03,morning,n/a,2100\n2026-11-04,evening,about 40,-\n")
        self.shows("Some cells name a part of the day: “morning”, “evening”.")
        for taken in page.locator("input[name=loose]").all():
            taken.check()
        self.press("Show what that means")
        self.shows("2 readings")
        epoch = 1764547200
        self.send("minutes.csv", "ts,Vbat mV,I mA,SOC\n" + "".join(
            f"{epoch + 60 * n},{13200 - n},-1200,74\n" for n in range(90)))
        self.shows("What is what in minutes.csv?")
        for kind, volts in ((None, "volts"), ("log", ""), ("samples", "volts")):
            if kind:
                page.locator("#kind").select_option(kind)
                self.press("Show what that means")
            expect(page.get_by_label("What Vbat mV is")).to_have_value(volts)
        self.press("Show what that means")
        self.shows("90 samples, 1 December 2025 to 1 December 2025. Is that right?")


class OnAPhone(Newcomer):
    window = {"width": 390, "height": 844}

    def test_the_level_in_two_touches_and_may_the_heater_run(self):
        self.begin("Van", "1.024 kWh", "100 W", station=True)
        page = self.page
        page.get_by_label("Level, %").fill("46")
        self.press("Keep this reading")
        # 85 % of 1024 Wh at its sockets, through 0.9: 967 Wh, of which 26 points are 251.
        self.shows("At 46 % you can use 250 Wh.")
        self.shows("9 min while it runs")  # a fan heater: 251 × 0.9 / 1500 h
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)


class Clumsy(Newcomer):
    def test_slips_are_asked_about_and_what_was_removed_comes_back(self):
        self.begin("Clumsy", "2 batteries of 12.8 V 200 Ah in a string of 2", "4 panels of 300 W")
        page = self.page
        page.locator("#at").fill("2026-11-23 20:00")
        page.get_by_label("Level, %").fill("71,5")
        self.press("Keep this reading")
        self.shows("The last level, 72 %, is 35 h old.")
        page.get_by_label("Level, %").fill("715")
        self.press("Keep this reading")
        self.shows("expected a percent")
        page.get_by_label("Level, %").fill("78")
        page.get_by_label("Sun, Wh").fill("185")
        page.get_by_label("Sky").select_option("clear")
        self.press("Keep this reading")
        self.shows("185 Wh of sun")
        page.get_by_label("Sun, Wh").fill("2850")
        self.press("Keep this reading")
        page.locator(".flash", has_text="Kept.").first.wait_for()
        self.go("rig/parts")
        page.get_by_text("Remove this rig and its log").click()
        page.get_by_label("Its name, to make sure").fill("Clumsy")
        self.press("Remove it")
        self.shows("Clumsy and its log were removed.")
        self.press("Take it back")
        self.shows("About 44 hours of power without any charging")
