"""Simulated logs with known truth: an hourly bank under made-up weather, read once a day as people read."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from tests.support import HOBART, sun_of
from voltaun.core.log.reading import Reading
from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.parts import Bank, Generator, SolarArray
from voltaun.core.rig.rig import Rig

START = datetime(2025, 1, 1, 8, tzinfo=UTC)


@dataclass(frozen=True)
class Truth:
    """What a simulated rig really is: Wh, W, a share."""

    energy_wh: float
    hidden_w: float
    charge_efficiency: float


def random_rig(rng, chemistry="lfp") -> Rig:
    """A rig whose bank, array and use fit one another roughly."""
    kwh = rng.uniform(3, 14)
    return Rig("Simulated", HOBART, Bank(chemistry, 12, round(kwh * 1000 / 24), 2, 1),
               arrays=(SolarArray("Roof", round(kwh * 110), 1, 35, 0),), generators=(Generator("Set", kwh * 90),))


def truth_of(rig: Rig, rng) -> Truth:
    """A truth that differs from what the rig's figures say by as much as they are doubted."""
    eta = float(np.clip(rig.bank.charge_efficiency + rng.normal(0, 0.02), 0.5, 1.0))
    return Truth(rated_energy(rig.bank) * rng.uniform(0.85, 1.05), rng.uniform(0, 3) * rated_energy(rig.bank) / 1000,
                 eta)


def weather(rng, days, persistence=0.4, slow=None) -> np.ndarray:
    """Share of clear sky of each day: spells from day to day, about a level that may drift over the year."""
    score = np.empty(days)
    before = rng.normal()
    for n in range(days):
        before = score[n] = persistence * before + (1 - persistence ** 2) ** 0.5 * rng.normal()
    return 0.08 + 0.75 / (1 + np.exp(-1.3 * (score + 0.4 + (slow if slow is not None else 0.0))))


def log_of(rig: Rig, truth: Truth, rng, days: int, shares=None, start=START, trace=None) -> list[Reading]:
    """What would have been written down: one reading an evening, percent to 1, energies with 1 % of noise.

    trace  a list that takes each hour's (instant, true level, whether the generator ran)
    """
    sun = sun_of(rig)
    shares = weather(rng, days + 1) if shares is None else shares
    hours = np.array([(start + timedelta(hours=n)).timestamp() for n in range(24 * days + 26)])
    harvest = np.diff(sun.total.at(hours)) * shares[np.minimum(np.arange(len(hours) - 1) // 24, len(shares) - 1)]
    shape = 1 + 0.6 * np.sin(2 * np.pi * (np.arange(24) + rng.uniform(0, 24)) / 24)
    use = rated_energy(rig.bank) * rng.uniform(0.016, 0.022) * shape.mean()
    level, full_at, readings = 0.7, None, []
    meters = dict.fromkeys(("solar_wh", "use_wh", *(["generator_wh"] if rig.generators else [])), 0.0)
    daily, running = 1.0, False
    read_at = 0
    for n, sun_wh in enumerate(harvest):
        if n == read_at:
            noisy = {name: round(wh * (1 + 0.01 * rng.normal())) for name, wh in meters.items()}
            readings.append(Reading(start + timedelta(hours=n), soc=round(level, 2), full_at=full_at, **noisy))
            meters, full_at = dict.fromkeys(meters, 0.0), None
            read_at += 24 + int(rng.integers(-1, 2)) if len(readings) % 2 else 24
            daily = max(0.4, rng.normal(1, 0.15))
        load = use * shape[n % 24] * daily
        running = level < (0.45 if running else 0.25)
        generator = rig.generators[0].charge_w if running and rig.generators else 0.0
        direct = min(sun_wh + generator, load)
        into = min(sun_wh + generator - direct, (1 - level) * truth.energy_wh / truth.charge_efficiency)
        spilt = max(0.0, sun_wh + generator - direct - into)
        level += (into * truth.charge_efficiency - (load - direct) - rig.bank.standby_w
                  - truth.hidden_w) / truth.energy_wh
        if level > 0.995 and full_at is None:
            full_at = start + timedelta(hours=n + 1)
        level = max(0.0, min(1.0, level))
        if trace is not None:
            trace.append((start + timedelta(hours=n + 1), level, running and bool(rig.generators)))
        meters["solar_wh"] += sun_wh - spilt
        if rig.generators:
            meters["generator_wh"] += generator
        meters["use_wh"] += load
    return readings[:days]
