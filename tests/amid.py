"""Killed amid what people do: ticks of the plan, parts with dates, settings, a passphrase, a migration, a restore.

Each is done in a process of its own that says what it has done once it is kept; the process is killed at
any moment, and what it said must hold.
"""

import os
import random
import signal
import time
from contextlib import closing, suppress
from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path

from tests.support import NOW, rig
from voltaun.core.log.reading import Reading
from voltaun.core.rig.parts import Load
from voltaun.database import backup, check, connection, dayplan, house, rigs, settings
from voltaun.database import readings as kept
from voltaun.database.connection import transaction

FIRST = date(2026, 1, 1)


def acts(path: Path, how: str, say) -> None:
    """Do one thing after the other, the n-th of each kind, and say n once it is kept."""
    with closing(connection.connect(path)) as db:
        for n in range(10_000):
            if how == "ticks":
                with transaction(db):
                    dayplan.set_done(db, 1, FIRST + timedelta(days=n), "Wash", True)
                    dayplan.move(db, 1, FIRST + timedelta(days=n), "Wash", float(n % 24))
            elif how == "parts":
                with transaction(db):
                    stands = rigs.there(db, 1)
                    loads = (Load(f"Load {n}", 100.0 + n, from_day=FIRST + timedelta(days=n)),)
                    rigs.save(db, stands, replace(stands.rig, loads=loads), NOW)
            elif how == "settings":
                with transaction(db):
                    settings.put(db, "a", str(n))
                    settings.put(db, "b", str(n))
            else:
                with house.opened(path, create=True) as file:
                    house.set_passphrase(file, house.OWNER, f"scrypt:{n}")
                    house.let_in(file, f"mark {n}", house.OWNER, "phone", NOW)
            say(n)


def holds(path: Path, how: str, said: int) -> None:
    """That what was said is kept, whole, and nothing is half done."""
    with closing(connection.connect(path)) as db:
        if how == "ticks":
            marks = dayplan.marks(db, 1, FIRST)
            done = sum(map(len, marks.done.values()))
            assert done >= said + 1 and len(marks.moved) == done, (done, len(marks.moved), said)
        elif how == "parts":
            (load,) = rigs.there(db, 1).rig.loads
            n = int(load.name.rpartition(" ")[2])
            assert n >= said and load.daily_wh == 100.0 + n and load.from_day == FIRST + timedelta(days=n), load
        elif how == "settings":
            a, b = settings.get(db, "a"), settings.get(db, "b")
            assert a == b and int(a) >= said, (a, b, said)
        else:
            with house.opened(path) as file:
                assert file is not None, "the list of who may come in is broken"
                n = int(house.passphrase(file, house.OWNER).rpartition(":")[2])
                assert n >= said and len(house.devices(file)) <= 1, (n, said)
        assert check.faults(db) == []
    assert house.broken(path) is None


def killed(folder: Path, rng: random.Random, n: int, how: str) -> None:
    """Kill one of them at any moment, and look."""
    path = folder / f"amid-{n}.db"
    connection.prepare(path)
    with closing(connection.connect(path)) as db, transaction(db):
        rigs.add(db, rig(arrays=(), loads=(Load("Load 0", 100.0),)))
    process = _Begun(acts, path, how)
    until = rng.randint(0, 12)
    while (line := process.stdout.readline()) and int(line) < until:
        pass
    time.sleep(rng.uniform(0, 0.01))
    holds(path, how, max([until, *process.killed()]))


def of_before(path: Path, number: int) -> None:
    """A database as the release with so many migrations left it, with a rig and readings in it where it has them."""
    newest = connection.migrations()
    try:
        connection.migrations, before = (lambda: newest[:number]), connection.migrations
        connection.prepare(path)
    finally:
        connection.migrations = before
    with closing(connection.connect(path)) as db, transaction(db):
        db.execute("INSERT INTO setting (name, value) VALUES ('mine', 'kept')")


def migration_killed(folder: Path, rng: random.Random, n: int) -> None:
    """Kill a start amid its migrations; the next one ends them, and nothing is lost."""
    path = folder / f"before-{n}.db"
    of_before(path, 1 + n % (len(connection.migrations()) - 1))
    process = _Begun(migrates, path)
    process.stdout.readline()  # it is about to begin
    time.sleep(rng.uniform(0, 0.03))
    process.killed()
    connection.prepare(path)
    with closing(connection.connect(path)) as db:
        assert db.execute("PRAGMA user_version").fetchone()[0] == connection.migrations()[-1][0]
        assert settings.get(db, "mine") == "kept" and settings.identity(db)
        assert check.faults(db) == []


def migrates(path: Path, say) -> None:
    """Bring it to the newest form."""
    say(0)
    connection.prepare(path)


def restores(copy: Path, path: Path, say) -> None:
    """Put a copy in its place."""
    say(0)
    backup.restore(copy, path, NOW)


def writes(path: Path, say) -> None:
    """Keep one reading after the other."""
    with closing(connection.connect(path)) as db:
        for n in range(1, 10_000):
            with transaction(db):
                kept.add(db, 1, Reading(NOW + timedelta(minutes=n), soc=0.5), NOW)
            say(n)


def restore_killed(folder: Path, rng: random.Random, n: int) -> None:
    """Kill a restore while another process writes: the database is whole, and each acknowledged reading is in it or
    in the copy of what stood there."""
    path, copy = folder / f"restored-{n}.db", folder / f"copy-{n}.db"
    connection.prepare(path)
    with closing(connection.connect(path)) as db:
        with transaction(db):
            rigs.add(db, rig(arrays=()))
        backup.backup(db, copy)
    writer, restoring = _Begun(writes, path), _Begun(restores, copy, path)
    restoring.stdout.readline()
    time.sleep(rng.uniform(0, 0.06))
    restoring.killed()
    time.sleep(0.02)
    said = set(writer.killed())
    found = set()
    for each in (path, *folder.glob(f"restored-{n}-before-*.db")):
        with suppress(connection.DatabaseFault), closing(connection.connect(each)) as db:
            found |= {round((of.reading.at - NOW) / timedelta(minutes=1)) for of in kept.everything(db, 1)}
    with closing(connection.connect(path)) as db:
        assert check.faults(db) == []
    assert said <= found, f"{len(said - found)} of {len(said)} acknowledged readings are lost"


class _Begun:
    """A process of its own that does something and says what it has done, a number a line."""

    def __init__(self, act, *given) -> None:
        reading, writing = os.pipe()
        self.pid = os.fork()  # another Python would take two seconds to begin, 300 times
        if self.pid == 0:
            try:
                with os.fdopen(writing, "w", buffering=1) as told:
                    act(*given, lambda n: print(n, file=told, flush=True))
            finally:
                os._exit(0)
        os.close(writing)
        self.stdout = os.fdopen(reading)

    def killed(self) -> list[int]:
        """Kill it; what it had said that was not read yet."""
        os.kill(self.pid, signal.SIGKILL)
        os.waitpid(self.pid, 0)
        with self.stdout:
            return [int(line) for line in self.stdout.read().split()]
