"""Samples CSV: dense monitor data, read a piece at a time, so that no file is too large."""

import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np

from voltaun.core.instants import resolve
from voltaun.core.samples import Samples
from voltaun.formats import FileFaults, shown

COLUMNS = ("at", "volts", "amps", "watts", "soc_percent", "charge_wh", "discharge_wh")
_LEGAL = {"volts": (0, 2000), "amps": (-1e5, 1e5), "watts": (-1e7, 1e7), "soc_percent": (0, 100),
          "charge_wh": (0, 1e12), "discharge_wh": (0, 1e12)}
PIECE = 50_000
"""Rows read at a time."""

_BEYOND = "beyond the last column"
_EARLIEST, _LATEST = 0, 7_258_118_400  # 1970 to 2199


@dataclass
class Told:
    """What is worth saying of a file, gathered while it is read."""

    rows: int = 0
    warnings: list[str] = field(default_factory=list)


def header(first_line: str) -> tuple[list[str], str]:
    """The names of the columns and the comma or semicolon between them."""
    line = first_line.lstrip("\ufeff")
    delimiter = ";" if line.count(";") > line.count(",") else ","
    return [name.strip() for name in next(csv.reader([line], delimiter=delimiter), [])], delimiter


def looks_like_samples(first_line: str) -> bool:
    """Whether a file with this first line is a samples CSV in the open shape."""
    names, _ = header(first_line)
    return "at" in names and "read_at" not in names


def mapped(names: list[str], mapping: dict[str, str]) -> dict[str, str]:
    """Our column for each of the file's: by the mapping (ours → the file's), else by the same name, so that a
    file in the open shape is read whatever was mapped before.

    Raises FileFaults when `at` or everything but it is missing, or a mapped column is not in the file.
    """
    faults = FileFaults()
    for ours, theirs in mapping.items():
        if theirs and theirs not in names and ours not in names:
            faults.add(f"the mapping of {ours}", shown(theirs), "one of the file's columns: " + ", ".join(names))
    for name in sorted({name for name in names if names.count(name) > 1}):
        faults.add("line 1", f"the column {shown(name)} twice", "each column once")
    chosen = {}
    for ours in COLUMNS:
        name = mapping.get(ours) if mapping.get(ours) in names else ours
        if name in names:
            chosen[name] = ours
    if "at" not in chosen.values():
        faults.add("line 1", ", ".join(names) or "nothing", "a column `at`, or one mapped to it")
    if len(chosen) < 2:
        faults.add("line 1", ", ".join(names) or "nothing", "at least one of " + ", ".join(COLUMNS[1:]))
    _refuse(faults)
    return chosen


def pieces(file: io.BufferedIOBase, zone: ZoneInfo, mapping: dict[str, str], told: Told) -> Iterator[Samples]:
    """The samples of a file, piece by piece, as they stand in it; UTF-8, comma or semicolon.

    zone  of times without an offset; mapping  our column → the file's
    Raises FileFaults with every fault of the first piece that has any: line, column, found, expected.
    """
    import pandas as pd
    try:
        first_line = file.readline(65_536).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        faults = FileFaults()
        faults.add("line 1", "what is no UTF-8", "a CSV in UTF-8")
        raise faults from error
    names, delimiter = header(first_line)
    chosen = mapped(names, mapping)
    left_out = [name for name in names if name not in chosen]
    if left_out:
        told.warnings.append("columns not known and left out: " + ", ".join(left_out))
    reader = pd.read_csv(_Headed(names, delimiter, file), header=0, usecols=[*chosen, _BEYOND], sep=delimiter,
                         dtype=str, index_col=False, chunksize=PIECE, keep_default_na=False, na_filter=False,
                         skip_blank_lines=True, encoding="utf-8", engine="c")
    line = 2
    try:
        for table in reader:
            _refuse_beyond(table[_BEYOND], line, len(names))
            yield _piece(table.rename(columns=chosen), delimiter, zone, line, told)
            line += len(table)
            told.rows += len(table)
    except (pd.errors.ParserError, UnicodeDecodeError) as error:
        faults = FileFaults()
        faults.add(f"after line {line - 1}", str(error).strip().rpartition("C error: ")[2] or "what is no CSV",
                   f"rows of {len(names)} columns in UTF-8")
        _refuse(faults)


def _piece(table, delimiter, zone, line, told) -> Samples:
    faults = FileFaults()
    at = _instants(table["at"], zone, line, faults, told)
    columns = {}
    for name, (low, high) in _LEGAL.items():
        columns[name] = _numbers(table[name], name, low, high, delimiter, line, faults) if name in table else \
            np.full(len(table), np.nan)
    _refuse(faults)
    return Samples(at, columns["volts"], columns["amps"], columns["watts"], columns["soc_percent"] / 100,
                   columns["charge_wh"], columns["discharge_wh"])


class _Headed:
    """The rest of a file under a header of its own, with one column more than the file has.

    The parser drops what stands beyond the last column; the column more shows that something did.
    """

    def __init__(self, names, delimiter, file):
        line = io.StringIO()
        csv.writer(line, delimiter=delimiter, lineterminator="\n").writerow([*names, _BEYOND])
        self._header, self._file = line.getvalue().encode(), file

    def read(self, size=-1):
        header, self._header = self._header, b""
        return header or self._file.read(size)

    def __iter__(self):
        return iter(self._file)


def _refuse_beyond(texts, line, columns) -> None:
    faults = FileFaults()
    for n in np.flatnonzero(texts.to_numpy() != "")[:200]:
        faults.add(f"line {line + n}", f"more than {columns} fields", f"rows of {columns} columns")
    _refuse(faults)


def _refuse(faults: FileFaults) -> None:
    if faults.faults:
        raise faults


def _numbers(texts, name, low, high, delimiter, line, faults) -> np.ndarray:
    import pandas as pd
    if delimiter == ";":
        texts = texts.str.replace(",", ".", regex=False)
    numbers = pd.to_numeric(texts, errors="coerce").to_numpy(dtype=float)
    odd = np.isnan(numbers) & (texts.to_numpy() != "")
    odd |= ~np.isnan(numbers) & ~((numbers >= low) & (numbers <= high))
    for n in np.flatnonzero(odd)[:200]:
        if texts.iloc[n].strip():
            faults.add(f"line {line + n}, column {name}", shown(texts.iloc[n]), f"a number from {low:g} to {high:g}")
    return numbers


def _instants(texts, zone, line, faults, told) -> np.ndarray:
    """Seconds since 1970: ISO 8601 with or without an offset, or such seconds themselves."""
    import pandas as pd
    first = texts.iloc[0].strip()
    if first.replace(".", "", 1).isdigit() and len(first) >= 9:
        seconds = pd.to_numeric(texts, errors="coerce").to_numpy(dtype=float)
        bad = np.isnan(seconds)
    else:
        aware = first.endswith(("Z", "z")) or "+" in first[10:] or "-" in first[10:]
        times = pd.to_datetime(texts, format="ISO8601", errors="coerce", utc=aware)
        if aware:
            times = times.dt.tz_localize(None)
        bad = times.isna().to_numpy()
        seconds = times.to_numpy().astype("datetime64[s]").astype("int64").astype(float)
        if not aware:
            seconds = np.where(bad, 0.0, seconds)
            seconds -= _offsets(seconds, zone, told)
    bad = bad | ~((seconds >= _EARLIEST) & (seconds < _LATEST))
    for n in np.flatnonzero(bad)[:200]:
        faults.add(f"line {line + n}, column at", shown(texts.iloc[n]) if texts.iloc[n] else "nothing",
                   "a date and time such as 2026-11-24T19:30:00, all with or all without an offset")
    return np.where(bad, 0.0, seconds).astype(np.int64)


def _offsets(local_seconds, zone, told) -> np.ndarray:
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
