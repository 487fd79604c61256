"""Rig: all of its figures, and what follows from them."""

from flask import flash, g, redirect, render_template, request, url_for

from voltaun.core import bank as banks
from voltaun.core import demand
from voltaun.core.cautions import for_rig
from voltaun.core.rig import Rig, RigFaults
from voltaun.database import clearsky, rigs
from voltaun.database.connection import transaction
from voltaun.pages import frame

pages = frame.page("rig")


@pages.get("/rig")
def show():
    """The page."""
    return _render(_form(), frame.rig())


def _form(read_sent: bool = True):
    """The form of the rig as it is kept, or, when one was sent, as it was typed."""
    # Imported when the page is wanted: the start of the server should not wait for it.
    from voltaun.pages.rig.forms import RigForm
    return RigForm.of(frame.rig(), g.kept.version, read_sent)


@pages.post("/rig")
def save():
    """Keep the rig as typed, or show what is wrong beside its field."""
    form = _form()
    made, rest = _rig_of(form)
    if made is None:
        return _render(form, None, rest, 422)
    clearsky.tables(frame.db(), made)
    as_read = rigs.KeptRig(g.kept.id, request.form.get("version", 0, type=int), frame.rig())
    try:
        with transaction(frame.db()) as db:
            change = rigs.save(db, as_read, made, g.now)
    except rigs.RigChanged:
        form.version.data = g.kept.version
        return _render(form, made, ["The rig was changed meanwhile, perhaps in another window. What you typed is "
                                    "still here; keep it to put it in place."], 409)
    except rigs.RigNameTaken:
        form.name.errors = [f"Found {made.name!r}, which another rig has, expected a name of its own."]
        return _render(form, made, [], 409)
    flash("The rig is kept.", f"undo-rig-{change}")
    return redirect(url_for("rig.show", rig_id=g.kept.id), 303)


@pages.post("/rig/undo/<int:change_id>")
def undo(change_id: int):
    """Put the rig back as it was before it was saved."""
    try:
        with transaction(frame.db()) as db:
            rigs.undo(db, g.kept.id, change_id, g.now)
    except rigs.RigChanged:
        flash("The rig was saved again since; nothing was taken back.")
    except rigs.RigNameTaken:
        flash("Another rig has taken its old name; rename that one first.")
    except LookupError:
        flash("There is nothing to take back.")
    else:
        flash("Taken back.")
    return redirect(url_for("rig.show", rig_id=g.kept.id), 303)


@pages.post("/rig/follows")
def follows():
    """What follows from the figures as they are typed; nothing is kept."""
    made, _ = _rig_of(_form())
    return render_template("rig/follows.html", figures=figures(made) if made else None)


@pages.post("/rig/remove")
def remove():
    """Take the rig and its log out of sight, once its name was typed to make sure."""
    if request.form.get("name", "").strip() != frame.rig().name:
        return _render(_form(read_sent=False), frame.rig(), unsure=True, status=422)
    with transaction(frame.db()) as db:
        rigs.remove(db, g.kept.id)
    flash(f"{frame.rig().name} and its log were removed.", f"restore-{g.kept.id}")
    return redirect(url_for("start.home"), 303)


def _rig_of(form) -> tuple[Rig | None, list[str]]:
    """The rig that was typed, or None and the faults that belong to no field."""
    from voltaun.formats.rig_file import rig_from
    if not form.validate():
        return None, []
    try:
        return rig_from(form.document()), []
    except RigFaults as faults:
        return None, form.show_faults(faults.faults)


def _render(form, shown: Rig | None, rest=(), status=200, unsure=False):
    return render_template("rig/rig.html", form=form, rest=rest, unsure=unsure, cautions=for_rig(frame.rig()),
                           figures=figures(shown) if shown else None), status


def figures(rig: Rig) -> dict:
    """What follows from the rig's figures, for the page: energies Wh, powers W."""
    bank = rig.bank
    energy = banks.effective_energy(rig)
    return {"volts": banks.nominal_voltage(bank), "ah": banks.capacity_ah(bank), "rated_wh": banks.rated_energy(bank),
            "energy": energy, "usable_wh": banks.usable_energy(rig, bank.everyday_floor),
            "hard_wh": banks.usable_energy(rig, bank.hard_floor), "charge_w": banks.charge_limit(rig),
            "array_w": sum(array.rated_w for array in rig.arrays), "loads_wh": demand.daily_use(rig),
            "running_w": demand.largest_set_running(rig), "surge_w": demand.largest_surge(rig),
            "inverter": rig.inverter, "floors": (bank.everyday_floor, bank.hard_floor)}
