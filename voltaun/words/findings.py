"""What a run of the bench found, in words: a headline, advice, and its figures each with a name."""

import math
from collections.abc import Callable
from typing import Any

from voltaun.core.bench.cells import Cells
from voltaun.core.bench.drawdown import Drawdown
from voltaun.core.bench.harvest import Harvested
from voltaun.core.bench.metering import DAY_HOURS, ENOUGH_HOURS, Labelled, Metered
from voltaun.core.bench.runs import Run
from voltaun.core.bench.trials import InverterFit, Tested
from voltaun.core.rig.rig import Rig
from voltaun.words.house_units import show_temperature
from voltaun.words.sentences import begin
from voltaun.words.units import show_duration, show_energy, show_percent, show_power, show_rough

TITLES = {"meter": "Meter run", "drawdown": "Drawdown trial", "capacity": "Capacity test",
          "inverter": "Inverter test", "harvest": "Harvest trial", "hydrometer": "Hydrometer", "label": "Label"}

WORTH_A_SWITCH = 0.1
"""An idle draw of so much of a thing's day is worth switching it off."""

WORTH_A_WORD = 0.03
"""An idle that takes no more of what a test gives is within the meter's doubt."""

Said = tuple[str, str, list[tuple[str, str]]]
"""A headline, advice or "", and figures by their names."""


def title(run: Run) -> str:
    """The instrument and what it is on."""
    of = {"capacity": "the bank", "inverter": "the inverter", "drawdown": "the usual set", "hydrometer": "the cells"}
    return f"{TITLES[run.instrument]}: {run.subject or of.get(run.instrument, '')}".removesuffix(": ")


def next_step(run: Run) -> str:
    """What to do next, while it says nothing yet."""
    return {"meter": "Read the counter again after a day, and once more after another; longer is surer.",
            "drawdown": "Let nothing charge, and read the level every half day or so.",
            "capacity": "Let the load run to the cut-off, and read the counters there.",
            "inverter": "Note both sides with nothing on, with a lamp and with a kettle; the wider apart, the better.",
            "harvest": "Read again when the source stops, and note its W now and then.",
            "hydrometer": "Read each cell in the same order, after hours of rest.",
            "label": "Its W and hours, its kWh a year, or Wh a day."}[run.instrument]


def said(finding: Any, run: Run, rig: Rig) -> Said:
    """What a run found."""
    return _OF[type(finding)](finding, run, rig)


def _give_or_take(sd: float) -> str:
    return f"give or take {sd * 100:.0f} %"


def _meter(found: Metered, run: Run, rig: Rig) -> Said:
    rows = [("Mean", f"{found.mean_w:.1f} W over {show_duration(found.hours)}"),
            ("Counted", show_energy(found.wh))]
    if len(found.spans) > 1:
        rows.append(("Between readings", ", ".join(f"{span.watts:.1f} W" for span in found.spans)))
    if found.duty:
        rows.append(("On", f"{show_percent(found.duty)} of the time, at about {show_power(found.running_w)}"))
    if found.peak_w is not None or found.low_w is not None:
        rows.append(("Seen", " and ".join(f"{word} {show_power(w)}" for word, w in
                                          (("peak", found.peak_w), ("low", found.low_w)) if w is not None)))
    advice = ""
    if found.daily_wh is None:
        return (f"{run.subject} took {show_energy(found.wh)} in {show_duration(found.hours)}: "
                f"{show_power(found.mean_w)}.", "How much of a day is that? Until it is said below, it counts nowhere.",
                rows)
    if found.hours < ENOUGH_HOURS and run.hours_a_day is not None:
        rows.append(("Taken as", "on all the time" if run.hours_a_day == DAY_HOURS else
                     f"{show_duration(run.hours_a_day)} a day"))
    if found.idle_wh:
        rows.append(("Idle", f"{show_energy(found.idle_wh)} a day while it does nothing, "
                             f"{show_energy(found.daily_wh - found.idle_wh)} for its use"))
        if found.idle_wh > WORTH_A_SWITCH * found.daily_wh:
            advice = f"Switched off between uses it takes about {show_rough(found.idle_wh)} less a day."
    if found.ambient_c is not None:
        rows.append(("Air", show_temperature(found.ambient_c)))
    return f"{run.subject} takes {show_energy(found.daily_wh)} a day, {_give_or_take(found.sd)}.", advice, rows


def _label(found: Labelled, run: Run, rig: Rig) -> Said:
    words = {"label": "The label says", "spot": "The watts measured say", "guess": "The guess is"}[found.evidence]
    rows = [("On", show_power(found.running_w))] if found.running_w else []
    return (f"{words} {show_energy(found.daily_wh)} a day, {_give_or_take(found.sd)}.",
            "Meter it for a day when you can; that is the best figure there is.", rows)


def _drawdown(found: Drawdown, run: Run, rig: Rig) -> Said:
    rows = [("Falls", f"{found.slope * 100:.3f} % an hour, {found.slope * 2400:.1f} % a day; "
                      f"{found.low * 100:.2f} to {found.high * 100:.2f} % an hour, 19 times in 20"),
            ("Leaves the bank", f"{found.watts:.1f} W, {show_energy(found.watts * 24)} a day")]
    ahead = floors(rig)
    rows += [(f"From {show_percent(found.last_soc)} to {word}", hours_words(found, floor)) for word, floor in ahead]
    word, floor = ahead[0]
    headline = (f"The bank falls {found.slope * 2400:.1f} % a day: {show_duration(round(found.hours_to(floor)[0]))} "
                f"from {show_percent(found.last_soc)} to {'' if word == 'empty' else 'the '}{word}.")
    advice = ""
    if found.load_wh_per_day is not None:
        rest = "standby and the inverter's idle" if run.side == "ac" else "standby"
        advice = f"{run.subject} itself takes about {show_rough(found.load_wh_per_day)} a day; the rest is {rest}."
    return headline, advice, rows


def floors(rig: Rig) -> list[tuple[str, float]]:
    """The levels that a bank falls to, by their words, the highest first; a floor of nothing is none."""
    listed = (("everyday floor", rig.bank.everyday_floor), ("hard floor", rig.bank.hard_floor))
    return [*(each for each in listed if each[1] > 0), ("empty", 0.0)]


def hours_words(found: Drawdown, floor: float, soc: float | None = None) -> str:
    """Hours from a level (the last one read) down to a floor, with their interval."""
    likely, low, high = found.hours_to(floor, soc)
    return f"{likely:.0f} h ({low:.0f} to {'ever' if math.isinf(high) else f'{high:.0f}'})"


def _capacity(found: Tested, run: Run, rig: Rig) -> Said:
    rows = [("Took", show_duration(found.hours))]
    counted = [text for text in (found.dc_wh is not None and f"{show_energy(found.dc_wh)} at the battery",
                                 found.ah is not None and f"{found.ah:g} Ah",
                                 found.ac_wh is not None and f"{show_energy(found.ac_wh)} behind the inverter") if text]
    rows.append(("Came out", ", ".join(counted)))
    if found.cut_off_volts is not None:
        rows.append(("Cut-off", f"{found.cut_off_volts:g} V"))
    if found.rated_ah and found.ah:
        share = found.ah / found.rated_ah
        rows.append(("Of the Ah printed", f"{found.ah:g} of {found.rated_ah:g} Ah, {share * 100:.0f} %"))
    if found.dc_wh and found.ah:
        rows.append(("Volts on the mean", f"{found.dc_wh / found.ah:.2f} V"))
    if found.blended is not None:
        idle = f", {found.efficiency * 100:.1f} % once its idle is taken off" if found.efficiency else ""
        rows.append(("Through the inverter", f"{found.blended * 100:.1f} % of it arrived{idle}"))
    if found.losses:
        words = {"idle": "the inverter's idle", "conversion": "its conversion", "unexplained": "not explained"}
        rows.append(("Where the rest went", ", ".join(f"{words[name]} {show_energy(wh)}" for name, wh in found.losses)))
    if found.disagreement is not None:
        rows.append(("Second meter", f"{found.disagreement * 100:+.2g} %".replace("-", "−")))
    share = found.share_of_rated
    side = " at its sockets" if found.given_wh != found.energy_wh else ""
    headline = (f"The bank gives {show_energy(found.given_wh)}{side}, {_give_or_take(found.sd)}: "
                f"{share * 100:.0f} % of what is printed.")
    if found.idle_wh > WORTH_A_WORD * found.given_wh:
        headline = (f"The bank gives {show_energy(found.given_wh)}{side}, and being on took about "
                    f"{show_rough(found.idle_wh)} meanwhile: together "
                    f"{share * (1 + found.idle_wh / found.given_wh) * 100:.0f} % of what is printed, "
                    f"{_give_or_take(found.sd)}.")
    return headline, "" if not found.partial else "A partial test: full to cut-off is surer.", rows


def _inverter(found: InverterFit, run: Run, rig: Rig) -> Said:
    rows = [("Idle", f"{found.idle_w:.1f} W, give or take {found.idle_sd_w:.1f}; "
                     f"{show_energy(found.idle_w * 24)} in a day of 24 hours on"),
            ("Efficiency", f"{found.efficiency * 100:.1f} %, give or take {found.efficiency_sd * 100:.1f}")]
    rows.append(("Off for eight hours a night", f"saves {show_energy(found.idle_w * 8)}"))
    small = 50 / (found.idle_w + 50 / found.efficiency)
    headline = f"It takes {found.idle_w:.0f} W with nothing on, and passes {found.efficiency * 100:.0f} % of the rest."
    return headline, f"At a load of 50 W only {small * 100:.0f} % of what leaves the battery arrives.", rows


def _harvest(found: Harvested, run: Run, rig: Rig) -> Said:
    rows = [("Mean", f"{show_power(found.mean_w)} over {show_duration(found.hours)}")]
    if found.peak_w is not None:
        rows.append(("Peak", show_power(found.peak_w)))
    if found.share_of_rated is not None:
        rows.append(("Of its rating", show_percent(found.share_of_rated)))
    if found.share_of_clear_sky is not None:
        rows.append(("Of a clear sky", show_percent(found.share_of_clear_sky)))
    if found.days_to_fill:
        sunny = found.share_of_clear_sky is not None
        fill = (f"{found.days_to_fill:.1f} days under such a sky" if sunny else
                f"{show_duration(found.days_to_fill * 24)} at that rate")
        usual = f", about {found.usual_days_to_fill:.1f} under a usual one" if found.usual_days_to_fill else ""
        rows.append(("Fills the bank from empty", f"{fill}{usual}"))
    daily_wh = found.daily_wh if found.share_of_clear_sky is not None else None
    day = "" if daily_wh is None else f"; such a day brings about {show_rough(daily_wh)}"
    return f"{begin(run.subject)} brought {show_energy(found.wh)} in {show_duration(found.hours)}{day}.", "", rows


def _cells(found: Cells, run: Run, rig: Rig) -> Said:
    low, high = found.gravities[found.weakest - 1], max(found.gravities)
    rows = [("Weakest", f"cell {found.weakest}, {low:.3f}"), ("Strongest", f"{high:.3f}"),
            ("Each", " ".join(f"{cell:.3f}" for cell in found.gravities))]
    if len(found.spreads) > 1:
        rows.append(("Apart", ", ".join(f"{spread:.3f} on {at.astimezone(rig.zone):%-d %b}"
                                        for at, spread in found.spreads)))
    return (f"The bank stands at about {show_percent(found.shown.soc)} by its weakest cell, number {found.weakest}; "
            f"the cells are {found.shown.spread:.3f} apart."), "", rows


_OF: dict[type, Callable[[Any, Run, Rig], Said]] = {
    Metered: _meter, Labelled: _label, Drawdown: _drawdown, Tested: _capacity, InverterFit: _inverter,
    Harvested: _harvest, Cells: _cells}
