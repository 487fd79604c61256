"""The commands' JSON answers: their keys are a contract."""

from collections.abc import Callable
from dataclasses import asdict
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from voltaun.core.learned.account import Account
from voltaun.core.learned.capacity_fit import Estimate
from voltaun.core.log.ledger import Interval
from voltaun.core.outlook.advice import Advice
from voltaun.core.outlook.backtest import LEVEL_DAYS
from voltaun.core.outlook.outlook import DayOutlook, Outlook, Range
from voltaun.core.outlook.present import Middle
from voltaun.core.outlook.scores import Backtest
from voltaun.core.outlook.ways import Way
from voltaun.core.reasons import Reason
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.choices import Choice, run_by_rule
from voltaun.core.sizing.simulation import Additions, Spread
from voltaun.core.sizing.worksheet import Option, Worksheet
from voltaun.formats.plan_text import as_text


def ledger_answer(account: Account, zone: ZoneInfo) -> dict[str, Any]:
    """The answer of `voltaun ledger`: every interval, and what the log teaches."""
    learned = account.learned
    use, share = learned.use, learned.share
    low, middle, high = share.quantile(np.array([0.1, 0.5, 0.9]))
    energy = _estimate(learned.effective_energy_wh)
    return {
        "intervals": [_interval(interval, zone) for interval in account.intervals],
        "learned": {
            "use_wh_per_day": {"mean": _n(use.mean), "sd": _n(use.sd), "intervals": use.intervals} if use else None,
            "solar_share": {"mean": _s(share.mean), "p10": _s(low), "p50": _s(middle), "p90": _s(high),
                            "days": share.days, "capped_days": share.capped_days},
            "effective_energy_wh": energy | {"legs": learned.held.legs} if energy and learned.held else None,
            "hidden_draw_w": _estimate(learned.hidden_draw_w),
        },
    }


def _interval(interval: Interval, zone: ZoneInfo) -> dict[str, Any]:
    harvest = {f"{source}_wh": _n(wh) for source, wh in interval.harvest.items()}
    bases = {f"{source}_basis": basis for source, basis in interval.harvest_bases.items()}
    return {"start": interval.start.astimezone(zone).isoformat(), "end": interval.end.astimezone(zone).isoformat(),
            "hours": round(interval.hours, 6), "soc_start": _s(interval.soc_start), "soc_end": _s(interval.soc_end),
            "soc_basis": interval.soc_basis, "stored_change_wh": _n(interval.stored_change_wh),
            **harvest, **bases, "harvest_basis": interval.harvest_basis, "use_wh": _n(interval.use_wh),
            "use_basis": interval.use_basis, "unexplained_wh": _n(interval.unexplained_wh),
            "capped": interval.capped, "spilt_wh": _n(interval.spilt_wh), "marks": list(interval.marks)}


def outlook_answer(outlook: Outlook, rig: Rig, say: Callable[[Way], str]) -> dict[str, Any]:
    """The answer of `voltaun outlook`; `days` are the local days after `as_of`, `today` is what is left of its own.

    say  puts a way of the advice in words
    """
    now, zone = outlook.present, rig.zone
    return {
        "as_of": outlook.as_of.astimezone(zone).isoformat(),
        "last_reading": now.read_at.astimezone(zone).isoformat(),
        "soc": _s(now.soc.p50), "above_floor_wh": _n(now.above_wh["everyday_floor"].p50),
        "now": {"read_at": now.read_at.astimezone(zone).isoformat(), "read_soc": _s(now.read_soc),
                "age_hours": _s(now.age_hours), "soc": _three(now.soc, _s)},
        "effective_energy_wh": _n(now.energy_wh),
        "drain_wh_per_day": _n(now.drain.wh),
        "dark_autonomy_days": {floor: _endless(days.p50) for floor, days in now.days.items()},
        "dark_autonomy_range_days": {floor: _three(days, _endless) for floor, days in now.days.items()},
        "advice": _advice(outlook.advice, rig, say),
        "today": _day(outlook.today) if outlook.today else None,
        "days": [_day(day) for day in outlook.days],
        "first_day_over_1_in_10": outlook.first_risky_day and outlook.first_risky_day.isoformat(),
        "chance_below_everyday_floor": _s(outlook.chance_below_everyday_floor),
        "chance_below_hard_floor": _s(outlook.chance_below_hard_floor),
        "unserved_wh": _three(outlook.unserved_wh), "generator_hours": _three(outlook.generator_hours),
        "generator_litres": outlook.generator_litres and _three(outlook.generator_litres),
    }


def _advice(of: Advice, rig: Rig, say: Callable[[Way], str]) -> dict[str, Any]:
    ways = [{"plans": [as_text(plan, rig) for plan in way.plans],
             "last_time": way.last_time and way.last_time.astimezone(rig.zone).isoformat(), "words": say(way),
             "chance_after": _s(way.chance_after), "enough": way.enough, "cost": _n(way.cost)} for way in of.ways]
    return {"days": of.days, "chance": _s(of.chance),
            "chance_after": _s(min((way.chance_after for way in of.ways), default=of.chance)), "enough": of.enough,
            "ways": ways}


def backtest_answer(past: Backtest, zone: ZoneInfo, each: bool) -> dict[str, Any]:
    """The answer of `voltaun backtest`; losses in Wh, `each` with every forecast."""
    answer = {"horizons": [{"days": of.days, "forecasts": of.sun.cases, "coverage_p10_p90": _s(of.sun.share),
                            "use_coverage_p10_p90": _s(of.use.share), "use_cases": of.use.cases,
                            "level_coverage_p10_p90": _s(of.level.share), "level_cases": of.level.cases,
                            "missed_wh": _n(of.missed_wh),
                            "pinball": _n(of.loss), "pinball_last_7_days": _n(of.yardstick_loss)}
                           for of in past.horizons()],
              "level": {"days": LEVEL_DAYS, "forecasts": len(past.levels),
                        "coverage_p10_p90": _s(past.level_held().share)},
              "said": [{"days": days, "tenths": of.tenths, "times": of.times, "came": of.came}
                       for days in sorted({of.days for of in past.sun}) for of in past.said(days)]}
    if each:
        names = ("p10", "p25", "p50", "p75", "p90")
        answer["each"] = [{"as_of": of.as_of.astimezone(zone).isoformat(), "days": of.days,
                           **dict(zip(names, map(_n, of.quantiles), strict=True)), "actual": _n(of.actual),
                           "dawn_soc": dict(zip(names, map(_s, of.dawn_soc), strict=True)),
                           "use_to_date_wh": dict(zip(names, map(_n, of.use_wh), strict=True)),
                           "chance_below_everyday_floor_to_date": _s(of.chance_below)}
                          for of in past.sun]
    return answer


def _three(of: Range | Middle, shown: Callable[..., Any] | None = None) -> dict[str, Any]:
    shown = shown or _n
    return {"p10": shown(of.p10), "p50": shown(of.p50), "p90": shown(of.p90)}


def _day(day: DayOutlook) -> dict[str, Any]:
    return {"date": day.day.isoformat(), "solar_wh": _three(day.solar_wh),
            "solar_to_date_wh": {name: _n(wh) for name, wh in asdict(day.solar_to_date_wh).items()},
            "spilt_wh": _three(day.spilt_wh), "use_wh": _three(day.use_wh),
            "dawn_soc": _three(day.dawn_soc, _s), "dusk_soc": _three(day.dusk_soc, _s),
            "chance_below_everyday_floor": _s(day.chance_below_everyday_floor),
            "chance_below_hard_floor": _s(day.chance_below_hard_floor)}


def additions_answer(sheet: Worksheet, listed: list[Option], found: Additions | None,
                     say: Callable[[Reason], str]) -> dict[str, Any]:
    """The answer of `voltaun additions`.

    found  what years of weather make of it, where they were asked for; say  puts a reason in words
    """
    given = sheet.inputs
    simulated = {"simulation": _simulation(found, say)} if found else {}
    return simulated | {
        "worksheet": {
            "use_wh_per_day": _n(given.use_wh_per_day), "reserve_days": given.reserve_days,
            "recovery_days": given.recovery_days, "peak_sun_hours": _s(given.peak_sun_hours),
            "design_month": given.design_month, "everyday_floor": given.everyday_floor,
            "cold_factor": _s(given.cold_factor), "array_share": given.array_share,
            "bank_energy_wh": _n(sheet.bank_energy_wh), "bank_ah": _n(sheet.bank_ah), "units": sheet.units,
            "strings": sheet.strings, "array_w": _n(sheet.array_w), "panel_w": sheet.panel_w,
            "panels": sheet.panels, "controller_a": _n(sheet.controller_a), "inverter_w": sheet.inverter_w},
        "options": [{"part": option.part, "have": option.have, "need": option.need, "add": option.add}
                    for option in listed],
    }


def _simulation(found: Additions, say: Callable[[Reason], str]) -> dict[str, Any]:
    choices = []
    for n, (choice, came) in enumerate(zip(found.choices, found.outcomes, strict=True)):
        recorded = found.recorded[n] if found.recorded else None
        again = found.again[n] if found.again else None
        choices.append({
            "panels_added": choice.panels, "strings_added": choice.strings, "second_panels_added": choice.second,
            "measures": [*(["second-spot"] if choice.second else []), *choice.bought,
                         *(of.code for of in choice.measures)], "bought": list(choice.bought),
            "days_below_everyday_floor": _spread(came.below), "days_unserved": _spread(came.unserved_days),
            "unserved_wh": _spread(came.unserved_wh), "spilt_wh": _spread(came.spilt_wh),
            "generator_hours": _spread(came.generator_h), "generator_litres": _litres(found, choice, came.generator_h),
            "brought_wh": _spread(came.brought_wh),
            "longest_below_days": {"p50": _n(came.longest.p50), "p90": _n(came.longest.p90)},
            "as_recorded": recorded and {
                "days_below_everyday_floor": _n(recorded.below), "days_unserved": _n(recorded.unserved_days),
                "unserved_wh": _n(recorded.unserved_wh), "spilt_wh": _n(recorded.spilt_wh),
                "generator_hours": _n(recorded.generator_h)},
            "log_again": again and {"days": again.days, "bridged_days": again.bridged,
                                    "days_below_everyday_floor": _n(again.below),
                                    "unserved_wh": _n(again.unserved_wh), "spilt_wh": _n(again.spilt_wh)},
            "price": _n(choice.price), "fuel_price": _n(choice.fuel_price),
            "cost_a_year_guess": _n(choice.cost_a_year), "weight_kg": _n(choice.weight_kg),
            "roof_m2": _n(choice.roof_m2), "ruled_out": [say(why) for why in choice.ruled_out],
            "unbeaten": found.unbeaten[n]})
    return {"years": found.ask.years, "weather_from": list(found.sources), "target_short_days": found.ask.most_days,
            "answer": found.best, "answer_between": found.between and list(found.between),
            "seasons_guessed": list(found.guesses),
            "away": [{"first": of.first.isoformat(), "last": of.last.isoformat(), "use_wh_per_day": _n(of.use_wh)}
                     for of in found.away], "moved_by": list(found.sharpen), "choices": choices}


def _spread(of: Spread) -> dict[str, Any]:
    return {"mean": _n(of.mean)} | _three(of)


def _litres(found: Additions, choice: Choice, hours: Spread) -> dict[str, Any] | None:
    """What the generator burns that this option runs; of one that runs none, what the rig's first would."""
    rig = found.ask.rig
    runs = run_by_rule(rig, choice) or next(iter(rig.generators), None)
    if runs is None or runs.fuel_l_per_hour is None:
        return None
    litres = runs.fuel_l_per_hour
    return {name: _n(value * litres) for name, value in _spread(hours).items()}


def _estimate(of: Estimate | None) -> dict[str, Any] | None:
    return None if of is None else {"estimate": _n(of.estimate), "low": _n(of.low), "high": _n(of.high)}


def _n(value: float | None) -> float | None:
    """An energy, power or charge to a thousandth; no negative zero."""
    return None if value is None else round(float(value), 3) + 0.0


def _endless(days: float) -> float | None:
    """A number of days; None for one without end."""
    return _s(days) if days != float("inf") else None


def _s(value: float | None) -> float | None:
    """A share or a number of days to five places."""
    return None if value is None else round(float(value), 5) + 0.0
