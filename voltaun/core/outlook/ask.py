"""The question an outlook answers, frozen: the rig, what its log tells, what is planned, and how far to look."""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from typing import TypeVar

from voltaun.core.instants import day_start, local_day
from voltaun.core.learned.account import Account, Learned, reckon
from voltaun.core.learned.bank_step import BankStep, as_it_seems, bank_step
from voltaun.core.learned.hours import LEAST_SHARES, Lean, Shares
from voltaun.core.learned.itself import Flow, histories_of, learn_flows
from voltaun.core.learned.nights import Nights, nights_of
from voltaun.core.learned.patterns import learned_trust
from voltaun.core.learned.use import UseModel, as_listed_now, day_legs, days_of, learn_uses, use_of
from voltaun.core.learned.use_step import UseStep, use_step
from voltaun.core.learned.yield_step import YieldStep, yield_step
from voltaun.core.log.days import sky_days
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.plans import GeneratorRule, Plan
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.loads import daily_use
from voltaun.core.rig.rig import Rig
from voltaun.core.series import HISTORY_DAYS, Kind
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import SKY, SkyDay, SkyModel, learn_sky

LEARN_DAYS = HISTORY_DAYS + 2
"""How far back the outlook looks for what the sky does."""

USE_DAYS = 120
"""How far back it looks for habits of use: a season, so that a forgotten winter does not weigh on a summer's week."""

TRUST = ((2.5, 0.9), (4.5, 0.8), (6.5, 0.65), (float("inf"), 0.5))
"""How far a word given so many days ahead is trusted, until the log has seen some come true or not."""


NEAR_DAYS = 45
"""So near a day that was explained, a step is the same."""

Trust = Callable[[float], float]
"""How far a sky word is trusted, 0–1, by the days that it was given ahead."""


def usual_trust(lead_days: float) -> float:
    """How far a sky word given so many days ahead is trusted, 0–1; see `TRUST`."""
    return next(trust for most, trust in TRUST if lead_days <= most)


def learning_window(readings: Iterable[Reading], as_of: datetime) -> list[Reading]:
    """The readings up to `as_of` that the outlook learns from, in order of time."""
    first = as_of - timedelta(days=LEARN_DAYS)
    return sorted((r for r in readings if first <= r.at <= as_of), key=lambda r: r.at)


def recently(rig: Rig, account: Account, as_of: datetime, step: UseStep | None = None) -> Learned:
    """What the account teaches, with the use of the last `USE_DAYS` only, or since a step in it (all of it while they
    tell nothing)."""
    first = as_of - timedelta(days=USE_DAYS)
    first = max(first, day_start(step.day, rig.zone)) if step else first
    late = [i for i in account.intervals if i.end > first]
    return replace(account.learned, use=use_of(as_listed_now(rig, day_legs(late))) or account.learned.use)


@dataclass(frozen=True)
class Known:
    """What a rig's log tells at an instant.

    readings, account  of the learning window, in order of time; skies  the sky's days; sky  their model
    learned  what the account teaches, its use lately only; use  how the use goes on, None with too few days
    lean  at what hours the use comes; flows  how the sources that run by themselves go on
    step, bank_step  in what the sun brings, and in what the bank holds, that no part explains: all of this is reckoned
        with the panels and the bank as they seem
    use_step  in what is used, that no load explains: the usual day is one of those since
    nights  what a night takes, None where none was read at both ends
    """

    readings: Sequence[Reading]
    account: Account
    skies: Sequence[SkyDay]
    sky: SkyModel
    learned: Learned
    lean: Lean
    use: UseModel | None = None
    flows: Mapping[str, Flow] = field(default_factory=dict)
    step: YieldStep | None = None
    bank_step: BankStep | None = None
    use_step: UseStep | None = None
    nights: Nights | None = None

    def believed(self, rig: Rig, sun: RigSun | None) -> RigSun | None:
        """The rig's clear-sky harvest with the panels as they seem to have been, and to be."""
        return sun and with_step(rig, sun, self.step)


def with_step(rig: Rig, sun: RigSun, step: YieldStep | None) -> RigSun:
    """The clear-sky harvest with an unexplained step in it."""
    return sun.stepped(day_start(step.day, rig.zone), *step.factors) if step else sun


@dataclass(frozen=True)
class Explained:
    """Days near which a step, in what the sun brings or in what the bank holds, is no change of the rig's parts, as the
    user said; and of a step in what is used, that it stays so."""

    sun: tuple[date, ...] = ()
    bank: tuple[date, ...] = ()
    use: tuple[date, ...] = ()


NOTHING_EXPLAINED = Explained()


Step = TypeVar("Step", YieldStep, BankStep, UseStep)


def unless(explained: Collection[date], step: Step | None) -> Step | None:
    """A step, where no day near it is explained."""
    return step if step and all(abs((step.day - day).days) > NEAR_DAYS for day in explained) else None


def known(rig: Rig, readings: Iterable[Reading], sun: RigSun | None, as_of: datetime,
          account: Account | None = None, sky_kind: Kind = SKY, explained: Explained = NOTHING_EXPLAINED) -> Known:
    """Reckon a log as it was known at an instant; readings outside the learning window are left out.

    account  of these readings, where they were reckoned already and all lie in the window
    sky_kind  what is believed of the sky before the log tells
    """
    window = learning_window(readings, as_of)
    account = account or reckon(rig, window, sun)
    of_bank = unless(explained.bank, bank_step(rig, account.intervals))
    seems = as_it_seems(rig, of_bank) if of_bank else rig
    if of_bank:
        account = reckon(seems, window, sun)
    step = unless(explained.sun, yield_step(seems, account.intervals, window, sun))
    if step and sun:
        sun = with_step(rig, sun, step)
        account = reckon(seems, window, sun)
    if of_bank and not of_bank.is_now(rig):
        account = replace(account, learned=replace(account.learned, other_bank=of_bank.since))
    skies = sky_days(rig, account.intervals, sun)
    today = local_day(as_of, rig.zone)
    legs = as_listed_now(rig, day_legs(account.intervals))
    of_use = use_step(days_of(legs, rig.zone), today)
    learned = recently(rig, account, as_of, of_use)
    return Known(window, account, skies, learn_sky(skies, today, sky_kind), learned,
                 lean_of(rig, Shares(rig, account.intervals), learned, as_of),
                 learn_uses([legs], [today], rig.zone, rig.bank.hard_floor)[0],
                 learn_flows(rig, [histories_of(rig, account.intervals)], [today])[0], step, of_bank,
                 of_use, nights_of([each for each in account.intervals if as_of - each.end <= timedelta(days=USE_DAYS)],
                                   effective_energy(seems).wh, rig.bank.hard_floor))


def lean_of(rig: Rig, shares: Shares, learned: Learned, as_of: datetime) -> Lean:
    """At what hours the use comes by the last `USE_DAYS`, or by the last `HISTORY_DAYS` where those tell too little:
    a few mornings read teach for as long as habits last. Against the list's sum while the log tells no use."""
    use_wh = learned.use.mean if learned.use else daily_use(rig) or 0.0
    lately = shares.lean(rig, use_wh, as_of - timedelta(days=USE_DAYS), as_of)
    if lately.parts >= LEAST_SHARES:
        return lately
    return shares.lean(rig, use_wh, as_of - timedelta(days=HISTORY_DAYS), as_of)


@dataclass(frozen=True)
class Ask:
    """One question to the outlook.

    sun    the rig's clear-sky harvest; None without arrays
    as_of  from when; days  so many local days ahead of that; futures, seed  how many are drawn, and from which seed
    skies  words given for coming days; given  (day, how many days ahead, word) of words for days that are over,
           which tell how far such words are to be trusted
    plans, rule  what is planned, and when the generator is started
    """

    rig: Rig
    known: Known
    sun: RigSun | None
    as_of: datetime
    days: int = 10
    futures: int = 2000
    seed: int = 1
    skies: Mapping[date, str] = field(default_factory=dict)
    given: Sequence[tuple[date, int, str]] = ()
    plans: Sequence[Plan] = ()
    rule: GeneratorRule | None = None

    @property
    def today(self) -> date:
        """The local day of `as_of`."""
        return local_day(self.as_of, self.rig.zone)

    @property
    def believed_sun(self) -> RigSun | None:
        """The clear-sky harvest with the panels as they seem."""
        return self.known.believed(self.rig, self.sun)

    @property
    def trust(self) -> Trust:
        """How far a word for a coming day is trusted, by what came of those that were given before."""
        return learned_trust(self.given, self.known.skies, usual_trust)
