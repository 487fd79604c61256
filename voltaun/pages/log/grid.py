"""Typing several days in from a paper log: a grid, with the keyboard alone, kept whole or not at all."""

from datetime import datetime, timedelta

from flask import flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.log.reading import Reading
from voltaun.database import imports, readings
from voltaun.database.connection import transaction
from voltaun.pages import context
from voltaun.pages.log.views import taken_words
from voltaun.pages.reading import asking
from voltaun.pages.reading.forms import ReadingForm
from voltaun.words.sentences import counted

ROWS, MOST_ROWS = 7, 31


def grid() -> tuple[str, int]:
    """A week of empty rows, dated on from the last reading."""
    last = readings.before(context.db(), g.kept.id, g.now, 1)
    start = last[-1].reading.at if last else g.now - timedelta(days=ROWS)
    dates = [start + timedelta(days=n + 1) for n in range(ROWS)]
    while dates and dates[-1] > g.now:
        dates = [each - timedelta(days=1) for each in dates]
    return _render([_row(n, at) for n, at in enumerate(dates)])


def _row(n: int, at: datetime | None = None) -> ReadingForm:
    return ReadingForm(context.rig(), g.now, Reading(at) if at else None, prefix=f"r{n}-")


def _render(rows: list[ReadingForm], status: int = 200, asked_mark: str = "") -> tuple[str, int]:
    asked = rows[0] if rows else _row(0)
    more = [box for box in asked.boxes("more") if box.field.short_name in ("full_at", "note")]
    columns = [*asked.boxes("main"), *more]
    return render_template("log/grid.html", rows=rows, columns=columns, asked_mark=asked_mark), status


def keep_grid() -> ResponseReturnValue:
    """Keep every row that has a figure in it, or none and say what is wrong where."""
    count = min(MOST_ROWS, sum(name.endswith("-at") for name in request.form))
    rows = [_row(n) for n in range(count)]
    filled = [row for row in rows if row.filled()]
    if not filled:
        if rows:
            rows[0].soc.errors = ["Found nothing to keep, expected a figure in at least one row."]
        return _render(rows, 422)
    whole = [row.validate() for row in filled]  # each of them, so that every fault is shown at once
    if not all(whole):
        return _render(rows, 422)
    if asking.unsure(filled):
        return _render(rows, 409, "" if "correct" in request.form else asking.mark(filled))
    try:
        with transaction(context.writer()) as db:
            import_id = imports.begin(db, g.kept.id, "grid", "", g.now)
            imports.note(db, import_id, len(filled))
            for row in filled:
                try:
                    readings.add(db, g.kept.id, row.reading(), g.now, import_id)
                except readings.InstantTaken as taken:
                    row.at.errors = [taken_words(taken.kept)]
                    raise
    except readings.InstantTaken:
        return _render(rows, 409)
    flash(f"{counted(len(filled), 'reading')} kept.", f"back-import-{import_id}")
    return redirect(url_for("log.show", rig_id=g.kept.id), 303)
