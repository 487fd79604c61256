"""Additions: the worksheet, its inputs taken from the log and editable."""

from flask import render_template, request

from voltaun.core import additions
from voltaun.core.bank import cold_factor
from voltaun.core.cautions import ESTIMATE, LOCAL_CODES
from voltaun.database import clearsky
from voltaun.pages import frame
from voltaun.pages.additions.forms import WorksheetForm

pages = frame.page("additions")


@pages.get("/additions")
def show():
    """The page; the inputs stand in the address, so that a sheet can be kept as a bookmark."""
    form = WorksheetForm(request.args)
    sheet, why, rig = None, None, frame.rig()
    if form.validate():
        try:
            sheet = additions.worksheet(rig, _inputs(form))
        except ValueError as error:
            why = str(error)
    listed = additions.options(rig, sheet) if sheet else []
    status = 422 if form.errors else 200
    return render_template("additions/additions.html", form=form, sheet=sheet, why=why, options=listed,
                           learned=frame.look().account.learned, cautions=(ESTIMATE, LOCAL_CODES)), status


def _inputs(form: WorksheetForm) -> additions.Inputs:
    rig = frame.rig()
    temp = form.bank_temp_c.data
    given = {name: form[name].data for name in ("use_wh_per_day", "peak_sun_hours", "array_share", "everyday_floor",
                                                "largest_running_w", "panel_w")}
    for name in ("reserve_days", "recovery_days"):
        if form[name].data is not None:
            given[name] = form[name].data
    return additions.suggest(rig, frame.look().account.learned, clearsky.tables(frame.db(), rig),
                             design_month=int(form.design_month.data) if form.design_month.data else None,
                             cold_factor=None if temp is None else cold_factor(rig.chemistry, temp), **given)
