"""What the pages say beside their figures: their notes by page and name, so that all of it could be translated here.

A note is plain text. `{name}` stands for a figure that the page gives; `[words]` are a link, to the addresses that the
page gives, one after the other.
"""

import re
from functools import cache
from importlib import import_module

from markupsafe import Markup, escape

PAGES = ("additions", "bench", "frame", "house", "log", "outlook", "rig", "start", "sums", "today")

_LINK = re.compile(r"\[(.+?)\]")


@cache
def of_page(page: str) -> dict[str, str]:
    """The notes of a page, by name."""
    notes: dict[str, str] = import_module(f"voltaun.words.notes.{page}").NOTES
    return notes


def note(called: str, /, *addresses: str, **figures: object) -> Markup:
    """A note by its page and name, such as `bench.grades`, with links to these addresses and these figures.

    Raises KeyError for a note or a figure that is not there, ValueError where links and addresses do not match.
    """
    page, _, of = called.partition(".")
    text = of_page(page)[of]
    if len(_LINK.findall(text)) != len(addresses):
        raise ValueError(f"found {len(addresses)} addresses for {called}, expected one for each of its links")
    left = iter(addresses)
    linked = _LINK.sub(lambda of: f'<a href="{escape(next(left))}">{of[1]}</a>', str(escape(text)))
    return Markup(linked).format(**figures)
