"""The field of additions over forty years against a bare clip-and-add recurrence of the same lanes and hours."""

import resource
import time
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from benchmarks.timing import side_by_side, told
from voltaun.core.outlook.ask import known
from voltaun.core.sizing.calendar import DAYS
from voltaun.core.sizing.choices import Product, all_choices, offer_of
from voltaun.core.sizing.measures import Measure, usual_measures
from voltaun.core.sizing.run import run
from voltaun.core.sizing.simulation import AdditionsAsk, simulate_additions
from voltaun.core.sizing.years import from_log
from voltaun.core.sky.clear_sky import make_table, planes, rig_sun
from voltaun.demo.honey_house import RIG, log

YEARS = 40
MORE = (Measure("inverter", hours=12), Measure("tilt", ("Shed roof",), degrees=60, months=(5, 6, 7, 8)),
        Measure("away", months=(7,)), Measure("leave_off", ("Honey-warming cabinet",), below=0.4))
"""Beside what the rig could do by itself: with it seven or eight options that buy nothing."""

LOADS = (Product("Chest freezer 340", "load", 340, 620), Product("Electric fence 60", "load", 60, 90))
"""Loads that take less, each and both with every crossing of panels and strings."""


def lines(_folder):
    now = datetime(2026, 11, 25, 21, tzinfo=UTC)
    sun = rig_sun(RIG, [make_table(plane) for plane in planes(RIG)])
    logged = log(now, sun)
    tells = known(RIG, logged, sun, now)
    offer = offer_of(RIG, [*usual_measures(RIG), *MORE], strings=6, products=LOADS)
    lanes = [each.lane for each in all_choices(RIG, offer)]
    other = replace(RIG, arrays=offer.aims.others(RIG))
    other_sun = rig_sun(other, [make_table(plane) for plane in planes(other)])
    years = from_log(RIG, tells, [], sun, YEARS, 1, aims=offer.aims, other_sun=other_sun)
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
    simulate_additions(AdditionsAsk(RIG, tells, sun, offer=offer, other_sun=other_sun))
    taken = time.perf_counter() - begun
    yield (f"The answer of additions, years drawn and the log again included, in {taken:.1f} s, "
           f"{'within' if taken <= 3 else 'OVER'} the aim of 3 s; the process has used "
           f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024} MB at the most")
