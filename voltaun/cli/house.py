"""Commands for those who open it to the house: the passphrase, and running it for good."""

from __future__ import annotations

import sqlite3
import sys
from pathlib import Path

import click

from voltaun.cli.common import Refused, db_option, db_path, made_if_missing


@click.command(short_help="Set the passphrase that phones in the house come in by")
@click.option("--look-only", is_flag=True, help="The second one, for guests who see Today and change nothing.")
@click.option("--remove", is_flag=True, help="With --look-only: let no guests in any more.")
@click.option("--tokens-stay", is_flag=True, help="Tokens of small devices and calendars go on; without it they end.")
@db_option
def passphrase(look_only: bool, remove: bool, tokens_stay: bool, db: Path | None) -> None:
    """Set the passphrase that phones in the house come in by. Every device is let out and comes in by the new one. It
    is asked for, or read from standard input where that is no terminal. The one before is not asked for."""
    from voltaun.database.house import LOOK_ONLY, OWNER
    who = LOOK_ONLY if look_only else OWNER
    if remove and not look_only:
        raise Refused("--remove: found it alone, expected --look-only with it: there is always one of the owner's")
    path, typed = db_path(db), None if remove else _typed()
    tokens_stay = tokens_stay or (who == OWNER and _may_stay(path))
    made_if_missing(path)  # so that a machine without a screen can be opened to the house before it has a log
    ended = _keep(path, who, typed, tokens_stay)
    click.echo("No guests are let in any more." if remove else
               f"The passphrase is kept{' for guests' if look_only else ''}; devices come in by it from now on.")
    if ended:
        click.echo(f"These tokens open nothing any more: {', '.join(ended)}.")


def _may_stay(path: Path) -> bool:
    """Whether the tokens go on opening what they do: asked at a terminal, where there are any."""
    from voltaun.database import house
    with house.opened(path) as file:
        names = [of.name for of in house.tokens(file)] if file is not None else []
    if not (names and sys.stdin.isatty()):
        return False
    return bool(click.confirm(f"Tokens: {', '.join(names)}. May they go on opening what they do?", default=False))


def have_passphrase(path: Path) -> None:
    """See that there is a passphrase before it is opened to the house: asked for at the terminal the first time."""
    from voltaun.database import house
    with house.opened(path) as file:
        if file is not None and house.passphrase(file, house.OWNER):
            return
    wrong = house.broken(path)
    if wrong:
        raise Refused(f"{wrong}; `voltaun passphrase` makes it anew, and phones come in by the new one")
    if not sys.stdin.isatty():
        raise Refused("--house: found no passphrase, expected one first: voltaun passphrase")
    click.echo("Before it is opened to the house it needs a passphrase, for phones to come in by.")
    made_if_missing(path)
    _keep(path, house.OWNER, _typed())


def _typed() -> str:
    from voltaun.house import passphrases
    if not sys.stdin.isatty():
        typed = sys.stdin.readline()
        wrong = passphrases.fault(typed)
        if wrong:
            raise Refused(f"standard input: {wrong}")
        return typed
    offered = passphrases.made_up()
    click.echo(f"Four words, or twelve letters at least. One made up by chance: {offered}")
    while True:
        typed = click.prompt("Passphrase (Enter takes that one)", default=offered, show_default=False, hide_input=True)
        wrong = passphrases.fault(typed)
        if wrong:
            click.echo(f"{wrong[0].upper()}{wrong[1:]}.")
        elif typed == offered or click.prompt("Once more", hide_input=True, default="", show_default=False) == typed:
            return str(typed)
        else:
            click.echo("Those two differ.")


def _keep(path: Path, who: str, typed: str | None, tokens_stay: bool = False) -> list[str]:
    """Keep it; the names of the tokens that end with the one before."""
    from voltaun.database import house
    from voltaun.house import passphrases
    try:
        with house.opened(path, create=True) as file:
            assert file is not None
            other = house.passphrase(file, house.OWNER if who == house.LOOK_ONLY else house.LOOK_ONLY)
            if typed is not None and passphrases.opens(typed, [other])[0]:
                raise Refused("found the other passphrase, expected two that differ")
            before = {of.id: of.name for of in house.tokens(file)}
            house.set_passphrase(file, who, None if typed is None else passphrases.hashed(typed),
                                 before if tokens_stay else ())
            stay = {of.id for of in house.tokens(file)}
            return [name for number, name in before.items() if number not in stay]
    except (OSError, sqlite3.Error) as error:
        raise Refused(f"{house.file_of(path)}: {error}; nothing was written") from error


UNIT = """# Voltaun, from the start of the machine on. To put it in its place, as root:
#     voltaun service > /etc/systemd/system/voltaun.service && systemctl enable --now voltaun
[Unit]
Description=Voltaun, the log of the battery
After=network.target

[Service]
Type=simple
User={user}
ExecStart={command}
Restart=on-failure
RestartSec=10
# It stops in order within seconds: what is under way is answered, a copy is ended.
TimeoutStopSec=30
# It may write its own folder, and nothing else.
NoNewPrivileges=yes
ProtectSystem=strict
ReadWritePaths={folder}
PrivateTmp=yes
ProtectKernelTunables=yes
ProtectControlGroups=yes
RestrictAddressFamilies=AF_INET AF_INET6 AF_UNIX AF_NETLINK
MemoryMax=800M

[Install]
WantedBy=multi-user.target
"""


@click.command(short_help="Print a systemd unit that runs it from the machine's start on")
@db_option
@click.option("--house", is_flag=True, help="Listen to the house's network too; set the passphrase first.")
@click.option("--tls", is_flag=True, help="With --house: encrypted, by an authority of the house.")
@click.option("--port", default=8140, show_default=True, type=click.IntRange(1, 65535),
              help="The number that its address ends in.")
@click.option("--user", help="The user it runs as; without it you.")
def service(db: Path | None, house: bool, tls: bool, port: int, user: str | None) -> None:
    """Print a systemd unit that runs it from the machine's start on (docs/cabin.md has the steps)."""
    import getpass
    import shlex
    path = db_path(db).absolute()
    command = [sys.executable, "-m", "voltaun", "serve", "--no-browser", "--port", str(port), "--db", str(path)]
    if house:
        from voltaun.database import house as kept
        with kept.opened(path) as file:
            if file is None or not kept.passphrase(file, kept.OWNER):
                raise Refused("--house: found no passphrase, expected one first: voltaun passphrase")
        command += ["--house", *(["--tls"] if tls else [])]
    elif tls:
        raise Refused("--tls: found it without --house, expected both")
    click.echo(UNIT.format(user=user or getpass.getuser(), folder=shlex.quote(str(path.parent)),
                           command=shlex.join(command).replace("%", "%%")), nl=False)
