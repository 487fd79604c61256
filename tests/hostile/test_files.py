"""Made-up files: archives, rigs, logs and mappings that are made to break something."""

import base64
import json
import subprocess
import sys
import time
import unittest
import zlib

from tests.database.test_backup import FilledCase
from tests.support import NOW, ROOT, environment, readings, rig
from voltaun.core.instants import zone
from voltaun.core.learned.account import reckon
from voltaun.core.log.reading import Reading
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.parts import Load
from voltaun.database import archive, rigs
from voltaun.database.connection import transaction
from voltaun.formats import FileFaults
from voltaun.formats.archive import parse
from voltaun.formats.guessing import guess
from voltaun.formats.log_csv import read_log, write_log
from voltaun.formats.mapping import from_document, read_mapping
from voltaun.formats.rig_file import read_rig, rig_document
from voltaun.formats.tables import table
from voltaun.intake.bringing import bring_archive

HOBART = zone("Australia/Hobart")


class Archives(FilledCase):
    def test_each_row_is_read_back_before_it_is_kept(self):
        good, other = json.loads(self.text())[1], self.other()
        good["plan"] = [{"kind": "drive", "first_day": "2026-11-20", "last_day": "2026-11-21", "amount": 1.0}]
        spoilt = [
            ("bank", 0, "pack_wh", "null"), ("plan", 0, "last_day", "zz"), ("reading", 2, "pack_socs", "[[]]"),
            ("reading", 2, "at", "2026-19-39T29:59:59Z"), ("rig_change", 0, "before", "{}"),
            ("reading_change", 0, "before", "[1]"), ("bench_run", 0, "applied_before", '{"new": 3}'),
            ("figure_origin", 0, "path", "[1, 2]"), ("rig_setting", 0, "value", '["x"]'),
            ("solar_array", 0, "name", "\ud800"), ("monitor_mark", 0, "at", "yesterday"),
            ("solar_array", 0, "shade_factor", '{"a": 1}'),
            ("solar_array", 0, "panel_w", 10 ** 400), ("reading", 0, "note", "\ud800"), ("bench_mark", 0, "run_id", []),
            ("reading", 1, "soc", {"a": 1}), ("monitor", 0, "asked_at", "z")]
        for part, n, name, value in spoilt:
            with self.subTest(part=part, name=name):
                document = json.loads(json.dumps(good))
                document[part][n][name] = value
                with self.assertRaises(archive.ArchiveFault):
                    bring_archive(other_path := self.path.with_name("other.db"), [document], {})
                self.assertEqual(other.execute("SELECT count(*) FROM rig").fetchone()[0], 0, other_path)
        for name in ("x" * 81, "", None, "a\nb"):
            document = json.loads(json.dumps(good))
            document["rig"]["name"] = name
            with self.assertRaises(archive.ArchiveFault):
                bring_archive(self.path.with_name("other.db"), [document], {})
        bring_archive(self.path.with_name("other.db"), [good], {"epoch": "theirs"})
        self.assertEqual([name for _, name in rigs.names(other)], ["Test rig"])

    def test_a_removed_rig_is_in_the_archive_of_everything(self):
        with transaction(self.db):
            rigs.remove(self.db, self.rig_id, NOW)
        kept = [archive.rig_archive(self.db, number) for number in archive.everything(self.db)]
        other = self.other()
        bring_archive(self.path.with_name("other.db"), kept, {})
        self.assertEqual([name for _, name, _ in rigs.removed(other)], ["Test rig"])
        self.assertEqual([archive.rig_archive(other, number) for number in archive.everything(other)], kept)

    def test_no_bomb_takes_the_memory(self):
        bomb = base64.b64encode(zlib.compress(bytes(2 ** 28), 9)).decode()
        document = json.loads(self.text())[1]
        document["sample"] = [{"month": "2026-11", "rows": 40, "packed": bomb}]
        (self.path.parent / "bomb.json").write_text(json.dumps({
            "voltaun_archive": 1, "schema": archive.schema(), "settings": {}, "rigs": [document]}))
        (self.path.parent / "lists.json").write_text('{"voltaun_archive": 1, "rigs": [' + "[]," * 8_000_000 + "[]]}")
        (self.path.parent / "deep.json").write_text("[" * 200_000)
        script = ("import resource, sys; resource.setrlimit(resource.RLIMIT_AS, (900 * 2 ** 20, 900 * 2 ** 20)); "
                  "sys.argv = ['voltaun', *sys.argv[1:]]; from voltaun.cli.main import main; main()")
        for name in ("bomb", "lists", "deep"):
            begun = time.monotonic()
            done = subprocess.run([sys.executable, "-c", script, "import", self.path.parent / f"{name}.json", "--db",
                                   self.path.with_name("new.db")], cwd=ROOT, capture_output=True, text=True, timeout=60,
                                  env=environment() | {"OPENBLAS_NUM_THREADS": "1"})
            self.assertEqual((name, done.returncode), (name, 2), done.stderr[-500:])
            self.assertNotIn("Traceback", done.stderr)
            self.assertLess(time.monotonic() - begun, 20, name)
        self.assertIsNone(parse(b"[" * 1_000_000))
        with self.assertRaisesRegex(FileFaults, "found 2000001 parts, expected at most 2000000"):
            parse(b"," * 2_000_001)


class Files(unittest.TestCase):
    def test_rigs_with_too_many_parts_or_letters(self):
        document = rig_document(rig(loads=(Load("Lamp", 20),)))
        begun = time.monotonic()
        for spoil, words in ((lambda d: d.update(loads=d["loads"] * 20_000), "at most 300"),
                             (lambda d: d.update(name="\ud800"), "letters that can be written"),
                             (lambda d: d.update(name="n" * 200), "80"),
                             (lambda d: d["loads"][0].update(name="n" * 81), "80")):
            spoilt = json.loads(json.dumps(document))
            spoil(spoilt)
            with self.assertRaisesRegex(RigFaults, words):
                read_rig(json.dumps(spoilt))
        self.assertLess(time.monotonic() - begun, 10)

    def test_logs_of_odd_ends_and_widths(self):
        for end in ("\n", "\r\n", "\r"):
            log = read_log(end.join(("read_at,soc_percent", "2026-11-01T19:00,82", "")).encode(), HOBART)
            self.assertEqual([reading.soc for reading in log.readings], [0.82])
        begun = time.monotonic()
        with self.assertRaisesRegex(FileFaults, "20001 columns"):
            read_log(("read_at," + ",".join(f"c{n}" for n in range(20_000)) + "\n").encode(), HOBART)
        self.assertLess(time.monotonic() - begun, 5)
        for odd in ("now", "today", "0001-01-01", "0001-01-01T00:00", "9999-12-31T23:59", "²", "3/11/2026 10:00"):
            with self.assertRaisesRegex(FileFaults, "line 2, column read_at"):
                read_log(f"read_at,soc_percent\n{odd},50\n".encode(), HOBART)
        with self.assertRaisesRegex(FileFaults, "line 2, column full_at"):
            read_log("read_at,full_at\n2026-11-01T19:00,²:00\n".encode(), HOBART)

    def test_what_is_written_is_read_back_to_the_bit_and_runs_in_no_spreadsheet(self):
        notes = ("=cmd|' /C calc'!A0", "@SUM(A1)", "+1", "-1", "'=x", "''=x", "plain", "'plain", "")
        log = [Reading(NOW.replace(day=1 + n), soc=(n + 1) / 13, volts=25.6 + n / 7, solar_wh=1000 / 3 + n,
                       use_wh=0.1 + 0.2 * n, generator_hours=n / 3, temp_c=-1.1 * n, note=note,
                       pack_socs=(n / 11, 0.1 + n / 17)) for n, note in enumerate(notes)]
        here = rig()
        text = write_log(here, log, reckon(here, log, None).intervals)
        self.assertEqual(read_log(text.encode(), here.zone).readings, log)
        self.assertEqual(write_log(here, log, reckon(here, log, None).intervals), text)
        for line in text.splitlines()[1:]:
            for cell in line.split(","):
                self.assertFalse(cell.strip('"')[:1] in ("=", "+", "@") or cell.startswith('"-'), cell)

    def test_mappings_of_nonsense(self):
        for text in ("", "[]", "{}", '{"voltaun_mapping": 1, "kind": "x"}', "[" * 100_000,
                     '{"voltaun_mapping": 1, "columns": {"a": 5}}', '{"voltaun_mapping": 1, "columns": [1]}',
                     '{"voltaun_mapping": 1, "columns": {"a": "read_at", "b": "read_at"}}',
                     '{"voltaun_mapping": 1, "columns": {"a": {"as": "volts", "scale": 1e400}}}',
                     '{"voltaun_mapping": 1, "columns": {"a": {"as": "volts", "unit": "kWh"}}}',
                     '{"voltaun_mapping": 1, "hour": "²:00"}', '{"voltaun_mapping": 1, "volts": "x"}',
                     '{"voltaun_mapping": 1, "sky": {"a": "b"}}', '{"voltaun_mapping": 1, "dates": "x"}'):
            with self.assertRaises(FileFaults):
                read_mapping(text)
        with self.assertRaises(FileFaults):
            table("," * 5000)
        self.assertEqual(guess("\n\n").columns, {})
        self.assertEqual(from_document({"kind": "samples"}).columns, {})
        self.assertEqual(len(readings({"soc": 0.5})), 1)
