"""The way in: the first rig's Today, or three questions when there is none; and the ground."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from flask import abort, current_app, flash, g, make_response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.rig.fields import RigFaults
from voltaun.database import clearsky, rigs, settings
from voltaun.database.connection import transaction
from voltaun.pages import context, frame
from voltaun.pages.security import own_path

if TYPE_CHECKING:
    from voltaun.pages.start.forms import StartForm


def home() -> ResponseReturnValue:
    """The first rig, or the questions."""
    known = rigs.names(context.db())
    if not known:
        return redirect(url_for("start.ask"))
    return redirect(url_for("today.show", rig_id=known[0][0]))


def ask() -> tuple[str, int]:
    """The three questions."""
    return _render(_form())


def _form() -> "StartForm":
    # Imported when the page is wanted: the start of the server should not wait for it.
    from voltaun.pages.start.forms import StartForm
    return StartForm()


def answer() -> ResponseReturnValue:
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
    if form.hardly_meant(made, request.form.get("sure", "")):
        return _render(form, 422)
    clearsky.tables(context.writer(), made)
    try:
        with transaction(context.writer()) as db:
            rig_id = rigs.add(db, made)
    except rigs.RigNameTaken:
        form.name.errors = [f"Found {made.name!r}, which another rig has, expected a name of its own."]
        return _render(form, 409)
    flash("The log is open.")
    return redirect(url_for("today.show", rig_id=rig_id), 303)


def demo() -> ResponseReturnValue:
    """Look around in the demo: the honey house and its log beside one's own rigs."""
    from voltaun.demo.fill import fill
    return redirect(url_for("today.show", rig_id=fill(context.writer(), g.now)), 303)


def restore(removed_id: int) -> ResponseReturnValue:
    """Bring a removed rig back with its log."""
    try:
        with transaction(context.writer()) as db:
            rigs.restore(db, removed_id)
    except rigs.RigNameTaken:
        flash("Another rig has taken its name; rename that one first.", f"restore-{removed_id}")
        return redirect(url_for("start.home"), 303)
    return redirect(url_for("today.show", rig_id=removed_id), 303)


def ground() -> ResponseReturnValue:
    """Set the ground (device, day or night) and go back."""
    wanted = request.form.get("ground", "device")
    answer = make_response(redirect(own_path(request.form.get("back", "/")), 303))
    if wanted in frame.GROUNDS:
        answer.set_cookie("ground", wanted, max_age=10 * 365 * 86400, samesite="Lax", httponly=True)
    return answer


def units() -> ResponseReturnValue:
    """Set the units of the house, for all of its devices, and go back."""
    with transaction(context.writer()) as db:
        if request.form.get("mains") in frame.MAINS:
            settings.put(db, "mains", request.form["mains"])
        else:
            settings.put(db, "units", frame.CUSTOMARY if request.form.get("units") == frame.CUSTOMARY else "")
    return redirect(own_path(request.form.get("back", "/")), 303)


def bring_archive() -> ResponseReturnValue:
    """Bring an archive in: everything of one rig or of all, as another Voltaun wrote it."""
    from voltaun.database.archive import ArchiveFault, schema
    from voltaun.formats import FileFaults
    from voltaun.formats.archive import is_archive, parse, read_archive
    from voltaun.intake.bringing import bring_archive as bring
    sent = request.files.get("file")
    try:
        document = parse(sent.stream.read() if sent else b"")
        if not is_archive(document):
            raise ArchiveFault("found no archive, expected one that Voltaun wrote")
        kept, told = read_archive(document, schema())
        numbers = bring(current_app.config["DATABASE"], kept, told)
    except (FileFaults, ArchiveFault) as faults:
        return _render(_form(), 422, str(faults).split("\n"))
    flash("All of the archive is kept.")
    shown = [rig_id for rig_id, _ in rigs.names(context.db()) if rig_id in numbers]
    return redirect(url_for("today.show", rig_id=shown[0]) if shown else url_for("start.home"), 303)


def mend(damaged_id: int) -> ResponseReturnValue:
    """A rig that cannot be read: what is wrong with it, and the ways to go on."""
    damaged = rigs.damaged(context.db(), damaged_id)
    if damaged is None:
        abort(404)
    if not damaged.fault:
        return redirect(url_for("rig.show", rig_id=damaged_id))
    from voltaun.pages.start.places import zones
    return render_template("start/mend.html", damaged=damaged, zones=zones(), known=rigs.names(context.db()))


def mended(damaged_id: int) -> ResponseReturnValue:
    """Give it a time zone that there is, put it back as it was last, or remove it."""
    damaged = rigs.damaged(context.db(), damaged_id)
    if damaged is None or not damaged.fault:
        abort(404)
    if "remove" in request.form:
        with transaction(context.writer()) as db:
            rigs.remove(db, damaged_id, g.now)
        flash(f"{damaged.name} was removed from sight.", f"restore-{damaged_id}")
        return redirect(url_for("start.home"), 303)
    from voltaun.pages.start.places import zone_of
    with transaction(context.writer()) as db:
        if "timezone" in request.form:
            if zone := zone_of(request.form["timezone"]):
                rigs.set_zone(db, damaged_id, zone)
            else:
                flash("Found no such time zone. Type a town of the list, such as Hobart.")
        elif damaged.before is not None:
            rigs.put_in_place(db, damaged_id, damaged.before)
    return redirect(url_for("start.mend", damaged_id=damaged_id), 303)


def _render(form: "StartForm", status: int = 200, refused: Sequence[str] = ()) -> tuple[str, int]:
    return render_template("start/start.html", form=form, known=rigs.names(context.db()), refused=refused,
                           removed=rigs.removed(context.db())), status
