"""A step in the log that no part explains is asked about: panels or batteries that came or went, and on which day."""

from collections.abc import Callable
from dataclasses import replace
from datetime import date, timedelta
from functools import partial
from sqlite3 import Connection

from flask import abort, flash, g, redirect, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.learned.bank_step import BankStep
from voltaun.core.learned.yield_step import YieldStep
from voltaun.core.rig.changes import changed_since, holding
from voltaun.core.rig.fields import FIELDS, RigFaults
from voltaun.core.rig.parts import SolarArray
from voltaun.core.rig.rig import Former, Rig
from voltaun.core.units import QuantityError, parse
from voltaun.database import asking
from voltaun.database.connection import transaction
from voltaun.pages import context
from voltaun.pages.rig.keeping import save, typed_day
from voltaun.words.sentences import refusal


def sun_step() -> ResponseReturnValue:
    """Answer what the sun's step was: panels that came or went, or nothing of the kind."""
    rig, found = context.rig(), context.look().recent.known.step

    def changed(day: date) -> Rig:
        watts = parse(request.form.get("count", ""), "power", low=0, high=FIELDS["arrays"]["panel_w"].high)
        return _with_watts(rig, array, watts, day, since=found is not None and found.factors[1] != 1)
    array = next((of for of in rig.arrays if of.name == request.form.get("array", "")), None)
    if array is None and request.form.get("answer") != "no":
        abort(400)
    return _answered("sun", found, "panels", array.name if array else "", changed)


def bank_step() -> ResponseReturnValue:
    """Answer what the bank's step was: batteries that came or went, or nothing of the kind."""
    rig, found = context.rig(), context.look().recent.known.bank_step

    def changed(day: date) -> Rig:
        wh = parse(request.form.get("count", ""), "energy", low=1, high=FIELDS["bank"]["rated_energy_wh"].high)
        other = holding(rig.bank, wh)
        if found is not None and not found.is_now(rig):
            return changed_since(rig, replace(rig, bank=other), day)
        over = Former("bank", replace(other, until_day=day - timedelta(days=1)))
        return replace(rig, bank=replace(rig.bank, from_day=day), former=(*rig.former, over))
    return _answered("bank", found, "bank", "The bank", changed)


def use_step() -> ResponseReturnValue:
    """The use stays as it is since its step."""
    found = context.look().recent.known.use_step
    if found is None:
        flash(_NO_STEP)
    else:
        with transaction(context.writer()) as db:
            _explained("use", found.day, db)
        flash("Noted. The days ahead count the use as it is.")
    return redirect(url_for("today.show", rig_id=g.kept.id), 303)


_NO_STEP = "The log shows no such step any more."


def _answered(kind: str, found: YieldStep | BankStep | None, what: str, name: str,
              changed: Callable[[date], Rig]) -> ResponseReturnValue:
    """Keep what was answered.

    what    stands there, by name; changed  gives the rig with the change on a day, or raises what was typed wrongly
    """
    back = redirect(url_for("today.show", rig_id=g.kept.id), 303)
    if found is None:
        flash(_NO_STEP)
        return back
    if request.form.get("answer") == "no":
        with transaction(context.writer()) as db:
            _explained(kind, found.day, db)
        flash(f"Noted. The log is reckoned with the {what} as {'they stand' if what == 'panels' else 'it stands'}.")
        return back
    day, fault = typed_day(request.form.get("day", "").strip())
    made = None
    try:
        fault = fault or ("" if day else "Found no day, expected the one of the change.")
        made = changed(day) if day and not fault else None
    except (QuantityError, RigFaults) as error:
        fault = refusal(error)
    if made is None or day is None:
        flash(f"Nothing was changed. {fault}")
        return back
    return save(made, f"{name} was changed on {day:%-d %b %Y}. The log is reckoned anew.",
                partial(_explained, kind, found.day))


def _explained(kind: str, day: date, db: Connection) -> None:
    """Ask no more about a step on a day. To be called in a transaction."""
    asking.explain(db, g.kept.id, kind, day)


def _with_watts(rig: Rig, array: SolarArray | None, watts: float, day: date, since: bool) -> Rig:
    """The rig with so many W in an array since a day, or until the day before it."""
    assert array is not None
    whole = watts % array.panel_w == 0
    other = watts and (replace(array, panels=int(watts // array.panel_w)) if whole else
                       replace(array, panel_w=watts / array.panels))
    if since:
        return changed_since(rig, replace(rig, arrays=tuple(
            of for each in rig.arrays if (of := other if each == array else each))), day)
    arrays = tuple(replace(of, from_day=day) if of == array else of for of in rig.arrays)
    before = [Former("arrays", replace(other, until_day=day - timedelta(days=1)))] if other else []
    return replace(rig, arrays=arrays, former=(*rig.former, *before))
