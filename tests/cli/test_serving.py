import os
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

from tests.support import ROOT, environment, free_port, voltaun
from voltaun.cli import serving

PAGE = b"HTTP/1.0 200 OK\r\n\r\n<title>Something else</title>"


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
                                   stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
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

    def test_the_watch_ends_with_the_server(self):
        with (mock.patch("waitress.create_server") as server, mock.patch("voltaun.intake.watch.Watch") as watch,
              mock.patch("signal.signal")):
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
