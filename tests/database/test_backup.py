"""Nothing that was acknowledged is lost: kills, full disks, two processes, copies, archives, the check."""

import json
import random
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from tests.core.rig.test_dates import GREW
from tests.support import NOW, ROOT, DatabaseCase, environment, random_rig, readings, voltaun
from voltaun.core.bench.runs import Mark, Run
from voltaun.core.log import days
from voltaun.core.log.ledger import Balance
from voltaun.core.log.reading import Reading
from voltaun.database import archive, backup, bench, check, connection, monitors, rigs, samples
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.standins import monitor

AT = datetime(2026, 11, 1, 8, tzinfo=UTC)


class FilledCase(DatabaseCase):
    """A file with something of everything in it."""

    def setUp(self):
        super().setUp()
        with transaction(self.db):
            kept.add_many(self.db, self.rig_id, readings(
                *({"soc": 0.5 + n / 100, "solar_wh": 900.0} for n in range(9))))
            kept.add(self.db, self.rig_id, Reading(AT + timedelta(days=20), soc=0.4, note="Regen & “Wind”"), NOW)
            first = kept.everything(self.db, self.rig_id)[0]
            kept.edit(self.db, self.rig_id, first.id, first.version, replace(first.reading, soc=0.45), NOW)
            last = kept.everything(self.db, self.rig_id)[-1]
            kept.remove(self.db, self.rig_id, last.id, last.version, NOW)
            run = Run("label", "Lamp", "dc", watts=5, hours_a_day=4)
            for _ in range(2):
                number = bench.begin(self.db, self.rig_id, run, NOW)
                made = bench.get(self.db, self.rig_id, number)
                bench.apply(self.db, rigs.get(self.db, self.rig_id), made, made.version,
                            {("loads", "Lamp", "daily_wh"): 20.0 + number}, NOW)
            bench.begin(self.db, self.rig_id, Run("meter", "Lamp", marks=(Mark(AT, wh=0), Mark(NOW, wh=5))), NOW)
            monitors.keep(self.db, self.rig_id, "http://127.0.0.1:1", 0)
            monitors.asked(self.db, self.rig_id, NOW, "silent", "The monitor is silent.")
            monitors.put_setting(self.db, self.rig_id, "reading_hours", [7])
            rigs.add(self.db, replace(random_rig(random.Random(3)), name="Another"))
            from tests.core.log.test_samples import minutes
            samples.bring(self.db, self.rig_id, [minutes(5000, watts=5.0, soc=0.5)])

    def text(self, db=None):
        db = db or self.db
        return json.dumps([archive.rig_archive(db, number) for number, _ in rigs.names(db)])

    def other(self, name="other.db"):
        path = self.path.with_name(name)
        connection.prepare(path)
        db = connection.connect(path)
        self.addCleanup(db.close)
        return db


class Archive(FilledCase):
    def test_out_in_and_out_again_is_the_same_under_other_numbers(self):
        first, other = self.text(), self.other()
        with transaction(other):
            rigs.add(other, replace(self.rig, name="Here before"))
            for document in json.loads(first):
                archive.add_rig(other, document)
        again = [archive.rig_archive(other, number) for number, name in rigs.names(other) if name != "Here before"]
        self.assertEqual(json.dumps(again), first)
        self.assertEqual(check.faults(other), [])

    def test_a_month_of_samples_that_cannot_be_is_refused(self):
        for rows in ("5", 0, -1, None, archive.MOST_IN_A_MONTH + 1):
            with self.assertRaisesRegex(archive.ArchiveFault, "rows in a month"):
                list(archive.months_of({"sample": [{"rows": rows, "packed": "AAAA"}]}))

    def test_what_was_there_before_goes_along_and_an_archive_of_before_that_comes_in(self):
        kept = rigs.get(self.db, self.rig_id)
        with transaction(self.db):
            rigs.save(self.db, kept, replace(kept.rig, arrays=GREW.arrays, former=GREW.former), NOW)
        document, other = archive.rig_archive(self.db, self.rig_id), self.other()
        with transaction(other):
            number = archive.add_rig(other, json.loads(json.dumps(document)))
        self.assertEqual(rigs.get(other, number).rig, rigs.get(self.db, self.rig_id).rig)
        del document["former"]
        for table in ("bank", "inverter", "solar_array", "charger", "load"):
            for row in document[table]:
                for column in ("from_day", "weekdays", "in_sun"):
                    row.pop(column, None)
        document["rig"]["name"] = "Of before"
        with transaction(other):
            number = archive.add_rig(other, document)
        self.assertFalse(rigs.get(other, number).rig.dated)

    def test_what_was_applied_can_be_taken_back_after_the_journey(self):
        other = self.other()
        with transaction(other):
            rigs.add(other, replace(self.rig, name="Here before"))
            rig_id = archive.add_rig(other, json.loads(self.text())[1])
            latest = next(each for each in bench.runs(other, rig_id) if each.applied_at and each.id == max(
                run.id for run in bench.runs(other, rig_id) if run.applied_at))
            bench.take_back(other, rigs.get(other, rig_id), latest, latest.version, NOW)
        origin = rigs.origins(other, rigs.get(other, rig_id))["loads", "Lamp", "daily_wh"]
        self.assertEqual(bench.get(other, rig_id, origin.run_id).run.subject, "Lamp")

    def test_bad_archives_write_nothing(self):
        good, other = json.loads(self.text())[1], self.other()
        for spoil, words in ((lambda d: d.pop("rig"), "no rig"), (lambda d: d.update(extra=1), "extra"),
                             (lambda d: d["reading"][3].update(soc=7), "CHECK"),
                             (lambda d: d["reading"][3].update(colour="red"), "colour"),
                             (lambda d: d["bench_mark"][0].update(run_id=99), "points to"),
                             (lambda d: d.update(reading="x"), "a list of rows"),
                             (lambda d: d["sample"][0].update(packed="AAAA"), "unpacked"),
                             (lambda d: d["bank"].clear(), None)):
            document = json.loads(json.dumps(good))
            spoil(document)
            with self.assertRaises((archive.ArchiveFault, TypeError)) as caught, transaction(other):
                rigs.get(other, archive.add_rig(other, document)).rig.bank.faults("bank")
            if words:
                self.assertIn(words, str(caught.exception))
            self.assertEqual(rigs.names(other), [])


class Copies(FilledCase):
    def test_a_copy_is_restored_with_everything(self):
        expected = self.text()
        backup.backup(self.db, self.path.with_name("copy.db"))
        with transaction(self.db):
            self.db.execute("DELETE FROM reading")
        before = backup.restore(self.path.with_name("copy.db"), self.path, NOW)
        self.assertEqual(self.text(), expected)
        self.assertFalse(before.damaged)
        with closing(connection.connect(before.before)) as lost:
            self.assertEqual(lost.execute("SELECT count(*) FROM reading").fetchone()[0], 0)

    def test_a_copy_in_which_something_was_changed_since_is_not_written_over(self):
        copy = self.path.with_name("copy.db")
        backup.backup(self.db, copy)
        with closing(connection.connect(copy)) as other, transaction(other):
            first = kept.everything(other, self.rig_id)[0]
            kept.edit(other, self.rig_id, first.id, first.version, replace(first.reading, soc=0.46),
                      NOW + timedelta(hours=1))
        with self.assertRaisesRegex(connection.DatabaseFault, "something of 2026-11-24T21:00.* newer than all"):
            backup.backup(self.db, copy)
        backup.backup(self.db, copy, over=True)

    def test_while_another_writes(self):
        writer = subprocess.Popen([sys.executable, "-c", _WRITER, str(self.path), "400"], cwd=ROOT, env=environment(),
                                  stdout=subprocess.PIPE, text=True)
        self.addCleanup(writer.stdout.close)
        self.addCleanup(writer.wait)
        self.addCleanup(writer.kill)
        for n in range(5):
            writer.stdout.readline()
            copy = self.path.with_name(f"copy-{n}.db")
            backup.backup(self.db, copy)
            with closing(connection.connect(copy)) as db:
                self.assertEqual(check.faults(db), [])

    def test_what_is_no_copy_is_refused_and_changes_nothing(self):
        expected = self.text()
        letter = self.path.with_name("letter.db")
        letter.write_bytes(b"Dear all" * 500)
        with closing(sqlite3.connect(self.path.with_name("foreign.db"))) as foreign:
            foreign.execute("CREATE TABLE t (a)")
            foreign.execute("PRAGMA user_version = 1")
        cut = self.path.with_name("cut.db")
        backup.backup(self.db, cut)
        cut.write_bytes(cut.read_bytes()[:-9000])
        for file in (letter, self.path.with_name("foreign.db"), cut):
            with self.assertRaises(connection.DatabaseFault):
                backup.restore(file, self.path, NOW)
        self.assertEqual(self.text(), expected)

    def test_dated_copies_come_once_a_day_and_a_few_are_kept(self):
        for day in range(10):
            for _ in range(2):
                backup.copy_of_the_day(self.db, self.path, NOW + timedelta(days=day))
        names = [copy.path.name for copy in backup.copies(self.path)]
        self.assertEqual(len(names), backup.KEPT_COPIES)
        self.assertEqual(names[-1], "test.db-00010-2026-12-03.db")


class Check(FilledCase):
    def test_whole_and_not(self):
        self.assertEqual(check.faults(self.db), [])
        with transaction(self.db):
            self.db.execute("DELETE FROM sample WHERE at % 600 = 0")
        self.assertIn("sums of their hours", check.faults(self.db)[0])
        done = voltaun("check", "--db", self.path, "--json", check=4)
        self.assertFalse(json.loads(done.stdout)["whole"])
        self.db.execute("PRAGMA foreign_keys = OFF")
        self.db.execute("UPDATE reading SET rig_id = 77 WHERE id = 2")
        self.assertIn("table reading", check.faults(self.db)[0])

    def test_books_that_are_cooked_are_seen(self):
        with transaction(self.db):
            kept.add_many(self.db, self.rig_id, readings(
                *({"soc": 0.5, "solar_wh": 900.0, "use_wh": 800.0} for _ in range(5)), start=AT + timedelta(days=30)))
        self.assertEqual(check.faults(self.db), [])
        stored = Balance.stored
        with mock.patch.object(Balance, "stored", lambda *given: stored(*given) + 5):
            self.assertIn("are off by", check.faults(self.db)[0])
        split = days.split
        with mock.patch.object(days, "split", lambda *given: replace(split(*given), hours=0.9 * split(*given).hours)):
            self.assertIn("the use of the days", check.faults(self.db)[0])

    def test_a_broken_file_is_said_to_be(self):
        copy = self.path.with_name("broken.db")
        backup.backup(self.db, copy)
        data = bytearray(copy.read_bytes())
        data[8192:40_960] = b"\x5a" * (40_960 - 8192)
        copy.write_bytes(data)
        voltaun("check", "--db", copy, check=4)


_WRITER = """
import sys
from datetime import UTC, datetime, timedelta
from voltaun.core.log import days
from voltaun.core.log.ledger import Balance
from voltaun.core.log.reading import Reading
from voltaun.core.log.samples import from_rows
from voltaun.database import readings, samples
from voltaun.database.connection import connect, transaction
db, count = connect(sys.argv[1]), int(sys.argv[2])
begin = datetime(2024, 1, 1, tzinfo=UTC)
for n in range(count):
    at = begin + timedelta(hours=n)
    with transaction(db):
        readings.add(db, 1, Reading(at, soc=0.5), at)
        if n % 5 == 0:
            rows = [(int(at.timestamp()) + 60 * m, None, None, 5.0, None, None, None) for m in range(40)]
            samples.bring(db, 1, [from_rows(rows)])
    print(n, flush=True)
"""


class Killed(DatabaseCase):
    def test_killed_at_random_points_of_two_hundred_writes_nothing_acknowledged_is_lost(self):
        rng = random.Random(3)
        acknowledged = 0
        for _ in range(6):
            path = self.path.with_name(f"killed-{_}.db")
            backup.backup(self.db, path)
            writer = subprocess.Popen([sys.executable, "-c", _WRITER, str(path), "200"], cwd=ROOT, env=environment(),
                                      stdout=subprocess.PIPE, text=True)
            until = rng.randint(5, 190)
            while (line := writer.stdout.readline()) and int(line) < until:
                pass
            time.sleep(rng.uniform(0, 0.01))
            writer.kill()
            said = [int(each) for each in writer.communicate()[0].split()]
            last = max([until, *said])
            with closing(connection.connect(path)) as db:
                found = len(kept.everything(db, 1))
                self.assertGreaterEqual(found, last + 1)
                self.assertEqual(db.execute("SELECT count(*) FROM reading_change").fetchone()[0], found)
                self.assertEqual(db.execute("SELECT count(*) FROM sample").fetchone()[0], 40 * -(-found // 5))
                self.assertEqual(check.faults(db), [])
            acknowledged += last
        self.assertGreater(acknowledged, 200)

    def test_a_full_disk_is_a_clear_error_and_the_file_stays_whole(self):
        pages = self.db.execute("PRAGMA page_count").fetchone()[0]
        self.db.execute(f"PRAGMA max_page_count = {pages + 20}")
        log = readings(*({"soc": 0.5, "note": "x" * 900} for _ in range(2000)))
        with self.assertRaisesRegex(sqlite3.OperationalError, "full"), transaction(self.db):
            kept.add_many(self.db, self.rig_id, log)
        self.assertEqual(kept.everything(self.db, self.rig_id), [])
        self.assertEqual(check.faults(self.db), [])

    def test_two_processes_on_one_file_lose_nothing(self):
        first = subprocess.Popen([sys.executable, "-c", _WRITER, str(self.path), "60"], cwd=ROOT, env=environment(),
                                 stdout=subprocess.DEVNULL)
        for n in range(60):
            with transaction(self.db):
                kept.add(self.db, self.rig_id, Reading(NOW - timedelta(minutes=n), soc=0.5), NOW)
        self.assertEqual(first.wait(60), 0)
        self.assertEqual(len(kept.everything(self.db, self.rig_id)), 120)
        self.assertEqual(check.faults(self.db), [])


class Commands(FilledCase):
    def test_archive_samples_and_copies_by_command(self):
        folder = self.path.parent
        voltaun("export", "--as", "archive", "--db", self.path, "-o", folder / "a.json", check=0)
        voltaun("import", folder / "a.json", "--db", folder / "new.db", check=0)
        voltaun("export", "--as", "archive", "--db", folder / "new.db", "-o", folder / "b.json", check=0)
        self.assertEqual((folder / "a.json").read_bytes(), (folder / "b.json").read_bytes())
        self.assertIn("another rig named", voltaun("import", folder / "a.json", "--db", folder / "new.db",
                                                   check=2).stderr)
        newer = json.loads((folder / "a.json").read_text()) | {"schema": 99}
        (folder / "newer.json").write_text(json.dumps(newer))
        self.assertIn("a newer archive", voltaun("import", folder / "newer.json", "--db", folder / "x.db",
                                                 check=2).stderr)
        end = int(NOW.timestamp())
        (folder / "s.csv").write_text(monitor.text(end - 2 * 86_400, end))
        told = json.loads(voltaun("import", folder / "s.csv", "--rig", self.rig.name, "--db", folder / "new.db",
                                  "--json", check=0).stdout)
        self.assertEqual((told["added"], told["same"]), (2880, 0))
        self.assertEqual(told["readings"], 2)  # at seven of the 24th and 25th
        with closing(connection.connect(folder / "new.db")) as db, transaction(db):
            monitors.put_setting(db, rigs.find(db, self.rig.name).id, "samples_mapping", {"at": "Time"})
        (folder / "mapped.csv").write_text("Time,watts\n2026-11-20T10:00:30Z,5\n")
        self.assertIn("1 samples added", voltaun("import", folder / "mapped.csv", "--rig", self.rig.name, "--db",
                                                 folder / "new.db", check=0).stdout)
        for kind, name in (("samples-csv", "s.csv"), ("log-csv", "l.csv")):
            empty = self.other(f"empty-{kind}.db")
            with transaction(empty):
                rigs.add(empty, self.rig)
            given = ("--rig", self.rig.name, "--as", kind, "-o")
            voltaun("export", *given, folder / name, "--db", folder / "new.db", "--over", check=0)
            voltaun("import", folder / name, "--db", folder / f"empty-{kind}.db", "--sure", check=0)
            voltaun("export", *given, folder / f"again-{name}", "--db", folder / f"empty-{kind}.db", check=0)
            self.assertEqual((folder / name).read_bytes(), (folder / f"again-{name}").read_bytes(), kind)
        (folder / "bad.csv").write_text("at,watts\n2026-11-01T10:00Z,lots\n")
        self.assertIn("line 2, column watts", voltaun("import", folder / "bad.csv", "--rig", self.rig.name, "--db",
                                                      folder / "new.db", check=2).stderr)
        voltaun("backup", folder / "copy.db", "--db", folder / "new.db", check=0)
        voltaun("backup", folder / "new.db", "--db", folder / "new.db", check=2)
        voltaun("restore", folder / "copy.db", "--db", folder / "third.db", check=0)
        self.assertEqual(voltaun("check", "--db", folder / "third.db", check=0).stdout, "All is whole.\n")
        self.assertTrue(Path(folder / "copy.db").exists())
