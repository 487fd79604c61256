"""Each source has a weave of its own (sun solid, engine slanted, generator dotted, mains crossed)."""

from markupsafe import Markup

from voltaun.pages.figures.svg import el, join

SOURCE_WORDS = {"solar": "sun", "vehicle": "engine", "generator": "generator", "mains": "mains"}


def definitions() -> Markup:
    """The weaves, to be put once into a page; other drawings refer to them."""
    line = {"stroke_width": 1.6}
    return el("svg", el("defs", join([
        _weave("vehicle", 5, el("path", d="M-1 6 L6 -1 M-3 3 L3 -3 M2 8 L8 2", class_="weave-stroke", **line)),
        _weave("generator", 5, el("circle", cx=1.6, cy=1.6, r=1.15, class_="weave-dot")),
        _weave("mains", 6, el("path", d="M0 3 H6 M3 0 V6", class_="weave-stroke", **line)),
        _weave("low", 6, el("path", d="M0 1 H6 M0 4 H6", class_="weave-stroke", stroke_width=1.2)),
        _weave("bank", 4, el("path", d="M0 2 H4", class_="weave-stroke", stroke_width=0.9)),
    ])), width=0, height=0, aria_hidden="true", focusable="false", class_="absolute")


def fill(source: str) -> str:
    """The `fill` of a source's bars."""
    return "currentColor" if source == "solar" else f"url(#weave-{source})"


def swatch(source: str) -> Markup:
    """A small sample for a legend."""
    return el("svg", el("rect", x=0.5, y=0.5, width=21, height=11, fill=fill(source), class_=f"bar bar-{source}"),
              viewBox="0 0 22 12", class_="swatch", aria_hidden="true")


def _weave(name, size, drawing):
    return el("pattern", el("g", drawing, class_=f"weave-{name}"), id=f"weave-{name}", width=size, height=size,
              patternUnits="userSpaceOnUse")
