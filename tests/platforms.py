"""Whether all that the lock names can be had ready-made on every system named: `make platforms`. It needs a network."""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from packaging.requirements import Requirement

from tests.support import ROOT

PYTHONS = ("3.11", "3.12", "3.13")
SYSTEMS = {
    "Linux (glibc), x86-64": ("manylinux_2_28_x86_64", "manylinux_2_17_x86_64", "manylinux2014_x86_64"),
    "Linux (glibc), ARM": ("manylinux_2_28_aarch64", "manylinux_2_17_aarch64", "manylinux2014_aarch64"),
    "Linux (musl), x86-64": ("musllinux_1_2_x86_64",),
    "Linux (musl), ARM": ("musllinux_1_2_aarch64",),
    "macOS 14, ARM": tuple(f"macosx_{n}_0_arm64" for n in range(14, 10, -1)),
    "macOS 14, x86-64": (*(f"macosx_{n}_0_x86_64" for n in range(14, 10, -1)), "macosx_10_15_x86_64",
                         "macosx_10_13_x86_64", "macosx_10_9_x86_64"),
    "Windows, x86-64": ("win_amd64",),
}
"""The tags of ready-made packages that a system takes, the newest first."""


def lacking(python: str, tags: tuple[str, ...]) -> list[str]:
    """What of the lock is not ready-made there, and what is needed there and not in the lock."""
    with tempfile.TemporaryDirectory() as folder:
        report = Path(folder) / "report.json"
        asked = [sys.executable, "-m", "pip", "--disable-pip-version-check", "install", "--dry-run", "--quiet",
                 "--no-deps", "--only-binary=:all:", "--require-hashes", "--target", folder, "--implementation", "cp",
                 "--python-version", python, "-r", str(ROOT / "requirements.lock"), "--report", str(report)]
        done = subprocess.run([*asked, *(part for tag in tags for part in ("--platform", tag))], text=True,
                              capture_output=True, check=False)
        if done.returncode:
            return [line.partition(" (from versions")[0] for line in done.stderr.splitlines()
                    if line.startswith("ERROR")]
        taken = [each["metadata"] for each in json.loads(report.read_text(encoding="utf-8"))["install"]]
    there = {"python_version": python, "python_full_version": f"{python}.0", "extra": "",
             "sys_platform": "win32" if "win" in tags[0][:3] else "darwin" if "mac" in tags[0] else "linux"}
    there["platform_system"] = {"win32": "Windows", "darwin": "Darwin", "linux": "Linux"}[there["sys_platform"]]
    there["os_name"] = "nt" if there["sys_platform"] == "win32" else "posix"
    names = {of["name"].lower().replace("_", "-") for of in taken}
    wanted = (Requirement(text) for of in taken for text in of.get("requires_dist", ()))
    return sorted({of.name for of in wanted if (of.marker is None or of.marker.evaluate(there))
                   and of.name.lower().replace("_", "-") not in names})


def main() -> int:
    """Print a table; 1 where something is lacking."""
    failed = 0
    for system, tags in SYSTEMS.items():
        for python in PYTHONS:
            found = lacking(python, tags)
            failed += bool(found)
            print(f"{system:24}{python:6}", "; ".join(found) or "all of it is there", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
