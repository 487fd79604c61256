"""One part of the rig is kept alone, or taken out, with undo."""

from contextlib import suppress
from typing import Any

from flask import abort, flash, g, redirect, render_template, request, url_for

from voltaun.core.rig.fields import RigFaults
from voltaun.database import clearsky, rigs
from voltaun.database.connection import transaction
from voltaun.formats.rig_file import rig_document, rig_from
from voltaun.pages import context
from voltaun.pages.rig.parts import NAMES, Part, limits_of, opened, put
from voltaun.pages.rig.views import figures, render
from voltaun.words.sentences import begin


def keep(key: str):
    """Keep one part as it is typed, or take it out."""
    part = opened(key, context.rig(), request.form)
    if part is None:
        abort(404)
    document: dict[str, Any] = rig_document(context.rig())
    if "remove" in request.form and part.number is not None:
        del document[part.group][part.number]
        return _keep(part, document, f"{part.title} is taken out.")
    if not part.form.validate():
        return render(422, part)
    put(document, part)
    return _keep(part, document, f"{part.title if part.name else begin(part.form['name'].data or '')} is kept.")


def follows(key: str):
    """What follows from a part as it is typed, beside what stands; nothing is kept."""
    part = opened(key, context.rig(), request.form)
    if part is None:
        abort(404)
    made, document = None, rig_document(context.rig())
    if part.form.validate():
        put(document, part)
        with suppress(RigFaults):  # they are told beside their fields when it is kept
            made = rig_from(document)
    name = part.form["name"].data or "" if part.group in NAMES else ""
    return render_template("rig/follows.html", figures=figures(made) if made else None, stands=figures(context.rig()),
                           met=limits_of(made, part.group, name) if made else ())


def _keep(part: Part, document: dict[str, Any], words: str):
    try:
        made = rig_from(document)
    except RigFaults as faults:
        rest = []
        for fault in faults.faults:
            name = fault.path.rpartition(".")[2]
            if name in part.form:
                part.form[name].errors = [*part.form[name].errors, f"Found {fault.found}, expected {fault.expected}."]
            else:
                rest.append(f"{begin(str(fault))}.")
        return render(422, part, rest)
    clearsky.tables(context.tables_db(made), made)
    as_read = rigs.KeptRig(g.kept.id, request.form.get("version", 0, type=int), context.rig())
    try:
        with transaction(context.writer()) as db:
            change = rigs.save(db, as_read, made, g.now)
    except rigs.RigChanged:
        return render(409, part, ["The rig was changed meanwhile, perhaps in another window. What you typed is still "
                                  "here; keep it to put it in place."])
    except rigs.RigNameTaken:
        return render(409, part, [f"Found {made.name!r}, which another rig has, expected a name of its own."])
    flash(words, f"undo-rig-{change}")
    return redirect(url_for("rig.show", rig_id=g.kept.id), 303)
