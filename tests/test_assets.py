import hashlib
import json
import unittest
from pathlib import Path

from tests.support import ROOT

SOURCES = ("assets/app.css", "assets/build.mjs", "assets/package-lock.json")
BUILT = tuple(f"voltaun/static/{name}" for name in ("htmx.min.js", "alpine-csp.min.js", "app.css"))


def digest(files) -> str:
    whole = hashlib.sha256()
    for name in sorted(files):
        whole.update(name.encode() + b"\0" + (ROOT / name).read_bytes() + b"\0")
    return whole.hexdigest()


def below(folder: str, *endings) -> list[str]:
    return [str(path.relative_to(ROOT)) for path in Path(ROOT / folder).rglob("*")
            if path.is_file() and path.suffix in endings and "__pycache__" not in path.parts]


class Assets(unittest.TestCase):
    def test_built_files_are_not_stale(self):
        """`make assets` must have been run after the last change of what they are built from."""
        said = json.loads((ROOT / "voltaun/static/built.json").read_text())
        pages = below("voltaun/pages", ".html", ".py")
        built = [*BUILT, *below("voltaun/static/fonts", ".woff2", ".txt")]
        self.assertEqual(said["sources"], digest([*SOURCES, *pages]), "run `make assets` and commit voltaun/static")
        self.assertEqual(said["built"], digest(built), "voltaun/static was changed by hand; run `make assets`")

    def test_fonts_stay_small(self):
        self.assertLess(sum((ROOT / name).stat().st_size for name in below("voltaun/static", ".woff2")), 120_000)
