"""Asking something outside on this machine's loopback: with a limit on time and size, and nothing from elsewhere."""

from __future__ import annotations

import socket
import threading
from contextlib import suppress
from typing import TYPE_CHECKING
from urllib.parse import quote, urlsplit

if TYPE_CHECKING:
    from http.client import HTTPResponse

LOOPBACK = ("127.0.0.1", "localhost", "::1")
PATIENCE = 5.0
LARGEST = 20 * 2 ** 20


class Silent(Exception):
    """Nobody answers, or not in time; the message says how."""


class Slow(Exception):
    """The answer began, and did not end in time."""


HOUSES = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16")
"""Addresses that are of one house's network only, wherever it stands."""


def address_fault(address: str, also_in_the_house: bool = False) -> str | None:
    """What is wrong with an address, or None: only http on the loopback is asked; also_in_the_house: or at an address,
    and no name, of a house's own network."""
    try:
        parts = urlsplit(address)
        host = parts.hostname or ""
        legal = parts.scheme == "http" and parts.port and (host in LOOPBACK or also_in_the_house and _in_a_house(host))
    except ValueError:
        legal = False
    if legal:
        return None
    where = "on this machine or in the house" if also_in_the_house else "on this machine"
    found = repr(address) if address else "nothing"
    return f"Found {found}, expected an address {where}, such as http://127.0.0.1:8151. Voltaun asks nobody else."


def _in_a_house(host: str) -> bool:
    from ipaddress import ip_address, ip_network
    try:
        ip = ip_address(host)
    except ValueError:
        return False
    return any(ip in ip_network(of) for of in HOUSES)


def ask(address: str, path: str, patience: float = PATIENCE, *, also_in_the_house: bool = False) -> bytes:
    """The answer to a GET, all of it within `patience` s. Raises Silent, Slow, or ValueError for an address that is
    not asked."""
    import http.client  # only once something is asked: the start of the server should not wait for it
    fault = address_fault(address, also_in_the_house)
    if fault:
        raise ValueError(fault)
    parts = urlsplit(address)
    connection = http.client.HTTPConnection(parts.hostname or "", parts.port, timeout=patience)
    over, held, begun = threading.Event(), list[socket.socket](), False
    # A trickle of bytes keeps every single wait short; this ends the whole of it.
    end = threading.Timer(patience, _cut, (held, over))
    end.daemon = True
    end.start()
    try:
        connection.connect()
        held.append(connection.sock)  # the connection lets go of it before the answer is read
        connection.request("GET", quote(parts.path.rstrip("/"), safe="/%") + path)
        answer = connection.getresponse()
        begun = True
        if answer.status != 200:
            raise Silent(f"it answered {answer.status}")
        found = _body(answer)
        if over.is_set():
            raise TimeoutError
        return found
    except (OSError, http.client.HTTPException, ValueError) as error:
        late = over.is_set() or isinstance(error, TimeoutError)
        if late and begun:
            raise Slow(f"its answer does not end within {patience:g} s") from error
        raise Silent(f"no answer within {patience:g} s" if late else f"nobody answers at {address}") from error
    finally:
        end.cancel()
        connection.close()


def _cut(held: list[socket.socket], over: threading.Event) -> None:
    over.set()
    for sock in held:
        with suppress(OSError):  # it may be closed already
            sock.shutdown(socket.SHUT_RDWR)


def _body(answer: HTTPResponse) -> bytes:
    pieces, size = [], 0
    while piece := answer.read1(65_536):
        size += len(piece)
        if size > LARGEST:
            raise Silent("its answer does not end")
        pieces.append(piece)
    return b"".join(pieces)
