"""Readings typed out of reach: the page that a phone keeps, and how what waited on it is taken in, each once."""

import re
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from flask import Response, current_app, g, jsonify, render_template, request, send_from_directory
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import generate_csrf

from voltaun.core.log.reading import Reading, of_kind
from voltaun.database import readings, rigs, settings
from voltaun.database.connection import transaction
from voltaun.database.readings import KeptReading
from voltaun.database.rigs import KeptRig
from voltaun.pages import context
from voltaun.pages.days import CLOCKS_APART, FIRST_YEAR, LAST_YEAR, shown_time
from voltaun.pages.reading import asking
from voltaun.pages.reading.forms import ReadingForm
from voltaun.words import sentences as words
from voltaun.words import waiting

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
    return render_template("log/away.html", rigs=told, log_is=settings.identity(context.db()))


def _newest(kept: KeptRig) -> Reading | None:
    found = readings.before(context.db(), kept.id, readings.FOREVER, 1)
    return found[-1].reading if found else None


def mark() -> Response:
    """The mark that sending needs, and which log this is."""
    return jsonify(mark=generate_csrf(), file=settings.identity(context.db()))


def send() -> ResponseReturnValue:
    """Take one in that waited on a phone. Sent again it is kept once; beside another one of its minute, not over it;
    and where it was changed on the phone after it was sent once, the one that was kept is changed."""
    given = request.form.get("sent", "")
    if not re.fullmatch(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}", given):
        return _answer("refused", ["Found no mark of its own with it, expected one."], 400)
    stands = readings.sent(context.db(), g.kept.id, given)
    if stands is not None and "changed" not in request.form:
        return _answer("kept", _became(stands))
    typed = _typed()
    if typed is None:
        return _answer("refused", [waiting.NO_SUCH_YEAR], 422)
    form = ReadingForm(context.rig(), typed.at)
    if form.validate():
        asked = _clock_asked(typed, form.reading())
        if asked is not None:
            return asked
    elif typed.by_here:  # a day and hour that lie ahead of the phone's clock alone
        form = ReadingForm(context.rig(), typed.by_here)
    if not form.validate():
        return _answer("refused", [str(fault) for faults in form.errors.values() for fault in faults], 422)
    if asking.unsure([form], stands.kept.reading if stands and stands.kept else None):
        return _answer("asked", [words.doubt_words(doubt, context.rig()) for doubt in form.doubts], 409,
                       choices=[[{"sure": form.mark}, waiting.YES]])
    return _keep(form.reading(), given)


def _keep(reading: Reading, given: str) -> ResponseReturnValue:
    """Keep it, or put it in place of what the same device sent before; where the log and the phone both changed that,
    it is asked which of the two is meant."""
    with transaction(context.writer()) as db:
        stands = readings.sent(db, g.kept.id, given)
        if stands is not None and "changed" not in request.form:  # another try of it was taken in just now
            return _answer("kept", _became(stands))
        over = request.form.get("over", "")
        if stands is None or stands.kept is None and over == "anew":
            kept = _beside(reading, given)
        elif over == "log":
            return _answer("kept", _became(stands))
        elif stands.kept is not None and (not stands.changed or over == str(stands.kept.version)):
            return _answer("kept", _put_in_place(stands.kept, reading, given))
        elif stands.kept is not None:
            return _answer("asked", [waiting.both_changed(stands.kept.reading, _zone())], 409, choices=[
                [{"over": str(stands.kept.version)}, waiting.MINE], [{"over": "log"}, waiting.THEIRS]])
        else:
            return _answer("asked", [waiting.REMOVED], 409, choices=[[{"over": "anew"}, waiting.ANEW],
                                                                     [{"over": "log"}, waiting.NOT_ANEW]])
    if kept is None:
        return _answer("refused", [f"Found readings at all minutes from {shown_time(reading.at.astimezone(_zone()))} "
                                   "on, expected a free one."], 409)
    return _answer("kept", _remarks(reading, kept))


def _became(stands: readings.Sent) -> list[str]:
    """What who sent it once more should know of it: that it is another now, or gone."""
    if stands.kept is None:
        return [waiting.REMOVED]
    return [waiting.is_now(stands.kept.reading, _zone())] if stands.changed else []


def _put_in_place(stands: KeptReading, reading: Reading, given: str) -> list[str]:
    """Change the reading that was kept to what the phone says now; at its own minute, where it had been put beside."""
    moved = stands.reading.at - reading.at
    if timedelta(0) <= moved < timedelta(minutes=BESIDE):
        reading = replace(reading, at=stands.reading.at)
    taken = readings.at(context.writer(), g.kept.id, reading.at)
    if reading == stands.reading or taken is not None and taken.id != stands.id:
        return [waiting.is_now(stands.reading, _zone())] if reading != stands.reading else []
    readings.edit(context.writer(), g.kept.id, stands.id, stands.version, reading, g.now)
    readings.note_sent(context.writer(), given, stands.id)
    return [waiting.changed(stands.reading, _zone())]


@dataclass(frozen=True)
class _Typed:
    """When something was typed, by the phone's clock, and by this one where the two differ when it is sent."""

    by_phone: datetime
    sent_by_phone: datetime
    by_here: datetime | None = None
    odd: bool = False

    @property
    def at(self) -> datetime:
        """The moment that stands: what was chosen, else the phone's."""
        return self.by_here if self.by_here is not None and request.form.get("by") == "here" else self.by_phone


LONG_WAITING = timedelta(days=60)
"""Nothing waits on a phone for longer without a question."""


def _typed() -> _Typed | None:
    """When it was typed. Clocks are compared as it is sent: one of them is off where they differ, and a phone that was
    put right since says it by a moment that lies ahead, or before what it had shown already. None for a year that no
    log holds."""
    typed, sending, base = _moment("typed") or _now(), _moment("clock") or _now(), _moment("base")
    if not all(FIRST_YEAR <= at.year <= LAST_YEAR for at in (typed, sending)):
        return None
    wrong = g.get("clock")
    if wrong and wrong.dead:
        return _Typed(typed, sending)
    off = _now() - sending
    if abs(off) > CLOCKS_APART:
        return _Typed(typed, sending, min(typed + off, _now()), odd=True)
    odd = typed > _now() + CLOCKS_APART or _now() - typed > LONG_WAITING or base is not None and typed < base
    return _Typed(typed if odd else min(typed, _now()), sending, odd=odd)


def _moment(name: str) -> datetime | None:
    """A moment that the phone says, UTC; None where it says none."""
    try:
        told = datetime.fromisoformat(request.form.get(name, ""))
        return None if told.tzinfo is None else told.astimezone(UTC)
    except OverflowError:
        return datetime.max.replace(tzinfo=UTC)
    except ValueError:
        return None


def _clock_asked(typed: _Typed, reading: Reading) -> ResponseReturnValue | None:
    """The question by whose clock it is meant, where that makes a difference; None where nothing is to be asked."""
    if not typed.odd or request.form.get("by") in ("here", "phone"):
        return None
    other = ReadingForm(context.rig(), typed.by_here or _now())
    if other.validate() and other.reading().at == reading.at:  # it was typed with its day and hour
        return None
    here = [[{"by": "here"}, waiting.keep_at(other.reading().at, _zone())]] if typed.by_here else []
    phone = [[{"by": "phone"}, waiting.keep_at_phones(reading.at, _zone())]] if reading.at <= _now() else []
    said = (waiting.clocks_differ(typed.sent_by_phone, _now(), _zone()) if typed.by_here else
            waiting.odd_moment(typed.by_phone, _zone()))
    return _answer("asked", [said], 409, choices=[*here, *phone])


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
