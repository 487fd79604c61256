"""The house: the way in for phones, and what its owner sees and says of it."""

import time

import segno
from flask import Response, abort, current_app, flash, g, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from voltaun.database import house, rigs
from voltaun.database.house import LOOK_ONLY, OWNER
from voltaun.house import passphrases
from voltaun.house.codes import shown
from voltaun.pages import context, door, security
from voltaun.words import house as words


def enter() -> ResponseReturnValue:
    """The door."""
    if g.who == OWNER and "code" not in request.args:
        return redirect(_next())
    return _door()


def _door(status: int = 200, fault: str | None = None) -> tuple[str, int]:
    with house.opened(current_app.config["DATABASE"]) as file:
        shut = file is None or house.passphrase(file, OWNER) is None
    code = request.values.get("code", "")[:20]
    return render_template("house/enter.html", fault=fault, shut=shut, code="" if fault else code,
                           next=_next(), usual=words.device(request.headers.get("User-Agent", ""))), status


def _next() -> str:
    return security.own_path(request.values.get("next", "/"))


def come_in() -> ResponseReturnValue:
    """Let a device in by the passphrase, or by a code; wrong tries have to wait."""
    of, address, at = door.the_house(), request.remote_addr or "", time.monotonic()
    waits = of.guesses.begin(address, at)
    if waits > 0:
        page, _ = _door(fault=words.wait(waits))
        return page, 429, {"Retry-After": str(int(waits) + 1)}
    came = of.codes.take(request.form["code"], at) if request.form.get("code") else None
    who = came.who if came else None if request.form.get("code") else _by_passphrase()
    if who is None:
        with house.opened(current_app.config["DATABASE"]) as file:
            if file is not None:
                house.note_wrong(file, address, g.now)
        return _door(401, words.WRONG_CODE if request.form.get("code") else words.WRONG)
    of.guesses.right(address)
    name = request.form.get("name", "").strip() or words.device(request.headers.get("User-Agent", ""))
    door.let_in(who, name, g.now, came.by if came else None)
    return redirect(_next(), 303)


def _by_passphrase() -> str | None:
    with house.opened(current_app.config["DATABASE"]) as file:
        if file is None:
            return None
        kept = [house.passphrase(file, who) for who in (OWNER, LOOK_ONLY)]
    right = passphrases.opens(request.form.get("passphrase", ""), kept)
    return next((who for who, fits in zip((OWNER, LOOK_ONLY), right, strict=True) if fits), None)


def leave() -> ResponseReturnValue:
    """This device goes."""
    if g.device is not None:
        _let_out(g.device.id)
    session.clear()
    return redirect(url_for("house.enter"), 303)


def show() -> tuple[str, int]:
    """Who may come in, by what address, and who is in."""
    return _render()


def trust() -> str:
    """How a phone is told to believe this server."""
    of = door.the_house()
    if of.authority is None:
        abort(404)
    return render_template("house/trust.html", mark=of.mark, onward=f"https://{request.headers['Host']}/")


def authority() -> Response:
    """The certificate itself."""
    of = door.the_house()
    if of.authority is None:
        abort(404)
    return Response(of.authority.read_bytes(), content_type="application/x-x509-ca-cert",
                    headers={"Content-Disposition": "attachment; filename=voltaun-house.crt"})


def _render(status: int = 200, fault: tuple[str, str] | None = None) -> tuple[str, int]:
    of = door.the_house()
    with house.opened(current_app.config["DATABASE"]) as file:
        has = {who: file is not None and house.passphrase(file, who) is not None for who in (OWNER, LOOK_ONLY)}
        devices = house.devices(file) if file is not None else []
        tokens = house.tokens(file) if file is not None else []
        here = file is not None and house.choice(file, "asked here") == "yes"
    addresses = door.reached_at()
    code = of.codes.newest(time.monotonic()) if addresses else None
    aim = addresses[0] + url_for("house.enter", code=code[0] if code else None) if addresses else None
    return render_template("house/house.html", addresses=addresses, has_passphrase=has[OWNER], has_look=has[LOOK_ONLY],
                           devices=devices, tokens=tokens, rigs=dict(rigs.names(context.db())), here=here, code=code,
                           shown=shown, picture=_picture(aim) if aim else None, fault=fault,
                           offered=passphrases.made_up(), house_words=words, now=g.now,
                           own=g.device.id if g.device else None, house=of,
                           minutes=_minutes_yet(code[1].until) if code else None,
                           broken=house.broken(current_app.config["DATABASE"])), status


def _minutes_yet(until: float) -> int:
    """For how many minutes yet a code lets in."""
    return max(1, -int(-(until - time.monotonic()) // 60))


def _picture(address: str) -> Markup:
    """An address as a picture that a phone reads."""
    return Markup(segno.make(address, error="m", micro=False).svg_inline(  # noqa: S704 # made of squares alone
        scale=5, border=3, svgclass="code-picture", lineclass=None, light="#fff"))


def make_code() -> ResponseReturnValue:
    """A code for one phone."""
    door.the_house().codes.make(LOOK_ONLY if request.form.get("who") == LOOK_ONLY else OWNER, time.monotonic(),
                                g.device.id if g.device else None)
    return redirect(url_for("house.show"), 303)


def let_out(device_id: int) -> ResponseReturnValue:
    """Let a device out."""
    gone = _let_out(device_id)
    if gone is None:
        abort(404)
    flash(words.let_out(len(gone.devices) - 1, gone.tokens))
    return redirect(url_for("house.show"), 303)


def _let_out(device_id: int) -> house.LetOut | None:
    """Let a device out, with all that it let in or made."""
    with house.opened(current_app.config["DATABASE"]) as file:
        gone = house.let_out(file, device_id) if file is not None else None
    if gone is not None:
        door.the_house().codes.clear(gone.devices)
    return gone


def keep_passphrase() -> ResponseReturnValue:
    """Another passphrase, or none for those who look only; whoever came in by the one before is let out. The one in use
    is asked for first, whoever asks."""
    who = LOOK_ONLY if request.form.get("who") == LOOK_ONLY else OWNER
    typed = request.form.get("passphrase", "")
    refused = _not_the_owners()
    if refused:
        return _render(422, (who, refused))
    remove = who == LOOK_ONLY and "remove" in request.form
    wrong = None if remove else passphrases.fault(typed)
    if wrong:
        return _render(422, (who, f"{wrong[0].upper()}{wrong[1:]}."))
    with house.opened(current_app.config["DATABASE"], create=True) as file:
        assert file is not None
        other = house.passphrase(file, OWNER if who == LOOK_ONLY else LOOK_ONLY)
        if not remove and passphrases.opens(typed, [other])[0]:
            return _render(422, (who, "Found the other passphrase, expected two that differ."))
        house.set_passphrase(file, who, None if remove else passphrases.hashed(typed),
                             request.form.getlist("stays", type=int))
    door.the_house().codes.clear()
    flash(words.changed(who == LOOK_ONLY, remove))
    return redirect(url_for("house.show"), 303)


def _not_the_owners() -> str | None:
    """Why another passphrase may not be kept: the one in use was not typed, or it has to wait, as at the door. None
    where it was, and where none is set yet."""
    of, address = door.the_house(), request.remote_addr or ""
    with house.opened(current_app.config["DATABASE"]) as file:
        kept = None if file is None else house.passphrase(file, OWNER)
    if kept is None:
        return None
    waits = of.guesses.begin(address, time.monotonic())
    if waits > 0:
        return words.wait(waits)
    if not passphrases.opens(request.form.get("passphrase_now", ""), [kept])[0]:
        return words.NOT_IN_USE
    of.guesses.right(address)
    return None


def ask_here() -> ResponseReturnValue:
    """Whether the passphrase is asked for on this machine too."""
    with house.opened(current_app.config["DATABASE"]) as file:
        if file is None or house.passphrase(file, OWNER) is None:
            return _render(422, ("here", "Found no passphrase, expected one first."))
        house.choose(file, "asked here", "yes" if request.form.get("asked") == "yes" else "no")
    return redirect(url_for("house.show"), 303)
