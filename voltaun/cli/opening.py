"""What is listened on: this machine alone, or the house too, in the clear or encrypted."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from voltaun.cli.common import Refused, now, warn

if TYPE_CHECKING:
    from collections.abc import Callable
    from ssl import SSLContext

    from flask import Flask

    from voltaun.pages.door import House

THREADS = 16
"""So many requests at once: some that wait for the file to be free to write leave room for those that read."""


@dataclass(frozen=True)
class Opened:
    """What it is opened to, how that is encrypted (None where it is not), and what sees that it goes on being so."""

    house: House
    context: SSLContext | None = None
    renew: Callable[[], object] | None = None


def broken_beside(database: Path) -> list[str]:
    """What is broken of the small files beside a database, in words, each with what mends it."""
    from voltaun.database import beside
    found = beside.faults(database)
    if beside.authority_of(database).exists():
        from voltaun.house.authority import broken
        wrong = broken(beside.authority_of(database))
        found += [f"{wrong}; put the folder aside; each phone then accepts the new one"] if wrong else []
    return found


def opened(path: Path, port: int, names: tuple[str, ...], tls: bool, certificate: Path | None,
           key: Path | None) -> Opened:
    """Opened to the house by these names and the machine's addresses."""
    from ssl import SSLError

    from voltaun.pages.door import House
    house = House(port, frozenset(name.lower() for name in names))
    if not tls:
        return Opened(house)
    from voltaun.database.beside import authority_of
    from voltaun.house.addresses import own_addresses
    from voltaun.house.authority import CannotVouch, Vouched, context, vouched
    house.encrypted = True

    def vouch() -> Vouched:
        return vouched(authority_of(path), house.names, own_addresses(), now())
    try:
        if certificate and key:
            its_own = context(certificate, key)
            return Opened(house, its_own, lambda: its_own.load_cert_chain(certificate, key))  # as it is renewed there
        made = vouch()
        if not made.servers_alone:
            warn([f"{made.authority.parent}: the authority is of an earlier release and may vouch for letters and "
                  "programs too; put the folder aside, and each phone accepts a narrower one"])
        house.authority, house.mark = made.authority, made.mark
        ours = context(made.certificate, made.key)

        def renew() -> None:
            again = vouch()
            ours.load_cert_chain(again.certificate, again.key)
        return Opened(house, ours, renew)
    except CannotVouch as fault:
        raise Refused(str(fault)) from fault
    except (OSError, SSLError) as error:
        raise Refused(f"--tls: {error}") from error


def listening(app: Flask, host: str, port: int, of: Opened | None) -> Any:
    """The server, listening. Raises OSError."""
    from voltaun.house.connections import Terms, server
    from voltaun.pages.door import came_in
    terms = Terms(lambda cookies: came_in(app, cookies), of.context if of else None)
    return server(app, terms, "0.0.0.0" if of else host, port, THREADS)


def say_where(house: House) -> None:
    """Say how phones reach it, and whether others could listen."""
    from voltaun.house.addresses import own_addresses
    scheme = "https" if house.encrypted else "http"
    for name in (*sorted(house.names), *own_addresses()):
        click.echo(f"and for the phones in the house at {scheme}://{name}:{house.port}")
    if house.authority:
        click.echo("A phone believes it after one step, at http:// and the same address with /authority; "
                   f"the mark of the certificate is {house.mark}.")
    elif not house.encrypted:
        click.echo("It is not encrypted: whoever is in the same Wi-Fi could listen. --tls encrypts it.")
