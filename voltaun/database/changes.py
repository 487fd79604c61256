"""What was changed and removed of a rig, of whatever kind, the latest first: where one looks to take it back."""

import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from voltaun.core.rig.figures import figures
from voltaun.database import imports, plans, readings, rigs
from voltaun.database.readings import instant_text

DAYS = 90
"""So far back the list reaches; nothing that it shows is let go of before."""

MOST = 400


@dataclass(frozen=True)
class Change:
    """One change: of what kind, what was done, and whether it can be taken back as things stand.

    kind    "reading", "import", "samples", "plan", "rig" (its figures), "run" or "removed rig"
    number  what taking it back is to be asked with
    """

    at: datetime
    kind: str
    number: int
    action: str
    open: bool
    told: dict[str, Any] = field(default_factory=dict)


def recent(connection: sqlite3.Connection, rig_id: int, now: datetime) -> list[Change]:
    """The changes of the last `DAYS` days, `MOST` of each kind at the most, the latest first."""
    since = instant_text(now - timedelta(days=DAYS))
    found = [*_readings(connection, rig_id, since), *_imports(connection, rig_id, since),
             *_samples(connection, rig_id, since), *_plans(connection, rig_id, since),
             *_figures(connection, rig_id, since), *_runs(connection, rig_id, since)]
    found += [Change(at, "removed rig", number, "removed", True, {"name": name})
              for number, name, at in rigs.removed(connection) if at and instant_text(at) >= since]
    return sorted(found, key=lambda change: change.at, reverse=True)


def _readings(connection: sqlite3.Connection, rig_id: int, since: str) -> Iterator[Change]:
    rows = connection.execute(
        """SELECT reading_change.id AS change_id, changed_at, action, before, reading.*,
                  reading_change.id = (SELECT max(id) FROM reading_change AS later
                                       WHERE later.reading_id = reading.id) AS newest
           FROM reading_change JOIN reading ON reading.id = reading_change.reading_id
           WHERE rig_id = ? AND changed_at >= ? AND reading_change.import_id IS NULL
           ORDER BY changed_at DESC, reading_change.id DESC LIMIT ?""", (rig_id, since, MOST)).fetchall()
    for row in rows:
        yield Change(datetime.fromisoformat(row["changed_at"]), "reading", row["change_id"], row["action"],
                     bool(row["newest"]), {"reading": readings.reading_of(row), "before": row["before"] and
                                           readings.reading_before(row["before"])})


def _imports(connection: sqlite3.Connection, rig_id: int, since: str) -> Iterator[Change]:
    rows = connection.execute("SELECT * FROM import WHERE rig_id = ? AND at >= ? AND state <> ? "
                              "ORDER BY at DESC LIMIT ?", (rig_id, since, imports.UNDER_WAY, MOST))
    for row in rows:
        of = imports.import_of(row)
        yield Change(of.at, "import", of.id, of.state, True, {"import": of})


def _samples(connection: sqlite3.Connection, rig_id: int, since: str) -> Iterator[Change]:
    rows = connection.execute(
        """SELECT removal, max(at) AS at, min(first_at) AS first_at, max(last_at) AS last_at, total(rows) AS rows,
                  min(back) AS back FROM removed_samples
           WHERE rig_id = ? AND at >= ? AND import_id IS NULL GROUP BY removal ORDER BY at DESC LIMIT ?""",
        (rig_id, since, MOST))
    for row in rows:
        yield Change(datetime.fromisoformat(row["at"]), "samples", row["removal"],
                     "brought back" if row["back"] else "removed", not row["back"],
                     {"rows": int(row["rows"]), "first_at": row["first_at"], "last_at": row["last_at"]})


def _plans(connection: sqlite3.Connection, rig_id: int, since: str) -> Iterator[Change]:
    rows = connection.execute("SELECT * FROM plan WHERE rig_id = ? AND changed_at >= ? "
                              "ORDER BY changed_at DESC LIMIT ?", (rig_id, since, MOST))
    for row in rows:
        yield Change(datetime.fromisoformat(row["changed_at"]), "plan", row["id"],
                     "removed" if row["removed"] else "kept", True, {"plan": plans.plan_of(row)})


def _figures(connection: sqlite3.Connection, rig_id: int, since: str) -> Iterator[Change]:
    kept = rigs.there(connection, rig_id)
    rows = connection.execute("SELECT id, changed_at, version, before FROM rig_change WHERE rig_id = ? "
                              "AND changed_at >= ? ORDER BY id DESC LIMIT ?", (rig_id, since, MOST))
    after = figures(kept.rig)
    for row in rows:
        before = figures(rigs.rig_before(row["before"]))
        paths = [path for path in after if path in before and before[path] != after[path]]
        paths += [path for path in {**before, **after} if (path in before) != (path in after)]
        yield Change(datetime.fromisoformat(row["changed_at"]), "rig", row["id"], "saved",
                     row["version"] == kept.version, {"paths": paths})
        after = before


def _runs(connection: sqlite3.Connection, rig_id: int, since: str) -> Iterator[Change]:
    rows = connection.execute(
        """SELECT bench_change.id, changed_at, bench_change.version, bench_run.version AS newest, subject, instrument
           FROM bench_change JOIN bench_run ON bench_run.id = bench_change.run_id
           WHERE rig_id = ? AND changed_at >= ? ORDER BY bench_change.id DESC LIMIT ?""", (rig_id, since, MOST))
    for row in rows:
        yield Change(datetime.fromisoformat(row["changed_at"]), "run", row["id"], "changed",
                     row["version"] == row["newest"], {"subject": row["subject"], "instrument": row["instrument"]})


def forget_old(connection: sqlite3.Connection, now: datetime) -> None:
    """Let go of removed samples that the list no longer shows; they take room. To be called in a transaction."""
    connection.execute("DELETE FROM removed_samples WHERE at < ?", (instant_text(now - timedelta(days=DAYS)),))
