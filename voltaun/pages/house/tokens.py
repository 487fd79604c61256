"""Tokens for small devices and calendars: made, shown once, and taken away."""

import secrets

from flask import abort, current_app, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.database import house, rigs
from voltaun.pages import context, door
from voltaun.words import house as words


def make_token() -> ResponseReturnValue:
    """Make one and show it, this once."""
    may, rig_id = request.form.get("may", ""), request.form.get("rig", type=int)
    if may not in words.MAY or rig_id not in dict(rigs.names(context.db())):
        abort(400)
    token = secrets.token_urlsafe(32)
    with house.opened(current_app.config["DATABASE"], create=True) as file:
        assert file is not None
        name = request.form.get("name", "").strip() or words.MAY[may]
        house.add_token(file, door.mark_of(token), may, rig_id, name, g.device.id if g.device else None)
    return render_template("house/token.html", token=token, may=may, rig_id=rig_id,
                           authority=door.the_house().authority is not None,
                           address=(door.reached_at() or [request.host_url.rstrip("/")])[0])


def take_away(token_id: int) -> ResponseReturnValue:
    """Take one away."""
    with house.opened(current_app.config["DATABASE"]) as file:
        if file is None or not house.take_away(file, token_id):
            abort(404)
    flash("That token opens nothing any more.")
    return redirect(url_for("house.show"), 303)
