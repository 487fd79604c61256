"""Trials of the bank and the inverter: capacity and inverter."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from voltaun.core.bench.runs import SOC_ERROR, Run, counted, from_nought, hours_that_count, pieces, require_time
from voltaun.core.reasons import Misread, NotYet, Reason, Unreckoned, reason
from voltaun.core.rig.bank import (
    FULL_SOC,
    capacity_ah,
    cold_factor,
    nominal_voltage,
    rated_energy,
)
from voltaun.core.rig.rig import Rig

METER_TRUST = 0.02
"""A shunt or a plug-in meter over a whole test, relative."""

FROM_OTHERS_TRUST, DISPLAY_TRUST = 0.05, 0.10
"""Wh at the battery that were reckoned from Ah or from the AC side, and those by a station's own display, relative."""

SO_MUCH_LONGER, MOST_IDLE_W = 3.0, 150.0
"""A test that took so many times as long as another shows what being on takes; no inverter takes more, W."""


@dataclass(frozen=True)
class Tested:
    """The finding of a capacity test: Wh and Ah taken out, and the bank's energy from full to cut-off at 25 °C.

    sd is relative. blended is AC Wh / DC Wh with the idle in it, efficiency without it.
    given_wh is the whole of it on the side that the label means (a station's sockets, else the battery), share_of_rated
    that beside the label, and idle_wh what being on took of a station besides; rated_ah what is printed, where Ah were
    counted. idle_w is what a faster or slower test of the same bank shows that being on takes.
    disagreement is what a second meter shows more than the first, as a share, each on its own side.
    losses says where the rest went, Wh: by name, of what did not get to the last meter.
    """

    hours: float
    dc_wh: float | None
    ah: float | None
    ac_wh: float | None
    cut_off_volts: float | None
    from_soc: float
    to_soc: float
    energy_wh: float
    given_wh: float
    idle_wh: float
    share_of_rated: float
    rated_ah: float | None
    blended: float | None
    efficiency: float | None
    disagreement: float | None
    losses: tuple[tuple[str, float], ...]
    sd: float
    remarks: tuple[Reason, ...]
    idle_w: float | None = None

    @property
    def partial(self) -> bool:
        """Whether it did not run from full to the cut-off."""
        return self.from_soc < FULL_SOC or self.to_soc > 0


def capacity(run: Run, rig: Rig) -> Tested:
    """A capacity test: full to cut-off under a known load.

    Wh at the battery, else Ah × nominal volts, else AC Wh through the inverter's figures; stopped early at
    a level s it is divided by (1 − s), and by the cold factor of the temperature noted, so that the energy
    is that of a full bank at 25 °C. With the idle known, efficiency = AC Wh / (DC Wh − idle × hours).
    Raises NotYet, Misread (AC above DC, counters that fall).
    """
    require_time(run)
    out, hours = counters(run, rig), hours_that_count(run)
    top, bottom, fell = _ends(run)
    cold = cold_factor(rig.chemistry, run.ambient_c)
    efficiency, apart = out.efficiency, out.disagreement
    trust = METER_TRUST if out.how == "dc" else DISPLAY_TRUST if run.read_on == "display" else FROM_OTHERS_TRUST
    sd = float(np.hypot(trust, SOC_ERROR * 2 / fell if fell < 1 else 0.0))
    if apart is not None:
        sd = max(sd, abs(apart) / 2)
    whole = 1 / fell / cold
    # A station's label is what comes out of its sockets; a bare bank's what leaves its terminals.
    at_sockets = rig.bank.is_station and bool(out.ac)
    given = ((out.ac or 0.0) if at_sockets else out.wh) * whole
    counted_in = out.other is not None and out.other < (out.ac or 0.0)
    idle = rig.inverter.idle_w * hours * whole if at_sockets and rig.inverter and not counted_in else 0.0
    return Tested(hours, out.dc, out.ah, out.ac, run.marks[-1].volts if run.cut_off else None, top, bottom,
                  out.wh * whole, given, idle, given / rated_energy(rig.bank),
                  capacity_ah(rig.bank) if out.ah else None, out.ac / out.dc if out.ac and out.dc else None,
                  efficiency if efficiency and efficiency <= 1 else None, apart, _losses(out, rig, hours), sd,
                  tuple(_capacity_remarks(run, out.how, top, bottom, cold, apart, efficiency)))


def beside_another(run: Run, rig: Rig, others: Sequence[Run]) -> Tested:
    """A capacity test with what another of the same bank, much faster or slower, shows beside it: what came out of the
    sockets less in so many hours more is what being on takes, W. The newest such test counts.

    Raises as `capacity`.
    """
    found = capacity(run, rig)
    for other in others:
        idle = _idle_between(found, other, rig) if rig.inverter and rig.bank.is_station and found.ac_wh else None
        if rig.inverter and idle is not None:
            shown = capacity(run, replace(rig, inverter=replace(rig.inverter, idle_w=idle[0])))
            return replace(shown, idle_w=idle[0], remarks=(*shown.remarks, reason(
                "idle_of_two", watts=idle[0], fast_h=idle[1], fast_wh=idle[2], slow_h=idle[3], slow_wh=idle[4])))
    return found


def _idle_between(found: Tested, other: Run, rig: Rig) -> tuple[float, float, float, float, float] | None:
    """W that being on takes, and hours and Wh of the faster and of the slower of two tests; None where they tell
    nothing."""
    try:
        beside = capacity(other, rig)
    except Unreckoned:
        return None
    (fast_h, fast_wh), (slow_h, slow_wh) = sorted((of.hours, of.given_wh) for of in (found, beside))
    if not beside.ac_wh or slow_h < SO_MUCH_LONGER * fast_h or slow_wh >= fast_wh:
        return None
    idle = (fast_wh - slow_wh) / (slow_h - fast_h)
    return (idle, fast_h, fast_wh, slow_h, slow_wh) if idle <= MOST_IDLE_W else None


def _losses(out: "Counters", rig: Rig, hours: float) -> tuple[tuple[str, float], ...]:
    """Where went what did not get from the battery to the sockets, or from those to a load's own meter: the inverter's
    idle first, then its conversion; what is left over is not explained."""
    idle = rig.inverter.idle_w * hours if rig.inverter else 0.0
    if out.dc and out.ac:
        lost = out.dc - out.ac
        return (("idle", min(idle, lost)), ("conversion", max(0.0, lost - idle)))
    if out.ac and out.other and out.other < out.ac:
        lost = out.ac - out.other
        return (("idle", min(idle, lost)), ("unexplained", max(0.0, lost - idle)))
    return ()


@dataclass(frozen=True)
class Counters:
    """What the counters of a capacity test rose by, and Wh at the battery from them by the best of them ("dc", "ah" or
    "ac"); disagreement is what a second meter shows more, efficiency the inverter's without its idle."""

    dc: float | None
    ah: float | None
    ac: float | None
    other: float | None
    wh: float
    how: str
    disagreement: float | None
    efficiency: float | None


def counters(run: Run, rig: Rig) -> Counters:
    """What the counters of a capacity test rose by so far. Raises NotYet, Misread (AC above DC, counters that fall)."""
    hours = hours_that_count(run)
    # A meter counts upwards from the last level before, so both ends come from the same readings.
    dc, ah, ac, other = (counted(from_nought(run.marks, name), name) for name in ("wh", "ah", "ac_wh", "other_wh"))
    volts = nominal_voltage(rig.bank)
    wh, how = _taken(rig, hours, dc, ah, ac, other, volts)
    if dc is not None and ac is not None and ac > dc:
        raise Misread("more_ac_than_dc", run.marks[-1].at, ac_wh=ac, dc_wh=dc)
    carried = dc - rig.inverter.idle_w * hours if rig.inverter and dc else 0.0
    # Like with like: a second meter stands beside the one that it is nearest to, which is on its own side.
    first = [each for each in (dc, ac, ah * volts if ah and volts else None) if each]
    apart = None if other is None else min((other / each - 1 for each in first), key=abs, default=None)
    return Counters(dc, ah, ac, other, wh, how, apart, ac / carried if ac and carried > 0 else None)


def _taken(rig: Rig, hours: float, dc: float | None, ah: float | None, ac: float | None, other: float | None,
           volts: float | None) -> tuple[float, str]:
    """Wh that left the bank, and whether from DC Wh, Ah or AC Wh; other  by the load's own meter."""
    if dc:
        return dc, "dc"
    if ah and volts:
        return ah * volts, "ah"
    if ac and other and other < ac and rig.bank.is_station and rig.inverter:
        # The station's display counts its idle with the load: what lies between the two is it, and counted once.
        return other / rig.inverter.efficiency + ac - other, "ac"
    if ac and rig.inverter:
        return ac / rig.inverter.efficiency + rig.inverter.idle_w * hours, "ac"
    raise NotYet("nothing_counted")


def _ends(run: Run) -> tuple[float, float, float]:
    """The levels between which the test ran, and the share of the bank that it took, without what is left out."""
    top = run.marks[0].soc if run.marks[0].soc is not None else 1.0
    bottom = 0.0 if run.cut_off else run.marks[-1].soc
    if bottom is None:
        raise NotYet("test_still_runs")
    aside = 0.0
    for before, after in pairwise(pieces(run.marks)):
        ends = before[-1].soc if before[-1] is not run.marks[0] else top, after[0].soc
        if ends[0] is None or ends[1] is None:
            raise NotYet("level_beside_left_out")
        aside += ends[0] - ends[1]
    if top - bottom - aside < 0.05:
        raise NotYet("fell_too_little")
    return top, bottom, top - bottom - aside


def _capacity_remarks(run: Run, how: str, top: float, bottom: float, cold: float, apart: float | None,
                      efficiency: float | None) -> Iterator[Reason]:
    if top < FULL_SOC:
        yield reason("began_below_full", soc=top)
    if bottom > 0:
        yield reason("stopped_early", soc=bottom, divided_by=top - bottom)
    shown = run.marks[-1].soc
    if run.cut_off and shown is not None and shown > 0.05:
        yield reason("percent_left_at_cut_off", soc=shown)
    if how == "ah":
        yield reason("from_ah")
    if how == "ac":
        yield reason("from_ac")
    if cold < 1:
        yield reason("tested_cold", temp_c=run.ambient_c, share=cold)
    if apart is not None and abs(apart) > METER_TRUST:
        yield reason("meters_apart", share=abs(apart))
    if efficiency is not None and efficiency > 1:
        yield reason("idle_too_high")


@dataclass(frozen=True)
class InverterFit:
    """The finding of an inverter test: idle W and efficiency (a share) with their standard deviations."""

    idle_w: float
    efficiency: float
    idle_sd_w: float
    efficiency_sd: float
    pairs: tuple[tuple[float, float], ...]  # (AC W, DC W)
    remarks: tuple[Reason, ...]


def inverter(run: Run) -> InverterFit:
    """An inverter test: DC W = idle + AC W / efficiency, by least squares over pairs.

    Each pair weighs by what a meter is off at its power, 1 W and 1 %. Needs pairs at two loads or more,
    of which one may be none. Raises NotYet, and Misread for AC above DC or a line that cannot be.
    """
    shown = [(mark.at, mark.ac_w, mark.dc_w) for mark in run.marks
             if mark.dc_w is not None and mark.ac_w is not None]
    for at, ac_w, dc_w in shown:
        if ac_w > dc_w:
            raise Misread("more_ac_w_than_dc", at, ac_w=ac_w, dc_w=dc_w)
    ac, dc = (np.array([pair[n] for pair in shown], dtype=float) for n in (1, 2))
    if len(shown) < 2 or np.ptp(ac) < 20:
        raise NotYet("pairs_too_near")
    off = 1 + 0.01 * dc
    (per_w, idle), covariance = _weighted_line(ac, dc, 1 / off)
    if per_w < 1 or per_w > 1 / 0.3:
        raise Misread("slope_cannot_be", shown[-1][0], dc_per_ac=float(per_w))
    if idle < -2:
        raise Misread("idle_cannot_be", shown[int(np.argmax(ac))][0], idle_w=float(idle))
    idle_sd, slope_sd = np.sqrt(np.diag(covariance))[::-1]
    few = (reason("two_pairs"),) if len(shown) == 2 else ()
    return InverterFit(max(0.0, float(idle)), float(1 / per_w), float(idle_sd), float(slope_sd / per_w ** 2),
                       tuple(zip(ac.tolist(), dc.tolist(), strict=True)), few)


def _weighted_line(x: np.ndarray, y: np.ndarray, weights: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Slope and intercept by weighted least squares, and their covariance, the weights being 1/sd."""
    rows = np.stack((x, np.ones_like(x)), axis=1) * weights[:, None]
    inverse = np.linalg.inv(rows.T @ rows)
    fit = inverse @ rows.T @ (y * weights)
    return fit, inverse
