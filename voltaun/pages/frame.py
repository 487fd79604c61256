"""What every page stands in: the rig of the address, the sight-glass, the pages' names, and the ground."""

import hashlib
from datetime import timedelta
from functools import cache, cached_property
from pathlib import Path

from flask import Blueprint, Flask, abort, current_app, g, request, url_for

from voltaun import clock
from voltaun.core import outlook as outlooks
from voltaun.core import words
from voltaun.core.days import by_day
from voltaun.core.habits import learned_trust
from voltaun.core.instants import day_start, local_day
from voltaun.core.learn import reckon
from voltaun.core.quantities import show_duration, show_energy, show_percent, show_power
from voltaun.core.rig import Rig
from voltaun.core.sky import learn_sky, sky_days
from voltaun.database import clearsky, plans, readings, rigs
from voltaun.database.connection import connect
from voltaun.pages.figures import glass, weave

PAGES = (("1", "today", "Today"), ("2", "log", "Log"), ("3", "bench", "Bench"), ("4", "rig", "Rig"),
         ("5", "outlook", "Outlook"), ("6", "additions", "Additions"), ("7", "sums", "Sums"))
GROUNDS = ("device", "day", "night")


def install(app: Flask) -> None:
    """Give every template the frame and the ways to show figures."""
    app.url_value_preprocessor(_load_rig)
    app.context_processor(_context)
    app.template_global("static_url")(static_url)
    app.jinja_env.globals.update(words=words, swatch=weave.swatch, source_words=weave.SOURCE_WORDS)
    app.jinja_env.filters.update(energy=show_energy, power=show_power, percent=show_percent,
                                 duration=show_duration, chance=words.chance, begin=words.begin)


def page(name: str) -> Blueprint:
    """A blueprint of one page, under the number of its rig."""
    return Blueprint(name, f"voltaun.pages.{name}", url_prefix="/<int:rig_id>", template_folder="templates")


def db():
    """This request's connection."""
    if "db" not in g:
        g.db = connect(current_app.config["DATABASE"])
    return g.db


def rig() -> Rig:
    """The rig of this request's address."""
    return g.kept.rig


def sun():
    """The clear-sky harvest of this request's rig; None without arrays."""
    if "sun" not in g:
        g.sun = clearsky.sun_of(db(), rig())
    return g.sun


class Look:
    """The rig's recent log reckoned, and the outlook from it, or why there is none."""

    def __init__(self, days: int):
        self.now, self.days = g.now, days
        self.today = local_day(self.now, rig().zone)
        first = day_start(self.today - timedelta(days=outlooks.LEARN_DAYS), rig().zone)
        self.readings = [kept.reading for kept in readings.since(db(), g.kept.id, first)
                         if kept.reading.at <= self.now]
        self.reckoned = _reckoned(self)
        self.account, self.logged, self.sky = self.reckoned.account, self.reckoned.logged, self.reckoned.sky
        self.skies = plans.skies(db(), g.kept.id, self.today, self.today + timedelta(days=days))
        self.plans = tuple(kept.plan for kept in plans.current(db(), g.kept.id, self.today))
        self.rule = plans.rule(db(), g.kept.id)
        past = plans.past_skies(db(), g.kept.id, self.today - timedelta(days=outlooks.LEARN_DAYS), self.today)
        self.trust = learned_trust(past, self.logged, outlooks.usual_trust)
        self.outlook, self.why_none = None, None
        try:
            self.outlook = self.ahead()
        except outlooks.NoOutlook as none:
            self.why_none = str(none)

    def ahead(self, of: Rig | None = None, **otherwise) -> outlooks.Outlook:
        """The outlook as things stand, or with something otherwise (plans, skies, rule). Raises NoOutlook."""
        given = {"skies": self.skies, "plans": self.plans, "rule": self.rule} | otherwise
        return outlooks.outlook(of or rig(), self.readings, self.account, sun(), self.now, self.days, sky=self.sky,
                                trust=self.trust, **given)


RECKONED_KEPT = 8


class Reckoned:
    """A log reckoned: its account, its sky's days and what they taught; its days by the calendar once asked for."""

    def __init__(self, of: Rig, logged, clear, today):
        self._rig, self._sun = of, clear
        self.account = reckon(of, logged, clear)
        self.logged = sky_days(self.account.intervals, clear, of.zone)
        self.sky = learn_sky(self.logged, today)

    @cached_property
    def days(self):
        """The local days of the log; see `days.by_day`."""
        return by_day(self._rig, self.account.intervals, self._sun)


def _reckoned(seen) -> Reckoned:
    """What a look rests on, kept while neither rig nor log changes."""
    key = (g.kept.id, g.kept.version, seen.today, len(seen.readings) and seen.readings[-1].at,
           readings.stamp(db()))
    kept = current_app.extensions.setdefault("voltaun-reckoned", {})
    found = kept.get(key)
    if found is None:
        found = Reckoned(rig(), seen.readings, sun(), seen.today)
        while len(kept) >= RECKONED_KEPT:
            kept.pop(next(iter(kept)), None)
        kept[key] = found
    return found


def look(days: int = 0) -> Look:
    """This request's look at the log, at least `days` ahead; made once unless a later one wants more."""
    if "look" not in g or g.look.days < days:
        g.look = Look(days)
    return g.look


@cache
def static_url(name: str) -> str:
    """A static file's address, with a mark that changes when the file does."""
    data = (Path(current_app.static_folder) / name).read_bytes()
    return url_for("static", filename=name, v=hashlib.sha256(data).hexdigest()[:10])


def _load_rig(_endpoint, values) -> None:
    g.now = clock.now()
    if not values or "rig_id" not in values:
        return
    g.kept = rigs.get(db(), values.pop("rig_id"))
    if g.kept is None:
        abort(404)


def _context() -> dict:
    ground = request.cookies.get("ground", "device")
    frame = {"ground": ground if ground in GROUNDS else "device", "weaves": weave.definitions, "kept": g.get("kept"),
             "page_links": PAGES, "now": g.get("now"),
             "layout": "part.html" if request.headers.get("HX-Request") else "base.html"}
    if g.get("kept") is not None:
        frame |= {"rig": rig(), "rig_names": rigs.names(db()), "zone": rig().zone, "glass": _Glass()}
    return frame


class _Glass:
    """The sight-glass, drawn when a template asks for it."""

    def __init__(self):
        seen = look()
        bank = rig().bank
        soc = seen.outlook.soc if seen.outlook else None
        days = seen.outlook.energy_wh / seen.outlook.drain.wh if seen.outlook and seen.outlook.drain.wh else None
        self.arguments = (soc, bank.everyday_floor, bank.hard_floor, days)

    def upright(self):
        return glass.upright(*self.arguments)

    def lying(self):
        return glass.lying(*self.arguments)
