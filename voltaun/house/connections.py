"""Connections: one server that knows whom each is with, takes encryption off itself, and lets nobody hold it.

Who a connection is with is read off its own socket when it is taken, and stays with it to its end: whatever runs on it,
in whatever order and however late, is asked by that peer. Only a connection from this machine's own loopback to its own
loopback is *here*; every other one is a stranger's until it shows that it was let in.

waitress reads, parses and answers, several connections in one loop and complete requests in its threads. What stands
here is what it has not: TLS (what begins like TLS is, on the same port), the number of connections that strangers may
hold, the time that a head and a body may take, and how large a body may be before it is known who sends it.
"""

import copy
import socket
import ssl
import time
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from threading import Lock
from typing import Any

from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import MultiSocketServer, TcpWSGIServer
from waitress.task import ThreadedTaskDispatcher, WSGITask

from voltaun.house.addresses import HERE, STRANGERS_BYTES, group

STRANGERS, OF_ONE_ADDRESS = 300, 40
"""So many connections from elsewhere at once, and of one address. A browser holds six."""

ITS_TIME_S = 0.25
"""What an address holds beyond its part is given up for another of its own after so long, s."""

IN_ALL = 800
"""So many of all: below the 1,024 files that a process may mostly hold open."""

HEAD_S = 10.0
"""A head, and a handshake before it, take no longer from the first moment on, s."""

BODY_S, BODY_BYTES_A_S = 30.0, 4_096.0
"""A body takes no longer than this and its bytes so far at this pace: a weak Wi-Fi brings a hundred times as much."""

IDLE_S = 20
"""A connection on which nothing is asked is let go of after so long."""

MOST_HEAD_BYTES = 8192
HANDSHAKE = 0x16
"""The first byte of TLS."""

_LOOPBACK = ("127.0.0.1", "::1")


@dataclass(frozen=True)
class Terms:
    """On what terms connections are taken.

    known      whether the cookies of a request are of somebody who was let in, so that more than a form is taken in
    encrypted  how what begins like TLS is encrypted; None where nothing is
    """

    known: Callable[[str], bool]
    encrypted: ssl.SSLContext | None = None


def server(app: Any, terms: Terms, host: str, port: int, threads: int) -> Any:
    """A server that listens already; `run` serves. Raises OSError where the port cannot be had."""
    adjustments = Adjustments(
        host=host, port=port, ident=None, threads=threads, connection_limit=IN_ALL, channel_timeout=IDLE_S,
        cleanup_interval=1, asyncore_use_poll=True, max_request_header_size=MOST_HEAD_BYTES,
        clear_untrusted_proxy_headers=False)  # whether another server stands between is the application's to see
    dispatcher, map = ThreadedTaskDispatcher(), dict[int, Any]()
    made = [_Server(terms, app, map, dispatcher=dispatcher, adj=adjustments, sockinfo=each)
            for each in adjustments.listen]
    dispatcher.set_thread_count(threads)
    if len(made) == 1:
        return made[0]
    return MultiSocketServer(map, adjustments, [(of.effective_host, of.effective_port) for of in made], dispatcher,
                             made[0].log_info)


class _Server(TcpWSGIServer):  # type: ignore[misc] # waitress has no types
    def __init__(self, terms: Terms, *given: Any, **named: Any) -> None:
        self.terms = terms
        super().__init__(*given, **named)

    def handle_accept(self) -> None:
        try:
            taken = self.accept()
            if taken is None:
                return
            connection, peer = taken
            self.set_socket_options(connection)
            here = peer[0] in _LOOPBACK and connection.getsockname()[0] in _LOOPBACK
        except OSError:  # it has gone again already
            return
        if here or self._make_room(group(peer[0])):
            _Channel(self, connection, peer, here, self._map)
        else:
            connection.close()

    def _make_room(self, whose: str) -> bool:
        """Whether one more connection of a stranger is taken. Where all are, the address that holds most gives one
        up, the oldest that is not being answered: who holds few keeps them, whatever others do. Who holds most itself
        is refused, unless that one has had its time: taking and ending them as fast as they come would be work."""
        strangers = [of for of in self._map.values() if isinstance(of, _Channel) and not (of.here or of.will_close)]
        held = Counter(of.whose for of in strangers)
        if held[whose] < OF_ONE_ADDRESS and len(strangers) < STRANGERS:
            return True
        held[whose] += 1
        heaviest = whose if held[whose] > OF_ONE_ADDRESS or held[whose] >= max(held.values()) else max(
            held, key=lambda of: held[of])
        given_up = min((of for of in strangers if of.whose == heaviest and not of.requests),
                       key=lambda of: of.taken_at, default=None)
        if given_up is None or heaviest == whose and time.monotonic() - given_up.taken_at < ITS_TIME_S:
            return False
        given_up.will_close = True
        return True

    def maintenance(self, now: float) -> None:
        super().maintenance(now)
        at = time.monotonic()
        for each in list(self.active_channels.values()):
            if each.is_late(at):
                each.will_close = True


class _Parser(HTTPRequestParser):  # type: ignore[misc] # waitress has no types
    adj: Any

    def __init__(self, known: Callable[[str], bool], adj: Any) -> None:
        super().__init__(adj)
        self._known = known

    def parse_header(self, header_plus: bytes) -> None:
        super().parse_header(header_plus)
        if (self.content_length > STRANGERS_BYTES or self.chunked) and not self._known(self.headers.get("COOKIE", "")):
            self.adj = copy.copy(self.adj)
            self.adj.max_request_body_size = STRANGERS_BYTES + 1  # what is as large as this is refused


class _Task(WSGITask):  # type: ignore[misc] # waitress has no types
    def get_environment(self) -> dict[str, Any]:
        environ: dict[str, Any] = super().get_environment()
        environ[HERE] = self.channel.here
        environ["wsgi.url_scheme"] = "https" if self.channel.encrypted else "http"
        return environ


class _Channel(HTTPChannel):  # type: ignore[misc] # waitress has no types
    """A connection. TLS is read in waitress's loop and written by its threads too: one lock lets one in at a time."""

    task_class = _Task
    socket: Any

    def __init__(self, server: _Server, connection: socket.socket, peer: tuple[Any, ...], here: bool,
                 map: dict[int, Any]) -> None:
        self.here, self.whose, self.taken_at = here, group(peer[0]), time.monotonic()
        self.encrypted = self._shaking = self._ended = False
        self._unseen, self._tls = True, Lock()
        self._since: float | None = self.taken_at
        self.parser_class = partial(_Parser, lambda cookies: here or server.terms.known(cookies))
        super().__init__(server, connection, peer[:2], server.adj, map=map)

    def is_late(self, now: float) -> bool:
        """Whether what it sends takes longer than it may; while it is answered it need not send."""
        if self.requests:
            self._since = now if self.request is not None else None
        if self._since is None:
            return False
        head = self.request is None or not self.request.headers_finished
        may = HEAD_S if head else HEAD_S + BODY_S + self.request.body_bytes_received / BODY_BYTES_A_S
        return now - self._since > may

    def received(self, data: bytes) -> bool:
        went_on: bool = super().received(data)
        if self.request is None:
            self._since = None
        elif self._since is None:
            self._since = time.monotonic()
        return went_on

    def handle_read(self) -> None:
        try:
            if self._unseen and not self._see_how():
                return
            if self._shaking and not self._shake():
                return
            data = self.recv(self.adj.recv_bytes)
            while data:
                self.last_activity = time.time()
                self.received(data)
                if not self._more_is_read():
                    return
                data = self.recv(self.adj.recv_bytes)
        except (BlockingIOError, ssl.SSLWantReadError, ssl.SSLWantWriteError):
            return  # nothing yet
        except OSError:
            self.handle_close()

    def _see_how(self) -> bool:
        """Whether its first byte has come; what begins like TLS is read as that from then on."""
        first = self.socket.recv(1, socket.MSG_PEEK)
        if not first:
            self.handle_close()
            return False
        self._unseen = False
        if first[0] == HANDSHAKE and self.server.terms.encrypted is not None:
            self.socket = self.server.terms.encrypted.wrap_socket(self.socket, server_side=True,
                                                                  do_handshake_on_connect=False)
            self.encrypted = self._shaking = True
        return True

    def _shake(self) -> bool:
        self.socket.do_handshake()  # raises where more has to come
        self._shaking = False
        return True

    def _more_is_read(self) -> bool:
        """Whether TLS has read more already than was asked for: no event of the socket tells of it."""
        return bool(self.encrypted and self.connected and self.socket.pending())

    def recv(self, size: int) -> bytes:
        with self._tls:
            got: bytes = self.socket.recv(size)
        if not got:
            self.handle_close()  # outside of the lock: it takes waitress's own, as who sends does before this one
        return got

    def send(self, data: bytes, do_close: bool = True) -> int:
        with self._tls:
            if self._shaking or self._ended:
                return 0
            try:
                return int(self.socket.send(data))
            except (BlockingIOError, ssl.SSLWantReadError, ssl.SSLWantWriteError):
                return 0
            except OSError:
                self.will_close = True
        if do_close:
            self.handle_close()
        return 0

    def handle_close(self) -> None:
        with self._tls:
            if self.encrypted and not (self._ended or self._shaking):
                self._ended = True  # what a thread would still send goes nowhere, least of all in the clear
                with suppress(OSError, ValueError):
                    self.socket.unwrap()  # the last word of TLS, so that the other side knows that it had all
        super().handle_close()
