"""A phone of the house: it comes in by a code, logs, goes out of reach, logs on, and comes back."""

import random
import subprocess
import sys
import tempfile
import unittest
from contextlib import suppress
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from tests.browser.chromium import window
from tests.browser.plain import plain_to_all
from tests.support import NOW, ROOT, _wait_for, environment, free_port, readings, rig
from voltaun.database import connection, house, rigs
from voltaun.database import readings as kept
from voltaun.house import passphrases


class Phone(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.port = free_port()

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path, self.process = Path(folder.name) / "a.db", None
        connection.prepare(self.path)
        self.db = connection.connect(self.path)
        self.addCleanup(self.db.close)
        with connection.transaction(self.db):
            self.rig_id = rigs.add(self.db, rig())
            kept.add_many(self.db, self.rig_id, readings({"soc": 0.6}, {"soc": 0.7}))
        with house.opened(self.path, create=True) as file:
            house.set_passphrase(file, house.OWNER, passphrases.hashed("lantern plum river stove"))
        self.addCleanup(self.stop)
        self.start()
        # 127.0.0.2 is a neighbour's way to this machine, and a browser lets it keep pages as it does when encrypted.
        self.window = window(self, viewport={"width": 390, "height": 844}, base_url=f"http://127.0.0.2:{self.port}")
        self.page = self.window.new_page()

    def start(self):
        self.process = subprocess.Popen(
            [sys.executable, "-m", "voltaun", "serve", "--house", "--no-browser", "--db", str(self.path), "--port",
             str(self.port)], cwd=ROOT, env=environment(), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        _wait_for(f"http://127.0.0.1:{self.port}", self.process)

    def stop(self):
        self.process.terminate()
        self.process.wait(15)

    def come_in_by_code(self):
        """By a code that the owner makes on the machine itself."""
        at_home = self.owner()
        at_home.goto("/house")
        at_home.get_by_role("button", name="A code for one phone").click()
        code = at_home.locator(".house-code").inner_text()
        self.page.goto(f"/enter?code={code}")
        self.page.get_by_label("Call this device").fill("Ana's")
        self.pressed_in()
        at_home.reload()
        self.assertIn("Ana's", at_home.locator("table").inner_text())

    def come_in(self):
        self.page.goto("/enter")
        self.page.get_by_label("Passphrase").fill("lantern plum river stove")
        self.pressed_in()

    def pressed_in(self):
        """Until the page for out of reach is kept."""
        self.page.get_by_role("button", name="Come in").click()
        self.page.wait_for_url("**/1/today")
        self.page.evaluate("""async () => {
            await navigator.serviceWorker.ready;
            for (let n = 0; n < 100; n++) {
                const cache = await caches.open("voltaun-away");
                if (await cache.match("/away")) return;
                await new Promise((go) => setTimeout(go, 50));
            }
        }""")

    def owner(self):
        """A page on the machine itself."""
        return window(self, viewport={"width": 1280, "height": 800},
                      base_url=f"http://127.0.0.1:{self.port}").new_page()

    def type(self, soc, **more):
        self.page.locator("#r1-soc").fill(soc)
        for name, value in more.items():
            self.page.locator(f"#r1-{name}").fill(value)
        self.page.get_by_role("button", name="Keep it on this phone").click()

    def send_now(self):
        """By its button; which is hidden already where it was sent by itself meanwhile."""
        self.page.evaluate("document.querySelector('#away-now').click()")

    def levels(self):
        return [round(of.reading.soc * 100) for of in kept.everything(self.db, self.rig_id)[2:]]

    def waits(self):
        return self.page.locator("#away-waiting li").all_inner_texts()

    @staticmethod
    def cut(route, way):
        """Cut a message off before it is sent, or after it was taken in and before the phone is told; or let it
        through."""
        if way == "after":
            with suppress(Exception):
                route.fetch()
        if way == "through":
            route.continue_()
        else:
            route.abort()

    def test_it_logs_out_of_reach_and_sends_each_once_when_it_is_back(self):
        self.come_in_by_code()
        self.page.locator("#entry #soc").fill("66")
        self.page.get_by_role("button", name="Keep this reading").click()
        self.page.get_by_text("Kept.").wait_for()
        self.stop()
        self.page.goto("/1/outlook")
        self.assertEqual(self.page.title(), "Out of reach · Voltaun")
        self.page.get_by_text("Out of reach. What you type waits here").wait_for()
        text = self.page.locator("main").inner_text()
        self.assertRegex(text, r"the last reading is of \w+ \d+ \w+ 2026, \d\d:\d\d: \d\d % then")
        self.page.get_by_role("button", name="Keep it on this phone").click()
        self.page.get_by_text("Found nothing to keep").wait_for()
        for at, soc in (("2026-11-24 10:00", "61"), ("2026-11-24 12:00", "59"), ("2026-11-24 14:00", "4")):
            self.type(soc, at=at)
        self.assertEqual([line.partition(". ")[0].partition(": ")[2] for line in self.waits()],
                         ["level 61 %", "level 59 %", "level 4 %"])
        # A slip is changed where it waits; closing the page loses nothing.
        self.page.locator("#away-waiting li").nth(2).get_by_role("button", name="Change").click()
        self.assertEqual(self.page.locator("#r1-soc").input_value(), "4")
        self.type("57")
        self.page.goto("/1/log")
        self.assertEqual(len(self.waits()), 3)
        self.assertEqual(self.levels(), [66])
        self.start()
        self.send_now()
        self.page.locator("#away-kept li").nth(2).wait_for()
        self.assertEqual(self.waits(), [])
        self.assertEqual(self.levels(), [61, 59, 57, 66])
        self.page.get_by_role("link", name="The server answers").click()
        self.page.wait_for_url("**/1/today")
        self.page.get_by_role("heading", level=1).wait_for()

    def test_what_waits_is_sent_from_any_page_and_not_to_another_log(self):
        self.come_in()
        self.page.goto("/away")
        other = {"mark": "0" * 36, "file": "another", "rig": "1", "called": "x", "fields": [["soc", "12"]],
                 "labels": {}, "base": "", "typed": NOW.isoformat()}
        self.page.evaluate("one => localStorage.setItem('voltaun-waiting', JSON.stringify([one]))", other)
        self.window.route("**/away/mark", lambda route: route.abort())
        self.type("61", at="2026-11-24 10:00")
        self.page.get_by_text("Out of reach").wait_for()
        self.window.unroute("**/away/mark")
        self.page.goto("/1/log")
        self.page.get_by_text("1 that waited on this device is kept.").wait_for()
        self.assertEqual(self.levels(), [61])
        self.assertEqual(self.page.evaluate("JSON.parse(localStorage.getItem('voltaun-waiting')).map(of => of.file)"),
                         ["another"])

    def test_what_is_changed_while_it_is_sent_is_not_lost(self):
        self.come_in()
        self.page.goto("/away")
        held = []
        self.window.route("**/1/away", lambda route: held.append(route))
        self.type("61", at="2026-11-24 10:00")
        self.page.wait_for_timeout(500)
        self.assertEqual(len(held), 1)
        self.page.get_by_role("button", name="Change").click()
        held[0].continue_()
        self.page.locator("#away-kept li").wait_for()
        self.window.unroute("**/1/away")
        self.type("58")
        self.page.locator("#away-kept li").nth(1).wait_for()
        self.assertEqual(self.levels(), [58])
        self.window.route("**/1/away", lambda route: (route.fetch(), route.abort()))  # it is kept, the answer is lost
        self.type("55", at="2026-11-24 11:00")
        self.page.get_by_text("Out of reach: it is tried again").wait_for()
        self.page.locator("#away-waiting").get_by_role("button", name="Change").click()
        self.window.unroute("**/1/away")
        self.type("45")
        self.page.get_by_text("It was level 55 % in the log until now.").wait_for()
        self.assertEqual(self.levels(), [58, 45])
        self.window.route("**/away/mark", lambda route: route.abort())
        self.type("57", at="2026-11-24 12:00")
        self.page.get_by_role("button", name="Change").click()
        self.page.reload()  # left half-way it waits as it was
        self.window.unroute("**/away/mark")
        self.send_now()
        self.page.locator("#away-kept li").wait_for()
        self.assertEqual(self.levels(), [58, 45, 57])

    def test_a_hundred_cuts_lose_none_and_double_none(self):
        self.come_in()
        rng, cuts = random.Random(26), [0]

        def cut(route):
            way = rng.choice(("before", "after")) if rng.random() < 0.83 and cuts[0] < 100 else "through"
            cuts[0] += way != "through"
            self.cut(route, way)
        self.page.goto("/away")
        self.window.route("**/1/away", cut)
        wanted = [40 + n for n in range(25)]
        for n, soc in enumerate(wanted):
            self.type(str(soc), at=f"2026-11-{3 + n // 2:02d} {8 + 8 * (n % 2):02d}:00")
        for _ in range(400):
            if not self.waits():
                break
            self.send_now()
            self.page.wait_for_timeout(30)
        self.assertGreaterEqual(cuts[0], 100)
        self.assertEqual(self.levels(), wanted)

    def test_days_of_two_phones_are_kept_as_last_said(self):
        self.two_phones(8)

    def two_phones(self, days):
        """Two phones log day by day: messages are cut, entries changed on the phone after they were sent once, readings
        changed in the log meanwhile; each is in the log once, as it was said last."""
        rng, wanted, pages, over = random.Random(days), {}, [], []
        for n in range(2):
            phone = window(self, viewport={"width": 390, "height": 844 + n}, base_url=f"http://127.0.0.2:{self.port}")
            self.window, self.page = phone, phone.new_page()
            self.come_in()
            self.page.goto("/away")
            pages.append(self.page)

            for address in ("**/away/mark", "**/1/away"):
                phone.route(address, lambda route: self.cut(route, "through" if over else rng.choice(
                    ("before", "after", "through", "through"))))
        for day in range(days):
            self.page = rng.choice(pages)
            at = (NOW - timedelta(days=day % 50, hours=1 + day // 50)).astimezone(rig().zone)
            soc = rng.randint(40, 60)
            self.type(str(soc), at=f"{at:%Y-%m-%d %H:%M}")
            wanted[at] = soc
            for _ in range(rng.randint(0, 2)):
                self.send_now()
                self.page.wait_for_timeout(40)
            change = self.page.locator("#away-waiting li").first.get_by_role("button", name="Change")
            if rng.random() < 0.5 and change.count():
                change.click()
                typed = self.page.locator("#r1-at").input_value()
                soc = rng.randint(40, 60)
                self.type(str(soc))
                wanted[datetime.fromisoformat(typed).replace(tzinfo=rig().zone)] = soc
            elif rng.random() < 0.3:
                with connection.transaction(self.db):
                    stands = kept.at(self.db, self.rig_id, at)
                    if stands is not None and not self.page.locator("#away-waiting li").count():
                        wanted[at] = rng.randint(61, 70)
                        kept.edit(self.db, self.rig_id, stands.id, stands.version,
                                  replace(stands.reading, soc=wanted[at] / 100), NOW)
        over.append(True)  # from here on nothing is cut
        for self.page in pages:
            for _ in range(200):
                if not self.waits():
                    break
                self.send_now()
                mine = self.page.get_by_role("button", name="Put in place what is typed here")
                for button in (mine, self.page.get_by_role("button", name="Yes, keep it so")):
                    if button.count():
                        button.first.click()
                self.page.wait_for_timeout(50)
            self.assertEqual(self.waits(), [])
        found = {of.reading.at: round(of.reading.soc * 100) for of in kept.everything(self.db, self.rig_id)[2:]}
        self.assertEqual({at.astimezone(UTC): soc for at, soc in wanted.items()}, found)

    def test_what_one_keeps_appears_on_the_others_page_and_moves_nothing_under_a_hand(self):
        self.come_in()
        at_home = self.owner()
        at_home.goto("/1/log")

        def keep(soc):
            self.page.goto("/1/today")
            self.page.locator("#entry #soc").fill(soc)
            self.page.get_by_role("button", name="Keep this reading").click()
            self.page.get_by_text("Kept.").wait_for()
        keep("66")
        at_home.evaluate("dispatchEvent(new Event('focus'))")
        at_home.locator("td", has_text="66").first.wait_for()
        at_home.goto("/1/today")
        at_home.locator("#entry #soc").fill("12")
        with connection.transaction(self.db):
            kept.add_many(self.db, self.rig_id, readings({"soc": 0.64}, start=NOW.replace(hour=18)))
        at_home.evaluate("dispatchEvent(new Event('focus'))")
        at_home.get_by_text("Another device kept something.").wait_for()
        self.assertEqual(at_home.locator("#entry #soc").input_value(), "12")

    def test_the_pages_of_the_house_are_plain_to_all(self):
        self.come_in()
        at_home = self.owner()
        for page, path in ((at_home, "/house"), (at_home, "/enter?code=x"), (self.page, "/away"),
                           (self.page, "/house")):
            page.goto(path)
            page.evaluate("document.querySelectorAll('details').forEach(of => { of.open = true })")
            plain_to_all(self, page)
        at_home.goto("/house")
        at_home.get_by_text("Small devices and calendars").click()
        at_home.get_by_role("button", name="Make a token").click()
        at_home.locator(".house-token").wait_for()
        plain_to_all(self, at_home)

    def test_let_out_it_says_so_and_keeps_what_waits(self):
        self.come_in()
        self.page.goto("/away")
        with house.opened(self.path) as file:
            house.let_out(file, house.devices(file)[0].id)
        self.type("61", at="2026-11-24 10:00")
        self.page.get_by_role("link", name="Come in").wait_for()
        self.assertEqual(len(self.waits()), 1)
        self.page.get_by_role("link", name="Come in").click()
        self.page.get_by_label("Passphrase").fill("Lantern plum river stove")
        self.page.get_by_role("button", name="Come in").click()
        self.page.get_by_text("1 that waited on this device is kept.").wait_for()
        self.assertEqual(self.levels(), [61])


if __name__ == "__main__":
    unittest.main()
