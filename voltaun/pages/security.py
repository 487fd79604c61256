"""Headers that keep a page to itself, and compression for slow links inside the house."""

import gzip

from flask import Flask, Response, request

POLICY = "; ".join((
    "default-src 'none'", "script-src 'self'", "style-src 'self'", "img-src 'self'", "font-src 'self'",
    "connect-src 'self'", "form-action 'self'", "base-uri 'none'", "frame-ancestors 'none'"))

_COMPRESSED = ("text/html", "text/css", "text/javascript", "application/javascript", "text/csv", "application/json")


def install(app: Flask) -> None:
    """Add the headers to every answer, and compress what shrinks."""
    app.after_request(_headers)
    app.after_request(_compress)


def _headers(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    if request.endpoint != "static":
        response.headers["Cache-Control"] = "no-store"
    return response


def _compress(response: Response) -> Response:
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
