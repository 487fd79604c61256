"""The simulated part of Additions: the run, kept, and what stands on the page of it."""

import csv
import io
import math
import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any
from zlib import crc32

from flask import Flask, Response, abort, current_app, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from numpy import ndarray

from voltaun.core.rig.rig import Rig
from voltaun.core.sizing import YEARS
from voltaun.core.sizing.choices import Choice, not_run, panel_of, run_by_rule
from voltaun.core.sizing.question import additions_ask
from voltaun.core.sizing.simulation import Additions, AdditionsAsk, Spread, outcome_of, simulate_additions
from voltaun.core.sizing.worksheet import Option, Worksheet
from voltaun.core.sizing.years import month_shares
from voltaun.database import clearsky, weather
from voltaun.pages import context
from voltaun.pages.additions import asked as asking
from voltaun.pages.additions import shown_as
from voltaun.pages.leaves import known_leaf
from voltaun.words import additions as told_in
from voltaun.words.reasons import say

COARSE, SHARP = 6, YEARS
"""So many years are run at once, and so many after that, while one reads."""


def question() -> asking.Asked:
    """What is asked of this request's rig, read once."""
    if "additions_asked" not in g:
        g.additions_asked = asking.kept(context.db(), g.kept.id)
    asked: asking.Asked = g.additions_asked
    return asked


def _key() -> tuple[Any, ...]:
    """What an answer depends on."""
    return (*context.state(), context.look().today, repr(question()), weather.numbers(context.db(), g.kept.id),
            context.explained_steps())


def months() -> ndarray:
    """Mean share of clear sky in each month, (12,), by the log and the user's word."""
    return context.kept("month_shares", _key(), lambda: month_shares(
        context.lately().skies, question().shares, context.rig().place.latitude))


def _ask(years: int) -> AdditionsAsk:
    """The question of this request's rig over so many years."""
    asked, rig = question(), context.rig()
    offer = asked.offer(rig)
    return additions_ask(rig, context.lately(), context.sun(),
                         lambda other: clearsky.sun_of(context.tables_db(other), other),
                         context.weathers_on((*rig.arrays, *offer.aims.others(rig))), asked.shares, offer, years=years,
                         most_days=float(asked.numbers["most_days"] or 0), replays=years >= SHARP,
                         all_year=asked.all_year)


def _made(ask: AdditionsAsk, going: Callable[..., Any] = lambda part: True) -> Additions | str | None:
    """The answer, why there is none, or None when `going` said no."""
    try:
        return simulate_additions(ask, going)
    except ValueError as error:
        return str(error)


def found(years: int = COARSE) -> tuple[Additions | None, str | None]:
    """The answer over so many years, or over all of them where they were run already; or why there is none."""
    made = context.peek("additions", (*_key(), SHARP)) or context.kept("additions", (*_key(), years),
                                                                        lambda: _made(_ask(years)))
    return (None, made) if isinstance(made, str) else (made, None)


class Running:
    """All of the years being run, beside the page that shows a few of them; one at a time for each rig."""

    def __init__(self, app: Flask, key: tuple[Any, ...], ask: AdditionsAsk) -> None:
        self.key, self.part, self.stopped, self.done = key, 0.0, False, threading.Event()
        threading.Thread(target=self._run, args=(app, ask), name="years", daemon=True).start()

    def _run(self, app: Flask, ask: AdditionsAsk) -> None:
        def going(part: float) -> bool:
            self.part = part
            return not self.stopped
        try:
            made = _made(ask, going)
            if made is not None:
                with app.app_context():
                    context.kept("additions", (*self.key, SHARP), lambda: made)
        except Exception:
            self.stopped = True  # what is there stands; asked for again it says what is wrong
            raise
        finally:
            self.done.set()


PATIENCE = 0.5
"""So long a request waits for the years before it says how far they are, s."""


def _running() -> dict[int, Running]:
    found: dict[int, Running] = current_app.extensions.setdefault("voltaun-years", {})
    return found


def _application() -> Flask:
    """The application itself, which a thread may hold on to."""
    app: Flask = current_app._get_current_object()  # type: ignore[attr-defined]
    return app


def part() -> str | tuple[str, dict[str, str]]:
    """The simulated part over all of the years; while they are run the line that says how far they are."""
    key, running = _key(), _running()
    leaf = known_leaf("additions", request.args.get("leaf", ""))
    if context.peek("additions", (*key, SHARP)) is None:
        job = running.get(g.kept.id)
        if job is None or job.key != key:
            if job:
                job.stopped = True
            job = running[g.kept.id] = Running(_application(), key, _ask(SHARP))
        if job.stopped or not job.done.wait(PATIENCE):
            return render_template("additions/running.html", leaf=leaf, part=job.part,
                                   years=(COARSE, SHARP), left=job.stopped)
    told = shown(SHARP)
    page = render_template("additions/simulated.html", leaf=leaf, **told) if told["found"] else '<div id="years"></div>'
    return page, {"HX-Retarget": "#years", "HX-Reswap": "outerHTML", "HX-Trigger-After-Swap": "years-run"}


def stop() -> ResponseReturnValue:
    """Leave the years that are run at the few that there are."""
    job = _running().get(g.kept.id)
    if job:
        job.stopped = True
    return redirect(url_for("additions.show", rig_id=g.kept.id), 303)


MOST_LISTED = 30
"""So many options are listed; the others when they are asked for."""

SHEET_YEARS = 20
"""A worksheet's answer that the field has not is run by itself over so many years."""


def of_sheet(sheet: Worksheet, listed: list[Option]) -> Spread | None:
    """Days a year below the floor with what the worksheet would add; None where nothing can be simulated."""
    made, _ = found()
    if made is None:
        return None
    rig = made.ask.rig
    add = {option.part: option.add for option in listed}
    added_w, strings = add.get("panels", 0) * sheet.panel_w, math.ceil(add["units"] / rig.bank.series)
    for of, came in zip(made.choices, made.outcomes, strict=True):
        if of.of_field and (of.lane.added_w, of.lane.strings) == (added_w, strings):
            return came.below
    ask, lane = replace(made.ask, years=SHEET_YEARS), replace(made.choices[0].lane, added_w=added_w, strings=strings)
    return context.kept("of_sheet", (*_key(), added_w, strings), lambda: outcome_of(ask, lane)).below


def shown(years: int = COARSE, runs: bool = True) -> dict[str, Any]:
    """What the simulated part of the page shows; with `runs` false no years are run."""
    made = found(years)[0] if runs else None
    asked = question()
    rig = context.rig()
    told = {"found": made, "asked": asked, "numbers": asking.NUMBERS, "files": context.weathers(),
            "listed": asked.listed(rig), "told": told_in, "takes": asking.TAKES, "figures": asking.FIGURES,
            "named": asking.named(rig), "panels_listed": [of.name for of in asked.products if of.kind == "panel"],
            "stamps": [crc32(repr(of).encode()) for of in (
                (asked.numbers, asked.habits, asked.panel, asked.plane, asked.second_panel, asked.second_plane,
                 asked.all_year), asked.prices)],
            "sharp": made is not None and made.ask.years >= SHARP, "years": (COARSE, SHARP), "part": 0.0,
            "left": (job := _running().get(g.kept.id)) is not None and job.stopped and job.key == _key()}
    if made is None:
        return told
    at = request.args.get("at", "")
    which = next((n for n, of in enumerate(made.choices) if name_of(of) == at), None)
    if which is None:
        which = made.best if made.best is not None else 0
    columns = max(of.panels for of in made.choices) + 1
    rows = [list(enumerate(made.choices))[begin:begin + columns]
            for begin in range(0, columns * (max(of.strings for of in made.choices) + 1), columns)]
    by = request.args.get("by", "")
    by = by if by in shown_as.SORTED else next(iter(shown_as.SORTED))

    panel = panel_of(rig, made.ask.offer)

    def litres(of: Choice) -> float | None:
        runs = run_by_rule(rig, of)
        return runs.fuel_l_per_hour if runs else None
    return told | {"rows": rows[::-1], "columns": columns, "which": which, "name_of": name_of, "say": say,
                   "litres": litres, "field_panel": panel.name if panel else "",
                   "step": (step := shown_as.price_step(made)),
                   "edges": shown_as.price_edges(made, columns, step) if step else {},
                   "least": shown_as.unbeaten_in_order(made),
                   "by": by, "sorted_by": shown_as.SORTED,
                   "all_of_them": shown_as.sorted_by(made, by),
                   "most_listed": len(made.choices) if "every" in request.args else MOST_LISTED,
                   "missing": told_in.not_run(not_run(rig, made.ask.offer)), "as_much": told_in.as_much(made),
                   "again_strips": shown_as.again_strips(made, which, repr(asked))}


def _litres(rig: Rig, of: Choice, hours: float) -> float | str:
    """What an option's generator burns in so many hours; blank where nobody knows."""
    runs = run_by_rule(rig, of)
    return round(hours * runs.fuel_l_per_hour, 1) if runs and runs.fuel_l_per_hour else ""


def name_of(choice: Choice) -> str:
    """An option's name in an address."""
    named = "+".join([*choice.bought, *(of.code for of in choice.measures)])
    beside = f"+{choice.second}" if choice.second else ""
    return f"{choice.panels}{beside}-{choice.strings}" + (f" {named}" if named else "")


def table() -> ResponseReturnValue:
    """All options as CSV."""
    made, why = found(SHARP)
    if made is None:
        abort(404, why)
    out = io.StringIO()
    write = csv.writer(out)
    write.writerow(("panels_added", "strings_added", "what", "days_below_usual_year", "days_below_hard_year",
                    "unserved_wh", "spilt_wh", "generator_hours", "generator_litres", "price",
                    "cost_a_year_guess", "weight_kg", "roof_m2", "unbeaten", "ruled_out", "second_panels_added"))
    for of, came, best in zip(made.choices, made.outcomes, made.unbeaten, strict=True):
        write.writerow((of.panels, of.strings, told_in.option(of, made.ask.rig), round(came.below.p50, 1),
                        round(came.below.p90, 1), round(came.unserved_wh.mean), round(came.spilt_wh.mean),
                        round(came.generator_h.mean, 1), _litres(made.ask.rig, of, came.generator_h.mean), of.price,
                        "" if of.cost_a_year is None else round(of.cost_a_year, 1), of.weight_kg, of.roof_m2,
                        "yes" if best else "", "; ".join(why.code for why in of.ruled_out), of.second))
    return Response(out.getvalue(), mimetype="text/csv",
                    headers={"Content-Disposition": 'attachment; filename="additions.csv"'})
