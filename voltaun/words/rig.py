"""What was changed of the rig, in words."""

from collections.abc import Mapping
from datetime import date

from voltaun.core.learned.bank_step import BankStep
from voltaun.core.learned.use_step import UseStep
from voltaun.core.learned.yield_step import YieldStep
from voltaun.core.rig.bank import rated_energy
from voltaun.core.rig.parts import SolarArray
from voltaun.core.rig.rig import Former, Rig
from voltaun.words.sentences import month
from voltaun.words.units import show_energy, show_percent, show_rough


def day_words(day: date | str) -> str:
    """`20 Sep 2026`."""
    return f"{date.fromisoformat(day) if isinstance(day, str) else day:%-d %b %Y}"


def former_words(of: Former, figures: str) -> str:
    """A part that is over: `Roof, 4 × 330 W, until 19 Sep 2026`."""
    part = of.part
    name = getattr(part, "name", f"another {of.group}")
    since = f"from {day_words(part.from_day)} " if part.from_day else ""
    return f"{', '.join(filter(None, (name, figures)))}, {since}until {day_words(part.until_day)}"


def follows_words(typed: Rig, made: Rig) -> str:
    """What of the bank followed from another chemistry; nothing where nothing did."""
    said = {"everyday_floor": "everyday floor", "hard_floor": "hard floor", "charge_efficiency": "charge efficiency"}
    new = [f"{word} {show_percent(getattr(made.bank, name))}" for name, word in said.items()
           if getattr(made.bank, name) != getattr(typed.bank, name)]
    return f"With another chemistry follow: {', '.join(new)}." if new else ""


def changed_words(names: tuple[str, ...]) -> str:
    """What came or went on a day, for the strip: `changed: Roof`."""
    return f"changed: {', '.join(names)}"


def panels_words(name: str, count: int, day: date) -> str:
    """`Roof: 2 panels more since 20 Sep 2026.`"""
    of = "panel" if abs(count) == 1 else "panels"
    return f"{name}: {abs(count)} {of} {'more' if count > 0 else 'fewer'} since {day_words(day)}."


def step_words(of: YieldStep) -> list[str]:
    """A step in what the sun brings that no part explains: what is seen, the question, and what is done until then."""
    asked = "Were panels added?" if of.ratio > 1 else "Were panels taken away, or does something shade them?"
    return [f"Since about {day_words(of.day)} the sun brings {_often(of.ratio)} as much as before.", asked, _UNTIL_SAID]


def bank_step_words(of: BankStep) -> list[str]:
    """A step in what the bank holds that no part explains, likewise."""
    asked = "Were batteries added?" if of.ratio > 1 else "Were batteries taken away, or has one failed?"
    return [f"Since about {day_words(of.day)} the bank holds {_often(of.ratio)} as much as before.", asked, _UNTIL_SAID]


def use_step_words(of: UseStep) -> list[str]:
    """A step in what is used that no load explains, likewise."""
    more = of.ratio > 1
    return [f"Since about {day_words(of.day)} {'more' if more else 'less'} is used: {show_rough(of.since_wh)} a day "
            f"instead of {show_rough(of.before_wh)}.", "Is something new?" if more else "Is something gone?",
            "The days ahead count the use as it is since then."]


_UNTIL_SAID = "Until you say, the days and years ahead count it as it is since then."


def _often(ratio: float) -> str:
    return "twice" if 1.8 <= ratio <= 2.2 else "half" if 0.45 <= ratio <= 0.55 else f"{ratio:.1f} times"


def panels_guess(of: YieldStep, array: SolarArray) -> tuple[str, str]:
    """Which W of an array are asked for, and what they probably are: in whole panels where it has several."""
    before, since = of.factors
    watts = array.rated_w * (before if since == 1 else since)
    step = array.panel_w if array.panels > 1 else 10.0
    return ("W of panels before" if since == 1 else "W of panels now"), f"{max(1, round(watts / step)) * step:g}"


def bank_guess(of: BankStep, rig: Rig) -> tuple[str, str]:
    """Which Wh of the bank are asked for, and what they probably are: by whole strings where it comes near to some."""
    asked, held = ("Wh of the bank before", of.before) if of.is_now(rig) else ("Wh of the bank now", of.since)
    bank = rig.bank
    string = rated_energy(bank) / bank.parallel
    whole = max(1, round(held.estimate / string)) * string
    near = not bank.is_station and abs(whole - held.estimate) <= NEAR_GUESS * whole
    return asked, f"{whole if near else round(held.estimate, -2):g}"


NEAR_GUESS = 0.15
"""A bank that comes so near to whole strings, as a part of them, is probably these."""

def aiming(name: str, of_month: int, gains: Mapping[int, float], least: int) -> str:
    """What each number of turns a day would bring, and in brackets what the last of them adds."""
    told = []
    for times, wh in gains.items():
        turns = f"{times} × a day" if times else "as it is fixed"
        more = wh - gains[times - 1] if times > least else None
        told.append(f"{turns} {show_energy(wh)}" + ("" if more is None else
                                                    f" ({'+' if more >= 0 else ''}{show_energy(more)})"))
    return f"Aiming the {name} in {month(of_month)}, under a mean sky: {', '.join(told)}."


POINTS = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")


def facing_words(tilt_deg: float, azimuth_deg: float) -> str:
    """How it stands, in a few words: `flat`, `upright, facing north`, `30° from level, facing north-east`."""
    if tilt_deg < 1:
        return "flat"
    leans = "upright" if tilt_deg > 89 else f"{tilt_deg:.0f}° from level"
    off = (azimuth_deg + 22.5) % 45 - 22.5
    point = POINTS[round(azimuth_deg / 45) % 8]
    return f"{leans}, facing {point}" + (f" ({azimuth_deg:.0f}°)" if abs(off) >= 1 else "")
