"""What is given away: the source and the wheel are built, installed by themselves and gone through."""

import os
import subprocess
import sys
import tarfile
import tempfile
import unittest
import zipfile
from pathlib import Path

from tests.support import NOW, ROOT
from voltaun import __version__

GONE_THROUGH = """
import re, sys
from pathlib import Path
import voltaun
from voltaun.clock import now
from voltaun.database.connection import connect, prepare
from voltaun.demo.fill import fill
from voltaun.pages import create_app
from voltaun.pages.leaves import LEAVES
print(Path(voltaun.__file__).parents[1])
prepare(Path(sys.argv[1]), create=True)
fill(connect(Path(sys.argv[1])), now())
client, asked = create_app(sys.argv[1]).test_client(), set()
for page in ("today", "log", "bench", "rig", "outlook", "additions", "sums"):
    for leaf in ("", *(name for name, _ in LEAVES.get(page, ()) if name)):
        address = f"/1/{page}/{leaf}".rstrip("/")
        answer = client.get(address)
        assert answer.status_code == 200, address
        asked |= set(re.findall(r'(?:src|href)="(/static/[^"]+)"', answer.text))
for address in asked:
    assert client.get(address).status_code == 200, address
print(len(asked))
"""


def run(*command, cwd, env=None):
    done = subprocess.run([sys.executable, *map(str, command)], cwd=cwd, env=env, text=True, capture_output=True,
                          check=False)
    if done.returncode:
        raise AssertionError(done.stderr[-2000:])
    return done.stdout


class Given(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        run("-m", "hatchling", "build", "-d", cls.folder, cwd=ROOT)
        with tarfile.open(cls.folder / f"voltaun-{__version__}.tar.gz") as packed:
            packed.extractall(cls.folder, filter="data")
        cls.source = cls.folder / f"voltaun-{__version__}"
        cls.wheel = cls.folder / f"voltaun-{__version__}-py3-none-any.whl"

    def test_the_source_has_what_starts_it_and_no_pictures(self):
        files = {path.relative_to(self.source).as_posix() for path in self.source.rglob("*") if path.is_file()}
        self.assertLessEqual({"start.py", "requirements.lock", "README.md", "LICENSE", "NOTICE.md", "CHANGELOG.md",
                              "examples/hut.log.csv", "docs/files.md", "assets/app.css", "Makefile"}, files)
        self.assertEqual([name for name in files if name.startswith(("docs/screenshots/", "tests/", ".venv"))], [])

    def test_the_wheel_is_the_same_from_the_source_and_holds_all_of_the_package(self):
        (again := self.folder / "again").mkdir()
        run("-m", "hatchling", "build", "-t", "wheel", "-d", again, cwd=self.source)
        names = [sorted(zipfile.ZipFile(of).namelist()) for of in (self.wheel, again / self.wheel.name)]
        self.assertEqual(*names)
        ours = {path.relative_to(ROOT).as_posix() for path in (ROOT / "voltaun").rglob("*")
                if path.is_file() and path.suffix != ".pyc"}
        self.assertEqual({name for name in names[0] if name.startswith("voltaun/")}, ours)

    def test_the_wheel_by_itself_serves_every_page(self):
        alone = self.folder / "alone"
        run("-m", "pip", "--quiet", "--disable-pip-version-check", "install", "--no-deps", "--no-index", "--target",
            alone, self.wheel, cwd=self.folder)
        env = os.environ | {"PYTHONPATH": str(alone), "VOLTAUN_NOW": NOW.isoformat()}
        where, assets = run("-c", GONE_THROUGH, self.folder / "demo.db", cwd=self.folder, env=env).split()
        self.assertEqual(Path(where).resolve(), alone.resolve())
        self.assertGreater(int(assets), 4)
        told = subprocess.run([alone / "bin" / "voltaun", "check", "--db", self.folder / "demo.db"], cwd=self.folder,
                              env=env, text=True, capture_output=True, check=True)
        self.assertIn("whole", told.stdout)
        self.assertIn(f"Version: {__version__}", (alone / f"voltaun-{__version__}.dist-info" / "METADATA").read_text())


if __name__ == "__main__":
    unittest.main()
