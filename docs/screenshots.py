"""Makes the current pictures of the main views from the demo data, into docs/screenshots/."""

import shutil
import tempfile
from pathlib import Path

from playwright.sync_api import sync_playwright

from tests.support import serving
from voltaun import clock

FOLDER = Path(__file__).parent / "screenshots"
WIDE, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 844}
VIEWS = (("today", "/1/today", WIDE, "day"), ("today-night", "/1/today", WIDE, "night"),
         ("today-phone", "/1/today", PHONE, "day"), ("log", "/1/log", WIDE, "day"),
         ("taught", "/1/log/taught", WIDE, "day"),
         ("card", "/1/card?month=12", WIDE, "day"), ("plan-phone", "/1/today#plan", PHONE, "day"),
         ("rig", "/1/rig", WIDE, "day"),
         ("outlook", "/1/outlook?use=-30", WIDE, "day"),
         ("what-if-phone", "/1/outlook?use=40", PHONE, "night"),
         ("additions", "/1/additions", WIDE, "day"),
         ("sums", "/1/sums", WIDE, "day"), ("bench", "/1/bench", WIDE, "day"),
         ("capacity-test", "/1/bench/runs/1", WIDE, "day"), ("meter-run-phone", "/1/bench/runs/12", PHONE, "day"),
         ("away-phone", "/away", PHONE, "day"), ("rig-phone", "/2/rig", PHONE, "day"),
         ("first-run", "/start", WIDE, "day"))

SHEET = """Datum;Uhrzeit;Ladestand %;Ertrag kWh;Verbrauch (kWh);Wetter;Bemerkung
3/8/2026;19:30;82,5;2,15;1,9;Sonne;
4/8/2026;20:00;74;0,35;2,05;Regen;
5/8/2026;19:10;71;1,35;2,15;Sonne;
"""


def main():
    FOLDER.mkdir(exist_ok=True)
    for old in FOLDER.glob("*.png"):
        old.unlink()
    with (tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright,
          serving(Path(folder) / "demo.db", clock.now(), "demo") as address):
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"),
                                             args=["--no-sandbox", "--disable-gpu", "--disable-background-networking"])
        for name, path, window, ground in VIEWS:
            context = browser.new_context(viewport=window, timezone_id="Australia/Hobart", locale="en-AU")
            context.add_cookies([{"name": "ground", "value": ground, "url": address}])
            page = context.new_page()
            page.goto(address + path)
            page.evaluate("document.fonts.ready")
            if name == "additions":
                page.get_by_text("Over 40 years of weather").wait_for(timeout=60_000)
            page.screenshot(path=FOLDER / f"{name}.png")
            context.close()
        bringing(browser, address)
        browser.close()


def bringing(browser, address):
    """A sheet of another shape, as understood, before it is brought in."""
    page = browser.new_context(viewport=WIDE, timezone_id="Australia/Hobart", locale="en-AU").new_page()
    page.goto(address + "/1/log")
    page.set_input_files("#file", {"name": "kitchen.csv", "mimeType": "text/csv", "buffer": SHEET.encode()})
    page.get_by_role("button", name="Bring it in").click()
    page.get_by_label("In a date like 3/11").select_option("day first")
    page.get_by_label("Regen").select_option("overcast")
    page.get_by_label("Sonne").select_option("clear")
    page.get_by_role("button", name="Show what that means").click()
    page.get_by_role("button", name="Yes, bring it in").wait_for()
    page.screenshot(path=FOLDER / "bringing.png")


main()
