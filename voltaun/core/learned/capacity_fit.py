"""What the bank really holds, and what draws unseen, from the intervals in which everything was read.

For each such interval the books say

    E · Δsoc + w · hours = η (H − d·U) − (1 − d) U − S + error

with E the effective energy and w a steady hidden draw. Both sides are measured with error: the level is
rounded, to a point or whatever grain the log shows, and neighbouring intervals share the rounding of the level
between them; the meters are off by about a part in a hundred. What the books take for granted, η and d, is only
believed to so and so much. That doubt is carried into the interval whole, and no number of days wears it off: to let
the same days correct η would read the meters' own noise, which stands on both sides, as efficiency.

References: W. E. Deming, Statistical Adjustment of Data (1943), for a line with error in both variables
(here by effective variance: the residual's variance is that of both sides at the slope being tried);
A. C. Aitken (1935) for least squares with correlated errors.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from voltaun.core.log.grain import level_grain, rounding
from voltaun.core.log.ledger import Interval
from voltaun.core.rig.rig import Rig
from voltaun.core.stats import middle, t95

LEG_POINTS = 0.10
"""A leg is an interval in which the level moves by this much; only legs tell a bank's energy."""

LEAST_LEGS = 8
LEAST_DAYS_FITTED = 14.0

METER_ERROR = 0.01
EFFICIENCY_DOUBT, DIRECT_DOUBT, DIRECT_SLOPE_DOUBT, INVERTER_DOUBT = 0.02, 0.15, 0.10, 0.02
"""How well η, d, its growth with the harvest, and the way from AC to DC are known, standard deviations."""

LONGEST_FIT_LEG_HOURS = 7 * 24.0

_BLOCK = 64

ROUNDS = 4
FAR_OFF_SD = 3.5
"""An interval this many standard deviations off the line is left out."""


NINE_IN_TEN = 1.645
"""So many standard deviations either way hold nine in ten."""


@dataclass(frozen=True)
class Estimate:
    """A figure with the interval that holds it nine times in ten."""

    estimate: float
    low: float
    high: float

    @property
    def sd(self) -> float:
        """The standard deviation that such an interval stands for."""
        return (self.high - self.low) / (2 * NINE_IN_TEN)


@dataclass(frozen=True)
class Held:
    """Effective energy (Wh, None with too few legs) and hidden draw (W), and what they rest on.

    wander is how many times further than the meters' error and the rounding the days lie off the line: much
    more than 1 where the percent drifts between the monitor's resets, or the figures are read loosely.
    """

    energy_wh: Estimate | None
    hidden_w: Estimate
    legs: int
    days: float
    wander: float


def held(rig: Rig, made: list[Interval], energy_wh: float,
         known_wh: Mapping[datetime, float] | None = None) -> Held | None:
    """Effective energy and hidden draw from a ledger; None with too few days in which everything was read.

    energy_wh  the energy that the ledger reckoned with, Wh; only a start, and how far to look (half to twice)
    known_wh  what else is known to have left the bank unread, Wh by the end of the interval
    Intervals that fit far worse than the rest are left out: a cut-off in the night, a slip of the pen or a
    source nobody noted would otherwise pass for capacity.
    """
    used = [interval for interval in made if interval.all_read and 0 < interval.hours <= LONGEST_FIT_LEG_HOURS]
    if sum(interval.hours for interval in used) < LEAST_DAYS_FITTED * 24:
        return None
    known = known_wh or {}
    rows, energy, scale = _Rows(rig, used, known), energy_wh, 1.0
    for _ in range(ROUNDS):
        legs = int((np.abs(rows.moved) >= LEG_POINTS).sum())
        known_within = None if legs >= LEAST_LEGS else 0.1 * energy_wh  # a level that hardly moves tells no energy
        (energy, draw), errors, misfit = rows.fit(energy, scale, known_within, turns=2)
        scale *= max(0.5, misfit)
        fits = rows.fitting(energy, draw)
        if fits.all():
            break
        rows, scale = _Rows(rig, [each for each, kept in zip(rows.used, fits, strict=True) if kept], known), 1.0
    (energy, draw), errors, _ = rows.fit(energy, scale, known_within)
    days = float(rows.hours.sum() / 24)
    if days < LEAST_DAYS_FITTED:
        return None
    count = len(rows.used)
    # A level that moves without the energy that was read tells nothing of the bank.
    related = energy - 3 * errors[0] > 0 and 0.5 < energy / energy_wh < 2
    held_wh = None if known_within or not related else _estimate(energy, errors[0], legs)
    return Held(held_wh, _estimate(draw, errors[1], count), legs, days, float(scale ** 0.5))


def _estimate(value: float, error: float, count: int) -> Estimate:
    wide = t95(count - 2) * error
    return Estimate(float(value), float(value - wide), float(value + wide))


class _Rows:
    """The intervals as columns, and least squares on them for a tried energy."""

    def __init__(self, rig: Rig, used: list[Interval], known_wh: Mapping[datetime, float]):
        self.used = used
        eta, d = rig.bank.charge_efficiency, np.array([interval.direct_share for interval in used])
        harvest, use, self.hours, end, start = np.array([
            (interval.harvest_wh, interval.use_wh, interval.hours, interval.soc_end, interval.soc_start)
            for interval in used], dtype=float).T
        self.moved, self.rounding = end - start, rounding(level_grain(end))
        direct = np.minimum(d * use, harvest)
        self.booked = eta * (harvest - direct) - (use - direct) - rig.bank.standby_w * self.hours
        self.booked -= np.array([known_wh.get(interval.end, 0.0) for interval in used])
        # What the books would say otherwise, were η, d or the inverter's figures a standard deviation off.
        self.doubts = np.stack((EFFICIENCY_DOUBT * (harvest - direct), DIRECT_DOUBT * (1 - eta) * use,
                                DIRECT_SLOPE_DOUBT * (1 - eta) * (harvest - harvest.mean()),
                                (INVERTER_DOUBT if rig.use_side == "ac" else 0.0) * use))
        self.variance = ((METER_ERROR * harvest) ** 2 + (METER_ERROR * use) ** 2
                         + (0.3 * DIRECT_DOUBT * (1 - eta) * use) ** 2 + 25.0)
        self.follows = np.array([False, *(a.end == b.start for a, b in zip(used, used[1:], strict=False))])

    def fitting(self, energy: float, draw: float) -> np.ndarray:
        """Which intervals fit the line: within `FAR_OFF_SD` of the spread that the middle half of them shows."""
        off = ((self.booked - energy * self.moved - draw * self.hours)
               / np.sqrt(self.variance + 2 * (energy * self.rounding) ** 2))
        off -= middle(off)
        return np.asarray(np.abs(off) <= FAR_OFF_SD * max(1e-9, middle(np.abs(off)) / 0.6745))

    def fit(self, energy: float, scale: float, known_within: float | None = None,
            turns: int = 4) -> tuple[np.ndarray, np.ndarray, float]:
        """(Energy, draw), their standard errors, and the mean square of what is left over.

        energy  where to start, Wh; scale  by how much the errors' variances are larger than taken
        known_within  a standard deviation by which the energy is known beforehand, Wh
        """
        known, belief = energy, 0.0 if known_within is None else known_within ** -2.0
        by_rounding = 0.0
        for _ in range(turns):
            white, back = self._whitened(energy, scale)
            x = white[:, :2]
            # The rounding of the level makes its moves look larger than they were; that part is taken out.
            normal = x.T @ x + np.diag([belief, 0.0])
            # (never so much of it that noise alone would pass for a bank)
            normal[0, 0] -= min(by_rounding, 0.3 * (normal[0, 0] - normal[0, 1] ** 2 / normal[1, 1]))
            inverse = np.linalg.inv(normal)
            fit = inverse @ (x.T @ white[:, 2] + np.array([belief * known, 0.0]))
            left = white[:, 2] - x @ fit
            energy, by_rounding = float(fit[0]), scale * self.rounding ** 2 * back(left)
        shifts = inverse @ x.T @ white[:, 3:]
        return fit, np.sqrt(np.diag(inverse) + (shifts ** 2).sum(axis=1)), float(left @ left) / max(1, len(left) - 2)

    def _whitened(self, energy: float, scale: float) -> tuple[np.ndarray, Callable[[np.ndarray], float]]:
        """The columns (moved, hours, booked, doubts) freed of their errors' correlation, shape (rows, columns).

        Two roundings stand in each interval and one is shared with each neighbour; beyond `_BLOCK` rows the
        sharing is cut, which loses nothing to speak of. The second value takes a whitened column r back to
        u = C⁻¹ r and gives u' T u, with T the pattern of the roundings.
        """
        columns = np.stack((self.moved, self.hours, self.booked, *self.doubts), axis=1)
        out, blocks = np.empty_like(columns), []
        for begin in range(0, len(columns), _BLOCK):
            part = slice(begin, begin + _BLOCK)
            shared = -self.follows[part][1:].astype(float)
            pattern = 2 * np.eye(len(shared) + 1) + np.diag(shared, 1) + np.diag(shared, -1)
            covariance = scale * (np.diag(self.variance[part]) + (energy * self.rounding) ** 2 * pattern)
            root = np.linalg.cholesky(covariance)
            out[part] = np.linalg.solve(root, columns[part])
            blocks.append((part, root, pattern))

        def back(left: np.ndarray) -> float:
            total = 0.0
            for part, root, pattern in blocks:
                u = np.linalg.solve(root.T, left[part])
                total += float(u @ pattern @ u)
            return total
        return out, back
