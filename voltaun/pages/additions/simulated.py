"""The simulated part of Additions: the run, kept, and what stands on the page of it."""

import csv
import io
from zlib import crc32

from flask import Response, abort, g, render_template, request

from voltaun.core.sizing.simulation import Additions, AdditionsAsk, simulate_additions
from voltaun.database import weather
from voltaun.pages import context
from voltaun.pages.additions import asked as asking
from voltaun.words import sentences as words
from voltaun.words.reasons import say

COARSE, SHARP = 6, 40
"""So many years are run at once, and so many after that, while one reads."""


def question() -> asking.Asked:
    """What is asked of this request's rig, read once."""
    if "additions_asked" not in g:
        g.additions_asked = asking.kept(context.db(), g.kept.id)
    return g.additions_asked


def found(years: int = COARSE) -> tuple[Additions | None, str | None]:
    """The answer over so many years, or over all of them where they were run already; or why there is none."""
    asked, look, rig = question(), context.look(), context.rig()
    key = (*context.state(), look.today, repr(asked), weather.numbers(context.db(), g.kept.id))

    def make(count: int) -> Additions | str:
        ask = AdditionsAsk(
            rig, look.recent.known, context.sun(),
            [each.weather for each in context.weathers()], asked.shares,
            int(asked.numbers["panels"] or 0), int(asked.numbers["strings"] or 0), count, 1,
            float(asked.numbers["most_days"] or 0), asked.products, asked.limits,
            count >= SHARP)
        try:
            made = simulate_additions(ask)
        except ValueError as error:
            return str(error)
        assert made is not None
        return made
    sharp = context.peek("additions", (*key, SHARP))
    made = sharp or context.kept("additions", (*key, years), lambda: make(years))
    return (None, made) if isinstance(made, str) else (made, None)


def part():
    """The simulated part alone, over all of the years."""
    told = shown(SHARP)
    return render_template("additions/simulated.html", **told) if told["found"] else '<div id="years"></div>'


def shown(years: int = COARSE) -> dict:
    """What the simulated part of the page shows."""
    made, _ = found(years)
    asked = question()
    told = {"found": made, "asked": asked, "numbers": asking.NUMBERS, "files": context.weathers(),
            "stamps": [crc32(repr(of).encode()) for of in ((asked.numbers, asked.habits), asked.prices)],
            "sharp": made is not None and made.ask.years >= SHARP}
    if made is None:
        return told
    at = request.args.get("at", "")
    which = next((n for n, of in enumerate(made.choices) if name_of(of) == at), None)
    if which is None:
        which = made.best if made.best is not None else 0
    columns = max(of.panels for of in made.choices) + 1
    rows = [list(enumerate(made.choices))[begin:begin + columns]
            for begin in range(0, columns * (max(of.strings for of in made.choices) + 1), columns)]
    return told | {"rows": rows[::-1], "columns": columns, "which": which, "name_of": name_of, "say": say,
                   "least": [(of, made.outcomes[n].below) for n, of in enumerate(made.choices) if made.unbeaten[n]],
                   "as_much": words.as_much(made)}


def name_of(choice) -> str:
    """An option's name in an address."""
    return "+".join(choice.measures) or f"{choice.panels}-{choice.strings}"


def table():
    """All options as CSV."""
    made, why = found(SHARP)
    if made is None:
        abort(404, why)
    out = io.StringIO()
    write = csv.writer(out)
    write.writerow(("panels_added", "strings_added", "measures", "days_below_usual_year", "days_below_hard_year",
                    "unserved_wh", "spilt_wh", "price", "weight_kg", "roof_m2", "unbeaten", "ruled_out"))
    for of, came, best in zip(made.choices, made.outcomes, made.unbeaten, strict=True):
        write.writerow((of.panels, of.strings, words.measures(of), round(came.below.p50, 1), round(came.below.p90, 1),
                        round(came.unserved_wh.mean), round(came.spilt_wh.mean), of.price, of.weight_kg, of.roof_m2,
                        "yes" if best else "", "; ".join(why.code for why in of.ruled_out)))
    return Response(out.getvalue(), mimetype="text/csv",
                    headers={"Content-Disposition": 'attachment; filename="additions.csv"'})
