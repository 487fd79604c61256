"""Who may come in over the house's network, in a small file beside the database.

It is apart from it on purpose: no copy or archive carries it, so that putting an old copy back lets nobody in again who
was let out; and noting when a device was last seen waits for no import. It comes to be whole or not at all; where it
was broken all the same nobody comes in by it, and the log goes on without a house.
"""

import os
import sqlite3
from collections.abc import Collection, Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from voltaun.database.files import in_place

LASTS = timedelta(days=30)
"""A device that was not seen for so long has to say the passphrase again."""

SEEN_EVERY = timedelta(minutes=5)
"""It is noted no more often than this that a device was seen."""

YOUNGER = datetime(2025, 1, 1, tzinfo=UTC)
"""A clock before this is wrong: the program is younger."""

MOST_DEVICES, MOST_WRONG = 100, 500

OWNER, LOOK_ONLY = "owner", "look only"

_MADE = """
CREATE TABLE passphrase (
    who    TEXT PRIMARY KEY CHECK (who IN ('owner', 'look only')),
    hashed TEXT NOT NULL
) STRICT;
CREATE TABLE device (
    id    INTEGER PRIMARY KEY AUTOINCREMENT,
    mark  TEXT NOT NULL UNIQUE,
    who   TEXT NOT NULL CHECK (who IN ('owner', 'look only')),
    name  TEXT NOT NULL CHECK (length(name) <= 80),
    since INTEGER NOT NULL,
    seen  INTEGER NOT NULL,
    by    INTEGER
) STRICT;
CREATE TABLE wrong (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    at      INTEGER NOT NULL,
    address TEXT NOT NULL CHECK (length(address) <= 64)
) STRICT;
CREATE TABLE token (
    id     INTEGER PRIMARY KEY AUTOINCREMENT,
    mark   TEXT NOT NULL UNIQUE,
    may    TEXT NOT NULL CHECK (may IN ('look', 'calendar', 'samples', 'readings')),
    rig_id INTEGER NOT NULL,
    name   TEXT NOT NULL CHECK (length(name) <= 80),
    seen   INTEGER,
    by     INTEGER
) STRICT;
CREATE TABLE choice (name TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
PRAGMA user_version = 2;
"""

_SINCE_FIRST = """BEGIN IMMEDIATE;
ALTER TABLE device ADD COLUMN by INTEGER;
ALTER TABLE token ADD COLUMN by INTEGER;
PRAGMA user_version = 2;
COMMIT;
"""
"""What the first releases, which gave it no number, made without: the device by whose code another came in, and the one
that made a token."""

_VERSION, _TABLES = 2, {"passphrase", "device", "wrong", "token", "choice"}


@dataclass(frozen=True)
class Device:
    """Something that was let in: who it may be, when it first came and when it was last seen."""

    id: int
    who: str
    name: str
    since: datetime
    seen: datetime
    by: int | None = None


@dataclass(frozen=True)
class Token:
    """What a small device or a calendar may do by it, with one rig, when it last did, and which device made it."""

    id: int
    may: str
    rig_id: int
    name: str
    seen: datetime | None
    by: int | None = None


@dataclass(frozen=True)
class LetOut:
    """What went: the devices, and the names of the tokens that they had made."""

    devices: frozenset[int]
    tokens: tuple[str, ...]


def file_of(database: Path) -> Path:
    """Where it is kept for a database."""
    return database.with_name(database.name + ".house")


@contextmanager
def opened(database: Path, create: bool = False) -> Iterator[sqlite3.Connection | None]:
    """A connection to the file, for its owner alone; None where there is none, or a broken one, and none is to be made.
    Where one is to be made a broken one is put aside."""
    path = file_of(database)
    connection = _connected(path) if path.exists() else None
    if connection is None and create:
        _put_aside(path)
        _make(path)
        connection = _connected(path)
    if connection is None:
        yield None
        return
    with closing(connection):
        yield connection


def broken(database: Path) -> str | None:
    """What is wrong with the file, in words; None where it is whole or there is none."""
    path = file_of(database)
    if not path.exists():
        return None
    connection = _connected(path)
    if connection is None:
        return f"{path}: found no list of who may come in, expected one"
    with closing(connection):
        try:
            found = str(connection.execute("PRAGMA integrity_check").fetchone()[0])
        except sqlite3.DatabaseError as error:
            found = str(error)
    return None if found == "ok" else f"{path}: {found}"


def _connected(path: Path) -> sqlite3.Connection | None:
    """A connection to a file that is one of ours, brought to the newest form; None where it is not."""
    connection = sqlite3.connect(path, timeout=5.0, isolation_level=None)
    try:
        version = connection.execute("PRAGMA user_version").fetchone()[0]
        if version != _VERSION:
            found = {row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            if version != 0 or not found >= _TABLES:
                raise sqlite3.DatabaseError("not ours")
            connection.executescript(_SINCE_FIRST)
        connection.row_factory = sqlite3.Row
        return connection
    except sqlite3.OperationalError:  # it is busy, or cannot be read: that passes, or is told
        connection.close()
        raise
    except sqlite3.DatabaseError:
        connection.close()
        return None


def _make(path: Path) -> None:
    """Make it beside its place, and put it there whole."""
    beside = path.with_name(path.name + ".new")
    beside.unlink(missing_ok=True)
    os.close(os.open(beside, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
    try:
        with closing(sqlite3.connect(beside, isolation_level=None)) as connection:
            connection.executescript(_MADE)
        in_place(beside, path)
    finally:
        beside.unlink(missing_ok=True)


def _put_aside(path: Path) -> None:
    """What is broken is kept, under another name; what SQLite left beside it would spoil the new one."""
    aside = next(of for n in range(1, 10_000) if not (of := path.with_name(f"{path.name}-damaged-{n}")).exists())
    for ending in ("", "-journal", "-wal", "-shm"):
        with suppress(FileNotFoundError):
            os.replace(f"{path}{ending}", f"{aside}{ending}")


def passphrase(connection: sqlite3.Connection, who: str) -> str | None:
    """The hash of a passphrase; None where there is none."""
    row = connection.execute("SELECT hashed FROM passphrase WHERE who = ?", (who,)).fetchone()
    return None if row is None else str(row["hashed"])


def set_passphrase(connection: sqlite3.Connection, who: str, hashed: str | None, stay: Collection[int] = ()) -> None:
    """Keep another passphrase, or none; all that came in by the one before are let out, with the owner's all.

    stay  the tokens that go on opening what they do when the owner's is another; the others go
    """
    connection.execute("BEGIN IMMEDIATE")
    connection.execute("DELETE FROM passphrase WHERE who = ?", (who,))
    if hashed is not None:
        connection.execute("INSERT INTO passphrase (who, hashed) VALUES (?, ?)", (who, hashed))
    connection.execute("DELETE FROM device WHERE who = ? OR ? = 'owner'", (who, who))
    if who == OWNER:
        gone = [(of.id,) for of in tokens(connection) if of.id not in stay]
        connection.executemany("DELETE FROM token WHERE id = ?", gone)
    connection.execute("COMMIT")


def choice(connection: sqlite3.Connection, name: str) -> str | None:
    """What was chosen under a name, or None."""
    row = connection.execute("SELECT value FROM choice WHERE name = ?", (name,)).fetchone()
    return None if row is None else str(row["value"])


def choose(connection: sqlite3.Connection, name: str, value: str) -> None:
    """Keep a choice."""
    connection.execute("INSERT OR REPLACE INTO choice (name, value) VALUES (?, ?)", (name, value))


def let_in(connection: sqlite3.Connection, mark: str, who: str, name: str, now: datetime,
           by: int | None = None) -> None:
    """Keep a device by the mark of its session, and the one whose code let it in; beyond a hundred of its kind the one
    seen longest ago goes."""
    at = int(now.timestamp())
    connection.execute("INSERT INTO device (mark, who, name, since, seen, by) VALUES (?, ?, ?, ?, ?, ?)",
                       (mark, who, name[:80], at, at, by))
    connection.execute("""DELETE FROM device WHERE who = :who AND id NOT IN (
                          SELECT id FROM device WHERE who = :who ORDER BY seen DESC, id DESC LIMIT :most)""",
                       {"who": who, "most": MOST_DEVICES})  # guests who come again and again put no owner out


def device(connection: sqlite3.Connection, mark: str, now: datetime) -> Device | None:
    """The device of a session's mark; None where it was let out, or not seen for thirty days."""
    row = connection.execute("SELECT * FROM device WHERE mark = ?", (mark,)).fetchone()
    found = None if row is None else _device(row)
    return found if found and now - found.seen <= LASTS else None


def note_seen(connection: sqlite3.Connection, of: Device, now: datetime) -> None:
    """Note that a device was seen, unless that was noted a moment ago, or the clock has lost its battery: put right
    it would have the device not seen for fifty years."""
    if abs(now - of.seen) >= SEEN_EVERY and now >= YOUNGER:
        connection.execute("UPDATE device SET seen = ? WHERE id = ?", (int(now.timestamp()), of.id))


def devices(connection: sqlite3.Connection) -> list[Device]:
    """All that were let in, the one that was seen last first."""
    return [_device(row) for row in connection.execute("SELECT * FROM device ORDER BY seen DESC, id DESC")]


def let_out(connection: sqlite3.Connection, device_id: int) -> LetOut | None:
    """Let a device out, with what came in by codes that it made and the tokens that they made; None where there is no
    such device."""
    connection.execute("BEGIN IMMEDIATE")
    gone = frozenset(row[0] for row in connection.execute(
        """WITH RECURSIVE gone(id) AS (SELECT id FROM device WHERE id = ?
           UNION SELECT device.id FROM device JOIN gone ON device.by = gone.id) SELECT id FROM gone""", (device_id,)))
    theirs = [of for of in tokens(connection) if of.by in gone]
    connection.executemany("DELETE FROM token WHERE id = ?", [(of.id,) for of in theirs])
    connection.executemany("DELETE FROM device WHERE id = ?", [(of,) for of in gone])
    connection.execute("COMMIT")
    return LetOut(gone, tuple(of.name for of in theirs)) if gone else None


def add_token(connection: sqlite3.Connection, mark: str, may: str, rig_id: int, name: str,
              by: int | None = None) -> None:
    """Keep a token by its mark, and the device that made it. Raises sqlite3.IntegrityError for something that none
    may."""
    connection.execute("INSERT INTO token (mark, may, rig_id, name, by) VALUES (?, ?, ?, ?, ?)",
                       (mark, may, rig_id, name[:80], by))


def token(connection: sqlite3.Connection, mark: str, now: datetime) -> Token | None:
    """The token of a mark, noted as seen; None where it was taken away."""
    row = connection.execute("SELECT * FROM token WHERE mark = ?", (mark,)).fetchone()
    if row is None:
        return None
    found = _token(row)
    if found.seen is None or abs(now - found.seen) >= SEEN_EVERY:
        with suppress(sqlite3.Error):  # a disk that takes nothing
            connection.execute("UPDATE token SET seen = ? WHERE id = ?", (int(now.timestamp()), found.id))
    return found


def tokens(connection: sqlite3.Connection) -> list[Token]:
    """All of them, the first one first."""
    return [_token(row) for row in connection.execute("SELECT * FROM token ORDER BY id")]


def take_away(connection: sqlite3.Connection, token_id: int) -> bool:
    """Take a token away; whether there was such a one."""
    return connection.execute("DELETE FROM token WHERE id = ?", (token_id,)).rowcount > 0


def _token(row: sqlite3.Row) -> Token:
    return Token(row["id"], row["may"], row["rig_id"], row["name"],
                 None if row["seen"] is None else _instant(row["seen"]), row["by"])


def note_wrong(connection: sqlite3.Connection, address: str, now: datetime) -> None:
    """Note a wrong try; the oldest beyond some hundreds go."""
    connection.execute("INSERT INTO wrong (at, address) VALUES (?, ?)", (int(now.timestamp()), address[:64]))
    connection.execute("DELETE FROM wrong WHERE id NOT IN (SELECT id FROM wrong ORDER BY id DESC LIMIT ?)",
                       (MOST_WRONG,))


def wrong_since(connection: sqlite3.Connection, since: datetime) -> list[tuple[str, int]]:
    """From which addresses wrong passphrases came since then, and how many; the most first."""
    return [(row["address"], row["n"]) for row in connection.execute(
        "SELECT address, count(*) AS n FROM wrong WHERE at >= ? GROUP BY address ORDER BY n DESC, address",
        (int(since.timestamp()),))]


def _device(row: sqlite3.Row) -> Device:
    return Device(row["id"], row["who"], row["name"], _instant(row["since"]), _instant(row["seen"]), row["by"])


def _instant(seconds: int) -> datetime:
    return datetime.fromtimestamp(seconds, UTC)
