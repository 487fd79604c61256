"""How options are shown: sorted, under lines of equal price, and as the log had been with one of them."""

import math
from datetime import timedelta
from typing import Any

from flask import g, url_for

from voltaun.core.instants import day_start
from voltaun.core.sizing.again import levels_again
from voltaun.core.sizing.simulation import Additions
from voltaun.pages import context
from voltaun.pages.figures import strip

AGAIN_DAYS, AGAIN_FEW = 42, 12
"""So many days of the log are drawn again, those with the most of them below the floor; fewer on a phone."""


def again_strips(made: Additions, which: int, key: str) -> list[Any]:
    """The log as it was and as it had been with an option, at both sizes; none while the log is not run again."""
    if made.again is None or not which:
        return []
    ask, lane = made.ask, made.choices[which].lane
    rig, floors = ask.rig, (ask.rig.bank.everyday_floor, ask.rig.bank.hard_floor)
    lived = context.kept("levels_again", (*context.state(), key, which), lambda: levels_again(
        rig, ask.known, ask.believed_sun, lane, ask.offer.aims, ask.other_sun))
    if lived is None:
        return []
    pictures = []
    for size, count in ((strip.WIDE, AGAIN_DAYS), (strip.NARROW, AGAIN_FEW)):
        begin = lived.worst(floors[0], count)
        first = lived.first + timedelta(days=begin)
        days = min(count, len(lived.was) // 24 - begin)
        columns = strip.columns(first, first + timedelta(days=days - 1),
                                context.days_from(first, first + timedelta(days=days - 1)), None)
        start = day_start(lived.first, rig.zone)
        lines = {kind: [(start + timedelta(hours=n + 1), float(levels[n]))
                        for n in range(24 * begin, 24 * (begin + days), 3)]
                 for kind, levels in (("level-was", lived.was), ("level-instead", lived.came))}
        pictures.append(strip.draw(size, columns, [], None, floors, rig.zone, g.now,
                                   url_for("log.show", rig_id=g.kept.id), lines))
    return pictures


SORTED = {"usual": "usual year", "hard": "hard year", "unserved": "unserved", "price": "price",
          "year": "a year", "kg": "kg", "roof": "m²"}
"""What all options can be sorted by: its name in an address, and its column."""


def sorted_by(made: Additions, by: str) -> list[int]:
    """All options by a column, the least first, what is not known last."""
    def key(n: int) -> tuple[bool, float, float]:
        of, came = made.choices[n], made.outcomes[n]
        value = {"usual": came.below.p50, "hard": came.below.p90, "unserved": came.unserved_wh.mean, "price": of.price,
                 "year": of.cost_a_year, "kg": of.weight_kg, "roof": of.roof_m2}[by]
        return value is None, value or 0.0, came.below.p50
    return sorted(range(len(made.choices)), key=key)


def unbeaten_in_order(made: Additions) -> list[int]:
    """What is best for its price, the cheapest first; without a price list as it stands in the field."""
    order = sorted_by(made, "price") if made.ask.offer.products else range(len(made.choices))
    return [n for n in order if made.unbeaten[n]]


PRICE_LINES = 5
"""About so many lines of equal price are drawn over the field."""


def price_step(made: Additions) -> float | None:
    """Between two lines of equal price: one, two or five times a power of ten; None without prices."""
    plain = [of for of in made.choices if of.of_field]
    prices = [of.price for of in plain if of.price is not None]
    if len(prices) < len(plain) or not (most := max(prices)):
        return None
    rough = most / PRICE_LINES
    power = 10.0 ** math.floor(math.log10(rough))
    return next(power * n for n in (1, 2, 5, 10) if power * n >= rough)


def price_edges(made: Additions, columns: int, step: float) -> dict[int, str]:
    """Where a line of equal price passes: beside (`pr`) or above (`pt`) which crossing of the field."""
    field = [of for of in made.choices if of.of_field]
    level = [math.floor((of.price or 0.0) / step + 1e-9) for of in field]
    return {n: " ".join(name for name, other in (("pr", n + 1 if (n + 1) % columns else None), ("pt", n + columns))
                        if other is not None and other < len(field) and level[other] > level[n])
            for n in range(len(field))}
