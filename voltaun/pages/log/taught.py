"""What the log teaches: each figure with its interval and its days, and what of it may be applied to the rig."""

from dataclasses import dataclass, replace
from typing import Any

from flask import abort, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.learned import patterns as habits
from voltaun.core.learned.account import Account
from voltaun.core.log import days as logged_days
from voltaun.core.log.days import sky_days
from voltaun.core.outlook.autonomy import momentary
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.fields import RigFaults
from voltaun.core.rig.rig import Rig
from voltaun.database import rigs
from voltaun.database.connection import transaction
from voltaun.pages import context
from voltaun.words import taught as told


@dataclass(frozen=True)
class Proposal:
    """A figure that the rig could take: its name in the form, what it sets, from and to."""

    name: str
    words: str
    standing: float
    proposed: float


def taught() -> str:
    """The page."""
    rig, sun, account = context.rig(), context.sun(), _account()
    by_day = logged_days.by_day(rig, account.intervals, sun)
    days, skies = habits.whole_days(by_day.values()), sky_days(rig, account.intervals, sun)
    energy = effective_energy(rig)
    now = context.look().present
    above = now.above_wh["everyday_floor"].p50 if now else None
    return render_template(
        "log/taught.html", taught=told, learned=account.learned, recent=habits.recent_use(days),
        weekdays=habits.weekdays(days),
        yields=habits.yields(skies), skies=habits.sky_habits(skies, rig.place.latitude < 0),
        draws=account.learned.draws, energy=energy,
        proposals=proposals(rig, account),
        moment=momentary(rig, above) if above else None, present=now, days=len(days))


def _account() -> Account:
    """The whole log, reckoned."""
    return context.whole()


def proposals(rig: Rig, account: Account) -> list[Proposal]:
    """What the log would set in the rig, where that is clearly other than what stands there."""
    found, learned = [], account.learned
    held = learned.effective_energy_wh
    standing = effective_energy(rig)
    if held and standing.basis != "tested" and not held.low <= standing.wh <= held.high:
        found.append(Proposal("energy", "The bank from full to empty", standing.wh, round(held.estimate, -1)))
    if learned.steady_draw_w:
        found.append(Proposal("standby", "Standby, with the hidden draw counted in it", rig.bank.standby_w,
                              round(rig.bank.standby_w + learned.steady_draw_w, 1)))
    return found


def apply() -> ResponseReturnValue:
    """Put one of the proposals into the rig; it can be taken back."""
    rig = context.rig()
    offered = {each.name: each for each in proposals(rig, _account())}
    chosen = offered.get(request.form.get("apply", ""))
    if chosen is None:
        if request.form.get("apply") not in ("energy", "standby"):
            abort(400)
        flash("The log does not propose that any more; nothing was changed.")
        return redirect(url_for("log.taught", rig_id=g.kept.id), 303)
    figure = {"energy": "logged_energy_wh", "standby": "standby_w"}[chosen.name]
    try:
        to: dict[str, Any] = {figure: chosen.proposed}
        made = replace(rig, bank=replace(rig.bank, **to))
    except RigFaults as faults:
        flash(f"Nothing was changed: {faults}.")
        return redirect(url_for("log.taught", rig_id=g.kept.id), 303)
    with transaction(context.writer()) as db:
        change = rigs.save(db, g.kept, made, g.now, found=[("bank", figure)], source="log")
    flash(f"{chosen.words}: applied to the rig.", f"undo-rig-{change}")
    return redirect(url_for("log.taught", rig_id=g.kept.id), 303)
