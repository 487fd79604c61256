"""Ways back from trouble: damaged files, wrong paths, copies under odd clocks, what was in the file before."""

import json
import os
import sqlite3
import tempfile
import unittest
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from tests.pages.test_pages import PagesCase
from tests.support import NOW, DatabaseCase, csrf, readings, voltaun
from voltaun.core.log.reading import Reading
from voltaun.database import backup, check, connection, monitors, rigs, settings
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.intake.copies import Copies
from voltaun.intake.watch import Watch

SOME_DAYS = readings(*({"soc": 0.62, "solar_wh": 900, "use_wh": 800} for _ in range(5)), start=NOW - timedelta(days=6))


def damage(path: Path) -> None:
    """Write over the middle of a database file, as a dying card does."""
    data = bytearray(path.read_bytes())
    data[8192:40_960] = b"\x5a" * (40_960 - 8192)
    path.write_bytes(data)


class Damaged(DatabaseCase):
    def setUp(self):
        super().setUp()
        with transaction(self.db):
            kept.add_many(self.db, self.rig_id, readings(*({"soc": 0.5, "solar_wh": 900.0} for _ in range(9))))
        backup.copy_of_the_day(self.db, self.path, NOW)
        self.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        self.db.close()

    def test_check_names_the_copy_that_is_whole_and_restore_puts_it_in_place(self):
        damage(self.path)
        broken = self.path.read_bytes()
        done = voltaun("check", "--db", self.path, "--json", check=4)
        self.assertFalse(json.loads(done.stdout)["whole"])
        copy = json.loads(done.stdout)["restore_from"]
        self.assertIn(f"voltaun restore {copy}", done.stderr)
        said = voltaun("restore", copy, "--db", self.path, check=0).stdout
        self.assertIn("damaged; it is put aside as it was", said)
        aside, = self.path.parent.glob("test-damaged-*.db")
        self.assertEqual(aside.read_bytes(), broken)
        self.assertEqual(voltaun("check", "--db", self.path, check=0).stdout, "All is whole.\n")
        with closing(connection.connect(self.path)) as db:
            self.assertEqual(len(kept.everything(db, self.rig_id)), 9)

    def test_the_newest_copy_is_named_only_if_it_is_whole(self):
        with closing(connection.connect(self.path)) as db:
            newer = backup.copy_of_the_day(db, self.path, NOW + timedelta(days=1))
        damage(newer)
        damage(self.path)
        self.assertIn("-00001-2026-11-24.db", voltaun("check", "--db", self.path, check=4).stderr)
        for each in backup.copies(self.path):
            each.path.unlink()
        self.assertIn("no dated copy", voltaun("check", "--db", self.path, check=4).stderr)

    def test_a_text_that_is_none_is_a_fault_and_not_a_crash(self):
        with closing(connection.connect(self.path)) as db:
            db.execute("UPDATE reading SET note = CAST(x'fffe80' AS TEXT) WHERE id = 3")
        done = voltaun("check", "--db", self.path, check=4)
        self.assertIn("cannot be read", done.stdout)
        self.assertNotIn("Traceback", done.stderr)

    def test_no_copy_is_made_of_what_is_not_whole(self):
        damage(self.path)
        with closing(sqlite3.connect(self.path)) as db, self.assertRaisesRegex(connection.DatabaseFault, "not whole"):
            backup.backup(db, self.path.with_name("c.db"))
        self.assertFalse(self.path.with_name("c.db").exists())

    def test_another_programs_database_is_left_alone(self):
        foreign = self.path.with_name("foreign.db")
        with closing(sqlite3.connect(foreign)) as db:
            db.execute("PRAGMA application_id = 77")
            db.execute("CREATE TABLE rig (a)")
            db.commit()
        before = foreign.read_bytes()
        for command in (["check"], ["export"], ["backup", str(self.path.with_name("c.db"))], ["serve"],
                        ["restore", str(backup.copies(self.path)[0].path)], ["import", str(foreign)]):
            voltaun(*command, "--db", foreign, check=2)
        self.assertEqual(foreign.read_bytes(), before)
        self.assertEqual(sorted(each.name for each in foreign.parent.glob("foreign*")), ["foreign.db"])

    def test_a_restore_that_cannot_be_changes_nothing(self):
        damage(self.path)
        broken = self.path.read_bytes()
        letter = self.path.with_name("letter.db")
        letter.write_bytes(b"Dear all" * 500)
        voltaun("restore", letter, "--db", self.path, check=2)
        voltaun("restore", self.path, "--db", self.path, check=2)
        self.assertEqual(self.path.read_bytes(), broken)


class WrongPlace(unittest.TestCase):
    def test_only_what_serves_or_brings_a_rig_makes_a_file(self):
        with tempfile.TemporaryDirectory() as folder:
            missing = Path(folder) / "no" / "such.db"
            log = Path(folder) / "a.log.csv"
            log.write_text("read_at,soc_percent\n2026-11-01T19:00,82\n")
            for command in (["check"], ["export"], ["export", "--as", "archive"], ["backup", f"{folder}/c.db"],
                            ["import", str(log)]):
                self.assertIn("found nothing there", voltaun(*command, "--db", missing, check=2).stderr)
            self.assertEqual(sorted(os.listdir(folder)), ["a.log.csv"])

    def test_no_copy_over_a_folder_or_a_device(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "v.db"
            connection.prepare(path)
            self.assertIn("a folder", voltaun("backup", folder, "--db", path, check=2).stderr)
            self.assertIn("a device", voltaun("backup", "/dev/null", "--db", path, check=2).stderr)

    def test_files_are_for_their_owner_alone(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "new" / "v.db"
            connection.prepare(path)
            with closing(connection.connect(path)) as db:
                copy = backup.copy_of_the_day(db, path, NOW)
            self.assertEqual([each.stat().st_mode & 0o777 for each in (path.parent, path, copy.parent, copy)],
                             [0o700, 0o600, 0o700, 0o600])


class DatedCopies(DatabaseCase):
    def make(self, at):
        return backup.copy_of_the_day(self.db, self.path, at)

    def days(self):
        return [f"{copy.day:%Y-%m-%d}" for copy in backup.copies(self.path)]

    def test_a_clock_that_was_ahead_pushes_out_nothing_new(self):
        ahead = datetime(2037, 1, 1, 12, tzinfo=UTC)
        for n in range(9):
            self.make(ahead + timedelta(days=n))
        for n in range(3):
            self.assertTrue(self.make(NOW + timedelta(days=n)).exists())
        self.assertEqual(self.days()[-3:], ["2026-11-24", "2026-11-25", "2026-11-26"])
        self.assertEqual(len(self.days()), backup.KEPT_COPIES)

    def test_a_dead_clock_makes_one_copy_and_lets_it_stand(self):
        for n in range(backup.KEPT_COPIES):
            self.make(NOW - timedelta(days=9 - n))
        dead = datetime(2000, 1, 1, tzinfo=UTC)
        made = self.make(dead)
        self.assertTrue(made.exists())
        stamp = made.stat().st_mtime_ns
        for n in range(5):
            self.assertIsNone(self.make(dead + timedelta(seconds=20 * n)))
        self.assertEqual(made.stat().st_mtime_ns, stamp)

    def test_those_of_the_first_releases_count_and_go_first(self):
        folder = self.path.parent / "copies"
        folder.mkdir()
        for n in range(1, 9):
            (folder / f"test-2026-10-0{n}.db").write_bytes(b"old")
        self.make(NOW)
        self.assertEqual(self.days(), [f"2026-10-0{n}" for n in range(3, 9)] + ["2026-11-24"])

    def test_brackets_in_a_name_and_two_files_of_one_stem(self):
        for name in ("hut[1].db", "hut.db", "hut.sqlite"):
            path = self.path.with_name(name)
            connection.prepare(path)
            with closing(connection.connect(path)) as db:
                self.assertIsNotNone(backup.copy_of_the_day(db, path, NOW), name)
                self.assertIsNone(backup.copy_of_the_day(db, path, NOW), name)
            self.assertEqual(len(backup.copies(path)), 1, name)

    def test_a_second_place_and_its_trouble(self):
        copies = Copies()
        with tempfile.TemporaryDirectory() as stick:
            with transaction(self.db):
                settings.put(self.db, "second_place", stick)
            copies.make(self.db, self.path, NOW)
            self.assertIsNone(copies.trouble)
            self.assertEqual(len(backup.copies(self.path, Path(stick))), 1)
        copies.make(self.db, self.path, NOW + timedelta(days=1))  # the stick was pulled out
        self.assertIn("no such folder", copies.trouble)
        self.assertEqual(len(backup.copies(self.path)), 2)
        self.assertFalse(copies.make(self.db, self.path, NOW + timedelta(days=2)))  # not tried again at once
        self.assertEqual(len(backup.copies(self.path)), 2)

    def test_a_monitor_that_cannot_be_asked_stops_no_copy(self):
        with transaction(self.db):
            monitors.keep(self.db, self.rig_id, "http://127.0.0.1:9/\u00e9", 5)
            self.db.execute("UPDATE monitor SET address = 'nonsense'")
        with self.assertLogs("voltaun", "ERROR"):
            Watch(self.path).look()
        self.assertEqual(len(backup.copies(self.path)), 1)

    def test_a_copy_is_made_before_a_migration(self):
        before = connection.migrations
        connection.migrations = lambda: [*before(), (99, "CREATE TABLE more (a TEXT) STRICT;")]
        self.addCleanup(setattr, connection, "migrations", before)
        connection.prepare(self.path)
        newest = before()[-1][0]
        copy = self.path.parent / "copies" / f"test.db-before-migration-{newest:04d}-to-0099.db"
        with closing(connection.connect(copy)) as db:
            self.assertEqual(db.execute("PRAGMA user_version").fetchone()[0], newest)
            self.assertEqual(rigs.names(db), [(1, "Test rig")])


class UnderAServer(PagesCase):
    def test_what_was_reckoned_before_a_restore_is_not_shown_after_it(self):
        self.keep(*SOME_DAYS, Reading(NOW - timedelta(minutes=1), soc=0.30))
        backup.backup(self.db, self.path.with_name("copy.db"))
        self.shows("The bank stands at 30 %", self.client.get("/1/today").text)
        with transaction(self.db):
            kept.edit(self.db, 1, 6, 1, Reading(NOW - timedelta(minutes=1), soc=0.88), NOW)
        self.shows("The bank stands at 88 %", self.client.get("/1/today").text)
        backup.restore(self.path.with_name("copy.db"), self.path, NOW)
        with transaction(self.db):  # the same row numbers again, with another figure
            kept.edit(self.db, 1, 6, 1, Reading(NOW - timedelta(minutes=1), soc=0.41), NOW)
        self.shows("The bank stands at 41 %", self.client.get("/1/today").text)
        backup.restore(self.path.with_name("copy.db"), self.path, NOW)
        self.shows("The bank stands at 30 %", self.client.get("/1/today").text)

    def test_a_rig_that_cannot_be_read_is_mended_and_the_others_go_on(self):
        with transaction(self.db):
            other = rigs.add(self.db, replace(self.rig, name="Other"))
            self.db.execute("UPDATE rig SET timezone = 'Mars/Olympus' WHERE id = 1")
        page = self.client.get("/1/today", follow_redirects=True).text
        self.shows("Test rig cannot be read.", page)
        self.shows("Mars/Olympus", page)
        self.assertEqual(self.client.get(f"/{other}/today").status_code, 200)
        token = {"csrf_token": csrf(self.client.get(f"/{other}/today").text)}
        self.client.post("/mend/1", data=token | {"timezone": "Mars"})
        self.shows("Type a town of the list", self.client.get("/1/today", follow_redirects=True).text)
        self.client.post("/mend/1", data=token | {"timezone": "hobart"})
        self.assertEqual(self.client.get("/1/today").status_code, 200)
        with transaction(self.db):
            rigs.save(self.db, rigs.get(self.db, 1), self.rig, NOW)
            self.db.execute("UPDATE load SET pattern = 'null'")
            self.db.execute("UPDATE bank SET pack_wh = 'null' WHERE rig_id = 1")
        self.shows("Put it back as it was", self.client.get("/1/rig", follow_redirects=True).text)
        self.client.post("/mend/1", data=token | {"back": "yes"})
        self.assertEqual(rigs.get(self.db, 1).rig, self.rig)

    def test_a_reading_that_cannot_be_read_is_left_out_and_said(self):
        self.keep(*readings(*({"soc": 0.5} for _ in range(5)), start=NOW - timedelta(days=6)))
        self.db.execute("UPDATE reading SET pack_socs = '[\"x\"]' WHERE id = 2")
        for path in ("today", "log", "outlook", "log.csv"):
            self.assertEqual(self.client.get(f"/1/{path}").status_code, 200, path)
        self.shows("Left out, since it cannot be read: 1 reading of this log.", self.client.get("/1/today").text)
        self.assertIn("a reading cannot be read", " ".join(check.faults(self.db)))

    def test_an_error_stands_alone(self):
        self.app.config["PROPAGATE_EXCEPTIONS"] = False
        self.db.execute("ALTER TABLE reading RENAME TO gone")
        answer = self.client.get("/1/today")
        self.assertEqual(answer.status_code, 500)
        self.assertIn("default-src 'none'", answer.headers["Content-Security-Policy"])
        self.shows("Nothing that was kept is lost", answer.text)


class Clocks(PagesCase):
    def at(self, now):
        os.environ["VOLTAUN_NOW"] = now

    def test_a_dead_clock_is_told_on_every_page_and_takes_the_true_time(self):
        self.keep(*SOME_DAYS)
        self.at("2000-01-01T00:03+00:00")
        for path in ("today", "log", "outlook", "rig", "log/changed"):
            self.shows("clock says 1 January 2000", self.client.get(f"/1/{path}").text)
        page = self.client.get("/1/today").text
        self.shows("The bank stands at 62 %", page)
        self.hides('value="2000-01-01', page)
        self.assertEqual(self.post("/1/readings", {"at": "", "soc": "60"}).status_code, 422)
        self.assertEqual(self.post("/1/readings", {"at": "2026-11-24T19:30", "soc": "60"}).status_code, 303)

    def test_a_reading_from_a_clock_that_was_ahead_is_named(self):
        self.keep(*SOME_DAYS, Reading(NOW + timedelta(days=4000), soc=0.9))
        page = self.client.get("/1/today").text
        self.shows("A reading is of a time still to come", page)
        self.shows("Without any charging", page)
