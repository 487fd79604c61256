"""Log: the ruled table; a day edited in place, removed with undo; import and export."""

from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from flask import Response, abort, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from voltaun.core.instants import day_start, local_day
from voltaun.core.log.events import last_done
from voltaun.core.log.reading import ANSWERS, FIELDS, Reading
from voltaun.core.units import QuantityError
from voltaun.database import monitors, readings, settings
from voltaun.database.connection import transaction
from voltaun.database.readings import KeptReading
from voltaun.pages import context
from voltaun.pages.days import day_from
from voltaun.pages.figures import strip
from voltaun.pages.log.mappings import kept_mappings
from voltaun.pages.log.sheet import Sheet
from voltaun.pages.reading import asking
from voltaun.pages.reading.forms import ReadingForm
from voltaun.pages.today import views as today
from voltaun.words import taught
from voltaun.words.readings import done_words, events_words, field_shown, field_words
from voltaun.words.sentences import begin
from voltaun.words.units import show_percent

WEEKS_SHOWN = 3
REACH = 60
"""Days before the table in which the reading before its first one is looked for."""


def show() -> tuple[str, int]:
    """The table, some weeks of it up to `day` (or to the latest reading)."""
    editing = request.args.get("edit", type=int)
    kept = readings.get(context.db(), g.kept.id, editing) if editing else None
    form = ReadingForm(context.rig(), g.now, kept.reading) if kept else None
    return render(editing=kept, form=form, history=_history(kept.id) if kept else ())


def render(editing: KeptReading | None = None, form: ReadingForm | None = None, status: int = 200,
           **extra: Any) -> tuple[str, int]:
    """The page; `editing` the reading that is open in place, with its form."""
    day, no_day = _asked_day()
    sheet, today_is = _sheet(day), local_day(g.now, context.rig().zone)
    done = [(done_words(of, today_is), of.beside) for of in last_done(context.events(), today_is)]
    return render_template("log/log.html", taught=taught, sheet=sheet, editing=editing, form=form, asked=day,
                           no_day=no_day, done=done, events_words=events_words, strips=_strips(sheet),
                           mappings=list(kept_mappings()), **extra), status


def _strips(sheet: Sheet) -> list[Markup]:
    """The sheet's weeks as a strip, and the last two of them for a phone."""
    rig = context.rig()
    columns = strip.columns(sheet.first, min(sheet.last, local_day(g.now, rig.zone)), sheet.days, None,
                            done=context.marked_days())
    levels = [(interval.end, interval.soc_end, interval.soc_basis == "read")
              for interval in sheet.intervals if interval.soc_end is not None]
    floors = (rig.bank.everyday_floor, rig.bank.hard_floor)
    return [strip.draw(size, shown, levels, None, floors, rig.zone, g.now, url_for("log.show", rig_id=g.kept.id))
            for size, shown in ((strip.WIDE, columns), (strip.NARROW, columns[-12:])) if shown]


def _history(reading_id: int) -> list[tuple[Any, ...]]:
    """What was done to a reading: (when, what, the figures that it changed as words), the latest first."""
    zone, told = context.rig().zone, []
    for change in readings.history(context.db(), g.kept.id, reading_id):
        told.append((change.at.astimezone(zone), change.action, _differences(change.before, change.after, zone)))
    return told[::-1]


def _differences(before: Reading | None, after: Reading | None, zone: ZoneInfo) -> str:
    if before is None or after is None:
        return ""
    return "; ".join(f"{field_words(of)} {field_shown(of, before, zone, 'nothing')} → "
                     f"{field_shown(of, after, zone, 'nothing')}" for of in FIELDS
                     if getattr(before, of.name) != getattr(after, of.name))


def _asked_day() -> tuple[date | None, str]:
    """The day that is looked for, None for none; and what is wrong with what was typed."""
    typed = request.args.get("day", "").strip()
    if not typed:
        return None, ""
    try:
        day = day_from(typed, local_day(g.now, context.rig().zone))
    except QuantityError as error:
        return None, f"Found {error.found}, expected {error.expected}, such as 2 Oct."
    return min(max(day, date(1970, 6, 1)), date(2199, 6, 1)), ""


def _sheet(day: date | None) -> Sheet:
    """Some weeks of the log, out of the whole of it reckoned."""
    rig = context.rig()
    last = day + timedelta(days=6 - day.weekday()) if day else local_day(g.now, rig.zone)
    end = day_start(last + timedelta(days=1), rig.zone)
    if day is None:
        end = max(end, g.now)
    first = last - timedelta(days=last.weekday() + 7 * (WEEKS_SHOWN - 1))
    first_instant = day_start(first, rig.zone)
    kept = readings.since(context.db(), g.kept.id, first_instant - timedelta(days=REACH), end)
    account = replace(context.whole(), intervals=context.intervals_between(first_instant, end))
    days = context.days_from(first, last)
    older = readings.before(context.db(), g.kept.id, first_instant, 1)
    newer = readings.first_from(context.db(), g.kept.id, end)
    marks = monitors.marks(context.db(), g.kept.id, first_instant, end)
    return Sheet(rig, kept, account, days, first, last, bool(older), newer is not None, marks)


def add() -> ResponseReturnValue:
    """Keep a reading; from Today's line or from Log."""
    form = ReadingForm(context.rig(), g.now)
    if not form.validate():
        return today.render(form, 422)
    reading = form.reading()
    if asking.unsure([form]):
        return today.render(form, 409)
    try:
        with transaction(context.writer()) as db:
            change = readings.add(db, g.kept.id, reading, g.now)
    except readings.InstantTaken as taken:
        if taken.kept.reading == reading:
            flash("This reading was kept already; nothing was added.")
            return redirect(url_for("today.show", rig_id=g.kept.id), 303)
        form.at.errors = [taken_words(taken.kept)]
        return today.render(form, 409)
    _flash_kept("Kept.", form, change)
    return redirect(url_for("today.show", rig_id=g.kept.id), 303)


def _flash_kept(words: str, form: ReadingForm, change: int) -> None:
    flash(f"{words} {begin(form.at.remark)}." if form.at.remark else words, f"undo-{change}")


def taken_words(kept: KeptReading) -> str:
    at = kept.reading.at.astimezone(context.rig().zone)
    return (f"A reading at {at:%Y-%m-%d %H:%M} with {show_percent(kept.reading.soc)} is kept already, expected "
            "another time; to change that one, open it in the log.")


def edit(reading_id: int) -> ResponseReturnValue:
    """Put a corrected reading in place of the one that was shown, or remove it."""
    version = request.form.get("version", 0, type=int)
    if "remove" in request.form:
        return _remove(reading_id, version)
    kept = readings.get(context.db(), g.kept.id, reading_id)
    form = ReadingForm(context.rig(), g.now, kept.reading if kept else None)
    if kept is None:
        # Gone, but what was typed is not: it stands in the line for a new reading.
        form.validate()
        form.at.errors = [_changed_words(None)]
        return today.render(form, 409)
    if not form.validate():
        return render(kept, form, 422)
    if asking.unsure([form], kept.reading):
        return render(kept, form, 409)
    try:
        with transaction(context.writer()) as db:
            change = readings.edit(db, g.kept.id, reading_id, version, form.reading(), g.now)
    except readings.InstantTaken as taken:
        form.at.errors = [taken_words(taken.kept)]
        return render(kept, form, 409)
    except readings.ReadingChanged as changed:
        if changed.kept is not None and changed.kept.reading == form.reading():
            flash("This reading was changed so already.")
            return _back(changed.kept.reading.at)
        form.at.errors = [_changed_words(changed.kept)]
        return today.render(form, 409) if changed.kept is None else render(changed.kept, form, 409)
    _flash_kept("Changed.", form, change)
    return _back(form.at.data)


def _changed_words(kept: KeptReading | None) -> str:
    if kept is None:
        return ("This reading was removed meanwhile, perhaps in another window. What you typed is still here; keep it "
                "as a new one.")
    at = kept.reading.at.astimezone(context.rig().zone)
    return (f"This reading was changed meanwhile, perhaps in another window: it is now {at:%Y-%m-%d %H:%M}, "
            f"{show_percent(kept.reading.soc)}. What you typed is still here; keep it to put it in place.")


def _remove(reading_id: int, version: int) -> ResponseReturnValue:
    try:
        with transaction(context.writer()) as db:
            kept = readings.get(db, g.kept.id, reading_id)
            change = readings.remove(db, g.kept.id, reading_id, version, g.now)
    except readings.ReadingChanged:
        flash("This reading was changed or removed meanwhile, perhaps in another window; nothing was removed now.")
        return redirect(url_for("log.show", rig_id=g.kept.id), 303)
    flash("Removed.", f"undo-{change}")
    return _back(kept.reading.at if kept else g.now)


def answer(reading_id: int) -> ResponseReturnValue:
    """Say of a mark that the monitor set itself, that the figures are right, or take such an answer away."""
    said = request.form.get("answer", "")
    kept = readings.get(context.db(), g.kept.id, reading_id)
    if kept is None or said not in ANSWERS:
        abort(404 if kept is None else 400)
    try:
        with transaction(context.writer()) as db:
            change = readings.edit(db, g.kept.id, reading_id, request.form.get("version", 0, type=int),
                                   replace(kept.reading, answer=said), g.now)
    except readings.ReadingChanged:
        flash("This reading was changed meanwhile, perhaps in another window; look at it again.")
        return _back(kept.reading.at if kept else g.now)
    flash({"reset": "Noted: what moved the level there is not booked.", "right": "Noted: the figures are right.",
           "": "The answer is taken away."}[said], f"undo-{change}")
    return _back(kept.reading.at if kept else g.now)


def undo(change_id: int) -> ResponseReturnValue:
    """Take a change back."""
    try:
        with transaction(context.writer()) as db:
            at = readings.undo(db, g.kept.id, change_id, g.now)
    except readings.ReadingChanged:
        flash("It was changed again since; nothing was taken back.")
    except readings.InstantTaken as taken:
        flash(taken_words(taken.kept))
    except LookupError:
        flash("There is nothing to take back.")
    else:
        flash("Taken back.")
        return _back(at)
    return redirect(url_for("log.show", rig_id=g.kept.id), 303)


def _back(at: datetime) -> ResponseReturnValue:
    """Back to where the reading stands."""
    return redirect(url_for("log.show", rig_id=g.kept.id, day=local_day(at, context.rig().zone)), 303)


def export_log() -> ResponseReturnValue:
    """The whole log as CSV, reckoned figures marked as such."""
    from voltaun.formats.log_csv import write_log
    logged = [each.reading for each in readings.everything(context.db(), g.kept.id)]
    return _download(write_log(context.rig(), logged, context.whole().intervals), "text/csv", "log.csv")


def export_rig() -> ResponseReturnValue:
    """The rig as a rig file."""
    from voltaun.formats.rig_file import write_rig
    return _download(write_rig(context.rig()), "application/json", "rig.json")


def export_archive() -> ResponseReturnValue:
    """Everything of this rig as an archive, or with `all` of every rig, the removed ones too."""
    from voltaun.database import archive
    from voltaun.formats.archive import write_archive
    numbers = archive.everything(context.db()) if "all" in request.args else [g.kept.id]
    text = write_archive(archive.schema(), [archive.rig_archive(context.db(), number) for number in numbers],
                         settings.told(context.db()))
    return _download(text, "application/json", "archive.json", "all-rigs" if "all" in request.args else "")


def _download(text: str, kind: str, ending: str, name: str = "") -> ResponseReturnValue:
    name = name or "".join(letter if letter.isascii() and letter.isalnum() else "-"
                           for letter in context.rig().name.lower())
    return Response(text, content_type=f"{kind}; charset=utf-8",
                    headers={"Content-Disposition": f'attachment; filename="{name}.{ending}"'})

