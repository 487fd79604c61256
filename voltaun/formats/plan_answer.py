"""The answer of `voltaun plan` for machines."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from voltaun.core.dayplan.plan import DayPlan
from voltaun.core.outlook.present import Middle
from voltaun.core.rig.rig import Rig


def plan_answer(plan: DayPlan, rig: Rig, sentences: Sequence[str]) -> dict[str, Any]:
    """The plan as plain values; the same keys also where the level is too old to plan by."""
    now, day, tonight = plan.outlook.present, plan.day, plan.tonight

    def at(instant: datetime) -> str:
        return instant.astimezone(rig.zone).isoformat()
    return {
        "as_of": at(plan.outlook.as_of), "date": day.day.isoformat() if day else None, "soc": _share(now.soc.p50),
        "stale": plan.stale,
        "hours": [{"start": at(hour.start), "solar_wh": _three(hour.solar_wh), "use_wh": round(hour.use_wh.p50, 3),
                   "spilt_wh": _three(hour.spilt_wh), "soc": _three(hour.soc, 5)} for hour in day.hours] if day else [],
        "full_at": dict(zip(("p10", "p50", "p90"), map(at, day.full_at), strict=True)) if day and day.full_at else None,
        "chance_full": _share(day.chance_full) if day else None,
        "placed": [{"load": of.load, "start": at(of.start), "end": at(of.end), "wh": round(of.wh, 3),
                    "spares_wh": round(of.spares_wh, 3), "usual_start": of.usual_start}
                   for of in plan.placing.placed] if plan.placing else [],
        "unplaced": [{"load": of.load, "why": of.why} for of in plan.placing.unplaced] if plan.placing else [],
        "until": at(tonight.until) if tonight else None,
        "may_spend_wh": round(tonight.may_spend_wh, 3) if tonight else 0.0,
        "must_spare_wh": round(tonight.must_spare_wh, 3) if tonight else 0.0,
        "chance_below_everyday_floor": _share(tonight.chance) if tonight else None,
        "trade": {"without": plan.trade.load, "wh": round(plan.trade.wh, 3)} if plan.trade else None,
        "spill_list": [{"thing": of.thing, "start": at(of.start), "end": at(of.end), "wh": round(of.wh, 3)}
                       for of in plan.spill_list],
        "ration": [{"load": of.load, "wh": round(of.wh, 3), "hours_gained": round(of.hours_gained, 3),
                    "chance_after": _share(of.chance_after)} for of in plan.ration],
        "sentences": list(sentences)}


def _three(of: Middle, digits: int = 3) -> dict[str, Any]:
    return {"p10": round(of.p10, digits), "p50": round(of.p50, digits), "p90": round(of.p90, digits)}


def _share(value: float) -> float:
    return round(float(value), 5)


def today_answer(plan: DayPlan, rig: Rig, said: Mapping[str, Sequence[str]]) -> dict[str, Any]:
    """Headline, advice and plan as plain values; `said` holds their sentences by these names."""
    return {"rig": rig.name, "needs_doing": plan.outlook.advice.asks, **said,
            "day": plan_answer(plan, rig, said["plan"])}
