"""What the stand-ins share: a small server on the loopback that answers GET."""

import time
from collections.abc import Callable
from contextlib import suppress
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlparse

Answer = tuple[int, str, bytes] | None
"""Status, kind and body; None closes the line without a word."""


def server(port: int, answer: Callable[[str, dict[str, str]], Answer], pause_s: float = 0.0) -> ThreadingHTTPServer:
    """A server, ready to run; port 0 takes a free one. `answer` gets the path and what was asked; between the head of
    an answer and its body there is a pause."""
    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            asked = urlparse(self.path)
            made = answer(asked.path, {name: values[0] for name, values in parse_qs(asked.query).items()})
            if made is None:
                return
            status, kind, body = made
            self.send_response(status)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            time.sleep(pause_s)
            with suppress(OSError):  # who asked may have gone meanwhile
                self.wfile.write(body)

        def log_message(self, *_: Any) -> None:
            pass
    return ThreadingHTTPServer(("127.0.0.1", port), Handler)
