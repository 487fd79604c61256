"""Outlook: the fan of the level, the sky given for coming days, plans, what if, and how past outlooks did."""

from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from flask import abort, flash, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from werkzeug.datastructures import MultiDict

from voltaun.core.instants import day_start
from voltaun.core.outlook.autonomy import momentary
from voltaun.core.outlook.outlook import Outlook
from voltaun.core.outlook.plans import SOURCE_OF
from voltaun.core.reasons import NoOutlook
from voltaun.core.rig.parts import SKIES
from voltaun.core.rig.rig import Rig
from voltaun.database import monitors, plans, readings
from voltaun.database.asking import AHEAD
from voltaun.database.connection import transaction
from voltaun.formats.plan_text import read_plan
from voltaun.intake import client, forecast
from voltaun.pages import context
from voltaun.pages.context import Look
from voltaun.pages.figures import fan
from voltaun.pages.leaves import known_leaf
from voltaun.pages.outlook.asked import Asked, plan_from, rule_from, typed_of
from voltaun.words import sentences as words

FORECAST = "http://127.0.0.1:8152"
PLAN_KINDS = (("drive", "driving, hours a day"), ("generator", "generator, hours a day"),
              ("mains", "at a socket, hours a day"), ("people", "guests, how many"),
              ("guests", "more or less use, × (1.4)"), ("away", "away, use × (0.2)"), ("add", "a load more, Wh a day"),
              ("leave_off", "doing without a load"))
PAST_DAYS = (1, 3, 5, 10)
PAST_OUTLOOKS, PAST_AFTER_DAYS = 120, 21
"""The page looks back on so many outlooks at the most, made once so many days were logged."""


def show() -> tuple[str, int]:
    """The page; with something asked of it, what that would change."""
    return render()


def leaf(leaf: str) -> tuple[str, int]:
    """One of its leaves."""
    return render(leaf=known_leaf("outlook", leaf))


def render(status: int = 200, plan_faults: list[str] | None = None, rule_faults: list[str] | None = None,
           typed: MultiDict[str, str] | None = None, leaf: str = "") -> tuple[str, int]:
    """The page, with what is wrong beside what was typed."""
    look, rig = context.look(), context.rig()
    asked = Asked.of(rig, look.now, request.args)
    other, other_ask = None, look.ask
    if look.outlook and asked.words and not asked.faults:
        try:
            otherwise = {"plans": (*look.ask.plans, *asked.plans), **_tried(look, asked)}
            other, other_ask = look.ahead(**otherwise), replace(look.ask, **otherwise)
        except NoOutlook:
            other = None
    floors = (rig.bank.everyday_floor, rig.bank.hard_floor)
    pictures = []
    if look.outlook and not leaf:
        pictures = [fan.draw(other or look.outlook, floors, rig.zone, width, height, letters, name,
                             before=look.outlook if other else None)
                    for width, height, letters, name in ((1060, 360, 13, "fan-wide"), (390, 280, 11.5, "fan-narrow"))]
    return render_template(
        "outlook/outlook.html", leaf=leaf, look=look, outlook=other or look.outlook, other=other, today=look.today,
        pictures=pictures, asked=asked, worst=look.worst_of(other_ask, other) if other else look.worst,
        coming=[look.today + timedelta(days=n) for n in range(AHEAD + 1)], skies=SKIES,
        ask_fields=_ask_fields(rig), plan_kinds=PLAN_KINDS,
        planned=plans.current(context.db(), g.kept.id, look.today), moment=_momentary(rig, other or look.outlook),
        difference=words.difference(look.outlook, other, asked.words, look.today,
                                    rig.bank.everyday_floor) if look.outlook and other else None,
        forecast=monitors.setting(context.db(), g.kept.id, "forecast_address", FORECAST),
        noted=plans.rule(context.db(), g.kept.id), plan_faults=plan_faults or [], rule_faults=rule_faults or [],
        typed=typed or _plan_to_change()), status


WORTH_SAYING = 1.3
"""A swing between hours that differ by less is not worth a sentence."""


def _momentary(rig: Rig, made: Outlook | None) -> tuple[float, float, float] | None:
    """What a display that divides by the watts of the moment would say; None without a swing."""
    above = made.present.above_wh["everyday_floor"].p50 if made else 0.0
    swing = momentary(rig, above) if above else None
    return swing if swing and swing[1] > WORTH_SAYING * swing[0] else None


def _tried(look: Look, asked: Asked) -> dict[str, Any]:
    """What of the question is otherwise when something more stands there."""
    if not (asked.panels or asked.strings):
        return {}
    return context.with_tried(look.ask.rig, look.ask.known, {"panels": asked.panels, "strings": asked.strings})


def _ask_fields(rig: Rig) -> list[tuple[str, str, str]]:
    """The figures of a day that a what-if can ask for: name, label and hint of each."""
    sources = [(kind, f"{rig.parts(source)[0].name}, h", "") for kind, source in SOURCE_OF.items() if rig.has(source)]
    return [*sources, ("load", "A load more, W", ""), ("begin", "from, o'clock", "soon"),
            ("end", "the load until", "23:00"), *([("panels", "Panels more", "")] if rig.arrays else []),
            ("strings", "Packs more" if rig.bank.is_station else "Strings more", "")]


def _plan_to_change() -> dict[str, str]:
    """What the form of a plan shows: the figures of the one that is to be changed, or nothing."""
    number = request.args.get("change", type=int)
    kept = plans.one(context.db(), g.kept.id, number) if number else None
    return typed_of(kept) if kept else {}


def give_sky() -> ResponseReturnValue:
    """Keep the sky of a coming day as it was tapped, or take it away."""
    look = context.look()
    text, _, word = request.form.get("sky", "").partition("=")
    try:
        day = date.fromisoformat(text)
    except ValueError:
        abort(400)
    if word not in ("", *SKIES) or not 0 <= (day - look.today).days <= AHEAD:
        abort(400)
    with transaction(context.writer()) as db:
        plans.give_sky(db, g.kept.id, day, look.today, word)
    sun, night = context.sun(), day_start(day + timedelta(days=1), context.rig().zone)
    if word and day == look.today and sun and sun.between(look.now, night) <= 0:
        flash("Kept. The sun is down: today’s sky changes nothing any more.")
    # A what-if that is on the page stays.
    query = Asked.of(context.rig(), look.now, request.args).query
    return redirect(url_for("outlook.show", rig_id=g.kept.id, **query) + "#sky", 303)


def fetch_skies() -> ResponseReturnValue:
    """Ask the forecast service for the sky of the coming days."""
    address = request.form.get("address", "").strip()
    look = context.look()
    fault = client.address_fault(address)
    if fault:
        flash(fault)
        return redirect(url_for("outlook.show", rig_id=g.kept.id) + "#sky", 303)
    try:
        found = forecast.fetch(address, look.today, AHEAD + 1)
    except forecast.NoForecast as none:
        flash(f"{none} Nothing was changed.")
    else:
        with transaction(context.writer()) as db:
            monitors.put_setting(db, g.kept.id, "forecast_address", address)
            for day, word in found.items():
                plans.give_sky(db, g.kept.id, day, look.today, word)
        flash(f"The sky of {words.days(len(found))} came in.")
    return redirect(url_for("outlook.show", rig_id=g.kept.id) + "#sky", 303)


def add_plan() -> ResponseReturnValue:
    """Keep a plan, or put it in the place of another."""
    plan, faults = plan_from(context.rig(), g.now, request.form)
    if faults or plan is None:
        return render(422, plan_faults=faults, typed=request.form, leaf="plans")
    instead = request.form.get("instead", type=int)
    with transaction(context.writer()) as db:
        if instead and not plans.set_removed(db, g.kept.id, instead, True, g.now):
            abort(404)
        number = plans.add(db, g.kept.id, plan, g.now)
    said = "Changed; planned now" if instead else "Planned"
    flash(f"{said}: {words.plan(plan, context.rig())}.", f"swap-{instead}-{number}" if instead else f"unplan-{number}")
    return redirect(url_for("outlook.leaf", rig_id=g.kept.id, leaf="plans"), 303)


def keep_way() -> ResponseReturnValue:
    """Keep what the advice proposed as plans, all of it or nothing; what is planned already is not planned twice."""
    rig = context.rig()
    try:
        wanted = [read_plan(text, rig) for text in request.form.getlist("plan")[:MOST_KEPT]]
    except ValueError:
        abort(400)
    today = context.look().today
    wanted = [plan for plan in wanted if plan.last >= today]
    with transaction(context.writer()) as db:
        standing = [each.plan for each in plans.current(db, g.kept.id, today)]
        numbers = [plans.add(db, g.kept.id, plan, g.now) for plan in wanted if plan not in standing]
    if numbers:
        flash(f"Planned: {'; '.join(f'{words.on_day(plan.first, today)} {words.plan(plan, rig)}' for plan in wanted)}.",
              f"unplans-{'.'.join(map(str, numbers))}")
    else:
        flash("That is planned already." if wanted else "That is over. Look at the advice again.")
    return redirect(url_for("outlook.leaf", rig_id=g.kept.id, leaf="plans"), 303)


MOST_KEPT = 24
"""No way of the advice has more plans than this."""


def change_plan(plan_id: int) -> ResponseReturnValue:
    """Take a plan away, with those that were kept with it, or bring it back, and then perhaps take away what stands in
    its place."""
    removed, instead = "back" not in request.form, request.form.get("instead", type=int)
    together = [plan_id, *request.form.getlist("also", type=int)[:MOST_KEPT]]
    with transaction(context.writer()) as db:
        if instead and not removed:
            plans.set_removed(db, g.kept.id, instead, True, g.now)
        found = [plans.set_removed(db, g.kept.id, each, removed, g.now) for each in together]
    if not all(found):
        abort(404)
    if removed:
        flash("The plan is taken away." if len(together) == 1 else f"{len(together)} plans are taken away.",
              f"replan-{plan_id}" if len(together) == 1 else f"replans-{'.'.join(map(str, together))}")
    else:
        flash("The plan is back.")
    return redirect(url_for("outlook.leaf", rig_id=g.kept.id, leaf="plans"), 303)


def keep_rule() -> ResponseReturnValue:
    """Keep when the generator is started and stopped, or that it is not counted on."""
    made, faults = (None, []) if "none" in request.form else rule_from(request.form)
    if faults:
        return render(422, rule_faults=faults, typed=request.form, leaf="plans")
    with transaction(context.writer()) as db:
        plans.keep_rule(db, g.kept.id, made, g.now)
    flash("The generator’s rule is kept." if made else "The generator does not count.")
    return redirect(url_for("outlook.leaf", rig_id=g.kept.id, leaf="plans") + "#rule", 303)


def past_outlooks() -> str:
    """How past outlooks did; made when it is asked for, since it takes a while."""
    # Imported when they are asked for: the start of the server should not wait for them.
    from voltaun.core.dayplan.record import record
    from voltaun.core.outlook.backtest import backtest
    from voltaun.pages.figures import past
    from voltaun.words import planning
    rig, now = context.rig(), g.now
    look = context.look()
    first = now - timedelta(days=PAST_OUTLOOKS + 400)
    kept = [each.reading for each in readings.since(context.db(), g.kept.id, first) if each.reading.at <= now]
    made = None
    if kept:
        begin = max(kept[0].at + timedelta(days=PAST_AFTER_DAYS), now - timedelta(days=PAST_OUTLOOKS))
        key = (g.kept.id, g.kept.version, look.today, readings.stamp(context.db()))
        made = context.kept("past", key, lambda: backtest(rig, kept, context.sun(), PAST_DAYS, begin))
    pictures = [past.draw(made, rig.zone, width, height, letters, name)
                for width, height, letters, name in ((1060, 260, 13, "past-wide"), (390, 240, 11.5, "past-narrow"))
                ] if made and made.sun else []
    looked_back = context.kept("record", key, lambda: record(rig, kept, context.sun(), begin)) if kept else None
    return render_template("outlook/past.html", past=made, pictures=pictures,
                           allowed=planning.record(looked_back, rig) if looked_back else "",
                           said=made.said(PAST_DAYS[-1]) if made else [], said_days=PAST_DAYS[-1])
