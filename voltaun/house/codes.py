"""Codes that let a phone in without its passphrase: good once, and for ten minutes."""

import secrets
from collections.abc import Collection
from dataclasses import dataclass
from hmac import compare_digest
from threading import Lock

LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
"""Without those that are taken for one another."""

LENGTH, LASTS_S, MOST = 8, 600.0, 20


@dataclass(frozen=True)
class Open:
    """What a code lets in as, until when, s, and the device that made it; None for this machine."""

    who: str
    until: float
    by: int | None


class Codes:
    """The codes that stand open, in this server's memory only. Times are of a clock that only goes forward, s."""

    def __init__(self) -> None:
        self._open: dict[str, Open] = {}
        self._lock = Lock()

    def make(self, who: str, now: float, by: int | None = None) -> str:
        """A new code that lets in as the owner, or to look only; made by a device, or on this machine."""
        code = "".join(secrets.choice(LETTERS) for _ in range(LENGTH))
        with self._lock:
            self._forget(now)
            while len(self._open) >= MOST:
                del self._open[next(iter(self._open))]
            self._open[code] = Open(who, now + LASTS_S, by)
        return code

    def take(self, typed: str, now: float) -> Open | None:
        """What a code lets in, and never again; None where it is none."""
        code = typed.upper().replace("-", "").replace(" ", "")
        with self._lock:
            self._forget(now)
            found = next((of for of in self._open if compare_digest(of.encode(), code.encode())), None)
            return None if found is None else self._open.pop(found)

    def newest(self, now: float) -> tuple[str, Open] | None:
        """The code that was made last, and what it lets in."""
        with self._lock:
            self._forget(now)
            if not self._open:
                return None
            return list(self._open.items())[-1]

    def clear(self, of: Collection[int] | None = None) -> None:
        """Take back those that these devices made; without any, all of them."""
        with self._lock:
            self._open = {} if of is None else {code: told for code, told in self._open.items() if told.by not in of}

    def _forget(self, now: float) -> None:
        for code in [of for of, told in self._open.items() if told.until <= now]:
            del self._open[code]


def shown(code: str) -> str:
    """As it is read out: in two halves."""
    return f"{code[:LENGTH // 2]}-{code[LENGTH // 2:]}"
