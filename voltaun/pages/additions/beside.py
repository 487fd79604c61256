"""Before buying: candidates side by side, by what their labels say."""

from collections.abc import Sequence
from dataclasses import asdict, replace
from functools import partial
from typing import Any

from flask import abort, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from wtforms import Form, SelectField, StringField
from wtforms.validators import InputRequired, Length

from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.parts import CHEMISTRIES
from voltaun.core.sizing.candidates import MOST, Candidate, Compared, compare, with_candidate
from voltaun.core.sizing.choices import Offer
from voltaun.core.sizing.simulation import Spread, outcome_of
from voltaun.core.sky.clear_sky import monthly_clear_sky
from voltaun.database import clearsky
from voltaun.database.connection import transaction
from voltaun.database.monitors import put_setting, setting
from voltaun.pages import context
from voltaun.pages.additions import simulated
from voltaun.pages.fields import QuantityField, WholeField
from voltaun.words import additions as told
from voltaun.words.cautions import ESTIMATE
from voltaun.words.reasons import say
from voltaun.words.sentences import begin

YEARS = 12
"""A candidate is run through so many years."""


class CandidateForm(Form):
    """What a label says; what it does not say stays blank."""

    name = StringField("Name", [InputRequired("Found nothing, expected a name."), Length(max=80)])
    chemistry = SelectField("Kind", default="lfp", choices=[(name, of.name) for name, of in CHEMISTRIES.items()])
    station_wh = QuantityField("All-in-one: Wh", "energy", low=1, high=1e8)
    unit_v = QuantityField("or one battery: V", "voltage", low=1, high=1000)
    unit_ah = QuantityField("Ah", "charge", low=0.1, high=1e6)
    series = WholeField("in series", high=1000)
    parallel = WholeField("strings", high=1000)
    inverter_w = QuantityField("Its inverter, W", "power", low=1, high=1e6)
    surge_w = QuantityField("surge, W", "power", low=1, high=1e6)
    solar_w = QuantityField("From panels, W", "power", low=1, high=1e6)
    socket_w = QuantityField("From a socket, W", "power", low=1, high=1e6)
    price = QuantityField("Price", "number", low=0, high=1e9)
    weight_kg = QuantityField("kg", "number", low=0, high=1e6)

    def candidate(self) -> Candidate:
        """What was typed."""
        given = {field.name: field.data for field in self if field.data not in (None, "")}
        return Candidate(**given)


def _everything() -> list[tuple[Candidate, bool]]:
    """The candidates of this request's rig and whether each was taken away."""
    found = []
    kept = setting(context.db(), g.kept.id, "candidates", [])
    for each in kept if isinstance(kept, list) else []:
        try:
            found.append((Candidate(**{name: value for name, value in each.items() if name != "removed"}),
                          bool(each.get("removed"))))
        except (TypeError, ValueError, AttributeError):
            continue
    return found


def _fits(of: Candidate) -> bool:
    """Whether it can stand in the rig as that is now; one that cannot stays kept, and is not shown."""
    try:
        of.on(context.rig())
    except (TypeError, ValueError):
        return False
    return True


def _keep(listed: list[tuple[Candidate, bool]]) -> None:
    with transaction(context.writer()) as db:
        put_setting(db, g.kept.id, "candidates", [asdict(of) | {"removed": removed} for of, removed in listed])


def beside() -> tuple[str, int]:
    """The page."""
    return _render(CandidateForm())


def _render(form: CandidateForm, status: int = 200, faults: Sequence[str] = ()) -> tuple[str, int]:
    rig, learned = context.rig(), context.lately().learned
    there = [(n, of) for n, (of, removed) in enumerate(_everything()) if not removed]
    listed = [(n, of) for n, of in there if _fits(of)]
    faults = [*faults, *(f"{of.name} cannot stand in the rig as it is now; it stays kept."
                         for n, of in there if (n, of) not in listed)]
    sun_wh = None
    if rig.arrays:
        watts, tables = sum(array.rated_w for array in rig.arrays), clearsky.tables(context.tables_db(rig), rig)
        sun_wh = (monthly_clear_sky(rig, tables) * simulated.months() * watts).tolist()
    compared = [compare(rig, of, learned, sun_wh) for _, of in listed]
    return render_template("additions/beside.html", form=form, faults=faults, compared=compared,
                           numbers=[n for n, _ in listed], short=_short(compared), say=say, told=told,
                           estimate=ESTIMATE, leaf="beside"), status


def _short(compared: list[Compared]) -> list[Any]:
    """Days a year below the floor with each, None where nothing can be simulated."""
    made, _ = simulated.found()
    if made is None:
        return [None] * len(compared)

    def with_(of: Compared) -> Spread:
        known, lane = with_candidate(context.rig(), of.rig, made.ask.known)
        ask = replace(made.ask, rig=of.rig, known=known, years=YEARS, offer=Offer(0, 0), other_sun=None, replays=False)
        return outcome_of(ask, lane).below
    key = (*context.state(), repr(simulated.question()))
    return [context.kept("candidates", (*key, of.candidate), partial(with_, of)) for of in compared]


def add() -> ResponseReturnValue:
    """Put one more beside the others."""
    form, listed = CandidateForm(request.form), _everything()
    if not form.validate():
        return _render(form, 422)
    if sum(not removed for _, removed in listed) >= MOST:
        return _render(form, 422, [f"{MOST} stand here already; take one away first."])
    candidate = form.candidate()
    try:
        candidate.on(context.rig())
    except RigFaults as found:
        return _render(form, 422, [f"{begin(str(fault))}." for fault in found.faults])
    _keep([*listed, (candidate, False)])
    flash(f"{candidate.name} stands beside the others.")
    return redirect(url_for("additions.beside", rig_id=g.kept.id), 303)


def change(number: int) -> ResponseReturnValue:
    """Take one away, or put it back."""
    listed = _everything()
    if number >= len(listed):
        abort(404)
    candidate, removed = listed[number][0], "back" not in request.form
    _keep([*listed[:number], (candidate, removed), *listed[number + 1:]])
    flash(f"{candidate.name} is {'taken away' if removed else 'back'}.",
          f"{'recandidate' if removed else 'uncandidate'}-{number}")
    return redirect(url_for("additions.beside", rig_id=g.kept.id), 303)
