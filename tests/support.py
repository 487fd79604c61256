"""What several tests need: rigs, clear-sky tables made once, databases, and the real server."""

import os
import random
import re
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path

from click.testing import CliRunner

from voltaun.cli.main import main
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Bank, Engine, Generator, Inverter, Place, SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.sky import clear_sky as sun
from voltaun.database import clearsky, connection, rigs

ROOT = Path(__file__).parents[1]
HOBART = Place(-42.02, 147.21, "Australia/Hobart", 310)
NOW = datetime(2026, 11, 24, 20, 0, tzinfo=UTC)
# No test writes to the data folder of whoever runs it.
os.environ["XDG_DATA_HOME"] = str(Path(tempfile.gettempdir()) / f"voltaun-tests-{os.getuid()}")


def rig(**changes) -> Rig:
    """A small legal rig of 9600 Wh with one array, as in the ledger's worked example."""
    parts = {"name": "Test rig", "place": HOBART, "inverter": Inverter(18, 0.91, 2000, 4000),
             "bank": Bank("lfp", 12, 400, 2, 1, charge_efficiency=0.95, standby_w=2.0),
             "arrays": (SolarArray("Roof", 300, 4, 30, 0),)}
    return Rig(**(parts | changes))


@cache
def table(plane):
    """A clear-sky table, made once for all tests."""
    return sun.make_table(plane)


def sun_of(of: Rig):
    """The clear-sky harvest of a rig."""
    return sun.rig_sun(of, [table(plane) for plane in sun.planes(of)])


def readings(*rows, start=datetime(2026, 11, 1, 8, 0, tzinfo=UTC), hours=24.0) -> list[Reading]:
    """Readings at a steady rhythm from rows of fields."""
    return [Reading(start + timedelta(hours=hours * n), **row) for n, row in enumerate(rows)]


def random_rig(rng: random.Random) -> Rig:
    """Any legal rig: chemistry, size, floors, limits."""
    chemistry = rng.choice(("lfp", "nmc", "agm", "gel", "flooded"))
    hard = rng.uniform(0, 0.4)
    bank = Bank(chemistry, rng.choice((2, 6, 12, 12.8, 51.2)), rng.uniform(20, 600), rng.choice((1, 2, 4)),
                rng.randint(1, 4), everyday_floor=rng.uniform(hard, 0.7), hard_floor=hard,
                charge_efficiency=rng.uniform(0.6, 1.0), standby_w=rng.uniform(0, 15))
    return rig(bank=bank, vehicles=(Engine("Ute", 300),), generators=(Generator("Set", 900, 0.7),))


@cache
def empty_database() -> bytes:
    """A database file that has had its migrations and holds nothing, made once for all tests of this process."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "empty.db"
        connection.prepare(path)
        return path.read_bytes()


class DatabaseCase(unittest.TestCase):
    """A test with a fresh database file and one rig in it."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "test.db"
        self.path.write_bytes(empty_database())
        connection.prepare(self.path)
        self.db = connection.connect(self.path)
        self.addCleanup(self.db.close)
        self.rig = rig()
        with connection.transaction(self.db):
            self.rig_id = rigs.add(self.db, self.rig)
        for plane in sun.planes(self.rig):
            self.db.execute("INSERT INTO clear_sky VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                            (*plane, table(plane).tobytes(), clearsky.made_by()))


def voltaun(*arguments, check=None, now=NOW, input=None) -> subprocess.CompletedProcess:
    """Run the command in this process: its exit code, and what it printed."""
    ran = CliRunner().invoke(main, [*map(str, arguments)], input, prog_name="voltaun",
                             env={"VOLTAUN_NOW": now.isoformat()})
    if ran.exception is not None and not isinstance(ran.exception, SystemExit):
        raise ran.exception
    if check is not None and ran.exit_code != check:
        raise AssertionError(f"exit {ran.exit_code}, expected {check}: {ran.stderr[-2000:]}")
    return subprocess.CompletedProcess(arguments, ran.exit_code, ran.stdout, ran.stderr)


def environment(now=NOW) -> dict:
    """The environment of a run, with the clock fixed."""
    return os.environ | {"VOLTAUN_NOW": now.isoformat(), "PYTHONPATH": str(ROOT)}


def skip_without_small_disks(case: unittest.TestCase) -> None:
    """Skip a test where nobody may mount a small disk of their own. Asked in the test, not when its file is read: its
    day may be one without root's powers."""
    tried = ["unshare", "-rm", "mount", "-t", "tmpfs", "none", "/mnt"]
    if not shutil.which("unshare") or subprocess.run(tried, capture_output=True).returncode:
        case.skipTest("nobody may mount a small disk of their own here")


def free_port() -> int:
    """A port that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@contextmanager
def serving(path: Path, now=NOW, command="serve"):
    """The real server on a database file; gives its address."""
    port = free_port()
    process = subprocess.Popen([sys.executable, "-m", "voltaun", command, "--db", str(path), "--port", str(port)],
                               cwd=ROOT, env=environment(now), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    address = f"http://127.0.0.1:{port}"
    try:
        _wait_for(address, process)
        yield address
    finally:
        process.terminate()
        process.wait(10)


def _wait_for(address, process):
    until = time.monotonic() + 30
    while time.monotonic() < until and process.poll() is None:
        try:
            with urllib.request.urlopen(address + "/start", timeout=5):
                return
        except OSError:
            time.sleep(0.05)
    raise RuntimeError(f"the server at {address} did not answer")


def csrf(page: str) -> str:
    """The CSRF mark of a page."""
    return re.search(r'name="csrf_token"[^>]*value="([^"]+)"', page)[1]
