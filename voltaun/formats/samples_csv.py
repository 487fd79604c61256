"""Samples CSV: dense monitor data, read a piece at a time, so that no file is too large."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import IO, TYPE_CHECKING
from zoneinfo import ZoneInfo

import numpy as np
from numpy import ndarray

from voltaun.core.instants import resolve
from voltaun.core.log.samples import Samples
from voltaun.formats import FileFaults, shown
from voltaun.formats.cells import percent, plain
from voltaun.formats.mapping import SAMPLES, UNITS, Column, Mapping
from voltaun.formats.tables import MOST_COLUMNS, doubled, lines_of, separator_of
from voltaun.formats.when import read_when

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from pandas import DataFrame, Series

COLUMNS = ("at", "volts", "amps", "watts", "soc_percent", "charge_wh", "discharge_wh")
_LEGAL = {"volts": (0, 2000), "amps": (-1e5, 1e5), "watts": (-1e7, 1e7), "soc_percent": (0, 100),
          "charge_wh": (0, 1e12), "discharge_wh": (0, 1e12)}
PIECE = 50_000
"""Rows read at a time."""

UNREAD = 200
"""After so many times that cannot be read the rest of a piece is not tried."""

_BEYOND = "beyond the last column"
_EARLIEST, _LATEST = 0, 7_258_118_400  # 1970 to 2199


@dataclass
class Told:
    """What is worth saying of a file, gathered while it is read."""

    rows: int = 0
    warnings: list[str] = field(default_factory=list)


def header(first_line: str) -> tuple[list[str], str]:
    """The names of the columns and the mark between them."""
    line = lines_of(first_line.lstrip("\ufeff")).split("\n", 1)[0]
    delimiter = separator_of(line)
    names = [name.strip() for name in next(csv.reader([line], delimiter=delimiter), [])] \
        if line.count(delimiter) < MOST_COLUMNS else [""] * MOST_COLUMNS
    return names, delimiter


def looks_like_samples(first_line: str) -> bool:
    """Whether a file with this first line is a samples CSV in the open shape."""
    names, _ = header(first_line)
    return "at" in names and "read_at" not in names


def mapped(names: list[str], mapping: Mapping | None) -> dict[str, Column]:
    """What each of the file's columns is: by the mapping, else by the same name, so that a file in the open shape is
    read whatever was mapped before.

    Raises FileFaults when `at` or everything but it is missing, or a mapped column is not in the file.
    """
    faults = FileFaults()
    if len(names) >= MOST_COLUMNS:
        faults.add("line 1", f"{MOST_COLUMNS} columns or more", f"fewer than {MOST_COLUMNS}")
    told = mapping.columns if mapping else {}
    for theirs, column in told.items():
        if theirs not in names and column.of not in names:
            faults.add(f"the mapping of {column.of}", shown(theirs), "one of the file's columns: "
                       + ", ".join(names)[:200])
    for name in sorted(doubled(names)):
        faults.add("line 1", f"the column {shown(name)} twice", "each column once")
    _refuse(faults)
    chosen = {theirs: column for theirs, column in told.items() if theirs in names}
    left = set(names) - {column.of for column in chosen.values()} - set(chosen)
    chosen |= {name: Column(name) for name in COLUMNS if name in left}
    ours = {column.of for column in chosen.values()}
    if "at" not in ours:
        faults.add("line 1", ", ".join(names)[:200] or "nothing", "a column `at`, or one mapped to it")
    if len(ours) < 2:
        faults.add("line 1", ", ".join(names)[:200] or "nothing", "at least one of " + ", ".join(COLUMNS[1:]))
    _refuse(faults)
    return chosen


def pieces(file: IO[bytes], zone: ZoneInfo, mapping: Mapping | None, told: Told,
           volts: float | None = None) -> Iterator[Samples]:
    """The samples of a file, piece by piece, as they stand in it; UTF-8, with any end of lines.

    zone  of times without an offset; mapping  how a file of another shape is read; volts  for energies in Ah
    Raises FileFaults with every fault of the first piece that has any: line, column, found, expected.
    """
    import pandas as pd
    lines = _Lines(file)
    try:
        first_line = lines.first().decode("utf-8-sig")
    except UnicodeDecodeError as error:
        faults = FileFaults()
        faults.add("line 1", "what is no UTF-8", "a CSV in UTF-8")
        raise faults from error
    names, delimiter = header(first_line)
    chosen = mapped(names, mapping)
    left_out = [name for name in names if name not in chosen]
    if left_out:
        told.warnings.append("columns not known and left out: " + ", ".join(left_out)[:300])
    reading = _Reading(zone, delimiter, mapping or Mapping(SAMPLES), {c.of: c for c in chosen.values()}, volts, told)
    reader = pd.read_csv(_Headed(names, delimiter, lines), header=0, usecols=[*chosen, _BEYOND], sep=delimiter,
                         dtype=str, index_col=False, chunksize=PIECE, keep_default_na=False, na_filter=False,
                         skip_blank_lines=True, encoding="utf-8", engine="c")
    line = 2
    try:
        for table in reader:
            if len(table):  # a file that is only a header gives one empty piece
                _refuse_beyond(table[_BEYOND], line, len(names))
                named = {theirs: column.of for theirs, column in chosen.items()}
                yield reading.piece(table.rename(columns=named), line)
            line += len(table)
            told.rows += len(table)
    except (pd.errors.ParserError, UnicodeDecodeError) as error:
        faults = FileFaults()
        faults.add(f"after line {line - 1}", str(error).strip().rpartition("C error: ")[2] or "what is no CSV",
                   f"rows of {len(names)} columns in UTF-8")
        _refuse(faults)


class _Lines:
    """A file whose lines all end in a line feed, whatever they end in."""

    def __init__(self, file: IO[bytes]) -> None:
        self._file, self._cut, self._rest = file, False, b""

    def first(self) -> bytes:
        """The first line."""
        start = self.read(65_536)
        line, _, self._rest = start.partition(b"\n")
        return line

    def read(self, size: int = -1) -> bytes:
        if self._rest:
            rest, self._rest = self._rest, b""
            return rest
        data = self._file.read(size)
        if b"\r" in data or self._cut:
            if self._cut and data.startswith(b"\n"):
                data = data[1:]
            self._cut = data.endswith(b"\r")  # its line feed may be the first byte of what comes next
            data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
        return data


@dataclass(frozen=True)
class _Reading:
    """How the pieces of one file are read."""

    zone: ZoneInfo
    delimiter: str
    mapping: Mapping
    columns: dict[str, Column]
    volts: float | None
    told: Told

    def piece(self, table: DataFrame, line: int) -> Samples:
        """The samples of a table of texts with our names."""
        faults = FileFaults()
        at = self._instants(table["at"], line, faults)
        found = {}
        for name, (low, high) in _LEGAL.items():
            found[name] = self._numbers(table[name], name, low, high, line, faults) if name in table else \
                np.full(len(table), np.nan)
        _refuse(faults)
        return Samples(at, found["volts"], found["amps"], found["watts"], found["soc_percent"] / 100,
                       found["charge_wh"], found["discharge_wh"])

    def _numbers(self, texts: Series, name: str, low: float, high: float, line: int, faults: FileFaults) -> np.ndarray:
        import pandas as pd
        decimal = self.mapping.decimal or ("," if self.delimiter == ";" else ".")
        if decimal == ",":
            texts = texts.str.replace(",", ".", regex=False)
        numbers: np.ndarray = pd.to_numeric(texts, errors="coerce").to_numpy(dtype=float) * self._factor(name)
        odd = np.isnan(numbers) & (texts.to_numpy() != "")
        odd |= ~np.isnan(numbers) & ~((numbers >= low) & (numbers <= high))
        for n in np.flatnonzero(odd)[:200]:
            if texts.iloc[n].strip():
                faults.add(f"line {line + n}, column {name}", shown(texts.iloc[n]),
                           f"a number from {low:g} to {high:g}")
        return numbers

    def _factor(self, name: str) -> float:
        column = self.columns[name]
        if column.unit == "Ah":
            return column.scale * (self.mapping.volts or self.volts or np.nan)
        return column.scale * float(UNITS[name][column.unit] if column.unit else 1.0)

    def _instants(self, texts: Series, line: int, faults: FileFaults) -> np.ndarray:
        """Seconds since 1970: such seconds themselves (or thousandths), or days and times as people write them."""
        import pandas as pd
        unit, first = self.columns["at"].unit, texts.iloc[0].strip()
        if unit.startswith("epoch") or not unit and first.replace(".", "", 1).isdecimal() and len(first) >= 9:
            seconds = pd.to_numeric(texts, errors="coerce").to_numpy(dtype=float)
            seconds = seconds / 1000 if unit == "epoch ms" else seconds
            bad = np.isnan(seconds)
        else:
            seconds, bad = self._written(texts)
        bad = bad | ~((seconds >= _EARLIEST) & (seconds < _LATEST))
        for n in np.flatnonzero(bad)[:200]:
            faults.add(f"line {line + n}, column at", shown(texts.iloc[n]) if texts.iloc[n] else "nothing",
                       "a date and time such as 2026-11-24T19:30:00")
        return np.where(bad, 0.0, seconds).astype(np.int64)

    def _written(self, texts: Series) -> tuple[np.ndarray, np.ndarray]:
        """Written times, each with an offset of its own or in the zone; seconds since 1970, and which are none."""
        import pandas as pd
        seconds, listed = np.full(len(texts), np.nan), texts.tolist()
        # Told by a few letters, since there may be millions; the parser refuses what only looks like it.
        iso = np.fromiter((len(text) > 15 and text[4] == "-" and text[13] == ":" for text in listed), bool, len(listed))
        aware = iso & np.fromiter((text[-1:] in ("Z", "z") or "+" in text[16:] or "-" in text[16:] for text in listed),
                                  bool, len(listed))
        for which, utc in ((aware, True), (iso & ~aware, False)):
            if which.any():
                times = pd.to_datetime(texts[which], format="ISO8601", errors="coerce", utc=utc)
                times = times.dt.tz_localize(None) if utc else times
                found = times.to_numpy().astype("datetime64[s]").astype("int64").astype(float)
                found[times.isna().to_numpy()] = np.nan
                seconds[which] = found if utc else self._local(found)
        unread = 0
        for n in np.flatnonzero(~iso):  # another way of writing, which is slower to read
            try:
                seconds[n] = resolve(read_when(listed[n], self.mapping.dates), self.zone)[0].timestamp()
            except (ValueError, OverflowError):
                unread += 1
                if unread > UNREAD:
                    break  # the file is refused for these already
        return seconds, np.isnan(seconds)

    def _local(self, seconds: ndarray) -> np.ndarray:
        good = ~np.isnan(seconds) & (seconds > -1e9) & (seconds < 1e10)
        found = np.full(len(seconds), np.nan)
        found[good] = seconds[good] - _offsets(seconds[good], self.zone, self.told)
        return found


class _Headed:
    """The rest of a file under a header of its own, with one column more than the file has.

    The parser drops what stands beyond the last column; the column more shows that something did.
    """

    def __init__(self, names: list[str], delimiter: str, file: _Lines) -> None:
        line = io.StringIO()
        csv.writer(line, delimiter=delimiter, lineterminator="\n").writerow([*names, _BEYOND])
        self._header, self._file = line.getvalue().encode(), file

    def read(self, size: int = -1) -> bytes:
        header, self._header = self._header, b""
        return header or self._file.read(size)

    def __iter__(self) -> Iterator[bytes]:
        return iter(self._file.read, b"")


def _refuse_beyond(texts: Series, line: int, columns: int) -> None:
    faults = FileFaults()
    for n in np.flatnonzero(texts.to_numpy() != "")[:200]:
        faults.add(f"line {line + n}", f"more than {columns} fields", f"rows of {columns} columns")
    _refuse(faults)


def _refuse(faults: FileFaults) -> None:
    if faults.faults:
        raise faults


def _offsets(local_seconds: ndarray, zone: ZoneInfo, told: Told) -> np.ndarray:
    """The zone's offset (s) at local clock times, by quarter hours; see `instants.resolve` for odd ones."""
    quarters, where = np.unique(local_seconds // 900, return_inverse=True)
    offsets = np.empty(len(quarters))
    for n, quarter in enumerate(quarters):
        local = datetime.fromtimestamp(float(quarter) * 900, tz=ZoneInfo("UTC")).replace(tzinfo=None)
        instant, warning = resolve(local, zone)
        offsets[n] = quarter * 900 - instant.timestamp()
        if warning and len(told.warnings) < 20:
            told.warnings.append(warning)
    return offsets[where]


def write_samples(months: Iterable[Samples]) -> Iterator[str]:
    """Samples in the open shape, a piece of text for each month of them, in the fewest digits that are read back."""
    yield ",".join(COLUMNS) + "\n"
    for samples in months:
        lines = []
        for at, volts, amps, watts, soc, charge, discharge in samples.rows():
            when = datetime.fromtimestamp(at, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
            figures = [plain(each) for each in (volts, amps, watts)] + [percent(soc), plain(charge), plain(discharge)]
            lines.append(",".join([when, *figures]))
        yield "\n".join(lines) + "\n" if lines else ""
