"""The sight-glass: the bank's level with its floors, percent up one side, days at the usual use up the other."""

from collections.abc import Callable, Iterator
from typing import Any

from markupsafe import Markup

from voltaun.pages.figures.svg import el, figure, join
from voltaun.words.units import lasting, show_percent


def upright(soc: float | None, everyday: float, hard: float, days_per_soc: float | None,
            in_hand: float | None, between: tuple[float, float] | None = None) -> Markup:
    """The tall one.

    days_per_soc  how many days at the usual use a full bank holds; in_hand  how many there are from now on, by the
    hours of the day; None if not known; between  the range of a level that was not read for long: it is then drawn
    dashed, and the range as a bracket
    """
    top, bottom, left, right = 16.0, 584.0, 40.0, 78.0

    def y(level: float) -> float:
        return bottom - level * (bottom - top)

    parts = [el("rect", x=left, y=y(everyday), width=right - left, height=bottom - y(everyday), fill="url(#weave-low)",
                class_="low-zone")]
    if soc is not None:
        parts.append(el("rect", x=left, y=y(soc), width=right - left, height=bottom - y(soc), fill="url(#weave-bank)",
                        class_="bank-fill"))
    parts += [el("path", d=f"M{left} {top - 8} V{bottom} H{right} V{top - 8}", class_="glass-wall"),
              el("path", d=f"M{left - 8} {y(everyday):.1f} H{right + 8}", class_="floor"),
              el("path", d=f"M{left} {y(hard):.1f} H{right}", class_="floor-hard")]
    for percent in range(0, 101, 10):
        long = percent % 20 == 0
        parts.append(el("path", d=f"M{left - (7 if long else 4)} {y(percent / 100):.1f} H{left}", class_="tick"))
        if long and (soc is None or abs(percent / 100 - soc) > 0.025):
            parts.append(el("text", str(percent), x=left - 10, y=y(percent / 100) + 4, class_="scale end"))
    parts += _days(days_per_soc, everyday, soc, in_hand, right, y)
    if soc is not None:
        if between:
            low, high = (y(level) for level in between)
            parts.append(el("path", d=f"M{right - 8} {high:.1f} H{right - 3} V{low:.1f} H{right - 8}",
                            class_="bracket"))
        parts += [el("path", d=f"M{left - 8} {y(soc):.1f} H{right + 8}", class_=_line(between)),
                  el("text", str(round(soc * 100)), x=left - 12, y=y(soc) + 5, class_="scale scale-now end")]
    parts += [el("text", "%", x=left - 10, y=top - 6, class_="scale end"),
              el("text", "days", x=right + 8, y=top - 6, class_="scale")]
    return figure(124, 600, *_told(soc, everyday, hard, in_hand, between), join(parts), name="glass",
                  class_="glass-tall")


def _line(between: tuple[float, float] | None) -> str:
    """How the level is drawn: dashed where it was not read for long."""
    return "level level-ahead" if between else "level"


def _days(days_per_soc: float | None, everyday: float, soc: float | None, in_hand: float | None, right: float,
          y: Callable[..., Any]) -> Iterator[Markup]:
    if not days_per_soc:
        return
    whole = int(days_per_soc * (1 - everyday) + 1e-9)
    step = max(1, round(whole / 8))
    for n in range(0, whole + 1, step):
        level = everyday + n / days_per_soc
        yield el("path", d=f"M{right} {y(level):.1f} H{right + 7}", class_="tick")
        if soc is None or abs(level - soc) > 0.025:
            yield el("text", str(n), x=right + 11, y=y(level) + 4, class_="scale")
    if in_hand is not None and soc is not None:
        number, _, hours = _in_hand(in_hand).partition(" ")
        yield el("text", number, x=right + 13, y=y(soc) + 5, class_="scale scale-now")
        if hours:  # beside it in the scale's own size: both in the large one would run over the edge
            yield el("text", hours, x=right + 35, y=y(soc) + 5, class_="scale")


_WORDS_WIDE = 80.0
"""What `14.5 hours` and the like take of the band's width."""


def lying(soc: float | None, everyday: float, hard: float, days_per_soc: float | None,
          in_hand: float | None, between: tuple[float, float] | None = None) -> Markup:
    """The band across the top of a phone."""
    left, right, top, bottom = 8.0, 382.0, 20.0, 40.0

    def x(level: float) -> float:
        return left + level * (right - left)

    parts = [el("rect", x=left, y=top, width=x(everyday) - left, height=bottom - top, fill="url(#weave-low)",
                class_="low-zone")]
    if soc is not None:
        parts.append(el("rect", x=left, y=top, width=x(soc) - left, height=bottom - top, fill="url(#weave-bank)",
                        class_="bank-fill"))
    parts += [el("path", d=f"M{right} {top} H{left} V{bottom} H{right}", class_="glass-wall"),
              el("path", d=f"M{x(everyday):.1f} {top - 5} V{bottom + 5}", class_="floor"),
              el("path", d=f"M{x(hard):.1f} {top} V{bottom}", class_="floor-hard")]
    if soc is not None:
        before = right - x(soc) < _WORDS_WIDE  # there is no room behind the level
        side = {"class_": "scale scale-now end"} if before else {"class_": "scale scale-now"}
        at = x(soc) - 4 if before else x(soc) + 4
        if between:
            low, high = (x(level) for level in between)
            parts.append(el("path", d=f"M{low:.1f} {bottom - 7} V{bottom - 3} H{high:.1f} V{bottom - 7}",
                            class_="bracket"))
        parts += [el("path", d=f"M{x(soc):.1f} {top - 5} V{bottom + 5}", class_=_line(between)),
                  el("text", show_percent(soc), x=at, y=top - 6, **side)]
        if days_per_soc and in_hand is not None:
            days = _in_hand(in_hand)
            parts.append(el("text", days if " " in days else f"{days} days", x=at, y=bottom + 15, **side))
    if soc is None or (soc > everyday and (not before or x(everyday) < at - _WORDS_WIDE)):
        parts.append(el("text", "floor", x=x(everyday) - 3, y=bottom + 15, class_="scale end"))
    if soc is None or right - x(soc) > 2 * _WORDS_WIDE:
        parts.append(el("text", "100 %", x=right, y=bottom + 15, class_="scale end"))
    return figure(390, 60, *_told(soc, everyday, hard, in_hand, between), join(parts), name="glass-band",
                  class_="glass-band")


def _in_hand(days: float) -> str:
    """Days above the everyday floor, whole ones from ten; less than half a day as the headline says it."""
    if days < 0.5:
        return lasting(days)
    return f"{days:.1f}" if days < 9.95 else f"{days:.0f}"


def _told(soc: float | None, everyday: float, hard: float, in_hand: float | None,
          between: tuple[float, float] | None) -> tuple[str, str]:
    if soc is None:
        return "No level known", f"The floors stand at {show_percent(everyday)} and {show_percent(hard)}."
    days = "" if in_hand is None else f", {in_hand:.1f} days above it without any charging"
    ends = "" if between is None else " and ".join(map(show_percent, between))
    how = f", not read for long: between {ends}" if ends else ""
    return (f"The bank stands at {'about ' if between else ''}{show_percent(soc)}{how}",
            f"Everyday floor {show_percent(everyday)}{days}; hard floor {show_percent(hard)}.")
