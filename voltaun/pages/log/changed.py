"""What was changed and removed, the latest first, each with its way back."""

from datetime import UTC, datetime
from typing import Any

from flask import abort, current_app, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.log.reading import Reading
from voltaun.database import bench, changes, plans, readings, rigs
from voltaun.database.changes import Change
from voltaun.database.connection import transaction
from voltaun.intake import bringing
from voltaun.pages import context
from voltaun.pages.bench import trial_log
from voltaun.pages.log.views import taken_words
from voltaun.words import sentences as words
from voltaun.words.units import show_energy, show_percent

DONE = {"added": "written down", "edited": "changed", "removed": "removed", "undone": "taken back"}


def changed() -> str:
    """The list."""
    found = changes.recent(context.db(), g.kept.id, g.now)
    lines = [(change, *_told(change)) for change in found]
    return render_template("log/changed.html", lines=lines, days=changes.DAYS)


Told = tuple[str, str, str]
"""What was changed, what it was, and the words of the button; no words where it cannot be taken back."""


def _told(change: Change) -> Told:
    return _TOLD[change.kind](change, change.told, "Take it back" if change.open else "")


def _reading(change: Change, told: dict[str, Any], back: str) -> Told:
    reading = told["reading"] if change.action == "added" else told["before"] or told["reading"]
    what = f"The reading of {reading.at.astimezone(context.rig().zone):%a %-d %b %Y %H:%M}, {_figures(reading)}"
    return what, DONE[change.action], back


def _import(change: Change, told: dict[str, Any], back: str) -> Told:
    of = told["import"]
    name = {"log": f"The file {of.name}", "samples": f"The samples of {of.name}", "grid": "Days typed in"}[of.kind]
    what = f"{name}, {of.rows} {'samples' if of.kind == 'samples' else 'readings'}"
    if change.action == "taken back":
        return what, "taken back", "Bring it in again"
    return what, "brought in", "Take all of it back"


def _samples(change: Change, told: dict[str, Any], back: str) -> Told:
    ends = [f"{datetime.fromtimestamp(told[end], UTC).astimezone(context.rig().zone):%-d %b %Y}"
            for end in ("first_at", "last_at")]
    return (f"{told['rows']} samples of {' to '.join(dict.fromkeys(ends))}", change.action,
            "Bring them back" if change.open else "")


def _plan(change: Change, told: dict[str, Any], back: str) -> Told:
    what = f"The plan: {words.plan(told['plan'], context.rig())}"
    return (what, "taken away", "Bring it back") if change.action == "removed" else (what, "kept", "Take it away")


def _rig(change: Change, told: dict[str, Any], back: str) -> Told:
    named = list(dict.fromkeys(" ".join([*path[1:-1], words.figure_words(path[-1])]) for path in told["paths"]))
    more = f" and {len(named) - 4} more" if len(named) > 4 else ""
    return f"The rig{': ' + ', '.join(named[:4]) + more if named else ''}", "saved", back


def _run(change: Change, told: dict[str, Any], back: str) -> Told:
    return f"The run on the bench, {told['subject'] or told['instrument']}", "changed", back


def _removed_rig(change: Change, told: dict[str, Any], back: str) -> Told:
    return f"The rig {told['name']} and its log", "removed", "Bring it back"


_TOLD = {"reading": _reading, "import": _import, "samples": _samples, "plan": _plan, "rig": _rig, "run": _run,
         "removed rig": _removed_rig}


def _figures(reading: Reading) -> str:
    shown = [show_percent(reading.soc)] if reading.soc is not None else []
    shown += [f"{show_energy(wh)} {what}" for wh, what in ((reading.solar_wh, "of sun"), (reading.use_wh, "used"))
              if wh is not None]
    return ", ".join(shown) or "without figures"


def take_back(kind: str, number: int) -> ResponseReturnValue:
    """Take a change back, or bring what was taken back in again."""
    doing = {"reading": _back_reading, "import": _back_import, "samples": _back_samples, "plan": _back_plan,
             "rig": _back_rig, "run": _back_run, "removed-rig": _back_removed_rig}.get(kind)
    if doing is None:
        abort(404)
    try:
        flash(doing(number))
    except (readings.ReadingChanged, rigs.RigChanged, bench.RunChanged):
        flash("It was changed again since; nothing was taken back. Take the later change back first.")
    except readings.InstantTaken as taken:
        flash(taken_words(taken.kept))
    except rigs.RigNameTaken:
        flash("Another rig has taken its name; rename that one first.")
    except LookupError:
        flash("There is nothing to take back.")
    return redirect(url_for("log.changed", rig_id=g.kept.id), 303)


def _back_reading(number: int) -> str:
    with transaction(context.writer()) as db:
        readings.undo(db, g.kept.id, number, g.now)
    return "Taken back."


def _back_import(number: int) -> str:
    database = current_app.config["DATABASE"]
    again = "again" in request.form
    moved = (bringing.bring_back if again else bringing.take_back)(database, g.kept.id, number, g.now)
    left = f" {moved.left} were changed since and stay as they are." if moved.left else ""
    return f"{'Brought in again' if again else 'The whole import is taken back'}: {moved.moved} readings.{left}"


def _back_samples(number: int) -> str:
    return f"{bringing.put_samples_back(current_app.config['DATABASE'], g.kept.id, number, g.now)} samples are back."


def _back_plan(number: int) -> str:
    with transaction(context.writer()) as db:
        if not plans.set_removed(db, g.kept.id, number, "again" not in request.form, g.now):
            raise LookupError
    return "The plan is back." if "again" in request.form else "The plan is taken away."


def _back_rig(number: int) -> str:
    with transaction(context.writer()) as db:
        rigs.undo(db, g.kept.id, number, g.now)
    return "The rig is as it was before."


def _back_run(number: int) -> str:
    with transaction(context.writer()) as db:
        trial_log.undo(db, g.kept.id, number, g.now)
    return "The run is as it was before."


def _back_removed_rig(number: int) -> str:
    with transaction(context.writer()) as db:
        rigs.restore(db, number)
    return "The rig is back, with its log."
