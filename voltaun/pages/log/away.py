"""Readings typed out of reach: the page that a phone keeps, and how what waited on it is taken in, each once."""

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from flask import Response, current_app, g, jsonify, render_template, request, send_from_directory
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import generate_csrf

from voltaun.core.log.reading import Reading, of_kind
from voltaun.database import readings, rigs
from voltaun.database.connection import transaction
from voltaun.database.rigs import KeptRig
from voltaun.pages import context
from voltaun.pages.days import shown_time
from voltaun.pages.reading import asking
from voltaun.pages.reading.forms import ReadingForm
from voltaun.words import sentences as words

BESIDE = 30
"""Where another reading stands at a minute, the next free one of so many is taken."""


def worker() -> Response:
    """The script that stands in for the server while that is out of reach."""
    answer = send_from_directory(str(current_app.static_folder), "sw.js", max_age=0)
    answer.headers["Service-Worker-Allowed"] = "/"
    return answer


def page() -> str:
    """What a phone shows while the server is out of reach: the entry of each rig, and what waits."""
    told = []
    for rig_id, _ in rigs.names(context.db()):
        kept = rigs.get(context.db(), rig_id)
        if kept is not None:
            form = ReadingForm(kept.rig, g.now, prefix=f"r{kept.id}-")
            form.at.process_data(None)  # the page is kept, and that moment passes
            told.append((kept, form, _newest(kept)))
    return render_template("log/away.html", rigs=told)


def _newest(kept: KeptRig) -> Reading | None:
    found = readings.before(context.db(), kept.id, readings.FOREVER, 1)
    return found[-1].reading if found else None


def mark() -> Response:
    """The mark that sending needs, and whose file this is."""
    return jsonify(mark=generate_csrf(), file=current_app.config["SESSION_COOKIE_NAME"])


def send() -> ResponseReturnValue:
    """Take one in that waited on a phone. Sent again it is kept once; beside another one of its minute, not over it."""
    given = request.form.get("sent", "")
    if not re.fullmatch(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}", given):
        return _answer("refused", ["Found no mark of its own with it, expected one."], 400)
    if readings.was_sent(context.db(), given):
        return _answer("kept", [])
    form = ReadingForm(context.rig(), _typed_at())
    if not form.validate():
        return _answer("refused", [str(fault) for faults in form.errors.values() for fault in faults], 422)
    if asking.unsure([form]):
        return _answer("asked", [words.doubt_words(doubt, context.rig()) for doubt in form.doubts], 409, sure=form.mark)
    reading = form.reading()
    with transaction(context.writer()) as db:
        if readings.was_sent(db, given):
            return _answer("kept", [])
        kept = _beside(reading, given)
    if kept is None:
        return _answer("refused", [f"Found readings at all minutes from {shown_time(reading.at.astimezone(_zone()))} "
                                   "on, expected a free one."], 409)
    return _answer("kept", _remarks(reading, kept))


def _typed_at() -> datetime:
    """When it was typed, by the phone's clock; not after now, unless the machine's has lost its battery."""
    try:
        told = datetime.fromisoformat(request.form.get("typed", ""))
    except ValueError:
        return _now()
    if told.tzinfo is None:
        return _now()
    wrong = g.get("clock")
    return told.astimezone(UTC) if wrong and wrong.dead else min(told.astimezone(UTC), _now())


def _now() -> datetime:
    now: datetime = g.now
    return now


def _zone() -> ZoneInfo:
    return context.rig().zone


def _beside(reading: Reading, given: str) -> Reading | None:
    """Keep it at its minute, or at the next free one; the same one that stands there already is it."""
    for minutes in range(BESIDE):
        wanted = replace(reading, at=reading.at + timedelta(minutes=minutes))
        taken = readings.at(context.writer(), g.kept.id, wanted.at)
        if taken is not None and taken.reading != wanted:
            continue
        if taken is None:
            readings.add(context.writer(), g.kept.id, wanted, g.now)
            taken = readings.at(context.writer(), g.kept.id, wanted.at)
            assert taken is not None  # it was added just now
        readings.note_sent(context.writer(), given, taken.id)
        return wanted
    return None


def _remarks(typed: Reading, kept: Reading) -> list[str]:
    """What who typed it should know: that it stands a minute on, and that another one came between."""
    told, zone = [], _zone()
    if kept.at != typed.at:
        told.append(f"Another reading stands at {shown_time(typed.at.astimezone(zone))} already; this one is kept "
                    f"beside it, at {kept.at.astimezone(zone):%H:%M}.")
    try:
        base = datetime.fromisoformat(request.form.get("base", ""))
    except ValueError:
        return told
    if base.tzinfo is None or all(getattr(kept, of.name) is None for of in of_kind("energy")):
        return told
    between = [of.reading.at for of in readings.before(context.db(), g.kept.id, kept.at, 1) if of.reading.at > base]
    if between:
        told.append(f"Meanwhile one of {shown_time(between[0].astimezone(zone))} was kept: the Wh of this one count "
                    "from there. Look whether that is so.")
    return told


def _answer(state: str, said: list[str], code: int = 200, **more: Any) -> ResponseReturnValue:
    return jsonify(state=state, words=said, **more), code
