"""The small files that stand beside a database: whether each is whole, and what mends it where it is not."""

from pathlib import Path

from voltaun.database import house

KEY_LETTERS = 64
"""The key that signs sessions is so many hexadecimal digits."""


def key_of(database: Path) -> Path:
    """Where the key that signs the sessions of its pages is kept."""
    return database.with_name(database.name + ".key")


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
