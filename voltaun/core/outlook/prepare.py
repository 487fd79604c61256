"""An outlook made ready: what comes in and what is used in each step of each future.

Futures differ in sky (see `sky.model`) and use, drawn from the log's own days, and in the learned means themselves,
because a short log does not know its own mean well. Plans and a rule for the generator count where they are told.
"""

import math
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from voltaun.core.learned.nights import in_dark
from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.autonomy import Drain
from voltaun.core.outlook.beliefs import level_doubt, unseen_draws
from voltaun.core.outlook.flows import loads, planned
from voltaun.core.outlook.grid import Grid
from voltaun.core.outlook.simulate import Started
from voltaun.core.outlook.standing import Standing, standing
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.parts import SKIES
from voltaun.core.series import Word
from voltaun.core.sky.model import draw_shares, word_shares


@dataclass(frozen=True)
class Prepared:
    """An outlook that only waits to be run: energies in Wh by step and future, shape (steps, futures)."""

    ask: Ask
    standing: Standing
    grid: Grid
    start: np.ndarray    # the level that each future starts from, (futures,)
    energy: np.ndarray   # what the bank holds in each, Wh, (futures,)
    unseen: np.ndarray   # of each day's load, what draws unseen and the log does not show as use, Wh, (futures,)
    harvest: np.ndarray
    load: np.ndarray
    planned: np.ndarray  # of the harvest, what planned sources give, (steps,)
    itself: np.ndarray   # of the harvest, what wind and water bring, (steps, futures), or (steps, 1) of nothing
    generator: Started | None

    def not_sun(self, steps: slice) -> np.ndarray:
        """Of the harvest in these steps, what is not the sun's, Wh, (steps, futures) or (steps, 1)."""
        return np.asarray(self.planned[steps][:, None] + self.itself[steps])


def prepare(ask: Ask) -> Prepared:
    """Everything an outlook needs before it is run.

    Raises NoOutlook when there is no level to start from or no use known, ValueError for a sky it cannot take.
    """
    words = _words(ask)
    stands = standing(ask)
    grid = Grid.between(stands.read_at, ask.as_of, ask.today + timedelta(days=ask.days), ask.rig)
    # Single precision is far finer than any of this is known, and halves the memory that must be moved.
    harvest = grid.harvest(ask.believed_sun, _shares(ask, grid.days, words).astype(np.float32))
    by_plan = planned(ask, grid)
    itself = _by_itself(ask, grid)
    harvest += by_plan[:, None]
    harvest += itself
    unseen = unseen_draws(ask.known.learned, _stream(ask.seed, 8).standard_normal(ask.futures)).astype(np.float32)
    shapes = ask.known.lean.shapes(ask.rig, grid.months, _stream(ask.seed, 5).standard_normal((2, ask.futures)))
    load = loads(ask, grid, _draw_uses(ask, stands.drain, grid.days), unseen, shapes, _draw_nights(ask, grid))
    return Prepared(ask, stands, grid, _starts(ask, stands), _energies(ask, stands), unseen, harvest, load, by_plan,
                    itself, _started(ask, grid))


def _starts(ask: Ask, stands: Standing) -> np.ndarray:
    """The level of each future at the last one known: as read, give or take what such a reading is off."""
    doubt = level_doubt(ask.rig, ask.known.account.intervals)
    return np.clip(stands.read_soc + _stream(ask.seed, 6).standard_normal(ask.futures) * doubt, 0.0, 1.0)


def _energies(ask: Ask, stands: Standing) -> np.ndarray:
    """What the bank holds in each future, Wh: never a few tenths of what is believed, however little is known."""
    belief = stands.energy
    drawn = belief.draw(_stream(ask.seed, 7).standard_normal(ask.futures))
    return np.asarray(np.maximum(drawn, 0.3 * belief.mean), dtype=np.float32)


def _words(ask: Ask) -> dict[date, Word]:
    """The words given for coming days, with the shares that such days have."""
    for day, word in ask.skies.items():
        if word not in SKIES:
            raise ValueError(f"sky: found {word!r}, expected one of {', '.join(SKIES)}")
        if not 0 <= (day - ask.today).days <= ask.days:
            raise ValueError(f"sky: found {day}, expected a day from {ask.today} to "
                             f"{ask.today + timedelta(days=ask.days)}")
    known = word_shares(ask.known.skies) if ask.skies else {}
    trust = ask.trust
    return {day: Word(known[word], trust((day - ask.today).days)) for day, word in ask.skies.items()}


def _shares(ask: Ask, days: list[date], words: dict[date, Word]) -> np.ndarray:
    """Share of clear sky on each day: as it was logged where it was, drawn from there on."""
    sky = ask.known.sky
    first = _first_after(sky.last, days)
    shares = np.empty((len(days), ask.futures))
    logged = {day.day: day.share for day in ask.known.skies}
    for n, day in enumerate(days[:first]):
        shares[n] = logged.get(day, sky.share(0.0))
    if first < len(days):
        shares[first:] = draw_shares(sky, days[first], len(days) - first, ask.futures, ask.seed, words)
    return shares


def _by_itself(ask: Ask, grid: Grid) -> np.ndarray:
    """What wind and water bring in each step, Wh: each day as it is drawn, at all its hours alike."""
    total = np.zeros((len(grid.hours), 1), dtype=np.float32)
    for n, flow in enumerate(ask.known.flows.values()):
        drawn = flow.draw(grid.days, ask.futures, ask.seed, n).astype(np.float32)
        total = total + drawn[grid.day_of_step] * (grid.hours / 24).astype(np.float32)[:, None]
    return total


def _first_after(last: date | None, days: list[date]) -> int:
    """The place of the first of these days that the log does not hold; their count when it holds them all."""
    return next((n for n, day in enumerate(days) if last is None or day > last), len(days))


def _started(ask: Ask, grid: Grid) -> Started | None:
    rule = ask.rule
    if rule is None or not ask.rig.generators:
        return None
    generator = ask.rig.generators[0]
    hours = rule.litres / generator.fuel_l_per_hour if rule.litres is not None and generator.fuel_l_per_hour else np.inf
    # One that runs by plan already is not started once more.
    allowed = (rule.allows(grid.clock_hours) & (np.arange(len(grid.hours)) >= grid.now)
               & (planned(ask, grid, ("generator",)) == 0))
    return Started(rule.start, rule.stop, generator.gives_w, allowed, hours)


def _stream(seed: int, purpose: int) -> np.random.Generator:
    """A stream of its own for each purpose, drawn day by day: a longer outlook begins like a shorter one."""
    return np.random.default_rng([seed, purpose])


def _draw_nights(ask: Ask, grid: Grid) -> tuple[np.ndarray, np.ndarray] | None:
    """Which night each step lies in, and what each takes in each future, W; None where days are known, or no night."""
    nights = ask.known.nights
    if nights is None or ask.known.use is not None:
        return None
    night = in_dark(ask.believed_sun, grid.bounds, effective_energy(ask.rig).wh)
    return night, nights.draw(int(night.max(initial=0)), ask.futures, _stream(ask.seed, 9)).astype(np.float32)


def _draw_uses(ask: Ask, leaving: Drain, days: list[date]) -> np.ndarray:
    """Use in each day and future, Wh: as it goes on by the log; with a few days known a spread around their mean."""
    use, count = ask.known.use, len(days)
    if use is not None:
        # What is left of a day of which a part was logged is drawn like any other day.
        return use.draw(days, ask.futures, ask.seed).astype(np.float32)
    rng = _stream(ask.seed, 3)
    width = math.sqrt(math.log1p((leaving.sd_wh / leaving.use_wh) ** 2)) if leaving.use_wh else 0.0
    drawn = leaving.use_wh * np.exp(rng.standard_normal((count, ask.futures)) * width - width ** 2 / 2)
    unsure = leaving.sd_wh / leaving.use_wh / math.sqrt(max(1, leaving.days_known)) if leaving.use_wh else 0.0
    doubted = drawn * np.exp(_stream(ask.seed, 4).standard_normal(ask.futures) * unsure)
    return np.asarray(doubted, dtype=np.float32)
