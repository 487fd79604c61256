"""What keeps a page to itself: who may ask, how much, the headers, the key of the sessions; and compression."""

import gzip
import hashlib
import re
import secrets
from contextlib import suppress
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from flask import Flask, Request, Response, current_app, request
from flask.typing import ResponseReturnValue

from voltaun.database import beside
from voltaun.database.files import write_bytes
from voltaun.house.addresses import is_ours

POLICY = "; ".join((
    "default-src 'none'", "script-src 'self'", "style-src 'self'", "img-src 'self'", "font-src 'self'",
    "manifest-src 'self'", "connect-src 'self'", "form-action 'self'", "base-uri 'none'", "frame-ancestors 'none'"))

_COMPRESSED = ("text/html", "text/css", "text/javascript", "application/javascript", "text/csv", "application/json")


LONGEST_VALUE = 8192
"""No single value that a form or an address holds is longer; a note has at most 2,000 letters."""


class Asked(Request):
    """A request whose address can be read: bytes that may not stand in one are written as they may."""

    def __init__(self, environ: dict[str, Any], *given: Any, **named: Any) -> None:
        query = environ.get("QUERY_STRING", "")
        if not query.isascii():
            environ["QUERY_STRING"] = re.sub(r"[^\x00-\x7f]", lambda of: f"%{ord(of[0]):02X}", query)
        super().__init__(environ, *given, **named)


def install(app: Flask) -> None:
    """Turn other sites away before any work, add the headers to every answer, and compress what shrinks."""
    app.request_class = Asked
    app.before_request(_refuse_others)
    app.before_request(_refuse_endless)
    app.after_request(_headers)
    app.after_request(_compress)


def session_key(database: Path) -> str:
    """The key that signs sessions, in a file of its own beside the database; made when it is not there.

    On a disk that takes no file it lasts as long as the server.
    """
    kept = beside.read_key(database)
    if kept:
        return kept
    key = secrets.token_hex(beside.KEY_LETTERS // 2)
    with suppress(OSError):
        write_bytes(beside.key_of(database), key.encode(), 0o600)
    return key


def cookie_name(database: Path) -> str:
    """The session cookie's name; cookies know no port, so two Voltauns on one machine need two names."""
    return "voltaun-" + hashlib.sha256(str(database.resolve()).encode()).hexdigest()[:8]


LOOPBACK_NAME = re.compile(r"(?:localhost|127\.0\.0\.1|\[::1\])(?::\d{1,5})?", re.ASCII | re.IGNORECASE)


def _is_called_rightly(host: str) -> bool:
    """Whether it is asked by a name of this machine; opened to the house, by one of its addresses or a name that its
    owner gave."""
    if LOOPBACK_NAME.fullmatch(host):
        return True
    of = current_app.extensions["voltaun-house"]
    name, _, port = host.lower().rpartition(":")
    return of.port is not None and port == str(of.port) and (name in of.names or is_ours(name))


def _refuse_others() -> Response | None:
    """Another site, or another program's page on this machine, has nothing to ask here; nor has who calls this
    machine by another name, as a page elsewhere does that had its own name point here."""
    if not _is_called_rightly(request.headers.get("Host", "")):
        return Response("That request was not understood.", 400, content_type="text/plain; charset=utf-8")
    foreign = request.headers.get("Sec-Fetch-Site") in ("cross-site", "same-site")
    for name in ("Origin", "Referer"):
        value = request.headers.get(name)
        try:
            foreign = foreign or (value is not None and urlsplit(value).netloc != request.headers["Host"])
        except ValueError:
            foreign = True
    if foreign:
        return Response("Another site asked for this; Voltaun answers its own pages only. To open it, type its "
                        "address.", 403, content_type="text/plain; charset=utf-8")
    return None


def _refuse_endless() -> Response | None:
    values = [*request.args.values()]
    if request.method == "POST" and request.mimetype == "application/x-www-form-urlencoded":
        values += [each for name in request.form for each in request.form.getlist(name)]
    if any(len(value) > LONGEST_VALUE for value in values):
        return Response(f"Found a value of more than {LONGEST_VALUE} letters, expected less. Nothing was written.", 413,
                        content_type="text/plain; charset=utf-8")
    return None


def _headers(response: Response) -> ResponseReturnValue:
    response.headers["Content-Security-Policy"] = POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
    _on_another_page(response)
    if request.endpoint != "static" or response.status_code >= 400:
        response.headers["Cache-Control"] = "no-store"
    return response


def _on_another_page(response: Response) -> None:
    """A form that htmx sent is answered in place where its page is shown again; another page is opened whole."""
    sent = response.status_code == 303 and request.method == "POST" and request.headers.get("HX-Request")
    if sent and urlsplit(response.location or "").path != _path_of(request.headers.get("HX-Current-URL", "")):
        response.headers["HX-Redirect"] = response.headers.pop("Location")
        response.status_code = 204


def own_path(address: str) -> str:
    """An address to go back to, where it is one of these pages; else the first of them."""
    # A browser drops tabs and line ends from an address, and takes \\ for /; what is left must be on this site.
    return address if re.fullmatch(r"/(?![/\\])[!-\[\]-~]*", address, re.ASCII) else "/"


def _path_of(address: str) -> str:
    """The path of an address; nothing where it is none."""
    try:
        return urlsplit(address).path
    except ValueError:
        return ""


def _compress(response: Response) -> ResponseReturnValue:
    if (response.mimetype not in _COMPRESSED or "gzip" not in request.headers.get("Accept-Encoding", "")
            or response.status_code != 200 or "Content-Encoding" in response.headers
            or "Content-Range" in response.headers):
        return response
    response.direct_passthrough = False
    data = response.get_data()
    if len(data) > 500:
        response.set_data(gzip.compress(data, 6, mtime=0))
        response.headers["Content-Encoding"] = "gzip"
        # The entity is another one now; its tag must not match the plain one's.
        response.headers.pop("ETag", None)
    response.vary.add("Accept-Encoding")
    return response
