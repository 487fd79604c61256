"""What was changed of the rig, in words."""

from datetime import date

from voltaun.core.learned.yield_step import YieldStep
from voltaun.core.rig.parts import SolarArray
from voltaun.core.rig.rig import Former


def day_words(day: date | str) -> str:
    """`20 Sep 2026`."""
    return f"{date.fromisoformat(day) if isinstance(day, str) else day:%-d %b %Y}"


def former_words(of: Former, figures: str) -> str:
    """A part that is over: `Roof, 4 × 330 W, until 19 Sep 2026`."""
    part = of.part
    name = getattr(part, "name", f"another {of.group}")
    since = f"from {day_words(part.from_day)} " if part.from_day else ""
    return f"{', '.join(filter(None, (name, figures)))}, {since}until {day_words(part.until_day)}"


def changed_words(names: tuple[str, ...]) -> str:
    """What came or went on a day, for the strip: `changed: Roof`."""
    return f"changed: {', '.join(names)}"


def panels_words(name: str, count: int, day: date) -> str:
    """`Roof: 2 panels more since 20 Sep 2026.`"""
    of = "panel" if abs(count) == 1 else "panels"
    return f"{name}: {abs(count)} {of} {'more' if count > 0 else 'fewer'} since {day_words(day)}."


def step_words(of: YieldStep) -> list[str]:
    """A step in what the sun brings that no part explains: what is seen, the question, and what is done until then."""
    often = "twice" if 1.8 <= of.ratio <= 2.2 else "half" if 0.45 <= of.ratio <= 0.55 else f"{of.ratio:.1f} times"
    asked = "Were panels added?" if of.ratio > 1 else "Were panels taken away, or does something shade them?"
    return [f"Since about {day_words(of.day)} the sun brings {often} as much as before.", asked,
            "Until you say, the days and years ahead count it as it is since then."]


def panels_guess(of: YieldStep, array: SolarArray) -> tuple[str, str]:
    """Which W of an array are asked for, and what they probably are: in whole panels where it has several."""
    before, since = of.factors
    watts = array.rated_w * (before if since == 1 else since)
    step = array.panel_w if array.panels > 1 else 10.0
    return ("W of panels before" if since == 1 else "W of panels now"), f"{max(1, round(watts / step)) * step:g}"


POINTS = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")


def facing_words(tilt_deg: float, azimuth_deg: float) -> str:
    """How it stands, in a few words: `flat`, `upright, facing north`, `30° from level, facing north-east`."""
    if tilt_deg < 1:
        return "flat"
    leans = "upright" if tilt_deg > 89 else f"{tilt_deg:.0f}° from level"
    off = (azimuth_deg + 22.5) % 45 - 22.5
    point = POINTS[round(azimuth_deg / 45) % 8]
    return f"{leans}, facing {point}" + (f" ({azimuth_deg:.0f}°)" if abs(off) >= 1 else "")
