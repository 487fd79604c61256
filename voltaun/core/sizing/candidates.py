"""Before buying, side by side: what each candidate's label means for this rig's own loads, sun and sockets."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from voltaun.core.learned.account import Learned
from voltaun.core.outlook.ask import Known
from voltaun.core.outlook.autonomy import drain
from voltaun.core.reasons import Reason, reason
from voltaun.core.rig.bank import charge_limit, usable_energy
from voltaun.core.rig.inverter import idle_energy
from voltaun.core.rig.loads import daily_use, largest_set_running, largest_surge, load_dc_wh
from voltaun.core.rig.parts import Bank, Inverter, Load
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.calendar import DAYS
from voltaun.core.sizing.lanes import Lane

MOST = 5
"""So many candidates stand beside one another."""


@dataclass(frozen=True)
class Candidate:
    """What a label says: a bank of units in V and Ah, or a station in Wh, with what is built in; None what is not told.

    inverter_w, surge_w  of its own inverter, W; None without one: then the rig's own goes on
    solar_w, socket_w    what it takes from panels and from a socket, W
    """

    name: str
    chemistry: str = "lfp"
    station_wh: float | None = None
    unit_v: float | None = None
    unit_ah: float | None = None
    series: int = 1
    parallel: int = 1
    inverter_w: float | None = None
    surge_w: float | None = None
    solar_w: float | None = None
    socket_w: float | None = None
    price: float | None = None
    weight_kg: float | None = None

    def on(self, rig: Rig) -> Rig:
        """The rig with the candidate in its bank's place. Raises RigFaults for a label that cannot be."""
        if self.station_wh is not None:
            bank = Bank(self.chemistry, rated_energy_wh=self.station_wh, solar_input_w=self.solar_w)
        else:
            bank = Bank(self.chemistry, self.unit_v, self.unit_ah, self.series, self.parallel,
                        solar_input_w=self.solar_w)
        own = Inverter(continuous_w=self.inverter_w, surge_w=self.surge_w)
        return replace(rig, bank=bank, inverter=rig.inverter if self.inverter_w is None else own)


@dataclass(frozen=True)
class OfLoad:
    """What a candidate is to one load, alone: why it does not run or start there, or for how long from full to the
    everyday floor, h: while it is on (None without its W), and as it is usually used."""

    load: Load
    cannot: Reason | None
    on_h: float | None
    usual_h: float


@dataclass(frozen=True)
class Compared:
    """What a candidate comes to here; hours and days infinite where nothing drains or fills it.

    cannot      what it cannot do, the first thing to know
    usable_wh   from full to the everyday floor, at the battery; delivered_wh  of that what the usual set gets
    hours       of the usual set; each  of the loads alone
    fill_days   from the sun alone with nothing on, in the worst and in the best month; None without arrays
    socket_h, generator_h  from the everyday floor to full
    """

    candidate: Candidate
    rig: Rig
    cannot: tuple[Reason, ...]
    usable_wh: float
    delivered_wh: float
    hours: float
    each: tuple[OfLoad, ...]
    fill_days: tuple[float, float] | None
    socket_h: float | None
    generator_h: float | None

    def per_kwh(self, amount: float | None) -> float | None:
        """Of a price or a weight what falls on a kWh that can be used."""
        return None if amount is None or not self.delivered_wh else amount / self.delivered_wh * 1000


def compare(rig: Rig, candidate: Candidate, learned: Learned, sun_wh: Sequence[float] | None) -> Compared:
    """A candidate by its label with this rig's loads and sun.

    sun_wh  what the arrays bring in a day of each month, Wh, (12,); None without arrays
    """
    of = candidate.on(rig)
    usable = usable_energy(of, of.bank.everyday_floor)
    a_day = _use(rig, of, learned)
    each = tuple(_of_load(of, load, usable) for load in rig.loads if load.daily_wh > 0)
    into = usable / of.bank.charge_efficiency
    return Compared(candidate, of, tuple(cannot(of)), usable, usable * _arrives(of, a_day),
                    usable / a_day * 24 if a_day else float("inf"), each, _fill(rig, candidate, into, sun_wh),
                    into / min(candidate.socket_w, charge_limit(of)) if candidate.socket_w else None,
                    into / min(rig.generators[0].gives_w, charge_limit(of)) if rig.generators else None)


def _of_load(of: Rig, load: Load, usable: float) -> OfLoad:
    """What the rig with the candidate in it is to a load."""
    idle = of.bank.standby_w + (of.inverter.idle_w if of.inverter and load.side == "ac" else 0.0)
    through = of.inverter.efficiency if of.inverter and load.side == "ac" else 1.0
    on = usable / (load.running_w / through + idle) if load.running_w else None
    return OfLoad(load, alone(of, load), on, usable / (load_dc_wh(of, load) / 24 + idle))


def alone(of: Rig, load: Load) -> Reason | None:
    """Why a load does not run, or does not start, by itself; None where it does both as far as the labels say."""
    if load.side != "ac":
        return None
    if of.inverter is None:
        return reason("no_inverter_for", name=load.name)
    most, surge = of.inverter.continuous_w, of.inverter.surge_w or of.inverter.continuous_w
    running = load.running_w or 0
    if _over(running, most):
        return reason("does_not_run", name=load.name, value=running, most=most)
    if _over(max(load.surge_w or 0, running), surge):
        return reason("does_not_start", name=load.name, value=load.surge_w, most=surge)
    return None


def _use(rig: Rig, of: Rig, learned: Learned) -> float:
    """What leaves the candidate in a day, Wh: the usual use, with what its inverter takes more or less."""
    leaving = drain(rig, learned, None)
    if leaving is None:
        return 24 * of.bank.standby_w
    return max(0.0, leaving.use_wh + leaving.hidden_wh + _more_by_inverter(rig, of) + 24 * of.bank.standby_w)


def _more_by_inverter(rig: Rig, of: Rig) -> float:
    return (daily_use(of) or 0.0) - (daily_use(rig) or 0.0)


def _arrives(of: Rig, a_day: float) -> float:
    """What part of what leaves the battery in a day gets to the loads."""
    if not a_day:
        return 1.0
    lost = 24 * of.bank.standby_w
    if of.inverter and any(load.side == "ac" for load in of.loads):
        ac = sum(load_dc_wh(of, load) for load in of.loads if load.side == "ac")
        lost += idle_energy(of.inverter, 24) + ac * (1 - of.inverter.efficiency)
    return max(0.0, 1 - lost / a_day)


def cannot(of: Rig) -> list[Reason]:
    """The loads that a rig does not start or run by its inverter's label, and the set that it does not run at once."""
    ac = [load for load in of.loads if load.side == "ac"]
    if ac and of.inverter is None:
        return [reason("no_inverter_for", name=", ".join(load.name for load in ac))]
    if of.inverter is None:
        return []
    most, surge = of.inverter.continuous_w, of.inverter.surge_w or of.inverter.continuous_w
    found = [why for load in ac if (why := alone(of, load))]
    together, starting = largest_set_running(of), largest_surge(of)
    if not found and _over(together, most):
        return [reason("not_at_once", value=together, most=most)]
    if not found and _over(starting, surge):
        return [reason("no_start_beside", value=starting, most=surge)]
    return found


def _over(watts: float | None, limit: float | None) -> bool:
    """Whether so many W are beyond a limit; never where either is not known."""
    return watts is not None and limit is not None and watts > limit


def _fill(rig: Rig, candidate: Candidate, into: float, sun_wh: Sequence[float] | None) -> tuple[float, float] | None:
    if sun_wh is None or not rig.arrays:
        return None
    rated = sum(array.rated_w for array in rig.arrays)
    # An input that takes less than the panels give holds them back in the bright hours: at the least by that share.
    held = min(1.0, candidate.solar_w / rated) if candidate.solar_w else 1.0
    days = [into / (wh * held) if wh > 0 else float("inf") for wh in sun_wh]
    return max(days), min(days)


def with_candidate(rig: Rig, of: Rig, known: Known) -> tuple[Known, Lane]:
    """What the log tells without what it says of the old bank, and the option of the new inverter's use, for a run."""
    held = known.learned.held
    learned = known.learned if held is None else replace(known.learned, held=replace(held, energy_wh=None))
    more = _more_by_inverter(rig, of) / 24
    return replace(known, learned=learned), Lane(more_wh=np.full(24 * DAYS, more)) if abs(more) > 0.01 else Lane()
