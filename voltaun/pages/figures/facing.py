"""How panels face and lean, as it was understood: from above, with north up, and from the side."""

import math

from markupsafe import Markup

from voltaun.core.rig.parts import SolarArray
from voltaun.pages.figures.svg import el, figure
from voltaun.words.rig import facing_words

WIDTH, HEIGHT = 250.0, 112.0
_X, _Y, _RADIUS = 56.0, 56.0, 36.0
_GROUND, _FOOT, _LONG = 92.0, 150.0, 70.0


def draw(array: SolarArray, latitude: float) -> Markup | None:
    """The drawing; None for one that is aimed by hand, which has no plane of its own."""
    if array.aimed_per_day:
        return None
    said = facing_words(array.tilt_deg, array.azimuth_deg)
    noon = 180.0 if latitude > 0 else 0.0
    return figure(WIDTH, HEIGHT, f"{array.name}: {said}", f"From above the panels face {array.azimuth_deg:.0f} degrees "
                  f"from north; from the side they lean {array.tilt_deg:.0f} degrees. The sun at noon stands in the "
                  f"{'south' if noon else 'north'}.",
                  *_above(array, noon), *_beside(array), name="facing", class_="facing")


def _at(degrees: float, radius: float) -> tuple[float, float]:
    """A point on a circle from above, degrees from north."""
    turn = math.radians(degrees)
    return _X + radius * math.sin(turn), _Y - radius * math.cos(turn)


def _above(array: SolarArray, noon: float) -> list[Markup]:
    (x, y), (left_x, left_y), (right_x, right_y) = (
        _at(array.azimuth_deg + turn, of) for turn, of in ((0, _RADIUS - 4), (-90, 20.0), (90, 20.0)))
    sun_x, sun_y = _at(noon, _RADIUS)
    drawn = [el("circle", cx=_X, cy=_Y, r=_RADIUS, class_="hair")]
    drawn += [el("text", letter, x=at_x, y=at_y + 4.5, class_="scale middle")
              for letter, turn in (("N", 0), ("E", 90), ("S", 180), ("W", 270))
              for at_x, at_y in (_at(turn, _RADIUS + 11),)]
    drawn.append(el("circle", cx=sun_x, cy=sun_y, r=5.0, class_="noon"))
    if array.tilt_deg >= 1:
        drawn.append(el("path", d=f"M{_X} {_Y} L{x:.1f} {y:.1f}", class_="tick"))
    drawn.append(el("path", d=f"M{left_x:.1f} {left_y:.1f} L{right_x:.1f} {right_y:.1f}", class_="level"))
    return drawn


def _beside(array: SolarArray) -> list[Markup]:
    lean = math.radians(array.tilt_deg)
    x, y = _FOOT + _LONG * math.cos(lean), _GROUND - _LONG * math.sin(lean)
    arc_x, arc_y = _FOOT + 24 * math.cos(lean), _GROUND - 24 * math.sin(lean)
    return [el("path", d=f"M{_FOOT - 12} {_GROUND} H{_FOOT + _LONG + 12}", class_="hair"),
            el("path", d=f"M{_FOOT + 24} {_GROUND} A24 24 0 0 0 {arc_x:.1f} {arc_y:.1f}", class_="tick"),
            el("path", d=f"M{_FOOT} {_GROUND} L{x:.1f} {y:.1f}", class_="level"),
            el("text", f"{array.tilt_deg:.0f}°", x=_FOOT + 34, y=_GROUND + 16, class_="scale scale-now middle")]
