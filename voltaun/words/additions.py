"""What may be added, or done without buying, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from voltaun.core.sizing import FUEL_YEARS
from voltaun.words.house_units import fuel_word, in_fuel
from voltaun.words.reasons import say
from voltaun.words.sentences import added, begin, counted, days, month, number, range_of
from voltaun.words.units import show_duration, show_number, show_percent, show_rough

if TYPE_CHECKING:  # a page that says other things need not load these
    from voltaun.core.reasons import Reason
    from voltaun.core.rig.rig import Rig
    from voltaun.core.sizing.candidates import Compared, OfLoad
    from voltaun.core.sizing.choices import Choice
    from voltaun.core.sizing.measures import Measure
    from voltaun.core.sizing.simulation import Additions, Outcome, Spread

FEW, SOME = 10, 30
"""Days a year below the floor that are still few, and some; more are many."""

KINDS = {"leave_off": "do without loads", "shift": "movable loads into the sun", "inverter": "inverter off for hours",
         "generator": "generator by a rule", "drive": "drive", "mains": "stand at a socket", "tilt": "tilt an array",
         "away": "months not lived in"}
"""Kinds of measures as they are chosen from."""


def measure(of: Measure) -> str:
    """What is done without buying: `an hour's drive with Ute every three days`."""
    names = " and ".join(filter(None, (", ".join(of.names[:-1]), *of.names[-1:])))
    if of.kind == "leave_off":
        told = f"doing without {names}" + (f" below {show_percent(of.below)}" if of.below is not None else "")
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
    """What an option adds or does: `two panels and one string`, `4 × Roof panel` by the price list, `Charger with an
    hour's drive …`, `as it is now`."""
    listed = next((f"{count} × {product.name}" for count, product in of.parts
                   if product.kind == "panel" and count == of.panels), "")
    more = " and ".join(filter(None, (listed or added(of.panels, 0, rig), added(0, of.strings, rig))))
    told = filter(None, (more, beside_of(of), " and ".join(of.bought), measures(of)))
    return " with ".join(told) or "as it is now"


def beside_of(of: Choice) -> str:
    """The panels at the second spot: `3 × Light panel on the other plane`; nothing without any."""
    if not of.second:
        return ""
    plain = f"{number(of.second)} panel{'s' if of.second > 1 else ''}"
    return f"{f'{of.second} × {of.second_panel}' if of.second_panel else plain} on the other plane"


def short_days(of: Spread) -> str:
    """Days a year below the floor: `about 7 days in a usual year and 19 in a hard one`, `hardly a day …`."""
    usual, hard = round(of.p50), round(of.p90)
    told = f"about {usual} day{'s' if usual != 1 else ''}" if usual else "hardly a day"
    return f"{told} in a usual year and {hard or 'none'} in a hard one"


def how_short(of: Spread, most_days: float) -> str:
    """How many days a usual year has below the floor, in a word: `enough` where no more are wanted, few, some, many."""
    words = (("enough", most_days), ("few", FEW), ("some", SOME))
    return next((word for word, most in words if of.p50 <= most), "many")


def short(of: Spread, word: str = "") -> str:
    """`2 days in a usual year, 6 in a hard one`; with a word, such as `short`, behind the first figure."""
    return (f"{counted(round(of.p50), 'day')}{f' {word}' if word else ''} in a usual year, "
            f"{round(of.p90) or 'none'} in a hard one")


def answer(found: Additions) -> list[str]:
    """The answer: how short the rig is, the least to buy that is enough, and what does as much without buying."""
    here, most = found.outcomes[0].below, found.ask.most_days
    if found.best == 0:
        if found.guesses and here.p90 > most:
            between = f"{round(here.p10)} to {round(here.p90)} days short a year"
            return [f"What you have may be enough: {between}{_by_so_little(found)}.", *unsure(found)]
        return [f"What you have is enough: {short(here, 'short')}{_by_so_little(found)}."]
    return [f"Today’s rig is short {short(here)}{_by_so_little(found)}.", _buying(found), *_without_buying(found),
            *unsure(found)]


LITTLE_LOGGED = 30
"""With fewer days of sun in the log the answer says how few."""


def _by_so_little(found: Additions) -> str:
    """On how few days the answer rests; nothing where the log has many, or nothing."""
    logged = len(found.ask.known.skies)
    return f", by {days(logged)} of your log and the usual skies" if 0 < logged < LITTLE_LOGGED else ""


def _buying(found: Additions) -> str:
    """The least to buy that is enough, or what comes nearest."""
    rig, bought = found.ask.rig, [n for n, of in enumerate(found.choices) if not of.measures and not of.ruled_out]
    able = [n for n in bought if found.outcomes[n].below.p50 <= found.ask.most_days]
    if able:
        n = found.best if found.best in able else min(able, key=lambda n: _cost(found.choices[n]))
        of, came = found.choices[n], found.outcomes[n].below
        price = f", {show_number(of.price)}" if of.price else ""
        fuel = f" with {FUEL_YEARS} years of fuel" if of.price and of.generator and of.fuel_price >= 1 else ""
        return f"Buying: {option(of, rig)}{price}{fuel}{runs(found, n)}. That leaves {short(came)}."
    if len(bought) < 2:
        return "Buying: nothing fits your limits."
    nearest = min(bought, key=lambda n: (round(found.outcomes[n].below.p50 + found.outcomes[n].below.p90),
                                         _cost(found.choices[n])))
    came = found.outcomes[nearest].below
    what = option(found.choices[nearest], rig)
    return f"Buying: nothing that was looked at is enough. Nearest: {what}{runs(found, nearest)}, {short(came)}."


def _cost(of: Choice) -> tuple[float, int]:
    return (float("inf") if of.price is None else of.price, of.things)


def _without_buying(found: Additions) -> list[str]:
    """What does most without buying, with the hours and litres that it takes in a usual year; nothing where nothing
    helps."""
    def below(n: int) -> Spread:
        return found.outcomes[n].below
    free = [n for n, of in enumerate(found.choices) if of.measures and not of.things
            and not of.ruled_out and below(n).p50 < below(0).p50 - 0.5]
    if not free:
        return []
    able = [n for n in free if below(n).p50 <= found.ask.most_days]
    n = min(able or free, key=lambda n: (0.0 if able else below(n).p50, found.outcomes[n].generator_h.p50,
                                         below(n).p50))
    of, came = found.choices[n], found.outcomes[n]
    return [f"Not buying: {measures(of)}{runs(found, n)}. That leaves {short(came.below)}."]


def runs(found: Additions, n: int) -> str:
    """What an option's generator takes a year: `, about 430 h and 300 litres a year`; nothing where none runs."""
    from voltaun.core.sizing.choices import run_by_rule
    hours, set_ = found.outcomes[n].generator_h.p50, run_by_rule(found.ask.rig, found.choices[n])
    if hours < 1:
        return ""
    burns = set_.fuel_l_per_hour if set_ else None
    fuel = f" and {_round(in_fuel(hours * burns))} {fuel_word()}" if burns else ""
    return f", about {_round(hours)} h{fuel} a year"


def also_runs(found: Additions, of: Choice) -> list[str]:
    """What an option's inverter starts and runs beyond today's, in a sentence; none where that is nothing."""
    from voltaun.core.sizing.choices import newly_run
    names = newly_run(found.ask.rig, found.ask.offer.products, of)
    return [f"It starts and runs {' and '.join(names)}, which today’s inverter does not."] if names else []


def on_own_planes(found: Additions, of: Choice) -> list[str]:
    """What panels on a plane of their own need; nothing where an option has none there."""
    watts = (of.lane.added_w, of.lane.beside_w)
    own = any(w and spot.own is not None for w, spot in zip(watts, found.ask.offer.aims.spots, strict=False))
    return ["On a plane of their own they need a controller of their own."] if own else []


def _round(value: float) -> str:
    """Two figures of it, as one would say it."""
    return show_number(float(f"{value:.2g}"))


def unsure(found: Additions) -> list[str]:
    """Between what the answer lies while seasons are not known, in a sentence; nothing where it is the same."""
    if not found.guesses or found.between is None or found.between[0] == found.between[1]:
        return []
    low, high = ("more than was looked at" if n is None else "what you have" if n == 0 else
                 option(found.choices[n], found.ask.rig) for n in found.between)
    from voltaun.core.sizing.years import SEASONS
    seasons = " and ".join(filter(None, (", ".join(found.guesses[:-1]), found.guesses[-1])))
    if len(found.guesses) == len(SEASONS):
        seasons = "weather through the year"
    verb = "are" if 1 < len(found.guesses) < len(SEASONS) else "is"
    return [f"{begin(low)} may do, or {high} may be needed.",
            f"Your {seasons} {verb} not in the log yet."]


def away(found: Additions) -> str:
    """The weeks in which nobody was there by the log; nothing without any."""
    if not found.away:
        return ""
    spans = " and ".join(f"from {of.first:%-d %b} to {of.last:%-d %b}" for of in found.away[-3:])
    return f"By the log nobody was there {spans}. Each year is reckoned with that."


LITTLE_SPILT_WH = 1000.0
"""Less sun than this a year is hardly any."""


def came_of(of: Choice, came: Outcome, litres_per_hour: float | None) -> list[str]:
    """What an option costs and what comes of it, in sentences."""
    told = [begin(short_days(came.below)) + "."]
    burns = bool(of.price) and of.fuel_price >= 1
    bought = (of.price or 0.0) - of.fuel_price >= 1
    has = [f"{show_number(of.price)} by your list" if of.price and bought else "",
           f"{show_number(of.fuel_price)}{' of it' if bought else ''} for fuel in ten years" if burns else "",
           f"{of.weight_kg:g} kg" if of.weight_kg else "", f"{of.roof_m2:.1f} m²" if of.roof_m2 else ""]
    if any(has):
        told.append(f"{begin(', '.join(filter(None, has)))}.")
    if of.cost_a_year:
        told.append(f"That is about {show_number(of.cost_a_year)} a year over the life of such things, a guess.")
    if came.unserved_wh.p50 > UNSERVED_WH:
        told.append(f"In a usual year {show_rough(came.unserved_wh.p50)} would go unserved.")
    told.append(f"About {show_rough(came.spilt_wh.p50)} of sun would be spilt." if came.spilt_wh.p50 >= LITTLE_SPILT_WH
                else "Hardly any sun would be spilt.")
    if came.generator_h.p50 > 1:
        low, high = came.generator_h.p10, came.generator_h.p90
        per_hour = in_fuel(litres_per_hour) if litres_per_hour else 0.0
        fuel = range_of(low * per_hour, high * per_hour, lambda of: f"{of:.0f} {fuel_word()}")
        hours = range_of(low, high, lambda of: f"{of:.0f} h")
        told.append(f"The generator would run {hours} a year{f', {fuel}' if per_hour else ''}.")
    if came.longest.p90 >= 2:
        told.append(f"In a hard year the longest run of days below is {came.longest.p90:.0f}.")
    return told


UNSERVED_WH = 50.0
"""Less than this in a year is not spoken of."""


def ruled_out(why: Reason) -> str:
    """Why an option cannot be had, in a sentence."""
    return f"Ruled out: {say(why)}."


def as_recorded(found: Additions, n: int) -> str:
    """The weather files as they stand with an option, in a sentence."""
    below = found.recorded[n].below if found.recorded else 0.0
    return f"The weather files as they stand: {below:.0f} days a year below."


_FROM = {"log": "your log", "habit": "your word on the seasons", "file": "weather files"}


def weather_from(sources: tuple[str, ...]) -> str:
    """What the years were made from, in a sentence."""
    return f"From {' and '.join(_FROM[of] for of in sources) or 'the usual skies'}. An estimate, not a promise."


def as_much(found: Additions) -> list[str]:
    """What does as much without buying as what is bought, a sentence for each."""
    told = []
    panels = [(of.panels, came.below.p50) for of, came in zip(found.choices, found.outcomes, strict=True)
              if of.of_field and not of.strings]
    for of, came in zip(found.choices, found.outcomes, strict=True):
        if not of.measures or of.bought:
            continue
        count, below = min(panels, key=lambda each: abs(each[1] - came.below.p50))
        more = f"{number(count)} more panel{'s' if count > 1 else ''}"
        if came.below.p50 > panels[0][1] + 0.5:
            like = "makes it worse"
        elif not count:
            like = "brings less than one more panel"
        elif count == panels[-1][0] and came.below.p50 < below - 1:
            like = f"brings more than {more}"
        else:
            like = f"brings about as much as {more}"
        fuel = f", for {show_number(of.fuel_price)} of fuel in ten years" if of.fuel_price >= 1 else ""
        told.append(f"{begin(measures(of))} {like}{fuel}. That leaves {short_days(came.below)}.")
    return told


def again(found: Additions, n: int) -> str:
    """The log's own days with an option in place, in a sentence; nothing where they are not run again."""
    if found.again is None or not n:
        return ""
    first, of = found.again[0], found.again[n]
    filled = f", {first.bridged} of them filled in" if first.bridged else ""
    was, came = round(first.below), round(of.below)
    told = f"{came or 'none'} below your floor" + (", as before" if was == came else f" instead of {was}")
    return f"Your log’s {first.days} days in a row again{filled}: {told}."


def unknown(found: Additions) -> list[str]:
    """What the answer does not know, a sentence each."""
    told = []
    if found.guesses:
        told.append("What the log has not seen is a guess. Your word on it, under The question, or a weather "
                    "file narrows it.")
    elif "file" not in found.sources:
        told.append("A weather file of the place would show spells that the log has not seen.")
    if not found.ask.offer.products:
        told.append("No price list is kept, so panels and strings are weighed by their number.")
    return told


_SHARPENS = {
    "use": "how much is used: meter the largest loads on Bench, and log what is used",
    "capacity": "what the bank really holds: a capacity test on Bench",
    "draw": "a draw that nobody has found: leave all off for a night and read the level twice"}


def sharpen(found: Additions) -> str:
    """What would sharpen the answer most, in a sentence; nothing where nothing that is not known moves it."""
    told = [_SHARPENS.get(name) or f"the sky in {name}: " + (
        "a weather file of the place" if name in found.ask.habits else
        "your word on it under The question, or a weather file") for name in found.sharpen[:2]]
    if not told:
        return ""
    then = f" Then {told[1]}." if len(told) > 1 else ""
    return f"Of what is not known this moves it most: {told[0]}.{then}"


_NOT_RUN = {"panel": "another panel is added here; choose it in the question to see it",
            "battery": "no strings more are looked at; allow some in the question",
            "load": "no load of the rig is named like it and takes more; name the load that it replaces",
            "charger": "no driving and no generator is looked at that it would charge from",
            "controller": "the panels that are added do not share a controller with a limit"}


def not_run(told: list[tuple[str, str]]) -> list[str]:
    """Products that nothing was run with, and why, a sentence each."""
    return [f"{name} was not run: {_NOT_RUN[kind]}." for name, kind in told]


def lasts(hours: float) -> str:
    """How long something runs: `9 h 40`, `2 days 5 h`; what nothing drains runs on and on."""
    return "on and on" if hours == float("inf") else show_duration(hours)


def of_load(of: OfLoad) -> str:
    """What a candidate is to one load: `4 h, 19 h`, or why it does not do it."""
    if of.cannot is not None:
        return f"no: {say(of.cannot).partition(': ')[2] or say(of.cannot)}"
    return f"{lasts(of.on_h)}, {lasts(of.usual_h)}" if of.on_h is not None else lasts(of.usual_h)


def once_empty(of: Compared) -> str:
    """What its sockets do after it was empty."""
    return "its sockets stay off until you switch them on" if of.rig.bank.is_station else "it goes on once there is sun"


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
        if fewest.p50 > SOME:
            return (f"None of these is enough: even with {compared[best].candidate.name}, the best of them, "
                    f"{short_days(fewest)} are below your floor.")
        return (f"{compared[best].candidate.name} leaves the fewest days below your floor, {short_days(fewest)}, of "
                "those that run all your loads.")
    longest = max((compared[n] for n in able), key=lambda of: of.hours)
    return (f"{longest.candidate.name} runs your usual things longest, {lasts(longest.hours)}, of those that run all "
            "your loads.")
