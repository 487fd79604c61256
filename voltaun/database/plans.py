"""Plans, the skies given for coming days, and the generator's rule."""

import sqlite3
from dataclasses import asdict, dataclass
from datetime import UTC, date, datetime
from typing import Any

from voltaun.core.outlook.plans import GeneratorRule, Plan
from voltaun.database.connection import row_id
from voltaun.database.monitors import put_setting, setting
from voltaun.database.readings import instant_text


@dataclass(frozen=True)
class KeptPlan:
    """A plan with its number in the file."""

    id: int
    plan: Plan


def current(connection: sqlite3.Connection, rig_id: int, today: date) -> list[KeptPlan]:
    """The rig's plans that are not over, in order of their days."""
    rows = connection.execute(
        "SELECT * FROM plan WHERE rig_id = ? AND removed = 0 AND last_day >= ? ORDER BY first_day, id",
        (rig_id, today.isoformat()))
    return [KeptPlan(row["id"], plan_of(row)) for row in rows]


def plan_of(row: sqlite3.Row) -> Plan:
    """The plan that a row holds; ValueError when it holds no legal one."""
    return Plan(row["kind"], date.fromisoformat(row["first_day"]), date.fromisoformat(row["last_day"]), row["amount"],
                row["name"], row["begin_hour"], row["end_hour"])


def add(connection: sqlite3.Connection, rig_id: int, plan: Plan, now: datetime) -> int:
    """Keep a plan; its number. To be called in a transaction."""
    return row_id(connection.execute(
        """INSERT INTO plan (rig_id, kind, first_day, last_day, amount, name, begin_hour, end_hour, changed_at)
           VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)""", (rig_id, *_columns(plan), instant_text(now))))


def one(connection: sqlite3.Connection, rig_id: int, plan_id: int) -> KeptPlan | None:
    """A plan of the rig by its number, None where there is none or it was taken away."""
    row = connection.execute("SELECT * FROM plan WHERE rig_id = ? AND id = ? AND removed = 0",
                             (rig_id, plan_id)).fetchone()
    return row and KeptPlan(row["id"], plan_of(row))


def _columns(plan: Plan) -> tuple[Any, ...]:
    return (plan.kind, plan.first.isoformat(), plan.last.isoformat(), plan.amount, plan.name, plan.begin, plan.end)


def set_removed(connection: sqlite3.Connection, rig_id: int, plan_id: int, removed: bool, now: datetime) -> bool:
    """Take a plan away, or bring it back; whether there is such a plan. To be called in a transaction."""
    return connection.execute("UPDATE plan SET removed = ?, changed_at = ? WHERE rig_id = ? AND id = ?",
                              (removed, instant_text(now), rig_id, plan_id)).rowcount > 0


def give_sky(connection: sqlite3.Connection, rig_id: int, day: date, today: date, sky: str) -> None:
    """Give a coming day's sky, or with "" take it away. To be called in a transaction."""
    connection.execute("INSERT OR REPLACE INTO sky_given VALUES (?, ?, ?, ?)",
                       (rig_id, day.isoformat(), today.isoformat(), sky))


def skies(connection: sqlite3.Connection, rig_id: int, first: date, last: date) -> dict[date, str]:
    """The latest sky given for each day from first to last."""
    rows = connection.execute(
        "SELECT day, sky FROM sky_given WHERE rig_id = ? AND day BETWEEN ? AND ? ORDER BY given_on",
        (rig_id, first.isoformat(), last.isoformat()))
    latest = {row["day"]: row["sky"] for row in rows}
    return {date.fromisoformat(day): sky for day, sky in sorted(latest.items()) if sky}


def past_skies(connection: sqlite3.Connection, rig_id: int, first: date, before: date) -> list[tuple[date, int, str]]:
    """What was given for days that are over, from first on: (day, how many days ahead, word)."""
    rows = connection.execute(
        "SELECT day, given_on, sky FROM sky_given WHERE rig_id = ? AND day >= ? AND day < ? AND sky <> '' ORDER BY day",
        (rig_id, first.isoformat(), before.isoformat()))
    found = [(date.fromisoformat(row["day"]), date.fromisoformat(row["given_on"]), row["sky"]) for row in rows]
    return [(day, (day - given_on).days, sky) for day, given_on, sky in found]


def rule(connection: sqlite3.Connection, rig_id: int) -> GeneratorRule | None:
    """When the rig's generator is started and stopped, as it was typed, or None."""
    kept = setting(connection, rig_id, "generator_rule", None)
    return kept and GeneratorRule(**kept)


def litres_noted_at(connection: sqlite3.Connection, rig_id: int) -> datetime | None:
    """When the litres of the rule were typed; None where that was not kept."""
    try:
        return datetime.fromisoformat(setting(connection, rig_id, "litres_noted_at", None)).astimezone(UTC)
    except (TypeError, ValueError):  # as another's archive may have it
        return None


def keep_rule(connection: sqlite3.Connection, rig_id: int, made: GeneratorRule | None, now: datetime) -> None:
    """Keep the generator's rule, or with None none. To be called in a transaction."""
    put_setting(connection, rig_id, "generator_rule", made and asdict(made))
    put_setting(connection, rig_id, "litres_noted_at", instant_text(now))
