"""Cells of a CSV that people write text in: a spreadsheet must not take one for a formula."""

import re


def to_cell(text: str) -> str:
    """A text as it is written; what a spreadsheet would run (it begins with = + - or @) gets an apostrophe first."""
    return f"'{text}" if re.match(r"'*[=+\-@\t]", text) else text


def from_cell(text: str) -> str:
    """The text that `to_cell` wrote."""
    return text[1:] if re.match(r"'+[=+\-@\t]", text) else text


def plain(number: float | None) -> str:
    """A number in the fewest digits that give the same number again; nothing for None."""
    return "" if number is None else repr(float(number)).removesuffix(".0")


def percent(fraction: float | None) -> str:
    """A fraction as the percent in the fewest digits that is read back as the same fraction; nothing for None."""
    if fraction is None:
        return ""
    texts = (f"{fraction * 100:.{digits}g}" for digits in range(1, 18))
    return next((text for text in texts if "e" not in text and float(text) / 100 == fraction), f"{fraction * 100:.17g}")
