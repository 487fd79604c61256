"""The pictures of the bench: cumulative energy, the falling level, and AC against DC."""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from markupsafe import Markup

from voltaun.core.bench.cells import Cells
from voltaun.core.bench.drawdown import Drawdown
from voltaun.core.bench.harvest import Harvested
from voltaun.core.bench.metering import Metered
from voltaun.core.bench.runs import Mark, Run
from voltaun.core.bench.trials import InverterFit, Tested
from voltaun.core.instants import hours_between
from voltaun.core.rig.rig import Rig
from voltaun.pages.figures.svg import band, el, figure, join, path
from voltaun.words.units import show_duration, show_energy, show_power

WIDTH, HEIGHT = 560.0, 300.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 92.0, 546.0, 14.0, 262.0


@dataclass(frozen=True)
class Axes:
    """From figures to the drawing: x to the right from 0 to `most_x`, y upwards from 0 to `most_y`."""

    most_x: float
    most_y: float

    def x(self, value: float) -> float:
        return _LEFT + value / self.most_x * (_RIGHT - _LEFT)

    def y(self, value: float) -> float:
        return _BOTTOM - value / self.most_y * (_BOTTOM - _TOP)

    def ruled(self, show_x: Callable[..., Any], show_y: Callable[..., Any]) -> Iterator[Markup]:
        """The hairlines and their lettering."""
        for value, words in _once(_steps(self.most_y), show_y):
            yield el("path", d=f"M{_LEFT} {self.y(value):.1f} H{_RIGHT}", class_="hair")
            yield el("text", words, x=_LEFT - 7, y=self.y(value) + 4, class_="scale end")
        for value, words in _once(_steps(self.most_x), show_x):
            yield el("path", d=f"M{self.x(value):.1f} {_BOTTOM} V{_BOTTOM + 5}", class_="tick")
            yield el("text", words, x=self.x(value), y=_BOTTOM + 20,
                     class_="scale middle" if value < 0.93 * self.most_x else "scale end")
        yield el("path", d=f"M{_LEFT} {_TOP} V{_BOTTOM} H{_RIGHT}", class_="tick")


def draw(run: Run, finding: Any, rig: Rig) -> Markup | None:
    """The picture of a run so far; None where there is nothing to draw yet."""
    if isinstance(finding, Cells):
        return _cells(run, finding)
    if run.instrument in ("meter", "capacity", "harvest") and any(mark.wh is not None for mark in run.marks[1:]):
        return _counted(run, finding)
    if any(mark.soc is not None for mark in run.marks[1:]):
        return _level(run, finding if isinstance(finding, Drawdown) else None, rig)
    if run.instrument == "inverter" and any(mark.dc_w is not None for mark in run.marks):
        return _pairs(run, finding)
    return None


def _counted(run: Run, finding: Metered | Harvested | Tested | None) -> Markup:
    """Cumulative energy over hours, the counter's resets taken out, with the mean as a line."""
    start, total, points = run.marks[0].at, 0.0, []
    before: float | None = None
    for mark in run.marks:
        if mark.wh is None:
            continue
        if before is not None and not mark.reset:
            total += max(0.0, mark.wh - before)
        points.append((hours_between(start, mark.at), total, mark.reset))
        before = mark.wh
    axes = Axes(_round_up(points[-1][0]), _round_up(total))
    parts = list(axes.ruled(_hours, show_energy))
    pieces: list[list[tuple[float, float]]] = [[]]
    for hours, wh, reset in points:
        if reset:
            pieces.append([])
        pieces[-1].append((axes.x(hours), axes.y(wh)))
    if isinstance(finding, Metered):
        # The mean's line through the middle of what was counted, with its doubt on both sides.
        ends = (0.0, points[-1][0])
        low, mean, high = ([axes.y(min(axes.most_y, finding.mean_w * (1 + off) * h)) for h in ends]
                           for off in (-finding.sd, 0.0, finding.sd))
        xs = [axes.x(h) for h in ends]
        parts += [el("path", d=band(xs, low, high), class_="fan-outer"),
                  el("path", d=path(list(zip(xs, mean, strict=True))), class_="level level-ahead")]
    parts += [el("path", d=path(piece), class_="level") for piece in pieces if len(piece) > 1]
    parts += [el("circle", cx=axes.x(hours), cy=axes.y(wh), r=5, class_="dot-reckoned" if reset else "dot")
              for hours, wh, reset in points]
    last = points[-1]
    return _figure("Energy counted since the start", f"{show_energy(last[1])} in {show_duration(last[0])}, from "
                   f"{len(points)} readings; the dashed line is the mean.", parts)


def _counts(finding: Drawdown | None, mark: Mark) -> bool:
    """Whether a reading of the level lies in a stretch that counts."""
    return not isinstance(finding, Drawdown) or any(at <= mark.at <= end for at, _, end in finding.lines)


def _cells(run: Run, finding: Cells) -> Markup:
    """Each cell's gravity from 1.100 to 1.300; the readings before the last stand as rings."""
    low, high = 1.1, 1.3
    read = [mark.cells for mark in run.marks if mark.cells]
    count = len(read[0])

    def x(n: int) -> float:
        return _LEFT + (n + 0.5) / count * (_RIGHT - _LEFT)

    def y(gravity: float) -> float:
        return _BOTTOM - (min(max(gravity, low), high) - low) / (high - low) * (_BOTTOM - _TOP)
    parts = []
    for gravity in (1.10, 1.15, 1.20, 1.25, 1.30):
        parts += [el("path", d=f"M{_LEFT} {y(gravity):.1f} H{_RIGHT}", class_="hair"),
                  el("text", f"{gravity:.2f}", x=_LEFT - 7, y=y(gravity) + 4, class_="scale end")]
    each = max(1, math.ceil(count / 12))
    parts += [el("text", str(n + 1), x=x(n), y=_BOTTOM + 20, class_="scale middle") for n in range(0, count, each)]
    for kind, cells in [*(("dot-reckoned", cells) for cells in read[:-1]), ("dot", read[-1])]:
        parts += [el("circle", cx=x(n), cy=y(cell), r=5, class_=kind) for n, cell in enumerate(cells)]
    weakest = finding.weakest - 1
    parts.append(el("path", d=f"M{x(weakest):.1f} {y(read[-1][weakest]) + 7:.1f} V{_BOTTOM}", class_="hinge"))
    return _figure("The cells", f"{count} cells, from {min(read[-1]):.3f} to {max(read[-1]):.3f}; number "
                   f"{finding.weakest} is the weakest. Rings are earlier readings.", parts)


def _level(run: Run, finding: Drawdown | None, rig: Rig) -> Markup:
    """The level over hours, with the slope and where it meets the floors."""
    shown = [(mark, mark.soc) for mark in run.marks if mark.soc is not None]
    start = shown[0][0].at
    hours = [hours_between(start, mark.at) for mark, _ in shown]
    begin, level, _ = finding.lines[-1] if finding else (start, 1.0, start)
    offset = hours_between(start, begin)
    most = _round_up(min(offset + level / finding.slope, hours[-1] * 6) if finding else hours[-1])
    axes = Axes(most, 1.0)
    parts = list(axes.ruled(_hours, lambda level: f"{level * 100:.0f} %"))
    for floor, kind in ((rig.bank.everyday_floor, "floor"), (rig.bank.hard_floor, "floor-hard")):
        parts.append(el("path", d=f"M{_LEFT} {axes.y(floor):.1f} H{_RIGHT}", class_=kind))
    said = f"{len(shown)} readings of the level, from {shown[0][1] * 100:.0f} to {shown[-1][1] * 100:.0f} %."
    if finding:
        # In steps, since the steeper side of the fan comes to nought before its end.
        last = min(most, offset + level / finding.slope)
        along = [offset + n / 24 * (last - offset) for n in range(25)]
        xs = [axes.x(h) for h in along]
        lines = [[axes.y(max(0.0, level - slope * (h - offset))) for h in along]
                 for slope in (finding.high, finding.low, finding.slope)]
        parts += [el("path", d=band(xs, lines[0], lines[1]), class_="fan-outer"),
                  el("path", d=path(list(zip(xs, lines[2], strict=True))), class_="level level-ahead")]
        for floor in (rig.bank.everyday_floor, rig.bank.hard_floor):
            meets = offset + (level - floor) / finding.slope
            if hours[-1] < meets < most:
                parts += [el("path", d=f"M{axes.x(meets):.1f} {axes.y(floor):.1f} V{_BOTTOM}", class_="hinge"),
                          el("text", _hours(meets), x=axes.x(meets) + 4, y=_BOTTOM - 5, class_="scale scale-now")]
        to_floor = offset + (level - rig.bank.everyday_floor) / finding.slope
        for at, stood, end in finding.lines[:-1]:
            part = [hours_between(start, each) for each in (at, end)]
            parts.append(el("path", class_="level level-ahead", d=path(
                [(axes.x(h), axes.y(stood - finding.slope * (h - part[0]))) for h in part])))
        said += f" The slope meets the everyday floor after {to_floor:.0f} h."
    parts += [el("circle", cx=axes.x(h), cy=axes.y(soc), r=5, class_="dot" if _counts(finding, mark) else
                 "dot-reckoned") for h, (mark, soc) in zip(hours, shown, strict=True)]
    return _figure("The level over the hours", said, parts)


def _pairs(run: Run, finding: InverterFit | None) -> Markup | None:
    """AC W to the right, DC W upwards: the line begins at the idle, and its steepness is 1 / efficiency."""
    pairs = [(mark.ac_w, mark.dc_w) for mark in run.marks if mark.ac_w is not None and mark.dc_w is not None]
    if not pairs:
        return None
    axes = Axes(_round_up(max(ac for ac, _ in pairs)), _round_up(max(dc for _, dc in pairs)))
    parts = list(axes.ruled(show_power, show_power))
    said = f"{len(pairs)} pairs of AC and DC."
    # What would be if nothing were lost.
    even = min(axes.most_x, axes.most_y)
    parts.append(el("path", d=path([(axes.x(0), axes.y(0)), (axes.x(even), axes.y(even))]), class_="hair"))
    if isinstance(finding, InverterFit):
        end = min(axes.most_x, (axes.most_y - finding.idle_w) * finding.efficiency)
        parts += [el("path", d=path([(axes.x(0), axes.y(finding.idle_w)),
                                     (axes.x(end), axes.y(finding.idle_w + end / finding.efficiency))]),
                     class_="level level-ahead"),
                  el("text", f"idle {finding.idle_w:.0f} W", x=axes.x(0.16 * axes.most_x), y=_BOTTOM - 8,
                     class_="scale scale-now")]
        said += f" The line begins at {finding.idle_w:.0f} W and rises by {1 / finding.efficiency:.2f} W for each W."
    parts += [el("circle", cx=axes.x(ac), cy=axes.y(dc), r=5, class_="dot") for ac, dc in pairs]
    parts += [el("text", "AC", x=_RIGHT, y=_BOTTOM + 36, class_="scale end"),
              el("text", "DC", x=_LEFT + 7, y=_TOP + 8, class_="scale")]
    return _figure("DC against AC", said, parts)


def _figure(title: str, description: str, parts: list[Markup]) -> Markup:
    return figure(WIDTH, HEIGHT, title, description, join(parts), name="run", class_="run-figure")


def _hours(hours: float) -> str:
    return f"{hours:.0f} h" if hours >= 2 or hours == 0 else f"{hours * 60:.0f} min"


def _round_up(value: float) -> float:
    """The next round number up, so that the last point has room; 1 for nothing."""
    if value <= 0:
        return 1.0
    grain = 10.0 ** math.floor(math.log10(value))
    return next(step * grain for step in (1.2, 1.6, 2, 2.5, 3, 4, 5, 6, 8, 10, 12) if step * grain >= value * 1.02)


def _once(values: list[float], show: Callable[..., Any]) -> list[tuple[float, str]]:
    """Steps with their lettering, each said once: of several that are said alike the first."""
    told: dict[str, float] = {}
    for value in values:
        told.setdefault(show(value), value)
    return [(value, words) for words, value in told.items()]


def _steps(most: float) -> list[float]:
    """Four to six round steps from nought up to `most`."""
    grain = 10.0 ** math.floor(math.log10(most))
    step = next(part * grain for part in (0.2, 0.25, 0.5, 1.0, 2.0, 2.5) if most / (part * grain) <= 6.01)
    return [n * step for n in range(int(most / step + 1e-9) + 1)]
