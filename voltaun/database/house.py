"""Who may come in over the house's network, in a small file beside the database.

It is apart from it on purpose: no copy or archive carries it, so that putting an old copy back lets nobody in again who
was let out; and noting when a device was last seen waits for no import.
"""

import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

LASTS = timedelta(days=30)
"""A device that was not seen for so long has to say the passphrase again."""

SEEN_EVERY = timedelta(minutes=5)
"""It is noted no more often than this that a device was seen."""

YOUNGER = datetime(2025, 1, 1, tzinfo=UTC)
"""A clock before this is wrong: the program is younger."""

MOST_DEVICES, MOST_WRONG = 100, 500

OWNER, LOOK_ONLY = "owner", "look only"

_MADE = """
CREATE TABLE IF NOT EXISTS passphrase (
    who    TEXT PRIMARY KEY CHECK (who IN ('owner', 'look only')),
    hashed TEXT NOT NULL
) STRICT;
CREATE TABLE IF NOT EXISTS device (
    id    INTEGER PRIMARY KEY AUTOINCREMENT,
    mark  TEXT NOT NULL UNIQUE,
    who   TEXT NOT NULL CHECK (who IN ('owner', 'look only')),
    name  TEXT NOT NULL CHECK (length(name) <= 80),
    since INTEGER NOT NULL,
    seen  INTEGER NOT NULL
) STRICT;
CREATE TABLE IF NOT EXISTS wrong (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    at      INTEGER NOT NULL,
    address TEXT NOT NULL CHECK (length(address) <= 64)
) STRICT;
CREATE TABLE IF NOT EXISTS token (
    id     INTEGER PRIMARY KEY AUTOINCREMENT,
    mark   TEXT NOT NULL UNIQUE,
    may    TEXT NOT NULL CHECK (may IN ('look', 'calendar', 'samples', 'readings')),
    rig_id INTEGER NOT NULL,
    name   TEXT NOT NULL CHECK (length(name) <= 80),
    seen   INTEGER
) STRICT;
CREATE TABLE IF NOT EXISTS choice (name TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
"""


@dataclass(frozen=True)
class Device:
    """Something that was let in: who it may be, when it first came and when it was last seen."""

    id: int
    who: str
    name: str
    since: datetime
    seen: datetime


@dataclass(frozen=True)
class Token:
    """What a small device or a calendar may do by it, with one rig, and when it last did."""

    id: int
    may: str
    rig_id: int
    name: str
    seen: datetime | None


def file_of(database: Path) -> Path:
    """Where it is kept for a database."""
    return database.with_name(database.name + ".house")


@contextmanager
def opened(database: Path, create: bool = False) -> Iterator[sqlite3.Connection | None]:
    """A connection to the file, for its owner alone; None where there is none and none is to be made."""
    path = file_of(database)
    if not path.exists():
        if not create:
            yield None
            return
        os.close(os.open(path, os.O_CREAT | os.O_WRONLY, 0o600))
    with closing(sqlite3.connect(path, timeout=5.0, isolation_level=None)) as connection:
        connection.row_factory = sqlite3.Row
        if create:
            connection.executescript(_MADE)
        yield connection


def passphrase(connection: sqlite3.Connection, who: str) -> str | None:
    """The hash of a passphrase; None where there is none."""
    row = connection.execute("SELECT hashed FROM passphrase WHERE who = ?", (who,)).fetchone()
    return None if row is None else str(row["hashed"])


def set_passphrase(connection: sqlite3.Connection, who: str, hashed: str | None) -> None:
    """Keep another passphrase, or none; all that came in by the one before are let out, with the owner's all."""
    connection.execute("BEGIN IMMEDIATE")
    connection.execute("DELETE FROM passphrase WHERE who = ?", (who,))
    if hashed is not None:
        connection.execute("INSERT INTO passphrase (who, hashed) VALUES (?, ?)", (who, hashed))
    connection.execute("DELETE FROM device WHERE who = ? OR ? = 'owner'", (who, who))
    connection.execute("COMMIT")


def choice(connection: sqlite3.Connection, name: str) -> str | None:
    """What was chosen under a name, or None."""
    row = connection.execute("SELECT value FROM choice WHERE name = ?", (name,)).fetchone()
    return None if row is None else str(row["value"])


def choose(connection: sqlite3.Connection, name: str, value: str) -> None:
    """Keep a choice."""
    connection.execute("INSERT OR REPLACE INTO choice (name, value) VALUES (?, ?)", (name, value))


def let_in(connection: sqlite3.Connection, mark: str, who: str, name: str, now: datetime) -> None:
    """Keep a device by the mark of its session; beyond a hundred of its kind the one seen longest ago goes."""
    at = int(now.timestamp())
    connection.execute("INSERT INTO device (mark, who, name, since, seen) VALUES (?, ?, ?, ?, ?)",
                       (mark, who, name[:80], at, at))
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


def let_out(connection: sqlite3.Connection, device_id: int) -> bool:
    """Let a device out; whether there was such a one."""
    return connection.execute("DELETE FROM device WHERE id = ?", (device_id,)).rowcount > 0


def add_token(connection: sqlite3.Connection, mark: str, may: str, rig_id: int, name: str) -> None:
    """Keep a token by its mark. Raises sqlite3.IntegrityError for something that none may."""
    connection.execute("INSERT INTO token (mark, may, rig_id, name) VALUES (?, ?, ?, ?)",
                       (mark, may, rig_id, name[:80]))


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
                 None if row["seen"] is None else _instant(row["seen"]))


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
    return Device(row["id"], row["who"], row["name"], _instant(row["since"]), _instant(row["seen"]))


def _instant(seconds: int) -> datetime:
    return datetime.fromtimestamp(seconds, UTC)
