"""The rows of a file that somebody else made, and how its numbers are written, before anything is made of them."""

import csv
import io
import re
from itertools import islice

from voltaun.formats import EMPTY_LINES, FileFaults, hollow

MOST_COLUMNS = 200
SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}


def not_a_table(start: bytes) -> str | None:
    """What the beginning of a file is that is read only once it was written as CSV, in words; None for other files."""
    if start.startswith(b"PK\x03\x04"):
        return "a spreadsheet file (xlsx or ods)"
    lines = [line.strip() for line in start.decode("utf-8", "replace").splitlines()[:3] if line.strip()]
    if len(lines) > 1 and all(line.startswith("{") and line.endswith("}") for line in lines[:2]):
        return "JSON lines"
    return None


AS_CSV = "CSV: open it in the program it came from, save it as CSV and bring that in"
"""What is expected of those."""


def separator_of(first_line: str) -> str:
    """The mark between a header's columns."""
    return max(SEPARATORS, key=lambda mark: (first_line.count(mark), mark == ","))


def doubled(names: list[str]) -> set[str]:
    """The names of a header that stand there more than once; empty ones do not count."""
    return {name for name in names if name and names.count(name) > 1}


def lines_of(text: str) -> str:
    """The text with every end of a line as a line feed."""
    return text.replace("\r\n", "\n").replace("\r", "\n")


def refuse_misshapen(text: str, separator: str, faults: FileFaults, wanted: str) -> None:
    """Raise the faults of a file that has too many columns or is hollow; `wanted` is what it should have been."""
    columns = text.split("\n", 1)[0].count(separator) + 1
    if columns > MOST_COLUMNS:
        faults.add("line 1", f"{columns} columns", f"at most {MOST_COLUMNS}")
        raise faults
    if hollow(text):
        faults.add("the file", f"{EMPTY_LINES} empty lines one after the other", wanted)
        raise faults


def table(text: str, separator: str = "", most: int | None = None) -> list[list[str]]:
    """The rows of a file, or the first of them. Raises FileFaults for what is no CSV and for too many columns."""
    faults = FileFaults()
    text = lines_of(text)
    first = text.split("\n", 1)[0]
    separator = separator or separator_of(first)
    refuse_misshapen(text, separator, faults, "a table")
    reader = csv.reader(io.StringIO(text.rstrip("\n")), delimiter=separator)
    try:
        rows = list(islice(reader, most))
    except csv.Error as error:
        faults.add(f"line {reader.line_num}", f"a broken row ({error})", "CSV")
        raise faults from error
    padded = any(space in text for space in " \t\u00a0\u202f")
    return [[cell.strip() for cell in row] for row in rows] if padded else rows


def number_of(text: str, decimal: str) -> float | None:
    """A number as a spreadsheet writes it; `decimal` is the mark before its fraction, the other groups thousands."""
    text = text.strip().replace("\u2212", "-").replace("\u00a0", " ").replace("\u202f", " ")
    match = re.fullmatch(r"([+-]?)(\d[\d.,' ]{0,40}|[.,]\d{1,20})(?: ?(?:%|k?Wh?|m?Ah?|m?V|h|min|°[CF]))?", text,
                         re.ASCII)
    if match is None:
        return None
    digits = match[2].replace(" ", "").replace("'", "")
    if decimal == ",":
        digits = digits.replace(".", "").replace(",", ".")
    elif decimal == ".":
        digits = digits.replace(",", "")
    else:
        digits = digits.replace(",", ".")
    try:
        return float(match[1] + digits)
    except ValueError:
        return None
