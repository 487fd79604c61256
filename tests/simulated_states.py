"""Made states for what is said of now and of the days ahead: rigs, logs, ages, plans, skies, drawn from a seed."""

import random
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta

import numpy as np

from tests.support import rig, sun_of
from voltaun.core.instants import local_day
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.ask import Ask, known
from voltaun.core.outlook.plans import GeneratorRule, Plan
from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.parts import Bank, Engine, Generator, Load, Mains
from voltaun.core.rig.rig import Rig

BEGINS = (datetime(2026, 11, 25, 8, tzinfo=UTC), datetime(2026, 6, 20, 20, tzinfo=UTC),
          datetime(2026, 4, 2, 7, tzinfo=UTC))
LOADS = (Load("Fridge", 700.0, "ac", 90.0, priority="essential"), Load("Cabinet", 1500.0, "ac", 250.0, priority="spare",
                                                                        pattern=("window", 8, 20, 6.0)),
         Load("Lights", 150.0, "dc", pattern=("hours", 18, 23)), Load("Laptop", 300.0, "dc", 40.0))


@dataclass(frozen=True)
class State:
    """A question in some state, and what it is called."""

    name: str
    rig: Rig
    ask: Ask
    log: list[Reading]


def state(n: int) -> State:
    """The n-th state."""
    rng = random.Random(n)
    sources = {"generators": (Generator("Set", rng.choice((400.0, 600.0, 900.0)), 0.7,
                                        fuel_price=rng.choice((None, 2.0))),),
               "vehicles": (Engine("Ute", 320.0),), "mains": (Mains("Post", rng.choice((60.0, 300.0))),)}
    kinds = rng.choice(([], ["generators"], ["generators"], ["generators", "vehicles"], ["mains"], list(sources)))
    bank = rng.choice((Bank("lfp", 12, 400, 2, 1, charge_efficiency=0.95), Bank("agm", 12, 200, 2, 2),
                       Bank("lfp", 12.8, 400, 1, 1)))
    of = rig(bank=bank, arrays=() if rng.random() < 0.15 else rig().arrays, loads=LOADS if rng.random() < 0.7 else (),
             soc_from=rng.choice(("shunt", "display")), **{kind: sources[kind] for kind in kinds})
    begin, whole = rng.choice(BEGINS), rated_energy(bank)
    noise = np.random.default_rng(n)
    use, days, level = whole * rng.choice((0.12, 0.25, 0.45, 0.8)), rng.choice((5, 20, 45)), rng.uniform(0.08, 1.0)
    clear = sun_of(of).between(begin - timedelta(days=1), begin) if of.arrays else 0.0
    log, soc = [], 0.7
    for day in range(days):
        last = day == days - 1
        came = clear * noise.uniform(0.1, 0.7)
        soc = float(np.clip(soc + (came * 0.95 - use) / whole * 0.3 + noise.normal(0, 0.05), bank.hard_floor, 1.0))
        log.append(Reading(begin - timedelta(days=days - 1 - day), soc=round(level if last else soc, 2),
                           solar_wh=round(came) if of.arrays else None, use_wh=round(use * noise.uniform(0.7, 1.3)),
                           temp_c=-3.0 if n % 17 == 0 else None))
    hours = rng.choice((0.0, 0.0, 0.0, 2.0, 5.0, 11.0, 14.0, 30.0, 100.0))
    now = begin + timedelta(hours=hours)
    today = local_day(now, of.zone)
    plans = []
    if rng.random() < 0.3:
        plans.append(Plan("guests", today + timedelta(days=1), today + timedelta(days=2), 1.5))
    if "generators" in kinds and rng.random() < 0.2:
        plans.append(Plan("generator", today + timedelta(days=1), today + timedelta(days=1), 2.0))
    ruled = "generators" in kinds and rng.random() < 0.2
    rule = GeneratorRule(0.25, 0.6, 7, 21, rng.choice((None, 0.0, 5.0))) if ruled else None
    skies = {today + timedelta(days=1): rng.choice(("clear", "storm"))} if of.arrays and rng.random() < 0.3 else {}
    sun = sun_of(of) if of.arrays else None
    name = f"{n}: {'+'.join(kinds) or 'no source'}, {level:.0%}, {hours:g} h old, {use / whole:.2f} E a day"
    return State(name, of, Ask(of, known(of, log, sun, now), sun, now, skies=skies, plans=tuple(plans), rule=rule), log)


def kept(of: State, plans: tuple[Plan, ...], share: float = 1.0, seed: int = 7) -> Ask:
    """The question with a way kept as plans, or with so much of its hours, by another draw of the futures."""
    part = tuple(replace(plan, amount=plan.amount * share) if plan.kind in ("generator", "drive", "mains") else plan
                 for plan in plans)
    return replace(of.ask, plans=(*of.ask.plans, *part), seed=seed)
