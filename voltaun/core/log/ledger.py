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

import numpy as np

from voltaun.core.instants import day_start, hours_between, local_day
from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.bank import FULL_SOC, effective_energy, soc_from_volts
from voltaun.core.rig.inverter import dc_energy
from voltaun.core.rig.parts import SOURCES
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun

DIRECT_SHARE = 0.35
READ, RECKONED, UNKNOWN = "read", "reckoned", "unknown"

ANSWERS = ("", "reset", "right")
"""To a mark: nothing yet; yes, the monitor set itself (the jump is no energy); no, the figures are right."""

IMPOSSIBLE_SHARE = 1.3
"""Sun above this share of a clear sky cannot be: a slip of the pen, or panels that are not in the rig."""


@dataclass(frozen=True)
class Reading:
    """One look at the system; energies and hours are since the reading before. None = not known.

    Energies in Wh at the battery's terminals (`use_wh` on the rig's `use_side`), `soc` a fraction,
    `at` and `full_at` instants with a zone, `temp_c` at the bank.
    """

    at: datetime
    soc: float | None = None
    volts: float | None = None
    solar_wh: float | None = None
    vehicle_wh: float | None = None
    generator_wh: float | None = None
    mains_wh: float | None = None
    vehicle_hours: float | None = None
    generator_hours: float | None = None
    use_wh: float | None = None
    sky: str | None = None
    full_at: datetime | None = None
    temp_c: float | None = None
    note: str = ""
    pack_socs: tuple[float, ...] = ()  # each pack's own level, where they were read apart; `soc` is then their mean
    answer: str = ""       # what the user said of a mark: one of ANSWERS
    at_bank: bool = False  # a monitor counted at the bank itself: what a source feeds straight to loads is in neither


@dataclass(frozen=True)
class Interval:
    """What happened between two readings, all energies in Wh on the DC side.

    Each figure has a basis: `read`, `reckoned` or `unknown` (then it is None). `how` tells by figure how a
    reckoned one came about, or why one is beyond reckoning. Marks: `capped` (the bank was full while the
    sun was up, so solar is only a lower bound), `reset` (a jump to full that no energy explains), `doubtful`
    (the figures do not fit). A reading's answer takes a mark off, or puts `reset` on; a reset's change of
    level is not booked.
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

    @property
    def harvest_wh(self) -> float | None:
        """Harvest from all sources, Wh; None when one of them is not known."""
        return None if None in self.harvest.values() else sum(self.harvest.values())

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
    energy = effective_energy(rig).wh
    clear, sunny_full = _sun_facts(rig, ordered, sun)
    made, level = [], ordered[0].soc
    for n in range(1, len(ordered)):
        before, after = ordered[n - 1], ordered[n]
        interval = _interval(rig, energy, before.at, level, after, direct_share, clear[n - 1])
        # A monitor that set itself to full says nothing of a full bank.
        capped = interval.harvest["solar"] is not None and sunny_full[n - 1] and "reset" not in interval.marks
        marks = (*interval.marks, "capped") if capped else interval.marks
        made.append(replace(interval, capped=capped, marks=marks))
        level = interval.soc_end
    return made


def _interval(rig, energy, start, level, after, direct_share, clear) -> Interval:
    hours = hours_between(start, after.at)
    balance = Balance(rig.bank.charge_efficiency, rig.bank.standby_w * hours, 0.0 if after.at_bank else direct_share)
    harvest, bases, how = _harvest_as_read(rig, after)
    use, use_basis = _use_as_read(rig, after, hours, how)
    soc_end, soc_basis = after.soc, READ if after.soc is not None else UNKNOWN
    if soc_end is not None and rig.soc_from == "volts":
        soc_basis = RECKONED
        how["soc"] = reason("how_from_volts")
    stored = (soc_end - level) * energy if soc_end is not None and level is not None else None
    marks, trusted = [], after.answer == "right"
    if after.answer == "reset":
        stored = None
        marks.append("reset")

    if stored is not None and use is not None:
        _reckon_harvest(rig, balance, energy, stored, use, harvest, bases, how)
        if (clear is not None and bases["solar"] == RECKONED and not trusted
                and harvest["solar"] > 1.2 * clear + 0.05 * energy):
            # More than a clear sky could give: a jump of the percent, not a harvest.
            harvest["solar"], bases["solar"] = None, UNKNOWN
            marks.append("reset" if soc_end >= FULL_SOC else "doubtful")
            how["solar_wh"] = reason("beyond_clear_sky")
    if (clear is not None and bases["solar"] == READ and not trusted
            and harvest["solar"] > IMPOSSIBLE_SHARE * clear + 0.02 * energy):
        marks.append("doubtful")
    for source, wh in harvest.items():
        if wh is None and source != "solar":
            harvest[source], bases[source] = 0.0, READ  # a source one starts by hand, not noted: not run
    total = None if harvest["solar"] is None else sum(harvest.values())

    if stored is not None and use is None and total is not None:
        reckoned = balance.use(total, stored)
        if reckoned < -0.05 * energy and not trusted:
            how["use_wh"] = reason("rose_beyond_harvest")
            marks.append("reset" if soc_end >= FULL_SOC else "doubtful")
        else:
            use, use_basis = max(0.0, reckoned), RECKONED
            how["use_wh"] = reason("how_use", stored_wh=stored, harvest_wh=total, standby_wh=balance.standby_wh)
    elif soc_end is None and level is not None and use is not None and total is not None:
        stored = balance.stored(total, use)
        soc_end = min(1.0, max(0.0, level + stored / energy))
        stored, soc_basis = (soc_end - level) * energy, RECKONED
        how["soc"] = reason("how_level", harvest_wh=total, use_wh=use)

    unexplained = None
    if None not in (stored, use, total):
        unexplained = balance.stored(total, use) - stored
        if abs(unexplained) < 1e-6:
            unexplained = 0.0
        elif -unexplained > 0.1 * energy and not marks and not trusted:
            marks.append("reset" if soc_end >= FULL_SOC else "doubtful")
    _say_why(how, harvest, use, level, soc_end, after.answer)
    return Interval(start, after.at, hours, level, soc_end, stored, harvest, bases, use, use_basis, soc_basis,
                    unexplained, clear, after.sky, marks=tuple(marks), how=tuple(how.items()),
                    direct_share=balance.direct_share)


def _say_why(how, harvest, use, level, soc_end, answer):
    """For what stayed unknown, which other figure is missing."""
    missing = [figure for figure, gone in (("soc_before", level is None), ("soc", soc_end is None),
                                           ("solar_wh", harvest["solar"] is None), ("use_wh", use is None)) if gone]
    if answer == "reset":
        missing.append("move")
    for name, gone in (("solar_wh", harvest["solar"] is None), ("use_wh", use is None), ("soc", soc_end is None)):
        others = [each for each in missing if each != name]
        if gone and others:
            how.setdefault(name, reason("others_missing", others=tuple(others[-2:])))


def _levelled(rig: Rig, reading: Reading) -> Reading:
    """The reading with its level from the volts, on a rig whose percent comes from them."""
    if rig.soc_from != "volts" or reading.soc is not None or reading.volts is None:
        return reading
    try:
        return replace(reading, soc=soc_from_volts(rig.bank, reading.volts))
    except ValueError:
        return reading


def _harvest_as_read(rig, reading):
    harvest, bases, how = {}, {}, {}
    for source in SOURCES:
        wh = getattr(reading, f"{source}_wh")
        hours = getattr(reading, f"{source}_hours", None)
        bases[source] = READ
        if wh is None and hours is not None and rig.has(source):
            watts = rig.parts(source)[0].gives_w
            wh, bases[source] = hours * watts, RECKONED
            how[f"{source}_wh"] = reason("how_hours", hours=hours, watts=watts)
        elif wh is None and not rig.has(source):
            wh = 0.0
        elif wh is None:
            bases[source] = UNKNOWN
        harvest[source] = wh
    return harvest, bases, how


def _use_as_read(rig, reading, hours, how):
    if reading.use_wh is None:
        return None, UNKNOWN
    if rig.use_side == "dc":
        return reading.use_wh, READ
    how["use_wh"] = reason("how_ac", use_wh=reading.use_wh, efficiency=rig.inverter.efficiency,
                           idle_w=rig.inverter.idle_w)
    return dc_energy(rig.inverter, reading.use_wh, hours), READ


def _reckon_harvest(rig, balance, energy, stored, use, harvest, bases, how):
    """Fill in the one source that was not read, from the balance.

    Sun that was not written down takes what is missing. A source that is started by hand (vehicle,
    generator, mains) and left blank usually did not run: it is reckoned only if it is the only blank and
    clearly more came in than the rounding of the percent and of the figures can make.
    """
    unknown = [source for source, wh in harvest.items() if wh is None]
    known = sum(wh for wh in harvest.values() if wh is not None)
    missing = balance.harvest(use, stored) - known
    if "solar" in unknown:
        source = "solar"
    elif len(unknown) == 1 and missing > 0.02 * energy + 0.05 * (known + use):
        source = unknown[0]
    else:
        return
    harvest[source], bases[source] = max(0.0, missing), RECKONED
    how[f"{source}_wh"] = reason("how_harvest", stored_wh=stored, use_wh=use, others_wh=known)


def _sun_facts(rig, ordered, sun):
    """Clear-sky harvest of each interval, Wh, and whether the bank was full in it with the sun still up."""
    count = len(ordered) - 1
    if sun is None:
        return [None] * count, [False] * count
    at = np.array([reading.at.timestamp() for reading in ordered])
    total = sun.total.at(at)
    clear = np.diff(total)
    full = np.array([reading.soc is not None and reading.soc >= FULL_SOC for reading in ordered])
    night = np.array([day_start(local_day(reading.at, rig.zone) + timedelta(days=1), rig.zone).timestamp()
                      for reading in ordered[:-1]])
    still_up = sun.total.between(at[:-1], np.minimum(night, at[1:])) > 0.1 * clear
    full_at = np.array([reading.full_at.timestamp() if reading.full_at else np.nan for reading in ordered[1:]])
    inside = (full_at > at[:-1]) & (full_at <= at[1:])
    left = np.where(inside, total[1:] - sun.total.at(np.where(inside, full_at, at[1:])), 0.0)
    capped = (full[:-1] & still_up) | full[1:] | (left > 0.02 * clear)
    return clear.tolist(), (capped & (clear > 0)).tolist()
