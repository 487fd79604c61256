"""The commands' answers as text for a terminal."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from voltaun.core.instants import local_day
from voltaun.core.log.ledger import RECKONED
from voltaun.words import additions, advising, reasons, sentences
from voltaun.words.sentences import chance, day_name, month
from voltaun.words.units import show_energy, show_percent, show_power

if TYPE_CHECKING:
    from collections.abc import Callable
    from zoneinfo import ZoneInfo

    from voltaun.core.learned.account import Account
    from voltaun.core.outlook.outlook import Outlook, Range
    from voltaun.core.outlook.replay import Again
    from voltaun.core.outlook.scores import Backtest
    from voltaun.core.rig.rig import Rig
    from voltaun.core.sizing.choices import Choice
    from voltaun.core.sizing.simulation import Additions
    from voltaun.core.sizing.worksheet import Option, Worksheet


def ledger_table(account: Account, zone: ZoneInfo) -> str:
    """Intervals one to a line; reckoned figures carry a tilde."""
    lines = [f"{'until':<17}{'hours':>7}{'level':>9}{'harvest':>12}{'use':>12}{'left over':>12}{'spilt':>11}"]
    for i in account.intervals:
        harvest = i.harvest_wh
        lines.append(f"{i.end.astimezone(zone):%Y-%m-%d %H:%M} {i.hours:>7.1f}{show_percent(i.soc_end):>9}"
                     f"{_figure(harvest, i.harvest_basis):>12}{_figure(i.use_wh, i.use_basis):>12}"
                     f"{show_energy(i.unexplained_wh):>12}{show_energy(i.spilt_wh) if i.capped else '':>11}"
                     + "".join(f"  {mark}" for mark in i.marks))
    learned = account.learned
    if learned.use:
        spread = f", give or take {show_energy(learned.use.sd)}" if learned.use.sd is not None else ""
        rests_on = sentences.logged(learned.use.intervals, learned.use.hours)
        lines.append(f"Use: {show_energy(learned.use.mean)} a day{spread} ({rests_on}).")
    share = learned.share
    lines.append(f"Sun: {share.mean:.0%} of clear sky on the average, 8 days in 10 between {share.quantile(0.1):.0%} "
                 f"and {share.quantile(0.9):.0%} ({share.days} days, {share.capped_days} of them capped).")
    if learned.hidden_draw_w:
        draw = learned.hidden_draw_w
        about = sentences.draw(draw.estimate) if learned.steady_draw_w else "no draw that is clear"
        lines.append(f"{sentences.begin(about)}, between {show_power(draw.low)} and {show_power(draw.high)}.")
    return "\n".join(lines) + "\n~ reckoned, not read"


def _figure(wh: float | None, basis: str) -> str:
    return ("~" if basis == RECKONED else "") + show_energy(wh)


def outlook_table(rig: Rig, outlook: Outlook, worst: Again | None) -> str:
    """The sentence, then a line a day; worst  the worst stretch of the log run again."""
    today = local_day(outlook.as_of, rig.zone)
    lines = [" ".join([advising.headline(outlook, rig), *advising.odds(outlook, rig)]),
             " ".join(advising.advice(outlook, rig, worst)),
             *(f"Or: {line}" for _, line in advising.others(outlook, rig)), advising.without_charging(outlook, rig), "",
             f"{'day':<24}{'sun, 8 times in 10':>22}{'level at dawn':>26}   below "
             + show_percent(rig.bank.everyday_floor)]
    for day in outlook.days:
        lines.append(f"{day.day.isoformat()} {day_name(day.day, today):<13}{_between(day.solar_wh, show_energy):>22}"
                     f"{_between(day.dawn_soc, show_percent):>26}   {chance(day.chance_below_everyday_floor)}")
    if outlook.generator_hours.p90 > 0.05:
        litres = outlook.generator_litres
        lines.append(f"Generator: {outlook.generator_hours.p10:.1f} to {outlook.generator_hours.p90:.1f} h"
                     + (f", {litres.p10:.1f} to {litres.p90:.1f} litres" if litres else "") + ".")
    counted = ("What is planned counts." if outlook.plans or outlook.rule else
               "Driving and the generator count only where you plan them.")
    return "\n".join(lines) + f"\nAn estimate, not a promise. {counted}"


def backtest_table(past: Backtest) -> str:
    """How past outlooks did, a line for each number of days ahead."""
    lines = [f"{'days ahead':>10}{'sun held, aim 8 in 10':>24}{'missed by':>12}{'last 7 days again':>20}"]
    for of in past.horizons():
        lines.append(f"{of.days:>10}{sentences.held(of.sun):>24}{show_energy(of.missed_wh):>12}"
                     f"{show_energy(of.yardstick_missed_wh):>20}")
    held = past.level_held()
    if held.cases:
        lines.append(f"The level three days ahead came within its range {held.held} of {held.cases} times.")
    return "\n".join(lines)


def _remark(of: Choice, best: bool) -> str:
    """What is to be said of an option beside its figures."""
    if of.ruled_out:
        return "; ".join(map(reasons.say, of.ruled_out))
    named = " with ".join(filter(None, (additions.beside_of(of), " and ".join(of.bought), additions.measures(of))))
    return named or ("unbeaten" if best else "")


def _between(of: Range, show: Callable[..., Any]) -> str:
    return f"{show(of.p10)} – {show(of.p90)}"


def additions_table(sheet: Worksheet, listed: list[Option], found: Additions | None) -> str:
    """The worksheet, a line a figure; and what years of weather make of it."""
    given = sheet.inputs
    at = f" ({month(given.design_month)})" if given.design_month else ""
    lines = [f"Use {show_energy(given.use_wh_per_day)} a day, {given.reserve_days:g} days in reserve, "
             f"{given.recovery_days:g} to recover"
             + ("." if given.peak_sun_hours is None else f", {given.peak_sun_hours:.1f} peak-sun hours{at}."),
             f"Bank        {show_energy(sheet.bank_energy_wh)}"
             + (f", {sheet.bank_ah:.1f} Ah" if sheet.bank_ah else "") + f": {sheet.units} units",
             sentences.array_of(sheet)]
    if sheet.controller_a:
        lines.append(f"Controller  {sheet.controller_a:.1f} A")
    if sheet.inverter_w:
        lines.append(f"Inverter    {show_power(sheet.inverter_w)}")
    lines += [f"To add: {option.add:g} {option.part.replace('_w', ' W')} (have {option.have:g}, need {option.need:g})"
              for option in listed if option.add]
    if found:
        lines += ["", *additions.answer(found), *additions.unknown(found),
                  f"{'panels':>8}{'strings':>9}{'days below, usual year':>24}"
                  f"{'hard year':>11}{'price':>10}  "]
        lines += [f"{of.panels:>8}{of.strings:>9}{came.below.p50:>24.0f}{came.below.p90:>11.0f}"
                  f"{'' if of.price is None else format(of.price, 'g'):>10}  {_remark(of, best)}"
                  for of, came, best in zip(found.choices, found.outcomes, found.unbeaten, strict=True)]
    return "\n".join(lines) + "\nPlanning figures; local codes and licensed people decide on wire, fuses and mounting."
