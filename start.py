#!/usr/bin/env python3
"""Sets Voltaun up in this folder and starts it. Needs Python and nothing else; old ones are told what they lack.

    python3 start.py            the demo, in the browser where there is a screen
    python3 start.py serve      your own; options go on to `voltaun serve`
    python3 start.py test       every test, the browser's included
    python3 start.py setup      only what running needs; `develop`: what development adds too

On Windows it is `py start.py`. Everything goes into the folder .venv here, and a command `voltaun` is left there.
"""

import hashlib
import os
import platform
import shutil
import struct
import subprocess
import sys

ROOT = os.path.dirname(os.path.abspath(__file__))
VENV = os.path.join(ROOT, ".venv")
WINDOWS = sys.platform == "win32"
SCRIPTS = os.path.join(VENV, "Scripts" if WINDOWS else "bin")
PYTHON = os.path.join(SCRIPTS, "python.exe" if WINDOWS else "python")
LOCKS = {"setup": ("requirements.lock",), "develop": ("requirements.lock", "requirements-dev.lock")}
MACHINES = ("x86_64", "amd64", "aarch64", "arm64")


def hindrance(version, bits, machine, has_venv):
    """Why it cannot run here, and the one line that mends it; None where it can."""
    if version < (3, 11):
        return ("Found Python {}.{}, expected 3.11 or newer. Debian 12, Ubuntu 24.04 and newer have it as python3; for "
                "macOS and Windows it is at python.org.".format(*version))
    if bits != 64 or machine.lower() not in MACHINES:
        return (f"Found a {bits}-bit system on {machine}, expected a 64-bit one on x86-64 or ARM: what Voltaun reckons "
                "with is not made for others. Boards of the last years run the 64-bit system of their maker.")
    if not has_venv:
        return "Found no venv in this Python, expected one. On Debian and Ubuntu: sudo apt-get install python3-venv"
    return None


def set_up(what):
    """Make the environment, and bring into it what the locks name, unless it stands there already."""
    for lock in LOCKS[what]:
        with open(os.path.join(ROOT, lock), "rb") as opened:
            wanted = hashlib.sha256(opened.read()).hexdigest()
        stamp = os.path.join(VENV, lock + ".in")
        if os.path.exists(PYTHON) and _read(stamp) == wanted:
            continue
        if not os.path.exists(PYTHON):
            print("Making an environment in .venv", flush=True)
            _run([sys.executable, "-m", "venv", VENV], "The environment could not be made")
        print(f"Installing what {lock} names into it", flush=True)
        _run([PYTHON, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--require-hashes", "-r",
              os.path.join(ROOT, lock)], "Not all of it came; this once it needs a network")
        with open(stamp, "w") as written:
            written.write(wanted)
    leave_command()


def leave_command():
    """Leave `voltaun` beside the environment's other commands, to be called from any folder."""
    site = subprocess.check_output([PYTHON, "-c", "import sysconfig; print(sysconfig.get_path('purelib'))"])
    with open(os.path.join(site.decode().strip(), "voltaun-here.pth"), "w") as written:
        written.write(ROOT + "\n")
    if WINDOWS:
        with open(os.path.join(SCRIPTS, "voltaun.cmd"), "w") as written:
            written.write(f'@"{PYTHON}" -m voltaun %*\n')
        return
    command = os.path.join(SCRIPTS, "voltaun")
    with open(command, "w") as written:
        written.write(f'#!/bin/sh\nexec "{PYTHON}" -m voltaun "$@"\n')
    os.chmod(command, 0o755)


def see_chromium():
    """See that Debian's Chromium is there for the browser's tests, or say how."""
    if shutil.which("chromium"):
        return
    install = ["apt-get", "install", "-y", "-qq", "--no-install-recommends", "chromium"]
    if hasattr(os, "geteuid") and os.geteuid() == 0 and shutil.which("apt-get"):
        print("Installing Debian's package chromium for the browser's tests", flush=True)
        _run(["apt-get", "update", "-qq"], "The list of packages could not be fetched")
        _run(install, "Chromium could not be installed")
        return
    sys.exit("The browser's tests need Debian's chromium: sudo " + " ".join(install))


def _read(path):
    try:
        with open(path) as opened:
            return opened.read()
    except OSError:
        return None


def _run(command, otherwise):
    if subprocess.call(command, cwd=ROOT):
        sys.exit(f"{otherwise}; see above.")


def main(words):
    """Do what was asked; the exit code of what was run."""
    asked, rest = (words[0], words[1:]) if words else ("demo", [])
    if asked not in ("demo", "serve", "test", "setup", "develop"):
        print(__doc__.strip())
        return 0 if asked in ("-h", "--help") else 2
    try:
        import ensurepip
    except ImportError:
        ensurepip = None
    why = hindrance(sys.version_info, 8 * struct.calcsize("P"), platform.machine(), ensurepip is not None)
    if why:
        print(why, file=sys.stderr)
        return 2
    set_up("develop" if asked in ("test", "develop") else "setup")
    if asked == "test":
        see_chromium()
        return subprocess.call([PYTHON, "-m", "tests"] + rest, cwd=ROOT)
    if asked in ("setup", "develop"):
        print("Ready: {}".format(os.path.join(SCRIPTS, "voltaun")))
        return 0
    try:
        return subprocess.call([PYTHON, "-m", "voltaun", asked] + rest)
    except KeyboardInterrupt:  # it has stopped in order, and said so
        return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
