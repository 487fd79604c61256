import configparser
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from tests.support import ROOT, voltaun
from voltaun.cli import launching

WORDS = ["/home/ann o'b/.venv/bin/python", "-m", "voltaun", "serve", "--db", '/a "b" $c/100%`\\d.db']


class Launching(unittest.TestCase):
    def test_a_menus_entry_says_every_word_as_it_is(self):
        path, text = launching.made("linux", WORDS)
        entry = configparser.RawConfigParser()
        entry.read_string(text)
        entry = entry["Desktop Entry"]
        self.assertEqual((path.name, entry["type"], entry["terminal"]), ("voltaun.desktop", "Application", "true"))
        # As the specification has it read: first the escapes of a string, then the quotes of a command.
        command = entry["exec"].replace("\\\\", "\\").replace("%%", "%")
        heard = subprocess.run(["sh", "-c", f"printf '%s\\n' {command}"], text=True, capture_output=True, check=True)
        self.assertEqual(heard.stdout.split("\n")[:-1], WORDS)
        self.assertTrue(Path(entry["icon"]).is_file())
        self.assertEqual(entry["path"], str(ROOT))

    def test_a_file_for_the_desktops_of_the_other_two(self):
        path, text = launching.made("win32", WORDS[:4])
        self.assertEqual((path.name, text.split("\r\n")[1]),
                         ("Voltaun.cmd", "@\"/home/ann o'b/.venv/bin/python\" \"-m\" \"voltaun\" \"serve\""))
        path, text = launching.made("darwin", [sys.executable, "-c", "import os; print(os.getcwd(), 'a b')"])
        self.assertEqual(path.name, "Voltaun.command")
        done = subprocess.run(["sh", "-c", text], text=True, capture_output=True, check=True)
        self.assertEqual(done.stdout, f"{ROOT} a b\n")

    def test_it_is_left_where_it_was_asked_for_and_not_over_another(self):
        with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, {"XDG_DATA_HOME": folder}):
            said = voltaun("launcher", "--db", "my.db", check=0).stdout
            path = Path(folder) / "applications" / "voltaun.desktop"
            self.assertIn(str(path), said)
            self.assertTrue(path.stat().st_mode & 0o100)
            self.assertIn(f'"--browser" "--db" "{Path.cwd() / "my.db"}"', path.read_text(encoding="utf-8"))
            self.assertIn("--over", voltaun("launcher", check=2).stderr)
            voltaun("launcher", "--over", check=0)
            self.assertNotIn("--db", path.read_text(encoding="utf-8"))
            voltaun("launcher", "--to", Path(folder) / "there", check=0)
            self.assertTrue((Path(folder) / "there" / "voltaun.desktop").exists())
