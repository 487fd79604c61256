"""The hourly step: many futures of one bank at once, with every watt-hour accounted for.

    net = harvest − load − standby
    net ≥ 0: into the bank min(net, acceptance) × η, limited by room; the rest is spilt
    net < 0: out of the bank; at the hard floor the load goes unserved and is counted
"""

from dataclasses import dataclass

import numpy as np

from voltaun.core.bank import charge_limit, takes_charge
from voltaun.core.rig import Rig


@dataclass(frozen=True)
class Futures:
    """What happened, hour by hour: shapes (steps, futures), Wh; `level` (steps + 1, futures), a fraction.

    In every step and future: harvest = used + stored + lost + spilt.
    """

    level: np.ndarray
    harvest: np.ndarray
    taken: np.ndarray      # from the surplus into the bank's terminals
    given: np.ndarray      # out of the bank
    load: np.ndarray
    standby: np.ndarray    # (steps, 1)
    charge_efficiency: float
    energy: float

    @property
    def spilt(self) -> np.ndarray:
        """Surplus that the bank did not take, Wh."""
        return np.maximum(self.harvest - self.load - self.standby, 0) - self.taken

    @property
    def missing(self) -> np.ndarray:
        """What load and standby wanted and the bank at its hard floor did not give, Wh."""
        return np.maximum(self.load + self.standby - self.harvest, 0) - self.given

    @property
    def unserved(self) -> np.ndarray:
        """Load that was not served, Wh."""
        return np.minimum(self.missing, self.load)

    @property
    def used(self) -> np.ndarray:
        """Load that was served, Wh."""
        return self.load - self.unserved

    @property
    def stored(self) -> np.ndarray:
        """Change of the bank's energy, Wh."""
        return np.diff(self.level, axis=0) * self.energy

    @property
    def lost(self) -> np.ndarray:
        """Lost in charging, and standby, Wh."""
        return self.taken * (1 - self.charge_efficiency) + self.standby - (self.missing - self.unserved)


def run(rig: Rig, energy: float, start_level, harvest, load, hours, temp_c: float | None = None) -> Futures:
    """Run all futures through the hours.

    energy       effective energy at the bank's temperature, Wh
    start_level  fraction, a number or shape (futures,)
    harvest, load  Wh in each step, shape (steps, futures)
    hours        length of each step, shape (steps,)
    temp_c       the bank's temperature; lithium below 0 °C takes no charge
    """
    steps, count = harvest.shape
    bank = rig.bank
    eta, hard, taper = bank.charge_efficiency, bank.hard_floor, rig.chemistry.taper_soc
    standby = (bank.standby_w * hours)[:, None]
    net = harvest - load - standby
    surplus, short = np.maximum(net, 0), np.maximum(-net, 0)
    limits = charge_limit(rig) * hours * takes_charge(rig.chemistry, temp_c)
    slope = 0.98 / (1 - taper)
    level = np.empty((steps + 1, count))
    level[0] = start_level
    taken, given = np.empty_like(net), np.empty_like(net)
    for n in range(steps):
        now, into, out = level[n], taken[n], given[n]
        # Acceptance: 1 up to the taper, then down to 0.02 at 100 %, in place to spare the memory.
        np.subtract(1 + slope * taper, now * slope, out=into)
        np.minimum(into, 1.0, out=into)
        into *= limits[n]
        np.minimum(into, (1 - now) * (energy / eta), out=into)
        np.minimum(into, surplus[n], out=into)
        np.maximum(into, 0.0, out=into)
        np.subtract(now, hard, out=out)
        np.maximum(out, 0.0, out=out)
        out *= energy
        np.minimum(out, short[n], out=out)
        np.add(now, (into * eta - out) / energy, out=level[n + 1])
    return Futures(level, harvest, taken, given, load, standby, eta, energy)
