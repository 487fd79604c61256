"""Guessing is slow: after a few wrong tries each further one has to wait, by address and in all."""

from collections import OrderedDict, deque
from dataclasses import dataclass
from threading import Lock

from voltaun.house.addresses import group

FREE = 5
"""So many wrong tries of an address cost nothing: a hand slips."""

FIRST_S, MOST_S = 2.0, 900.0
"""The next one has to wait so long, and twice as long each time, at most so long, s."""

FORGIVEN_S = 900.0
"""One wrong try of an address is forgotten for each so long that it rests, s."""

IN_ALL, HOUR_S = 60, 3600.0
"""So many wrong tries of all addresses together are looked at in an hour."""

ADDRESSES = 1000
"""So many addresses are remembered; of more the one that tried longest ago is forgotten."""


@dataclass
class _Tried:
    wrong: int = 0
    not_before: float = 0.0
    last: float = 0.0

    def rest(self, now: float) -> None:
        """Forget what was long enough ago."""
        forgotten = int((now - self.last) // FORGIVEN_S)
        self.wrong = max(0, self.wrong - forgotten)
        self.last += forgotten * FORGIVEN_S


class Guesses:
    """The wrong tries of each address and of all. Times are seconds of a clock that only goes forward."""

    def __init__(self) -> None:
        self._tried: OrderedDict[str, _Tried] = OrderedDict()
        self._lately: deque[float] = deque(maxlen=IN_ALL)
        self._lock = Lock()

    def begin(self, address: str, now: float) -> float:
        """Ask to try: 0, or how long to wait. A try counts as wrong until `right` says otherwise, so that many at
        once get no more looked at than one after the other."""
        with self._lock:
            whose = group(address)
            of = self._tried.get(whose) or _Tried(last=now)
            of.rest(now)
            waits = max(of.not_before - now, self._all_wait(now))
            if waits > 0:
                return waits
            of.wrong, of.last = of.wrong + 1, now
            if of.wrong >= FREE:
                of.not_before = now + min(MOST_S, FIRST_S * 2.0 ** min(of.wrong - FREE, 20))
            self._tried[whose] = of
            self._tried.move_to_end(whose)
            while len(self._tried) > ADDRESSES:
                self._tried.popitem(last=False)
            self._lately.append(now)
            return 0.0

    def _all_wait(self, now: float) -> float:
        if len(self._lately) < IN_ALL:
            return 0.0
        return self._lately[0] + HOUR_S - now

    def right(self, address: str) -> None:
        """The try was right: what was wrong before it is forgiven, its own counting too."""
        with self._lock:
            self._tried.pop(group(address), None)
            if self._lately:
                self._lately.pop()

