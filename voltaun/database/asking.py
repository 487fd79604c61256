"""The question that a file asks of the outlook: its rig, what its log tells, and what is planned in it."""

import sqlite3
from contextlib import suppress
from datetime import date, datetime, timedelta
from typing import Any

from voltaun.core.instants import day_start, local_day
from voltaun.core.outlook.ask import LEARN_DAYS, Ask, Explained, Known, known
from voltaun.core.outlook.plans import GeneratorRule, with_fuel_left
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import SKY
from voltaun.database import plans, readings, weather
from voltaun.database.monitors import put_setting, setting
from voltaun.database.rigs import KeptRig

AHEAD = 10
"""So many days the futures of every page and command go: what is said of now is the same figure in all of them."""


def kept_ask(connection: sqlite3.Connection, kept: KeptRig, now: datetime, **told: Any) -> Ask:
    """The question as things stand.

    told  what the log tells (`known`) and the clear sky (`sun`), and anything that is otherwise, such as `rig`. It is
    asked at the whole minute, so that all who ask within it have one answer, and never before the last reading.
    """
    today = local_day(now, kept.rig.zone)
    minute = now.replace(second=0, microsecond=0)
    as_of = max([minute, *(reading.at for reading in told["known"].readings[-1:])])
    of_file = {"rig": kept.rig, "as_of": as_of, "days": AHEAD,
               "skies": plans.skies(connection, kept.id, today, today + timedelta(days=AHEAD)),
               "given": plans.past_skies(connection, kept.id, today - timedelta(days=LEARN_DAYS), today),
               "plans": tuple(each.plan for each in plans.current(connection, kept.id, today)),
               "rule": _rule(connection, kept, told["known"])}
    return Ask(**of_file | told)


def _rule(connection: sqlite3.Connection, kept: KeptRig, told: Known) -> GeneratorRule | None:
    """The generator's rule, with the litres that are left by the log."""
    rule, noted_at = plans.rule(connection, kept.id), plans.litres_noted_at(connection, kept.id)
    return with_fuel_left(rule, kept.rig, told.readings, noted_at) if rule and noted_at else rule


def known_in(connection: sqlite3.Connection, kept: KeptRig, now: datetime, sun: RigSun | None) -> Known:
    """What the log in a file tells now, with what its weather files say of the sky, where a page has read them."""
    today = local_day(now, kept.rig.zone)
    first = day_start(today - timedelta(days=LEARN_DAYS), kept.rig.zone)
    told = setting(connection, kept.id, "sky_of_place", {})
    kind = SKY
    if told.get("months") and weather.numbers(connection, kept.id):
        from voltaun.core.sizing import climate
        kind = climate.sky_kind(told["months"], today)
    logged = [each.reading for each in readings.since(connection, kept.id, first)]
    return known(kept.rig, logged, sun, now, sky_kind=kind, explained=explained_steps(connection, kept.id))


_EXPLAINED = {"sun": "explained_steps", "bank": "explained_bank_steps", "use": "explained_use_steps"}
"""Under which name is kept what was said of the steps of each kind."""

MOST_EXPLAINED = 20


def explained_steps(connection: sqlite3.Connection, rig_id: int) -> Explained:
    """The days on which a step was no change of the rig's parts, as the user said."""
    found: dict[str, tuple[date, ...]] = {}
    for kind, name in _EXPLAINED.items():
        days, told = [], setting(connection, rig_id, name, [])
        for text in told if isinstance(told, list) else ():
            with suppress(TypeError, ValueError):  # as another's archive may have it
                days.append(date.fromisoformat(text))
        found[kind] = tuple(days)
    return Explained(**found)


def explain(connection: sqlite3.Connection, rig_id: int, kind: str, day: date) -> None:
    """Keep that a step on a day, "sun", "bank" or "use", is explained. To be called in a transaction."""
    days = [*getattr(explained_steps(connection, rig_id), kind), day]
    put_setting(connection, rig_id, _EXPLAINED[kind], [of.isoformat() for of in days][-MOST_EXPLAINED:])
