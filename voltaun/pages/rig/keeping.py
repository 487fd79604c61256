"""One part of the rig is kept alone, or taken out, with undo."""

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from datetime import date
from sqlite3 import Connection
from typing import Any

from flask import abort, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.instants import local_day
from voltaun.core.rig.changes import changed_since, following, with_panels
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.odd import odd_figures
from voltaun.core.rig.rig import Rig
from voltaun.core.units import QuantityError, parse
from voltaun.database import clearsky, rigs
from voltaun.database.connection import transaction
from voltaun.formats.rig_file import rig_document, rig_from
from voltaun.pages import context
from voltaun.pages.days import day_from, shown
from voltaun.pages.rig.parts import NAMES, Part, limits_of, opened, put
from voltaun.pages.rig.views import facing_of, figures, render
from voltaun.pages.start.places import zones
from voltaun.words.reasons import say
from voltaun.words.rig import follows_words, panels_words
from voltaun.words.sentences import begin, refusal


def keep(key: str) -> ResponseReturnValue:
    """Keep one part as it is typed, or take it out."""
    part = opened(key, context.rig(), request.form)
    if part is None:
        abort(404)
    part.changed_on = request.form.get("changed_on", "").strip()[:60] if part.dated else ""
    document: dict[str, Any] = rig_document(context.rig())
    day, part.day_fault = typed_day(part.changed_on)
    if "remove" in request.form and part.number is not None:
        if part.day_fault:
            return render(422, part)
        del document[part.group][part.number]
        return _keep(part, document, f"{part.title} is taken out.", day)
    if not part.form.validate() or part.day_fault:
        return render(422, part)
    put(document, part)
    return _keep(part, document, f"{part.title if part.name else begin(part.form['name'].data or '')} is kept.", day)


def typed_day(text: str) -> tuple[date | None, str]:
    """The day of a change that was typed, None for none; and what is wrong with it."""
    if not text:
        return None, ""
    today = local_day(g.now, context.rig().zone)
    try:
        day = day_from(text, today)
    except QuantityError as error:
        return None, refusal(error)
    if day > today:
        return None, f"Found {shown(day)}, expected a day up to today. What is planned goes in once it is there."
    return day, ""


def more() -> ResponseReturnValue:
    """Panels more or fewer in an array, from a day on, as one step."""
    rig, form = context.rig(), request.form
    array = next((of for of in rig.arrays if of.name == form.get("array", "")), None)
    day, fault = typed_day(form.get("day", "").strip())
    if array is None:
        abort(400)
    try:
        count = parse(form.get("count", ""), "number", low=-array.panels, high=1000)
        fault = fault or ("" if day else "Found no day, expected the one from which on they were there.")
        whole = count == int(count) and count
        fault = fault or ("" if whole else "Found no whole panels, expected 2, or −2 for fewer.")
        made = None if fault or day is None else with_panels(rig, array, int(count), day)
    except (QuantityError, RigFaults) as error:
        fault = refusal(error)
    if fault or made is None or day is None:
        flash(f"Nothing was changed. {fault}")
        return redirect(url_for("rig.leaf", rig_id=g.kept.id, leaf="parts") + "#sun", 303)
    return save(made, panels_words(array.name, int(count), day))


def forget() -> ResponseReturnValue:
    """Take a part that is over out of the rig altogether: the log is then reckoned as if it had never been there."""
    rig, number = context.rig(), request.form.get("number", -1, type=int)
    if not 0 <= number < len(rig.former):
        abort(400)
    gone = rig.former[number]
    try:
        made = replace(rig, former=(*rig.former[:number], *rig.former[number + 1:]))
    except RigFaults as faults:
        flash(f"Nothing was changed: {faults}.")
        return redirect(url_for("rig.show", rig_id=g.kept.id), 303)
    return save(made, f"{begin(getattr(gone.part, 'name', f'the earlier {gone.group}'))} of before is taken out.")


def save(made: Rig, words: str, explained: Callable[[Connection], None] | None = None) -> ResponseReturnValue:
    """Keep the rig, with what else belongs to it in the same transaction; words  that say so, beside the way back."""
    clearsky.tables(context.tables_db(made), made)
    with transaction(context.writer()) as db:
        if explained:
            explained(db)
        change = rigs.save(db, g.kept, made, g.now)
    flash(words, f"undo-rig-{change}")
    return redirect(url_for("rig.show", rig_id=g.kept.id), 303)


def follows(key: str) -> str:
    """What follows from a part as it is typed, beside what stands; nothing is kept."""
    part = opened(key, context.rig(), request.form)
    if part is None:
        abort(404)
    made, document = None, rig_document(context.rig())
    if part.form.validate():
        put(document, part)
        with suppress(RigFaults):  # they are told beside their fields when it is kept
            made = following(context.rig(), rig_from(document))
    name = part.form["name"].data or "" if part.group in NAMES else ""
    return render_template("rig/follows.html", figures=figures(made) if made else None, stands=figures(context.rig()),
                           met=limits_of(made, part.group, name) if made else (),
                           facing=facing_of(made, part) if made else None)


def _asked(part: Part, made: Rig) -> bool:
    """Whether a figure that is new is hardly meant, and nobody said yet that it is: each is told beside its field."""
    stood = odd_figures(context.rig(), zones().get(context.rig().place.timezone))
    fresh = [each for each in odd_figures(made, zones().get(made.place.timezone)) if each not in stood]
    part.odd = "; ".join(f"{path[-1]} {why.code}" for path, why in fresh)
    if not fresh or request.form.get("sure") == part.odd:
        return False
    for path, why in fresh:
        if path[0] == part.group and path[-1] in part.form:
            part.form[path[-1]].errors = [*part.form[path[-1]].errors, say(why)]
        else:
            part.odd_elsewhere.append(f"{begin(path[-2])}: {say(why)}")
    return True


def _keep(part: Part, document: dict[str, Any], words: str, day: date | None) -> ResponseReturnValue:
    try:
        typed = rig_from(document)
        made = following(context.rig(), typed)
        words = " ".join(filter(None, (words, follows_words(typed, made))))
        if day:
            made = changed_since(context.rig(), made, day)
    except RigFaults as faults:
        rest = []
        for fault in faults.faults:
            name = fault.path.rpartition(".")[2]
            if name in part.form:
                part.form[name].errors = [*part.form[name].errors, f"Found {fault.found}, expected {fault.expected}."]
            else:
                rest.append(f"{begin(str(fault))}.")
        return render(422, part, rest)
    if _asked(part, made):
        return render(422, part, part.odd_elsewhere)
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
