"""Sums: sentences with blanks, what each starts from in the rig, and how it answers."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from voltaun.core.rig.bank import (
    capacity_ah,
    effective_energy,
    nominal_voltage,
    rated_energy,
    soc_from_gravity,
    soc_from_volts,
)
from voltaun.core.rig.parts import Bank
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing import sums
from voltaun.words import house_units
from voltaun.words.cautions import FUMES, HYDROGEN
from voltaun.words.units import show_duration, show_energy, show_percent, show_power

SIDES = ("ac", "dc")


@dataclass(frozen=True)
class Blank:
    """One blank: its name, what it takes (a kind of quantity, or `side`), what stands in it at first."""

    name: str
    kind: str
    first: str
    label: str
    high: float | None = None
    unit: str = ""  # of a bare number, where it is not the kind's own
    volts: str = ""  # the blank that holds the volts at which Ah of this one are meant; the bank's without one


@dataclass(frozen=True)
class Sentence:
    """A sentence as words and blanks in turn; `answer` takes the blanks' values and gives lines of text."""

    key: str
    parts: tuple[str | Blank, ...]
    answer: Callable[[dict[str, Any]], list[str]]
    link: tuple[str, str] | None = None  # endpoint with anchor, and words
    caution: str = ""


def sentences(rig: Rig, level: float | None, month: int, sun_wh: float | None = None) -> list[Sentence]:
    """All sentences, with the rig's own figures and the present level (a fraction) in their blanks.

    sun_wh  what the arrays bring in a usual day of the month, Wh
    """
    bank = rig.bank
    soc = f"{(1.0 if level is None else level) * 100:.0f} %"
    floor = f"{bank.everyday_floor * 100:g} %"
    energy = effective_energy(rig).wh
    volts = nominal_voltage(bank) or 12.8
    made = [
        Sentence("run", ("A ", Blank("watts", "power", "60 W", "The thing"), " thing on the ",
                         Blank("side", "side", "ac", "Side"), " side, with the bank at ",
                         Blank("soc", "percent", soc, "Level"), " and ",
                         Blank("harvest", "power", "0 W", "Coming in"), " coming in, takes it down to ",
                         Blank("floor", "percent", floor, "Floor"), " in"),
                 lambda v: _run(rig, energy, v), ("outlook.show", "With your own weather: Outlook")),
        Sentence("share", (Blank("share", "percent", "10 %", "Share"), " of the bank is"),
                 lambda v: _share(rig, energy, month, v), ("rig.leaf/parts#loads", "Your loads: Rig")),
        Sentence("full", ("From ", Blank("soc", "percent", soc, "Level"), " to ",
                          Blank("goal", "percent", "100 %", "Goal"), " with ",
                          Blank("watts", "power", f"{_first_charger(rig):g} W", "Charging"),
                          " of charging, and ", Blank("load", "power", "0 W", "On meanwhile"),
                          " on at the battery, takes"),
                 lambda v: _full(rig, v), ("rig.leaf/parts#sun", "Your sources: Rig")),
        Sentence("charges", ("A thing with a battery of ",
                             Blank("battery", "energy", "50 Wh", "Its battery", volts="own"), " at ",
                             Blank("own", "voltage", "3.7 V", "Its own volts"), ", charged from ",
                             Blank("from", "percent", "20 %", "From"), " with ",
                             Blank("watts", "power", "15 W", "Into it"), " by a charger on the ",
                             Blank("side", "side", "ac" if rig.inverter else "dc", "Side"), " side that passes ",
                             Blank("passes", "percent", "85 %", "Charger"), ", with ",
                             Blank("harvest", "power", "0 W", "Coming in"), " coming in, is filled from ",
                             Blank("share", "percent", "10 %", "Share"), " of the bank"),
                 lambda v: _charges(rig, energy, sun_wh, v)),
        Sentence("amps", (Blank("amps", "current", "5 A", "Amps"), " at ",
                          Blank("ac", "voltage", f"{house_units.mains_volts(rig.place.timezone):g} V",
                                "Volts of the socket"), " through the inverter is, at ",
                          Blank("dc", "voltage", f"{volts:g} V", "Volts of the bank")),
                 lambda v: _amps(rig, v), ("rig.show#inverter", "Your inverter: Rig")),
        Sentence("wiring", (Blank("series", "number", f"{bank.series}", "In series", 1000), " in series and ",
                            Blank("parallel", "number", f"{bank.parallel}", "Strings", 1000),
                            " strings in parallel of ",
                            Blank("volts", "voltage", f"{bank.unit_voltage_v or 12.8:g} V", "Volts"), " ",
                            Blank("ah", "charge", f"{bank.unit_capacity_ah or 100:g} Ah", "Capacity"),
                            " batteries make"),
                 _wiring, ("rig.show#bank", "Your bank: Rig")),
        Sentence("amount", (Blank("volts", "voltage", "12 V", "Volts"), " × ",
                            Blank("amps", "current", "4.5 A", "Amps"), " for ",
                            Blank("time", "duration", "6 h", "Time"), " is"),
                 lambda v: [f"{show_power(v['volts'] * v['amps'])}, and "
                            f"{show_energy(v['volts'] * v['amps'] * v['time'])} in all"]),
        Sentence("time", ("A ", Blank("watts", "power", "60 W", "The thing"), " thing on for ",
                          Blank("time", "duration", "20 min", "Time"), " uses"),
                 lambda v: [f"{show_energy(v['watts'] * v['time'])}: W is the rate, Wh the amount"]),
        Sentence("yearly", (Blank("kwh", "energy", "250 kWh", "A year, kWh", unit="kWh"), " a year on a label is"),
                 lambda v: _yearly(rig, v), ("rig.leaf/parts#loads", "Add it to your loads: Rig")),
        Sentence("drop", (Blank("amps", "current", "15 A", "Amps"), " through ",
                          Blank("length", "length", _four_metres(), "Length"), " of cable of ",
                          Blank("area", "area", "2.5 mm²", "Cross-section"), " loses, of ",
                          Blank("volts", "voltage", f"{volts:g} V", "Volts")),
                 _drop, caution="Wire and fuse sizes: local codes and licensed people decide."),
    ]
    if rig.generators:
        made.insert(3, Sentence("fuel", (
            f"{rig.generators[0].name}, from ",
            Blank("soc", "percent", soc if level is not None and level < FUEL_GOAL else floor, "Level"), " to ",
            Blank("goal", "percent", f"{FUEL_GOAL * 100:.0f} %", "Goal"), ", takes"), lambda v: _fuel(rig, v),
            ("rig.leaf/parts#generators", f"Its {house_units.fuel_word()} and their price: Rig"), FUMES))
    if not rig.chemistry.lithium:
        made.append(Sentence("volts", (Blank("volts", "voltage", f"{volts * 1.04:.1f} V", "Volts"),
                                       " at rest, with no charge and no load for hours, is about"),
                             lambda v: _at_rest(bank, v), ("rig.show#bank", "Where the percent comes from: Rig")))
    if bank.chemistry == "flooded":
        made.append(Sentence("gravity", (
            "A weakest cell of ", Blank("low", "number", "1.225", "Weakest cell", 1.4), " and a strongest of ",
            Blank("high", "number", "1.235", "Strongest cell", 1.4), " by the hydrometer, the acid at ",
            Blank("temp", "number", f"{house_units.in_degrees(25):.0f}", f"Acid, {house_units.degree()}",
                  house_units.in_degrees(60)),
            f" {house_units.degree()}, is about"),
            lambda v: _gravity(bank, v), caution=HYDROGEN))
    return made


def _four_metres() -> str:
    return f"{house_units.in_length(4):.0f} {house_units.length_unit()}"


def _first_charger(rig: Rig) -> float:
    chargers = (*rig.generators, *rig.by_hand)
    return chargers[0].gives_w if chargers else 500.0


FUEL_GOAL = 0.9
"""A generator is not run for the last tenth, which is dear."""


def _run(rig: Rig, energy: float, v: dict[str, Any]) -> list[str]:
    watts = sums.dc_power(rig, v["watts"], v["side"])
    share = max(0.0, v["soc"] - v["floor"])
    hours = sums.run_time(share * energy, watts, v["harvest"])
    at_battery = f"it takes {show_power(watts)} at the battery" if v["side"] == "ac" else "straight from the battery"
    if math.isinf(hours):
        told = [f"never: {show_power(v['harvest'])} come in, and {show_power(watts)} go"]
    else:
        heavy = sums.run_time_on_lead(rig, share, watts - v["harvest"])
        told = [show_duration(hours if heavy is None else heavy)]
        told += [] if heavy is None else [f"not {show_duration(hours)}: a lead bank gives less to so large a load"]
    return [*told, at_battery, *_too_much(rig, v)]


def _too_much(rig: Rig, v: dict[str, Any]) -> list[str]:
    """What the inverter has to say of an AC thing."""
    if v["side"] != "ac":
        return []
    if rig.inverter is None:
        return ["the rig has no inverter, and so no AC side"]
    most = rig.inverter.continuous_w
    if most is None or v["watts"] <= most:
        return []
    return [f"the inverter does not run it: {show_power(v['watts'])} on {show_power(most)}"]


def _charges(rig: Rig, energy: float, sun_wh: float | None, v: dict[str, Any]) -> list[str]:
    usable = energy * v["share"]
    one = sums.charge(rig, usable, v["battery"], v["from"], v["watts"], v["passes"], v["side"], v["harvest"])
    if math.isinf(one.times):
        return ["as often as you like: what comes in covers it", f"each takes {show_duration(one.hours)}"]
    told = [f"{one.times:.1f} times" if one.times >= 1 else
            f"not quite once: to {show_percent(v['from'] + (1 - v['from']) * one.times)}"]
    told.append(f"each takes {show_energy(one.wh)} from the bank, {one.wh / energy * 100:.1f} % of it, and "
                f"{show_duration(one.hours)}")
    if sun_wh:
        times = sun_wh * rig.bank.charge_efficiency / one.wh
        told.append("a day of this month’s sun makes about " + (f"{times:.0f}" if times >= 1 else
                                                                 f"{show_percent(times)} of one"))
    return [*told, *_too_much(rig, v | {"watts": v["watts"] / v["passes"]})]


def _share(rig: Rig, energy: float, month: int, v: dict[str, Any]) -> list[str]:
    wh = energy * v["share"]
    runs = [f"{load.name}, {show_duration(usual)}" + (
        f"; {show_duration(on)} while it runs" if on and on < usual else "")
            for load, usual, on in sums.loads_run_on(rig, wh, month)]
    return [show_energy(wh), *(["As you use them, any one of these:"] if runs else []), *runs]


def _full(rig: Rig, v: dict[str, Any]) -> list[str]:
    def takes(watts: float) -> str:
        hours = sums.time_to_full(rig, v["soc"], v["goal"], max(0.0, watts - v["load"]))
        return "for ever" if math.isinf(hours) else show_duration(hours)
    chargers = rig.by_hand
    each = [f"{part.name}, {show_power(part.gives_w)}: {takes(part.gives_w)}" for part in chargers]
    good_sun = 0.75 * sum(array.rated_w for array in rig.arrays)
    if good_sun:
        each.append(f"Sun at its best, about {show_power(good_sun)}: {takes(good_sun)}")
    together = good_sun + sum(part.gives_w for part in chargers)
    if len(each) > 1:
        each.append(f"All together, {show_power(together)}: {takes(together)}")
    load = v["load"]
    goes = [f"{show_power(load)} of it go to what is on"] if load else []
    return [takes(v["watts"]), *goes, *each, "The last part is slow: above "
            f"{show_percent(rig.chemistry.taper_soc)} the bank takes less and less"]


def _fuel(rig: Rig, v: dict[str, Any]) -> list[str]:
    took = sums.fuel(rig, rig.generators[0], v["soc"], v["goal"])
    cost = f", {took.cost_per_kwh:.2f} a kWh" if took.cost_per_kwh is not None else ""
    put = show_energy(house_units.from_fuel(took.wh_per_litre))
    return [f"{show_duration(took.hours)} and {house_units.in_fuel(took.litres):.1f} {house_units.fuel_word()}",
            f"a {house_units.fuel_word(one=True)} puts {put} into the bank{cost}; the last tenth is dear"]


def _at_rest(bank: Bank, v: dict[str, Any]) -> list[str]:
    return [show_percent(soc_from_volts(bank, v["volts"])), "give or take ten points, near 25 °C"]


def _gravity(bank: Bank, v: dict[str, Any]) -> list[str]:
    found = soc_from_gravity(bank, (v["low"], v["high"]), house_units.from_degrees(v["temp"]))
    apart = ["the cells are far apart: equalise, or one is going"] if found.uneven else []
    return [show_percent(found.soc), "by the weakest cell, rested", *apart]


def _amps(rig: Rig, v: dict[str, Any]) -> list[str]:
    efficiency = rig.inverter.efficiency if rig.inverter else 0.9
    exact = sums.dc_amps(v["amps"], v["ac"], v["dc"], efficiency)
    return [f"{exact:.1f} A at the battery", f"the rule “times ten” says {v['amps'] * 10:.0f} A; "
            f"here it is times {exact / v['amps']:.1f}" if v["amps"] else "nothing flows"]


def _wiring(v: dict[str, Any]) -> list[str]:
    series, parallel = int(v["series"]), int(v["parallel"])
    if series < 1 or parallel < 1 or (series, parallel) != (v["series"], v["parallel"]):
        raise ValueError("found a part of a battery, expected whole numbers, 1 or more")
    made = Bank("lfp", v["volts"], v["ah"], series, parallel)
    return [f"{nominal_voltage(made):.5g} V, {capacity_ah(made):.5g} Ah, {show_energy(rated_energy(made))}",
            f"series adds volts, parallel adds Ah; {series * parallel} "
            f"{'battery' if series * parallel == 1 else 'batteries'}"]


def _yearly(rig: Rig, v: dict[str, Any]) -> list[str]:
    daily = sums.daily_from_yearly(v["kwh"] / 1000)
    through = [f"about {show_energy(daily / rig.inverter.efficiency)} at the battery, through the inverter"
               ] if rig.inverter else []
    return [f"{show_energy(daily)} a day", *through]


def _drop(v: dict[str, Any]) -> list[str]:
    lost = sums.voltage_drop(v["amps"], v["length"], v["area"])
    if v["volts"] and lost >= v["volts"]:
        return ["all of it", "no such current gets through: the cable is far too thin or too long"]
    share = f", {lost / v['volts'] * 100:.1f} % of it" if v["volts"] else ""
    return [f"{lost:.2f} V{share}"]
