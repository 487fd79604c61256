"""The hourly step: many futures of one bank at once, with every watt-hour accounted for.

    net = harvest − load − standby
    net ≥ 0: into the bank min(net, acceptance) × η, limited by room; the rest is spilt
    net < 0: out of the bank; at the hard floor the load goes unserved and is counted
"""

from dataclasses import dataclass, replace

import numpy as np

from voltaun.core.bank import charge_limit, takes_charge
from voltaun.core.rig import Rig

_BY_STEP = ("harvest", "load", "standby", "taken", "spilt", "missing")


@dataclass(frozen=True)
class Futures:
    """What happened, hour by hour: shapes (steps, futures), Wh; `level` (steps + 1, futures), a fraction.

    In every step and future: harvest = used + stored + lost + spilt.
    """

    level: np.ndarray
    harvest: np.ndarray
    load: np.ndarray
    standby: np.ndarray  # (steps, 1)
    taken: np.ndarray    # of the surplus, into the bank's terminals
    spilt: np.ndarray    # of the surplus, what the bank did not take
    missing: np.ndarray  # what load and standby wanted and the bank at its hard floor did not give
    charge_efficiency: float
    energy: float

    def part(self, steps: slice) -> "Futures":
        """Some of the steps, as views."""
        return replace(self, level=self.level[steps.start:steps.stop + 1],
                       **{name: getattr(self, name)[steps] for name in _BY_STEP})

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
    The precision is that of harvest and load.
    """
    steps, count = harvest.shape
    eta, hard, taper = rig.bank.charge_efficiency, rig.bank.hard_floor, rig.chemistry.taper_soc
    standby = (rig.bank.standby_w * hours)[:, None]
    limits = charge_limit(rig) * hours * takes_charge(rig.chemistry, temp_c)
    slope = 0.98 / (1 - taper)
    # Large arrays cost more than sums here: what is left of surplus and shortage is kept where they stood.
    spilt = harvest - load
    spilt -= standby
    missing = np.maximum(-spilt, 0)
    np.maximum(spilt, 0, out=spilt)
    level, taken = np.empty((steps + 1, count), spilt.dtype), np.empty_like(spilt)
    level[0] = start_level
    given = np.empty(count, spilt.dtype)
    for n in range(steps):
        now, into = level[n], taken[n]
        # Acceptance: 1 up to the taper, then down to 0.02 at 100 %.
        np.multiply(now, -slope, out=into)
        into += 1 + slope * taper
        np.minimum(into, 1.0, out=into)
        into *= limits[n]
        np.minimum(into, (1 - now) * (energy / eta), out=into)
        np.minimum(into, spilt[n], out=into)
        spilt[n] -= into
        np.subtract(now, hard, out=given)
        np.maximum(given, 0.0, out=given)
        given *= energy
        np.minimum(given, missing[n], out=given)
        missing[n] -= given
        given /= -energy
        given += now
        np.multiply(into, eta / energy, out=level[n + 1])
        level[n + 1] += given
    return Futures(level, harvest, load, standby, taken, spilt, missing, eta, energy)
