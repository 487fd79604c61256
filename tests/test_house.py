"""The rules of the house that no single module can keep by itself."""

import ast
import inspect
import re
import subprocess
import sys
import unittest
from datetime import timedelta
from importlib import import_module
from unittest import mock

from tests.formats.test_weather_file import epw
from tests.support import NOW, ROOT, DatabaseCase, environment, readings, rig, table
from voltaun.core.rig.parts import SolarArray
from voltaun.core.sky import clear_sky as sun
from voltaun.core.sky.weather import on_plane
from voltaun.database import clearsky, weather
from voltaun.database import readings as kept
from voltaun.database.connection import connect_reading, transaction
from voltaun.formats.weather_file import read_weather
from voltaun.pages.addresses import ADDRESSES

MAY_USE = {
    "core": {"core"},
    "words": {"core", "words"},
    "database": {"core", "database"},
    "formats": {"core", "formats"},
    "intake": {"core", "database", "formats", "intake", "clock"},
    "house": {"house"},
    "standins": {"core", "standins"},
    "demo": {"core", "database", "demo"},
    "pages": {"core", "words", "database", "formats", "house", "intake", "pages", "demo", "clock"},
}
"""What each part of the package may import; the commands may import all."""

CORE_NEVER = {"flask", "sqlite3", "click", "jinja2", "werkzeug", "os", "pathlib", "random", "time"}
PACKAGE = ROOT / "voltaun"


def module_of(path):
    """The dotted name of a file of the package; a folder's face has the folder's."""
    parts = path.relative_to(ROOT).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


FILES = {module_of(path): path for path in PACKAGE.rglob("*.py")}


def imports(path):
    """Every module that a file imports, at the top or inside a function; a folder's face too, if it names it."""
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (name.name for name in node.names)
        elif isinstance(node, ast.ImportFrom):
            inner = {f"{node.module}.{name.name}" for name in node.names} & set(FILES)
            yield from inner
            if len(inner) < len(node.names):
                yield node.module


def circle(arrows):
    """Some names that lead back to the first of them, or None."""
    state, way = {}, []

    def look(name):
        state[name] = "open"
        way.append(name)
        for other in sorted(arrows.get(name, ())):
            if state.get(other) == "open":
                return [*way[way.index(other):], other]
            if other not in state and (found := look(other)):
                return found
        state[name] = "done"
        way.pop()
        return None
    return next((found for name in sorted(arrows) if name not in state and (found := look(name))), None)


class Dependence(unittest.TestCase):
    def test_it_goes_one_way(self):
        for name, path in FILES.items():
            part = name.split(".")[1] if "." in name else ""
            for other in imports(path):
                if other.startswith("voltaun.") and part in MAY_USE:
                    self.assertIn(other.split(".")[1], MAY_USE[part], f"{name} imports {other}")
                if part == "core":
                    self.assertNotIn(other.split(".")[0], CORE_NEVER, f"{name} imports {other}")

    def test_there_is_no_circle_between_files(self):
        self.assertIsNone(circle({name: {other for other in imports(path) if other in FILES}
                                  for name, path in FILES.items()}))

    def test_there_is_no_circle_between_folders(self):
        for depth in (2, 3):
            arrows = {}
            for name, path in FILES.items():
                folder = ".".join(name.split(".")[:depth])
                others = {".".join(other.split(".")[:depth]) for other in imports(path) if other in FILES}
                arrows.setdefault(folder, set()).update(others - {folder})
            self.assertIsNone(circle(arrows))

    def test_a_circle_would_be_seen(self):
        self.assertEqual(circle({"a": {"b"}, "b": {"c"}, "c": {"b"}}), ["b", "c", "b"])

    def test_sql_stands_in_the_database_only(self):
        for name, path in FILES.items():
            if name.startswith(("voltaun.database", "voltaun.demo")):
                continue
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(node, ast.Constant) and isinstance(node.value, str):
                    self.assertNotRegex(node.value, r"^\s*(SELECT|INSERT|UPDATE|DELETE|BEGIN|ROLLBACK|PRAGMA)\b", name)

    def test_the_core_reads_no_clock(self):
        for path in (PACKAGE / "core").rglob("*.py"):
            text = path.read_text(encoding="utf-8")
            for word in ("datetime.now", "date.today", "utcnow", "open(", "default_rng()"):
                self.assertNotIn(word, text, path.name)

    def test_public_functions_of_the_core_say_what_they_do(self):
        for path in (PACKAGE / "core").rglob("*.py"):
            for node in ast.parse(path.read_text(encoding="utf-8")).body:
                if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
                    self.assertTrue(ast.get_docstring(node), f"{path.name}: {node.name}")


class HeavyImports(DatabaseCase):
    SCRIPT = """
import sys
from voltaun.pages import create_app
client = create_app(sys.argv[1]).test_client()
for page in ("today", "log", "bench", "rig", "outlook", "additions", "sums"):
    assert client.get(f"/1/{page}").status_code == 200, page
heavy = {"pandas", "pvlib", "scipy", "jsonschema", "h5py", "numpy.ma"}
print(*sorted({part for name in sys.modules for part in (name, name.partition(".")[0])} & heavy))
"""

    def test_no_page_waits_for_them_once_the_sky_is_kept(self):
        with transaction(self.db):
            kept.add_many(self.db, self.rig_id, readings(*[{"soc": 0.5, "solar_wh": 2000}] * 12,
                                                         start=NOW - timedelta(days=11, hours=2)))
            weather.add(self.db, self.rig_id, "ridge.epw", read_weather(epw().encode()))
        for loaded in ("h5py pandas pvlib scipy", ""):  # the sun's way through the file, and from then on none of it
            done = subprocess.run([sys.executable, "-c", self.SCRIPT, str(self.path)], cwd=ROOT, env=environment(),
                                  text=True, capture_output=True, timeout=60, check=False)
            self.assertEqual((done.stdout.replace("numpy.ma ", "").strip(), done.returncode), (loaded, 0),
                             done.stderr[-1500:])


class WhatAFileLeavesOnAPlane(DatabaseCase):
    def setUp(self):
        super().setUp()
        with transaction(self.db):
            weather.add(self.db, self.rig_id, "ridge.epw", read_weather(epw().encode()))

    def test_it_is_reckoned_once_for_each_plane_and_kept(self):
        files, wall = weather.of_rig(self.db, self.rig_id), SolarArray("Wall", 200, 2, 90, 0)
        (first,) = weather.on_planes(self.db, files, [*self.rig.arrays, wall])
        self.assertTrue((on_plane(first, 90, 0) == on_plane(files[0].weather, 90, 0)).all())
        self.assertNotEqual(on_plane(first, 90, 0).sum(), on_plane(first, 40, 0).sum())
        self.assertTrue(weather.complete(self.db, files, [wall]))
        self.assertFalse(weather.complete(self.db, files, [SolarArray("Wall", 200, 2, 90, 10)]))
        with mock.patch.object(weather, "on_plane", side_effect=AssertionError):
            (again,) = weather.on_planes(connect_reading(self.path), files, [wall])
        self.assertTrue((on_plane(again, 90, 0) == on_plane(first, 90, 0)).all())

    def test_what_another_model_made_or_cut_short_is_made_again(self):
        files, wall = weather.of_rig(self.db, self.rig_id), SolarArray("Wall", 200, 2, 90, 0)
        (first,) = weather.on_planes(self.db, files, [wall])
        for spoilt in ("made_by = 'pvlib 0.1'", "w_per_m2 = zeroblob(400)"):
            self.db.execute(f"UPDATE weather_plane SET {spoilt}")
            self.assertFalse(weather.complete(self.db, files, [wall]), spoilt)
            (again,) = weather.on_planes(self.db, files, [wall])
            self.assertTrue((on_plane(again, 90, 0) == on_plane(first, 90, 0)).all(), spoilt)
            self.assertTrue(weather.complete(self.db, files, [wall]), spoilt)


class ClearSkyTables(DatabaseCase):
    def test_a_table_is_made_once_for_each_plane_and_kept(self):
        made = []
        before = clearsky.make_table
        self.addCleanup(setattr, clearsky, "make_table", before)
        clearsky.make_table = lambda plane: made.append(plane) or table(plane)
        two = rig(arrays=(*self.rig.arrays, *rig(arrays=()).arrays, SolarArray("Wall", 200, 2, 90, 0)))
        for _ in range(3):
            tables = clearsky.tables(self.db, two)
        self.assertEqual(made, [sun.planes(two)[1]])
        self.assertTrue((tables[0] == table(sun.planes(two)[0])).all())
        self.assertIsNone(clearsky.sun_of(self.db, rig(arrays=())))

    def test_a_folder_keeps_each_plane_apart(self):
        two = rig(arrays=(*self.rig.arrays, SolarArray("Slope", 200, 2, 70, 0)))
        folder = self.path.parent / "clear-sky"
        for _ in range(2):
            for found, plane in zip(clearsky.tables_in(folder, two), sun.planes(two), strict=True):
                self.assertTrue((found == table(plane)).all())
        self.assertEqual(len(list(folder.iterdir())), 2)

    def test_a_table_of_another_model_is_made_again_in_its_place(self):
        wall = rig(arrays=(SolarArray("Wall", 200, 2, 90, 0),))
        good = clearsky.tables(self.db, wall)[0]
        self.db.execute("UPDATE clear_sky SET wh_per_m2 = zeroblob(70080), made_by = 'pvlib 0.1' WHERE tilt_deg = 90")
        self.assertFalse(clearsky.complete(self.db, wall))
        self.assertTrue((clearsky.tables(self.db, wall)[0] == good).all())
        self.assertTrue(clearsky.complete(self.db, wall))
        self.assertEqual(self.db.execute("SELECT count(*) FROM clear_sky WHERE tilt_deg = 90").fetchone()[0], 1)


class Templates(unittest.TestCase):
    def test_no_line_is_longer_than_a_screen(self):
        for path in (PACKAGE / "pages").rglob("*.html"):
            for n, line in enumerate(path.read_text(encoding="utf-8").split("\n"), 1):
                self.assertLessEqual(len(line), 160, f"{path.name}, line {n}")


class Addresses(unittest.TestCase):
    def test_each_leads_to_a_view(self):
        for _, address, endpoint, module in ADDRESSES:
            view = getattr(import_module(f"voltaun.pages.{module}"), endpoint.partition(".")[2])
            self.assertEqual(set(re.findall(r"<(?:int:)?(\w+)>", address)) - {"rig_id"},
                             set(inspect.signature(view).parameters), endpoint)
            self.assertEqual(endpoint.partition(".")[0], module.partition(".")[0])
