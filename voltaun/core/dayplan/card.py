"""The card on the wall: at what level at dusk what may run, from many years of the month as the log tells them."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from voltaun.core.learned.use import as_listed_now, day_legs
from voltaun.core.outlook.ask import Known
from voltaun.core.outlook.simulate import LEVEL_GRAIN, simulate
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.banks import through_controllers
from voltaun.core.sizing.calendar import calendar
from voltaun.core.sizing.years import Years, from_log, season_of
from voltaun.core.sky.clear_sky import RigSun

RISKS = (0.05, 0.10, 0.25)
"""The levels of the card are those at which the chance of the everyday floor within three days passes these."""

DUSK_H, LASTS_H = 20, 72
"""Dusk by the place's standard time, and how long what runs then must hold, h."""

YEARS, GRAIN = 12, 0.05
"""So many years are drawn, and levels so far apart are tried."""


@dataclass(frozen=True)
class Card:
    """Levels at dusk, fractions, from which on the chance of passing the everyday floor within three days is at most
    1 in 20, 1 in 10 and 1 in 4; None where not even a full bank is as safe.

    month  1 to 12; guess  whether the log has seen too few days of that season
    """

    month: int
    levels: tuple[float | None, float | None, float | None]
    guess: bool


def card(rig: Rig, known: Known, sun: RigSun | None, month: int, seed: int = 1) -> Card:
    """The levels of a month. Raises ValueError where no use is known."""
    if known.learned.use is None and not rig.loads:
        raise ValueError("use a day: found neither a log nor loads, expected one of them")
    years = from_log(rig, known, as_listed_now(rig, day_legs(known.account.intervals)),
                     known.believed(rig, sun), YEARS, seed)
    return Card(month, safe_levels(_tried(rig), chances_by_level(rig, years, month)),
                season_of(month, rig.place.latitude > 0) in years.guesses)


def safe_levels(tried: np.ndarray, chances: Sequence[float]) -> tuple[float | None, float | None, float | None]:
    """The lowest of these levels at which the chance is no more than each of `RISKS`."""
    easy, usual, low = (next((round(float(level), 2) for level, chance in zip(tried, chances, strict=True)
                              if chance <= risk), None) for risk in RISKS)
    return easy, usual, low


def _tried(rig: Rig) -> np.ndarray:
    """Levels from the everyday floor up."""
    first = np.ceil(rig.bank.everyday_floor / GRAIN) * GRAIN
    return np.asarray(np.arange(first, 1.0 + 1e-9, GRAIN))


def chances_by_level(rig: Rig, years: Years, month: int) -> list[float]:
    """The chance of passing the everyday floor within three days of a dusk of that month, by the level at it; never
    more from a higher one."""
    days = [n for n, day in enumerate(calendar()) if day.month == month and 24 * n + DUSK_H + LASTS_H <= len(years.use)]
    harvest = through_controllers(rig, years.sun, years.added_to, np.zeros((1, len(years.added_to)), np.float32))[:, 0]
    begins = [24 * n + DUSK_H for n in days]
    sun, use = (np.concatenate([of[begin:begin + LASTS_H] for begin in begins], axis=1) for of in (harvest, years.use))
    energy = np.tile(years.energy * years.energy_wh, len(begins))
    found: list[float] = []
    for level in _tried(rig):
        made = simulate(rig, energy, float(level), sun, use, np.ones(LASTS_H))
        passed = (made.level[1:] < rig.bank.everyday_floor - LEVEL_GRAIN).any(axis=0)
        found.append(float(passed.mean()))
    return [float(chance) for chance in np.minimum.accumulate(found)]
