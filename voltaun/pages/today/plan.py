"""The day's plan on Today: ticking a line off, moving it, dropping it."""

from datetime import date

from flask import Response, abort, flash, g, redirect, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.dayplan.tonight import Answer, Tonight, may_run
from voltaun.core.units import QuantityError, clock_hour, parse
from voltaun.database import dayplan
from voltaun.database.connection import transaction
from voltaun.pages import context, frame


def mark() -> ResponseReturnValue:
    """Keep what was done with a line of the plan: done, not done, moved, dropped or put back."""
    name, day = request.form.get("name", ""), _day()
    if name not in {load.name for load in context.rig().loads if load.movable}:
        abort(400)
    doing = request.form.get("doing", "")
    try:
        begin = clock_hour(request.form.get("begin", "")) % 24 if doing == "move" else None
    except QuantityError as error:
        flash(f"Nothing was moved: {error}.")
        return _back()
    with transaction(context.writer()) as db:
        if doing in ("done", "open"):
            dayplan.set_done(db, g.kept.id, day, name, doing == "done")
        elif doing in ("move", "drop"):
            dayplan.move(db, g.kept.id, day, name, begin)
        elif doing == "back":
            dayplan.put_back(db, g.kept.id, day, name)
        else:
            abort(400)
    return _back()


def _day() -> date:
    try:
        return date.fromisoformat(request.form.get("day", ""))
    except ValueError:
        abort(400)


def _back() -> ResponseReturnValue:
    return redirect(url_for("today.show", rig_id=g.kept.id) + "#plan", 303)


def seen() -> Response:
    """What an open page asks now and then: whether another device kept something."""
    return Response(frame.seen_mark() or "", content_type="text/plain; charset=utf-8")


def calendar() -> ResponseReturnValue:
    """The placed loads as a calendar file."""
    from voltaun.formats.calendar import write_plan
    made = context.look().plan
    placed = made.placing.placed if made and made.placing else ()
    return Response(write_plan(context.rig(), placed, g.now), content_type="text/calendar; charset=utf-8",
                    headers={"Content-Disposition": 'attachment; filename="day-plan.ics"'})


def asked_of_tonight(tonight: Tonight) -> tuple[dict[str, str], Answer | None, str]:
    """A load that was typed on the spot: what was typed, whether it may run, or what is wrong with it."""
    typed = {name: request.args.get(name, "")[:80] for name in ("watts", "side", "for")}
    if not typed["watts"]:
        return typed, None, ""
    try:
        watts = parse(typed["watts"], "power", low=1, high=1e6)
        hours = parse(typed["for"] or "1", "duration", low=1 / 60, high=24)
    except QuantityError as error:
        return typed, None, f"{str(error)[:1].upper()}{str(error)[1:]}."
    side = "dc" if typed["side"] == "dc" else "ac"
    return typed, may_run(context.rig(), tonight.may_spend_wh, watts, side, hours), ""
