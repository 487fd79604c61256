"""Usual things to pick from: a first list of loads in a minute, each a guess until it is measured."""

from dataclasses import replace
from itertools import groupby

from flask import flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.loads import load_dc_wh
from voltaun.core.rig.usual import USUAL, usual, ways
from voltaun.database import rigs
from voltaun.database.connection import transaction
from voltaun.pages import context


def usual_things() -> str:
    """The page."""
    rig = context.rig()
    there = {load.name.casefold() for load in rig.loads}
    bank = effective_energy(rig).wh
    takes = {of.name: load_dc_wh(rig, of.load()) / bank for of in USUAL}
    kinds = [(end, list(of)) for end, of in groupby(USUAL, key=lambda of: of.end)]
    others = [of for end, listed in kinds if not end for of in listed]
    ends = [(end, ways(end)) for end in dict.fromkeys(end for end, _ in kinds if end)]
    return render_template("bench/usual.html", ends=[*ends, ("everything else", others)], there=there, takes=takes)


def list_usual() -> ResponseReturnValue:
    """List what was picked."""
    rig = context.rig()
    there = {load.name.casefold() for load in rig.loads}
    picked = [of for name in request.form.getlist("name") if (of := usual(name)) and of.name.casefold() not in there]
    if not picked:
        flash("Nothing was picked that is not listed yet.")
        return redirect(url_for("bench.usual_things", rig_id=g.kept.id), 303)
    with transaction(context.writer()) as db:
        change = rigs.save(db, g.kept, replace(rig, loads=(*rig.loads, *(of.load() for of in picked))), g.now)
    flash(f"{len(picked)} {'thing is' if len(picked) == 1 else 'things are'} listed, each a guess until it is metered.",
          f"undo-rig-{change}")
    return redirect(url_for("today.show", rig_id=g.kept.id), 303)
