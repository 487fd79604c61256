"""What the core tells by a code, said in sentences."""

from collections.abc import Callable
from typing import Any

from voltaun.core.log.ledger import Interval
from voltaun.core.reasons import Reason
from voltaun.core.rig.limits import Limit
from voltaun.core.rig.parts import CHEMISTRIES
from voltaun.words import cautions
from voltaun.words.house_units import customary, show_temperature
from voltaun.words.units import show_duration, show_energy, show_number, show_percent, show_power

_FIGURES = {"soc_before": "the level before", "soc": "the level", "solar_wh": "the sun", "use_wh": "the use",
            "move": "how far the level really moved"}


def _takes(takes_w: float, takes_a: float | None) -> str:
    return f"{show_power(takes_w)} ({takes_a:.0f} A)" if takes_a else show_power(takes_w)


def _others_wh(wh: float) -> str:
    return f", less {show_energy(wh)} from other sources" if wh else ""


def _money(of: float) -> str:
    """With its hundredths only where it has some: rounded, what is too dear would cost no more than there is."""
    return show_number(of, 2 if of % 1 else 0)


def _share(of: float) -> str:
    """A share that may be far from what it should be."""
    return "less than 1 %" if of < 0.01 else show_percent(of)


SAYINGS: dict[str, Callable[..., str]] = {
    # Why there is no outlook
    "no_level": lambda: "There is no reading of the level yet.",
    "level_too_old": lambda days: (f"The last reading of the level is {days} days old. It no longer tells where the "
                                   "bank stands."),
    "no_use": lambda: "Nothing is known of the use yet: neither the log nor a list of loads tells it.",
    # How a figure of the log was reckoned, or why not
    "how_from_volts": lambda: "from volts at rest, which is good to ten points",
    "how_dark": lambda: "the sun was down all the time",
    "how_little_sun": lambda clear_wh: f"the sun was hardly up: between nothing and {show_energy(clear_wh)}",
    "how_hours": lambda hours, watts: f"{show_duration(hours)} × {show_power(watts)}",
    "how_ac": lambda use_wh, efficiency, idle_w: (f"{show_energy(use_wh)} on the AC side ÷ {efficiency:g}, and "
                                                  f"{show_power(idle_w)} idle"),
    "how_use": lambda stored_wh, harvest_wh, standby_wh: (
        f"from the level's change of {show_energy(stored_wh)} and a harvest of {show_energy(harvest_wh)}, less "
        f"{show_energy(standby_wh)} standby"),
    "how_level": lambda harvest_wh, use_wh: (f"from the level before, a harvest of {show_energy(harvest_wh)} and a use "
                                             f"of {show_energy(use_wh)}"),
    "how_harvest": lambda stored_wh, use_wh, others_wh: (
        f"from the level's change of {show_energy(stored_wh)} and a use of {show_energy(use_wh)}"
        + _others_wh(others_wh)),
    "beyond_clear_sky": lambda: "beyond reckoning: the level's rise is more than a clear sky could bring",
    "rose_beyond_harvest": lambda: "beyond reckoning: the level rose by more than came in",
    "others_missing": lambda others: (f"beyond reckoning: {' and '.join(_FIGURES[each] for each in others)} is not "
                                      "known either"),
    # Runs on the bench
    "counter_fell": lambda found, before: f"found {found:g} after {before:g}, expected a counter that rises",
    "wh_fell": lambda found, before: f"found {found:g} Wh after {before:g} Wh, expected a counter that rises",
    "run_minutes_fell": lambda: "found run minutes that fall, expected a counter that rises",
    "at_one_instant": lambda: "found two readings at one instant, expected some time between them",
    "too_few_readings": lambda there, needed: (
        f"There is {('no reading', 'one reading')[there]} yet; a figure needs {'two' if needed == 2 else needed}."
        if there < 2 else f"There are {there} readings yet; a figure needs {needed}."),
    # Meter runs and labels
    "counter_read_once": lambda: ("The counter was read once since the start or the reset; a figure needs two readings "
                                  "of it."),
    "run_time_too_long": lambda run_hours, hours: (f"found {show_duration(run_hours)} of run time in "
                                                   f"{show_duration(hours)}, expected no more than the time that "
                                                   "passed"),
    "less_than_a_day": lambda hours: (f"{show_duration(hours)} is less than a day: it may miss a defrost or a night, "
                                      "so it counts as a spot measurement."),
    "metered_warm": lambda: ("It was started warm: the first day or two take more than a usual one, so the figure is "
                             "likely high."),
    "counter_reset": lambda times: (
        "The counter was reset once; the time across the reset is left out." if times == 1 else
        f"The counter was reset {times} times; the times across the resets are left out."),
    "peak_over_surge": lambda peak_w, surge_w: (f"Its start of {show_power(peak_w)} is more than the inverter bears, "
                                                f"{show_power(surge_w)}."),
    "low_above_mean": lambda low_w, mean_w: (
        f"The least that was noted, {show_power(low_w)}, is above the mean of {show_power(mean_w)}: at times it took "
        "less."),
    "next_to_nothing": lambda wh: f"that would be {show_energy(wh)} a day, next to nothing",
    "more_than_it_can": lambda watts, most: (f"that would be {show_power(watts)} day and night for a thing that takes "
                                             f"{show_power(most)} while it is on"),
    "as_much_as_houses": lambda wh: f"that would be {show_energy(wh)} a day, as much as several houses take",
    "tested_beyond_belief": lambda wh, share: (f"that would be {show_energy(wh)}, {_share(share)} of what is printed"),
    "harvest_beyond_belief": lambda watts, share: (f"that would be {watts:.2g} W on the mean, {_share(share)} of what "
                                                   "it is rated at"),
    "labels_overstate": lambda: "Labels overstate what cycling things take, often by several times.",
    "label_says_too_little": lambda: ("Found too little, expected its W and the hours a day it is on, its kWh a year, "
                                      "or Wh a day."),
    # Figures of the rig that are hardly meant
    "odd_unit_volts": lambda volts: f"{volts:g} V in one battery? Write one battery, and how many stand in series.",
    "odd_unit_ah": lambda ah: f"{ah:g} Ah in one battery? Write one battery, and how many stand in parallel.",
    "odd_floor": lambda floor: f"Down to {show_percent(floor)} every day? Few banks bear that.",
    "odd_standby": lambda watts, wh: f"{watts:g} W all day are {show_energy(wh)}, much for a bank of this size.",
    "odd_idle": lambda watts, wh: f"{watts:g} W idle are {show_energy(wh)} a day. Is that with nothing on?",
    "odd_panel": lambda watts: f"{watts:g} W in one panel? Write one panel, and how many there are.",
    "odd_facing": lambda degrees, sunny: (f"It faces away from the sun. There {sunny:g} is towards it; "
                                          "0 is north, 180 south."),
    "odd_daily": lambda wh, most: f"More than its W make in 24 hours, {show_energy(most)}.",
    "odd_bank": lambda wh: f"That is a bank of {show_energy(wh)}. Is it in another unit?",
    "odd_efficiency": lambda share: f"{show_percent(share)} of what goes in comes out? Mostly it is 80 to 95 %.",
    "odd_inverter": lambda watts: f"{show_power(watts)} would empty this bank within minutes. Is it in W?",
    "odd_charger": lambda watts: f"{show_power(watts)} would fill this bank within minutes. Is it in W?",
    "odd_small_panel": lambda watts: f"{watts:g} W in one panel? It is small for a bank of such volts.",
    "odd_much": lambda wh: f"{show_energy(wh)} a day are several full banks. Is it in Wh?",
    "odd_little": lambda wh, watts: f"{wh:g} Wh a day are seconds at {watts:g} W. Is it in kWh?",
    "odd_latitude": lambda degrees: "The time zone lies on the other side of the equator. South is negative.",
    "odd_longitude": lambda degrees: "The time zone lies far from there. West is negative.",
    # The hydrometer
    "no_cells_to_open": lambda: "Only the cells of a flooded lead bank can be opened; this bank is none.",
    "no_cell_read": lambda: "No cell is read yet.",
    "other_number_of_cells": lambda found, before: f"found {found} cells, expected {before} as before",
    "cell_stays_behind": lambda cell: (
        f"Cell {cell} was the weakest each time, and they have come further apart: equalise as the bank's maker says, "
        "and if it stays behind it is going."),
    "cells_apart": lambda cell, spread: (
        f"The cells are {spread:.3f} apart, more than 0.030: equalise as the bank's maker says, then see whether cell "
        f"{cell} comes up."),
    "acid_taken_as": lambda temp_c: (f"The acid is taken to be at {show_temperature(temp_c)}; each "
                                      f"{'11 °F' if customary() else '6 °C'} colder takes off 0.004."),
    "cells_at_rest": lambda: "It shows the level only after hours of rest and once fresh water has mixed in.",

    # Drawdown trials
    "level_rose": lambda found, before: (f"found {show_percent(found)} after {show_percent(before)}, expected a level "
                                         "that falls: something charged, or the display set itself right"),
    "level_read_too_seldom": lambda times: (f"The level was read {('never', 'once', 'twice')[times]}; a slope with its "
                                            "uncertainty needs three readings."),
    "too_little_is_left": lambda: ("Too little is left beside what is left out: a slope needs three readings in a row, "
                                   "or two stretches of two."),
    "level_not_fallen": lambda: "The level has not fallen yet.",
    "drawn_down_warm": lambda: "It was started warm: leave out the first hours, which are steeper than the rest.",
    "counted_percent": lambda wh, tested: (
        f"A counted percent is relative to the capacity set in the shunt: the watts lean on {show_energy(wh)}, "
        f"{'as tested' if tested else 'which no test has shown'}."),
    "percent_from_volts": lambda: ("A percent from volts is good to ten points, and only at rest: take the slope as "
                                   "rough."),
    "fell_little": lambda: "The level fell by less than ten points; the longer it runs, the surer the slope.",
    # Capacity tests
    "more_ac_than_dc": lambda ac_wh, dc_wh: (f"found {show_energy(ac_wh)} behind the inverter from "
                                             f"{show_energy(dc_wh)} at the battery, expected less"),
    "level_beside_left_out": lambda: ("A stretch is left out: note the level on either side of it, or nobody knows "
                                      "what it took."),
    "idle_of_two": lambda watts, fast_h, fast_wh, slow_h, slow_wh: (
        f"Emptied in {show_duration(fast_h)} it gave {show_energy(fast_wh)}, in {show_duration(slow_h)} "
        f"{show_energy(slow_wh)}: the {show_energy(fast_wh - slow_wh)} between them are what being on takes, "
        f"{watts:.0f} W."),
    "nothing_counted": lambda: ("Nothing was counted yet: note the Wh or Ah at the battery, or the Wh behind the "
                                "inverter."),
    "test_still_runs": lambda: ("The test is still running: note the level for a figure so far, or say when the "
                                "cut-off came."),
    "fell_too_little": lambda: "The level has fallen by less than five points; that tells nothing of the whole.",
    "began_below_full": lambda soc: (f"It began at {show_percent(soc)}, not full; the figure is stretched to the whole "
                                     "bank."),
    "stopped_early": lambda soc, divided_by: (f"Partial: it stopped at {show_percent(soc)}, so what came out is "
                                              f"divided by {divided_by:.2f} and leans on the display's percent."),
    "percent_left_at_cut_off": lambda soc: (f"The display still said {show_percent(soc)} at the cut-off. A counted "
                                            "percent shows lost capacity only at its ends."),
    "from_ah": lambda: "From Ah at the nominal volts; a meter of Wh is surer.",
    "from_ac": lambda: "From the AC side through the inverter's own figures; a meter at the battery is surer.",
    "tested_cold": lambda temp_c, share: (
        f"At {show_temperature(temp_c)} the bank gives {show_percent(share)} of what it has at {show_temperature(25)}; "
        f"the figure is the one at {show_temperature(25)}."),
    "meters_apart": lambda share: f"The two meters are {share * 100:.1f} % apart; half of that is in the doubt.",
    "idle_too_high": lambda: ("With the inverter's idle as it stands in Rig the efficiency would pass 100 %: that idle "
                              "is too high."),
    # Inverter tests
    "more_ac_w_than_dc": lambda ac_w, dc_w: f"found {ac_w:g} W of AC from {dc_w:g} W of DC, expected less AC than DC",
    "pairs_too_near": lambda: ("A line needs pairs at two loads at least 20 W apart; with nothing plugged in is one of "
                               "them."),
    "slope_cannot_be": lambda dc_per_ac: (f"found {dc_per_ac:.2f} W of DC for each W of AC, expected 1 to 3: one of "
                                          "the pairs is misread"),
    "idle_cannot_be": lambda idle_w: (f"found an idle of {idle_w:.0f} W, expected none or more: one of the pairs is "
                                      "misread"),
    "two_pairs": lambda: "From two pairs there is no telling how well they fit; a third shows it.",
    # Harvest trials
    "nothing_came_in": lambda: "Note the Wh that came in, or the level, at two times.",
    "level_fell": lambda found, before: (f"found {show_percent(found)} after {show_percent(before)}, expected a level "
                                         "that rises while it charges"),
    "from_the_level": lambda: ("From the level: what was used meanwhile is missing from it. It leans on the bank's "
                               "energy."),
    "from_glimpses": lambda: ("From the watts you saw: each stands for the time until the next, and what came between "
                              "is missed. The level or a counter is surer."),
    "glimpses_apart": lambda seen_w, mean_w, basis: (
        f"The watts you saw make {show_power(seen_w)}, the {basis} {show_power(mean_w)}. A glimpse misses the time "
        f"between; the {basis} counts."),
    "day_like_the_trial": lambda: ("The whole day is taken to be like the hours of the trial: the same share of a "
                                   "clear sky."),
    "taper": lambda: ("Above the taper the bank takes less and less; a mean over the last tenth says little of the "
                      "rest."),
    # What rules an addition out
    "over_budget": lambda value, most: f"it costs {_money(value)}, and {_money(most)} may be spent",
    "over_weight": lambda value, most: f"it weighs {value:g} kg, and {most:g} kg may be carried",
    "over_roof": lambda value, most: f"it covers {value:.1f} m², and there are {most:.1f} m²",
    "controller_passes": lambda value, most: (f"{show_power(value)} of panels on a controller that passes "
                                              f"{show_power(most)}: it wants a bigger one"),
    "input_takes": lambda value, most: f"{show_power(value)} of panels on an input that takes {show_power(most)}",
    "bank_hardly_takes": lambda value, most: (f"{show_power(value)} of panels for a bank that takes {show_power(most)} "
                                              "at the most: much of it would be spilt"),
    # What a candidate cannot do
    "no_inverter_for": lambda name: f"has no inverter for {name}",
    "does_not_run": lambda name, value, most: f"does not run {name}: {show_power(value)} on {show_power(most)}",
    "does_not_start": lambda name, value, most: f"does not start {name}: {show_power(value)} on {show_power(most)}",
    "not_at_once": lambda value, most: (f"does not run all at once: {show_power(value)} on {show_power(most)}; each "
                                        "alone it does"),
    "no_start_beside": lambda value, most: (f"does not start the largest while the rest runs: {show_power(value)} on "
                                            f"{show_power(most)}"),
    # Limits of the rig
    "panels_over_controller": lambda name, panels_w, limit_w: (
        f"{name}: {show_power(panels_w)} of panels on a controller that passes {show_power(limit_w)}; in full sun the "
        "rest is lost. Its volts must never be passed."),
    "panels_over_input": lambda panels_w, limit_w: (f"{show_power(panels_w)} of panels on an input that takes "
                                                    f"{show_power(limit_w)}; in full sun the rest is lost."),
    "alternator_overdrawn": lambda name, drawn_w, spare_w: (f"{name}: the charger would draw {show_power(drawn_w)}, "
                                                            f"the alternator has {show_power(spare_w)} to spare."),
    "held_by_its_input": lambda name, volts, amps, fed_w, gives_w, charge_w: (
        f"{name}: {volts:g} V × {amps:g} A lets {show_power(fed_w)} in, so {show_power(gives_w)} reaches the battery "
        f"and not {show_power(charge_w)}. The same amps at twice the volts, through a step-up, would bring "
        f"{show_power(min(2 * gives_w, charge_w))}. Only where the input's label allows such volts: above its highest "
        "it is destroyed, and may burn."),
    "no_cut_off": lambda name: (f"{name}: no low-voltage cut-off is set. Without one a standing engine's starter "
                                "battery is drawn flat."),
    "generator_over": lambda name, charge_w, gives_w, share, continuous_w: (
        f"{name}: charging at {show_power(charge_w)} is more than {share * 100:.0f} % of its "
        f"{show_power(continuous_w)}."),
    "source_over_bank": lambda name, watts, takes_w, takes_a, chemistry: (
        f"{name or 'The sun'} can give {show_power(watts)}, the bank takes {_takes(takes_w, takes_a)} at most: set the "
        "charger lower."),
    "sources_over_bank": lambda watts, takes_w, takes_a, chemistry: (
        f"All sources together can give {show_power(watts)}. The bank takes {_takes(takes_w, takes_a)} at most. Do not "
        "run them all at once in full sun."),
    "no_inverter": lambda: "There are AC loads and no inverter.",
    "inverter_over": lambda asked_w, limit_w: (f"{show_power(asked_w)} of AC run at once, the inverter gives "
                                               f"{show_power(limit_w)}."),
    "inverter_surge": lambda asked_w, limit_w: (f"{show_power(asked_w)} of AC are asked for at a start-up, the "
                                                f"inverter gives {show_power(limit_w)}."),
    "inverter_surge_untold": lambda asked_w, limit_w: (
        f"{show_power(asked_w)} of AC are asked for at a start-up; its surge is not set, and {show_power(limit_w)} is "
        "all that it gives for long. It may not start."),
}


def say(of: Reason) -> str:
    """A reason in words: a sentence, or what follows `found` or `reckoned`."""
    return SAYINGS[of.code](**of.figures)


def how(interval: Interval) -> dict[str, str]:
    """How each figure of an interval came about, in words, by the figure."""
    return {name: say(of) for name, of in interval.how}


_SHORT: dict[str, Callable[[Any], str]] = {
    "panels_over_controller": lambda f: f"over its controller: {show_power(f['limit_w'])}",
    "panels_over_input": lambda f: f"panels over its input: {show_power(f['limit_w'])}",
    "alternator_overdrawn": lambda f: f"overdraws the alternator: {show_power(f['spare_w'])} spare",
    "held_by_its_input": lambda f: f"held to {show_power(f['gives_w'])} by its input",
    "no_cut_off": lambda f: "no cut-off told",
    "generator_over": lambda f: f"held to {show_power(f['gives_w'])}",
    "source_over_bank": lambda f: f"takes {show_power(f['takes_w'])} at most",
    "sources_over_bank": lambda f: f"takes {show_power(f['takes_w'])} at most",
    "no_inverter": lambda f: "none, but AC loads",
    "inverter_over": lambda f: f"{show_power(f['asked_w'])} on {show_power(f['limit_w'])}",
    "inverter_surge_untold": lambda f: f"{show_power(f['asked_w'])} on {show_power(f['limit_w'])}, surge not set",
    "inverter_surge": lambda f: f"{show_power(f['asked_w'])} on {show_power(f['limit_w'])}",
}


def short(limit: Limit) -> str:
    """A limit in the few words that fit into a drawing."""
    return _SHORT[limit.reason.code](limit.reason.figures)


_CAUTIONS = {"panels_over_controller": cautions.SERIES_DC, "panels_over_input": cautions.SERIES_DC,
             "alternator_overdrawn": cautions.VEHICLE, "generator_over": cautions.FUMES,
             "inverter_over": cautions.BACKFEED, "inverter_surge": cautions.BACKFEED,
             "inverter_surge_untold": cautions.BACKFEED}


def caution(limit: Limit) -> str:
    """The caution that goes with a limit; none has ""."""
    chemistry = limit.reason.figures.get("chemistry")
    if chemistry is None:
        return _CAUTIONS.get(limit.reason.code, "")
    if CHEMISTRIES[chemistry].lithium:
        return cautions.LITHIUM
    return cautions.HYDROGEN if chemistry == "flooded" else cautions.FUSE
