"""Cells of a CSV that people write text in: a spreadsheet must not take one for a formula."""

import re
from decimal import Decimal


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
    """A fraction as the percent in the fewest digits that `fraction_of` reads as the same; nothing for None."""
    if fraction is None:
        return ""
    texts = (f"{fraction * 100:.{digits}g}" for digits in range(1, 16))
    short = next((text for text in texts if "e" not in text and float(text) / 100 == fraction), None)
    return short or f"{Decimal(repr(float(fraction))) * 100:f}"


def fraction_of(text: str) -> float:
    """The fraction that a percent says. Raises ValueError.

    Not every fraction is a hundredth of a number that the machine has; one written with more digits than those have
    is divided as it is written.
    """
    number = float(text)
    return number / 100 if sum(map(str.isdigit, text)) < 16 else float(Decimal(text) / 100)
