"""What the sun leaves on the planes that panels are on, and on those that they may come to."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

import numpy as np

from voltaun.core.rig.parts import SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import STARTUP_SHARES


@dataclass(frozen=True)
class Spot:
    """Where panels more come to.

    added_to  the array on whose plane and controller; None for a plane of their own
    own       that plane: one panel of one W on it
    """

    added_to: int | None = 0
    own: SolarArray | None = None


@dataclass(frozen=True)
class Aims:
    """The planes that panels are on or may come to.

    first     where panels more come to
    second    where those of another kind come to at the same time; None where nowhere else
    tilted    (array, tilt °, months) of arrays that may be tilted otherwise
    """

    first: Spot = Spot()
    second: Spot | None = None
    tilted: tuple[tuple[int, float, tuple[int, ...]], ...] = ()

    @property
    def spots(self) -> tuple[Spot, ...]:
        """Where panels come to: one spot, or two."""
        return (self.first,) if self.second is None else (self.first, self.second)

    @property
    def _own(self) -> tuple[SolarArray, ...]:
        return tuple(of.own for of in self.spots if of.own is not None)

    def others(self, rig: Rig) -> tuple[SolarArray, ...]:
        """Those on which no array of the rig lies, each as an array: the spots' own ones first."""
        tilted = (replace(rig.arrays[n], tilt_deg=tilt, aimed_per_day=0) for n, tilt, _ in self.tilted)
        return (*self._own, *tilted)

    def beside(self, rig: Rig) -> list[tuple[int, float]]:
        """Of each of the others the array that it is told from, and what part of it that array is."""
        return [*((0, 1 / rig.arrays[0].rated_w) for _ in self._own), *((n, 1.0) for n, _, _ in self.tilted)]


AS_THEY_ARE = Aims()


def own_plane_of(tilt_deg: float, azimuth_deg: float) -> Spot:
    """A plane of their own for panels more, degrees. Raises ValueError."""
    if not 0 <= tilt_deg <= 90 or not 0 <= azimuth_deg <= 360:
        raise ValueError(f"found a plane of {tilt_deg:g}° towards {azimuth_deg:g}°, expected 0 to 90 and 0 to 360")
    return Spot(None, SolarArray("Panels more", 1.0, 1, tilt_deg, azimuth_deg))


def with_a_first_panel(rig: Rig) -> Rig:
    """A rig without panels with one of a single watt, leaning as far as its latitude and towards the equator: what
    panels of a list are put beside."""
    latitude = rig.place.latitude
    first = SolarArray("Panels", 1.0, 1, round(min(abs(latitude), 75.0)), 180 if latitude > 0 else 0)
    return replace(rig, arrays=(first,))


@dataclass(frozen=True)
class Suns:
    """What the sun leaves, as `years.Years` has it: on the planes as they are, and with an array tilted otherwise."""

    sun: np.ndarray
    added_to: tuple[int | None, ...]
    others: tuple[np.ndarray, ...] = ()


def under_files(rig: Rig, share: float, days: Sequence[date], aims: Aims) -> np.ndarray:
    """What each array, and each of the other planes, brings in the hours of these days of each W/m² on it, Wh."""
    arrays = (*rig.arrays, *aims.others(rig))
    shade = np.array([[array.shade_by_month[day.month - 1] for day in days] for array in arrays])
    rated = np.array([array.rated_w for array in arrays])[:, None]
    return np.asarray(np.repeat(shade, 24, axis=1) * rated * share / 1000)


def under_shares(rig: Rig, share: np.ndarray, begin: float, sun: RigSun | None, aims: Aims,
                 other_sun: RigSun | None) -> np.ndarray:
    """What each array, and each of the other planes, brings under shares of clear sky, Wh, (arrays, hours, years).

    share  of each hour, (hours, years); begin  of the first, seconds since 1970
    Another plane gains by the beam alone: under a bright sky as much as a clear one tells, under a dark one nothing.
    """
    bounds = begin + 3600.0 * np.arange(len(share) + 1)

    def clear(of: RigSun | None) -> list[np.ndarray]:
        return [np.diff(array.at(bounds))[:, None] for array in of.arrays] if of else []
    ours, share = clear(sun), share.astype(np.float32)
    rows = [(each * share).astype(np.float32) for each in ours]
    beam = np.minimum(share / STARTUP_SHARES["clear"], 1)
    for other, (n, part) in zip(clear(other_sun), aims.beside(rig) if rig.arrays else (), strict=True):
        rows.append((share * (part * ours[n] + beam * (other - part * ours[n]))).astype(np.float32))
    return np.array(rows) if rows else np.zeros((0, *share.shape), np.float32)


def arranged(rig: Rig, rows: np.ndarray, aims: Aims, days: Sequence[date]) -> Suns:
    """Rows of the arrays and of the other planes as `Years` has them: what the sun is, and what it else may be."""
    count = len(rig.arrays)
    if not count:
        return Suns(np.zeros((1, *rows.shape[1:]), np.float32), (None,))
    planes = iter(rows[count:])
    more = [next(planes) if of.own is not None else rows[of.added_to or 0] / rig.arrays[of.added_to or 0].rated_w
            for of in aims.spots]
    sun = np.concatenate((rows[:count], more)).astype(np.float32)
    found = []
    for (n, _, months), row in zip(aims.tilted, planes, strict=True):
        other, then = sun.copy(), np.repeat([day.month in months for day in days], 24)
        other[n, then] = row[then]
        for spot, of in enumerate(aims.spots, count):
            if of.own is None and n == of.added_to:
                other[spot, then] = row[then] / rig.arrays[n].rated_w
        found.append(other)
    return Suns(sun, tuple(of.added_to for of in aims.spots), tuple(found))
