"""What is asked of the simulation is kept: figures, a price list, weather files of the place."""

from flask import abort, flash, g, redirect, request, url_for

from voltaun.database import weather
from voltaun.database.connection import transaction
from voltaun.formats.price_list import PriceListFault, read_prices
from voltaun.formats.weather_file import WeatherFault, read_weather, remarks
from voltaun.pages import context
from voltaun.pages.additions import asked as asking
from voltaun.pages.additions.views import render
from voltaun.words import sentences as words


def keep():
    """Keep the figures of the question."""
    before = asking.kept(context.db(), g.kept.id)
    after, faults = asking.typed(request.form, before)
    if faults:
        return render(422, faults, request.form)
    with transaction(context.writer()) as db:
        asking.keep(db, g.kept.id, after)
    flash("The question is kept.")
    return redirect(url_for("additions.show", rig_id=g.kept.id), 303)


def keep_prices():
    """Keep the price list, typed or from a file."""
    file = request.files.get("file")
    data = file.read() if file and file.filename else request.form.get("prices", "").encode()
    try:
        products = read_prices(data) if data.strip() else []
    except (PriceListFault, ValueError) as error:
        return render(422, [f"The price list was not kept: {error}."], request.form)
    before = asking.kept(context.db(), g.kept.id)
    with transaction(context.writer()) as db:
        asking.keep(db, g.kept.id, asking.Asked(before.numbers, before.habits, data.decode("utf-8-sig", "replace")))
    flash(f"The price list is kept: {len(products)} product{'s' if len(products) != 1 else ''}."
          if products else "The price list is empty now.")
    return redirect(url_for("additions.show", rig_id=g.kept.id) + "#prices", 303)


def bring_weather():
    """Keep a weather file of the place, with what is to be said of it."""
    file = request.files.get("file")
    if not file or not file.filename:
        return render(422, ["Found no file, expected a weather file of the place."], request.form)
    try:
        read = read_weather(file.read())
        told = remarks(read, context.rig().place)
    except WeatherFault as error:
        return render(422, [f"{file.filename[:80]} was not kept: {error}."], request.form)
    with transaction(context.writer()) as db:
        number = weather.add(db, g.kept.id, file.filename[:200], read)
    flash(" ".join([f"{file.filename[:80]} is kept: {read.kind}, {read.covers}.", *(f"{words.begin(each)}."
                                                                                  for each in told)]),
          f"unweather-{number}")
    return redirect(url_for("additions.show", rig_id=g.kept.id) + "#weather", 303)


def change_weather(weather_id: int):
    """Take a weather file away, or bring it back."""
    removed = "back" not in request.form
    with transaction(context.writer()) as db:
        if not weather.set_removed(db, g.kept.id, weather_id, removed):
            abort(404)
    flash("The weather file is taken away." if removed else "The weather file is back.",
          f"reweather-{weather_id}" if removed else "message")
    return redirect(url_for("additions.show", rig_id=g.kept.id) + "#weather", 303)
