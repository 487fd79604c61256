"""The door: who asks, and what they may have. This machine's own loopback is open unless it was asked to be shut."""

import hashlib
import re
import secrets
import sqlite3
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

from flask import Flask, Request, Response, current_app, g, jsonify, redirect, request, session, url_for
from flask.sessions import SecureCookieSession, SecureCookieSessionInterface, SessionMixin
from flask.typing import ResponseReturnValue
from itsdangerous import BadSignature
from werkzeug.http import parse_cookie

from voltaun import clock
from voltaun.database import house
from voltaun.database.house import LASTS, LOOK_ONLY, OWNER
from voltaun.house.addresses import HERE, own_addresses
from voltaun.house.codes import Codes
from voltaun.house.guesses import Guesses
from voltaun.pages import errors
from voltaun.pages.security import LOOPBACK_NAME
from voltaun.words import house as words

TRUST = {"static", "house.trust", "house.authority"}
"""What is not encrypted even where all else is: the certificate that phones are to believe first."""

OPEN = TRUST | {"house.enter", "house.come_in", "log.worker"}
"""What anybody gets: the look of the pages, and the door."""

GIVEN = {"given.today": "look", "given.outlook": "look", "given.plan": "look", "given.calendar": "calendar",
         "given.bring_samples": "samples", "given.bring_readings": "readings"}
"""What is given to, or taken from, who has a token for it, and what that token may."""

LOOKED_AT = {"start.home", "start.terms", "start.ground", "today.show", "today.calendar", "card.show", "house.leave"}
"""What those get who may look only; of all that is sent, choosing the ground and leaving."""

SENT_TO_LOOK = {"start.ground", "house.leave"}

_FORWARDED = ("Forwarded", "X-Forwarded-For", "X-Forwarded-Host", "X-Real-Ip", "Via")


@dataclass
class House:
    """What the server knows of the house: the port that it listens on there, None where it does not; names beside the
    addresses; whether it is encrypted, and by which authority of the house; open codes and wrong tries."""

    port: int | None = None
    names: frozenset[str] = frozenset()
    encrypted: bool = False
    authority: Path | None = None
    mark: str = ""
    codes: Codes = field(default_factory=Codes)
    guesses: Guesses = field(default_factory=Guesses)


class _Sessions(SecureCookieSessionInterface):
    """Sessions that stand whatever the machine's clock says: a board has no battery for it, and after a power cut
    nobody would come in, or stay. How long ago a device was seen is kept beside it; one that began encrypted goes back
    encrypted only."""

    def get_cookie_secure(self, app: Flask) -> bool:
        return request.is_secure

    def open_session(self, app: Flask, request: Request) -> SecureCookieSession | None:
        signed = self.get_signing_serializer(app)
        try:
            return self.session_class(signed.loads(request.cookies[self.get_cookie_name(app)])) if signed else None
        except (BadSignature, KeyError):
            return self.session_class()

    def save_session(self, app: Flask, session: SessionMixin, response: Response) -> None:
        super().save_session(app, session, response)
        if session.permanent:  # so long from now on by the device's own clock, and not until a day by this one's
            told = response.headers.getlist("Set-Cookie")
            response.headers.setlist("Set-Cookie", [
                re.sub(r"Expires=[^;]+", f"Max-Age={int(LASTS.total_seconds())}", each)
                if each.startswith(self.get_cookie_name(app) + "=") else each for each in told])


def install(app: Flask, of: House) -> None:
    """Let nobody in before it is known who asks."""
    app.session_interface = _Sessions()
    app.extensions["voltaun-house"] = of
    app.config["PERMANENT_SESSION_LIFETIME"] = LASTS
    app.before_request(_ask)


def the_house() -> House:
    """The house of this server."""
    found: House = current_app.extensions["voltaun-house"]
    return found


def reached_at() -> list[str]:
    """How the phones in the house reach it, the likeliest first; none where it is not opened to them."""
    of = the_house()
    if of.port is None:
        return []
    scheme = "https" if of.encrypted else "http"
    return [f"{scheme}://{host}:{of.port}" for host in (*sorted(of.names), *own_addresses())]


def from_here() -> bool:
    """Whether a request comes from this machine itself, by its own name and through no other server. Opened to the
    house, that is what the server says of the connection and nothing else: what it does not say is not so."""
    if the_house().port is not None:
        near = request.environ.get(HERE) is True
    else:  # it listens to this machine alone
        near = _is_loopback(request.remote_addr or "")
    return (near and bool(LOOPBACK_NAME.fullmatch(request.headers.get("Host", "")))
            and not any(name in request.headers for name in _FORWARDED))


def _who(now: datetime) -> tuple[str | None, house.Device | None]:
    """Who asks: the owner, somebody who may look only, or nobody known; and by which device."""
    with house.opened(current_app.config["DATABASE"]) as file:
        if from_here() and not (file is not None and house.choice(file, "asked here") == "yes"):
            return OWNER, None
        token = session.get("door")
        if file is None or not isinstance(token, str):
            return None, None
        found = house.device(file, mark_of(token), now)
        if found is None:
            return None, None
        with suppress(sqlite3.Error):  # a disk that takes nothing
            house.note_seen(file, found, now)
        return found.who, found


def came_in(app: Flask, cookies: str) -> bool:
    """Whether these cookies are of a device that was let in, before anything is asked of it."""
    signed = app.session_interface.get_signing_serializer(app)  # type: ignore[attr-defined] # of ours there is one
    cookie = parse_cookie(cookies).get(app.config["SESSION_COOKIE_NAME"], "")
    try:
        token = signed.loads(cookie).get("door")
    except BadSignature:
        return False
    with house.opened(app.config["DATABASE"]) as file:
        known = file is not None and isinstance(token, str) and house.device(file, mark_of(token), clock.now())
    return bool(known)


def _is_loopback(address: str) -> bool:
    try:
        return ip_address(address).is_loopback
    except ValueError:
        return False


def wrong_tries() -> str | None:
    """That somebody guessed at the passphrase in the last day, in words."""
    with house.opened(current_app.config["DATABASE"]) as file:
        return None if file is None else words.wrong_tries(house.wrong_since(file, g.now - timedelta(days=1)))


def mark_of(token: str) -> str:
    """What is kept of a session's token: who reads the file can let nobody in by it."""
    return hashlib.sha256(token.encode()).hexdigest()


def let_in(who: str, name: str, now: datetime, by: int | None = None) -> None:
    """Begin a session of its own for a device; `by` is the one whose code let it in."""
    token = secrets.token_urlsafe(32)
    with house.opened(current_app.config["DATABASE"]) as file:
        assert file is not None  # there is a passphrase
        house.let_in(file, mark_of(token), who, name, now, by)
    session.clear()
    session["door"] = token
    session.permanent = True


def _by_token(may: str) -> ResponseReturnValue | None:
    """A token that may do just this, with just this rig; a calendar, which can say nothing else, has it in its
    address."""
    kind, _, told = request.headers.get("Authorization", "").partition(" ")
    if kind.lower() != "bearer":
        told = request.args.get("key", "") if may == "calendar" else ""
    with house.opened(current_app.config["DATABASE"]) as file:
        found = house.token(file, mark_of(told.strip()), g.now) if file is not None and told else None
    if found is None or (found.may, found.rig_id) != (may, (request.view_args or {}).get("rig_id")):
        answer = jsonify(error="Found no token that may do this, expected one made for it on the page of the house.")
        answer.status_code, answer.headers["WWW-Authenticate"] = 401, "Bearer"
        return answer
    return None


def _unencrypted() -> ResponseReturnValue | None:
    """Where it is encrypted, nothing else is answered in the clear but what leads there."""
    if not the_house().encrypted or request.is_secure or from_here() or request.endpoint in TRUST:
        return None
    if request.method == "GET":
        return redirect("https" + request.url.removeprefix("http"))
    return errors.page(403, "That came unencrypted", "Its address begins with https. Nothing was written.")


def _ask() -> ResponseReturnValue | None:
    g.now = clock.now()
    g.who, g.device = None, None
    instead = _unencrypted()
    if instead is not None:
        return instead
    if request.endpoint in TRUST:
        return None
    if request.endpoint in GIVEN:
        return _by_token(GIVEN[request.endpoint])
    g.who, g.device = _who(g.now)
    if g.who == OWNER or request.endpoint in OPEN:
        return None
    if g.who == LOOK_ONLY:
        reads = request.method in ("GET", "HEAD")
        if request.endpoint in LOOKED_AT and (reads or request.endpoint in SENT_TO_LOOK):
            return None
        return errors.page(403, "Only to look at", "This device may see Today, its plan and the card, and change "
                                                   "nothing. Nothing was written.")
    if request.method == "GET" and "HX-Request" not in request.headers:
        return redirect(url_for("house.enter", next=request.full_path.rstrip("?")[:300]))
    return errors.page(401, "Who is it?", "This device has to come in again, at the first page of this address. "
                                          "Nothing was written.")
