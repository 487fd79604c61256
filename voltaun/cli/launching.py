"""The command that leaves something to click on, for those who start nothing from a terminal."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import click

import voltaun
from voltaun.cli.common import Refused, db_option, over_option, write_out

PACKAGE = Path(voltaun.__file__).parent

DESKTOP = """[Desktop Entry]
Type=Application
Name=Voltaun
Comment=How long an off-grid battery lasts, and what to do about it
Exec={command}
Path={folder}
Icon={icon}
Terminal=true
Categories=Utility;
"""


@click.command(short_help="Leave something to click on that starts it")
@click.option("--to", "folder", type=click.Path(file_okay=False, path_type=Path),
              help="The folder that it is left in; without it the menu's, or the desktop.")
@db_option
@over_option
def launcher(folder: Path | None, db: Path | None, over: bool) -> None:
    """Leave an entry in the menu (on Windows and macOS a file on the desktop) that serves Voltaun and opens it; clicked
    on again, it opens the one that runs."""
    words = [sys.executable, "-m", "voltaun", "serve", "--browser", *(["--db", str(db.absolute())] if db else [])]
    if any("\n" in word for word in (*words, str(PACKAGE))):
        raise Refused("found the end of a line in the name of a folder, expected none")
    path, text = made(sys.platform, words)
    path = (folder or path.parent) / path.name
    path.parent.mkdir(parents=True, exist_ok=True)
    write_out(path, [text], over)
    path.chmod(0o755)
    click.echo(f"{path}: click on it to start Voltaun.")


def made(system: str, words: list[str]) -> tuple[Path, str]:
    """The file that starts it on a system (as `sys.platform` names it): where it goes, and what stands in it."""
    home, root = Path.home(), str(PACKAGE.parent)
    if system == "win32":
        said = " ".join(f'"{word}"' for word in words)
        return home / "Desktop" / "Voltaun.cmd", f'@cd /d "{root}"\r\n@{said}\r\n'
    if system == "darwin":
        said = " ".join(_for_shell(word) for word in words)
        return home / "Desktop" / "Voltaun.command", f"#!/bin/sh\ncd {_for_shell(root)} && exec {said}\n"
    data = Path(os.environ.get("XDG_DATA_HOME") or home / ".local" / "share")
    return data / "applications" / "voltaun.desktop", DESKTOP.format(
        command=" ".join(map(_for_menu, words)), folder=root, icon=PACKAGE / "static" / "icon.svg")


def _for_shell(word: str) -> str:
    import shlex
    return shlex.quote(word)


def _for_menu(word: str) -> str:
    """A word of a command as the desktop entries' specification has it: what a shell would see is escaped, and the
    whole again as a string; a per cent sign is doubled."""
    inside = "".join("\\" + letter if letter in '"`$\\' else letter for letter in word)
    return '"' + inside.replace("\\", "\\\\").replace("%", "%%") + '"'
