"""The outlook's picture: the level ahead as a fan, with both floors and the days named."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from markupsafe import Markup

from voltaun.core.instants import day_start, days_between, local_day
from voltaun.core.outlook.outlook import Outlook
from voltaun.pages.figures.svg import band, el, figure, join, path


def draw(outlook: Outlook, floors: tuple[float, float], zone: ZoneInfo, width: float, height: float, letters: float,
         name: str, before: Outlook | None = None) -> Markup:
    """Draw the fan from the last reading to the end of the outlook; floors everyday and hard, fractions.

    before  another outlook over the same time, whose band is drawn as an outline for comparison
    """
    left, right, top, bottom = letters * 3.2, width - 6, letters * 1.2, height - letters * 2.4
    start = outlook.times[0].timestamp()
    length = outlook.times[-1].timestamp() - start

    def x(instant: datetime) -> float:
        return left + (instant.timestamp() - start) / length * (right - left)

    def y(level: float) -> float:
        return bottom - level * (bottom - top)

    everyday, hard = floors
    span = f"M{left:.1f} {{:.1f}} H{right:.1f}"
    parts = [el("rect", x=left, y=y(everyday), width=right - left, height=bottom - y(everyday), fill="url(#weave-low)",
                class_="low-zone")]
    for percent in (0, 20, 40, 60, 80, 100):
        parts += [el("path", d=span.format(y(percent / 100)), class_="hair"),
                  el("text", f"{percent}", x=left - 6, y=y(percent / 100) + 4, class_="scale end", font_size=letters)]
    first, last = local_day(outlook.times[0], zone), local_day(outlook.times[-1] - timedelta(seconds=1), zone)
    for day in days_between(first, last):
        begin, end = day_start(day, zone), day_start(day + timedelta(days=1), zone)
        at = (max(left, x(begin)) + min(right, x(end))) / 2
        if begin > outlook.times[0]:
            parts.append(el("path", d=f"M{x(begin):.1f} {top:.1f} V{bottom + 6:.1f}", class_="hair"))
        if min(right, x(end)) - max(left, x(begin)) > letters * 1.6:
            parts += [el("text", f"{day:%a}"[:2], x=at, y=bottom + letters * 1.15, class_="scale middle",
                         font_size=letters),
                      el("text", f"{day.day}", x=at, y=bottom + letters * 2.2, class_="scale middle",
                         font_size=letters)]
    xs = [x(at) for at in outlook.times]
    lines = [[y(level) for level in outlook.fan[:, q]] for q in range(5)]
    parts += [el("path", d=band(xs, lines[0], lines[4]), class_="fan-outer"),
              el("path", d=band(xs, lines[1], lines[3]), class_="fan-inner"),
              el("path", d=path(list(zip(xs, lines[2], strict=True))), class_="level level-ahead"),
              el("path", d=span.format(y(everyday)), class_="floor"),
              el("path", d=span.format(y(hard)), class_="floor-hard"),
              el("text", "everyday floor", x=right - 4, y=y(everyday) - 6, class_="scale end floor-word",
                 font_size=letters),
              el("text", "hard floor", x=right - 4, y=y(hard) - 5, class_="scale end floor-word", font_size=letters)]
    if before is not None:
        edges = [[(x(at), y(level)) for at, level in zip(before.times, before.fan[:, q], strict=True)] for q in (0, 4)]
        parts += [el("path", d=path(edge), class_="fan-before") for edge in edges]
    for plan in outlook.plans:
        begin, end = day_start(plan.first, zone), day_start(plan.last + timedelta(days=1), zone)
        if end > outlook.as_of and begin < outlook.times[-1]:
            low, high = max(x(outlook.as_of), x(begin)), min(right, x(end))
            parts.append(el("path", d=f"M{low + 1:.1f} {top - 5:.1f} H{high - 1:.1f} M{low + 1:.1f} {top - 5:.1f} v6",
                            class_="plan-mark"))
    now = x(outlook.as_of)
    parts += [el("path", d=f"M{now:.1f} {top:.1f} V{bottom:.1f}", class_="hinge"),
              el("text", "now", x=now + 4, y=top + letters, class_="scale scale-now", font_size=letters)]
    return figure(width, height, "The level of the bank over the coming days",
                  "The dark band holds the level five times in ten, the pale one eight times. The line is its middle. "
                  "The figures follow as a table.", join(parts), name=name, class_=f"fan-figure {name}")
