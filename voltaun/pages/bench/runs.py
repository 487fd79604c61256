"""A run on the bench: begun, read, corrected, abandoned or resumed, its finding applied and taken back."""

from dataclasses import replace
from datetime import timedelta
from typing import TYPE_CHECKING, Any

from flask import abort, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.bench.drawdown import Drawdown
from voltaun.core.bench.findings import changes, in_kwh
from voltaun.core.bench.metering import DAY_HOURS, Beside, beside
from voltaun.core.bench.runs import INSTRUMENTS, Mark, Run
from voltaun.core.log.found_on import found_on
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.sources import SOURCE_GROUPS
from voltaun.core.rig.usual import USUAL, usual
from voltaun.core.units import QuantityError, parse
from voltaun.database import bench, rigs
from voltaun.database.bench import KeptRun
from voltaun.database.connection import transaction
from voltaun.pages import context
from voltaun.pages.bench import trial_log, under_way
from voltaun.pages.bench.shown import Shown, shown
from voltaun.pages.start.trying import is_tried_out
from voltaun.words.cautions import for_bench
from voltaun.words.findings import floors, hours_words, title
from voltaun.words.sentences import begin, refusal

if TYPE_CHECKING:
    from voltaun.pages.bench.forms import ConditionsForm, LabelForm, MarkForm


def new() -> tuple[str, int]:
    """The first reading of a new run, filled so that one more tap starts it."""
    run = _asked()
    return _render_new(run, *_first_forms(run))


def start() -> ResponseReturnValue:
    """Begin a run."""
    run = _asked()
    form, noted = _first_forms(run)
    if run.instrument == "label":
        return _start_label(form)
    unnamed = run.instrument == "meter" and not run.subject
    assert noted is not None  # only a label has none
    if not (form.validate() & noted.validate()) or unnamed:
        return _render_new(run, form, noted, 422, "Found no name, expected what is on the meter, such as Fridge." if
                           unnamed else None)
    made = replace(run, marks=(form.mark(),), **noted.values())
    with transaction(context.writer()) as db:
        run_id = bench.begin(db, g.kept.id, made, g.now)
        trial_log.follow(db, g.kept.id, Run(made.instrument), made, g.now)
    flash("Started.")
    return redirect(url_for("bench.run", rig_id=g.kept.id, run_id=run_id), 303)


def _start_label(form: "LabelForm") -> ResponseReturnValue:
    """A label is complete at once: it is kept, and applied to its load in the same action."""
    if not form.validate():
        return _render_new(_asked(), form, None, 422)
    made = form.run()
    if (seen := shown(made, context.rig(), g.now)).finding is None:
        form.watts.errors = [seen.headline]
        return _render_new(made, form, None, 422)
    if seen.doubt and "sure" not in request.form:
        form.doubt = f"{begin(seen.doubt)}. Is it right?"
        return _render_new(made, form, None, 422)
    try:
        with transaction(context.writer()) as db:
            run_id = bench.begin(db, g.kept.id, made, g.now)
            kept = bench.there(db, g.kept.id, run_id)
            # What was metered is not put aside for a label; that is left to a hand.
            known = next((load for load in context.rig().loads if load.name == made.subject), None)
            if known is None or known.evidence != "metered":
                bench.apply(db, g.kept, kept, kept.version, changes(made, context.rig(), seen.finding), g.now)
    except RigFaults as faults:
        form.watts.errors = [begin(f"{faults.faults[0]}.")]
        return _render_new(made, form, None, 422)
    return redirect(url_for("bench.run", rig_id=g.kept.id, run_id=run_id), 303)


def _asked() -> Run:
    """The run that the address asks for: the instrument, and what it is on."""
    instrument = request.values.get("instrument", "")
    if instrument not in INSTRUMENTS or instrument == "hydrometer" and context.rig().bank.chemistry != "flooded":
        abort(404)
    alone = instrument in ("capacity", "inverter", "hydrometer")
    subject = "" if alone else " ".join(request.values.get("subject", "").split())[:80]
    load = next((load for load in context.rig().loads if load.name == subject), None)
    known = usual(subject)
    side = request.values.get("side", known.side if known else "")
    return Run(instrument, subject, load.side if load else side if side in ("ac", "dc") else "ac")


def _first_forms(run: Run) -> "tuple[LabelForm, None] | tuple[MarkForm, ConditionsForm]":
    from voltaun.pages.bench.forms import FIRST, ConditionsForm, LabelForm, MarkForm
    if run.instrument == "label":
        return LabelForm(context.rig(), g.now, run.subject), None
    form = MarkForm(context.rig(), g.now, run.instrument)
    if not form.is_submitted():
        first = dict(FIRST.get(run.instrument, {}))
        look = context.look()
        recent = look.readings[-1] if look.readings else None
        if run.instrument == "drawdown" and recent and recent.soc and (g.now - recent.at).total_seconds() < 3600:
            first["soc"] = recent.soc
        for name, value in first.items():
            form[name].process_data((value, ()) if name == "soc" else value)
    return form, ConditionsForm(context.rig(), g.now, run)


def _render_new(run: Run, form: "MarkForm | LabelForm", noted: "ConditionsForm | None", status: int = 200,
                no_name: str | None = None) -> tuple[str, int]:
    rig = context.rig()
    loads = [load.name for load in rig.loads]
    things = [*loads, *(of.name for of in USUAL if of.name not in loads)]
    subjects = {"meter": things, "drawdown": things,
                "harvest": [part.name for group in SOURCE_GROUPS for part in getattr(rig, group)]}
    return render_template("bench/new.html", run=run, name=title(run), form=form, noted=noted,
                           subjects=subjects.get(run.instrument, things), no_name=no_name,
                           cautions=for_bench(context.rig(), run)), status


def _kept(run_id: int) -> bench.KeptRun:
    kept = bench.get(context.db(), g.kept.id, run_id)
    if kept is None:
        abort(404)
    return kept


def _seen(kept: KeptRun) -> Shown:
    share = context.look().account.learned.share.mean if kept.run.instrument == "harvest" else None
    return under_way.seen(kept, bench.runs(context.db(), g.kept.id), share)


def run(run_id: int) -> tuple[str, int]:
    """A run with its readings and its figure so far; `edit` opens one of the readings."""
    kept = _kept(run_id)
    editing = request.args.get("edit", type=int)
    return _render(kept, editing=editing if editing is not None and 0 <= editing < len(kept.run.marks) else None)


def _render(kept: KeptRun, form: "MarkForm | None" = None, noted: "ConditionsForm | None" = None,
            editing: int | None = None, status: int = 200, often: dict[str, str] | None = None) -> tuple[str, int]:
    from voltaun.pages.bench.forms import ConditionsForm, MarkForm
    rig, logged = context.rig(), under_way.beside(context.db(), g.kept.id, kept, g.now)
    seen = _seen(kept)
    own = {mark.at: n for n, mark in enumerate(kept.run.marks)}
    lines = [(mark, own.get(mark.at), logged.get(mark.at)) for mark in seen.run.marks]
    found = next((mark.at for mark in seen.run.marks[1:] if not mark.reset and found_on(mark.note)), None)
    fault_at = next((n for n, mark in enumerate(kept.run.marks) if seen.fault and mark.at == seen.fault.at), None)
    if form is None:
        mark = kept.run.marks[editing] if editing is not None else None
        form = MarkForm(rig, g.now, kept.run.instrument, mark, formdata=None)
    of_mark = {"run_hours": "run_minutes"}
    names = [(of_mark.get(name, name), form[name].label.text) for name in form.names
             if any(getattr(mark, of_mark.get(name, name)) not in (None, ()) for mark in seen.run.marks)]
    return render_template(
        "bench/run.html", kept_run=kept, seen=seen, lines=lines, form=form, editing=editing,
        tried_out=is_tried_out(rig),
        found=next((line for line in lines if line[0].at == found), None),
        fault_logged=logged.get(seen.fault.at) if seen.fault and seen.fault.at else None,
        used=bench.in_use(kept, rigs.origins(context.db(), g.kept)), names=names, fault_at=fault_at,
        noted=noted or ConditionsForm(rig, g.now, kept.run, formdata=None), cautions=for_bench(rig, kept.run),
        in_log=trial_log.counts(kept.run, rig), often=often, beside=_beside(kept, seen),
        asked=_hours_from(seen.finding)), status


def _hours_from(finding: Any) -> dict[str, Any] | None:
    """For a drawdown: the level that was asked for, and the hours from it to the floors, or what is wrong with it."""
    typed = request.args.get("from", "").strip()
    if not isinstance(finding, Drawdown) or not typed:
        return None
    try:
        soc = parse(typed, "percent")
    except QuantityError as error:
        return {"typed": typed, "fault": refusal(error)}
    return {"typed": typed, "rows": [(word, hours_words(finding, floor, soc))
                                     for word, floor in floors(context.rig()) if soc > floor]}


def _beside(kept: KeptRun, seen: Shown) -> Beside | None:
    """What other runs on the same load say beside this one."""
    if kept.run.instrument not in ("meter", "label") or seen.finding is None:
        return None
    return beside([each.run for each in bench.runs(context.db(), g.kept.id) if each.state != "abandoned"],
                  kept.run.subject)


def add_mark(run_id: int) -> ResponseReturnValue:
    """Keep a reading of the run."""
    from voltaun.pages.bench.forms import MarkForm
    kept = _kept(run_id)
    form = MarkForm(context.rig(), g.now, kept.run.instrument)
    if not form.validate():
        return _render(kept, form, status=422)
    mark = form.mark()
    there = next((each for each in kept.run.marks if each.at == mark.at), None)
    while there and there != mark and kept.run.instrument == "inverter":  # pairs follow one another within a minute
        mark = replace(mark, at=mark.at + timedelta(seconds=1))
        there = next((each for each in kept.run.marks if each.at == mark.at), None)
    if there == mark:
        flash("This reading was kept already; nothing was added.")
        return _back(run_id)
    if there is not None:
        form.at.errors = ["Found another reading of this run at that minute, expected a time of its own."]
        return _render(kept, form, status=409)
    with transaction(context.writer()) as db:
        kept = bench.there(db, g.kept.id, run_id)
        made = replace(kept.run, marks=(*kept.run.marks, mark))
        change = bench.change(db, kept, kept.version, made, g.now)
        trial_log.follow(db, g.kept.id, kept.run, made, g.now)
        kept = bench.there(db, g.kept.id, run_id)
    in_log = mark.soc is not None and trial_log.stands_in_log(made, context.rig())
    seen = _seen(kept)  # what one came for is said beside the button too, which is far down on a phone
    flash(("Kept; it stands in the log too." if in_log else "Kept.") + (f" {seen.headline}" if seen.going else ""),
          f"undo-run-{change}")
    return _back(run_id)


def change_mark(run_id: int, n: int) -> ResponseReturnValue:
    """Correct a reading, take it out, or say that what lies before it is left out: the counter was set back there, or
    something else was on."""
    from voltaun.pages.bench.forms import MarkForm
    kept = _kept(run_id)
    if n >= len(kept.run.marks):
        abort(404)
    marks = list(kept.run.marks)
    if "remove" in request.form:
        del marks[n]
        words = "Removed."
    elif request.form.get("reset") == "then" and n:
        # Set to nought right after the reading before: from there on it counted all that flowed.
        at = min(marks[n - 1].at + timedelta(minutes=1), marks[n].at - timedelta(seconds=1))
        marks.insert(n, Mark(at, wh=0.0, run_minutes=None if marks[n].run_minutes is None else 0.0, reset=True))
        words = "Noted: it was set to zero right after the reading before."
    elif "reset" in request.form:
        marks[n] = replace(marks[n], reset=request.form["reset"] == "yes")
        words = ("Noted: the stretch before it is left out." if marks[n].reset else "Noted: it counts.") if (
            kept.run.instrument != "meter") else (
            "Noted: the counter was set back there." if marks[n].reset else "Noted: it was not set back.")
    else:
        form = MarkForm(context.rig(), g.now, kept.run.instrument, marks[n])
        if not form.validate():
            return _render(kept, form, editing=n, status=422)
        marks[n] = form.mark()
        if any(each.at == marks[n].at for m, each in enumerate(marks) if m != n):
            form.at.errors = ["Found another reading of this run at that minute, expected a time of its own."]
            return _render(kept, form, editing=n, status=409)
        words = "Changed."
    return _change(kept, replace(kept.run, marks=tuple(marks)), words)


def note(run_id: int) -> ResponseReturnValue:
    """Keep what is noted of the run as a whole."""
    from voltaun.pages.bench.forms import ConditionsForm
    kept = _kept(run_id)
    noted = ConditionsForm(context.rig(), g.now, kept.run)
    if not noted.validate():
        return _render(kept, noted=noted, status=422)
    made = replace(kept.run, **noted.values())
    if (made.subject, made.side) != (kept.run.subject, kept.run.side) and bench.in_use(
            kept, rigs.origins(context.db(), g.kept)):
        noted.subject.errors = ["Found another name or side; take the finding back first, then name it and apply it."]
        return _render(kept, noted=noted, status=422)
    return _change(kept, made, "Noted.")


def often(run_id: int) -> ResponseReturnValue:
    """Say how much of a day a short run of a meter is, and apply what follows."""
    kept = _kept(run_id)
    name, typed = next(((name, text) for name in ("a_day", "times") if (text := request.form.get(name, "").strip())),
                       ("a_day", ""))
    try:
        a_day = DAY_HOURS if "always" in request.form else _hours_a_day(name, typed, kept.run.hours)
    except QuantityError as error:
        return _render(kept, status=422, often={"name": name, "typed": typed, "fault": refusal(error)})
    made = replace(kept.run, hours_a_day=a_day)
    seen = shown(made, context.rig(), g.now)
    if seen.finding is None or seen.doubt:
        return _change(kept, made, f"Noted; nothing was applied: {seen.doubt or seen.headline}")
    try:
        with transaction(context.writer()) as db:
            bench.change(db, kept, request.form.get("version", 0, type=int), made, g.now)
            kept = bench.there(db, g.kept.id, run_id)
            bench.apply(db, g.kept, kept, kept.version, changes(made, context.rig(), seen.finding), g.now)
    except (bench.RunChanged, bench.AlreadyApplied, rigs.RigChanged, RigFaults, LookupError):
        flash("This run or the rig was changed meanwhile; nothing was applied. Look again.")
    else:
        flash("Applied; the rig reckons with it now.")
    return _back(run_id)


def _hours_a_day(name: str, typed: str, hours: float) -> float:
    """How long a day it is on, h: as it was typed, or by so many runs as long as this one. Raises QuantityError."""
    a_day = parse(typed, "duration") if name == "a_day" else parse(typed, "number") * hours
    if not 0 < a_day <= DAY_HOURS:
        raise QuantityError(repr(typed), "a part of a day, 24 h at the most", "2 h" if name == "a_day" else "3")
    return a_day


def kwh(run_id: int) -> ResponseReturnValue:
    """Take the counters of a run as kWh."""
    kept = _kept(run_id)
    return _change(kept, in_kwh(kept.run), "Taken as kWh: each counter is a thousand times as much.")


def state(run_id: int) -> ResponseReturnValue:
    """Abandon a run, and take back what the rig has from it; or take it up again."""
    kept = _kept(run_id)
    if request.form.get("state") != "abandoned":
        return _change(kept, kept.run, "Taken up again.", "open")
    if not bench.in_use(kept, rigs.origins(context.db(), g.kept)):
        return _change(kept, kept.run, "Abandoned; it counts for nothing now.", "abandoned")
    try:
        with transaction(context.writer()) as db:
            bench.take_back(db, g.kept, kept, request.form.get("version", 0, type=int), g.now)
            kept = bench.there(db, g.kept.id, run_id)
            bench.change(db, kept, kept.version, kept.run, g.now, "abandoned")
    except (bench.FigureChanged, bench.RunChanged, rigs.RigChanged, LookupError, RigFaults):
        flash("This run or the rig was changed meanwhile; nothing was changed now. Look again.")
    else:
        flash("Abandoned; the rig has its figures of before.")
    return _back(run_id)


def _change(kept: KeptRun, made: Run, words: str, to_state: str | None = None) -> ResponseReturnValue:
    try:
        with transaction(context.writer()) as db:
            change = bench.change(db, kept, request.form.get("version", 0, type=int), made, g.now, to_state)
            trial_log.follow(db, g.kept.id, trial_log.standing(kept),
                             trial_log.standing(bench.there(db, g.kept.id, kept.id)), g.now)
    except bench.RunChanged:
        flash("This run was changed meanwhile, perhaps in another window; nothing was changed now. Look again.")
        return _back(kept.id)
    flash(words, f"undo-run-{change}")
    return _back(kept.id)


def undo(change_id: int) -> ResponseReturnValue:
    """Take the last change of a run back."""
    try:
        with transaction(context.writer()) as db:
            run_id = trial_log.undo(db, g.kept.id, change_id, g.now)
    except (bench.RunChanged, LookupError):
        flash("It was changed again since, or is gone; nothing was taken back.")
        return redirect(url_for("bench.show", rig_id=g.kept.id), 303)
    flash("Taken back.")
    return _back(run_id)


def apply(run_id: int) -> ResponseReturnValue:
    """Set the rig's figures to the finding."""
    kept = _kept(run_id)
    seen = _seen(kept)
    if seen.finding is None or seen.asks_how_long or kept.state == "abandoned":
        flash("There is no finding to apply; nothing was changed.")
        return _back(run_id)
    if seen.doubt and "sure" not in request.form:
        flash(f"Nothing was applied: {seen.doubt}. Say that it is right, or correct a reading.")
        return _back(run_id)
    try:
        with transaction(context.writer()) as db:
            version = request.form.get("version", 0, type=int)
            if seen.run != kept.run:  # with what it saw of the log, so that it goes on saying what was applied
                bench.change(db, kept, version, seen.run, g.now)
                kept, version = bench.there(db, g.kept.id, run_id), version + 1
            bench.apply(db, g.kept, kept, version, changes(kept.run, context.rig(), seen.finding), g.now)
    except bench.AlreadyApplied as already:
        flash(f"It was applied already, on {already.at.astimezone(context.rig().zone):%-d %B}; nothing was changed.")
    except (bench.RunChanged, rigs.RigChanged):
        flash("This run or the rig was changed meanwhile; nothing was applied. Look again.")
    except (RigFaults, LookupError) as fault:
        flash(f"The rig cannot take this figure: {fault}. Nothing was changed.")
    else:
        flash("Applied; the rig reckons with it now.")
    return _back(run_id)


def take_back(run_id: int) -> ResponseReturnValue:
    """Set the rig's figures back to what they were before the finding."""
    kept = _kept(run_id)
    try:
        with transaction(context.writer()) as db:
            bench.take_back(db, g.kept, kept, request.form.get("version", 0, type=int), g.now)
    except bench.FigureChanged as changed:
        flash(f"{' '.join(changed.path[1:]).replace('_', ' ')} was changed in Rig since; nothing was taken back.")
    except (bench.RunChanged, rigs.RigChanged, LookupError, RigFaults):
        flash("This run or the rig was changed meanwhile; nothing was taken back. Look again.")
    else:
        flash("Taken back; the rig has its figures of before.")
    return _back(run_id)


def _back(run_id: int) -> ResponseReturnValue:
    return redirect(url_for("bench.run", rig_id=g.kept.id, run_id=run_id), 303)
