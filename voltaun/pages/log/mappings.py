"""The answers by which files of other shapes are read, kept by name."""

from flask import flash, g, redirect, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.database import monitors
from voltaun.database.connection import transaction
from voltaun.formats import FileFaults
from voltaun.formats.mapping import SAMPLES, Mapping, from_document
from voltaun.pages import context

ALL = "mappings"
"""The rig's setting that holds its mappings by name."""


def kept_mappings() -> dict[str, Mapping]:
    """The rig's mappings by name."""
    made = {}
    for name, document in monitors.setting(context.db(), g.kept.id, ALL, {}).items():
        try:
            made[name] = from_document(document)
        except FileFaults:
            continue
    return made


def keep_mapping(mapping: Mapping) -> None:
    """Keep how a file was read; of one name the last."""
    name = mapping.name or "My log"
    with transaction(context.writer()) as db:
        known = monitors.setting(db, g.kept.id, ALL, {})
        known.pop(name, None)
        monitors.put_setting(db, g.kept.id, ALL, dict([*known.items(), (name, mapping.document())][-20:]))
        if mapping.kind == SAMPLES:
            monitors.put_setting(db, g.kept.id, "samples_mapping", mapping.document())


def forget() -> ResponseReturnValue:
    """Forget how files of one shape are read: the next one is asked about."""
    name = request.form.get("name", "")
    with transaction(context.writer()) as db:
        known = monitors.setting(db, g.kept.id, ALL, {})
        gone = known.pop(name, None)
        monitors.put_setting(db, g.kept.id, ALL, known)
        if isinstance(gone, dict) and gone.get("kind") == SAMPLES:
            monitors.put_setting(db, g.kept.id, "samples_mapping", {})
    flash(f"Forgotten: {name}. The next such file is asked about." if gone else "There is nothing to forget.")
    return redirect(url_for("log.show", rig_id=g.kept.id) + "#files", 303)
