"""What the rows of a file come to as readings: of a device's many, of sums of days, and of counters that run on."""

from dataclasses import replace
from datetime import timedelta
from typing import Any
from zoneinfo import ZoneInfo

from voltaun.core.log.reading import FIELDS, Reading, of_kind, ordered_events

LARGE_ROWS, JOINED_H = 30_000, 3
"""A file of more rows than anybody writes by hand is a device's: its rows are joined to readings that are hours apart,
so that neither reading it nor any page afterwards takes the memory and the time of all of them."""


def together(before: Reading, reading: Reading) -> bool:
    """Whether a row belongs to the same few hours as the one before it."""
    spans = (int(each.at.timestamp()) // (3600 * JOINED_H) for each in (before, reading))
    return len({*spans}) == 1 and before.at < reading.at


def joined(before: Reading, reading: Reading, counted: bool) -> Reading:
    """Two rows as one reading at the later's time: energies and hours come to their sum (of counters to what they show
    last), and are not known where one of them is not; what else was noted stays."""
    values: dict[str, Any] = {}
    for of in FIELDS[1:]:
        earlier, later = getattr(before, of.name), getattr(reading, of.name)
        if of.kind in ("energy", "hours") and not (counted and of.kind == "energy"):
            values[of.name] = None if earlier is None or later is None else earlier + later
        elif of.kind == "words":
            values[of.name] = ordered_events({*earlier, *later})
        elif of.kind == "text":
            values[of.name] = "; ".join(filter(None, (earlier, later)))[:int(of.high)]
        elif later == of.blank:
            values[of.name] = earlier
    return replace(reading, **values)


DAY_LEFT_OUT = timedelta(hours=36)
"""Rows further apart have a day between them that nobody wrote down."""

LEFT_OUT_NOTE = "Nothing was written down for the days before."


def days_by_themselves(readings: list[Reading]) -> list[Reading]:
    """Readings whose energies are of their own day: where days were left out before one, an empty reading a day before
    it keeps its energies from being spread over all of them."""
    made = readings[:1]
    for before, reading in zip(readings, readings[1:], strict=False):
        if reading.at - before.at > DAY_LEFT_OUT:
            made.append(Reading(reading.at - timedelta(days=1), note=LEFT_OUT_NOTE))
        made.append(reading)
    return made


def since_the_row_before(readings: list[Reading], zone: ZoneInfo, warnings: list[str]) -> list[Reading]:
    """Readings whose energies are counters, with what each rose by. The first has nothing to count from; where a
    counter reads less than before it was set back, and nothing is known of that row."""
    last: dict[str, float] = {}
    made = []
    for reading in readings:
        rose: dict[str, Any] = {}
        for of in of_kind("energy"):
            shown: float | None = getattr(reading, of.name)
            if shown is None:
                continue
            before = last.get(of.name)
            rose[of.name] = None if before is None or shown < before else shown - before
            if before is not None and shown < before:
                warnings.append(f"{reading.at.astimezone(zone):%Y-%m-%d %H:%M}: the counter of {of.column} reads less "
                                "than in the row before, so it is left blank there")
            last[of.name] = shown
        made.append(replace(reading, **rose))
    return made
