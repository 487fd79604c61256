"""The leaves of the long pages: what is asked, listed or explained stands on one of its own."""

from flask import abort

LEAVES = {
    "outlook": (("", "Ahead"), ("days", "Day by day"), ("plans", "Plans"), ("worst", "The worst again"),
                ("record", "Past outlooks"), ("basis", "What it rests on")),
    "additions": (("", "The answer"), ("question", "The question"), ("prices", "Price list"), ("weather", "Weather"),
                  ("without", "Without buying"), ("beside", "Before buying"), ("options", "All options"),
                  ("worksheet", "The worksheet")),
    "rig": (("", "The drawing"), ("parts", "Parts"), ("places", "Places and weather"),
            ("figures", "The figures")),
}
"""Of each page the key in the address, "" for the first look, and the words."""


def known_leaf(page: str, leaf: str) -> str:
    """A leaf of a page; the request ends where there is none of that name."""
    if leaf not in [key for key, _ in LEAVES[page]]:
        abort(404)
    return leaf
