"""What is said at the door, and of those who may come in."""

from collections.abc import Sequence
from datetime import datetime, timedelta

WRONG = "That is not the passphrase."
WRONG_CODE = "That code is not open: each is good once, and for ten minutes."

NOT_IN_USE = "Found another passphrase than the one in use, expected that one first."

MAY = {"look": "A display", "calendar": "A calendar", "samples": "A monitor", "readings": "A device that reads"}
"""What a token is for, by what it may."""

DOES = {"look": "reads Today, the outlook and the plan", "calendar": "reads the plan and the measuring round",
        "samples": "brings samples", "readings": "brings readings"}


def device(agent: str) -> str:
    """What a device is called until it is given a name, by what its browser says of itself."""
    said = agent.lower()
    if "tablet" in said or "ipad" in said or "android" in said and "mobile" not in said:
        return "A tablet"
    return "A phone" if "mobile" in said else "A computer"


def wait(seconds: float) -> str:
    """That the next try has to wait."""
    minutes = int(seconds // 60) + 1
    how_long = f"{int(seconds) + 1} s" if seconds < 60 else f"{minutes} min"
    return f"Too many wrong tries; nothing is looked at for another {how_long}."


def changed(look_only: bool, removed: bool) -> str:
    """That a passphrase is another one now."""
    if removed:
        return "Nobody comes in to look only any more; those who did are let out."
    if look_only:
        return "The passphrase for looking is kept; whoever came in by the one before is let out."
    return "The passphrase is kept; every device is let out and comes in by it."


def let_out(others: int, tokens: Sequence[str]) -> str:
    """That a device is let out, and what went with it."""
    told = ["That device is let out. It comes in again with the passphrase only."]
    if others:
        told.append("One that came in by its code went with it." if others == 1 else
                    f"{others} that came in by its codes went with it.")
    if tokens:
        told.append(f"Its tokens open nothing any more: {', '.join(tokens)}.")
    return " ".join(told)


def last_seen(seen: datetime, now: datetime) -> str:
    """When a device was last seen."""
    ago = now - seen
    if ago < timedelta(minutes=10):
        return "just now"
    if ago < timedelta(hours=1):
        return f"{int(ago / timedelta(minutes=1))} min ago"
    if ago < timedelta(days=2):
        return f"{int(ago / timedelta(hours=1))} h ago"
    return f"{ago.days} days ago"


def wrong_tries(found: Sequence[tuple[str, int]]) -> str | None:
    """That somebody guesses: how many wrong passphrases came in a day, and from where."""
    count = sum(n for _, n in found)
    if not count:
        return None
    times = "Once" if count == 1 else f"{count} times"
    where = found[0][0] if len(found) == 1 else f"{found[0][0]} and {len(found) - 1} more"
    return f"{times} in the last day a wrong passphrase was typed, from {where}."
