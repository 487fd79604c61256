import random
import sqlite3
import subprocess
import sys
import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta

from tests.core.rig.test_dates import GREW, NINETEENTH, SEPTEMBER
from tests.support import NOW, ROOT, DatabaseCase, environment, random_rig, readings
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Load
from voltaun.core.rig.rig import Former
from voltaun.database import archive, connection, rigs, settings
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.demo.honey_house import RIG
from voltaun.pages.security import session_key

AT = datetime(2026, 11, 1, 8, tzinfo=UTC)


class File(DatabaseCase):
    def test_migrated_once_with_the_habits_of_the_house(self):
        connection.prepare(self.path)
        self.assertEqual(self.db.execute("PRAGMA user_version").fetchone()[0], connection.migrations()[-1][0])
        self.assertEqual(self.db.execute("PRAGMA journal_mode").fetchone()[0], "wal")
        self.assertEqual(self.db.execute("PRAGMA foreign_keys").fetchone()[0], 1)
        loose = self.db.execute("SELECT name FROM pragma_table_list WHERE schema = 'main' AND strict = 0 "
                                "AND name NOT LIKE 'sqlite%'").fetchall()
        self.assertEqual(loose, [])

    def test_newer_or_foreign_files_are_refused(self):
        self.db.execute("PRAGMA user_version = 999")
        with self.assertRaisesRegex(connection.DatabaseFault, "newer"):
            connection.prepare(self.path)
        other = self.path.with_name("letter.db")
        other.write_bytes(b"Dear all, this is no database." * 100)
        with self.assertRaisesRegex(connection.DatabaseFault, "letter.db"):
            connection.prepare(other)
        with self.assertRaises(connection.DatabaseFault):
            connection.prepare(self.path / "inside" / "a-file.db")

    def test_failed_migration_leaves_nothing(self):
        before = connection.migrations
        connection.migrations = lambda: [*before(), (99, "CREATE TABLE half (a TEXT) STRICT; SELECT no_such_thing;")]
        self.addCleanup(setattr, connection, "migrations", before)
        with self.assertRaises(connection.DatabaseFault):
            connection.prepare(self.path)
        self.assertEqual(self.db.execute("PRAGMA user_version").fetchone()[0], before()[-1][0])
        self.assertIsNone(self.db.execute("SELECT name FROM sqlite_schema WHERE name = 'half'").fetchone())

    def test_the_session_key_lies_beside_the_file_and_not_in_it(self):
        key = session_key(self.path)
        self.assertEqual(session_key(self.path), key)
        self.assertNotIn(key.encode(), self.path.read_bytes())
        self.assertEqual([(self.path.with_name(name)).stat().st_mode & 0o777 for name in ("test.db", "test.db.key")],
                         [0o600, 0o600])
        self.assertNotIn("session_key", settings.told(self.db))


class Rigs(DatabaseCase):
    def test_whole_rigs_there_and_back(self):
        for n, each in enumerate([RIG, *(replace(random_rig(random.Random(n)), name=f"Rig {n}") for n in range(9))]):
            with transaction(self.db):
                rig_id = rigs.add(self.db, each)
            self.assertEqual(rigs.get(self.db, rig_id).rig, each, n)
        self.assertIsNone(rigs.get(self.db, 999))

    def test_parts_with_days_there_and_back_and_undone(self):
        old = Former("bank", replace(self.rig.bank, unit_capacity_ah=80, until_day=NINETEENTH))
        grew = replace(self.rig, arrays=GREW.arrays, former=(*GREW.former, old), bank=replace(
            self.rig.bank, from_day=SEPTEMBER), loads=(Load("Fan", 30, weekdays=("sat",), in_sun=True),))
        with connection.transaction(self.db):
            change = rigs.save(self.db, rigs.get(self.db, self.rig_id), grew, NOW)
        self.assertEqual(rigs.get(self.db, self.rig_id).rig, grew)
        document = archive.rig_archive(self.db, self.rig_id)
        with connection.transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, self.rig_id), replace(grew, former=()), NOW)
            rigs.undo(self.db, self.rig_id, change + 1, NOW)
        self.assertEqual(rigs.get(self.db, self.rig_id).rig, grew)
        self.assertEqual([row["part"] for row in document["former"]], ["arrays", "bank"])

    def test_saving_over_a_newer_version_is_refused(self):
        first = rigs.get(self.db, self.rig_id)
        with transaction(self.db):
            rigs.save(self.db, first, replace(RIG, name="Shed"), NOW)
        with self.assertRaises(rigs.RigChanged), transaction(self.db):
            rigs.save(self.db, first, replace(RIG, name="Barn"), NOW)
        self.assertEqual(rigs.names(self.db), [(self.rig_id, "Shed")])
        with self.assertRaises(rigs.RigNameTaken), transaction(self.db):
            rigs.add(self.db, replace(RIG, name="Shed"))

    def test_the_file_itself_refuses_what_is_not_legal(self):
        for sql in ("UPDATE bank SET hard_floor = 0.9", "UPDATE rig SET latitude = 95",
                    "UPDATE bank SET unit_capacity_ah = 0", "UPDATE bank SET series = 0"):
            with self.subTest(sql), self.assertRaises(sqlite3.IntegrityError):
                self.db.execute(sql)


class Readings(DatabaseCase):
    def act(self, what, *arguments):
        with transaction(self.db):
            return what(self.db, self.rig_id, *arguments)

    def log(self):
        return kept.everything(self.db, self.rig_id)

    def test_all_fields_there_and_back(self):
        reading = Reading(AT, 0.82, 26.4, 2150.5, 1, 2, 3, 1.5, 2.5, 2600, "mixed", AT - timedelta(hours=5), -3.5,
                          "Wet.")
        self.act(kept.add, reading, NOW)
        self.assertEqual(self.log()[0].reading, reading)

    def test_edit_remove_and_undo_are_the_identity(self):
        added = self.act(kept.add, Reading(AT, soc=0.8), NOW)
        first, = self.log()
        changed = self.act(kept.edit, first.id, first.version, Reading(AT + timedelta(hours=1), soc=0.7), NOW)
        second, = self.log()
        removed = self.act(kept.remove, second.id, second.version, NOW)
        self.assertEqual(self.log(), [])
        with self.assertRaises(kept.ReadingChanged):
            self.act(kept.undo, changed, NOW)
        self.act(kept.undo, removed, NOW)
        self.assertEqual(self.log()[0].reading, second.reading)
        with self.assertRaises(kept.ReadingChanged):
            self.act(kept.undo, added, NOW)
        with self.assertRaises(LookupError):
            self.act(kept.undo, 9999, NOW)

    def test_undo_of_adding_takes_it_out(self):
        change = self.act(kept.add, Reading(AT, soc=0.8), NOW)
        self.act(kept.undo, change, NOW)
        self.assertEqual(self.log(), [])

    def test_one_reading_at_an_instant_and_no_stale_edits(self):
        self.act(kept.add, Reading(AT, soc=0.8), NOW)
        self.act(kept.add, Reading(AT + timedelta(hours=9), soc=0.7), NOW)
        with self.assertRaises(kept.InstantTaken) as taken:
            self.act(kept.add, Reading(AT, soc=0.5), NOW)
        self.assertEqual(taken.exception.kept.reading.soc, 0.8)
        first, other = self.log()
        with self.assertRaises(kept.InstantTaken):
            self.act(kept.edit, other.id, other.version, Reading(AT, soc=0.7), NOW)
        removed = self.act(kept.remove, first.id, first.version, NOW)
        self.act(kept.add, Reading(AT, soc=0.6), NOW)
        with self.assertRaises(kept.InstantTaken):
            self.act(kept.undo, removed, NOW)
        self.assertEqual([each.reading.soc for each in self.log()], [0.6, 0.7])

    def test_merging_a_file(self):
        log = readings(*({"soc": 0.5 + n / 100} for n in range(5)))
        merged = self.act(kept.merge, log[:3], NOW)
        self.assertEqual((merged.added, merged.same), (3, 0))
        other = [*log[1:], replace(log[0], soc=0.1)]
        with self.assertRaises(kept.ReadingsDiffer):
            self.act(kept.merge, sorted(other, key=lambda r: r.at), NOW)
        self.assertEqual(len(self.log()), 3)
        merged = self.act(kept.merge, sorted(other[:2] + other[-1:], key=lambda r: r.at), NOW, "keep")
        self.assertEqual((merged.added, merged.same, merged.replaced, merged.kept), (0, 2, 0, 1))
        merged = self.act(kept.merge, sorted(other, key=lambda r: r.at), NOW, "replace")
        self.assertEqual((merged.added, merged.same, merged.replaced, merged.kept), (2, 2, 1, 0))
        self.assertEqual(self.log()[0].reading.soc, 0.1)

    def test_page_queries_use_the_index(self):
        plan = " ".join(row["detail"] for row in self.db.execute(
            "EXPLAIN QUERY PLAN SELECT * FROM reading WHERE rig_id = 1 AND removed = 0 AND at >= 'a' AND at < 'b' "
            "ORDER BY at"))
        self.assertIn("reading_at", plan)
        self.assertNotIn("TEMP B-TREE", plan)


class Rights(DatabaseCase):
    def test_what_an_earlier_release_left_readable_is_for_its_owner_alone(self):
        copies = self.path.parent / "copies"
        copies.mkdir()
        ours = [copies / "test.db-00001-2026-11-01.db", copies / "test-2026-11-01.db",
                self.path.with_name("test.db.key")]
        for each in (*ours, copies / "holiday.jpg", self.path):
            each.touch()
            each.chmod(0o644)
        copies.chmod(0o755)
        connection.prepare(self.path)
        self.assertEqual({each.stat().st_mode & 0o777 for each in (*ours, self.path)}, {0o600})
        self.assertEqual([each.stat().st_mode & 0o777 for each in (copies, copies / "holiday.jpg")], [0o700, 0o644])


class Killed(DatabaseCase):
    WRITER = """
import sys
from datetime import timedelta
from voltaun.clock import now
from voltaun.core.log.reading import Reading
from voltaun.database import readings
from voltaun.database.connection import connect, transaction
db = connect(sys.argv[1])
def slow():
    for n in range(10_000_000):
        if n == 2000:
            print("writing", flush=True)
        yield Reading(now() - timedelta(minutes=n + 1), soc=0.5)
with transaction(db):
    readings.add_many(db, 1, slow())
"""

    def test_a_process_killed_while_it_imports_leaves_nothing_of_it(self):
        with transaction(self.db):
            kept.add(self.db, self.rig_id, Reading(AT, soc=0.8), NOW)
        for delay in (0.0, 0.15, 0.6):
            process = subprocess.Popen([sys.executable, "-c", self.WRITER, str(self.path)], cwd=ROOT,
                                       env=environment(), stdout=subprocess.PIPE, text=True)
            self.assertEqual(process.stdout.readline().strip(), "writing")
            time.sleep(delay)
            process.kill()
            process.wait()
            process.stdout.close()
            connection.prepare(self.path)
            again = connection.connect(self.path)
            self.assertEqual([each.reading.soc for each in kept.everything(again, self.rig_id)], [0.8])
            self.assertEqual(again.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            again.close()


