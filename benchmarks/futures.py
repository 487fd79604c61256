"""The hourly futures against a bare NumPy clip-and-add recurrence of the same shape."""

import numpy as np

from benchmarks.timing import side_by_side, told
from voltaun.core.outlook.simulate import simulate
from voltaun.core.rig.bank import effective_energy
from voltaun.demo.honey_house import RIG

STEPS, FUTURES = 336, 10_000


def lines(_folder):
    rng = np.random.default_rng(1)
    harvest = rng.uniform(0, 1200, (STEPS, FUTURES)) * (np.arange(STEPS) % 24 < 10)[:, None]
    load = rng.uniform(100, 300, (STEPS, FUTURES))
    hours = np.ones(STEPS)
    energy = effective_energy(RIG).wh
    change = (harvest - load) / energy

    def bare():
        level = np.empty((STEPS + 1, FUTURES))
        level[0] = 0.6
        for n in range(STEPS):
            level[n + 1] = np.clip(level[n] + change[n], 0.1, 1.0)
        return level

    def whole():
        made = simulate(RIG, energy, 0.6, harvest, load, hours)
        return made.spilt, made.missing, made.used

    ours, theirs = side_by_side(whole, bare, 7)
    yield told(f"{FUTURES} futures × {STEPS} h", ours, "bare clip and add", theirs, 7)
