"""How much is taken from somebody before it is known who it is.

The server takes a request in, on to the disk where it is large, before the application is asked. So that a neighbour
fills no disk, who has not come in is cut off at one megabyte, by the cookie that stands in the header.
"""

import copy
from collections.abc import Callable
from functools import partial
from typing import Any

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser

STRANGERS_BYTES = 1_000_000


class _Parser(HTTPRequestParser):  # type: ignore[misc] # waitress has no types
    adj: Any

    def __init__(self, known: Callable[[str], bool], adj: Any) -> None:
        super().__init__(adj)
        self._known = known

    def parse_header(self, header_plus: bytes) -> None:
        super().parse_header(header_plus)
        if (self.content_length >= STRANGERS_BYTES or self.chunked) and not self._known(self.headers.get("COOKIE", "")):
            self.adj = copy.copy(self.adj)
            self.adj.max_request_body_size = STRANGERS_BYTES


def channel(may_send_much: Callable[[str, tuple[str, int]], bool]) -> type[HTTPChannel]:
    """Connections whose large requests are taken in where this says so of a request's cookies and where it is from."""
    class Channel(HTTPChannel):  # type: ignore[misc] # waitress has no types
        def __init__(self, server: Any, sock: Any, addr: tuple[str, int], adj: Any, map: Any = None) -> None:
            self.parser_class = partial(_Parser, lambda cookies: may_send_much(cookies, addr))
            super().__init__(server, sock, addr, adj, map)
    return Channel
