"""The way in: the first rig's Today, or three questions when there is none; and the ground."""

from flask import Blueprint, flash, g, make_response, redirect, render_template, request, url_for

from voltaun.core.rig import RigFaults
from voltaun.database import clearsky, rigs
from voltaun.database.connection import transaction
from voltaun.pages import frame

pages = Blueprint("start", __name__, template_folder="templates")


@pages.get("/")
def home():
    """The first rig, or the questions."""
    known = rigs.names(frame.db())
    if not known:
        return redirect(url_for("start.ask"))
    return redirect(url_for("today.show", rig_id=known[0][0]))


@pages.get("/start")
def ask():
    """The three questions."""
    return _render(_form())


def _form():
    # Imported when the page is wanted: the start of the server should not wait for it.
    from voltaun.pages.start.forms import StartForm
    return StartForm()


@pages.post("/start")
def answer():
    """Make the rig that the answers describe and open its log."""
    form = _form()
    if not form.validate():
        return _render(form, 422)
    try:
        made = form.rig()
    except RigFaults as faults:
        for fault in faults.faults:
            name = fault.path.rpartition(".")[2]
            field = form._fields.get(name, form.bank)
            field.errors = [*field.errors, f"Found {fault.found}, expected {fault.expected}."]
        return _render(form, 422)
    clearsky.tables(frame.db(), made)
    try:
        with transaction(frame.db()) as db:
            rig_id = rigs.add(db, made)
    except rigs.RigNameTaken:
        form.name.errors = [f"Found {made.name!r}, which another rig has, expected a name of its own."]
        return _render(form, 409)
    flash("The log is open. Write down the first reading.")
    return redirect(url_for("today.show", rig_id=rig_id), 303)


@pages.post("/start/demo")
def demo():
    """Look around in the demo: the honey house and its log beside one's own rigs."""
    from voltaun.demo.fill import fill
    return redirect(url_for("today.show", rig_id=fill(frame.db(), g.now)), 303)


@pages.post("/start/restore/<int:removed_id>")
def restore(removed_id: int):
    """Bring a removed rig back with its log."""
    try:
        with transaction(frame.db()) as db:
            rigs.restore(db, removed_id)
    except rigs.RigNameTaken:
        flash("Another rig has taken its name; rename that one first.", f"restore-{removed_id}")
        return redirect(url_for("start.home"), 303)
    return redirect(url_for("today.show", rig_id=removed_id), 303)


@pages.post("/ground")
def ground():
    """Set the ground (device, day or night) and go back."""
    wanted = request.form.get("ground", "device")
    back = request.form.get("back", "/")
    answer = make_response(redirect(back if back.startswith("/") and back[1:2] not in ("/", "\\") else "/", 303))
    if wanted in frame.GROUNDS:
        answer.set_cookie("ground", wanted, max_age=10 * 365 * 86400, samesite="Lax", httponly=True)
    return answer


def _render(form, status=200):
    return render_template("start/start.html", form=form, known=rigs.names(frame.db())), status
