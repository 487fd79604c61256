"""The long form of `tests/hostile`, `tests/durable` and `tests/house`, run by `make attack`: kills, power cuts, odd
input, strangers on the house's network, phones out of reach.

Prints a line for each kind: how many were tried, how many failed, the longest took how long, and the peak of memory.
"""

import io
import json
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from contextlib import closing
from pathlib import Path

from tests import amid
from tests.browser.test_phone import Phone
from tests.database.test_backup import _WRITER
from tests.hostile.test_odd_input import ODD
from tests.strangers import Trickle, longest_page, opened, take_over
from tests.support import NOW, ROOT, csrf, environment, rig
from voltaun.core.instants import zone
from voltaun.core.rig.fields import RigFaults
from voltaun.database import archive, check, connection, rigs
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.demo.fill import fill
from voltaun.formats import FileFaults
from voltaun.formats.archive import parse, read_archive
from voltaun.formats.guessing import guess
from voltaun.formats.log_csv import decode, read_log
from voltaun.formats.mapping import read_mapping
from voltaun.formats.questions import open_questions
from voltaun.formats.rig_file import read_rig, write_rig
from voltaun.formats.samples_csv import Told, pieces
from voltaun.pages import create_app
from voltaun.standins import monitor

TRIES = {"kills": 200, "power cuts": 1000, "odd requests": 6000, "odd files": 4000, "amid acts": 240, "amid start": 60,
         "amid restore": 40, "taken over": 400, "trickling": 4, "two phones": 200}
PATIENCE = 2.0
MOST_MB = 500


class Tally:
    """What was tried of a kind, and what failed."""

    def __init__(self, kind):
        self.kind, self.tried, self.failed, self.slow, self.longest, self.first = kind, 0, 0, 0, 0.0, ""

    def try_(self, act, patience=PATIENCE):
        """Try something once, which may say what it was; it fails by raising, or by taking longer than one waits."""
        begun = time.monotonic()
        try:
            what = act()
            fault = ""
        except Exception as error:  # noqa: BLE001 (whatever it is, it is counted and the first is told)
            fault = f"{type(error).__name__}: {error}"[:300]
        took = time.monotonic() - begun
        self.longest = max(self.longest, took)
        if took > patience and not fault:
            self.slow += 1  # told apart: to be slow is a failure, but nothing is lost by it
            fault = f"took {took:.1f} s {what or ''}"
        self.tried += 1
        self.failed += bool(fault)
        self.first = self.first or fault

    def __str__(self):
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        return (f"{self.kind:<14}{self.tried:>8}{self.failed:>8}{self.slow:>14}{self.longest:>12.2f}{peak:>10.0f}"
                + (f"   {self.first}" if self.first else ""))


def new_file(folder: Path, name: str) -> Path:
    """A database with one rig."""
    path = folder / name
    connection.prepare(path)
    with closing(connection.connect(path)) as db, transaction(db):
        rigs.add(db, rig(arrays=()))
    return path


def holds(path: Path, acknowledged: int) -> None:
    """That a file is whole and every acknowledged reading is in it."""
    with closing(connection.connect(path)) as db:
        found = len(kept.everything(db, 1))
        assert found >= acknowledged, f"{found} readings of {acknowledged} that were acknowledged"
        assert db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
        assert db.execute("SELECT count(*) FROM reading_change").fetchone()[0] == found
        assert db.execute("SELECT count(*) FROM sample").fetchone()[0] == 40 * -(-found // 5)


def writer(path: Path, count: int) -> subprocess.Popen:
    """A process that keeps readings and samples and says each once it is kept."""
    return subprocess.Popen([sys.executable, "-c", _WRITER, str(path), str(count)], cwd=ROOT, env=environment(),
                            stdout=subprocess.PIPE, text=True)


def kills(folder, rng, tally, count):
    for n in range(count):
        path = new_file(folder, f"killed-{n}.db")
        process, until = writer(path, 60), rng.randint(1, 55)
        while (line := process.stdout.readline()) and int(line) < until:
            pass
        time.sleep(rng.uniform(0, 0.01))
        process.kill()
        said = [int(each) for each in process.communicate()[0].split()]
        tally.try_(lambda path=path, said=said, until=until: holds(path, max([until, *said]) + 1))
        path.unlink()


CUTS_A_FILE = 50
"""After so many a new file is begun: the writer goes on meanwhile, and to look through a large file is no test."""


def power_cuts(folder, rng, tally, count):
    """The file as it lies when the power goes: what was written after the last reading that was acknowledged may be
    cut off or torn."""
    for first in range(0, count, CUTS_A_FILE):
        _cuts_of_a_file(folder, rng, tally, range(first, min(first + CUTS_A_FILE, count)))


def _cuts_of_a_file(folder, rng, tally, cuts):
    path = new_file(folder, f"whole-{cuts[0]}.db")
    with closing(connection.connect_reading(path)):  # so that the log of the file stays
        process = writer(path, 100_000)
        log = Path(f"{path}-wal")
        for n in cuts:
            for _ in range(rng.randint(1, 4)):
                acknowledged = int(process.stdout.readline()) + 1
            sure = log.stat().st_size if log.exists() else 0
            time.sleep(rng.uniform(0, 0.004))
            os.kill(process.pid, signal.SIGSTOP)
            copy = folder / f"cut-{n}.db"
            shutil.copyfile(path, copy)
            data = bytearray(log.read_bytes())
            if len(data) > sure:
                data = data[:rng.randint(sure, len(data))]
                for _ in range(rng.randint(0, 20)):
                    if len(data) > sure:
                        data[rng.randrange(sure, len(data))] = rng.randrange(256)
            Path(f"{copy}-wal").write_bytes(data)
            os.kill(process.pid, signal.SIGCONT)
            tally.try_(lambda copy=copy, acknowledged=acknowledged: holds(copy, acknowledged))
            for ending in ("", "-wal", "-shm"):
                Path(f"{copy}{ending}").unlink(missing_ok=True)
        process.kill()
        process.communicate()


PATHS = ("today", "log", "log/changed", "log/safe", "log/grid", "log/monitor", "log/taught", "log/compare", "bench",
         "bench/new", "bench/runs/1", "rig", "outlook", "additions", "sums", "log/month/2026/11", "log.csv")
POSTS = ("readings", "readings/1", "readings/1/answer", "undo/1", "log/import", "log/bring/1", "log/grid", "log/safe",
         "log/monitor", "log/monitor/answer", "log/samples", "log/samples/remove", "log/changed/reading/1",
         "log/changed/import/1", "log/taught", "bench/new", "bench/runs/1/marks", "bench/runs/1/noted", "bench/round",
         "rig/follows", "outlook/plans", "outlook/rule", "outlook/sky")
FIELDS = ("at", "soc", "solar_wh", "use_wh", "sky", "full_at", "volts", "temp_c", "note", "version", "sure",
          "correct", "day", "edit", "use", "of", "watts", "kwh", "kind", "amount", "first", "last", "address",
          "every", "hours", "second", "as-0", "dates", "decimal", "wh", "subject", "side", "instrument", "name",
          "answer", "again", "entry", "r0-at", "r0-soc", "start", "stop", "policy", "apply", "use_wh_per_day",
          "vehicle", "generator", "mains_wh")


def odd_requests(folder, rng, tally, count):
    path = folder / "asked.db"
    connection.prepare(path)
    with closing(connection.connect(path)) as db:
        fill(db, NOW)
    app = create_app(path)
    app.config["PROPAGATE_EXCEPTIONS"] = False
    client = app.test_client()
    mark = csrf(client.get("/1/today").text)
    odd = (*ODD, "2026-11-20T10:00", "50", "71,5", "185", "mixed", "²:00", "-99", "a" * 5000, "\ud7ff", "1" * 5000)

    def ask():
        typed = {name: rng.choice(odd) for name in rng.sample(FIELDS, rng.randint(1, 8))}
        headers = {"HX-Request": "true"} if rng.random() < 0.2 else {}
        if rng.random() < 0.5:
            answer = client.get(f"/{rng.choice((1, 2))}/{rng.choice(PATHS)}", query_string=typed, headers=headers)
        else:
            files = {"file": (io.BytesIO(rng.choice(odd).encode("utf-8", "replace")), "x.csv")}
            answer = client.post(f"/1/{rng.choice(POSTS)}", headers=headers,
                                 data=typed | {"csrf_token": mark} | (files if rng.random() < 0.2 else {}))
        assert answer.status_code < 500, f"{answer.status_code} {answer.request.path} {typed}"[:300]
        answer.close()
        return f"{answer.request.path} {typed}"[:200]
    for _ in range(count):
        tally.try_(ask, patience=PATIENCE + 3)  # a first outlook of a changed log is among them
    with closing(connection.connect(path)) as db:
        tally.try_(lambda: check.faults(db) == [] or 1 / 0)


def odd_files(folder, rng, tally, count):
    hobart, path = zone("Australia/Hobart"), new_file(folder, "files.db")
    with closing(connection.connect(path)) as db:
        document = archive.rig_archive(db, 1)
    good = {
        "log": b"read_at,soc_percent,solar_wh,note\n2026-11-01T19:00,82,2150,\n2026-11-02T20:30,74,2150,=x\n",
        "samples": monitor.text(1_793_527_200, 1_793_530_800).encode(), "rig": write_rig(rig()).encode(),
        "archive": json.dumps({"voltaun_archive": 1, "schema": archive.schema(), "settings": {},
                               "rigs": [document]}).encode(),
        "mapping": b'{"voltaun_mapping": 1, "columns": {"a": "read_at", "b": {"as": "soc_percent", "unit": "%"}}}'}

    def spoilt(data):
        data = bytearray(data)
        for _ in range(rng.choice((1, 1, 2, 5, 30))):
            n = rng.randrange(len(data) + 1)
            how = rng.random()
            if how < 0.4 and n < len(data):
                data[n] = rng.choice((rng.randrange(256), 0, 10, 13, 34, 44, 45, 48, 57, 91, 93, 123, 125))
            elif how < 0.6:
                data[n:n] = rng.choice(ODD).encode("utf-8", "replace")[:200]
            elif how < 0.8:
                del data[n:n + rng.randint(1, 40)]
            else:
                data[n:n] = data[max(0, n - rng.randint(1, 400)):n]
        return bytes(data)

    def read(kind, data):
        try:
            if kind == "log":
                read_log(data, hobart)
                open_questions(guess(decode(data)), decode(data))
            elif kind == "samples":
                list(pieces(io.BytesIO(data), hobart, None, Told()))
            elif kind == "rig":
                read_rig(decode(data))
            elif kind == "mapping":
                read_mapping(decode(data))
            else:
                found = parse(data)
                if isinstance(found, dict) and "voltaun_archive" in found:
                    with closing(connection.connect(path)) as db, transaction(db):
                        for each in read_archive(found, archive.schema())[0]:
                            archive.add_rig(db, each)
                        raise archive.ArchiveFault("taken, and not kept")
        except (FileFaults, RigFaults, archive.ArchiveFault):
            return
    for _ in range(count):
        kind = rng.choice(tuple(good))
        data = spoilt(good[kind])
        tally.try_(lambda kind=kind, data=data: read(kind, data))


def amid_acts(folder, rng, tally, count):
    for n in range(count):
        how = ("ticks", "parts", "settings", "passphrase")[n % 4]
        tally.try_(lambda n=n, how=how: amid.killed(folder, rng, n, how), patience=20)


def amid_start(folder, rng, tally, count):
    for n in range(count):
        tally.try_(lambda n=n: amid.migration_killed(folder, rng, n), patience=20)


def amid_restore(folder, rng, tally, count):
    for n in range(count):
        tally.try_(lambda n=n: amid.restore_killed(folder, rng, n), patience=20)


def taken_over(folder, rng, tally, count):
    """Half of them over TLS; of those every fifth in the clear, at the same port."""
    for tls in (True, False):
        with opened(folder / f"{tls}.db", tls) as server:
            before = server.passphrase()

            def one(n, server=server, before=before, tls=tls):
                take_over(server, rng, tls and n % 5 > 0)
                assert server.passphrase() == before, "a stranger set the passphrase"
            for n in range(count // 2):
                tally.try_(lambda n=n, one=one: one(n))
            time.sleep(1)  # what still runs
            tally.try_(lambda one=one: one(0))


def trickling(folder, rng, tally, count):
    """A thousand connections of one neighbour and of a hundred; the owner's page within a second throughout, at the
    machine and on a phone."""
    resource.setrlimit(resource.RLIMIT_NOFILE, (4096, resource.getrlimit(resource.RLIMIT_NOFILE)[1]))
    for n in range(count):
        tls, neighbours = n % 2 == 0, (1, 100)[n // 2 % 2]
        with opened(folder / f"{n}.db", tls) as server:
            trickle = Trickle(server, 1000, neighbours, tls)
            trickle.start()
            try:
                time.sleep(2)
                for asked in ({"host": "127.0.0.1", "encrypted": False}, {"neighbour": "127.0.2.9"}):
                    longest = longest_page(server, 5, **asked)
                    tally.try_(lambda longest=longest: longest < 1.0 or 1 / 0)
                    tally.longest = max(tally.longest, longest)
            finally:
                trickle.stop()


def two_phones(folder, rng, tally, count):
    class Days(Phone):
        def test(self):
            self.two_phones(count)
    ran = unittest.TextTestRunner(stream=io.StringIO()).run(Days("test"))
    told = [text for _, text in ran.failures + ran.errors]
    tally.try_(lambda: not told or 1 / 0)
    tally.tried, tally.first = count, "".join(told)[-300:]


def main() -> int:
    os.environ |= environment() | {"OPENBLAS_NUM_THREADS": "1"}
    share = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    rng, failed = random.Random(11), 0
    print(f"{'kind':<14}{'tried':>8}{'failed':>8}{'of these slow':>14}{'longest, s':>12}{'peak, MB':>10}")
    for kind, attack in (("kills", kills), ("power cuts", power_cuts), ("odd requests", odd_requests),
                         ("odd files", odd_files), ("amid acts", amid_acts), ("amid start", amid_start),
                         ("amid restore", amid_restore), ("taken over", taken_over), ("trickling", trickling),
                         ("two phones", two_phones)):
        if len(sys.argv) > 2 and kind not in sys.argv[2:]:
            continue
        tally = Tally(kind)
        with tempfile.TemporaryDirectory() as folder:
            attack(Path(folder), rng, tally, max(1, round(TRIES[kind] * share)))
        print(tally, flush=True)
        failed += tally.failed
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return 1 if failed or peak > MOST_MB else 0


if __name__ == "__main__":
    sys.exit(main())
