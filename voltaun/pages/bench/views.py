"""Bench: where it goes. The loads by what they take, what is being measured, and what to measure next."""

from collections import Counter
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from flask import Response, flash, g, redirect, render_template, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from voltaun.core.bench import round as measuring
from voltaun.core.bench.metering import beside
from voltaun.core.bench.round import Slot
from voltaun.core.rig.loads import Line, Listed, gap, listed
from voltaun.core.rig.rig import Rig
from voltaun.database import bench, rigs
from voltaun.database.bench import KeptRun
from voltaun.database.connection import transaction
from voltaun.database.rigs import Origin
from voltaun.pages import context
from voltaun.pages.bench import under_way
from voltaun.pages.bench.shown import Shown
from voltaun.pages.figures.svg import el
from voltaun.pages.systems import fed_by

if TYPE_CHECKING:
    from voltaun.pages.bench.forms import RoundForm


def show() -> tuple[str, int]:
    """The page."""
    return _render()


def _render(form: "RoundForm | None" = None, status: int = 200) -> tuple[str, int]:
    look, rig = context.look(), context.rig()
    origins = rigs.origins(context.db(), g.kept)
    idle = origins.get(("inverter", "idle_w"))
    of = listed(rig, look.today.month, idle_tested=bool(idle and idle.instrument))
    drain = look.present.drain if look.present and look.present.drain.basis == "log" else None
    logged = drain.use_wh + drain.hidden_wh if drain else None
    given = fed_by(g.kept) if drain else []
    unlisted = gap(of, drain.use_wh + drain.hidden_wh - sum(each.out_wh for each in given), drain.sd_wh,
                   drain.days_known) if drain and of.lines else None
    runs = bench.runs(context.db(), g.kept.id)
    return render_template(
        "bench/bench.html", of=of, drain=drain, draw_w=look.recent.known.learned.steady_draw_w, logged=logged,
        bar=_bar(of), gap=unlisted, given=given,
        **_counted(runs), **_told(runs, rig, origins), round=_round(runs),
        doubts=measuring.doubts(rig, look.today.month), form=form or _round_form()), status


def _counted(runs: list[KeptRun]) -> dict[str, Any]:
    """How many runs each load has, and what several of one load say beside one another."""
    used = [each.run for each in runs if each.state != "abandoned"]
    count = Counter(run.subject for run in used)
    return {"count": count, "beside": {name: beside(used, name) for name, times in count.items() if name and times > 1}}


PRESSING = ("under way", "look at it", "to apply")
"""What waits for something to be done."""


def _told(runs: list[KeptRun], rig: Rig, origins: dict[tuple[str, ...], Origin]) -> dict[str, Any]:
    """The runs with what each gives and what it waits for: those that wait, and those that are past."""
    metered = {load.name for load in rig.loads if load.evidence == "metered"}
    told = [(each, seen, _state(each, seen, metered, bench.in_use(each, origins))) for each in runs
            for seen in [under_way.seen(each, runs)]]
    return {"waiting": [each for each in told if each[2] in PRESSING],
            "past": [each for each in told if each[2] not in PRESSING]}


def _state(kept: KeptRun, seen: Shown, metered: set[str], used: bool) -> str:
    """What a run waits for, or what became of it: one of them."""
    if kept.state == "abandoned":
        return "abandoned"
    if kept.applied_at and seen.finding:
        return "in use" if used else "used before"
    if seen.fault:
        return "look at it"
    if seen.finding is None:
        return "under way"
    beside_meter = kept.run.instrument == "label" and kept.run.subject in metered
    return "to apply" if seen.changes and not beside_meter else "kept"


def _round_form() -> "RoundForm":
    from voltaun.pages.bench.forms import RoundForm
    kept = bench.measuring_round(context.db(), g.kept.id)
    first = {"ac_meters": kept.ac_meters if kept else 1, "dc_meters": kept.dc_meters if kept else 0, "begin": g.now}
    return RoundForm(context.rig(), g.now, data=first)


def _round(runs: list[KeptRun]) -> list[tuple[Slot, bool]] | None:
    """The round under way as (slot, whether it is done), or None."""
    kept = bench.measuring_round(context.db(), g.kept.id)
    if kept is None:
        return None
    metered = [(each.run.subject, each.run.marks[-1].at, each.run.hours) for each in runs
               if each.run.instrument == "meter" and each.state != "abandoned" and each.run.marks]
    return [(slot, measuring.done(slot, kept, metered)) for slot in kept.slots]


def lay_out() -> ResponseReturnValue:
    """Lay the measuring round out anew."""
    form = _round_form()
    if not form.validate() or form.begin.data is None:
        if form.begin.data is None and not form.begin.errors:
            form.begin.errors = ["Found nothing, expected a date and time, such as tomorrow 8:00."]
        return _render(form, 422)
    if not form.ac_meters.data and not form.dc_meters.data:
        form.ac_meters.errors = ["Found no meter, expected one at least; the round stays as it was."]
        return _render(form, 422)
    wanted = measuring.doubts(context.rig(), context.look().today.month)
    made = measuring.lay_out(wanted, form.ac_meters.data or 0, form.dc_meters.data or 0, form.begin.data, g.now)
    with transaction(context.writer()) as db:
        bench.keep_round(db, g.kept.id, made)
    flash("The round is laid out." if made.slots else "No load in doubt has a meter of its side: nothing to lay out.")
    return redirect(url_for("bench.show", rig_id=g.kept.id) + "#round", 303)


def calendar() -> ResponseReturnValue:
    """The round as a calendar file."""
    from voltaun.formats.calendar import write_round
    kept = bench.measuring_round(context.db(), g.kept.id)
    text = write_round(context.rig(), kept.slots if kept else (), g.now)
    return Response(text, content_type="text/calendar; charset=utf-8",
                    headers={"Content-Disposition": 'attachment; filename="measuring-round.ics"'})


def _bar(of: Listed) -> Callable[..., Any]:
    """A line's share of the largest as a bar, its doubt as a whisker."""
    most = max((line.wh + line.sd_wh for line in of.lines), default=1.0) or 1.0

    def draw(line: Line) -> Markup:
        low, high = max(0.0, line.wh - line.sd_wh) / most * 196, (line.wh + line.sd_wh) / most * 196
        return el("svg", el("rect", x=0, y=3, width=line.wh / most * 196, height=10, class_="use"),
                  el("path", d=f"M{low:.1f} 8 H{high:.1f} M{low:.1f} 5 V11 M{high:.1f} 5 V11", class_="doubt"),
                  viewBox="0 0 200 16", class_="load-bar", aria_hidden="true")
    return draw
