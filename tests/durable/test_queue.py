"""Writers queue, readers never wait: a long import, another program's lock, a full disk, a read-only one."""

import re
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from contextlib import closing
from datetime import timedelta

from tests.core.log.test_samples import minutes
from tests.pages.test_pages import PagesCase
from tests.support import NOW, ROOT, readings, skip_without_small_disks
from voltaun.core.log.reading import Reading
from voltaun.database import check, connection, imports, rigs, samples
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.formats.log_csv import read_log
from voltaun.intake import bringing, logs
from voltaun.intake.staged import Staged


class LongImport(PagesCase):
    def test_readings_are_kept_while_it_goes_on_and_it_is_taken_back_whole(self):
        staged = Staged([minutes(200_000, watts=5.0, soc=0.5, start=1_700_000_400)])
        self.addCleanup(staged.close)
        mark, waited = self.mark(), []
        work = threading.Thread(target=bringing.bring_samples, args=(self.path, 1, staged, "s.csv", NOW))
        work.start()
        while work.is_alive():
            begun = time.monotonic()
            at = f"2026-11-{1 + len(waited) % 20:02d}T10:{len(waited) // 20:02d}"
            answer = self.client.post("/1/readings", data={"csrf_token": mark, "at": at, "soc": "50"})
            self.assertEqual(answer.status_code, 303)
            self.assertEqual(self.client.get("/1/log/changed").status_code, 200)
            waited.append(time.monotonic() - begun)
        work.join()
        self.assertGreater(len(waited), 3)
        self.assertLess(max(waited), 2.5)
        self.assertEqual(samples.span(self.db, 1)[0], 1_700_000_400)
        page = self.client.get("/1/log/changed").text
        self.shows("The samples of s.csv, 200000 samples", page)
        made = sum(each.at_bank for each in self.log())
        self.assertGreater(made, 200)
        self.post("/1/log/changed/import/1")
        self.assertIsNone(samples.span(self.db, 1))
        self.assertEqual(sum(each.at_bank for each in self.log()), 0)
        self.assertEqual(check.faults(self.db), [])
        self.post("/1/log/changed/import/1", {"again": "yes"})
        self.assertEqual(self.db.execute("SELECT count(*) FROM sample").fetchone()[0], 200_000)
        self.assertEqual((check.faults(self.db), sum(each.at_bank for each in self.log())), ([], made))

    def test_cut_off_half_way_nothing_of_it_stays(self):
        script = f"""
import sys, os
sys.path.insert(0, {str(ROOT)!r})
from voltaun.intake import bringing, staged
from voltaun.core.log.reading import Reading
from tests.core.log.test_samples import minutes
from tests.support import NOW
blocks = iter(range(99))
bringing.let_others = lambda: next(blocks) == 2 and os._exit(9)
from pathlib import Path
bringing.bring_samples(Path(sys.argv[1]), 1, staged.Staged([minutes(100_000, watts=5.0)]), "s.csv", NOW)
"""
        self.assertEqual(subprocess.run([sys.executable, "-c", script, str(self.path)], cwd=ROOT).returncode, 9)
        self.assertEqual(self.db.execute("SELECT count(*) FROM sample").fetchone()[0], 60_000)
        bringing.sweep(self.path)
        self.assertIsNone(samples.span(self.db, 1))
        self.assertEqual((check.faults(self.db), imports.unfinished(self.db)), ([], []))

    def test_two_at_once_are_one_after_the_other(self):
        with imports.alone(self.path), self.assertRaises(imports.AnotherUnderWay), imports.alone(self.path):
            pass


class AnotherProgram(PagesCase):
    def test_pages_are_read_and_say_who_waits(self):
        self.keep(*readings({"soc": 0.5}, {"soc": 0.6}, start=NOW - timedelta(days=2)))
        mark = self.mark()
        with closing(connection.connect(self.path)) as other:
            other.execute("BEGIN IMMEDIATE")
            for path in ("today", "log", "outlook", "log.csv", "archive.json"):
                begun = time.monotonic()
                answer = self.client.get(f"/1/{path}")
                self.assertEqual((answer.status_code, time.monotonic() - begun < 3), (200, True), path)
            self.shows("Another program, or an import, is writing", self.client.get("/1/today").text)
            typed = {"csrf_token": mark, "at": "2026-11-24T19:30", "soc": "55", "note": "typed <b>once</b>"}
            refused = self.client.post("/1/readings", data=typed)
            self.assertEqual(refused.status_code, 503)
            self.shows("The file is busy", refused.text)
            self.shows('name="note" value="typed &lt;b&gt;once', refused.text)
            alone = self.client.post("/1/readings", data=typed, headers={"HX-Request": "true"})
            self.assertEqual((alone.status_code, alone.headers["X-Again"], alone.mimetype), (503, "yes", "text/plain"))
            other.execute("ROLLBACK")
        again = dict(re.findall(r'name="([a-z_]+)" value="([^"]*)"', refused.text))
        self.assertEqual(self.client.post("/1/readings", data=again).status_code, 303)
        self.assertEqual(len(self.log()), 3)


_ON_A_SMALL_DISK = """
set -e
mount -t tmpfs -o size=4m none "$1"
exec "$2" - "$1" "$3" <<'SCRIPT'
import os, re, sys
from pathlib import Path
folder, how = Path(sys.argv[1]), sys.argv[2]
from tests.support import NOW, csrf, environment, rig, readings, voltaun
os.environ |= environment()
from voltaun.database import connection, rigs
from voltaun.database import readings as kept
path = folder / "v.db"
connection.prepare(path)
if os.fork() == 0:
    db = connection.connect(path)
    with connection.transaction(db):
        rigs.add(db, rig(arrays=()))
        kept.add_many(db, 1, readings({"soc": 0.5}, {"soc": 0.6}))
    if how == "after a crash":
        os._exit(0)  # what was kept is in the log of the file only
    db.close()
    os._exit(0)
os.wait()
(folder / "old.csv").write_text("old")
def fill():
    filler = os.open(folder / "filler", os.O_CREAT | os.O_WRONLY)
    try:
        while os.write(filler, b"x" * 4096):
            pass
    except OSError:
        os.close(filler)
from voltaun.pages import create_app
if how == "after a crash":
    (folder / "v.db-shm").unlink()
    fill()
    with connection.connect_reading(path) as found:
        assert len(kept.everything(found, 1)) == 2, "what the log of the file held"
    sys.exit(0)
if how == "before":
    fill()
app = create_app(path)
client = app.test_client()
page = client.get("/1/today").text
if how == "meanwhile":
    fill()
for name in ("today", "log", "bench", "rig", "outlook", "sums", "log.csv", "archive.json", "log/changed"):
    answer = client.get("/1/" + name)
    assert answer.status_code == 200, (name, answer.status_code)
assert "The disk is full" in client.get("/1/log").text
page = client.get("/1/today").text
typed = {"csrf_token": csrf(page), "at": "2026-11-24T19:30", "soc": "60", "note": "typed"}
answer = client.post("/1/readings", data=typed)
assert answer.status_code == 507 and "The disk is full" in answer.text and 'value="typed"' in answer.text, answer.text
assert "I/O" not in answer.text
exported = voltaun("export", "--db", path)
assert exported.returncode == 0 and exported.stdout.count("\\n") == 3, exported.stderr
refused = voltaun("export", "--db", path, "-o", folder / "old.csv", "--over")
assert refused.returncode == 2 and "the disk is full" in refused.stderr, refused.stderr
assert (folder / "old.csv").read_text() == "old"
(folder / "filler").unlink()
assert client.post("/1/readings", data=typed).status_code == 303
SCRIPT
"""

class FullDisk(unittest.TestCase):
    def setUp(self):
        skip_without_small_disks(self)

    def test_everything_is_read_and_nothing_is_lost(self):
        for how in ("before", "meanwhile", "after a crash"):
            with self.subTest(how), tempfile.TemporaryDirectory() as folder:
                done = subprocess.run(["unshare", "-rm", "bash", "-c", _ON_A_SMALL_DISK, "x", folder, sys.executable,
                                       how], cwd=ROOT, capture_output=True, text=True, timeout=120)
                self.assertEqual(done.returncode, 0, done.stderr[-2000:])


class Kept(PagesCase):
    def test_an_import_of_readings_is_taken_back_whole_but_for_what_was_changed_since(self):
        self.keep(*readings({"soc": 0.5}, {"soc": 0.6}))
        rows = "read_at,soc_percent\n2026-11-02T10:00,44\n2026-11-03T19:00,45\n2026-11-01T19:00,47\n"
        new = read_log(rows.encode(), self.rig.zone).readings
        before = self.log()
        logs.bring_log(self.db, rigs.get(self.db, 1), new, "old.csv", NOW, "replace", True)
        self.assertEqual([round(each.soc, 2) for each in self.log()], [0.47, 0.44, 0.6, 0.45])
        changed = kept.everything(self.db, 1)[-1]
        with transaction(self.db):
            kept.edit(self.db, 1, changed.id, changed.version, Reading(changed.reading.at, soc=0.2), NOW)
        moved = bringing.take_back(self.path, 1, 1, NOW)
        self.assertEqual((moved.moved, moved.left), (2, 1))
        self.assertEqual([each.soc for each in self.log()], [before[0].soc, 0.6, 0.2])
        moved = bringing.bring_back(self.path, 1, 1, NOW)
        self.assertEqual((moved.moved, [round(each.soc, 2) for each in self.log()]), (2, [0.47, 0.44, 0.6, 0.2]))
        with self.assertRaises(LookupError):
            bringing.bring_back(self.path, 1, 1, NOW)
