"""The small files that stand beside a database: whether each is whole, and what mends it where it is not."""

from pathlib import Path

from voltaun.database import house
from voltaun.database.files import BESIDE

KEY_LETTERS = 64
"""The key that signs sessions is so many hexadecimal digits."""


def key_of(database: Path) -> Path:
    """Where the key that signs the sessions of its pages is kept."""
    return database.with_name(database.name + ".key")


def authority_of(database: Path) -> Path:
    """The folder of the authority that vouches for the server of a database."""
    return database.with_name(database.name + ".tls")


def is_ours(path: Path, database: Path) -> bool:
    """Whether a path, resolved, is the database or one of the files that belong to it."""
    ours = {database, key_of(database), house.file_of(database), authority_of(database),
            *(database.with_name(database.name + ending) for ending in BESIDE)}
    return path in ours or path.parent == authority_of(database)


def faults(database: Path) -> list[str]:
    """What is broken of them, in words, each with what mends it; empty when all that there are are whole."""
    found = []
    wrong = house.broken(database)
    if wrong:
        found.append(f"{wrong}; nobody in the house comes in: `voltaun passphrase` makes it anew")
    key = key_of(database)
    if key.exists() and read_key(database) is None:
        found.append(f"{key}: found no key of sessions, expected one; the next start makes it anew, and devices come "
                     "in again")
    return found


def read_key(database: Path) -> str | None:
    """The key that signs sessions; None where there is none that can be read."""
    try:
        text = key_of(database).read_text(encoding="ascii").strip()
        return text if len(text) == KEY_LETTERS and bytes.fromhex(text) else None
    except (OSError, ValueError):
        return None
