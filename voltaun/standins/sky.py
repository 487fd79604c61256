"""A sky-forecast service that is not there: made-up words for the coming days, over HTTP on the loopback.

`GET /sky.json?first=2026-11-25&days=7` answers {"days": [{"date": "2026-11-25", "sky": "mixed"}, …]}.
"""

import hashlib
import json
from datetime import date, timedelta
from http.server import ThreadingHTTPServer
from typing import Any

from voltaun.standins import serving

_WORDS = ("clear", "clear", "mixed", "mixed", "overcast", "storm")
MOST_DAYS = 14


def words(first: date, days: int) -> list[dict[str, Any]]:
    """The same word for the same day whenever it is asked; skies come in spells of two days."""
    found = []
    for n in range(min(days, MOST_DAYS)):
        day = first + timedelta(days=n)
        spell = hashlib.sha256(str(day.toordinal() // 2).encode()).digest()[0]
        found.append({"date": day.isoformat(), "sky": _WORDS[spell % len(_WORDS)]})
    return found


def server(port: int, garbled: bool = False) -> ThreadingHTTPServer:
    """A server on the loopback, ready to run; port 0 takes a free one."""
    def answer(path: str, asked: dict[str, str]) -> serving.Answer:
        if path != "/sky.json":
            return 404, "text/plain", b""
        try:
            found = words(date.fromisoformat(asked.get("first", "")), int(asked.get("days", "7")))
        except ValueError:
            return 400, "text/plain", b"expected first=DATE and days=N"
        return 200, "application/json", b"<html>" if garbled else json.dumps({"days": found}).encode()
    return serving.server(port, answer)
