"""The field of additions over forty years against a bare clip-and-add recurrence of the same lanes and hours."""

import resource
import time
from datetime import UTC, datetime

import numpy as np

from benchmarks.timing import side_by_side, told
from voltaun.core.outlook.ask import known
from voltaun.core.sizing.choices import Limits, field_of, without_buying
from voltaun.core.sizing.lanes import run
from voltaun.core.sizing.simulation import AdditionsAsk, simulate_additions
from voltaun.core.sizing.years import DAYS, from_log
from voltaun.core.sky.clear_sky import make_table, planes, rig_sun
from voltaun.demo.honey_house import RIG, log

YEARS = 40


def lines(_folder):
    now = datetime(2026, 11, 25, 21, tzinfo=UTC)
    sun = rig_sun(RIG, [make_table(plane) for plane in planes(RIG)])
    logged = log(now, sun)
    tells = known(RIG, logged, sun, now)
    lanes = [each.lane for each in (*field_of(RIG, 8, 6, (), Limits()), *without_buying(RIG))]
    years = from_log(RIG, tells, [], sun, YEARS, 1)
    change = np.random.default_rng(1).normal(0, 0.02, (24 * DAYS, YEARS)).astype(np.float32)

    def bare():
        level = np.full((len(lanes), YEARS), 0.6, np.float32)
        for row in change:
            level += row
            np.clip(level, 0.1, 1.0, out=level)
        return level

    ours, theirs = side_by_side(lambda: run(RIG, years, lanes), bare, 3)
    yield told(f"Additions, {len(lanes)} options × {YEARS} years by the hour", ours, "bare clip and add", theirs, 6)
    begun = time.perf_counter()
    simulate_additions(AdditionsAsk(RIG, tells, sun, strings=6))
    taken = time.perf_counter() - begun
    yield (f"The answer of additions, years drawn and the log again included, in {taken:.1f} s, "
           f"{'within' if taken <= 3 else 'OVER'} the aim of 3 s; the process has used "
           f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024} MB at the most")
