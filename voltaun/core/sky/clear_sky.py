"""Clear-sky energy on each array's plane: a table for a typical year, and what is read from it.

Only `make_table` needs pvlib, whose import takes a second or two; it is called once for each plane at a
place and its table is kept. Everything else is NumPy on that table.
"""

from bisect import bisect_right
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from voltaun.core.instants import day_start
from voltaun.core.rig.bank import controller_limit
from voltaun.core.rig.parts import HOURS_OUT, Place, SolarArray, Stay
from voltaun.core.rig.rig import Rig

STEPS_PER_DAY = 48
TABLE_LENGTH = 365 * STEPS_PER_DAY
CLEAR_SKY_ALBEDO = 0.25
"""What bare ground and snow-free grass give back, pvlib's own; a weather file's reckoning has its own (`weather`)."""

_DAY = 86_400
_FIRST_OF_MONTH = np.array([0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334])
DAYS_IN_MONTH = np.diff(np.append(_FIRST_OF_MONTH, 365))

PlaneKey = tuple[float, float, float, float, float, int, float]


def plane_key(place: Place | Stay, array: SolarArray) -> PlaneKey:
    """What a table depends on, rounded to where the difference no longer matters (0.01°, 10 m)."""
    at = (round(place.latitude, 2), round(place.longitude, 2), round(place.elevation_m, -1) + 0.0)
    if array.aimed_per_day:
        return (*at, 0.0, 0.0, array.aimed_per_day, round(array.hours_out or HOURS_OUT, 1))
    return (*at, round(array.tilt_deg, 1), round(array.azimuth_deg, 1) % 360, 0, 0.0)


def stands(rig: Rig) -> tuple[Place | Stay, ...]:
    """Where the rig stood, one after the other: its place, then the places it went to."""
    return (rig.place, *rig.places)


def stands_on(rig: Rig, day: date) -> Place | Stay:
    """Where the rig stands on a local day."""
    return next((stay for stay in reversed(rig.places) if stay.from_day <= day), rig.place)


def planes(rig: Rig) -> list[PlaneKey]:
    """The plane of each array of the rig in the rig's order, then of those that are over, for each of `stands` in turn.
    """
    return [plane_key(place, array) for place in stands(rig) for array in rig.arrays_ever]


def make_table(plane: PlaneKey) -> np.ndarray:
    """Clear-sky energy on a plane for each half hour (UTC) of a year without a 29 February, Wh/m².

    plane  (latitude °, longitude °, elevation m, tilt °, azimuth °, times aimed a day, hours out), see
           `plane_key`; a plane that is aimed looks straight at where the sun stands in the middle of each
           of that many equal parts of its hours out, and gives nothing outside them
    Returns float32 of shape (17520,).

    References: P. Ineichen and R. Perez, "A new airmass independent formulation for the Linke turbidity
    coefficient", Solar Energy 73 (2002), with pvlib's monthly climatology of turbidity; J. E. Hay and
    J. A. Davies (1980) for the sky's diffuse light on a tilted plane. Computed by pvlib.
    """
    import pandas as pd
    from pvlib.irradiance import get_extra_radiation, get_total_irradiance
    from pvlib.location import Location

    latitude, longitude, elevation, *_, aimed, hours_out = plane
    tilt: Any = plane[3]
    azimuth: Any = plane[4]
    place = Location(latitude, longitude, "UTC", elevation)
    middles = pd.date_range("2023-01-01", periods=TABLE_LENGTH, freq="30min", tz="UTC") + pd.Timedelta("15min")
    position = place.get_solarposition(middles)
    clear = place.get_clearsky(middles, model="ineichen", solar_position=position)
    out = np.ones(TABLE_LENGTH)
    if aimed:
        tilt, azimuth, out = _aimed(place, middles, longitude, aimed, hours_out)
    total = get_total_irradiance(tilt, azimuth, position["apparent_zenith"], position["azimuth"],
                                 clear["dni"], clear["ghi"], clear["dhi"], albedo=CLEAR_SKY_ALBEDO,
                                 dni_extra=get_extra_radiation(middles), model="haydavies")
    watts = np.nan_to_num(total["poa_global"].to_numpy()).clip(min=0) * out
    return np.asarray(watts * (24 / STEPS_PER_DAY), dtype=np.float32)


def _aimed(place: Any, middles: Any, longitude: float, aimed: int,
           hours_out: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Tilt and azimuth (°) at each instant of a plane aimed by hand, and whether it stands out then."""
    import pandas as pd
    # Hours from mean solar noon; the equation of time is less than anyone aims by.
    hour = middles.hour.to_numpy() + middles.minute.to_numpy() / 60
    from_noon = (hour - 12 + longitude / 15 + 12) % 24 - 12
    part = hours_out / aimed
    turn = np.clip(np.floor((from_noon + hours_out / 2) / part), 0, aimed - 1)
    later = (turn + 0.5) * part - hours_out / 2 - from_noon
    sun = place.get_solarposition(middles + pd.to_timedelta(later, unit="h"))
    return (sun["apparent_zenith"].clip(upper=90).to_numpy(), sun["azimuth"].to_numpy(),
            (np.abs(from_noon) <= hours_out / 2).astype(float))


class RunningTotal:
    """A table of a typical year as a running total that any two instants can be read from.

    29 February repeats 28 February, so that the total never runs backwards.
    """

    def __init__(self, table: np.ndarray):
        if table.shape != (TABLE_LENGTH,):
            raise ValueError(f"found a table of shape {table.shape}, expected ({TABLE_LENGTH},)")
        self._sum = np.concatenate(([0.0], np.cumsum(table, dtype=float)))
        self._steps = np.arange(TABLE_LENGTH + 1) * (_DAY / STEPS_PER_DAY)
        self._leap_day = float(table[58 * STEPS_PER_DAY:59 * STEPS_PER_DAY].sum(dtype=float))

    def at(self, epoch: ArrayLike) -> np.ndarray:
        """Running total since 1970 at these instants (seconds since the epoch), in the table's unit."""
        seconds = np.asarray(epoch, dtype=float)
        whole = seconds.astype("int64").astype("datetime64[s]")
        years = whole.astype("datetime64[Y]")
        in_year = seconds - years.astype("datetime64[s]").astype("int64")
        year = years.astype("int64") + 1970
        leap = ((year % 4 == 0) & (year % 100 != 0)) | (year % 400 == 0)
        extra = leap & (in_year >= 59 * _DAY)
        past = year - 1
        leaps_before = past // 4 - past // 100 + past // 400 - 477  # 477 leap years before 1970
        total = np.interp(in_year - extra * _DAY, self._steps, self._sum)
        return np.asarray(total + (year - 1970) * self._sum[-1] + (leaps_before + extra) * self._leap_day)

    def between(self, start: ArrayLike, end: ArrayLike) -> np.ndarray:
        """Total between instants (seconds since the epoch), in the table's unit."""
        return np.asarray(self.at(end) - self.at(start))


class MovingTotal:
    """The running totals of one place after another, each from its own instant on (seconds since 1970)."""

    def __init__(self, totals: list[RunningTotal], starts: list[float]):
        self._totals, self._starts = totals, np.array([-np.inf, *starts])
        self._ends = np.array([*starts, np.inf])

    def at(self, epoch: ArrayLike) -> np.ndarray:
        """Running total at these instants, in the tables' unit; only differences of it mean something."""
        seconds = np.asarray(epoch, dtype=float)
        sum_, base = np.zeros_like(seconds), self._starts[1]
        for total, start, end in zip(self._totals, self._starts, self._ends, strict=True):
            # Counted from the first move on, so that nothing is read from an endless past.
            begin = base if start == -np.inf else start
            there = np.clip(seconds, start, end)
            sum_ = sum_ + total.at(there) - total.at(begin)
        return sum_

    def between(self, start: ArrayLike, end: ArrayLike) -> np.ndarray:
        """Total between instants (seconds since the epoch), in the tables' unit."""
        return np.asarray(self.at(end) - self.at(start))


class SteppedTotal:
    """A running total of which more or less is believed before and since an instant (seconds since 1970)."""

    def __init__(self, total: "RunningTotal | MovingTotal", at: float, before: float, since: float):
        self._total, self._at, self._before, self._since = total, at, before, since

    def at(self, epoch: ArrayLike) -> np.ndarray:
        """Running total at these instants, in the tables' unit; only differences of it mean something."""
        off = self._total.at(epoch) - self._total.at(self._at)
        return np.asarray(np.where(off < 0, self._before, self._since) * off)

    def between(self, start: ArrayLike, end: ArrayLike) -> np.ndarray:
        """Total between instants (seconds since the epoch), in the tables' unit."""
        return np.asarray(self.at(end) - self.at(start))


@dataclass(frozen=True)
class RigSun:
    """Clear-sky harvest of every array of a rig, Wh at the battery's terminals, shade included.

    arrays  each array of now, as if it had always been there; limits_w  of each one's controller
    total   of the arrays that were there at the time; input_limit_w  of all of them together (a station's input)
    """

    arrays: tuple[RunningTotal | MovingTotal | SteppedTotal, ...]
    limits_w: tuple[float | None, ...]
    total: RunningTotal | MovingTotal | SteppedTotal
    input_limit_w: float | None = None

    def between(self, start: datetime, end: datetime) -> float:
        """Clear-sky harvest of the rig between two instants, Wh."""
        return float(self.total.between(start.timestamp(), end.timestamp()))

    def stepped(self, at: datetime, before: float, since: float) -> "RigSun":
        """The same with what was there before and since an instant so many times as large; what lies ahead as since."""
        epoch = at.timestamp()
        arrays = self.arrays if since == 1 else tuple(SteppedTotal(
            _known_total(of), epoch, since, since) for of in self.arrays)
        return replace(self, arrays=arrays, total=SteppedTotal(_known_total(self.total), epoch, before, since))


def _known_total(of: "RunningTotal | MovingTotal | SteppedTotal") -> "RunningTotal | MovingTotal":
    assert not isinstance(of, SteppedTotal), "a sun has one step at the most"
    return of


def rig_sun(rig: Rig, tables: list[np.ndarray]) -> RigSun | None:
    """Clear-sky harvest of the rig from its tables (Wh/m², as `planes` lists them); None without arrays.

    Clear-sky Wh = rated kW × clear-sky kWh/m² × 1000 × shade factor of the month (× the place's). A rig
    that moves sees the sun and shade of the place where it stood.
    """
    if not rig.arrays_ever:
        return None
    months = np.repeat(np.repeat(np.arange(12), DAYS_IN_MONTH), STEPS_PER_DAY)
    harvests = [table.astype(float) * array.rated_w / 1000 * np.array(array.shade_by_month)[months]
                * getattr(place, "shade_factor", 1.0)
                for (place, array), table in zip(_placed(rig), tables, strict=True)]
    ever = rig.arrays_ever
    count = len(ever)

    def moving(of: list[np.ndarray], days: list[date]) -> RunningTotal | MovingTotal:
        totals = [RunningTotal(harvest) for harvest in of]
        starts = [day_start(day, rig.zone).timestamp() for day in days]
        return MovingTotal(totals, starts) if starts else totals[0]
    moves = [stay.from_day for stay in rig.places]
    turns = sorted({*moves, *rig.turns})
    stood = [harvests[count * bisect_right(moves, day):][:count] for day in (date.min, *turns)]
    there = [np.sum([harvest for harvest, array in zip(harvests_there, ever, strict=True) if array.there_on(day)]
                    or [np.zeros(TABLE_LENGTH)], axis=0)
             for harvests_there, day in zip(stood, (_before(turns), *turns), strict=True)]
    return RigSun(tuple(moving(harvests[n::count], moves) for n in range(len(rig.arrays))),
                  tuple(controller_limit(rig, array) for array in rig.arrays), moving(there, turns),
                  rig.bank.solar_input_w)


def _before(turns: list[date]) -> date:
    """A day before all of these."""
    return turns[0] - timedelta(days=1) if turns else date.min


def _placed(rig: Rig) -> list[tuple[Place | Stay, SolarArray]]:
    return [(place, array) for place in stands(rig) for array in rig.arrays_ever]


def monthly_clear_sky(rig: Rig, tables: list[np.ndarray]) -> np.ndarray:
    """Mean clear-sky energy a day by month on the rig's planes, kWh/m², weighted by rated W; 12 numbers.

    At the place where it stands last. Shade counts, so that kWh/m² × rated kW is what the panels see
    under a clear sky.
    """
    ever, count = len(rig.arrays_ever), len(rig.arrays)
    rated = np.array([array.rated_w for array in rig.arrays])
    last = list(zip(_placed(rig), tables, strict=True))[-ever:][:count]
    by_month = np.array([month_means(table) * np.array(array.shade_by_month) * getattr(place, "shade_factor", 1.0)
                         for (place, array), table in last])
    return np.asarray(rated @ by_month / rated.sum())


BRIGHT_SHARE = 0.75
"""With so much of a clear sky's energy, or more, its light is direct."""

ALL_DAY_H = 15.0
"""What stands fixed stands out from before sunrise to after sunset of any day."""


def aiming_gains(tables: dict[int, np.ndarray], rated_w: float, month: int, share: float) -> dict[int, float]:
    """What each number of aimings a day brings, Wh a day in a month (1–12) under a mean sky.

    tables  by times aimed, Wh/m² (see `make_table`), all for the same hours out; rated_w of the array; share  of clear
            sky, a fraction
    Clear-sky energy on the plane that is aimed least × share. What more aiming adds is direct light alone, of which
    there is the less the more cloud there is: × share × min(1, share / `BRIGHT_SHARE`).
    """
    least = month_means(tables[min(tables)])[month - 1]
    return {times: float((least + (month_means(table)[month - 1] - least) * min(1.0, share / BRIGHT_SHARE))
                         * rated_w * share) for times, table in tables.items()}


def another_turn(tables: dict[int, np.ndarray], times: int, month: int, sun_wh: float, share: float) -> float:
    """What one more aiming brings of the sun that an array aimed so many times a day is to bring yet, Wh.

    tables  by times aimed, as in `aiming_gains`, those of `times` and one more; sun_wh  its expected harvest, Wh
    share   of clear sky that is expected
    """
    brings = aiming_gains({n: tables[n] for n in (times, times + 1)}, 1.0, month, share)
    return sun_wh * (brings[times + 1] / brings[times] - 1) if brings[times] else 0.0


def month_means(table: np.ndarray) -> np.ndarray:
    """Mean energy a day by month from a table (Wh/m²), kWh/m²; 12 numbers."""
    by_day = table.reshape(365, STEPS_PER_DAY).sum(axis=1, dtype=float)
    return np.add.reduceat(by_day, _FIRST_OF_MONTH) / DAYS_IN_MONTH / 1000
