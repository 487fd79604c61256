import configparser
import http.client
import os
import shlex
import shutil
import signal
import socketserver
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

from click.testing import CliRunner

from tests.support import NOW, ROOT, environment, free_port, voltaun
from voltaun.cli import serving
from voltaun.cli.main import main
from voltaun.database import connection, house
from voltaun.house import passphrases

PAGE = b"HTTP/1.0 200 OK\r\n\r\n<title>Something else</title>"


def _interruptible():
    """A suite in the background of a script ignores Ctrl-C, and all that it starts would as well."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)


class Serving(unittest.TestCase):
    """The server as somebody starts and stops it at a terminal, or a service does."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder, self.port = Path(folder.name), free_port()

    def start(self, *options, **more):
        """The process once it says where it is, and that line."""
        process = subprocess.Popen([sys.executable, "-m", "voltaun", "serve", "--db", self.folder / "a.db", "--port",
                                    str(self.port), *options], cwd=ROOT, env=environment() | more, text=True,
                                   stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, preexec_fn=_interruptible)
        self.addCleanup(process.communicate)
        self.addCleanup(process.kill)
        return process, process.stdout.readline()

    def test_both_ways_of_stopping_end_it_in_order(self):
        for by in (signal.SIGTERM, signal.SIGINT):
            process, said = self.start()
            self.assertIn(f"Voltaun is at http://127.0.0.1:{self.port}", said)
            process.send_signal(by)
            rest, _ = process.communicate(timeout=60)
            self.assertEqual((rest, process.returncode), ("Stopped.\n", 0), by)

    def test_opened_to_the_house_it_is_reached_by_another_address_and_asks_who_it_is(self):
        refused = voltaun("serve", "--db", self.folder / "a.db", "--house", check=2).stderr
        self.assertIn("--house: found no passphrase, expected one first: voltaun passphrase", refused)
        connection.prepare(self.folder / "a.db")
        CliRunner().invoke(main, ["passphrase", "--db", str(self.folder / "a.db")], input="lantern plum river stove\n")
        process, _ = self.start("--house", "--name", "Cabin.lan")
        self.assertIn("for the phones in the house at http://cabin.lan", process.stdout.readline())
        asked = http.client.HTTPConnection("127.0.0.2", self.port, timeout=20)
        for host, code in (("127.0.0.2", 302), ("cabin.lan", 302), ("evil.example", 400)):
            asked.request("GET", "/", headers={"Host": f"{host}:{self.port}"})
            answer = asked.getresponse()
            answer.read()
            self.assertEqual((answer.status, answer.headers.get("Location", "")), (
                code, "/enter?next=/" if code == 302 else ""), host)
        for words, given in (("a name such as", ["--house", "--name", "http://x"]), ("expected both", ["--name", "x"])):
            self.assertIn(words, voltaun("serve", "--db", self.folder / "a.db", *given, check=2).stderr)
        # Whether it runs already is seen also where it asks on this machine.
        with house.opened(self.folder / "a.db") as file:
            house.choose(file, "asked here", "yes")
        _, said = self.start("--no-browser")
        self.assertIn("Voltaun runs already", said)

    def test_a_passphrase_is_set_another_one_too_and_a_poor_one_refused(self):
        connection.prepare(self.folder / "a.db")

        def asked(typed, *options):
            return CliRunner().invoke(main, ["passphrase", "--db", str(self.folder / "a.db"), *options], input=typed)
        self.assertEqual(asked("short\n").exit_code, 2)
        self.assertFalse(house.file_of(self.folder / "a.db").exists())
        self.assertIn("is kept;", asked("lantern plum river stove\n").output)
        with house.opened(self.folder / "a.db") as file:
            house.let_in(file, "mark", house.OWNER, "Phone", NOW)
        self.assertIn("expected two that differ", asked("Lantern plum river stove\n", "--look-only").output)
        self.assertIn("for guests", asked("otter maple ferry cedar\n", "--look-only").output)
        with house.opened(self.folder / "a.db") as file:
            self.assertEqual(len(house.devices(file)), 1)
        self.assertEqual(asked("candle orchard canvas sauna\n").exit_code, 0)
        self.assertEqual(asked("", "--look-only", "--remove").exit_code, 0)
        with house.opened(self.folder / "a.db") as file:
            self.assertEqual((house.devices(file), house.passphrase(file, house.LOOK_ONLY)), ([], None))
            self.assertTrue(passphrases.opens("candle orchard canvas sauna", [house.passphrase(file, house.OWNER)])[0])
        self.assertEqual(asked("", "--remove").exit_code, 2)
        self.assertEqual(voltaun("passphrase", "--db", self.folder / "none.db").returncode, 2)
        self.assertFalse((self.folder / "none.db").exists())
        done = CliRunner().invoke(main, ["passphrase", "--db", str(self.folder / "new" / "a.db")],
                                  input="lantern plum river stove\n")  # a machine without a screen, before it has a log
        self.assertEqual(done.exit_code, 0, done.output)
        self.assertTrue((self.folder / "new" / "a.db").exists())

    def test_the_unit_runs_this_python_on_this_file_and_may_write_its_folder_only(self):
        (folder := self.folder / "with space").mkdir()
        connection.prepare(folder / "a.db")
        unit = voltaun("service", "--db", folder / "a.db", "--user", "ana", "--port", 8150, check=0).stdout
        read = configparser.ConfigParser(interpolation=None)
        read.optionxform = str
        read.read_string(unit)
        self.assertEqual(shlex.split(read["Service"]["ExecStart"]), [
            sys.executable, "-m", "voltaun", "serve", "--no-browser", "--port", "8150", "--db", str(folder / "a.db")])
        self.assertEqual((read["Service"]["User"], shlex.split(read["Service"]["ReadWritePaths"])),
                         ("ana", [str(folder)]))
        self.assertIn("found no passphrase", voltaun("service", "--house", "--db", folder / "a.db", check=2).stderr)
        self.assertIn("expected both", voltaun("service", "--tls", "--db", folder / "a.db", check=2).stderr)
        with house.opened(folder / "a.db", create=True) as file:
            house.set_passphrase(file, house.OWNER, "scrypt:kept")
        self.assertRegex(voltaun("service", "--house", "--tls", "--db", folder / "a.db", check=0).stdout,
                         r"ExecStart=.* --house --tls\n")
        if shutil.which("systemd-analyze"):
            (self.folder / "voltaun.service").write_text(unit.replace("User=ana\n", ""))
            told = subprocess.run(["systemd-analyze", "verify", self.folder / "voltaun.service"], text=True,
                                  capture_output=True, check=False)
            self.assertNotIn("voltaun.service:", told.stderr)

    def test_the_watch_ends_with_the_server(self):
        with (mock.patch("voltaun.house.connections.server") as server, mock.patch("signal.signal"),
              mock.patch("voltaun.intake.watch.Watch") as watch):
            server.return_value.run.side_effect = KeyboardInterrupt
            serving._serve(self.folder / "c.db", "127.0.0.1", self.port, False)
        self.assertEqual([call[0] for call in watch.return_value.method_calls], ["start", "stop", "join"])

    def test_one_that_runs_already_is_opened_instead(self):
        opened = self.folder / "opened"
        browser = self.folder / "browser"
        browser.write_text(f"#!/bin/sh\necho \"$1\" >> {opened}\n")
        browser.chmod(0o755)
        shown = {"BROWSER": f"{browser} %s"}
        self.start("--browser", **shown)
        for asked in ("--browser", "--no-browser"):
            _, said = self.start(asked, **shown)
            self.assertIn(f"Voltaun runs already at http://127.0.0.1:{self.port}", said)
        for _ in range(100):
            if opened.exists() and opened.read_text().count("\n") == 2:
                break
            time.sleep(0.1)
        self.assertEqual(opened.read_text(), f"http://127.0.0.1:{self.port}\n" * 2)

    def test_another_program_there_is_not_taken_for_it(self):
        class Other(socketserver.BaseRequestHandler):
            def handle(self):
                self.request.recv(1000)
                self.request.sendall(PAGE)
        with socketserver.TCPServer(("127.0.0.1", self.port), Other) as other:
            threading.Thread(target=other.serve_forever, daemon=True).start()
            self.addCleanup(other.shutdown)
            done = voltaun("serve", "--db", self.folder / "b.db", "--port", self.port, check=2)
        self.assertIn(f"--port: {self.port} cannot be used", done.stderr)

    def test_nothing_is_opened_where_nobody_sits_before_it(self):
        opened = []
        with mock.patch("webbrowser.open", opened.append), mock.patch.dict(os.environ, {"DISPLAY": ":0"}):
            serving._open("http://127.0.0.1:1", None)  # what is said goes into no terminal here
            self.assertEqual(opened, [])
            with mock.patch("sys.stdout.isatty", return_value=True, create=True):
                serving._open("http://127.0.0.1:1", None)
                serving._open("http://127.0.0.1:2", False)
        self.assertEqual(opened, ["http://127.0.0.1:1"])
