"""A sky-forecast service that is not there: made-up words for the coming days, over HTTP on the loopback.

`GET /sky.json?first=2026-11-25&days=7` answers {"days": [{"date": "2026-11-25", "sky": "mixed"}, …]}.
"""

import hashlib
import json
from datetime import date, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlparse

_WORDS = ("clear", "clear", "mixed", "mixed", "overcast", "storm")
MOST_DAYS = 14


def words(first: date, days: int) -> list[dict]:
    """The same word for the same day whenever it is asked; skies come in spells of two days."""
    found = []
    for n in range(min(days, MOST_DAYS)):
        day = first + timedelta(days=n)
        spell = hashlib.sha256(str(day.toordinal() // 2).encode()).digest()[0]
        found.append({"date": day.isoformat(), "sky": _WORDS[spell % len(_WORDS)]})
    return found


def server(port: int, garbled: bool = False) -> ThreadingHTTPServer:
    """A server on the loopback, ready to run; port 0 takes a free one."""
    class Handler(BaseHTTPRequestHandler):
        def do_GET(self):
            asked = urlparse(self.path)
            query = {name: values[0] for name, values in parse_qs(asked.query).items()}
            try:
                found = words(date.fromisoformat(query.get("first", "")), int(query.get("days", "7")))
            except ValueError:
                self.send_error(400)
                return
            body = b"<html>" if garbled else json.dumps({"days": found}).encode()
            self.send_response(200 if asked.path == "/sky.json" else 404)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_):
            pass
    return ThreadingHTTPServer(("127.0.0.1", port), Handler)
