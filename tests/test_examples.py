"""The files of examples/, and every line of the README that is run on them."""

import os
import re
import shlex
import shutil
import tempfile
import unittest
from datetime import date
from pathlib import Path
from unittest import mock

from docs import examples
from tests.support import NOW, ROOT, voltaun
from voltaun.core.rig.bank import rated_energy
from voltaun.demo import weighed
from voltaun.demo.honey_house import RIG
from voltaun.formats.log_csv import read_log
from voltaun.formats.mapping import read_mapping
from voltaun.formats.rig_file import read_rig
from voltaun.formats.weather_file import read_weather

SERVED = ("serve", "demo", "standin")
"""Commands that do not end by themselves."""


class Examples(unittest.TestCase):
    def test_they_are_what_the_demo_makes(self):
        made = examples.files()
        weather, ridge = read_weather((examples.FOLDER / "ridge.zip").read_bytes()), weighed.ridge(RIG.place)
        self.assertAlmostEqual(weather.ghi.sum() / ridge.ghi[:8760].sum(), 1, delta=0.001)
        self.assertLess(abs(weather.dni - ridge.dni[:8760]).max(), 15)  # written in steps of 20
        self.assertEqual(sorted([*made, "ridge.zip"]), sorted(path.name for path in examples.FOLDER.iterdir()))
        for name, text in made.items():
            kept = (examples.FOLDER / name).read_text(encoding="utf-8")
            if name != "hut.log.csv":
                self.assertEqual(kept, text, name)
        # Of the log another machine's last digit may differ.
        ours, theirs = (read_log(text.encode(), RIG.zone).readings for text in (
            made["hut.log.csv"], (examples.FOLDER / "hut.log.csv").read_text(encoding="utf-8")))
        self.assertEqual([each.at for each in ours], [each.at for each in theirs])
        for one, other in zip(ours, theirs, strict=True):
            self.assertAlmostEqual(one.solar_wh or 0, other.solar_wh or 0, delta=2)
            self.assertAlmostEqual(one.soc or 0, other.soc or 0, delta=0.011)
        self.assertEqual(read_rig((examples.FOLDER / "hut.rig.json").read_text(encoding="utf-8")), RIG)

    def test_what_the_documents_show_of_a_file_is_read(self):
        mapping, rig = re.findall(r"^```json\n(.*?)^```$", (ROOT / "docs" / "files.md").read_text(encoding="utf-8"),
                                  re.M | re.S)
        self.assertEqual(read_mapping(mapping).columns["Verbrauch"].scale, -1)
        read = read_rig(rig)
        self.assertEqual((rated_energy(read.bank), read.turbines[0].from_day, read.loads[0].priority),
                         (10_240, date(2026, 5, 1), "essential"))

    def test_every_line_of_the_readme_works_as_it_stands(self):
        block = (ROOT / "README.md").read_text(encoding="utf-8").partition("## On the command line")[2]
        lines = re.findall(r"^    voltaun (.+)$", block.partition("## ")[0], re.M)
        self.assertGreater(len(lines), 15)
        run = []
        with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, {"XDG_DATA_HOME": folder}):
            here = Path(folder) / "examples"
            shutil.copytree(examples.FOLDER, here)
            self.addCleanup(os.chdir, os.getcwd())
            os.chdir(here)
            for line in lines:
                words = shlex.split(line)
                if words[0] not in SERVED:
                    done = voltaun(*words)
                    # Something needs doing in the demo, or not: both are answers.
                    self.assertIn(done.returncode, (0, 3) if "--exit-code" in words else (0,), (line, done.stderr))
                    run.append(words[0])
            os.chdir(ROOT)
            told = voltaun("ledger", "--rig-file", here / "hut.rig.json", "--log", here / "hut.log.csv", now=NOW).stdout
            self.assertRegex(told, r"Use: [\d.]+ kWh a day, give or take .* \([5-7]\d logged days\)")
        self.assertLessEqual({"ledger", "outlook", "additions", "plan", "card", "backtest", "import", "today", "export",
                              "backup", "restore", "check"}, set(run))
