"""Another web page, endless values, slow connections: answered or refused at once, and nobody is shut out."""

import re
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from contextlib import ExitStack, closing, suppress
from pathlib import Path
from threading import Event, Thread
from urllib.parse import urlencode

from tests.pages.test_pages import PagesCase
from tests.support import NOW, ROOT, csrf, environment, free_port, readings, rig, serving
from voltaun.core.units import KINDS, QuantityError, parse
from voltaun.database import connection, monitors, rigs
from voltaun.database.connection import transaction
from voltaun.formats.tables import number_of
from voltaun.formats.when import read_clock, read_when
from voltaun.intake import client as outside
from voltaun.intake import forecast as forecasts
from voltaun.intake.monitor import read_monitor
from voltaun.pages import create_app


class OtherSites(PagesCase):
    def test_they_are_turned_away_before_any_work_even_with_the_right_mark(self):
        mark = self.mark()
        own = {"Origin": "http://localhost"}
        for headers, code in (
                ({"Sec-Fetch-Site": "cross-site"}, 403), ({"Sec-Fetch-Site": "same-site"}, 403),
                ({"Origin": "http://evil.example"}, 403), ({"Origin": "null"}, 403),
                ({"Referer": "http://127.0.0.1:8152/page"}, 403), ({"Referer": "http://[::1"}, 403),
                ({"Sec-Fetch-Site": "same-origin"}, 303), ({"Sec-Fetch-Site": "none"}, 303), ({}, 303)):
            with self.subTest(headers):
                answer = self.client.post("/1/readings", headers=own | headers, data={
                    "csrf_token": mark, "at": f"2026-11-2{len(self.log())}T10:00", "soc": "50"})
                self.assertEqual(answer.status_code, code)
        self.assertEqual(len(self.log()), 3)
        for path in ("/1/today", "/static/app.js", "/1/additions?use_wh_per_day=" + "a" * 5000):
            self.assertEqual(self.client.get(path, headers={"Sec-Fetch-Site": "cross-site"}).status_code, 403, path)

    def test_headers_stand_on_every_answer(self):
        for path in ("/1/today", "/static/app.js", "/nowhere", "/1/log.csv"):
            headers = self.client.get(path).headers
            self.assertEqual(headers["Cross-Origin-Resource-Policy"], "same-origin", path)
            self.assertTrue(headers["Cache-Control"], path)
            self.assertIn("default-src 'none'", headers["Content-Security-Policy"], path)

    def test_back_leads_nowhere_else(self):
        for back in ("/\t/evil", "//evil", "/\\evil", "/\n/evil", "\t//evil", "https://evil", "/ok\r\nX: y"):
            self.assertEqual(self.post("/ground", {"ground": "day", "back": back}).location, "/", repr(back))
        self.assertEqual(self.post("/ground", {"ground": "day", "back": "/1/log?day=2026-11-01"}).location,
                         "/1/log?day=2026-11-01")

    def test_two_on_one_machine_have_their_own_cookies(self):
        other = create_app(self.path.with_name("other.db"))
        self.assertNotEqual(other.config["SESSION_COOKIE_NAME"], self.app.config["SESSION_COOKIE_NAME"])
        self.assertNotEqual(other.secret_key, self.app.secret_key)

    def test_an_old_page_shows_what_was_typed_and_keeps_it(self):
        typed = {"csrf_token": "stale", "at": "2026-11-24T19:30", "soc": "61", "note": '"quoted" & <kept>'}
        answer = self.client.post("/1/readings", data=typed)
        self.assertEqual(answer.status_code, 400)
        self.shows("What you typed is still here", answer.text)
        again = {name: value.replace("&#34;", '"').replace("&amp;", "&").replace("&lt;", "<").replace("&gt;", ">")
                 for name, value in re.findall(r'type="hidden" name="([a-z_]+)" value="([^"]*)"', answer.text)}
        self.assertEqual(self.client.post("/1/readings", data=again).status_code, 303)
        self.assertEqual(self.log()[0].note, typed["note"])
        renewed = self.client.post("/1/readings", data=typed, headers={"HX-Request": "true"})
        token = renewed.headers["X-Token"]
        self.assertEqual(self.client.post("/1/readings", data=typed | {
            "csrf_token": token, "at": "2026-11-24T19:40"}).status_code, 303)


class Endless(PagesCase):
    def test_no_value_holds_the_server(self):
        long = "a" * 7000
        self.keep(*readings({"soc": 0.5}))
        for path in (f"/1/additions?use_wh_per_day={long}", f"/1/sums?of=run&watts={long}", f"/1/outlook?use={long}",
                     f"/1/log?day={long}", f"/1/log/compare?a_first={long}"):
            begun = time.monotonic()
            self.assertLess(self.client.get(path).status_code, 500)
            self.assertLess(time.monotonic() - begun, 5, path[:40])
        self.assertEqual(self.client.get("/1/sums?watts=" + "1" * 9000).status_code, 413)
        self.assertEqual(self.add(soc="5", note="n" * 9000).status_code, 413)

    def test_reading_takes_no_longer_than_its_length(self):
        def read(text):
            """Processor seconds, which no other process on the machine adds to."""
            begun = time.process_time()
            for _ in range(6):
                for kind in KINDS:
                    with self.assertRaises(QuantityError):
                        parse(text, kind)
                read_clock(text)
                number_of(text, ",")
                with self.assertRaises(ValueError):
                    read_when(text)
            return time.process_time() - begun
        for text in ("a", " ", "1", ",", "1 ", "x", ".", "²", "1:", "-"):
            short, long = (min(read(text * count) for _ in range(3)) for count in (40_000, 80_000))
            self.assertLess(long, 4 * short + 0.05, text)

    def test_crashers(self):
        self.keep(*readings({"soc": 0.5}, {"soc": 0.6}))
        self.app.config["PROPAGATE_EXCEPTIONS"] = False
        self.assertEqual(self.add(soc="5", full_at="²:00").status_code, 422)
        self.post("/1/bench/new", {"instrument": "meter", "subject": "Lamp", "side": "dc", "at": "2026-11-20T10:00",
                                   "wh": "0"})
        self.assertLess(self.client.get("/1/bench/runs/1?edit=-99").status_code, 500)
        for hours in ("9" * 5000, "²", "7 ٣", "-1", "7 24"):
            self.assertEqual(self.post("/1/log/monitor", {"address": "http://127.0.0.1:9", "every": "5",
                                                          "hours": hours}).status_code, 422, hours[:9])
        told = self.post("/1/log/monitor", {"address": "http://127.0.0.1:9/\u00e9", "every": "0", "hours": "7",
                                            "now": "y"}, follow_redirects=True)
        self.assertIn("The monitor is silent", told.text)
        for address, opened in (("http://localhost/1/outlook/plans", False), ("http://localhost/1/today", True)):
            made = self.post("/1/outlook/rule", {"none": "yes"}, headers={"HX-Request": "true",
                                                                         "HX-Current-URL": address})
            self.assertEqual((made.status_code, "HX-Redirect" in made.headers), (204, True) if opened else (303, False))
        for address in ("http://[::1", "http://[", "\u00e9", "//"):
            sent = {"HX-Request": "true", "HX-Current-URL": address}
            made = self.post("/1/outlook/rule", {"none": "yes"}, headers=sent)
            self.assertLess(made.status_code, 500, address)
        self.assertLess(self.post("/1/additions/measures", {"kind": "away", "months": ["²", "7"]}).status_code, 500)
        for rig_id in ("-5", "9" * 30, "²", "1.0", "%00"):
            self.assertEqual(self.client.get(f"/{rig_id}/today").status_code, 404, rig_id)

    def test_a_clock_of_nonsense_is_told_before_anything_is_served(self):
        with tempfile.TemporaryDirectory() as folder:
            done = subprocess.run([sys.executable, "-m", "voltaun", "serve", "--db", f"{folder}/v.db"], cwd=ROOT,
                                  env=environment() | {"VOLTAUN_NOW": "nonsense"}, capture_output=True, text=True,
                                  timeout=60)
        self.assertEqual(done.returncode, 2)
        self.assertIn("VOLTAUN_NOW: found 'nonsense'", done.stderr)
        self.assertNotIn("Traceback", done.stderr)


class Answering:
    """A server of one answer, sent as it likes; gives its address."""

    def __init__(self, send):
        self._server = socket.create_server(("127.0.0.1", 0))
        self.address = f"http://127.0.0.1:{self._server.getsockname()[1]}"
        self._send, self._over = send, Event()
        Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        while not self._over.is_set():
            try:
                peer, _ = self._server.accept()
                with peer:
                    peer.recv(65_536)
                    for part in self._send():
                        if self._over.is_set():
                            return
                        peer.sendall(part)
            except OSError:
                continue

    def close(self):
        self._over.set()
        self._server.close()


def drip(part, first=b""):
    """Something that never ends, a little at a time."""
    yield first
    while True:
        yield part
        time.sleep(0.05)


class Outside(PagesCase):
    def answering(self, send):
        server = Answering(send)
        self.addCleanup(server.close)
        return server.address

    def test_a_trickle_does_not_outlast_the_patience(self):
        head = b"HTTP/1.1 200 OK\r\n"
        for name, send in {
                "headers": lambda: drip(b"X-A: b\r\n", head), "a line": lambda: drip(b"x", b"HTTP/1.1 200 O"),
                "body": lambda: drip(b"x", head + b"\r\n"), "continue": lambda: drip(b"HTTP/1.1 100 Continue\r\n\r\n"),
                "chunks": lambda: drip(b"x", head + b"Transfer-Encoding: chunked\r\n\r\n1;")}.items():
            begun = time.monotonic()
            with self.subTest(name), self.assertRaises((outside.Slow, outside.Silent)):
                outside.ask(self.answering(send), "/", patience=0.6)
            self.assertLess(time.monotonic() - begun, 5, name)

    def test_a_monitor_with_nothing_new_and_a_forecast_nested_deep(self):
        def answer(body):
            return lambda: iter([b"HTTP/1.1 200 OK\r\nContent-Length: %d\r\n\r\n" % len(body) + body])
        with transaction(self.db):
            monitors.keep(self.db, 1, self.answering(answer(b"at,volts\n")), 5)
        self.assertEqual(read_monitor(self.db, 1, NOW), ("well", "Nothing new."))
        for body in (b"[" * 200_000, b'{"days": [1]}', b'{"days": {"a": 1}}', b"\xff",
                     b'{"days": [{"date": 5, "sky": []}]}'):
            with self.assertRaises(forecasts.NoForecast):
                forecasts.fetch(self.answering(answer(body)), NOW.date(), 3)


class SlowConnections(unittest.TestCase):
    def test_two_hundred_that_send_nothing_shut_nobody_out(self):
        with tempfile.TemporaryDirectory() as folder, ExitStack() as held:
            path = Path(folder) / "v.db"
            connection.prepare(path)
            with serving(path) as address:
                port = int(address.rpartition(":")[2])
                for n in range(200):
                    slow = held.enter_context(socket.create_connection(("127.0.0.1", port), timeout=5))
                    slow.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n" if n % 2 else b"POST /start HTTP/1.1\r\nContent-Le")
                begun = time.monotonic()
                with socket.create_connection(("127.0.0.1", port), timeout=5) as one:
                    one.sendall(f"GET /start HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nConnection: close\r\n\r\n".encode())
                    self.assertIn(b"200 OK", one.recv(64))
                self.assertLess(time.monotonic() - begun, 10)
                with socket.create_connection(("127.0.0.1", port), timeout=5) as long:
                    long.sendall(b"GET /start HTTP/1.1\r\nX: " + b"a" * 20_000 + b"\r\n\r\n")
                    self.assertIn(b" 431 ", long.recv(64))

    def test_eight_that_wait_to_write_keep_no_reader_out(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "v.db"
            connection.prepare(path)
            with closing(connection.connect(path)) as file, transaction(file):
                rigs.add(file, rig())
            with serving(path) as address:
                opened = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
                mark, done = csrf(opened.open(address + "/start", timeout=20).read().decode()), []

                def write(n):
                    body = urlencode({"csrf_token": mark, "at": f"2026-11-20T{n:02d}:00", "soc": "60"}).encode()
                    with suppress(OSError):
                        opened.open(address + "/1/readings", body, timeout=60).read()
                    done.append("writer")
                with closing(connection.connect(path)) as holding:
                    holding.execute("BEGIN IMMEDIATE")
                    writers = [Thread(target=write, args=(n,)) for n in range(8)]
                    for each in writers:
                        each.start()
                    time.sleep(0.5)  # they have been taken up
                    for _ in range(3):
                        opened.open(address + "/words", timeout=60).read()
                        done.append("reader")
                    holding.execute("ROLLBACK")
                for each in writers:
                    each.join(60)
        self.assertEqual(done[:3], ["reader"] * 3)
        self.assertEqual(len(done), 11)

    def test_the_other_loopback(self):
        if not socket.has_ipv6:
            self.skipTest("no IPv6 here")
        port = free_port()
        with tempfile.TemporaryDirectory() as folder:
            process = subprocess.Popen([sys.executable, "-m", "voltaun", "serve", "--db", f"{folder}/v.db", "--host",
                                        "::1", "--port", str(port)], cwd=ROOT, env=environment(),
                                       stdout=subprocess.DEVNULL)
            self.addCleanup(process.wait, 10)
            self.addCleanup(process.terminate)
            for _ in range(100):
                try:
                    with urllib.request.urlopen(f"http://[::1]:{port}/start", timeout=5) as page:
                        self.assertEqual(page.status, 200)
                        return
                except OSError as error:
                    if getattr(error, "code", None):
                        raise
                    time.sleep(0.1)
            self.fail("no answer")
