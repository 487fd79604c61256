"""What is asked of the simulation is kept: figures, a price list, weather files of the place."""

from dataclasses import replace
from typing import Any

from flask import abort, flash, g, redirect, request, url_for
from flask.typing import ResponseReturnValue

from voltaun.core.sizing.choices import Product, panel_of, second_panel_of
from voltaun.core.sizing.measures import fits
from voltaun.core.sizing.suns import Spot
from voltaun.database import weather
from voltaun.database.connection import transaction
from voltaun.database.monitors import put_setting
from voltaun.formats.price_list import PriceListFault, read_prices
from voltaun.formats.weather_file import WeatherFault, read_weather, remarks
from voltaun.pages import context
from voltaun.pages.additions import asked as asking
from voltaun.pages.additions.views import render
from voltaun.words import additions
from voltaun.words import sentences as words


def keep() -> ResponseReturnValue:
    """Keep the figures of the question."""
    before = asking.kept(context.db(), g.kept.id)
    after, faults = asking.typed(request.form, before)
    if faults:
        return render(422, faults, request.form, "question")
    with transaction(context.writer()) as db:
        asking.keep(db, g.kept.id, after)
    flash("The question is kept.")
    return redirect(url_for("additions.show", rig_id=g.kept.id), 303)


def keep_prices() -> ResponseReturnValue:
    """Keep the price list, typed or from a file."""
    file = request.files.get("file")
    data = file.read() if file and file.filename else request.form.get("prices", "").encode()
    try:
        products = read_prices(data) if data.strip() else []
    except (PriceListFault, ValueError) as error:
        return render(422, [f"The price list was not kept: {error}."], request.form, "prices")
    before = asking.kept(context.db(), g.kept.id)
    with transaction(context.writer()) as db:
        asking.keep(db, g.kept.id, replace(before, prices=data.decode("utf-8-sig", "replace")))
    flash(f"The price list is kept: {words.counted(len(products), 'product')}."
          if products else "The price list is empty now.")
    return redirect(url_for("additions.leaf", rig_id=g.kept.id, leaf="prices"), 303)


def try_on() -> ResponseReturnValue:
    """Look ahead on every page as if an option stood there, or take it off again."""
    panels, second, strings = (request.form.get(name, 0, type=int) for name in ("panels", "second", "strings"))
    if not (0 <= panels <= 40 and 0 <= second <= 40 and 0 <= strings <= 20):
        abort(400)
    told = None
    if panels or second or strings:
        rig = context.rig()
        offer = asking.kept(context.db(), g.kept.id).offer(rig)
        if second and offer.aims.second is None:
            abort(400)
        told = _panels(panels, panel_of(rig, offer), offer.aims.first) | {"strings": strings}
        if second and offer.aims.second:
            told["second"] = _panels(second, second_panel_of(rig, offer), offer.aims.second)
    with transaction(context.writer()) as db:
        put_setting(db, g.kept.id, "tried_on", told)
    flash("Tried on. It is marked on every page until you take it off." if told else
          "Taken off. The pages look ahead from the rig as it is.")
    return redirect(url_for("outlook.show" if told else "additions.show", rig_id=g.kept.id), 303)


def _panels(count: int, panel: Product | None, spot: Spot) -> dict[str, Any]:
    """Panels as they are kept while they are tried on."""
    return {"panels": count, "panel_w": panel.size if panel else None, "added_to": spot.added_to,
            "own_plane": spot.own and [spot.own.tilt_deg, spot.own.azimuth_deg]}


def add_measure() -> ResponseReturnValue:
    """Look at one thing more that is done without buying."""
    measure, faults = asking.measure_from(request.form)
    if measure and not fits(context.rig(), measure):
        faults.append("The rig has nothing of that name; choose one of what it has.")
    if faults or measure is None:
        return render(422, faults, request.form, "without")
    before = asking.kept(context.db(), g.kept.id)
    listed = before.listed(context.rig())
    if measure not in [of.measure for of in listed if not of.removed]:
        with transaction(context.writer()) as db:
            asking.keep(db, g.kept.id, replace(before, measures=[*listed, asking.Told(measure)]))
    flash(f"{words.begin(additions.measure(measure)).rstrip(',')}: it is looked at now.")
    return redirect(url_for("additions.leaf", rig_id=g.kept.id, leaf="without"), 303)


def change_measure(number: int) -> ResponseReturnValue:
    """Do a measure in any case or not, take it off the list, or put it back."""
    before = asking.kept(context.db(), g.kept.id)
    listed = before.listed(context.rig())
    if number >= len(listed):
        abort(404)
    of = listed[number]
    if "together" in request.form:
        of = replace(of, together=request.form["together"] == "yes")
    else:
        of = replace(of, removed="back" not in request.form)
    with transaction(context.writer()) as db:
        asking.keep(db, g.kept.id, replace(before, measures=[*listed[:number], of, *listed[number + 1:]]))
    name = words.begin(additions.measure(of.measure))
    if "together" in request.form:
        flash(f"{name}: {'all that is below is reckoned with it' if of.together else 'looked at on its own again'}.")
    else:
        flash(f"{name}: {'no longer looked at' if of.removed else 'looked at again'}.",
              f"{'remeasure' if of.removed else 'unmeasure'}-{number}")
    return redirect(url_for("additions.leaf", rig_id=g.kept.id, leaf="without"), 303)


def bring_weather() -> ResponseReturnValue:
    """Keep a weather file of the place, with what is to be said of it."""
    file = request.files.get("file")
    if not file or not file.filename:
        return render(422, ["Found no file, expected a weather file of the place."], request.form, "weather")
    try:
        read = read_weather(file.read())
        told = remarks(read, context.rig().place)
    except WeatherFault as error:
        return render(422, [f"{file.filename[:80]} was not kept: {error}."], request.form, "weather")
    with transaction(context.writer()) as db:
        number = weather.add(db, g.kept.id, file.filename[:200], read)
    flash(" ".join([f"{file.filename[:80]} is kept: {read.kind}, {read.covers}.", *(f"{words.begin(each)}."
                                                                                  for each in told)]),
          f"unweather-{number}")
    return redirect(url_for("additions.leaf", rig_id=g.kept.id, leaf="weather"), 303)


def change_weather(weather_id: int) -> ResponseReturnValue:
    """Take a weather file away, or bring it back."""
    removed = "back" not in request.form
    with transaction(context.writer()) as db:
        if not weather.set_removed(db, g.kept.id, weather_id, removed):
            abort(404)
    flash("The weather file is taken away." if removed else "The weather file is back.",
          f"reweather-{weather_id}" if removed else "message")
    return redirect(url_for("additions.leaf", rig_id=g.kept.id, leaf="weather"), 303)
