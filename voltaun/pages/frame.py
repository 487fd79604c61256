"""What every page stands in: the sight-glass, the pages' names, the ground, and the rig of the address."""

import hashlib
import re
from datetime import UTC, date, datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any

from flask import Flask, abort, current_app, g, redirect, request, url_for
from markupsafe import Markup

from voltaun import clock
from voltaun.core.outlook.standing import last_level
from voltaun.core.outlook.ways import Way
from voltaun.database import backup, readings, rigs, seen, settings
from voltaun.database.connection import hindrance
from voltaun.database.house import LOOK_ONLY, YOUNGER
from voltaun.formats.plan_text import as_text
from voltaun.pages import door
from voltaun.pages.context import db, look, rig, tried_on, unexplained_use, young
from voltaun.pages.days import shown
from voltaun.pages.figures import glass, weave
from voltaun.pages.leaves import LEAVES
from voltaun.words import advising, assumed, house_units, reasons
from voltaun.words import sentences as words
from voltaun.words.cautions import for_other_ways
from voltaun.words.notes import note
from voltaun.words.rig import bank_guess, bank_step_words, day_words, panels_guess, step_words, use_step_words
from voltaun.words.terms import TERMS
from voltaun.words.units import (
    show_counter,
    show_duration,
    show_energy,
    show_number,
    show_percent,
    show_power,
    show_rough,
)

PAGES = (("1", "today", "Today"), ("2", "log", "Log"), ("3", "bench", "Bench"), ("4", "rig", "Rig"),
         ("5", "outlook", "Outlook"), ("6", "additions", "Additions"), ("7", "sums", "Sums"))
GROUNDS = ("device", "day", "night")


def install(app: Flask) -> None:
    """Give every template the frame and the ways to show figures."""
    app.before_request(_use_units)
    app.before_request(_load_rig)  # after the door, which it stands behind
    app.context_processor(_context)
    app.template_global("static_url")(static_url)
    app.jinja_env.globals.update(words=words, advising=advising, how=reasons.how, said=reasons.say,
                                 caution=reasons.caution, swatch=weave.swatch, source_words=weave.SOURCE_WORDS,
                                 plan_words=_plan_words, step_words=step_words, panels_guess=panels_guess,
                                 note=note, assumed=assumed, for_other_ways=for_other_ways,
                                 day_field=shown, leaves_of=LEAVES, terms=TERMS,
                                 units=house_units, mains_volts=house_units.mains_volts,
                                 log_is=lambda: settings.identity(db()),
                                 bank_step_words=bank_step_words, bank_guess=bank_guess,
                                 unexplained_step=lambda: look().recent.known.step,
                                 unexplained_bank=lambda: look().recent.known.bank_step,
                                 use_step_words=use_step_words, unexplained_use=unexplained_use)
    app.jinja_env.filters.update(energy=show_energy, rough=show_rough, counter=show_counter, power=show_power,
                                 percent=show_percent, temperature=house_units.show_temperature,
                                 duration=show_duration, number=show_number, unbroken=_unbroken,
                                 chance=words.chance, begin=words.begin, day_words=day_words)


def _pages() -> list[tuple[str, str, str]]:
    """The pages; until there are some days of log a rig's sums stand second, since they need none."""
    if g.get("kept") is None or not young():
        return list(PAGES)
    return sorted(PAGES, key=lambda of: (of[1] != "today", of[1] != "sums"))


def _plan_words(way: Way) -> list[str]:
    """The plans of a way of the advice, each as a form sends it back."""
    return [as_text(plan, rig()) for plan in way.plans]


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
    data = (Path(current_app.static_folder or "") / name).read_bytes()
    return url_for("static", filename=name, v=hashlib.sha256(data).hexdigest()[:10])


def _unbroken(text: str) -> str:
    """A sentence whose chances and figures each stay on one line: `3 in 10`, `20 %`, `8 h 30`."""
    return re.sub(r"(?<=\d) (?:in 10\b|%|k?Wh?\b|min\b|h\b(?: \d\d\b)?)",
                  lambda of: of[0].replace(" ", "\N{NO-BREAK SPACE}"), text)


def _use_units() -> None:
    if request.endpoint != "static":  # which asks no file, and stands when that is damaged
        chosen = settings.get(db(), "mains")
        house_units.use(settings.get(db(), "units") == CUSTOMARY, float(chosen) if chosen in MAINS else None)


MAINS = ("120", "230")
"""The volts of sockets that a house may choose."""

CUSTOMARY = "customary"
"""The setting of a house that reads °F, gallons and feet."""


def _load_rig() -> None:
    values = request.view_args
    if not values or "rig_id" not in values:
        return
    rig_id = values.pop("rig_id")
    try:
        g.kept = rigs.get(db(), rig_id)
    except OverflowError:
        raise  # a number too large for the file names nothing in it
    except rigs.ODD:
        # The rest of the application goes on; that rig is mended or removed on a page of its own.
        abort(redirect(url_for("start.mend", damaged_id=rig_id)))
    if g.kept is None:
        abort(404)
    _see_to_the_clock()


DEAD_YEAR = YOUNGER.year
"""A clock before this year has lost its battery."""

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

    def __init__(self, says: datetime, newest: datetime, dead: bool) -> None:
        self.says, self.newest, self.dead = says, newest, dead


def _context() -> dict[str, Any]:
    ground = request.cookies.get("ground", "device")
    part = "HX-Request" in request.headers and "HX-Boosted" not in request.headers
    frame = {"ground": ground if ground in GROUNDS else "device", "weaves": weave.definitions, "kept": g.get("kept"),
             "now": g.get("now"), "may_change": g.get("who") != LOOK_ONLY,
             "customary": house_units.customary(), "by_device": g.get("device") is not None, "clock_runs": clock.runs(),
             "page_links": [of for of in _pages() if g.get("who") != LOOK_ONLY or of[1] == "today"],
             "layout": "part.html" if part else "base.html"}
    if g.get("kept") is not None:
        frame |= {"rig": rig(), "rig_names": rigs.names(db()), "zone": rig().zone, "glass": _Glass(),
                  "clock": g.get("clock"), "waits": _who_waits(), "tried": tried_on(),
                  "unreadable": look().recent.unreadable, "seen_mark": seen_mark()}
    return frame


def seen_mark() -> str | None:
    """What a page that is open goes by to see that another device kept something; None where no other one can."""
    if door.the_house().port is None or g.get("who") == LOOK_ONLY:
        return None
    return hashlib.sha256(repr(seen.stamp(db(), g.kept.id)).encode()).hexdigest()[:16]


_WAITS = {
    "busy": "Another program, or an import, is writing to the file. Everything can be read; what you keep waits for "
            "it.",
    "read-only": "The disk is read-only. Everything can be read; nothing can be kept on it.",
    "full": "The disk is full. Everything can be read; nothing can be kept until there is room on it."}


def _who_waits() -> str | None:
    """Why nothing can be kept just now, in words, or None. Pages are read all the same."""
    return _WAITS.get(hindrance(current_app.config["DATABASE"]) or "")


STILL_SO = timedelta(days=1)
"""While no use is known a level that was read stands for so long."""


class _Glass:
    """The sight-glass, drawn when a template asks for it."""

    def __init__(self) -> None:
        seen, bank = look(), rig().bank
        now = seen.present
        days = now.energy_wh / now.drain.wh if now and now.drain.wh and not now.silent else None
        soc = now.soc.p50 if now and not now.silent else None
        if now is None and (read := last_level(seen.readings, seen.account)) and seen.now - read[0] < STILL_SO:
            soc = read[1]
        self.arguments = (soc, bank.everyday_floor, bank.hard_floor, days,
                          now.days["everyday_floor"].p50 if now and days else None,
                          (now.soc.p10, now.soc.p90) if now and now.vague and not now.silent else None)

    def upright(self) -> Markup:
        return glass.upright(*self.arguments)

    def lying(self) -> Markup:
        return glass.lying(*self.arguments)
