"""Figures that would change a conclusion: is it meant, or did a comma, a nought or a unit slip?

Nothing here refuses. Each doubt names the reading, the figure and what is usual, so that one line can ask about it.
The bounds are wide: a week away, a storm or a party is no doubt; a tenth or ten times the usual is.
"""

from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import zip_longest

import numpy as np

from voltaun.core.instants import hours_between
from voltaun.core.learned.account import Learned
from voltaun.core.learned.left_over import slip_of
from voltaun.core.log.ledger import IMPOSSIBLE_SHARE
from voltaun.core.log.reading import FIELDS, Field, Reading
from voltaun.core.rig.bank import FULL_SOC, charge_limit, effective_energy, nominal_voltage, soc_from_volts
from voltaun.core.rig.inverter import dc_energy
from voltaun.core.rig.loads import daily_use
from voltaun.core.rig.rig import Rig
from voltaun.core.rig.sources import SOURCE_TABLE, SUN
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.model import STARTUP_SHARES
from voltaun.core.stats import middle

LEAST_LEGS = 4
"""With fewer days known the log says nothing of what is usual."""

TIMES_FAR = 4.0
"""So many times less or more than the usual, and beyond anything seen, is asked about."""

TIMES_VERY_FAR = 6.0
"""Likewise for little use, which a week away brings too."""

SOURCE_ROOM = 1.3
"""So many times what its W say a source may have brought before it is asked about."""

NOTHING = 0.003
"""Less than this part of a clear sky's sun, or of a bank a day, is nobody's day: it was meant in another unit."""

FAR_OFF = timedelta(days=60)
"""A reading lies no further than this from now and from the rest of the log, or its year or month is asked about."""

VOLTS_SHORT = 0.35
"""A lead bank whose volts tell so much less than its percent, a fraction, has one of the two wrong: a usual load hides
ten to twenty points."""

COLDEST_C, WARMEST_C = -30.0, 50.0
"""No bank that is used is colder or warmer: the other degrees were meant, or a sign."""

SURELY_SUNNY = ("clear", "mixed")
"""Under these words little sun is a slip; under the others it is the weather."""


@dataclass(frozen=True)
class Doubt:
    """One figure that is asked about.

    name   of the figure: a field of `Reading`, or "soc"
    kind   "little", "much", "most", "tiny", "rise", "fall", "volts", "hours", "far", "degrees", "dark" (full without
           anything that charges), "emptied" (less left since full than can be), "rested" (volts that tell far less
           than the percent); "slip" where another decimal fits all the other figures, "level" where none does and
           they tell another level
    value, usual  in the figure's unit (Wh, a fraction, V, h); usual is what would be expected, or the most
    hours  of the interval that it stands for
    """

    at: datetime
    name: str
    kind: str
    value: float
    usual: float
    hours: float = 0.0


@dataclass(frozen=True)
class Asked:
    """A reading with what it is held against; `before` None where nothing stands before it."""

    rig: Rig
    learned: Learned
    before: Reading | None
    reading: Reading
    sun: RigSun | None
    hours: float
    off: timedelta


def doubts(rig: Rig, learned: Learned, before: Reading | None, reading: Reading, sun: RigSun | None,
           off: timedelta = timedelta(0)) -> list[Doubt]:
    """What of one reading is asked about.

    learned  what the log taught so far; before  the reading before it, None for the first
    off      how far it lies from now and from the rest of the log, whichever is nearer
    """
    hours = hours_between(before.at, reading.at) if before is not None and reading.at > before.at else None
    at = Asked(rig, learned, before if hours else None, reading, sun, hours or 0.0, off)
    found = [doubt for of in FIELDS if of.doubt for doubt in WAYS[of.doubt](at, of)]
    return found or _together(at)


def _together(at: Asked) -> list[Doubt]:
    """The figure that all the others contradict, where each by itself may be."""
    if at.before is None or at.reading.answer or at.reading.at_bank or at.reading.soc is None:
        return []
    shown = at.learned.effective_energy_wh
    slip = slip_of(at.rig, at.learned.left, at.learned.use, shown.estimate if shown else effective_energy(at.rig).wh,
                   at.before, at.reading, at.sun)
    return [Doubt(at.reading.at, slip.name, "slip" if slip.by_decimal else "level", slip.value, slip.fits,
                  at.hours)] if slip else []


def doubts_of_many(rig: Rig, learned: Learned, standing: Iterable[Reading], new: Iterable[Reading],
                   sun: RigSun | None, now: datetime, edited: datetime | None = None) -> Iterator[Doubt]:
    """What of several new readings is asked about, in their order, each set after the one before it among both.

    now     the moment of asking; edited  the moment of a reading that a single new one takes the place of
    """
    fresh = {reading.at: reading for reading in new}
    ordered = sorted([*fresh.values(), *(each for each in standing if each.at not in fresh)], key=lambda each: each.at)
    # One alone is held against the end of the log: its year may be one of a long log. Many hold one another.
    ends = [now, *([edited] if edited else ())]
    if len(fresh) == 1:
        ends += [each.at for each in ordered if each.at not in fresh][-1:]
    before = None
    for reading, after in zip_longest(ordered, ordered[1:]):
        if reading.at in fresh:
            beside = [each.at for each in (before, after) if each] if len(fresh) > 1 else []
            off = min(abs(reading.at - of) for of in (*ends, *beside))
            yield from doubts(rig, learned, before, reading, sun, off)
        before = reading


def _when(at: Asked, of: Field) -> Iterator[Doubt]:
    if at.off > FAR_OFF:
        yield Doubt(at.reading.at, of.name, "far", at.off / timedelta(days=1), 0.0)


def _degrees(at: Asked, of: Field) -> Iterator[Doubt]:
    celsius = at.reading.temp_c
    if celsius is not None and not COLDEST_C <= celsius <= WARMEST_C:
        yield Doubt(at.reading.at, of.name, "degrees", celsius, WARMEST_C if celsius > 0 else COLDEST_C)


def _full(at: Asked, of: Field) -> Iterator[Doubt]:
    """Full in the dark with nothing else that charged, or so long ago that the level since cannot be."""
    reading, full = at.reading, at.reading.full_at
    if full is None or at.sun is None:
        return
    stood, hour = full.timestamp(), 3600.0
    light = float(np.diff(at.sun.total.at(np.array([stood - hour, stood + hour])))[0])
    charged = any(getattr(reading, name) for source in SOURCE_TABLE if source.by != SUN
                  for name in (source.wh, source.hours) if name)
    if light <= 0 and not charged:
        yield Doubt(reading.at, of.name, "dark", stood, 0.0)
        return
    usual, _, most = _usual_use(at.rig, at.learned)
    if reading.soc is None or usual is None or at.rig.soc_from == "volts":
        return
    energy, hours = effective_energy(at.rig).wh, hours_between(full, reading.at)
    could = max(TIMES_FAR * usual, 2 * most) * hours / 24 + 0.2 * energy
    if (1 - reading.soc) * energy > could:
        yield Doubt(reading.at, of.name, "emptied", reading.soc, max(0.0, 1 - could / energy), hours)


def _volts(at: Asked, of: Field) -> Iterator[Doubt]:
    nominal, volts = nominal_voltage(at.rig.bank), at.reading.volts
    if nominal and volts is not None and not 0.6 * nominal <= volts <= 1.4 * nominal:
        yield Doubt(at.reading.at, of.name, "volts", volts, nominal)
    elif volts is not None and at.reading.soc is not None:
        with suppress(ValueError):  # of lithium, and of volts that nothing rests at
            rested = soc_from_volts(at.rig.bank, volts)
            if rested + VOLTS_SHORT < at.reading.soc:  # a load pulls them down a little; charging lifts them at will
                yield Doubt(at.reading.at, of.name, "rested", volts, rested)


def _hours(at: Asked, of: Field) -> Iterator[Doubt]:
    run = getattr(at.reading, of.name)
    if at.before and run is not None and run > 1.05 * at.hours + 0.1:
        yield Doubt(at.reading.at, of.name, "hours", run, at.hours, at.hours)


def _source(at: Asked, of: Field) -> Iterator[Doubt]:
    """More than all parts of a source can give in the time, with room for a charger that is better than its label."""
    wh = getattr(at.reading, of.name)
    parts = next(at.rig.parts(source.name) for source in SOURCE_TABLE if source.wh == of.name)
    most = sum(part.gives_w for part in parts) * at.hours
    if at.before and wh is not None and parts and wh > SOURCE_ROOM * most + 50:
        yield Doubt(at.reading.at, of.name, "most", wh, most, at.hours)


def _sun(at: Asked, of: Field) -> Iterator[Doubt]:
    before, reading, learned, hours = at.before, at.reading, at.learned, at.hours
    if before is None or reading.solar_wh is None or at.sun is None or reading.at_bank:
        return
    clear = _clear(before, reading, at.sun)
    if clear <= 0:
        if reading.solar_wh > 50:
            yield Doubt(reading.at, "solar_wh", "much", reading.solar_wh, 0.0, hours)
        return
    share = reading.solar_wh / clear
    high = float(learned.share.quantile(0.9)) if learned.share.days >= LEAST_LEGS else 0.0
    if share > max(IMPOSSIBLE_SHARE, 2 * high) and reading.solar_wh > 100:
        yield Doubt(reading.at, "solar_wh", "much", reading.solar_wh, clear, hours)
    if 0 < share < NOTHING and clear > 500:
        yield Doubt(reading.at, "solar_wh", "tiny", reading.solar_wh, clear, hours)
        return
    full = reading.full_at is not None or any(soc is not None and soc >= 0.9 for soc in (before.soc, reading.soc))
    if reading.sky in SURELY_SUNNY and not full and hours <= 36:
        usual = _usual_share(learned, reading.sky)
        rare = learned.share.days < LEAST_LEGS or share < float(learned.share.quantile(0.05))
        if share < usual / TIMES_FAR and rare:
            yield Doubt(reading.at, "solar_wh", "little", reading.solar_wh, usual * clear, hours)


def _clear(before: Reading, reading: Reading, sun: RigSun) -> float:
    """Clear-sky harvest between two readings, Wh."""
    return float(np.diff(sun.total.at(np.array([before.at.timestamp(), reading.at.timestamp()])))[0])


def _usual_share(learned: Learned, sky: str) -> float:
    """What a sky word usually brings: the start-up share, scaled to what the rig's log brings on the whole."""
    usual = STARTUP_SHARES[sky]
    if learned.share.days < LEAST_LEGS:
        return usual
    return min(usual, max(float(learned.share.quantile(0.5)), 0.5 * usual))


def _use(at: Asked, of: Field) -> Iterator[Doubt]:
    rig, learned, reading, hours = at.rig, at.learned, at.reading, at.hours
    if at.before is None or reading.use_wh is None or hours < 3:
        return
    use = _at_the_bank(rig, reading.use_wh, hours)
    usual, least, most = _usual_use(rig, learned)
    a_day, energy = use * 24 / hours, effective_energy(rig).wh
    if usual is None:
        if hours >= 20 and 0 < a_day < NOTHING * energy:
            yield Doubt(reading.at, "use_wh", "tiny", reading.use_wh, energy, hours)
        return
    if a_day > TIMES_FAR * usual and a_day > 2 * most and use > 200:
        yield Doubt(reading.at, "use_wh", "much", reading.use_wh, usual * hours / 24, hours)
    # A night may well be quiet; a whole day is not.
    elif hours >= 20 and a_day < usual / TIMES_VERY_FAR and a_day < least / 2 and usual > 100:
        yield Doubt(reading.at, "use_wh", "little", reading.use_wh, usual * hours / 24, hours)


def _at_the_bank(rig: Rig, use_wh: float, hours: float) -> float:
    """A use that was read, Wh on the DC side."""
    return use_wh if rig.use_side == "dc" or rig.inverter is None else dc_energy(rig.inverter, use_wh, hours)


def _usual_use(rig: Rig, learned: Learned) -> tuple[float | None, float, float]:
    """Use a day, Wh on the DC side: the usual, and the least and the most that came more than once or twice."""
    use = learned.use
    if use and use.intervals >= LEAST_LEGS:
        rates = np.sort(use.rates)
        seldom = min(2, len(rates) // 8)
        return middle(rates), float(rates[seldom]), float(rates[-1 - seldom])
    listed = daily_use(rig)
    return (listed, listed, listed) if listed else (None, 0.0, 0.0)


def _level(at: Asked, of: Field) -> Iterator[Doubt]:
    rig, learned, before, reading, hours = at.rig, at.learned, at.before, at.reading, at.hours
    if before is None or reading.soc is None or before.soc is None or reading.answer or rig.soc_from == "volts":
        return
    energy = effective_energy(rig).wh
    change = (reading.soc - before.soc) * energy
    slack = 0.12 * energy
    most = _most_in(rig, before, reading, at.sun, hours)
    # While it is charged a monitor may set itself to full.
    if change > slack and (reading.soc < FULL_SOC or most < 0.02 * energy):
        if change > most + slack:
            yield Doubt(reading.at, "soc", "rise", reading.soc, min(1.0, before.soc + most / energy), hours)
    elif -change > slack and reading.soc > 0.01:
        usual, _, most_seen = _usual_use(rig, learned)
        if reading.use_wh is not None:
            use = _at_the_bank(rig, reading.use_wh, hours)
            most = use + rig.bank.standby_w * hours
        elif usual is not None:
            most = max(TIMES_FAR * usual, 2 * most_seen) * hours / 24
        else:
            return
        if -change > most + 1.5 * slack:
            yield Doubt(reading.at, "soc", "fall", reading.soc, max(0.0, before.soc - most / energy), hours)


def _most_in(rig: Rig, before: Reading, reading: Reading, sun: RigSun | None, hours: float) -> float:
    """The most that can have come into the bank, Wh: what was read, and of what was not the most there can be."""
    most = 0.0
    for source in SOURCE_TABLE:
        wh, run = getattr(reading, source.wh), getattr(reading, source.hours) if source.hours else None
        if wh is not None:
            most += wh
        elif source.by == SUN:
            most += IMPOSSIBLE_SHARE * _clear(before, reading, sun) if sun is not None else 0.0
        elif rig.has(source.name):
            most += rig.parts(source.name)[0].gives_w * (hours if run is None else run)
    return min(most, charge_limit(rig) * hours)


WAYS = {"when": _when, "degrees": _degrees, "full": _full, "level": _level, "volts": _volts, "sun": _sun,
        "source": _source, "hours": _hours, "use": _use}
"""How a figure that cannot be meant is found, by the name that its field has for it."""
