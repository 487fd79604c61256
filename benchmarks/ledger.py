"""Reckoning ten years of daily readings, beside a bare loop over the same rows in NumPy."""

from datetime import UTC, datetime, timedelta

import numpy as np

from benchmarks.timing import side_by_side, told
from voltaun.core.log.ledger import intervals
from voltaun.core.log.reading import Reading
from voltaun.core.sky.clear_sky import RigSun, RunningTotal
from voltaun.demo.honey_house import RIG

DAYS = 3653


def lines(_folder):
    rng = np.random.default_rng(1)
    start = datetime(2016, 1, 1, 9, tzinfo=UTC)
    log = [Reading(start + timedelta(days=n), soc=round(0.5 + 0.4 * rng.random(), 2), solar_wh=6000 * rng.random(),
                   use_wh=3000 + 900 * rng.random()) for n in range(DAYS)]
    total = RunningTotal(np.tile(np.r_[np.zeros(16), np.full(16, 150.0), np.zeros(16)], 365))
    sun = RigSun((total,), (None,), total)
    table = np.array([(reading.at.timestamp(), reading.soc, reading.solar_wh, reading.use_wh) for reading in log])

    def bare():
        made = []
        for n in range(1, DAYS):
            before, after = table[n - 1], table[n]
            stored = (after[1] - before[1]) * 10_240
            direct = np.minimum(0.35 * after[3], after[2])
            left = 0.95 * (after[2] - direct) - (after[3] - direct) - 2 * (after[0] - before[0]) / 3600 - stored
            made.append((after[0] - before[0], stored, after[2], after[3], left))
        return made
    ours, theirs = side_by_side(lambda: intervals(RIG, log, sun), bare, 9)
    yield told("The ledger of ten years of days", ours, "bare loop over the same rows in NumPy", theirs, 5)
