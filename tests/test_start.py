"""The one start for every system, without installing anything: what it says, what it does and in what order."""

import ast
import io
import os
import subprocess
import sys
import sysconfig
import tempfile
import unittest
from contextlib import redirect_stdout
from pathlib import Path
from unittest import mock

import start
from tests.support import ROOT
from voltaun import __version__


class Hindrances(unittest.TestCase):
    def test_what_is_missing_is_named_with_what_mends_it(self):
        for found, words in (((3, 10), 64, "x86_64", True), "Found Python 3.10, expected 3.11 or newer"), (
                ((3, 12), 32, "armv7l", True), "Found a 32-bit system on armv7l, expected a 64-bit one"), (
                ((3, 12), 64, "riscv64", True), "64-bit system on riscv64"), (
                ((3, 12), 64, "aarch64", False), "sudo apt-get install python3-venv"):
            self.assertIn(words, start.hindrance(*found))
        for machine in ("x86_64", "AMD64", "arm64", "aarch64"):
            self.assertIsNone(start.hindrance((3, 11), 64, machine, True))

    def test_an_old_python_can_read_it_and_it_needs_nothing_else(self):
        tree = ast.parse((ROOT / "start.py").read_text(encoding="utf-8"), feature_version=(3, 6))
        asked = {name.name for node in ast.walk(tree) if isinstance(node, ast.Import) for name in node.names}
        self.assertLessEqual(asked, set(sys.stdlib_module_names))

    def test_words_that_are_none_of_its_own(self):
        with redirect_stdout(io.StringIO()) as said:
            self.assertEqual((start.main(["dance"]), start.main(["--help"])), (2, 0))
        self.assertIn("py start.py", said.getvalue())

    def test_the_makefile_goes_the_same_way(self):
        words = ("setup", "demo", "serve", "test")
        alone = {name: value for name, value in os.environ.items() if not name.startswith("M") and name != "PYTHON"}
        asked = subprocess.run(["make", "-n", "--no-print-directory", *words], cwd=ROOT, text=True, capture_output=True,
                               check=True, env=alone).stdout  # as if no make had called these tests
        self.assertEqual(asked.split("\n")[:-1], [f"python3 start.py {word}" for word in words])


class SettingUp(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.root, self.ran, self.fails = Path(folder.name), [], False
        scripts = self.root / ".venv" / "bin"
        for name, value in {"ROOT": self.root, "VENV": self.root / ".venv", "SCRIPTS": scripts,
                            "PYTHON": scripts / "python"}.items():
            patch = mock.patch.object(start, name, str(value))
            patch.start()
            self.addCleanup(patch.stop)
        for name, does in (("call", self.call), ("check_output", lambda *_: str(self.root).encode())):
            patch = mock.patch.object(subprocess, name, does)
            patch.start()
            self.addCleanup(patch.stop)
        for lock in ("requirements.lock", "requirements-dev.lock"):
            (self.root / lock).write_text("flask==3\n")

    def call(self, command, cwd=None):
        self.ran.append(" ".join(map(str, command[1:])).replace(str(self.root) + os.sep, ""))
        if "venv" in command:
            (self.root / ".venv" / "bin").mkdir(parents=True)
            (self.root / ".venv" / "bin" / "python").symlink_to(sys.executable)
        return int(self.fails and "pip" in command)

    def main(self, *words):
        self.ran.clear()
        with redirect_stdout(io.StringIO()):
            code = start.main(list(words))
        return code, [words.rpartition(" ")[2] if words.startswith("-m pip") else words for words in self.ran]

    def test_what_is_there_is_not_installed_again(self):
        self.assertEqual(self.main("serve", "--port", "81"),
                         (0, ["-m venv .venv", "requirements.lock", "-m voltaun serve --port 81"]))
        self.assertEqual(self.main(), (0, ["-m voltaun demo"]))
        (self.root / "requirements.lock").write_text("flask==4\n")
        self.assertEqual(self.main("setup"), (0, ["requirements.lock"]))
        with mock.patch.object(start.shutil, "which", lambda name: "/usr/bin/" + name):
            self.assertEqual(self.main("test", "tests.core"), (0, ["requirements-dev.lock", "-m tests tests.core"]))
            self.assertEqual(self.main("test")[1], ["-m tests"])

    def test_what_did_not_come_is_tried_again(self):
        self.fails = True
        with self.assertRaisesRegex(SystemExit, "it needs a network; see above"):
            self.main("setup")
        self.fails = False
        self.assertEqual(self.main("setup"), (0, ["requirements.lock"]))

    def test_a_command_is_left_that_works_from_any_folder(self):
        self.main("setup")
        self.assertEqual((self.root / "voltaun-here.pth").read_text(), f"{self.root}\n")
        mock.patch.stopall()
        path = os.pathsep.join((str(ROOT), sysconfig.get_path("purelib")))
        done = subprocess.run([self.root / ".venv" / "bin" / "voltaun", "--version"], text=True, capture_output=True,
                              cwd="/", env=os.environ | {"PYTHONPATH": path}, check=False)
        self.assertEqual(done.stdout.strip(), f"voltaun, version {__version__}", done.stderr)

    def test_on_windows_it_is_a_command_file(self):
        with mock.patch.object(start, "WINDOWS", True):
            self.main("setup")
        self.assertEqual((self.root / ".venv" / "bin" / "voltaun.cmd").read_text(),
                         f'@"{self.root / ".venv" / "bin" / "python"}" -m voltaun %*\n')

    def test_without_a_chromium_it_says_how(self):
        with (mock.patch.object(start.shutil, "which", lambda name: None),
              self.assertRaisesRegex(SystemExit, "sudo apt-get install -y -qq --no-install-recommends chromium")):
            start.see_chromium()
