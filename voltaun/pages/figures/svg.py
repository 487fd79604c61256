"""The little that is needed to write SVG safely."""

from collections.abc import Iterable
from functools import cache
from typing import Any

from markupsafe import Markup, escape


def el(tag: str, *children: Any, **attributes: Any) -> Markup:
    """One element. Underscores in attribute names become hyphens (`class_` is class); None is left out.

    Numbers are written to a tenth, which is finer than a screen shows.
    """
    written = "".join([f' {_name(name)}="{_value(value)}"' for name, value in attributes.items() if value is not None])
    inner = "".join([escape(child) for child in children if child is not None])
    return Markup(f"<{tag}{written}>{inner}</{tag}>") if inner else Markup(f"<{tag}{written}/>")


@cache
def _name(name: str) -> str:
    return name.rstrip("_").replace("_", "-") if name != "viewBox" else name


def _value(value: float | str) -> str:
    if isinstance(value, float):
        return f"{value:.1f}".removesuffix(".0")
    return escape(value)


def join(parts: Iterable[Any]) -> Markup:
    """Many elements as one."""
    return Markup("".join([part for part in parts if part is not None]))


def path(points: Iterable[tuple[float, float]], close: bool = False) -> str:
    """A path's `d` through these points."""
    d = "M" + " L".join(f"{x:.1f} {y:.1f}" for x, y in points)
    return d + " Z" if close else d


def band(xs: list[float], lower: list[float], upper: list[float]) -> str:
    """A path's `d` around the area between two lines over the same xs."""
    there = list(zip(xs, upper, strict=True))
    back = list(zip(xs, lower, strict=True))[::-1]
    return path(there + back, close=True)


def figure(width: float, height: float, title: str, description: str, *children: Any, name: str, role: str = "img",
           **attributes: Any) -> Markup:
    """The outer element, with a title and a description for screen readers.

    The role is "group" for a drawing with links in it, which as an image would hide them.
    """
    return el("svg", el("title", title, id=f"{name}-title"), el("desc", description, id=f"{name}-desc"), *children,
              viewBox=f"0 0 {width:g} {height:g}", role=role, aria_labelledby=f"{name}-title {name}-desc",
              **attributes)
