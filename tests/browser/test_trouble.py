"""A reading typed while everything goes wrong: kept, or still typed with the reason beside it, every time."""

import shutil
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from contextlib import closing
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.chromium import window
from tests.support import NOW, ROOT, environment, free_port, skip_without_small_disks
from voltaun.database import connection
from voltaun.database import readings as kept
from voltaun.demo.fill import fill


class Served(unittest.TestCase):
    """A server of the class's own, which a test may stop, and a page on it."""

    window = {"width": 1280, "height": 800}
    server = None

    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        cls.path = Path(cls.folder.name) / "demo.db"
        connection.prepare(cls.path)
        with closing(connection.connect(cls.path)) as db:
            fill(db, NOW)
        cls.port = free_port()
        cls.addClassCleanup(lambda: cls.server and cls.stop(cls))

    def setUp(self):
        if self.server is None or self.server.poll() is not None:
            self.serve()
        self.context = window(self, viewport=self.window, timezone_id="Australia/Hobart", locale="en-AU")
        self.page = self.context.new_page()
        self.page.set_default_timeout(20_000)
        self.asked = []
        self.page.on("dialog", lambda dialog: (self.asked.append(dialog.type), dialog.accept()))
        self.page.goto(self.address + "/1/today")

    @property
    def address(self):
        return f"http://127.0.0.1:{self.port}"

    def serve(self):
        type(self).server = subprocess.Popen([sys.executable, "-m", "voltaun", "serve", "--db", self.path, "--port",
                                              str(self.port)], cwd=ROOT, env=environment(), stdout=subprocess.DEVNULL,
                                             stderr=subprocess.DEVNULL)
        self.wait()

    def wait(self):
        for _ in range(300):
            try:
                urllib.request.urlopen(self.address + "/start", timeout=5).close()
                return
            except OSError:
                time.sleep(0.1)
        self.fail("no server")

    def stop(self):
        self.server.terminate()
        self.server.wait(20)

    def notes(self):
        with closing(connection.connect(self.path)) as db:
            return [each.reading.note for each in kept.everything(db, 1)]

    def type(self, note, level="58"):
        page = self.page
        page.fill("#soc", level)
        if not page.locator("#note").is_visible():
            page.locator("#entry details summary >> nth=0").click()
        page.fill("#note", note)
        page.fill("#at", f"2026-11-25T06:{10 + len(self.notes()) % 49:02d}")

    def keep(self):
        self.page.locator("#entry button.keep").first.click()

    def says(self, words):
        self.page.locator(".not-kept", has_text=words).wait_for()
        self.assertEqual(self.page.input_value("#soc"), "58")

    def beside(self, words):
        """What is said stands within a thumb of the button that was pressed."""
        said = self.page.locator(words).last.bounding_box()
        button = self.page.locator("#entry button.keep").first.bounding_box()
        self.assertLess(abs(said["y"] - button["y"]), 160)

    def away_and_back(self):
        self.type("server away")
        self.stop()
        self.keep()
        self.says("The server does not answer. Not kept yet; what you typed stays here. Trying again in")
        self.beside(".not-kept")
        self.serve()
        self.page.locator(".flash", has_text="Kept.").wait_for(timeout=40_000)
        self.beside(".flash")
        self.assertEqual(self.notes().count("server away"), 1)


class Trouble(Served):
    def test_the_server_is_away_and_comes_back(self):
        self.away_and_back()

    def test_it_can_be_stopped_and_tried_by_hand(self):
        self.type("by hand")
        self.stop()
        self.keep()
        self.page.get_by_role("button", name="Stop trying").click()
        self.says("Not kept. What you typed stays here.")
        self.serve()
        self.page.get_by_role("button", name="Try again").click()
        self.page.locator(".flash", has_text="Kept.").wait_for()
        self.assertIn("by hand", self.notes())

    def test_another_program_holds_the_file(self):
        self.type("held")
        with closing(connection.connect(self.path)) as other:
            other.execute("BEGIN IMMEDIATE")
            self.keep()
            self.says("The file is busy. Another program holds it.")
            other.execute("ROLLBACK")
        self.page.locator(".flash", has_text="Kept.").wait_for(timeout=40_000)
        self.assertIn("held", self.notes())

    def test_an_old_page_and_a_cookie_that_is_gone(self):
        self.type("stale")
        self.context.clear_cookies()
        self.keep()
        self.page.locator(".flash", has_text="Kept.").wait_for()
        self.assertIn("stale", self.notes())
        self.page.reload()
        self.type("stale mark")
        self.page.evaluate("document.querySelectorAll('[name=csrf_token]').forEach(each => { each.value = 'old'; })")
        self.keep()
        self.page.locator(".flash", has_text="Kept.").wait_for()
        self.assertIn("stale mark", self.notes())

    def test_the_same_twice_is_kept_once(self):
        self.type("twice")
        at = self.page.input_value("#at")
        self.keep()
        self.page.locator(".flash", has_text="Kept.").wait_for()
        self.type("twice")
        self.page.fill("#at", at)
        self.keep()
        self.page.locator(".flash", has_text="kept already").wait_for()
        self.assertEqual(self.notes().count("twice"), 1)

    def test_what_is_odd_is_asked_about_and_enter_does_not_answer(self):
        self.type("odd", level="58")
        self.page.fill("#solar_wh", "30000")
        self.page.press("#solar_wh", "Enter")
        self.page.locator(".asking").wait_for()
        self.page.press("#solar_wh", "Enter")
        time.sleep(1)
        self.assertNotIn("odd", self.notes())
        self.page.get_by_role("button", name="No, let me correct it").click()
        self.page.wait_for_selector("#solar_wh:focus")
        self.page.fill("#solar_wh", "3")
        self.keep()
        self.page.locator(".flash", has_text="Kept.").wait_for()

    def test_leaving_with_unsaved_figures_is_asked_about(self):
        self.type("unsaved")
        self.page.get_by_role("link", name="Outlook").first.click()
        self.page.wait_for_url("**/outlook")
        self.assertEqual(self.asked, ["beforeunload"])
        self.page.keyboard.press("4")
        self.page.wait_for_url("**/rig")
        self.assertEqual(self.asked, ["beforeunload"])  # nothing was typed there

    def test_n_opens_the_entry_and_digits_go_into_it(self):
        for path, pause in (("/1/outlook", 5), ("/1/rig", 70), ("/1/log/month/2026/11", 120), ("/1/bench", 300)):
            self.page.goto(self.address + path)
            self.page.keyboard.type("n57", delay=pause)  # quick as a script, slow as a glove: no digit falls in between
            self.page.wait_for_url("**/today**")
            expect(self.page.locator("#soc")).to_have_value("57", timeout=20_000)
            expect(self.page.locator("#soc")).to_be_focused(timeout=20_000)
        self.page.fill("#soc", "")
        self.page.go_back()
        self.page.wait_for_url("**/bench")
        self.page.get_by_role("heading", name="Loads", exact=True).wait_for()

    def test_n_asks_before_it_leaves_what_was_typed(self):
        self.page.goto(self.address + "/1/rig?part=place")
        self.page.fill("input[name='name']", "Half typed")
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("n")
        self.page.wait_for_url("**/today**")
        self.assertEqual(self.asked, ["beforeunload"])

    def test_a_form_of_another_page_stays_typed_too(self):
        self.page.goto(self.address + "/1/rig?part=place")
        self.page.fill("input[name='name']", "Honey house two")
        self.stop()
        self.page.get_by_role("button", name="Keep it").click()
        self.page.locator(".not-kept", has_text="The server does not answer").wait_for()
        self.assertEqual(self.page.input_value("input[name='name']"), "Honey house two")
        self.serve()
        self.page.get_by_text("Place is kept.").wait_for(timeout=40_000)
        self.page.goto(self.address + "/1/rig?part=place")
        self.page.fill("input[name='name']", "Honey house")
        self.page.get_by_role("button", name="Keep it").click()
        self.page.get_by_text("Place is kept.").wait_for()


class OnAPhone(Served):
    window = {"width": 390, "height": 844}

    def test_the_entry_comes_first_with_number_keys_and_keep_in_reach(self):
        box = self.page.locator("#entry button.keep").bounding_box()
        self.assertLess(box["y"] + box["height"], 844 - 60)
        answer = self.page.locator(".answer").bounding_box()
        self.assertTrue(box["y"] < answer["y"] < 844 - 60)
        for name in ("soc", "solar_wh", "use_wh", "vehicle", "generator"):
            self.assertEqual(self.page.get_attribute(f"#{name}", "inputmode"), "decimal", name)
        self.away_and_back()


_SMALL = """
mount -t tmpfs -o size=5m none "$1" && cp "$2" "$1/v.db" && chmod 600 "$1/v.db" || exit 9
"$3" -m voltaun serve --db "$1/v.db" --port "$4" > /dev/null &
while read line; do
  case $line in
    fill) "$3" -c 'import os, sys
f = os.open(sys.argv[1], os.O_CREAT | os.O_WRONLY)
try:
    while os.write(f, b"x" * 4096): pass
except OSError: pass' "$1/filler";;
    room) rm "$1/filler";;
  esac
  echo done
done
kill %1
"""


class FullDisk(Served):
    def serve(self):
        skip_without_small_disks(self)
        with closing(connection.connect(self.path)) as db:
            db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        self.inside = tempfile.mkdtemp()
        self.addCleanup(shutil.rmtree, self.inside, True)
        self.server = subprocess.Popen(["unshare", "-rm", "bash", "-c", _SMALL, "x", self.inside, str(self.path),
                                        sys.executable, str(self.port)], cwd=ROOT, env=environment(), text=True,
                                       stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        self.addCleanup(self.stop)
        self.wait()

    def stop(self):
        if self.server.stdin and not self.server.stdin.closed:
            self.server.stdin.close()
        self.server.wait(20)
        self.server.stdout.close()

    def tell(self, word):
        self.server.stdin.write(word + "\n")
        self.server.stdin.flush()
        self.assertIn("done", self.server.stdout.readline())

    def test_the_disk_fills_and_room_is_made(self):
        self.type("no room " + "x" * 1500)
        self.tell("fill")
        self.keep()
        self.says("The disk is full.")
        self.assertNotIn("I/O", self.page.locator(".not-kept").inner_text())
        self.tell("room")
        self.page.locator(".flash", has_text="Kept.").wait_for(timeout=40_000)
