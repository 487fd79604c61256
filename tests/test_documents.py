"""The documents beside the code say what is so."""

import re
import unittest
from importlib.metadata import metadata

from tests.support import ROOT
from voltaun import __version__
from voltaun.database.connection import migrations

LICENCES = {"MPL": "Mozilla Public License 2.0", "PSF": "Python Software Foundation License 2.0",
            "ZPL": "Zope Public License 2.1", "Zope": "Zope Public License 2.1", "Apache": "Apache 2.0",
            "BSD": "BSD (2 or 3 clauses)", "MIT": "MIT"}
"""A licence by what stands in a package's metadata; the narrower before the wider."""


def read(name):
    return (ROOT / name).read_text(encoding="utf-8")


class Documents(unittest.TestCase):
    def test_every_package_stands_under_its_licence(self):
        told = dict(re.findall(r"^\| ([^|]+) \| ([a-z0-9, -]+) \|$", read("NOTICE.md"), re.M)[1:])  # below its head
        under: dict[str, list[str]] = {}
        for name in re.findall(r"^([A-Za-z0-9_.-]+)==", read("requirements.lock"), re.M):
            of = metadata(name)
            said = " ".join(filter(None, (of.get("License-Expression"), *(of.get_all("Classifier") or ()),
                                          (of.get("License") or "")[:60])))
            licence = next(LICENCES[key] for key in LICENCES if key in said)
            under.setdefault(licence, []).append(name)
        self.assertEqual({licence: sorted(names.split(", ")) for licence, names in told.items()},
                         {licence: sorted(names) for licence, names in under.items()})

    def test_every_migration_and_the_version_stand_in_the_changelog(self):
        told = read("CHANGELOG.md")
        self.assertEqual([int(number) for number in re.findall(r"^\| (\d{4}) \|", told, re.M)],
                         [number for number, _ in migrations()])
        self.assertIn(f"## {__version__}", told)
        self.assertNotIn(f'version = "{__version__}"', read("pyproject.toml"))  # it stands in one place

    def test_links_between_the_documents_lead_somewhere(self):
        for name in ("README.md", "CONTRIBUTING.md", "NOTICE.md", "docs/files.md", "docs/cabin.md", "docs/words.md",
                     "docs/reckoning.md", "docs/commands.md", "docs/security.md", "SECURITY.md"):
            for target in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", read(name)):
                self.assertTrue(((ROOT / name).parent / target).exists(), (name, target))
