"""Additions: the worksheet, its inputs taken from the log and editable."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from flask import render_template, request
from werkzeug.datastructures import MultiDict

from voltaun.core.outlook.autonomy import drain
from voltaun.core.rig.bank import cold_factor
from voltaun.core.sizing.suns import with_a_first_panel
from voltaun.core.sizing.years import SEASONS
from voltaun.core.sky.clear_sky import monthly_clear_sky
from voltaun.database import clearsky
from voltaun.pages import context
from voltaun.pages.leaves import known_leaf
from voltaun.words.cautions import for_buying

if TYPE_CHECKING:
    from voltaun.pages.additions.forms import WorksheetForm


def show() -> tuple[str, int]:
    """The page; the inputs stand in the address, so that a sheet can be kept as a bookmark."""
    return render()


def leaf(leaf: str) -> tuple[str, int]:
    """One of its leaves."""
    return render(leaf=known_leaf("additions", leaf))


def render(status: int | None = None, faults: Sequence[str] = (),
           typed: MultiDict[str, str] | None = None, leaf: str = "") -> tuple[str, int]:
    """The page, with what is wrong with what was asked of the simulation and what was typed of it."""
    # Imported when the page is wanted: the start of the server should not wait for it.
    from voltaun.pages.additions import simulated
    from voltaun.pages.additions.forms import WorksheetForm
    form = WorksheetForm(request.args)
    few = leaf in ("", "worksheet") and _knows_too_little()
    told = simulated.shown(simulated.SHARP if "all" in request.args else simulated.COARSE, not few)
    if told["found"] and not leaf and any(name in request.args for name in form._fields):
        leaf = "worksheet"  # a sheet that was kept as a bookmark before it had a leaf
    if told["found"] is None or leaf == "worksheet":
        told |= _worked(form, not few)
    return render_template("additions/additions.html", leaf=leaf, form=form, faults=faults, typed=typed, few=few,
                           cautions=for_buying(simulated.question().products), seasons=SEASONS, **told
                           ), status or (422 if form.errors else 200)


def _knows_too_little() -> bool:
    """Whether the worksheet says all that can be said: hardly anything is logged, no weather file is there, and nobody
    asked for years all the same."""
    from voltaun.pages.additions import simulated
    return context.young() and not ({"all", "at", "years"} & set(request.args) or context.weathers()
                                    or not simulated.question().as_usual)


def _worked(form: "WorksheetForm", runs: bool) -> dict[str, Any]:
    """What the worksheet shows, and with `runs` what years say of it; why: what is wrong with its inputs, or "use" that
    nobody knows."""
    from voltaun.core.sizing import worksheet as additions
    from voltaun.pages.additions import simulated
    from voltaun.words import worksheet as sheet_told
    sheet, why, rig = None, None, context.rig()
    placed = rig if rig.arrays else with_a_first_panel(rig)  # the place's sun is known before there is a panel
    learned, tables = context.lately().learned, clearsky.tables(context.tables_db(placed), placed)
    by_month = simulated.months()
    if form.validate() and form.use_wh_per_day.data is None and drain(rig, learned, None) is None:
        why = "use"
    elif form.validate():
        try:
            sheet = additions.worksheet(rig, additions.suggest(rig, learned, tables, month_shares=by_month,
                                                                **_given(form)))
        except ValueError as error:
            why = str(error)
    listed = additions.options(rig, sheet) if sheet else []
    months = (additions.by_month(rig, sheet, monthly_clear_sky(rig, tables), by_month)
              if sheet and rig.arrays and tables and not form.peak_sun_hours.data else [])
    return {"sheet": sheet, "why": why, "options": listed, "learned": learned, "by_month": by_month, "months": months,
            "sheet_told": sheet_told,
            "query": request.query_string.decode("ascii", "ignore"),
            "of_sheet": simulated.of_sheet(sheet, listed) if sheet and runs else None}


def _given(form: "WorksheetForm") -> dict[str, Any]:
    """What was typed, as the worksheet's inputs; what was left blank is not among them."""
    given = {name: form[name].data for name in ("use_wh_per_day", "reserve_days", "recovery_days", "peak_sun_hours",
                                                "array_share", "everyday_floor", "largest_running_w", "panel_w")
             if form[name].data is not None}
    if form.design_month.data:
        given["design_month"] = int(form.design_month.data)
    if form.bank_temp_c.data is not None:
        given["cold_factor"] = cold_factor(context.rig().chemistry, form.bank_temp_c.data)
    return given
