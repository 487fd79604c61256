"""Keeping the log safe: its copies, a second place for them, one made now."""

from pathlib import Path

from flask import current_app, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.database import backup, settings
from voltaun.database.connection import DatabaseFault, transaction
from voltaun.pages import context


def safe() -> tuple[str, int]:
    """The copies that there are."""
    return _render()


def _render(status: int = 200, fault: str | None = None, typed: str | None = None) -> tuple[str, int]:
    database = current_app.config["DATABASE"]
    second = settings.get(context.db(), "second_place") or ""
    places: list[tuple[str | None, list[backup.Copy]]] = [(None, backup.copies(database)[::-1])]
    if second:
        places.append((second, backup.copies(database, Path(second))[::-1]))
    return render_template("log/safe.html", places=places, second=second if typed is None else typed, fault=fault,
                           trouble=current_app.extensions["voltaun-copies"].trouble, database=database), status


def keep_place() -> ResponseReturnValue:
    """Keep where the second copies go, or make a copy now."""
    if "now" in request.form:
        try:
            made = backup.copy_now(context.db(), current_app.config["DATABASE"], g.now)
            flash(f"A copy is made: {made.name}.")
        except DatabaseFault as trouble:
            flash(f"No copy was made: {trouble}.")
        return redirect(url_for("log.safe", rig_id=g.kept.id), 303)
    typed = request.form.get("second", "").strip()
    if typed and not (Path(typed).is_absolute() and Path(typed).is_dir()):
        return _render(422, f"Found {typed[:200]!r}, expected a folder that is there, with its whole path, such as "
                            "/media/stick.", typed)
    if typed and Path(typed).resolve() == (current_app.config["DATABASE"].parent / "copies").resolve():
        return _render(422, "Found the folder of the first copies, expected another place.", typed)
    with transaction(context.writer()) as db:
        settings.put(db, "second_place", typed)
    flash(f"Copies go to {typed} too." if typed else "Copies are made beside the log only.")
    return redirect(url_for("log.safe", rig_id=g.kept.id), 303)
