"""What may be added, or done without buying, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from voltaun.words.sentences import added, begin, days, month, number
from voltaun.words.units import show_duration, show_percent

if TYPE_CHECKING:  # a page that says other things need not load these
    from voltaun.core.rig.rig import Rig
    from voltaun.core.sizing.candidates import Compared
    from voltaun.core.sizing.choices import Choice
    from voltaun.core.sizing.measures import Measure
    from voltaun.core.sizing.simulation import Additions, Spread

FEW, SOME = 10, 30
"""Days a year below the floor that are still few, and some; more are many."""

KINDS = {"leave_off": "leave loads off", "shift": "movable loads into the sun", "inverter": "inverter off for hours",
         "generator": "generator by a rule", "drive": "drive", "mains": "stand at a socket", "tilt": "tilt an array",
         "away": "months not lived in"}
"""Kinds of measures as they are chosen from."""


def measure(of: Measure) -> str:
    """What is done without buying: `an hour's drive with Ute every three days`."""
    names = " and ".join(filter(None, (", ".join(of.names[:-1]), *of.names[-1:])))
    if of.kind == "leave_off":
        told = f"leaving {names} off" + (f" below {show_percent(of.below)}" if of.below is not None else "")
    elif of.kind == "shift":
        told = f"running {names} in the sun"
    elif of.kind == "inverter":
        told = f"the inverter on for {show_duration(of.hours)} a day"
    elif of.kind == "generator":
        told = f"running {names} from {show_percent(of.below)} to {show_percent(of.until)}"
    elif of.kind == "drive":
        told = f"{'an hour’s' if of.hours == 1 else show_duration(of.hours)} drive with {names} {_every(of.every)}"
    elif of.kind == "mains":
        told = f"{show_duration(of.hours)} at {names} {_every(of.every)}"
    elif of.kind == "tilt":
        told = f"{names} tilted to {of.degrees:g}°"
    else:
        told = f"nobody there, {show_percent(of.share)} of the use left,"
    return told + _months(of.months)


def _every(count: int | None) -> str:
    return {1: "a day", 7: "once a week"}.get(count or 1, f"every {number(count or 1)} days")


def _months(months: tuple[int, ...]) -> str:
    """` from May to August`; nothing of a whole year."""
    if len(months) == 12:
        return ""
    first = next((of for of in sorted(months) if (of - 2) % 12 + 1 not in months), min(months))
    last = next((of for of in sorted(months) if of % 12 + 1 not in months), max(months))
    if [(first - 1 + n) % 12 + 1 for n in range(len(months))][-1] == last:
        return f" in {month(first)}" if first == last else f" from {month(first)} to {month(last)}"
    return " in " + ", ".join(map(month, sorted(months)))


def measures(of: Choice) -> str:
    """What an option does without buying."""
    return " and ".join(map(measure, of.measures))


def option(of: Choice, rig: Rig) -> str:
    """What an option adds or does: `two panels and one string`, `Charger with an hour's drive …`, `nothing`."""
    told = filter(None, (added(of.panels, of.strings, rig), " and ".join(of.bought), measures(of)))
    return " with ".join(told) or "nothing"


def short_days(of: Spread) -> str:
    """Days a year below the floor: `about 7 days in a usual year and 19 in a hard one`, `hardly a day …`."""
    usual, hard = round(of.p50), round(of.p90)
    told = f"about {usual} day{'s' if usual != 1 else ''}" if usual else "hardly a day"
    return f"{told} in a usual year and {hard or 'none'} in a hard one"


def how_short(of: Spread, most_days: float) -> str:
    """How many days a usual year has below the floor, in a word: `enough` where no more are wanted, few, some, many."""
    words = (("enough", most_days), ("few", FEW), ("some", SOME))
    return next((word for word, most in words if of.p50 <= most), "many")


def enough(found: Additions) -> str:
    """The answer in a sentence: the least that is enough, what it comes to, and what does as much without buying."""
    rig, most = found.ask.rig, f"{days(found.ask.most_days)} below your floor"
    here = found.outcomes[0].below
    if found.best is None:
        least = min((n for n, of in enumerate(found.choices) if not of.ruled_out),
                    key=lambda n: found.outcomes[n].below.p50)
        return (f"nothing that was looked at keeps a usual year within {most}; {option(found.choices[least], rig)} "
                f"comes nearest, {short_days(found.outcomes[least].below)}. As it stands: {short_days(here)}.")
    if found.best == 0:
        return f"nothing need be added for {most}: {short_days(here)}."
    of, came = found.choices[found.best], found.outcomes[found.best].below
    price = "" if not of.price else f", {of.price:g} by your list,"
    others = [measures(each) for n, each in enumerate(found.choices)
              if each.measures and n != found.best and found.outcomes[n].below.p50 <= found.ask.most_days]
    free = f" {begin(' or '.join(others))} would do as much without buying." if others else ""
    keeps = "keeps" if of.measures or of.panels + of.strings == 1 else "keep"
    return (f"{option(of, rig)}{price} {keeps} a usual year within {most}: {short_days(came)}. As it "
            f"stands: {short_days(here)}.{free}")


def unsure(found: Additions) -> str:
    """Between what the answer lies while seasons are not known, in a sentence; nothing where it is the same."""
    if found.between is None or found.between[0] == found.between[1]:
        return ""
    low, high = ("more than was looked at" if n is None else "nothing" if n == 0 else
                 option(found.choices[n], found.ask.rig) for n in found.between)
    return f"It may be {low}, or {high}: what nobody knows of {found.guesses[-1]} decides."


def as_much(found: Additions) -> list[str]:
    """What does as much without buying as what is bought, a sentence for each."""
    told = []
    panels = [(of.panels, came.below.p50) for of, came in zip(found.choices, found.outcomes, strict=True)
              if not of.measures and not of.strings and not of.bought]
    for of, came in zip(found.choices, found.outcomes, strict=True):
        if not of.measures or of.bought:
            continue
        count, below = min(panels, key=lambda each: abs(each[1] - came.below.p50))
        more = f"{number(count)} panel{'s' if count > 1 else ''} more"
        if came.below.p50 > panels[0][1] + 0.5:
            like = "makes it worse"
        elif not count:
            like = "does less than one panel more"
        elif count == panels[-1][0] and came.below.p50 < below - 1:
            like = f"does more than {more}"
        else:
            like = f"does about what {more} would"
        fuel = f", for {of.fuel_price:.0f} of fuel in ten years" if of.fuel_price >= 1 else ""
        told.append(f"{begin(measures(of))} {like}: {short_days(came.below)}{fuel}.")
    return told


def unknown(found: Additions) -> list[str]:
    """What the answer does not know, a sentence each."""
    told = [unsure(found)] if unsure(found) else []
    if found.guesses:
        seasons = " and ".join(filter(None, (", ".join(found.guesses[:-1]), found.guesses[-1])))
        told.append(f"Of {seasons} nothing is known: a word on it below, or a weather file, would narrow this most.")
    if "file" not in found.sources:
        told.append("The years are drawn from what is logged and told; a weather file of the place would show spells "
                    "that the log has not seen.")
    if not found.ask.offer.products:
        told.append("No price list is kept, so panels and strings are weighed by their number.")
    return told


_SHARPENS = {
    "use": "how much is used: meter the largest loads on Bench, and log what is used",
    "capacity": "what the bank really holds: a capacity test on Bench",
    "draw": "a draw that nobody has found: leave all off for a night and read the level twice"}


def sharpen(found: Additions) -> str:
    """What would sharpen the answer most, in a sentence; nothing where nothing that is not known moves it."""
    told = [_SHARPENS.get(name) or f"the sky in {name}: a word on that season below, or a weather file of the place"
            for name in found.sharpen[:2]]
    if not told:
        return ""
    then = f" Then {told[1]}." if len(told) > 1 else ""
    return f"Of what is not known this moves it most: {told[0]}.{then}"


_NOT_RUN = {"panel": "another panel is added here; choose it in the question to see it",
            "battery": "it is not your bank’s own unit; put it side by side with others before buying",
            "load": "no load of the rig is named like it and takes more; name the load under “for”",
            "charger": "no driving and no generator is looked at that it would charge from",
            "controller": "the panels that are added do not share a controller with a limit"}


def not_run(told: list[tuple[str, str]]) -> list[str]:
    """Products that nothing was run with, and why, a sentence each."""
    return [f"{name} was not run: {_NOT_RUN[kind]}." for name, kind in told]


def lasts(hours: float) -> str:
    """How long something runs: `9 h 40`, `2 days 5 h`; what nothing drains runs on and on."""
    return "on and on" if hours == float("inf") else show_duration(hours)


def fills(days_: float) -> str:
    """How many days of sun it takes: `2.5 days`; `never` without sun."""
    return "never" if days_ == float("inf") else f"{days_:.1f} days"


def beside(compared: list[Compared], short: list[Spread | None]) -> str:
    """Which of the candidates comes out best, in a sentence; what each cannot do comes before any figure."""
    able = [n for n, of in enumerate(compared) if not of.cannot]
    if not compared:
        return "Put what you think of buying side by side, by what its label says."
    if not able:
        return "None of these does all that your loads ask: see what each cannot do."
    told = [(of, n) for n in able if (of := short[n]) is not None]
    if len(told) == len(able):
        fewest, best = min(told, key=lambda each: each[0].p50)
        return (f"{compared[best].candidate.name} leaves the fewest days below your floor, {short_days(fewest)}, of "
                "those that run all your loads.")
    longest = max((compared[n] for n in able), key=lambda of: of.hours)
    return (f"{longest.candidate.name} runs your usual things longest, {lasts(longest.hours)}, of those that run all "
            "your loads.")
