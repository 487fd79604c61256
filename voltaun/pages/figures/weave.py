"""Each source has a weave of its own: sun solid, engine slanted, generator dotted, mains crossed, turbine in waves."""

from markupsafe import Markup

from voltaun.core.rig.sources import SOURCE, SOURCE_TABLE
from voltaun.pages.figures.svg import el, join

SOURCE_WORDS = {source.name: source.word for source in SOURCE_TABLE}


def definitions() -> Markup:
    """The weaves, to be put once into a page; other drawings refer to them."""
    return el("svg", el("defs", join([
        *(_weave(source.name, source.weave[0], el("path", d=source.weave[1], class_="weave-stroke", stroke_width=1.6))
          for source in SOURCE_TABLE if source.weave),
        _weave("low", 6, el("path", d="M0 1 H6 M0 4 H6", class_="weave-stroke", stroke_width=1.2)),
        _weave("bank", 4, el("path", d="M0 2 H4", class_="weave-stroke", stroke_width=0.9)),
    ])), width=0, height=0, aria_hidden="true", focusable="false", class_="absolute")


def fill(source: str) -> str:
    """The `fill` of a source's bars."""
    return f"url(#weave-{source})" if SOURCE[source].weave else "currentColor"


def swatch(source: str) -> Markup:
    """A small sample for a legend."""
    return el("svg", el("rect", x=0.5, y=0.5, width=21, height=11, fill=fill(source), class_=f"bar bar-{source}"),
              viewBox="0 0 22 12", class_="swatch", aria_hidden="true")


def _weave(name: str, size: int, drawing: Markup) -> Markup:
    return el("pattern", el("g", drawing, class_=f"weave-{name}"), id=f"weave-{name}", width=size, height=size,
              patternUnits="userSpaceOnUse")
