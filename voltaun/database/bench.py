"""The bench: runs with their readings, what was done to each and how to take it back; the measuring round."""

import json
import sqlite3
from dataclasses import dataclass, fields, replace
from datetime import datetime
from typing import Any

from voltaun.core.bench.round import Round, Slot
from voltaun.core.bench.runs import Mark, Run
from voltaun.core.rig.figures import Path, figures, put, without_load
from voltaun.database import rigs
from voltaun.database.connection import row_id
from voltaun.database.readings import instant_text
from voltaun.database.rigs import KeptRig

_MARK = tuple(field.name for field in fields(Mark))
_RUN = tuple(field.name for field in fields(Run) if field.name != "marks")


class RunChanged(Exception):
    """The run was changed since it was shown, or is gone."""


class AlreadyApplied(Exception):
    """The run's finding was applied before; `at` says when."""

    def __init__(self, at: datetime) -> None:
        self.at = at
        super().__init__("the finding is applied already")


class FigureChanged(Exception):
    """A figure that the finding set was changed since, so it cannot be taken back; `path` names it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        super().__init__(f"{' '.join(path)} was changed since")


@dataclass(frozen=True)
class KeptRun:
    """A run with its number in the file, its version, and what became of it."""

    id: int
    version: int
    begun_at: datetime
    state: str
    applied_at: datetime | None
    applied: dict[Path, object]
    run: Run


def runs(connection: sqlite3.Connection, rig_id: int) -> list[KeptRun]:
    """All runs of the rig, the latest begun first."""
    rows = connection.execute("SELECT * FROM bench_run WHERE rig_id = ? ORDER BY begun_at DESC, id DESC",
                              (rig_id,)).fetchall()
    marks: dict[int, list[Mark]] = {row["id"]: [] for row in rows}
    for mark in connection.execute(
            """SELECT bench_mark.* FROM bench_mark JOIN bench_run ON bench_run.id = bench_mark.run_id
               WHERE bench_run.rig_id = ? ORDER BY run_id, bench_mark.at""", (rig_id,)):
        marks[mark["run_id"]].append(_mark(mark))
    return [_kept(row, marks[row["id"]]) for row in rows]


def there(connection: sqlite3.Connection, rig_id: int, run_id: int) -> KeptRun:
    """The run of this number, which something else that is kept points to. Raises LookupError."""
    kept = get(connection, rig_id, run_id)
    if kept is None:
        raise LookupError(f"there is no run {run_id}")
    return kept


def get(connection: sqlite3.Connection, rig_id: int, run_id: int) -> KeptRun | None:
    """One run of the rig, or None."""
    row = connection.execute("SELECT * FROM bench_run WHERE rig_id = ? AND id = ?", (rig_id, run_id)).fetchone()
    if row is None:
        return None
    marks = connection.execute("SELECT * FROM bench_mark WHERE run_id = ? ORDER BY at", (run_id,))
    return _kept(row, [_mark(mark) for mark in marks])


def begin(connection: sqlite3.Connection, rig_id: int, run: Run, now: datetime) -> int:
    """Keep a new run; its number. To be called in a transaction."""
    begun = run.marks[0].at if run.marks else now
    run_id = row_id(connection.execute(
        """INSERT INTO bench_run (rig_id, instrument, subject, side, begun_at, warm, conditions, leave_out_hours,
                                  cut_off, basis, watts, hours_a_day, duty, standby_w, surge_w, yearly_wh,
                                  daily_wh, read_on)
           VALUES (:rig_id, :instrument, :subject, :side, :begun_at, :warm, :conditions, :leave_out_hours,
                   :cut_off, :basis, :watts, :hours_a_day, :duty, :standby_w, :surge_w, :yearly_wh,
                   :daily_wh, :read_on)""",
        _values(run) | {"rig_id": rig_id, "begun_at": instant_text(begun)}))
    _write_marks(connection, run_id, run)
    return run_id


def change(connection: sqlite3.Connection, kept: KeptRun, version: int, run: Run, now: datetime,
           state: str | None = None) -> int:
    """Put a changed run in place of the version that was shown; the number of the change.

    state  "open" or "abandoned", to change that too. To be called in a transaction. Raises RunChanged.
    """
    begun = run.marks[0].at if run.marks else kept.begun_at
    row = _row_at_version(connection, kept.id, version)
    connection.execute(
        """UPDATE bench_run SET instrument = :instrument, subject = :subject, side = :side, begun_at = :begun_at,
                  state = :state, warm = :warm, conditions = :conditions, leave_out_hours = :leave_out_hours,
                  cut_off = :cut_off, basis = :basis, watts = :watts, hours_a_day = :hours_a_day, duty = :duty,
                  standby_w = :standby_w, surge_w = :surge_w, yearly_wh = :yearly_wh, daily_wh = :daily_wh,
                  read_on = :read_on, version = version + 1
           WHERE id = :id""",
        _values(run) | {"id": kept.id, "begun_at": instant_text(begun), "state": state or kept.state})
    connection.execute("DELETE FROM bench_mark WHERE run_id = ?", (kept.id,))
    _write_marks(connection, kept.id, run)
    before = {"state": kept.state, "begun_at": instant_text(kept.begun_at), "run": _values(kept.run),
              "marks": [_mark_values(mark) for mark in kept.run.marks]}
    return row_id(connection.execute(
        "INSERT INTO bench_change (run_id, changed_at, version, before) VALUES (?, ?, ?, ?)",
        (kept.id, instant_text(now), row["version"] + 1, json.dumps(before))))


def undo(connection: sqlite3.Connection, rig_id: int, change_id: int, now: datetime) -> tuple[int, KeptRun]:
    """Put a run back as it was before a change; its number, and what it was until now. To be called in a transaction.

    Raises RunChanged when it was changed again since, LookupError when there is no such change.
    """
    row = connection.execute(
        """SELECT bench_change.*, bench_run.version AS newest FROM bench_change
           JOIN bench_run ON bench_run.id = bench_change.run_id WHERE bench_change.id = ? AND rig_id = ?""",
        (change_id, rig_id)).fetchone()
    if row is None:
        raise LookupError("there is no such change")
    if row["version"] != row["newest"]:
        raise RunChanged
    before = json.loads(row["before"])
    kept = there(connection, rig_id, row["run_id"])
    run = _run(before["run"], [_mark(mark) for mark in before["marks"]])
    change(connection, kept, kept.version, run, now, before["state"])
    return kept.id, kept


def read_change(row: sqlite3.Row) -> None:
    """Read a row of `bench_change`; ValueError, KeyError or TypeError when it holds no run."""
    datetime.fromisoformat(row["changed_at"])
    before = json.loads(row["before"])
    datetime.fromisoformat(before["begun_at"])
    _run(before["run"], [_mark(mark) for mark in before["marks"]])


def read_applied(row: sqlite3.Row) -> None:
    """Read what applying a run noted; ValueError, KeyError or TypeError when it is not what was noted."""
    if row["applied_before"] is not None:
        before = json.loads(row["applied_before"])
        if not (before["new"] is None or isinstance(before["new"], str)):
            raise ValueError(before["new"])
        for path, _ in before["figures"]:
            tuple(path)
        for run_id, path, value, at, _ in before["origins"]:
            datetime.fromisoformat(at)
            json.loads(path), json.loads(value)
            if not (run_id is None or isinstance(run_id, int)):
                raise ValueError(run_id)


def apply(connection: sqlite3.Connection, rig: rigs.KeptRig, kept: KeptRun, version: int,
          changes: dict[Path, object], now: datetime) -> None:
    """Set the rig's figures to what a run found. To be called in a transaction.

    Raises AlreadyApplied, RunChanged, RigFaults when the figures are not legal, LookupError.
    """
    row = _row_at_version(connection, kept.id, version)
    if in_use(kept, rigs.origins(connection, rig)):
        raise AlreadyApplied(datetime.fromisoformat(row["applied_at"]))
    standing = figures(rig.rig)
    before = [(path, standing.get(path)) for path in changes]
    origins = [tuple(stood) for path in changes if (stood := _origin(connection, rig.id, path))]
    rigs.save(connection, rig, put(rig.rig, changes), now, kept.id, found=changes)
    connection.execute(
        """UPDATE bench_run SET applied_at = ?, applied_before = ?, applied_after = ?, version = version + 1
           WHERE id = ?""",
        (instant_text(now), json.dumps({"new": _is_new(rig, changes), "figures": before, "origins": origins}),
         json.dumps(list(changes.items())), kept.id))


def _origin(connection: sqlite3.Connection, rig_id: int, path: tuple[str, ...]) -> sqlite3.Row | None:
    """Where a figure came from until now, as its row, or None."""
    row: sqlite3.Row | None = connection.execute(
        "SELECT run_id, path, value, at, source FROM figure_origin WHERE rig_id = ? AND path = ?",
        (rig_id, json.dumps(path))).fetchone()
    return row


def _is_new(rig: KeptRig, changes: Any) -> str | None:
    """The load that applying these figures adds to the rig, if any."""
    loads = {path[1] for path in changes if path[0] == "loads"} - {load.name for load in rig.rig.loads}
    return next(iter(loads), None)


def in_use(kept: KeptRun, origins: dict[Path, rigs.Origin]) -> bool:
    """Whether the rig reckons with what the run found: no newer finding and no hand has set its figures since.

    origins  as `rigs.origins` gives them
    """
    counted = [path for path in kept.applied if path[-1] not in ("side", "evidence")]
    return kept.applied_at is not None and all(path in origins and origins[path].run_id == kept.id for path in counted)


def take_back(connection: sqlite3.Connection, rig: rigs.KeptRig, kept: KeptRun, version: int, now: datetime) -> None:
    """Set the rig's figures back to what they were before the run's finding was applied. In a transaction.

    Raises FigureChanged when one of them was changed since, RunChanged, LookupError when it is not applied.
    """
    row = _row_at_version(connection, kept.id, version)
    if row["applied_at"] is None:
        raise LookupError("the finding is not applied")
    standing, before = figures(rig.rig), json.loads(row["applied_before"])
    for path, value in kept.applied.items():
        if standing.get(path) != value:
            raise FigureChanged(path)
    if before["new"]:
        restored = without_load(rig.rig, before["new"])
    else:
        restored = put(rig.rig, {tuple(path): tuple(value) if isinstance(value, list) else value
                                 for path, value in before["figures"]})
    rigs.save(connection, rig, restored, now)
    connection.executemany("DELETE FROM figure_origin WHERE rig_id = ? AND path = ?",
                           [(rig.id, json.dumps(path)) for path in kept.applied])
    connection.executemany("INSERT INTO figure_origin (rig_id, run_id, path, value, at, source) "
                           "VALUES (?, ?, ?, ?, ?, ?)", [(rig.id, *origin) for origin in before["origins"]])
    connection.execute(
        """UPDATE bench_run SET applied_at = NULL, applied_before = NULL, applied_after = NULL, version = version + 1
           WHERE id = ?""", (kept.id,))


def measuring_round(connection: sqlite3.Connection, rig_id: int) -> Round | None:
    """The round that is under way, or None."""
    row = connection.execute("SELECT * FROM measuring_round WHERE rig_id = ?", (rig_id,)).fetchone()
    if row is None:
        return None
    slots = tuple(Slot(load, meter, datetime.fromisoformat(start), datetime.fromisoformat(end))
                  for load, meter, start, end in json.loads(row["slots"]))
    return Round(datetime.fromisoformat(row["begun_at"]), row["ac_meters"], row["dc_meters"], slots)


def keep_round(connection: sqlite3.Connection, rig_id: int, made: Round) -> None:
    """Keep a round in place of the one before. To be called in a transaction."""
    slots = [(slot.load, slot.meter, instant_text(slot.start), instant_text(slot.end)) for slot in made.slots]
    connection.execute("INSERT OR REPLACE INTO measuring_round VALUES (?, ?, ?, ?, ?)",
                       (rig_id, instant_text(made.begun_at), made.ac_meters, made.dc_meters, json.dumps(slots)))


def _row_at_version(connection: sqlite3.Connection, run_id: int, version: int) -> sqlite3.Row:
    row: sqlite3.Row | None = connection.execute("SELECT * FROM bench_run WHERE id = ?", (run_id,)).fetchone()
    if row is None or row["version"] != version:
        raise RunChanged
    return row


def _kept(row: sqlite3.Row, marks: list[Mark]) -> KeptRun:
    applied = {tuple(path): value for path, value in json.loads(row["applied_after"] or "[]")}
    return KeptRun(row["id"], row["version"], datetime.fromisoformat(row["begun_at"]), row["state"],
                   row["applied_at"] and datetime.fromisoformat(row["applied_at"]), applied, _run(row, marks))


def _known(names: tuple[str, ...], values: dict[str, Any] | sqlite3.Row) -> dict[str, Any]:
    return {name: values[name] for name in names if name in values.keys()}  # noqa: SIM118 (a sqlite3.Row)


def _run(values: dict[str, Any] | sqlite3.Row, marks: list[Mark]) -> Run:
    """A run from its row, or from what was noted of it before a change, which may lack what is noted since."""
    made = Run(**_known(_RUN, values), marks=tuple(marks))
    return replace(made, warm=bool(made.warm), cut_off=bool(made.cut_off))


def _mark(values: dict[str, Any] | sqlite3.Row) -> Mark:
    made = Mark(**_known(_MARK, values))
    return replace(made, at=datetime.fromisoformat(values["at"]), reset=bool(made.reset),
                   cells=tuple(json.loads(values["cells"])) if made.cells else ())


def _values(run: Run) -> dict[str, Any]:
    return {name: getattr(run, name) for name in _RUN} | {"warm": int(run.warm), "cut_off": int(run.cut_off)}


def _mark_values(mark: Mark) -> dict[str, Any]:
    return {name: getattr(mark, name) for name in _MARK} | {"at": instant_text(mark.at), "reset": int(mark.reset),
                                                              "cells": json.dumps(mark.cells)}


def _write_marks(connection: sqlite3.Connection, run_id: int, run: Run) -> None:
    connection.executemany(
        """INSERT INTO bench_mark VALUES (:run_id, :at, :wh, :run_minutes, :soc, :volts, :ah, :ac_wh, :other_wh, :dc_w,
                                          :ac_w, :peak_w, :low_w, :ambient_c, :reset, :note, :cells)""",
        [_mark_values(mark) | {"run_id": run_id} for mark in run.marks])
