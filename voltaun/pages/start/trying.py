"""Only a test: something is tried out without a rig, and what was learnt becomes one if it is wanted."""

from dataclasses import replace

from flask import flash, g, redirect, render_template, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from wtforms import RadioField

from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.parts import CHEMISTRIES, Bank, Mains, Place
from voltaun.core.rig.rig import Rig
from voltaun.database import rigs
from voltaun.database.connection import transaction
from voltaun.pages import context
from voltaun.pages.start.forms import GREENWICH, STAND_IN_BANK, LabelField, ZoneField
from voltaun.pages.start.places import zones

NAME, CHARGER = "Try-out", "Charger"


class TryForm(FlaskForm):
    """What is tried out, and what of it is to be known."""

    instrument = RadioField("What do you want to know?", default="capacity", choices=[
        ("capacity", "what it holds"), ("drawdown", "how long it lasts"), ("meter", "what something takes"),
        ("harvest", "what comes in")])
    label = LabelField("What is it? As its label says")
    timezone = ZoneField("Time zone")

    def rig(self, name: str) -> Rig:
        """A rig that is nothing but this: emptied to nothing, with no floor that holds anybody back."""
        town = self.timezone.data or "Etc/UTC"
        told = self.label.data
        bank = replace(Bank(**{"chemistry": "lfp"} | told) if told else STAND_IN_BANK, everyday_floor=0.0,
                       hard_floor=0.0, standby_w=0.0)
        chargers = (Mains(CHARGER, round(rated_energy(bank) / 4)),) if self.instrument.data == "harvest" else ()
        return Rig(name, Place(*zones().get(town, GREENWICH), town), bank, mains=chargers,
                   not_yet_told=("place", "sources") if told else ("place", "bank", "sources"))


def is_tried_out(rig: Rig) -> bool:
    """Whether a rig is nothing but what is tried out."""
    return rig.bank.everyday_floor == rig.bank.hard_floor == 0


def only_a_test() -> tuple[str, int]:
    """What is tried out."""
    return _render(TryForm())


def try_it() -> ResponseReturnValue:
    """Open its first reading."""
    form = TryForm()
    if not form.validate():
        return _render(form, 422)
    taken = {name for _, name in rigs.names(context.db())}
    name = next(name for n in range(1, len(taken) + 2) if (name := NAME if n == 1 else f"{NAME} {n}") not in taken)
    try:
        made = form.rig(name)
    except RigFaults as faults:
        form.label.errors = [f"Found {fault.found}, expected {fault.expected}." for fault in faults.faults]
        return _render(form, 422)
    with transaction(context.writer()) as db:
        rig_id = rigs.add(db, made)
    return redirect(url_for("bench.new", rig_id=rig_id, instrument=form.instrument.data), 303)


def _render(form: TryForm, status: int = 200) -> tuple[str, int]:
    return render_template("start/try.html", form=form, zones=list(zones())), status


def keep_it() -> ResponseReturnValue:
    """Make what was tried out a rig: with the floors that are usual for its bank."""
    kept = rigs.get(context.db(), g.kept.id)
    if kept is not None and is_tried_out(kept.rig):
        usual = CHEMISTRIES[kept.rig.bank.chemistry]
        bank = replace(kept.rig.bank, everyday_floor=usual.everyday_floor, hard_floor=usual.hard_floor)
        with transaction(context.writer()) as db:
            rigs.save(db, kept, replace(kept.rig, bank=bank), g.now)
        flash("It is a rig now, with the floors that are usual for its bank. Name it and add what fills it here.")
    return redirect(url_for("rig.show", rig_id=g.kept.id), 303)
