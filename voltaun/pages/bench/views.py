"""Bench: where it goes. The loads by what they take, how well each is known, and what the list leaves open."""

from flask import render_template

from voltaun.core.demand import gap, listed
from voltaun.pages import frame
from voltaun.pages.figures.svg import el

pages = frame.page("bench")


@pages.get("/bench")
def show():
    """The page."""
    look = frame.look()
    of = listed(frame.rig(), look.today.month)
    drain = look.outlook.drain if look.outlook and look.outlook.drain.basis == "log" else None
    logged = drain.use_wh + drain.hidden_wh if drain else None
    return render_template("bench/bench.html", of=of, drain=drain, logged=logged, bar=_bar(of),
                           gap=gap(of, logged, drain.sd_wh, drain.days_known) if drain and of.lines else None)


def _bar(of):
    """A line's share of the largest as a bar, its doubt as a whisker."""
    most = max((line.wh + line.sd_wh for line in of.lines), default=1.0) or 1.0

    def draw(line):
        low, high = max(0.0, line.wh - line.sd_wh) / most * 196, (line.wh + line.sd_wh) / most * 196
        return el("svg", el("rect", x=0, y=3, width=line.wh / most * 196, height=10, class_="use"),
                  el("path", d=f"M{low:.1f} 8 H{high:.1f} M{low:.1f} 5 V11 M{high:.1f} 5 V11", class_="doubt"),
                  viewBox="0 0 200 16", class_="load-bar", aria_hidden="true")
    return draw
