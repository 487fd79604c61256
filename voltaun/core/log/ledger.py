"""The ledger: readings become intervals, and what was not read is reckoned where it can be.

For an interval with charge efficiency η, the share d of use that happens while a source runs (and so
never passes through the bank), standby S and effective energy E:

    ΔE = (soc_b − soc_a) × E = η (H − d·U) − (1 − d) U − S,   with d·U limited to H

H is harvest and U use, both in Wh at the battery's terminals. One unknown of the three is reckoned; with
none unknown the left-over is "unexplained"; with two unknown it is beyond reckoning and stays unknown.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import pairwise

import numpy as np

from voltaun.core.instants import day_start, hours_between, local_day
from voltaun.core.log.reading import PANELS_OFF, Reading
from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.bank import FULL_SOC, effective_energy, soc_from_volts
from voltaun.core.rig.inverter import dc_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import BY_HAND, HAND, ITSELF, SOURCE, SOURCE_TABLE
from voltaun.core.sky.clear_sky import RigSun

DIRECT_SHARE = 0.35
READ, RECKONED, UNKNOWN = "read", "reckoned", "unknown"

_ALONE = tuple(source for source in SOURCE_TABLE if source.by == ITSELF)

IMPOSSIBLE_SHARE = 1.3
"""Sun above this share of a clear sky cannot be: a slip of the pen, or panels that are not in the rig."""


DARK_SHARE, LITTLE_SHARE = 0.003, 0.05
"""Where a clear sky could bring no more than the one part of the bank there was no sun; up to the other, as with an
hour of dusk, there was little, whatever the sky: about half of it, give or take the other half."""

SKIES_MIDDLE = 0.5
"""Of little sun so much came, whatever the sky."""


@dataclass(frozen=True, slots=True)
class Interval:
    """What happened between two readings, all energies in Wh on the DC side.

    Each figure has a basis: `read`, `reckoned` or `unknown` (then it is None). `how` tells by figure how a
    reckoned one came about, or why one is beyond reckoning. Marks: `capped` (the bank was full while the
    sun was up, so solar is only a lower bound), `reset` (a jump to full that no energy explains), `doubtful`
    (the figures do not fit). A reading's answer takes a mark off, or puts `reset` on; a reset's change of
    level is not booked. full_about is when the bank may have been full unseen (see `between`): then solar is a least
    too.
    """

    start: datetime
    end: datetime
    hours: float
    soc_start: float | None
    soc_end: float | None
    stored_change_wh: float | None
    harvest: dict[str, float | None]
    harvest_bases: dict[str, str]
    use_wh: float | None
    use_basis: str
    soc_basis: str
    unexplained_wh: float | None
    clear_sky_wh: float | None
    sky: str | None = None
    capped: bool = False
    spilt_wh: float | None = 0.0
    marks: tuple[str, ...] = ()
    how: tuple[tuple[str, Reason], ...] = ()
    direct_share: float = DIRECT_SHARE
    full_about: datetime | None = None

    @property
    def at_least(self) -> bool:
        """Whether its sun is only a lower bound."""
        return self.capped or self.full_about is not None

    @property
    def harvest_wh(self) -> float | None:
        """Harvest from all sources, Wh; None when one of them is not known."""
        told = [wh for wh in self.harvest.values() if wh is not None]
        return sum(told) if len(told) == len(self.harvest) else None

    @property
    def harvest_basis(self) -> str:
        """The weakest basis among the sources."""
        bases = self.harvest_bases.values()
        return next((basis for basis in (UNKNOWN, RECKONED) if basis in bases), READ)

    @property
    def marked(self) -> bool:
        """Whether its figures do not fit, so that they teach nothing."""
        return "reset" in self.marks or "doubtful" in self.marks

    @property
    def apart(self) -> bool:
        """Whether it is set apart: what moved its level is not booked and nothing else tells its use, so that it
        counts nowhere."""
        return "reset" in self.marks and self.stored_change_wh is None and self.use_wh is None

    @property
    def all_read(self) -> bool:
        """Whether harvest, use and both levels were read, so that the left-over means something."""
        return (self.unexplained_wh is not None and "reset" not in self.marks
                and self.harvest_basis == self.use_basis == self.soc_basis == READ)


@dataclass(frozen=True)
class Balance:
    """The line of the books for one interval, with its constants."""

    charge_efficiency: float
    standby_wh: float
    direct_share: float = DIRECT_SHARE

    def stored(self, harvest: float, use: float) -> float:
        """Change of the bank's energy, Wh, from harvest and use (Wh)."""
        direct = min(self.direct_share * use, harvest)
        return self.charge_efficiency * (harvest - direct) - (use - direct) - self.standby_wh

    def use(self, harvest: float, stored: float) -> float:
        """Use, Wh, from harvest and the change of the bank's energy (Wh); negative when they cannot be."""
        eta, d = self.charge_efficiency, self.direct_share
        use = (eta * harvest - stored - self.standby_wh) / (eta * d + 1 - d)
        # Past this point more was used than the source could feed directly.
        return use if d * use <= harvest else harvest - stored - self.standby_wh

    def harvest(self, use: float, stored: float) -> float:
        """Harvest, Wh, from use and the change of the bank's energy (Wh); negative when they cannot be."""
        eta, d = self.charge_efficiency, self.direct_share
        harvest = (stored + (1 - d) * use + self.standby_wh) / eta + d * use
        return harvest if harvest >= d * use else stored + use + self.standby_wh


def intervals(rig: Rig, readings: Iterable[Reading], sun: RigSun | None,
              direct_share: float = DIRECT_SHARE) -> list[Interval]:
    """The intervals between readings in order of time, with what is missing reckoned.

    rig, readings  as described; `sun` the rig's clear-sky harvest (None without arrays)
    direct_share   d above, 0–1
    The energies of the first reading have nothing to count from and are left out.
    """
    ordered = [_levelled(rig, reading) for reading in sorted(readings, key=lambda reading: reading.at)]
    if len(ordered) < 2:
        return []
    clear, sunny_full = _sun_facts(rig, ordered, sun)
    made: list[Interval] = []
    level, noted, energy = ordered[0].soc, set[str](), effective_energy(rig).wh
    for n, (before, after) in enumerate(pairwise(ordered)):
        noted.update(source.name for source in _ALONE if getattr(after, source.wh) is not None)
        stood = rig.on(local_day(after.at, rig.zone)) if rig.dated else rig
        holds = effective_energy(stood).wh if rig.dated else energy
        line = _Line(stood, holds, before.at, level, after, direct_share, clear[n], noted)
        if rig.dated and rig.on(local_day(before.at, rig.zone)).bank != stood.bank:
            line.other_bank()
        line.reckon_harvest()
        line.reckon_use_or_level()
        made.append(line.closed(sunny_full[n]))
        level = line.soc_end
    return made


class _Line:
    """One line of the ledger while it is being reckoned: what was read of an interval, and what follows from it."""

    def __init__(self, rig: Rig, energy: float, start: datetime, level: float | None, after: Reading,
                 direct_share: float, clear: float | None, noted: set[str]):
        """noted  the sources running by themselves that were read by now: one that was never read is not there yet"""
        self.rig, self.energy, self.start, self.level, self.after, self.clear = rig, energy, start, level, after, clear
        self.hours = hours_between(start, after.at)
        self.balance = Balance(rig.bank.charge_efficiency, rig.bank.standby_w * self.hours,
                               0.0 if after.at_bank else direct_share)
        self.how: dict[str, Reason] = {}
        self.marks: list[str] = []
        self.trusted = after.answer == "right"
        self.total: float | None = None  # harvest from all sources, Wh, once it is known
        self.harvest, self.bases = _harvest_as_read(rig, after, noted, self.how)
        self.use, self.use_basis = _use_as_read(rig, after, self.hours, self.how)
        self.soc_end, self.soc_basis = after.soc, READ if after.soc is not None else UNKNOWN
        if self.soc_end is not None and rig.soc_from == "volts":
            self.soc_basis = RECKONED
            self.how["soc"] = reason("how_from_volts")
        self.stored = None if self.soc_end is None or level is None else (self.soc_end - level) * energy
        if after.answer == "reset":
            self.stored = None
            self.marks.append("reset")

    def other_bank(self) -> None:
        """The bank was changed meanwhile: its level then and now are not of the same thing."""
        self.stored = None
        if "reset" not in self.marks:
            self.marks.append("reset")

    def reckon_harvest(self) -> None:
        """The harvest that was not read, and whether the sun's can be."""
        if self.harvest["solar"] is None and self.clear is not None:
            self._reckon_dark(self.clear)
        blank = None in self.harvest.values()
        if blank and self.stored is not None and self.use is not None:
            self._fill_in(self.stored, self.use)
        if self.clear is not None and not self.trusted and self.harvest["solar"] is not None:
            self._hold_against_clear_sky(self.harvest["solar"], self.clear)
        for source in BY_HAND if blank else ():
            if self.harvest[source.name] is None:  # what one starts by hand, not noted: not run
                self.harvest[source.name], self.bases[source.name] = 0.0, READ
        if None not in self.harvest.values():
            self.total = sum(wh for wh in self.harvest.values() if wh)

    def _reckon_dark(self, clear: float) -> None:
        """The sun that was left blank where it was down all the time, or all but an hour of dusk."""
        if clear <= DARK_SHARE * self.energy:
            self.harvest["solar"], self.bases["solar"] = 0.0, READ  # as sure as if it had been written down
            self.how["solar_wh"] = reason("how_dark")
        elif clear <= LITTLE_SHARE * self.energy and (self.stored is None or self.use is None):
            self.harvest["solar"], self.bases["solar"] = SKIES_MIDDLE * clear, RECKONED
            self.how["solar_wh"] = reason("how_little_sun", clear_wh=clear)

    def _fill_in(self, stored: float, use: float) -> None:
        """Fill in the one source that was not read, from the balance.

        Sun that was not written down takes what is missing, and so does what runs by itself; of two of them nobody
        knows which brought it. A source that is started by hand and left blank usually did not run: it is reckoned
        only if it is the only blank and clearly more came in than the rounding of the percent and of the figures
        can make.
        """
        unknown = [source.name for source in SOURCE_TABLE if self.harvest[source.name] is None]
        unasked = [source.name for source in SOURCE_TABLE if source.by != HAND and source.name in unknown]
        known = sum(wh for wh in self.harvest.values() if wh is not None)
        missing = self.balance.harvest(use, stored) - known
        if unasked:
            if len(unasked) > 1:
                return
            source = unasked[0]
        elif len(unknown) == 1 and missing > 0.02 * self.energy + 0.05 * (known + use):
            source = unknown[0]
        else:
            return
        self.harvest[source], self.bases[source] = max(0.0, missing), RECKONED
        self.how[SOURCE[source].wh] = reason("how_harvest", stored_wh=stored, use_wh=use, others_wh=known)

    def _hold_against_clear_sky(self, solar: float, clear: float) -> None:
        if self.bases["solar"] == RECKONED and solar > 1.2 * clear + 0.05 * self.energy:
            # More than a clear sky could give: a jump of the percent, not a harvest.
            self.harvest["solar"], self.bases["solar"] = None, UNKNOWN
            self._does_not_fit()
            self.how["solar_wh"] = reason("beyond_clear_sky")
        elif self.bases["solar"] == READ and solar > IMPOSSIBLE_SHARE * clear + 0.02 * self.energy:
            self.marks.append("doubtful")

    def _does_not_fit(self) -> None:
        """Mark figures that do not fit: a jump to full is a reset."""
        self.marks.append("reset" if self.soc_end is not None and self.soc_end >= FULL_SOC else "doubtful")

    def reckon_use_or_level(self) -> None:
        """The use, or the level at the end, that was not read."""
        total = self.total
        if total is None:
            return
        if self.stored is not None and self.use is None:
            reckoned = self.balance.use(total, self.stored)
            if reckoned < -0.05 * self.energy and not self.trusted:
                self.how["use_wh"] = reason("rose_beyond_harvest")
                self._does_not_fit()
            else:
                self.use, self.use_basis = max(0.0, reckoned), RECKONED
                self.how["use_wh"] = reason("how_use", stored_wh=self.stored, harvest_wh=total,
                                            standby_wh=self.balance.standby_wh)
        elif self.soc_end is None and self.level is not None and self.use is not None:
            stored = self.balance.stored(total, self.use)
            self.soc_end = min(1.0, max(0.0, self.level + stored / self.energy))
            self.stored, self.soc_basis = (self.soc_end - self.level) * self.energy, RECKONED
            self.how["soc"] = reason("how_level", harvest_wh=total, use_wh=self.use)

    def _unexplained(self) -> float | None:
        """What the books do not explain, Wh; a lack that is too large gives a mark."""
        total = self.total
        if self.stored is None or self.use is None or total is None:
            return None
        left = self.balance.stored(total, self.use) - self.stored
        if abs(left) < 1e-6:
            return 0.0
        if -left > 0.1 * self.energy and not self.marks and not self.trusted:
            self._does_not_fit()
        return left

    def closed(self, sunny_full: bool) -> Interval:
        """The interval; `sunny_full` whether the bank was full in it with the sun still up."""
        unexplained = self._unexplained()
        # A monitor that set itself to full says nothing of a full bank.
        capped = self.harvest["solar"] is not None and sunny_full and "reset" not in self.marks
        if capped:
            self.marks.append("capped")
        if None in self.harvest.values() or self.use is None or self.soc_end is None:
            self._say_why()
        return Interval(self.start, self.after.at, self.hours, self.level, self.soc_end, self.stored, self.harvest,
                        self.bases, self.use, self.use_basis, self.soc_basis, unexplained, self.clear, self.after.sky,
                        capped, marks=tuple(self.marks), how=tuple(self.how.items()),
                        direct_share=self.balance.direct_share)

    def _say_why(self) -> None:
        """For what stayed unknown, which other figure is missing."""
        gone = {"soc_before": self.level is None, "soc": self.soc_end is None,
                **{source.wh: self.harvest[source.name] is None for source in SOURCE_TABLE if source.by != HAND},
                "use_wh": self.use is None, "move": self.after.answer == "reset"}
        missing = [figure for figure, is_gone in gone.items() if is_gone]
        for name in (*gone, "soc"):
            if name in ("soc_before", "move"):
                continue
            others = [each for each in missing if each != name]
            if gone[name] and others:
                self.how.setdefault(name, reason("others_missing", others=tuple(others[-2:])))


def _levelled(rig: Rig, reading: Reading) -> Reading:
    """The reading with its level from the volts, on a rig whose percent comes from them."""
    if rig.soc_from != "volts" or reading.soc is not None or reading.volts is None:
        return reading
    try:
        return replace(reading, soc=soc_from_volts(rig.on(local_day(reading.at, rig.zone)).bank, reading.volts))
    except ValueError:
        return reading


def _harvest_as_read(rig: Rig, reading: Reading, noted: set[str],
                     how: dict[str, Reason]) -> tuple[dict[str, float | None], dict[str, str]]:
    harvest: dict[str, float | None] = {}
    bases: dict[str, str] = {}
    for source in SOURCE_TABLE:
        name, wh = source.name, getattr(reading, source.wh)
        harvest[name], bases[name] = wh, READ
        if wh is not None:
            continue
        parts = rig.parts(name)
        hours = getattr(reading, source.hours) if source.hours else None
        if not parts or source.by == ITSELF and name not in noted:
            harvest[name] = 0.0
        elif hours is not None:
            watts = parts[0].gives_w
            harvest[name], bases[name] = hours * watts, RECKONED
            how[source.wh] = reason("how_hours", hours=hours, watts=watts)
        else:
            bases[name] = UNKNOWN
    return harvest, bases


def _use_as_read(rig: Rig, reading: Reading, hours: float, how: dict[str, Reason]) -> tuple[float | None, str]:
    if reading.use_wh is None:
        return None, UNKNOWN
    if rig.use_side == "dc" or rig.inverter is None:
        return reading.use_wh, READ
    how["use_wh"] = reason("how_ac", use_wh=reading.use_wh, efficiency=rig.inverter.efficiency,
                           idle_w=rig.inverter.idle_w)
    return dc_energy(rig.inverter, reading.use_wh, hours), READ


def _sun_facts(rig: Rig, ordered: list[Reading], sun: RigSun | None) -> tuple[list[float | None], list[bool]]:
    """Clear-sky harvest of each interval, Wh (0 while the panels were off), and whether the bank was full in it with
    the sun still up."""
    count = len(ordered) - 1
    if sun is None:
        return [None] * count, [False] * count
    at = np.array([reading.at.timestamp() for reading in ordered])
    total = sun.total.at(at)
    clear = np.where([PANELS_OFF in reading.events for reading in ordered[1:]], 0.0, np.diff(total))
    full = np.array([reading.soc is not None and reading.soc >= FULL_SOC for reading in ordered])
    # The end of the day matters only where a full bank begins it.
    night = np.array([day_start(local_day(reading.at, rig.zone) + timedelta(days=1), rig.zone).timestamp()
                      if is_full else np.inf for reading, is_full in zip(ordered[:-1], full[:-1], strict=True)])
    still_up = sun.total.between(at[:-1], np.minimum(night, at[1:])) > 0.1 * clear
    full_at = np.array([reading.full_at.timestamp() if reading.full_at else np.nan for reading in ordered[1:]])
    inside = (full_at > at[:-1]) & (full_at <= at[1:])
    left = np.where(inside, total[1:] - sun.total.at(np.where(inside, full_at, at[1:])), 0.0)
    capped = (full[:-1] & still_up) | full[1:] | (left > 0.02 * clear)
    return clear.tolist(), (capped & (clear > 0)).tolist()
