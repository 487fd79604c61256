"""What is written over, and what is not: restoring beside a left-over journal, copies over other files, the demo."""

import sqlite3
import subprocess
import sys
import threading
import time
from contextlib import closing
from datetime import timedelta
from pathlib import Path

from tests.database.test_backup import FilledCase
from tests.support import NOW, ROOT, environment, voltaun
from voltaun.core.log.reading import Reading
from voltaun.database import backup, check, connection, settings
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.formats.rig_file import write_rig

_LEAVES_A_JOURNAL = """
import os, sqlite3, sys
db = sqlite3.connect(sys.argv[1], isolation_level=None)
db.execute("PRAGMA wal_autocheckpoint = 0")
db.execute("UPDATE reading SET soc = 0.99, note = 'of the journal'")
os.unlink(sys.argv[1])
os._exit(0)
"""


class LeftOver(FilledCase):
    def test_what_sqlite_left_beside_a_file_that_is_gone_is_not_played_into_the_copy(self):
        expected, copy = self.text(), self.path.with_name("copy.db")
        backup.backup(self.db, copy)
        self.db.close()
        subprocess.run([sys.executable, "-c", _LEAVES_A_JOURNAL, str(self.path)], check=True, cwd=ROOT,
                       env=environment())
        journal = self.path.with_name(f"{self.path.name}-wal")
        self.assertGreater(journal.stat().st_size, 0)
        done = backup.restore(copy, self.path, NOW)
        with closing(connection.connect(self.path)) as restored:
            self.assertEqual(self.text(restored), expected)
            self.assertEqual(check.faults(restored), [])
        self.assertTrue(done.before.with_name(f"{done.before.name}-wal").exists())

    def test_a_newer_file_is_called_newer_and_its_content_is_kept(self):
        copy = self.path.with_name("copy.db")
        backup.backup(self.db, copy)
        with closing(sqlite3.connect(copy)) as newer:
            newer.execute("PRAGMA user_version = 9999")
        self.assertTrue(backup.newer(copy) and backup.sound(copy) and not backup.whole(copy))
        with self.assertRaisesRegex(connection.DatabaseFault, "newer Voltaun"):
            backup.restore(copy, self.path, NOW)
        # Where the newer one is the database, it is copied, and not called damaged.
        old = self.path.with_name("old.db")
        backup.backup(self.db, old)
        self.assertFalse(backup.restore(old, copy, NOW).damaged)

    def test_a_text_file_is_no_damaged_database(self):
        copy, log = self.path.with_name("copy.db"), self.path.with_name("log.csv")
        backup.backup(self.db, copy)
        for text in ("read_at,soc_percent\n2026-11-01T08:00,50\n", "Grüße aus der Hütte\n" * 9):
            log.write_text(text)
            with self.assertRaisesRegex(connection.DatabaseFault, "text file"):
                backup.restore(copy, log, NOW)
            self.assertEqual(log.read_text(), text)
        broken = self.path.with_name("broken.db")
        broken.write_bytes(b"\0" * 5000)
        self.assertTrue(backup.restore(copy, broken, NOW).damaged)


class Over(FilledCase):
    def test_what_is_no_copy_is_not_written_over(self):
        rig_file = self.path.with_name("hut.rig.json")
        rig_file.write_text("{}")
        refused = voltaun("backup", rig_file, "--db", self.path, check=2).stderr
        self.assertIn("no Voltaun database", refused)
        self.assertEqual(rig_file.read_text(), "{}")
        for target in (rig_file, self.path.with_name("copy.db")):
            voltaun("backup", target, "--db", self.path, "--over", check=0)
        voltaun("backup", self.path.with_name("copy.db"), "--db", self.path, check=0)  # an older copy
        taken = voltaun("export", "-o", self.path, "--rig", self.rig.name, "--db", self.path, check=2)
        self.assertIn("found the database itself", taken.stderr)
        for own in (self.path, *(self.path.with_name(f"test.db{ending}") for ending in (".key", ".house", "-wal"))):
            for command in ("backup", "export"):
                of = ["-o", own, "--rig", self.rig.name] if command == "export" else [own]
                refused = voltaun(command, *of, "--over", "--db", self.path, check=2)
                self.assertIn("found the database itself, or what belongs to it", refused.stderr, (command, own))
        (around := self.path.with_name("around.csv")).symlink_to("back.csv")
        self.path.with_name("back.csv").symlink_to("around.csv")
        for command in (("backup", around), ("export", "--rig", self.rig.name, "-o", around)):
            refused = voltaun(*command, "--over", "--db", self.path, check=2).stderr
            self.assertIn("found a link that leads back to itself", refused)
            self.assertEqual(refused.count("\n"), 1)
        self.assertEqual(self.db.execute("PRAGMA integrity_check").fetchone()[0], "ok")

    def test_what_another_left_beside_a_name_is_played_into_no_copy(self):
        foreign, name = self.path.with_name("foreign.db"), self.path.with_name("copy.db")
        with closing(sqlite3.connect(foreign)) as other:
            other.executescript("PRAGMA journal_mode = WAL; CREATE TABLE theirs (x); INSERT INTO theirs VALUES (1)")
            log = Path(f"{foreign}-wal").read_bytes()
        for command in (("backup", name), ("import", self.path.with_name("hut.rig.json"))):
            Path(f"{name}-wal").write_bytes(log)
            if command[0] == "import":
                command[1].write_text(write_rig(self.rig))
            refused = voltaun(*command, "--db", self.path if command[0] == "backup" else name, check=2).stderr
            self.assertIn("copy.db-wal, which another database left there", refused)
            self.assertFalse(name.exists())
            self.assertEqual(Path(f"{name}-wal").read_bytes(), log)  # it may be all that is left of the other
        Path(f"{name}-wal").unlink()
        voltaun("backup", name, "--db", self.path, check=0)
        Path(f"{name}-wal").write_bytes(log)  # beside a copy that is to be replaced it goes with that one
        voltaun("backup", name, "--db", self.path, check=0)
        with closing(connection.connect_reading(name)) as copy:
            self.assertEqual(len(kept.everything(copy, self.rig_id)), len(kept.everything(self.db, self.rig_id)))

    def test_a_second_log_has_an_identity_of_its_own_and_a_copy_none(self):
        copy, second = self.path.with_name("copy.db"), self.path.with_name("second.db")
        voltaun("backup", copy, "--db", self.path, check=0)
        voltaun("backup", second, "--second", "--db", self.path, check=0)
        found = []
        for path in (self.path, copy, second):
            with closing(connection.connect_reading(path)) as of:
                found.append(settings.identity(of))
        self.assertEqual((found[0], len(set(found)), len(found[0])), (found[1], 2, 32))
        self.assertNotIn(found[0], voltaun("export", "--as", "archive", "--db", self.path, check=0).stdout)

    def test_restored_under_writers_nothing_that_was_acknowledged_is_lost(self):
        copy = self.path.with_name("copy.db")
        backup.backup(self.db, copy)
        acknowledged, over = [], threading.Event()

        def write():
            with closing(connection.connect(self.path)) as db:
                for n in range(10_000):
                    if over.is_set():
                        return
                    with transaction(db):
                        kept.add(db, self.rig_id, Reading(NOW + timedelta(minutes=n + 1), soc=0.5), NOW)
                    acknowledged.append(NOW + timedelta(minutes=n + 1))
                    time.sleep(0.002)
        writer = threading.Thread(target=write)
        writer.start()
        befores = []
        try:
            for n in range(5):
                befores.append(backup.restore(copy, self.path, NOW + timedelta(seconds=n)).before)
                time.sleep(0.05)
        finally:
            over.set()
            writer.join()
        found = set()
        for path in (*befores, self.path):
            with closing(connection.connect_reading(path)) as of:
                found |= {each.reading.at for each in kept.everything(of, self.rig_id)}
        self.assertGreater(len(acknowledged), 20)
        self.assertEqual(set(acknowledged) - found, set())

    def test_a_copy_that_holds_something_newer_is_not_written_over(self):
        copy, earlier = self.path.with_name("copy.db"), self.path.with_name("earlier.db")
        backup.backup(self.db, earlier)
        with transaction(self.db):
            kept.add(self.db, self.rig_id, Reading(NOW + timedelta(days=1), soc=0.5), NOW)
        backup.backup(self.db, copy)
        with closing(connection.connect(earlier)) as old, self.assertRaisesRegex(connection.DatabaseFault, "newer"):
            backup.backup(old, copy)
        backup.backup(self.db, copy)

    def test_the_demo_is_not_put_into_a_database_of_ones_own(self):
        before = self.text()
        self.assertIn("rigs of your own", voltaun("demo", "--db", self.path, check=2).stderr)
        self.assertEqual(self.text(), before)
