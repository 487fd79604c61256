"""Pictures of dense monitor data: a day by the minute, a month by the hour; thinned to what a screen can show."""

from collections.abc import Callable
from datetime import datetime
from typing import Any

import numpy as np
from markupsafe import Markup
from numpy import ndarray

from voltaun.core.log.samples import Hours, Samples, power
from voltaun.core.rig.rig import Rig
from voltaun.pages.figures.svg import band, el, figure, join, path
from voltaun.words.units import show_energy, show_power

WIDTH, HEIGHT = 760.0, 330.0
_LEFT, _RIGHT, _TOP, _MIDDLE, _BOTTOM = 96.0, 752.0, 12.0, 178.0, 304.0
MOST_POINTS = 400
"""Points of a line at the most; more would be smaller than a pixel."""


def day(samples: Samples, begin: datetime, end: datetime, rig: Rig) -> Markup:
    """A day: the level above, the power into and out of the bank below."""
    axis = _Axis(begin, end, rig)
    shown = ~np.isnan(samples.soc)
    parts = [axis.ground(), axis.clock()]
    if shown.any():
        parts.append(el("path", d=path(axis.points(*_thinned(samples.at[shown], samples.soc[shown]), axis.level)),
                        class_="level"))
    watts = power(samples)
    known = ~np.isnan(watts)
    if known.any():
        at, low, high = _envelope(samples.at[known], watts[known])
        most = max(1.0, float(np.abs(watts[known]).max()))
        y = axis.under(most)
        parts += [axis.scale(most, show_power), el("path", d=band([axis.x(a) for a in at], [y(w) for w in low],
                                                                  [y(w) for w in high]), class_="use power")]
    return _figure(f"The bank on {begin.astimezone(rig.zone):%-d %B %Y}", "Above, the level; below, the power into the "
                   "bank upwards and out of it downwards. The hours follow as a table.", parts)


def month(hours: Hours, begin: datetime, end: datetime, rig: Rig) -> Markup:
    """A month: the level's range of each hour above, what went in and out by the hour below."""
    axis = _Axis(begin, end, rig)
    parts = [axis.ground(), axis.days(begin, end)]
    shown = ~np.isnan(hours.soc_low)
    if shown.any():
        xs = [axis.x(at + 1800) for at in hours.hour[shown]]
        parts.append(el("path", d=band(xs, [axis.level(v) for v in hours.soc_low[shown]],
                                       [axis.level(v) for v in hours.soc_high[shown]]), class_="level"))
    if len(hours.hour):
        most = max(1.0, float(max(hours.charge_wh.max(), hours.discharge_wh.max())))
        y, width = axis.under(most), axis.x(3600) - axis.x(0)
        bars = [(at, charge, -discharge) for at, charge, discharge in
                zip(hours.hour.tolist(), hours.charge_wh.tolist(), hours.discharge_wh.tolist(), strict=True)]
        into = " ".join(f"M{axis.x(at):.1f} {y(0):.1f} V{y(wh):.1f} h{width:.1f} V{y(0):.1f}" for at, wh, _ in bars)
        out = " ".join(f"M{axis.x(at):.1f} {y(0):.1f} V{y(wh):.1f} h{width:.1f} V{y(0):.1f}" for at, _, wh in bars)
        parts += [axis.scale(most, show_energy), el("path", d=into, class_="bar-into"),
                  el("path", d=out, class_="use power")]
    return _figure(f"The bank in {begin.astimezone(rig.zone):%B %Y}", "Above, the level; below, what went into the "
                   "bank in each hour upwards and out of it downwards. The days follow as a table.", parts)


class _Axis:
    """One axis of time, the level's register above and the power's below."""

    def __init__(self, begin: datetime, end: datetime, rig: Rig) -> None:
        self.start, self.end, self.zone = begin.timestamp(), end.timestamp(), rig.zone
        self.floors = (rig.bank.everyday_floor, rig.bank.hard_floor)
        self.zero = (_MIDDLE + 14 + _BOTTOM) / 2

    def x(self, seconds: float) -> float:
        return _LEFT + (float(seconds) - self.start) / (self.end - self.start) * (_RIGHT - _LEFT)

    def level(self, soc: float) -> float:
        return _MIDDLE - float(soc) * (_MIDDLE - _TOP)

    def under(self, most: float) -> Callable[..., Any]:
        half = (_BOTTOM - _MIDDLE - 14) / 2
        return lambda value: self.zero - float(value) / most * half

    def points(self, at: ndarray, values: ndarray, y: Callable[..., Any]) -> list[tuple[float, float]]:
        return [(self.x(a), y(v)) for a, v in zip(at, values, strict=True)]

    def ground(self) -> Markup:
        return join([*(el("path", d=f"M{_LEFT} {self.level(p):.1f} H{_RIGHT}", class_="hair") for p in (0, 0.5, 1)),
                     *(el("path", d=f"M{_LEFT} {self.level(p):.1f} H{_RIGHT}", class_=kind)
                       for p, kind in zip(self.floors, ("floor", "floor-hard"), strict=True)),
                     *(el("text", f"{p} %", x=_LEFT - 6, y=self.level(p / 100) + 4, class_="scale end")
                       for p in (0, 50, 100)),
                     el("path", d=f"M{_LEFT} {self.zero:.1f} H{_RIGHT}", class_="zero")])

    def scale(self, most: float, show: Callable[..., Any]) -> Markup:
        y = self.under(most)
        return join([el("text", "+" + show(most), x=_LEFT - 6, y=y(most) + 9, class_="scale end"),
                     el("text", "−" + show(most), x=_LEFT - 6, y=y(-most), class_="scale end")])

    def clock(self) -> Markup:
        hours = [self.start + 3600 * n for n in range(0, int((self.end - self.start) / 3600) + 1, 3)]
        return self._labels(hours, lambda at: f"{datetime.fromtimestamp(at, self.zone):%H}")

    def days(self, begin: datetime, end: datetime) -> Markup:
        starts = [self.start + 86_400 * (n + 0.5) for n in range(round((self.end - self.start) / 86_400))]
        return self._labels(starts[::2], lambda at: str(datetime.fromtimestamp(at, self.zone).day))

    def _labels(self, instants: list[float], words: Callable[..., Any]) -> Markup:
        return join(el("text", words(at), x=self.x(at), y=HEIGHT - 8,
                       class_="scale middle" if self.x(at) < _RIGHT - 12 else "scale end") for at in instants)


def _thinned(at: ndarray, values: ndarray) -> tuple[ndarray, ndarray]:
    if len(at) <= MOST_POINTS:
        return at, values
    keep = np.unique(np.linspace(0, len(at) - 1, MOST_POINTS).astype(int))
    return at[keep], values[keep]


def _envelope(at: ndarray, values: ndarray) -> tuple[ndarray, ndarray, ndarray]:
    """The least and the most in each of so many equal parts: no spike is lost by thinning."""
    parts = np.array_split(np.arange(len(at)), min(MOST_POINTS, len(at)))
    return (np.array([at[part[0]] for part in parts]), np.array([min(0.0, values[part].min()) for part in parts]),
            np.array([max(0.0, values[part].max()) for part in parts]))


def _figure(title: str, description: str, parts: list[Markup]) -> Markup:
    return figure(WIDTH, HEIGHT, title, description, join(parts), name="dense", class_="strip-figure dense-figure")
