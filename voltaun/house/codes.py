"""Codes that let a phone in without its passphrase: good once, and for ten minutes."""

import secrets
from hmac import compare_digest
from threading import Lock

LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
"""Without those that are taken for one another."""

LENGTH, LASTS_S, MOST = 8, 600.0, 20


class Codes:
    """The codes that stand open, in this server's memory only. Times are of a clock that only goes forward, s."""

    def __init__(self) -> None:
        self._open: dict[str, tuple[float, str]] = {}
        self._lock = Lock()

    def make(self, who: str, now: float) -> str:
        """A new code that lets in as the owner, or to look only."""
        code = "".join(secrets.choice(LETTERS) for _ in range(LENGTH))
        with self._lock:
            self._forget(now)
            while len(self._open) >= MOST:
                del self._open[next(iter(self._open))]
            self._open[code] = now + LASTS_S, who
        return code

    def take(self, typed: str, now: float) -> str | None:
        """Who a code lets in, and never again; None where it is none."""
        code = typed.upper().replace("-", "").replace(" ", "")
        with self._lock:
            self._forget(now)
            found = next((of for of in self._open if compare_digest(of.encode(), code.encode())), None)
            return None if found is None else self._open.pop(found)[1]

    def newest(self, now: float) -> tuple[str, str, float] | None:
        """The code that was made last: itself, who it lets in and for how many seconds yet."""
        with self._lock:
            self._forget(now)
            if not self._open:
                return None
            code, (until, who) = list(self._open.items())[-1]
            return code, who, until - now

    def clear(self) -> None:
        """Take all of them back."""
        with self._lock:
            self._open.clear()

    def _forget(self, now: float) -> None:
        for code in [of for of, (until, _) in self._open.items() if until <= now]:
            del self._open[code]


def shown(code: str) -> str:
    """As it is read out: in two halves."""
    return f"{code[:LENGTH // 2]}-{code[LENGTH // 2:]}"
