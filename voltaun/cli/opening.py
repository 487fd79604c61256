"""What is listened on: this machine alone, or the house too, in the clear or encrypted."""

from __future__ import annotations

import socket
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from voltaun.cli.common import Refused, now

if TYPE_CHECKING:
    from collections.abc import Callable
    from ssl import SSLContext

    from flask import Flask

    from voltaun.house.front import Front
    from voltaun.pages.door import House

THREADS = 16
"""So many requests at once: some that wait for the file to be free to write leave room for those that read."""

PATIENT = {"connection_limit": 400, "channel_timeout": 20, "cleanup_interval": 5, "asyncore_use_poll": True,
           "max_request_header_size": 8192, "clear_untrusted_proxy_headers": False}
"""Connections that send nothing are soon let go of, and are too few to shut anybody out; headers end at 8 kB. Whether
another server stands between is the application's to see."""


@dataclass(frozen=True)
class Opened:
    """What it is opened to, how that is encrypted (None where it is not), and what sees that it goes on being so."""

    house: House
    context: SSLContext | None = None
    renew: Callable[[], object] | None = None


def opened(path: Path, port: int, names: tuple[str, ...], tls: bool, certificate: Path | None,
           key: Path | None) -> Opened:
    """Opened to the house by these names and the machine's addresses."""
    from ssl import SSLError

    from voltaun.pages.door import House
    house = House(port, frozenset(name.lower() for name in names))
    if not tls:
        return Opened(house)
    from voltaun.house.addresses import own_addresses
    from voltaun.house.authority import CannotVouch, Vouched, context, vouched
    house.encrypted = True

    def vouch() -> Vouched:
        return vouched(path.with_name(path.name + ".tls"), house.names, own_addresses(), now())
    try:
        if certificate and key:
            its_own = context(certificate, key)
            return Opened(house, its_own, lambda: its_own.load_cert_chain(certificate, key))  # as it is renewed there
        made = vouch()
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


def listening(app: Flask, host: str, port: int, of: Opened | None) -> tuple[Any, Front | None]:
    """The server, listening; and what stands before it where it is encrypted. Raises OSError."""
    import waitress
    if of is None:
        return waitress.create_server(app, host=host, port=port, ident=None, threads=THREADS, **PATIENT), None
    from voltaun.house.front import Front, Peers
    from voltaun.pages.door import may_send_much
    if of.context is None:
        server = waitress.create_server(app, host="0.0.0.0", port=port, ident=None, threads=THREADS, **PATIENT)
        _careful(server, lambda cookies, address: may_send_much(app, cookies, address[0]))
        return server, None
    listener = socket.create_server(("0.0.0.0", port), backlog=128)
    app.wsgi_app = peers = Peers(app.wsgi_app)  # type: ignore[method-assign] # as its documents have it
    server = waitress.create_server(app, host="127.0.0.1", port=0, ident=None, threads=THREADS, **PATIENT)

    def from_whom(address: tuple[str, int]) -> str:
        passed_on = peers.known.get(address[1])
        return passed_on[0] if passed_on else address[0]
    _careful(server, lambda cookies, address: may_send_much(app, cookies, from_whom(address)))
    return server, Front(listener, server.effective_port, of.context, peers.known, of.renew)


def _careful(server: Any, may: Callable[[str, tuple[str, int]], bool]) -> None:
    from voltaun.house.channel import channel
    server.channel_class = channel(may)


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
