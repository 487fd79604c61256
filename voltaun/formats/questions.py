"""What a file alone cannot tell of how it is to be read, and what of it is asked about."""

from contextlib import suppress
from dataclasses import dataclass
from datetime import date

from voltaun.core.rig.parts import SKIES
from voltaun.formats import loose, when
from voltaun.formats.guessing import DAYS, cells_of
from voltaun.formats.mapping import LOG, UNITS, Column, Mapping
from voltaun.formats.tables import number_of, table
from voltaun.formats.translating import holds


def _is_bare(text: str) -> bool:
    """Whether a text is a day, or a month, without a time."""
    for read in (lambda: when.read_day(text, when.DAY_FIRST), lambda: when.month_end(text),
                 lambda: when.without_year(text)):
        with suppress(ValueError):
            read()
            return True
    return False


def _lacks_year(text: str) -> bool:
    """Whether a day is written without its year."""
    with suppress(ValueError):
        when.without_year(when.split(text)[0])
        return True
    return False


@dataclass(frozen=True)
class Open:
    """What cannot be known from a file: the kind of question ("dates", "hour", "at", "year", "rig", "sums", "counter",
    "sky", and those of `loose`) and what it is about."""

    kind: str
    about: tuple[str, ...] = ()


def open_questions(mapping: Mapping, text: str) -> list[Open]:
    """What is still to be asked before a log can be read. Raises FileFaults."""
    rows = [row for row in table(text, mapping.separator) if any(row)]
    cells = cells_of(rows)
    values = {column.of: cells[theirs] for theirs, column in mapping.columns.items() if theirs in cells}
    name = next((name for name in DAYS if name in values), None)
    if name is None:
        return [Open("at")]
    found = []
    two_ways = None if mapping.dates else next(filter(_reads_two_ways, values[name]), None)
    if two_ways:
        found.append(Open("dates", (two_ways,)))
    if mapping.kind == LOG and "time" not in values and not mapping.hour:
        bare = next(filter(_is_bare, values[name]), None)
        found += [Open("hour", (bare,))] if bare else []
    if mapping.kind == LOG and mapping.year is None and (bare := next(filter(_lacks_year, values[name]), None)):
        found.append(Open("year", (bare,)))
    if mapping.kind == LOG and not mapping.only and (rigs := _rigs(mapping, rows)):
        found.append(Open("rig", rigs))
    if mapping.kind == LOG and not mapping.sums:
        runs_on = [theirs for theirs, column in mapping.columns.items() if column.of in UNITS
                   and column.of.endswith("_wh") and _counts(cells.get(theirs, []), column, mapping.decimal)]
        found += [Open("counter", tuple(runs_on))] if runs_on else []
    if mapping.kind == LOG:
        energies = any(of in UNITS and of.endswith("_wh") for of in values)
        two_ways_too = any(each.kind in ("dates", "year") for each in found)
        if energies and not mapping.sums and not two_ways_too and (gap := _left_out(values[name], mapping.dates)):
            found.append(Open("sums", (gap,)))
        found += [Open(kind, tuple(texts)) for kind, texts in _loose(mapping, cells).items()]
    odd = {word for word in values.get("sky", ()) if word.lower() not in {*SKIES, *mapping.sky}}
    return found + ([Open("sky", tuple(sorted(odd)[:20]))] if odd else [])


FEW_ROWS, ROWS, TIMES_ITS_STEP, MORE_THAN_A_DAY_WH = 3, 6, 10.0, 60_000.0
"""A column that hardly ever falls is a counter: over `ROWS` rows and more, or over a few where it stands at more than
anybody's day, and at so many times what it rises by in one."""


def _counts(values: list[str], column: Column, decimal: str) -> bool:
    numbers = [number for value in values if (number := number_of(value, decimal)) is not None]
    steps = [after - before for before, after in zip(numbers, numbers[1:], strict=False)]
    rising, falls = [step for step in steps if step > 0], sum(step < 0 for step in steps)
    if len(numbers) < FEW_ROWS or len(rising) <= 0.5 * len(steps) or falls > len(steps) / 50:
        return False
    half, wh = sorted(numbers)[len(numbers) // 2], UNITS[column.of][column.unit or "Wh"] or 1.0
    return len(numbers) >= ROWS or half * wh > MORE_THAN_A_DAY_WH and half > TIMES_ITS_STEP * sum(rising) / len(rising)


MOST_RIGS = 6


def _rigs(mapping: Mapping, rows: list[list[str]]) -> tuple[str, ...]:
    """The column that tells the rows of several rigs apart, and their names; none where no instant comes twice, or no
    column that was left out makes them differ."""
    header, body = rows[0], rows[1:]
    timed = [header.index(theirs) for theirs, column in mapping.columns.items()
             if column.of in (*DAYS, "time") and theirs in header]
    at = [tuple(row[n] if n < len(row) else "" for n in timed) for row in body]
    if len(set(at)) == len(at):
        return ()
    for n, theirs in enumerate(header):
        named = [row[n] if n < len(row) else "" for row in body]
        kinds = sorted(set(named))
        if (theirs and theirs not in mapping.columns and 1 < len(kinds) <= MOST_RIGS and all(kinds)
                and len(set(zip(at, named, strict=True))) == len(at)):
            return theirs, *kinds
    return ()


def _left_out(texts: list[str], order: str) -> str | None:
    """The first day of a daily sheet before which days were left out; None where none were, or it is no daily sheet."""
    days: list[date] = []
    for text in texts:
        try:
            days.append(when.read_day(when.split(text)[0], order))
        except ValueError:
            continue
    steps = [(after - before).days for before, after in zip(days, days[1:], strict=False)]
    gaps = [n for n, step in enumerate(steps) if 1 < step <= 60]
    daily = sum(step == 1 for step in steps) > len(steps) / 2 and len(set(days)) == len(days)
    return f"{days[gaps[0] + 1]:%-d %b %Y}" if gaps and daily else None


def _loose(mapping: Mapping, cells: dict[str, list[str]]) -> dict[str, list[str]]:
    """Some of the cells of each kind that is loosely written, where nobody said yet that they may be read as meant."""
    found: dict[str, list[str]] = {}
    for theirs, column in mapping.columns.items():
        if column.of != "note":
            for text in cells.get(theirs, ()):
                kind = loose.kind_of(text, *holds(column.of))
                if kind and kind not in mapping.loose and text not in found.setdefault(kind, []):
                    found[kind].append(text)
    return {kind: texts[:6] for kind, texts in found.items()}


def _reads_two_ways(text: str) -> bool:
    """Whether a day may be the fourth of March or the third of April."""
    try:
        when.read_day(when.split(text)[0])
    except when.TwoWays:
        return True
    except ValueError:
        pass
    return False
