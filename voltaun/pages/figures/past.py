"""How past outlooks did: each day's band of the sun as it was expected the evening before, and the dot of what came."""

from datetime import timedelta
from zoneinfo import ZoneInfo

from markupsafe import Markup

from voltaun.core.instants import local_day
from voltaun.core.outlook.scores import Backtest
from voltaun.pages.figures.svg import el, figure, join
from voltaun.words.units import show_energy

MOST_WIDE, MOST_NARROW = 60, 24


def draw(past: Backtest, zone: ZoneInfo, width: float, height: float, letters: float, name: str) -> Markup:
    """The latest one-day-ahead outlooks: pale from one in ten to nine in ten, dark its middle half, a dot what came."""
    shown = sorted((each for each in past.sun if each.days == 1), key=lambda each: each.as_of)
    shown = shown[-(MOST_WIDE if width > 600 else MOST_NARROW):]
    left, right, top, bottom = letters * 5.4, width - 6, letters, height - letters * 2.6
    most = max([*(each.quantiles[4] for each in shown), *(each.actual for each in shown), 1.0])
    step = (right - left) / len(shown)

    def y(wh: float) -> float:
        return bottom - wh / most * (bottom - top)
    parts = [el("path", d=f"M{left:.1f} {y(part * most):.1f} H{right:.1f}", class_="hair") for part in (0, 0.5, 1)]
    parts += [el("text", show_energy(part * most), x=left - 6, y=y(part * most) + 4, class_="scale end",
                 font_size=letters) for part in (0, 0.5, 1)]
    for n, each in enumerate(shown):
        x, q = left + (n + 0.5) * step, each.quantiles
        held = q[0] <= each.actual <= q[4]
        parts += [el("rect", x=x - step * 0.36, y=y(q[4]), width=step * 0.72, height=max(1.0, y(q[0]) - y(q[4])),
                     class_="fan-outer"),
                  el("rect", x=x - step * 0.36, y=y(q[3]), width=step * 0.72, height=max(1.0, y(q[1]) - y(q[3])),
                     class_="fan-inner"),
                  el("circle", cx=x, cy=y(each.actual), r=3.4, class_="dot" if held else "dot missed")]
        day = local_day(each.as_of, zone) + timedelta(days=1)
        if n % max(1, round(letters * 4.5 / step)) == 0:
            parts.append(el("text", f"{day.day} {day:%b}", x=x, y=height - letters * 0.9, font_size=letters,
                            class_="scale middle" if x < right - letters * 2 else "scale end"))
    return figure(width, height, "The sun of each day as it was expected the evening before, and as it came",
                  "The pale band should hold the dot eight times in ten, the dark one five. The shares stand below.",
                  join(parts), name=name, class_=f"fan-figure {name}")
