"""A battery monitor that is not there: samples of a simulated rig, a minute apart, over HTTP on the loopback.

`GET /samples.csv?since=SECONDS` answers with the samples after that instant in the open samples shape. Told so,
it is silent, slow, lying or garbled instead.
"""

import math
import time
from collections.abc import Callable
from functools import cache
from http.server import ThreadingHTTPServer
from typing import Any

from voltaun.standins import serving

MANNERS = ("well", "silent", "slow", "lying", "garbled")
STEP = 60
MOST = 5000
"""Samples in one answer at the most; whoever wants more asks again."""

_VOLTS, _WH = 25.6, 10_240.0
_HEADER = "at,volts,amps,watts,soc_percent,charge_wh,discharge_wh\n"


@cache
def _day() -> list[tuple[float, ...]]:
    """Each minute of a day (UTC, each day alike): W, and Wh charged, drained and stored since it began."""
    def sun(minute: int) -> float:
        since = (minute / 60 - 20) % 24
        return 900 * math.sin(since / 10 * math.pi) if since < 10 else 0.0

    def load(minute: int) -> float:
        return 205 + 120 * (8 <= minute / 60 < 13) + 40 * math.sin(minute / 7)
    minutes, charged, drained = [], 0.0, 0.0
    for minute in range(1440):
        watts = sun(minute) - load(minute)
        charged, drained = charged + max(0.0, watts) / 60, drained + max(0.0, -watts) / 60
        minutes.append((watts, charged, drained))
    # What came in more than went out in a day is lost in charging, so that each day ends as it began.
    kept = drained / charged
    return [(watts, into, out, kept * into - out) for watts, into, out in minutes]


def sample(at: int) -> tuple[float, ...]:
    """What it shows at an instant (seconds since 1970): a bank filled by day and drained by night."""
    watts, charged, drained, stored = _day()[at // STEP % 1440]
    days, (_, day_charged, day_drained, _) = at // 86_400, _day()[-1]
    soc = 55 + 100 * stored / _WH
    return (round(_VOLTS + watts / 900, 2), round(watts / _VOLTS, 2), round(watts, 1), round(soc, 1),
            round(days * day_charged + charged, 1), round(days * day_drained + drained, 1))


def text(since: int, until: int, manner: str = "well") -> str:
    """The samples after `since` up to `until` (seconds), as CSV."""
    first = max(since // STEP + 1, until // STEP - 3 * 1440) * STEP
    rows = [_HEADER]
    for at in range(first, min(until, first + MOST * STEP) + 1, STEP):
        volts, amps, watts, soc, charge, discharge = sample(at)
        if manner == "lying":
            soc, watts = (97.0 if at // STEP % 2 else 4.0), watts * 400
        rows.append(f"{time.strftime('%Y-%m-%dT%H:%M:%SZ', time.gmtime(at))},{volts},{amps},{watts},{soc},{charge},"
                    f"{discharge}\n")
    return "".join(rows) if manner != "garbled" else "at,watts\n" + "<?>\x00,,\n" * 3


def server(port: int, manner: str = "well", slow_seconds: float = 60.0,
           clock: Callable[..., Any] = time.time) -> ThreadingHTTPServer:
    """A server on the loopback, ready to run; port 0 takes a free one."""
    def answer(path: str, asked: dict[str, str]) -> serving.Answer:
        if path != "/samples.csv":
            return 404, "text/plain", b""
        if manner == "silent":  # the line stays open and nothing comes
            time.sleep(slow_seconds)
            return None
        since = asked.get("since", "0")
        return 200, "text/csv; charset=utf-8", text(int(since) if since.isdigit() else 0, int(clock()), manner).encode()
    return serving.server(port, answer, slow_seconds if manner == "slow" else 0.0)
