"""A source laid into hours: one run in each window, as late as it still helps.

Until the level will have been read again only what would be too late then, even if everything were run from then on;
after that as much as brings the chance down to what is taken.
"""

from collections.abc import Callable

import numpy as np

from voltaun.core.outlook.lanes import Done, Lanes

ENOUGH = 0.085
"""The chance that what is advised leaves: a little under `RISKY`, so that another draw of futures asks for no more."""

NOW_OR_NEVER = 0.04
"""The chance of a lack that could not be helped any more once the level is read again, that is taken."""

SLOT = 900.0
"""The grain of what is asked for, s."""

LEAST_RUN = 2
"""No run shorter than so many slots is asked for: nobody starts an engine for a quarter of an hour."""

LEAST_SLOTS = 2
"""A run is made longer by so many slots at least."""

STALLED = 0.004
"""Where a round lowers what is risked by less than this the next takes twice as much; what was too much is cut off."""

AT_ONCE = 0.75
"""So much of what a whole period lacks is laid at once where there is only one place for it."""

MOST_ROUNDS = 60
"""A period that is not settled after so many rounds stays as it is."""

WAIT, LATER, ANY = "wait", "later", "any"
"""How a run is laid, see `Laying.whole`."""

HELPS = 0.02
"""What takes away less than this share of what it gives is not run: the bank is full then, or takes no more."""


class Laying:
    """One source on some of the futures."""

    def __init__(self, lanes: Lanes, watts: float, slots: np.ndarray, late: np.ndarray,
                 doing: Callable[[np.ndarray], Done]):
        """watts  that it gives; slots  their beginnings, epoch seconds; late  whether each comes after the next
        reading; doing  what is done with some of them run"""
        self.lanes, self.slots, self.late, self.doing = lanes, slots, late, doing
        self.step = lanes.span.step_of(slots)
        self.slot_wh = watts * SLOT / 3600
        self.efficiency = lanes.ready.ask.rig.bank.charge_efficiency

    def whole(self, on: np.ndarray, how: str) -> np.ndarray:
        """Whether each slot is run, one period after the other, since what is run for a later one comes later.

        on   what is run already; how  WAIT: only what is needed even if everything is run once the level will have been
             read again, and only the slots before that; LATER: for what comes after that only the slots after it; ANY:
             all of them
        """
        self.how = how
        parts = np.split(np.arange(len(self.slots)),
                         np.flatnonzero((np.diff(self.slots) > SLOT) | (np.diff(self.late) != 0)) + 1)
        self.windows = [Window(part, on[part]) for part in parts]
        self.came, laid = self.lanes.run(self._done()), self._on()
        periods, had = self.lanes.span.periods, np.zeros(len(self.lanes.energy), dtype=bool)
        for n, period in enumerate(periods[:2 if how == WAIT else None]):
            rest = 0.0 if how == WAIT else (ENOUGH - NOW_OR_NEVER) * n / max(1, len(periods) - 1)
            self._settle(n, period, had, NOW_OR_NEVER + rest)
            if how != WAIT and not self.lanes.lost(period):
                had = had | self.lanes.bad(self.came)[period].any(axis=0)
            if (now := self._on()).tolist() != laid.tolist():
                self.came, laid = self.lanes.again(self.came, self._done(), period.stop, self.lanes.span.count), now
        return laid

    def _on(self) -> np.ndarray:
        return np.concatenate([of.on() for of in self.windows])

    def _done(self) -> Done:
        return self.doing(self._on() | self.late if self.how == WAIT else self._on())

    def _settle(self, n: int, period: slice, had: np.ndarray, allowed: float) -> None:
        """Run for longer until no more is risked in a period than is allowed, or than can be helped by this.

        Rounds grow where one changes little, and shrink again once the last was too much.
        """
        risks = self.lanes.risk(self.came, period, had)
        least, shrinking = LEAST_SLOTS, False
        for _ in range(MOST_ROUNDS):
            over = np.flatnonzero(risks > allowed)
            if not len(over):
                return
            before = period.start + int(over[0])
            limit = int(np.searchsorted(self.step, before, side="right"))  # slots from here on come too late
            window = self._latest(n, limit)
            if window is None:  # so much of it cannot be helped by this; what comes later perhaps can
                allowed = float(risks[over[0]])
                for of in self.windows:
                    of.closed = False
                continue
            kept, had_come = window.copy(), self.came
            added = self._longer(window, period, before, limit, had, allowed, least)
            if not added:
                continue
            after = self.lanes.risk(self.came, period, had)
            if min(least, added) > LEAST_SLOTS and not (after > allowed).any():
                window.set(kept)
                self.came, least, shrinking = had_come, max(LEAST_SLOTS, min(least, added) // 2), True
                continue
            growing = LEAST_SLOTS if risks[-1] - after[-1] > STALLED else 2 * least
            risks, least = after, max(LEAST_SLOTS, least // 2) if shrinking else growing

    def _latest(self, n: int, limit: int) -> "Window | None":
        """The latest window with room for a slot before this one."""
        limit = self._last(limit)
        return next((of for of in reversed(self.windows)
                     if of.room(limit) and (self.how != LATER or not n or self.late[of.first])), None)

    def _last(self, limit: int) -> int:
        return min(limit, int((~self.late).sum())) if self.how == WAIT else limit

    def _longer(self, window: "Window", period: slice, before: int, limit: int, had: np.ndarray, allowed: float,
                least: int) -> int:
        """Run for as much longer in a window as what is lacked at a step asks; by how many slots, 0 where it helps
        nothing."""
        upto = slice(period.start, before + 1)
        lacks = self.lanes.lack(self.came, upto)
        left = max(0.0, allowed - float(self.lanes.share(had)))  # for what happened before the rest was taken
        wanted, in_all = (self.lanes.exceeded(np.where(had, 0.0, of), left) / (self.slot_wh * self.efficiency)
                          for of in (lacks, self.lanes.lack(self.came, period)))
        last = self._last(int(np.searchsorted(self.step, period.stop - 1, side="right")))
        if not any(of.room(last) for of in self.windows if of.first >= window.end):
            # There is no later place for the rest of the period: what does not fit in until this window's end.
            wanted = max(wanted, AT_ONCE * in_all - max(0, window.end - max(limit, window.stop)))
        kept = window.copy()
        now = max(least, round(wanted))
        added = window.longer(now, min(limit, window.end), round(in_all) - now)
        changed = min(window.begin, kept[0]) if kept[1] > kept[0] and window.begin < kept[0] else (
            kept[1] if kept[1] > kept[0] else window.begin)
        after = self.lanes.again(self.came, self._done(), int(self.step[changed]), period.stop)
        helped = (lacks - self.lanes.lack(after, upto)).sum()
        if helped < HELPS * added * self.slot_wh * max((lacks > 0).sum(), 1):
            window.set(kept)
            window.closed = True
            return 0
        self.came = after
        return added


class Window:
    """The slots of one stretch of hours in which a source may run, and the one run in it."""

    def __init__(self, slots: np.ndarray, on: np.ndarray):
        self.first, self.end = int(slots[0]), int(slots[-1]) + 1
        run = np.flatnonzero(on)
        self.begin, self.stop = (self.first + int(run[0]), self.first + int(run[-1]) + 1) if len(run) else (0, 0)
        self.closed = False  # more of it does not help

    @property
    def empty(self) -> bool:
        return self.begin == self.stop

    def copy(self) -> tuple[int, int]:
        return self.begin, self.stop

    def set(self, run: tuple[int, int]) -> None:
        """Run from one slot to another."""
        self.begin, self.stop = run

    def room(self, limit: int) -> bool:
        """Whether a slot before this one could still be run."""
        if self.closed or self.first >= limit:
            return False
        return self.empty or self.begin > self.first or self.stop < min(self.end, limit)

    def longer(self, more: int, limit: int, later: int = 0) -> int:
        """Run for so many slots more: on until the limit, then from earlier on; and for so many beyond the limit, as
        far as the window goes. How many it is before the limit."""
        last = min(self.end, limit)
        if self.empty:
            self.begin = self.stop = last
        had = self.stop - self.begin
        on = min(more, max(0, last - self.stop))
        self.stop += on
        self.begin = max(self.first, self.begin - (more - on))
        while self.stop - self.begin < min(LEAST_RUN, self.end - self.first):  # at the very beginning of a window
            self.stop += 1
        added = self.stop - self.begin - had
        self.stop = min(self.end, self.stop + max(0, later)) if self.stop >= last else self.stop
        return added

    def on(self) -> np.ndarray:
        """Whether each of its slots is run."""
        slots = np.arange(self.first, self.end)
        return np.asarray((slots >= self.begin) & (slots < self.stop))
