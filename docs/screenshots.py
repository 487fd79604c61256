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
         ("month", "/1/log/month/2026/11", WIDE, "day"), ("rig", "/1/rig", WIDE, "day"),
         ("outlook", "/1/outlook?off=Honey-warming%20cabinet", WIDE, "day"),
         ("past", "/1/outlook/past", WIDE, "day"), ("what-if-phone", "/1/outlook?use=40", PHONE, "night"),
         ("additions", "/1/additions", WIDE, "day"),
         ("sums", "/1/sums", WIDE, "day"), ("bench", "/1/bench", WIDE, "day"),
         ("capacity-test", "/1/bench/runs/1", WIDE, "day"), ("meter-run-phone", "/1/bench/runs/12", PHONE, "day"),
         ("drawdown-night", "/2/bench/runs/13", WIDE, "night"), ("rig-phone", "/2/rig", PHONE, "day"),
         ("first-run", "/start", WIDE, "day"))


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
            page.screenshot(path=FOLDER / f"{name}.png")
            context.close()
        browser.close()


main()
