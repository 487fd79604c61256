"""What every page stands in: the rig of the address, the sight-glass, the pages' names, and the ground."""

import hashlib
import shutil
import sqlite3
from bisect import bisect_left, bisect_right
from contextlib import closing
from datetime import UTC, date, datetime, timedelta
from functools import cache, cached_property
from pathlib import Path

from flask import Blueprint, Flask, abort, current_app, g, redirect, request, url_for

from voltaun import clock
from voltaun.core import outlook as outlooks
from voltaun.core import words
from voltaun.core.days import Day, by_day
from voltaun.core.habits import learned_trust
from voltaun.core.instants import day_start, local_day
from voltaun.core.learn import Account, reckon
from voltaun.core.ledger import Interval
from voltaun.core.quantities import show_duration, show_energy, show_percent, show_power
from voltaun.core.rig import Rig
from voltaun.core.sky import learn_sky, sky_days
from voltaun.database import backup, clearsky, plans, read_back, readings, rigs
from voltaun.database.connection import connect, connect_reading, kind_of
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
    """This request's connection, which only reads and waits for nobody."""
    if "db" not in g:
        g.db = connect_reading(current_app.config["DATABASE"])
    return g.db


WAITS = 2.5
"""So long a page's writing waits for another's, s; then it is said, and the page tries again by itself."""


def writer():
    """This request's connection that writes."""
    if "writer" not in g:
        g.writer = connect(current_app.config["DATABASE"], patience=WAITS)
    return g.writer


def rig() -> Rig:
    """The rig of this request's address."""
    return g.kept.rig


def sun():
    """The clear-sky harvest of this request's rig; None without arrays."""
    if "sun" not in g:
        g.sun = clearsky.sun_of(tables_db(rig()), rig())
    return g.sun


def tables_db(of: Rig):
    """A connection for the clear-sky tables of a rig: one that can keep them only when some are still to be made."""
    if clearsky.complete(db(), of):
        return db()
    try:
        return writer()
    except sqlite3.Error:
        return db()  # made, but not kept


class Look:
    """The rig's recent log reckoned, and the outlook from it, or why there is none."""

    def __init__(self, days: int):
        self.now, self.days = g.now, days
        self.today = local_day(self.now, rig().zone)
        first = day_start(self.today - timedelta(days=outlooks.LEARN_DAYS), rig().zone)
        found = readings.since(db(), g.kept.id, first)
        self.readings, self.unreadable = [kept.reading for kept in found if kept.reading.at <= self.now], found.skipped
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


def whole() -> Account:
    """All of the rig's log reckoned, once for each state of rig and log: Today, Log, its sheets and exports read the
    same figures from it. What an outlook learns from is only the late part of it (see `Look`)."""
    key = (g.kept.id, g.kept.version, readings.stamp(db()))
    kept = current_app.extensions.setdefault("voltaun-whole", {})
    found = kept.get(key)
    if found is None:
        found = reckon(rig(), [each.reading for each in readings.everything(db(), g.kept.id)], sun())
        while len(kept) >= RECKONED_KEPT:
            kept.pop(next(iter(kept)), None)
        kept[key] = found
    return found


def days_from(first: date, last: date | None = None) -> dict[date, Day]:
    """The local days of the log from a day on, up to another or to now; see `days.by_day`."""
    begin = day_start(first, rig().zone)
    # The interval that ends after the last day holds a part of it.
    until = g.now if last is None else day_start(last + timedelta(days=1), rig().zone)
    found = by_day(rig(), intervals_between(begin, until, one_more=last is not None), sun(), first)
    return found if last is None else {day: of for day, of in found.items() if day <= last}


def intervals_between(begin: datetime, until: datetime, one_more: bool = False) -> list[Interval]:
    """The intervals that end from an instant on and up to another, and perhaps the next one."""
    listed = whole().intervals
    first = bisect_left(listed, begin, key=lambda interval: interval.end)
    return listed[first:bisect_right(listed, until, key=lambda interval: interval.end) + one_more]


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


def last_copy() -> tuple[date | None, str | None]:
    """The day of the newest copy, and what is wrong with the copying, in words."""
    trouble = current_app.extensions["voltaun-copies"].trouble
    made = backup.copies(current_app.config["DATABASE"])
    if not made:
        return None, trouble
    newest = made[-1].day
    if trouble is None and (g.now.astimezone(UTC).date() - newest).days > 3:
        trouble = "none was made since"
    return newest, trouble


@cache
def static_url(name: str) -> str:
    """A static file's address, with a mark that changes when the file does."""
    data = (Path(current_app.static_folder) / name).read_bytes()
    return url_for("static", filename=name, v=hashlib.sha256(data).hexdigest()[:10])


def _load_rig(_endpoint, values) -> None:
    g.now = clock.now()
    if not values or "rig_id" not in values:
        return
    rig_id = values.pop("rig_id")
    try:
        g.kept = rigs.get(db(), rig_id)
    except OverflowError:
        raise  # a number too large for the file names nothing in it
    except read_back.ODD:
        # The rest of the application goes on; that rig is mended or removed on a page of its own.
        abort(redirect(url_for("start.mend", damaged_id=rig_id)))
    if g.kept is None:
        abort(404)
    _see_to_the_clock()


DEAD_YEAR = 2025
"""A clock before this year has lost its battery: the program is younger."""

RESTED = timedelta(days=60)
"""A clock that stood still while the machine was off is behind by no more than this."""


def _see_to_the_clock() -> None:
    """A clock that is before the newest reading is wrong, or that reading is; `g.clock` says both.

    Where it is the clock, the newest reading's time stands in, so that the log is not empty.
    """
    newest = readings.newest_at(db(), g.kept.id)
    if newest is None or newest <= g.now + timedelta(minutes=10):
        return
    dead = g.now.year < DEAD_YEAR or newest - g.now < RESTED
    g.clock = Clock(g.now, newest, dead)
    if dead:
        g.now = newest


class Clock:
    """What the machine's clock says, the newest reading's time, and whether it is the clock that is wrong."""

    def __init__(self, says: datetime, newest: datetime, dead: bool):
        self.says, self.newest, self.dead = says, newest, dead


def _context() -> dict:
    ground = request.cookies.get("ground", "device")
    frame = {"ground": ground if ground in GROUNDS else "device", "weaves": weave.definitions, "kept": g.get("kept"),
             "page_links": PAGES, "now": g.get("now"),
             "layout": "part.html" if request.headers.get("HX-Request") else "base.html"}
    if g.get("kept") is not None:
        frame |= {"rig": rig(), "rig_names": rigs.names(db()), "zone": rig().zone, "glass": _Glass(),
                  "clock": g.get("clock"), "waits": _who_waits(), "unreadable": look().unreadable}
    return frame


LITTLE_ROOM = 2 ** 20
"""With less free space than this, bytes, nothing can be kept."""


def _who_waits() -> str | None:
    """Why nothing can be kept just now, in words, or None. Pages are read all the same."""
    path = current_app.config["DATABASE"]
    try:
        if shutil.disk_usage(path.parent).free < LITTLE_ROOM:
            return "The disk is full. Everything can be read; nothing can be kept until there is room on it."
        with closing(connect(path, patience=0)) as probe:
            probe.execute("BEGIN IMMEDIATE")
            probe.execute("ROLLBACK")
    except (sqlite3.Error, OSError) as error:
        return {"busy": "Another program, or an import, is writing to the file. Everything can be read; what you keep "
                        "waits for it.",
                "read-only": "The disk is read-only. Everything can be read; nothing can be kept on it.",
                "full": "The disk is full. Everything can be read; nothing can be kept until there is room on it."
                }.get(kind_of(error, path))
    return None


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
