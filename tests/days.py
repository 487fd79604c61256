"""A day of its own for each test class: when, where, in what tongue, at whose home and with what rights it runs.

Nothing that is tested may hold only today, here, or for root. The day is drawn from a seed (the commit, unless one is
given) and the name of the class, so that it can be had again: `python -m tests --day SEED NAME`.
"""

import ctypes
import os
import random
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

ODD_DAYS = (
    ("2026-10-03T15:59:30+00:00", "Australia/Hobart"),      # half a minute before the clock skips an hour
    ("2026-04-04T15:30:00+00:00", "Australia/Adelaide"),    # the hour that comes twice, in a half-hour zone
    ("2027-03-28T00:59:59+00:00", "Europe/London"),
    ("2028-02-29T12:00:00+00:00", "Asia/Kathmandu"),
    ("2028-02-29T23:45:00+00:00", "Pacific/Chatham"),
    ("2038-01-19T03:14:07+00:00", "America/St_Johns"),      # the last second of 32 bits
    ("2038-01-19T03:14:08+00:00", "UTC"),
    ("2026-12-31T23:59:59+00:00", "Asia/Kolkata"),
    ("2030-01-01T00:00:00+00:00", "Pacific/Kiritimati"),
    ("2027-10-02T16:15:00+00:00", "Australia/Lord_Howe"),   # a clock that moves by half an hour
)
ZONES = tuple(sorted({zone for _, zone in ODD_DAYS}))
TONGUES = ("C.UTF-8", "C", "de_DE.UTF-8", "tr_TR.UTF-8", "en_US.ISO-8859-1")


@dataclass(frozen=True)
class Day:
    """Where and when a test class runs."""

    now: datetime
    zone: str
    tongue: str
    homeless: bool   # the home that the environment names does not exist
    powerless: bool  # root's powers over other people's files are put down

    @classmethod
    def drawn(cls, seed: str, name: str, today: date | None = None) -> "Day":
        """The day of a class, or of one of its tests, under a seed: one of the odd ones half the time, else any minute
        of twenty years; never today's."""
        today = today or datetime.now(UTC).date()
        parts = name.split(".")
        of_class = next((n + 1 for n, part in enumerate(parts) if part[:1].isupper()), len(parts))
        rng = random.Random(f"{seed}:{'.'.join(parts[:of_class])}")
        at, zone = rng.choice([odd for odd in ODD_DAYS if datetime.fromisoformat(odd[0]).date() != today])
        now = datetime.fromisoformat(at)
        if rng.random() < 0.5:
            now = datetime(2026, 1, 1, tzinfo=UTC) + timedelta(minutes=rng.randrange(20 * 365 * 1440))
            now += timedelta(days=now.date() == today)
            zone = rng.choice(ZONES)
        return cls(now, zone, rng.choice(TONGUES), rng.random() < 0.5, rng.random() < 0.5)

    def __str__(self) -> str:
        told = [self.now.astimezone(ZoneInfo(self.zone)).isoformat(), self.zone, self.tongue]
        return ", ".join(told + ["no home"] * self.homeless + ["without root's powers"] * self.powerless)

    @contextmanager
    def lived(self) -> Iterator[None]:
        """Run what is inside on that day."""
        before = dict(os.environ)
        os.environ |= {"VOLTAUN_NOW": self.now.isoformat(), "TZ": self.zone, "LC_ALL": self.tongue, "LANG": self.tongue}
        if self.homeless:
            os.environ["HOME"] = "/nonexistent/home"
        time.tzset()
        put_down = self.powerless and os.geteuid() == 0
        if put_down:
            _put_powers_down(True)
        try:
            yield
        finally:
            if put_down:
                _put_powers_down(False)
            os.environ.clear()
            os.environ |= before
            time.tzset()


def seed_of_the_tree() -> str:
    """The commit that is checked out; `none` outside a checkout."""
    asked = subprocess.run(["git", "rev-parse", "--short=12", "HEAD"], cwd=Path(__file__).parent, capture_output=True,
                           text=True, check=False)
    return asked.stdout.strip() or "none"


_CAPABILITIES, _SET_SECUREBITS, _NO_ROOT = 0x20080522, 28, 0b1
_EFFECTIVE, _PERMITTED, _INHERITABLE = 0, 1, 2


def _put_powers_down(down: bool) -> None:
    """Put root's capabilities down for this process and what it starts, or take them up again (capabilities(7))."""
    libc = ctypes.CDLL(None, use_errno=True)
    header, sets = (ctypes.c_uint32 * 2)(_CAPABILITIES, 0), (ctypes.c_uint32 * 6)()
    if libc.capget(header, sets):
        return
    for half in (0, 3):
        sets[half + _EFFECTIVE] = 0 if down else sets[half + _PERMITTED]
        sets[half + _INHERITABLE] = 0
    steps = [lambda: libc.prctl(_SET_SECUREBITS, _NO_ROOT if down else 0, 0, 0, 0), lambda: libc.capset(header, sets)]
    for step in steps if down else reversed(steps):
        step()
