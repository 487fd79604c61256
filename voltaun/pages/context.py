"""What a page looks at: the rig of its address, its log reckoned and kept, where the bank stands, the days ahead."""

from __future__ import annotations

import sqlite3
import threading
from bisect import bisect_left, bisect_right
from contextlib import contextmanager, suppress
from dataclasses import replace
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeVar

from flask import current_app, g

from voltaun.core.instants import day_start, local_day
from voltaun.core.learned.account import Account, reckon
from voltaun.core.log.days import Day, by_day
from voltaun.core.log.events import days_of_events
from voltaun.core.outlook.ask import LEARN_DAYS, Ask, Explained, Known, known, unless
from voltaun.core.reasons import NoOutlook
from voltaun.core.rig.changes import part_changes
from voltaun.core.sky.model import SKY
from voltaun.database import asking, clearsky, dayplan, readings, weather
from voltaun.database.asking import kept_ask
from voltaun.database.connection import connect, connect_reading, transaction
from voltaun.database.monitors import put_setting, setting
from voltaun.words.readings import EVENT_WORDS
from voltaun.words.reasons import say
from voltaun.words.rig import changed_words

if TYPE_CHECKING:
    from collections.abc import Callable, Hashable, Iterator, Sequence

    from voltaun.core.dayplan.marks import Marks
    from voltaun.core.dayplan.plan import DayPlan
    from voltaun.core.learned.use_step import UseStep
    from voltaun.core.log.ledger import Interval
    from voltaun.core.outlook.outlook import Outlook
    from voltaun.core.outlook.present import Present
    from voltaun.core.outlook.replay import Again
    from voltaun.core.rig.parts import SolarArray
    from voltaun.core.rig.rig import Rig
    from voltaun.core.series import Kind
    from voltaun.core.sky.clear_sky import RigSun
    from voltaun.core.sky.weather import Weather
    from voltaun.database.rigs import KeptRig
    from voltaun.database.weather import KeptWeather

T = TypeVar("T")


def db() -> sqlite3.Connection:
    """This request's connection, which only reads and waits for nobody."""
    if "db" not in g:
        g.db = connect_reading(current_app.config["DATABASE"])
    found: sqlite3.Connection = g.db
    return found


WAITS = 2.5
"""So long a page's writing waits for another's, s; then it is said, and the page tries again by itself."""


def writer() -> sqlite3.Connection:
    """This request's connection that writes."""
    if "writer" not in g:
        g.writer = connect(current_app.config["DATABASE"], patience=WAITS)
    found: sqlite3.Connection = g.writer
    return found


def rig() -> Rig:
    """The rig of this request's address."""
    of: KeptRig = g.kept
    return of.rig


def sun() -> RigSun | None:
    """The clear-sky harvest of this request's rig; None without arrays."""
    return kept("sun", state(), lambda: clearsky.sun_of(tables_db(rig()), rig()))


def tables_db(of: Rig) -> sqlite3.Connection:
    """A connection for the clear-sky tables of a rig: one that can keep them only when some are still to be made."""
    return _keeping(clearsky.complete(db(), of))


def _keeping(complete: bool) -> sqlite3.Connection:
    if complete:
        return db()
    try:
        return writer()
    except sqlite3.Error:
        return db()  # made, but not kept


_KEEPING = threading.Lock()
KEPT = 8
"""So many of each thing that was reckoned are kept by the server, for the rigs that are looked at."""


def kept(name: str, key: Hashable, make: Callable[[], T]) -> T:
    """What was reckoned under a name, once for each key."""
    found: dict[Hashable, T] = current_app.extensions.setdefault(f"voltaun-{name}", {})
    try:
        return found[key]
    except KeyError:
        made = make()  # outside the lock: two that want the same make it twice rather than one wait for another's rig
    with _KEEPING:
        while len(found) >= KEPT and key not in found:
            found.pop(next(iter(found)))
        return found.setdefault(key, made)


def peek(name: str, key: Hashable) -> Any:
    """What was reckoned under a name and a key, None where it was not."""
    return current_app.extensions.get(f"voltaun-{name}", {}).get(key)


def state() -> tuple[Any, ...]:
    """What everything that is reckoned of this request's rig depends on: rig and log as they are kept."""
    return (g.kept.id, g.kept.version, readings.stamp(db()))


def whole() -> Account:
    """All of the rig's log reckoned: Today, Log, its sheets and exports read the same figures from it. What an outlook
    learns from is only the late part of it (see `Recent`)."""
    return kept("whole", state(), lambda: reckon(
        rig(), [each.reading for each in readings.everything(db(), g.kept.id)], sun()))


def days_from(first: date, last: date | None = None) -> dict[date, Day]:
    """The local days of the log from a day on, up to another or to now; see `days.by_day`."""
    begin = day_start(first, rig().zone)
    # The interval that ends after the last day holds a part of it.
    until = g.now if last is None else day_start(last + timedelta(days=1), rig().zone)
    found = by_day(rig(), intervals_between(begin, until, one_more=last is not None), sun(), first)
    return found if last is None else {day: of for day, of in found.items() if day <= last}


def events() -> dict[date, tuple[str, ...]]:
    """What was done on which local day; see `log.events`."""
    return kept("events", state(), lambda: days_of_events(
        (each.reading for each in readings.with_events(db(), g.kept.id)), rig().zone))


def marked_days() -> dict[date, tuple[str, ...]]:
    """What was done on which local day, and what of the rig came or went on it, in words."""
    found = {day: tuple(EVENT_WORDS[event] for event in done) for day, done in events().items()}
    for day, names in part_changes(rig()).items():
        found[day] = (*found.get(day, ()), changed_words(names))
    return found


def intervals_between(begin: datetime, until: datetime, one_more: bool = False) -> list[Interval]:
    """The intervals that end from an instant on and up to another, and perhaps the next one."""
    listed = whole().intervals
    first = bisect_left(listed, begin, key=lambda interval: interval.end)
    return listed[first:bisect_right(listed, until, key=lambda interval: interval.end) + one_more]


class Recent:
    """The late part of the log, reckoned: what is known from it, how many rows of it cannot be read, and its days by
    the calendar once they are asked for."""

    def __init__(self, now: datetime, today: date) -> None:
        first = day_start(today - timedelta(days=LEARN_DAYS), rig().zone)
        found = readings.since(db(), g.kept.id, first)
        self._rig, self._sun = rig(), sun()
        self.unreadable = found.skipped
        self.until = min((each.reading.at for each in found if each.reading.at > now), default=None)
        all_of_it = self.until is None and not readings.any_before(db(), g.kept.id, first)
        self.known: Known = known(rig(), [each.reading for each in found], sun(), now,
                                  whole() if all_of_it else None, _sky_kind(today), explained_steps())

    @cached_property
    def days(self) -> dict[date, Day]:
        """The local days of the log; see `days.by_day`."""
        return by_day(self._rig, self.known.account.intervals, self._sun)

    @cached_property
    def worst_days(self) -> list[Day]:
        """The worst of these days in a row; see `replay.worst_days`."""
        from voltaun.core.outlook.replay import worst_days
        return worst_days(self._rig, self.known.account.intervals, self.days)


YOUNG_DAYS = 3
"""A log of fewer days is young: sums and the worksheet say more than years and odds."""


def young() -> bool:
    """Whether hardly anything is logged yet."""
    return not readings.some_days(db(), g.kept.id, YOUNG_DAYS)


def lately() -> Known:
    """What the log tells of late; of a log that ended long ago what it told at its end."""
    told = look().recent.known
    if told.readings or readings.newest_at(db(), g.kept.id) is None:
        return told

    def at_its_end() -> Known:
        logged = [each.reading for each in readings.everything(db(), g.kept.id)]
        return known(rig(), logged, sun(), logged[-1].at, explained=explained_steps())
    return kept("lately", (*state(), explained_steps()), at_its_end)


def explained_steps() -> Explained:
    """The days on which a step was no change of the rig's parts, as the user said."""
    return asking.explained_steps(db(), g.kept.id)


def unexplained_use() -> UseStep | None:
    """A step in what is used that nobody has said to stay."""
    return unless(explained_steps().use, look().recent.known.use_step)


def weathers() -> list[KeptWeather]:
    """The weather files of this request's rig, unpacked once."""
    numbers = weather.numbers(db(), g.kept.id)
    return kept("weathers", (g.kept.id, numbers), lambda: weather.of_rig(db(), g.kept.id)) if numbers else []


def weathers_on(arrays: Sequence[SolarArray]) -> list[Weather]:
    """The weather of this request's rig with what it leaves on the planes of these arrays."""
    files = weathers()
    return weather.on_planes(_keeping(weather.complete(db(), files, arrays)), files, arrays)


def _sky_kind(today: date) -> Kind:
    """What is believed of the sky before the log tells: by the weather files of the place, where there are some. What
    they say is kept beside them, and made anew when they or the rig's planes are others."""
    files = weather.numbers(db(), g.kept.id)
    clear = sun()
    if not files or clear is None:
        return SKY
    from voltaun.core.sizing import climate
    told, wanted = setting(db(), g.kept.id, "sky_of_place", {}), climate.made_for(rig(), files)
    if told.get("made_for") != wanted:
        told = {"made_for": wanted, "months": climate.month_shares_of(rig(), clear, weathers_on(rig().arrays))}
        with suppress(sqlite3.Error), transaction(writer()) as kept_in:  # a disk that takes nothing: made, but not kept
            put_setting(kept_in, g.kept.id, "sky_of_place", told)
    return climate.sky_kind(told["months"], today)


def _recent(now: datetime, today: date) -> Recent:
    """What a look rests on. A reading whose time was still to come makes it anew once that has come."""
    key = (*state(), today, weather.numbers(db(), g.kept.id), explained_steps())
    found = kept("recent", key, lambda: Recent(now, today))
    if found.until is not None and found.until <= now:
        found = kept("recent", (*key, now), lambda: Recent(now, today))
    return found


def tried_on() -> dict[str, Any] | None:
    """What is tried on this request's rig (see `Look.ask`): panels and strings more, W of one panel, its plane. What
    cannot be, as from another's archive, is nothing."""
    if "tried_on" not in g:
        told = setting(db(), g.kept.id, "tried_on", None)
        g.tried_on = told if _can_be_tried(told) else None
    found: dict[str, Any] | None = g.tried_on
    return found


def _can_be_tried(told: Any) -> bool:
    return (isinstance(told, dict) and isinstance(told.get("strings"), int) and 0 <= told["strings"] <= 40
            and all(map(_can_be_added, _panels_of(told))))


def _panels_of(told: dict[str, Any]) -> list[Any]:
    """What is tried of panels, at one spot or two."""
    return [told, told["second"]] if told.get("second") else [told]


def _can_be_added(told: Any) -> bool:
    if not isinstance(told, dict):
        return False
    counts, plane, watts = (told.get("panels"), told.get("added_to") or 0), told.get("own_plane"), told.get("panel_w")
    return (all(isinstance(of, int) and 0 <= of <= 40 for of in counts)
            and (plane is None or isinstance(plane, list) and len(plane) == 2
                 and all(isinstance(of, int | float) for of in plane) and 0 <= plane[0] <= 90 and 0 <= plane[1] <= 360)
            and (watts is None or isinstance(watts, int | float) and 1 <= watts <= 1e5))


def with_tried(rig: Rig, known: Known, told: dict[str, Any]) -> dict[str, Any]:
    """What of the question is otherwise when something more stands there."""
    from voltaun.core.sizing.suns import Spot, own_plane_of
    from voltaun.core.sizing.trial import Added, known_with, with_added

    def spot(of: dict[str, Any]) -> Spot:
        last = max(0, len(rig.arrays) - 1)
        return own_plane_of(*of["own_plane"]) if of.get("own_plane") else Spot(min(of.get("added_to") or 0, last))
    grown = with_added(rig, [Added(of["panels"], of.get("panel_w"), spot(of)) for of in _panels_of(told)],
                       told["strings"])
    return {"rig": grown, "known": known_with(rig, known, told["strings"]),
            "sun": clearsky.sun_of(tables_db(grown), grown)}


class Look:
    """The rig's recent log, what is said of now, and the outlook from there, or why there is none."""

    def __init__(self) -> None:
        self.now = g.now
        self.today = local_day(self.now, rig().zone)
        self.recent = _recent(self.now, self.today)
        self.readings, self.account = self.recent.known.readings, self.recent.known.account
        self.why_none: str | None = None

    @cached_property
    def ask(self) -> Ask:
        """The question as things stand, and with what is tried on. It is asked at the whole minute, so that all pages
        of that minute answer it once."""
        told = {"known": self.recent.known, "sun": sun()}
        more = tried_on()
        if more:
            told |= with_tried(rig(), self.recent.known, more)
        return kept_ask(db(), g.kept, self.now, **told)

    @cached_property
    def _key(self) -> tuple[Any, ...]:
        """What the answer depends on."""
        ask = self.ask
        return (*state(), ask.as_of, ask.plans, ask.rule, tuple(sorted(ask.skies.items())), repr(tried_on()),
                weather.numbers(db(), g.kept.id), explained_steps())

    @cached_property
    def present(self) -> Present | None:
        """What is said of now; None when nobody can tell, and `why_none` says why."""
        from voltaun.core.outlook.present import present
        made: Outlook | None = peek("outlook", self._key)
        if made is not None:
            return made.present
        try:
            return kept("present", self._key, lambda: present(self.ask))
        except NoOutlook as none:
            self.why_none = say(none.reason)
            return None

    @cached_property
    def marks(self) -> Marks:
        """What was done with the plans of these days."""
        return dayplan.marks(db(), g.kept.id, self.today)

    @cached_property
    def plan(self) -> DayPlan | None:
        """The day's plan, with the outlook that it was made from; None where nobody can tell."""
        from voltaun.core.dayplan.plan import day_plan
        try:
            made = kept("plan", (*self._key, repr(self.marks)), lambda: day_plan(self.ask, self.marks))
        except NoOutlook as none:
            self.why_none = say(none.reason)
            return None
        kept("outlook", self._key, lambda: made.outlook)
        return made

    @cached_property
    def outlook(self) -> Outlook | None:
        """The days ahead, with what is said of now and what to do; None where nobody can tell."""
        try:
            return kept("outlook", self._key, self.ahead)
        except NoOutlook as none:
            self.why_none = say(none.reason)
            return None

    @cached_property
    def worst(self) -> Again | None:
        """The worst stretch of the log from the level now on; None without a level or such a stretch."""
        return self.worst_of(self.ask, self.outlook) if self.outlook else None

    def worst_of(self, ask: Ask, made: Outlook) -> Again | None:
        """The same for a question otherwise, with what was made of it."""
        from voltaun.core.outlook.replay import run_again
        return run_again(ask, made.present, self.recent.worst_days)

    def ahead(self, **otherwise: Any) -> Outlook:
        """The outlook as things stand, or with something of the question otherwise. Raises NoOutlook."""
        # Imported once an outlook is wanted: most pages want none.
        from voltaun.core.outlook.outlook import outlook
        return outlook(replace(self.ask, **otherwise))


@contextmanager
def looking_at(of: KeptRig) -> Iterator[None]:
    """Look at another rig than that of this request's address, for as long as it takes."""
    names = ("kept", "look", "tried_on")
    before = {name: g.pop(name, None) for name in names}
    g.kept = of
    try:
        yield
    finally:
        for name in names:
            g.pop(name, None)
            if before[name] is not None:
                setattr(g, name, before[name])


def look() -> Look:
    """This request's look at the log."""
    if "look" not in g:
        g.look = Look()
    found: Look = g.look
    return found
