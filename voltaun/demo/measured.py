"""What was measured on the bench of the demo's two rigs, from known truth."""

from datetime import datetime, timedelta

import numpy as np

from voltaun.core.bench.runs import Mark, Run
from voltaun.demo import honey_house, orchard_trailer

FREEZER = {14: 498.0, 27: 741.0}
"""The freezer's Wh a day by the air around it, °C."""

CABINET, LAPTOP = 1450.0, 380.0
INVERTER_IDLE, INVERTER_EFFICIENCY = 17.0, 0.905
SEED = 5


def honey_house_runs(now: datetime, seed: int = SEED) -> list[tuple[Run, bool]]:
    """The runs on the honey house, the oldest first, and whether each was applied."""
    rng = np.random.default_rng(seed)
    labels = [Run("label", load.name, load.side, basis=load.evidence, watts=load.running_w, daily_wh=load.daily_wh)
              for load in honey_house.RIG.loads if load.evidence in ("label", "guess")]
    freezer = Run("label", "Chest freezer", "ac", yearly_wh=401_500.0)
    return [(capacity_test(rng, now - timedelta(days=98)), False),
            (inverter_test(rng, now - timedelta(days=91)), True),
            (freezer, False), *((label, True) for label in labels),
            (_meter(rng, now - timedelta(days=80), "Chest freezer", FREEZER[14], 90, (0, 23.5, 49.75), 14), True),
            (_meter(rng, now - timedelta(days=60), "Honey-warming cabinet", CABINET, 250, (0, 25, 48.5, 73)), True),
            (_meter(rng, now - timedelta(days=52), "Laptop and router", LAPTOP, 0, (0, 9, 26.5), side="dc"), True),
            (_meter(rng, now - timedelta(days=9), "Chest freezer", FREEZER[27], 90, (0, 24.5, 47, 71.5), 27), False)]


def trailer_runs(first: datetime, seed: int = SEED) -> list[tuple[Run, bool]]:
    """The drawdown trial of the trailer's fridge box, begun at an instant."""
    return [(drawdown_trial(np.random.default_rng(seed), first), False)]


def _meter(rng: np.random.Generator, start: datetime, load: str, daily: float, running_w: int, hours: tuple[float, ...],
           air: int | None = None, side: str = "ac") -> Run:
    """A plug-in meter on a load that cycles, read to the Wh at these hours, and off by a per cent."""
    off = 1 + rng.normal(0, 0.01)
    duty = daily / 24 / running_w if running_w else None
    # Where in its cycle of 50 minutes the load was at the start.
    phase = rng.uniform(0, 1)
    marks = []
    for hour in hours:
        on = _on_hours(hour, duty, phase) if duty else 0.0
        wh = on * running_w if duty else daily / 24 * hour
        marks.append(Mark(start + timedelta(hours=hour), wh=float(round(wh * off)),
                          run_minutes=float(round(on * 60)) if duty else None,
                          ambient_c=float(round(air + rng.normal(0, 1))) if air is not None else None))
    return Run("meter", load, side, tuple(marks), conditions="as it is used")


def _on_hours(hours: float, duty: float, phase: float, cycle: float = 50 / 60) -> float:
    """Hours that a cycling thing ran in the first `hours`, on for its duty in the begin of each cycle."""
    def until(cycles: float) -> float:
        whole = np.floor(cycles)
        return float((whole * duty + min(cycles - whole, duty)) * cycle)
    return until(hours / cycle + phase) - until(phase)


def capacity_test(rng: np.random.Generator, start: datetime) -> Run:
    """Full to cut-off under about 400 W behind the inverter, both sides metered; the shunt is set too high."""
    energy = honey_house.TRUTH.energy_wh * (1 + rng.normal(0, 0.004))
    watts = INVERTER_IDLE + 400 / INVERTER_EFFICIENCY
    end = energy / watts
    marks = []
    for hour in (0.0, end * 0.35, end * 0.8, end):
        dc = watts * hour
        marks.append(Mark(start + timedelta(minutes=round(hour * 60)), wh=float(round(dc)),
                          ah=round(dc / 26.1, 1), ac_wh=float(round(400 * hour)),
                          volts=round(26.6 - 3.0 * (hour / end) ** 6, 1),
                          soc=round(1 - dc / honey_house.TRUTH.set_energy_wh, 2)))
    return Run("capacity", marks=tuple(marks), cut_off=True, conditions="oil heater on low, everything else off")


def inverter_test(rng: np.random.Generator, start: datetime) -> Run:
    """Pairs with nothing on, a lamp, the extractor and the heater; each meter off by half a per cent."""
    marks = []
    for n, ac in enumerate((0.0, 58.0, 372.0, 1490.0)):
        dc = INVERTER_IDLE + ac / INVERTER_EFFICIENCY
        marks.append(Mark(start + timedelta(minutes=4 * n), ac_w=float(round(ac * (1 + rng.normal(0, 0.003)))),
                          dc_w=float(round(dc * (1 + rng.normal(0, 0.003)), 1))))
    return Run("inverter", marks=tuple(marks))


def drawdown_trial(rng: np.random.Generator, start: datetime) -> Run:
    """The fridge box alone on the trailer's bank for a day and a half; the display rounds to a per cent."""
    truth, duty = orchard_trailer.TRUTH, orchard_trailer.TRUTH.fridge_w / 45
    phase, marks = rng.uniform(0, 1), []
    for hour in (0, 6, 12.5, 23, 30, 37.5):
        hour = hour + (rng.uniform(-0.5, 0.5) if hour else 0.0)
        used = 45 * _on_hours(hour, duty, phase) + truth.standby_w * hour
        marks.append(Mark(start + timedelta(minutes=round(hour * 60)), soc=round(0.96 - used / truth.energy_wh, 2),
                          ambient_c=float(round(12 + 5 * np.sin(hour / 24 * 2 * np.pi)))))
    return Run("drawdown", "Fridge box", "dc", tuple(marks), conditions="lid shut, set to 4 °C")
