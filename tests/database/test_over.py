"""What is written over, and what is not: restoring beside a left-over journal, copies over other files, the demo."""

import sqlite3
import subprocess
import sys
from contextlib import closing
from datetime import timedelta

from tests.database.test_backup import FilledCase
from tests.support import NOW, ROOT, environment, voltaun
from voltaun.core.log.reading import Reading
from voltaun.database import backup, check, connection
from voltaun.database import readings as kept
from voltaun.database.connection import transaction

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
        self.assertIn("--over", taken.stderr)

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
