"""Asking something outside on this machine's loopback: with a limit on time and size, and nothing from elsewhere."""

import time
from urllib.parse import urlsplit

LOOPBACK = ("127.0.0.1", "localhost", "::1")
PATIENCE = 5.0
LARGEST = 20 * 2 ** 20


class Silent(Exception):
    """Nobody answers; the message says how."""


class Slow(Exception):
    """The answer did not come in time, or did not end."""


def address_fault(address: str) -> str | None:
    """What is wrong with an address, or None: only http on the loopback is asked."""
    try:
        parts = urlsplit(address)
        legal = parts.scheme == "http" and parts.hostname in LOOPBACK and parts.port
    except ValueError:
        legal = False
    return None if legal else (f"Found {address!r}, expected an address on this machine such as "
                               "http://127.0.0.1:8151; Voltaun asks nobody else.")


def ask(address: str, path: str, patience: float = PATIENCE) -> bytes:
    """The answer to a GET. Raises Silent, Slow, or ValueError for an address that is not asked."""
    import http.client  # only once something is asked: the start of the server should not wait for it
    fault = address_fault(address)
    if fault:
        raise ValueError(fault)
    parts = urlsplit(address)
    until = time.monotonic() + patience
    connection = http.client.HTTPConnection(parts.hostname, parts.port, timeout=patience)
    try:
        connection.request("GET", parts.path.rstrip("/") + path)
        answer = connection.getresponse()
        if answer.status != 200:
            raise Silent(f"it answered {answer.status}")
        return _body(answer, until)
    except TimeoutError as error:
        raise Slow(f"no answer within {patience:g} s") from error
    except (OSError, http.client.HTTPException) as error:
        raise Silent(f"nobody answers at {address}") from error
    finally:
        connection.close()


def _body(answer, until) -> bytes:
    pieces, size = [], 0
    while piece := answer.read1(65_536):
        size += len(piece)
        if time.monotonic() > until:
            raise TimeoutError
        if size > LARGEST:
            raise Silent("its answer does not end")
        pieces.append(piece)
    return b"".join(pieces)
