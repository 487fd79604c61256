"""A samples file that was read whole and waits on disk: how much of it there is, and what in it is hardly so."""

import tempfile
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, datetime

import numpy as np

from voltaun.core.log.samples import Samples, beyond_belief, in_order, joined
from voltaun.core.rig.rig import Rig

BLOCK = 20_000
"""Samples that are kept at once, about a quarter of a second."""

FAR_APART = 366 * 86_400
"""Rows further apart in time than this, s, are asked about: it is more often a slip than a pause."""

_FORM = Samples.__dataclass_fields__


class Cancelled(Exception):
    """The user stopped it; nothing of it is kept."""


class Staged:
    """A samples file that was read whole: its samples on disk, how many, from when to when, and what is told of it."""

    def __init__(self, pieces: Iterable[Samples], go_on: Callable[[int], bool] = lambda rows: True) -> None:
        """Read all pieces. Raises what they raise, and Cancelled."""
        self._file = tempfile.TemporaryFile(prefix="voltaun-")  # noqa: SIM115 (closed with this)
        self.rows = 0
        self.first: int | None = None
        self.last: int | None = None
        self.jump: tuple[int, int] | None = None  # the first two rows that are more than `FAR_APART` from one another
        self._before: int | None = None
        self.low: dict[str, float] = {}
        self.high: dict[str, float] = {}
        try:
            for piece in pieces:
                self._add(piece)
                if not go_on(self.rows):
                    raise Cancelled
        except BaseException:
            self.close()
            raise

    def _add(self, piece: Samples) -> None:
        np.save(self._file, np.stack([np.asarray(getattr(piece, name), dtype=float) for name in _FORM]))
        self.rows += len(piece)
        along = piece.at if self._before is None else np.concatenate(([self._before], piece.at))
        far = np.flatnonzero(np.abs(np.diff(along)) > FAR_APART)
        if self.jump is None and len(far):
            self.jump = int(along[far[0]]), int(along[far[0] + 1])
        self._before = int(piece.at[-1])
        first, last = int(piece.at.min()), int(piece.at.max())
        self.first = first if self.first is None else min(self.first, first)
        self.last = last if self.last is None else max(self.last, last)
        for name in ("volts", "amps", "watts", "soc"):
            values = getattr(piece, name)
            if not np.isnan(values).all():
                self.low[name] = min(self.low.get(name, np.inf), float(np.nanmin(values)))
                self.high[name] = max(self.high.get(name, -np.inf), float(np.nanmax(values)))

    def pieces(self) -> Iterator[Samples]:
        """The samples once more, a block at a time."""
        self._file.seek(0)
        read = 0
        while read < self.rows:
            columns = np.load(self._file)
            read += columns.shape[1]
            for n in range(0, columns.shape[1], BLOCK):
                part = columns[:, n:n + BLOCK]
                yield Samples(part[0].astype(np.int64), *part[1:])

    def doubt(self, rig: Rig, now: datetime) -> str | None:
        """What in them is hardly so: a time far from the one before it, or what cannot be with this rig (see
        `beyond_belief`); or None."""
        if self.jump:
            before, after = (f"{instant_of(at).astimezone(rig.zone):%-d %B %Y}" for at in self.jump)
            return f"{after} right after {before}"
        last: Samples | None = None
        for piece in self.pieces():
            piece = in_order(piece)[0]
            told = beyond_belief(rig, piece if last is None else joined(last, piece.part(piece.at > last.at[-1])),
                                 now)
            if told:
                return told
            last = piece.part(slice(-1, None))
        return None

    def close(self) -> None:
        """Let go of the disk's room."""
        self._file.close()


def instant_of(seconds: int) -> datetime:
    """The instant of so many seconds since 1970."""
    return datetime.fromtimestamp(seconds, UTC)
