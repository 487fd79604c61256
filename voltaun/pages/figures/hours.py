"""The hours of the planned day: sun as a fan, use, the level, what is placed by weave, what is spilt as an outline."""

from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from markupsafe import Markup

from voltaun.core.dayplan.hours import Day
from voltaun.core.dayplan.placing import Placed
from voltaun.pages.figures.svg import band, el, figure, join, path
from voltaun.words.units import show_clock, show_power

WIDTH, HEIGHT = 390.0, 250.0
_LEFT, _RIGHT, _TOP, _MIDDLE, _BOTTOM = 34.0, 384.0, 14.0, 104.0, 190.0
_LANE = 16.0


def draw(day: Day, placed: Sequence[Placed], everyday: float, zone: ZoneInfo) -> Markup:
    """Draw the hours; the level above with its floor, Wh an hour below, and a line for each load that is placed."""
    begin, end = day.hours[0].start.timestamp(), day.hours[-1].end.timestamp()

    def x(at: datetime) -> float:
        return _LEFT + (min(max(at.timestamp(), begin), end) - begin) / (end - begin) * (_RIGHT - _LEFT)

    def level(of: float) -> float:
        return _MIDDLE - of * (_MIDDLE - _TOP)
    lengths = [(hour.end - hour.start).total_seconds() / 3600 for hour in day.hours]
    rates = [[value / length for value in (hour.solar_wh.p10, hour.solar_wh.p50, hour.solar_wh.p90, hour.use_wh.p50,
                                           hour.spilt_wh.p50)]
             for hour, length in zip(day.hours, lengths, strict=True)]
    most = max(1.0, max(max(row[2] + row[4], row[3]) for row in rates))

    def watts(of: float) -> float:
        return _BOTTOM - of / most * (_BOTTOM - _MIDDLE - 18)
    middles = [x(hour.start + (hour.end - hour.start) / 2) for hour in day.hours]
    ends = [x(hour.end) for hour in day.hours]
    low, mid, high, use, spilt = zip(*rates, strict=True)
    lanes = list(dict.fromkeys(of.load for of in placed))
    today = [of for of in placed if of.start.timestamp() < end]
    parts = [
        el("rect", x=_LEFT, y=level(everyday), width=_RIGHT - _LEFT, height=_MIDDLE - level(everyday),
           fill="url(#weave-low)", class_="low-zone"),
        *(el("path", d=f"M{_LEFT} {level(of):.1f} H{_RIGHT}", class_="hair") for of in (0.0, 0.5, 1.0)),
        el("path", d=f"M{_LEFT} {level(everyday):.1f} H{_RIGHT}", class_="floor"),
        *(el("text", words, x=_LEFT - 5, y=level(of) + 4, class_="scale end", font_size=11.5)
          for of, words in ((0.0, "0 %"), (0.5, "50"), (1.0, "100"))),
        el("path", d=band(ends, [level(h.soc.p10) for h in day.hours], [level(h.soc.p90) for h in day.hours]),
           class_="fan-outer"),
        el("path", d=path(list(zip(ends, [level(h.soc.p50) for h in day.hours], strict=True))),
           class_="level level-ahead"),
        el("path", d=band(middles, list(map(watts, low)), list(map(watts, high))), class_="sun-fan"),
        el("path", d=path(list(zip(middles, map(watts, mid), strict=True))), class_="sun-line"),
        *(el("rect", x=x(hour.start), y=watts(m + s), width=max(0.0, x(hour.end) - x(hour.start)),
             height=watts(m) - watts(m + s), class_="spilt")
          for hour, m, s in zip(day.hours, mid, spilt, strict=True) if s > 1),
        el("path", d=path(list(zip(middles, map(watts, use), strict=True))), class_="use-line"),
        el("path", d=f"M{_LEFT} {_BOTTOM} H{_RIGHT}", class_="zero"),
        el("text", show_power(most), x=_LEFT + 3, y=watts(most) + 4, class_="scale", font_size=11.5),
        *_runs(today, lanes, x), *_clock(day, zone, x)]
    return figure(WIDTH, HEIGHT + _LANE * max(0, len(lanes) - 1), f"The hours of {day.day:%A}",
                  "Above, the level with its range. Below, the sun with its range, the use as a dotted line, and what "
                  "is placed. The list above says the same.", join(parts), name="hours", class_="hours-figure")


def _runs(placed: list[Placed], lanes: list[str], x: Callable[..., Any]) -> Iterator[Markup]:
    for of in placed:
        y = _BOTTOM + 20 + _LANE * lanes.index(of.load)
        width = max(3.0, x(of.end) - x(of.start))
        after = x(of.start) + width + 4
        left = after > _RIGHT - 90
        yield el("rect", x=x(of.start), y=y, width=width, height=9, fill="url(#weave-bank)", class_="run-bar")
        yield el("text", of.load[:22], x=x(of.start) - 4 if left else after, y=y + 9,
                 class_="scale end" if left else "scale", font_size=11.5)


def _clock(day: Day, zone: ZoneInfo, x: Callable[..., Any]) -> Iterator[Markup]:
    for hour in day.hours:
        local = hour.start.astimezone(zone)
        if local.minute == 0 and local.hour % 3 == 0:
            yield el("text", show_clock(float(local.hour)), x=x(hour.start), y=_BOTTOM + 14, class_="scale middle",
                     font_size=11.5)
