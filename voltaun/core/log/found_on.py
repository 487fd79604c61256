"""A note that says something was found on: then the stretch before it tells nothing of what is usual."""

import re

_FOUND_ON = re.compile(r"\b(?:was|were|left|found|stayed|still)\b[^.;]{0,24}\bon\b|\bon all (?:night|day)\b"
                       r"|\bforgot\b[^.;]{0,40}\b(?:off|on)\b", re.IGNORECASE)


def found_on(note: str) -> bool:
    """Whether a note says that something was on which is not usually: `heater was on`, `forgot to switch the pump off`.

    It is asked about and never acted on by itself.
    """
    return _FOUND_ON.search(note) is not None
