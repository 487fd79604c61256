"""What stands before the server when it is encrypted: it listens to the house, takes TLS off and passes bytes on.

On the one port both are understood: what begins like TLS is, and what does not is plain, which only this machine may
use for more than to fetch the certificate. Who a connection comes from is told to the application through `Peers`, by
the port from which it is passed on; nobody outside this process can say it.
"""

import asyncio
import contextlib
import logging
import socket
import ssl
import threading
from collections.abc import Callable, Iterable
from typing import Any

MOST = 400
"""So many connections at once."""

FIRST_BYTE_S = 10.0
"""A connection that says nothing for so long at its beginning is let go of, and so is a handshake that does not end."""

LAST_WORD_S = 2.0
"""So long an answer may take yet once nothing more comes in."""

RENEWED_EVERY_S = 600.0
"""A router may give the machine another address at any time."""

PIECE = 65_536
HANDSHAKE = 0x16
"""The first byte of TLS."""


class Peers:
    """The application's middleware: who a connection that the front passed on comes from, and whether encrypted."""

    def __init__(self, app: Callable[..., Iterable[bytes]]) -> None:
        self.app, self.known = app, dict[int, tuple[str, bool]]()

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        told = self.known.get(int(environ.get("REMOTE_PORT") or 0))
        if told is not None and environ.get("REMOTE_ADDR") == "127.0.0.1":
            environ["REMOTE_ADDR"], encrypted = told
            environ["wsgi.url_scheme"] = "https" if encrypted else "http"
        return self.app(environ, start_response)


class Front(threading.Thread):
    """The front on a socket that listens already, before a server on this machine's `upstream` port.

    renew  is called now and then, to see that the certificate goes on and is of the addresses that there are
    """

    def __init__(self, listening: socket.socket, upstream: int, context: ssl.SSLContext,
                 known: dict[int, tuple[str, bool]], renew: Callable[[], object] | None = None) -> None:
        super().__init__(name="front", daemon=True)
        self._renew = renew
        self._listening, self._upstream, self._context, self._known = listening, upstream, context, known
        self._loop = asyncio.SelectorEventLoop()
        self._open: set[asyncio.Task[None]] = set()
        self._serving: asyncio.Task[None] | None = None

    def run(self) -> None:
        """Serve until `stop`."""
        with contextlib.suppress(asyncio.CancelledError):
            self._loop.run_until_complete(self._main())
        self._loop.close()

    def stop(self) -> None:
        """Take no more connections and end those that are open."""
        with contextlib.suppress(RuntimeError):  # it has ended already
            self._loop.call_soon_threadsafe(lambda: self._serving and self._serving.cancel())
        self.join(5.0)

    async def _main(self) -> None:
        self._serving = asyncio.current_task()
        self._listening.setblocking(False)
        renewing = self._loop.create_task(self._go_on_renewing())
        try:
            while True:
                try:
                    taken, address = await self._loop.sock_accept(self._listening)
                except OSError:  # no descriptor left, or the other side gone already
                    await asyncio.sleep(0.05)
                    continue
                if len(self._open) >= MOST:
                    taken.close()
                    continue
                one = self._loop.create_task(self._one(taken, address[0]))
                self._open.add(one)
                one.add_done_callback(self._open.discard)
        finally:
            self._listening.close()
            for one in (renewing, *self._open):
                one.cancel()
            await asyncio.gather(renewing, *self._open, return_exceptions=True)

    async def _go_on_renewing(self) -> None:
        while self._renew is not None:
            await asyncio.sleep(RENEWED_EVERY_S)
            try:
                await asyncio.to_thread(self._renew)
            except (OSError, ValueError) as error:
                logging.getLogger("voltaun").warning("the certificate stays as it is: %s", error)

    async def _one(self, taken: socket.socket, address: str) -> None:
        """A connection from its first byte to its end."""
        try:
            taken.setblocking(False)
            taken.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            encrypted = await asyncio.wait_for(self._begins_with(taken), FIRST_BYTE_S) == HANDSHAKE
            reader, writer = await self._streams(taken, encrypted)
        except OSError:
            taken.close()
            return
        except asyncio.CancelledError:
            taken.close()
            raise
        try:
            up_reader, passed_on = await asyncio.open_connection("127.0.0.1", self._upstream)
            port = passed_on.get_extra_info("sockname")[1]
            self._known[port] = address, encrypted
            try:
                ways = [self._loop.create_task(_pump(*way)) for way in ((reader, passed_on), (up_reader, writer))]
                try:
                    await asyncio.wait(ways, return_when=asyncio.FIRST_COMPLETED)
                    if not ways[1].done():  # nothing more comes in, or it is not taken: what is answered goes out yet
                        with contextlib.suppress(OSError):
                            passed_on.write_eof()
                        await asyncio.wait(ways[1:], timeout=LAST_WORD_S)
                finally:
                    for way in ways:
                        way.cancel()
                    await asyncio.gather(*ways, return_exceptions=True)
            finally:
                passed_on.transport.abort()
                self._known.pop(port, None)
        except OSError:
            pass
        finally:
            writer.close()
            with contextlib.suppress(OSError):
                await asyncio.wait_for(writer.wait_closed(), 2.0)

    async def _begins_with(self, taken: socket.socket) -> int:
        """The first byte that comes, which stays to be read."""
        ready: asyncio.Future[None] = self._loop.create_future()
        self._loop.add_reader(taken, lambda: None if ready.done() else ready.set_result(None))
        try:
            await ready
        finally:
            self._loop.remove_reader(taken)
        first = taken.recv(1, socket.MSG_PEEK)
        if not first:
            raise ConnectionError
        return first[0]

    async def _streams(self, taken: socket.socket, encrypted: bool) -> tuple[asyncio.StreamReader,
                                                                             asyncio.StreamWriter]:
        reader = asyncio.StreamReader(limit=PIECE)
        protocol = asyncio.StreamReaderProtocol(reader)
        transport, _ = await self._loop.connect_accepted_socket(
            lambda: protocol, taken, ssl=self._context if encrypted else None,
            ssl_handshake_timeout=FIRST_BYTE_S if encrypted else None)
        return reader, asyncio.StreamWriter(transport, protocol, reader, self._loop)


async def _pump(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    """Pass on what comes, no faster than it is taken."""
    with contextlib.suppress(OSError):
        while piece := await reader.read(PIECE):
            writer.write(piece)
            await writer.drain()
        await writer.drain()
