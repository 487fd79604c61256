"""A hydrometer in the cells of a flooded bank: the level by the weakest of them, and whether one stays behind."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from voltaun.core.bench.runs import Run, require_time
from voltaun.core.reasons import Misread, NotYet, Reason, reason
from voltaun.core.rig.bank import Gravity, soc_from_gravity
from voltaun.core.rig.rig import Rig

WIDER = 0.010
"""Cells that came so much further apart since the first reading drift apart."""

ACID_C = 25.0
"""The acid is taken to be as warm where it was not noted."""


@dataclass(frozen=True)
class Cells:
    """The finding of a hydrometer: the last reading, and how the cells stood at each.

    gravities  of the last; weakest  the number of its weakest cell, 1 the first; shown  the level and spread by it
    spreads  when the cells were read, and how far apart they were
    behind  the number of the cell that was the weakest every time while they came further apart, None where none is
    """

    gravities: tuple[float, ...]
    weakest: int
    shown: Gravity
    spreads: tuple[tuple[datetime, float], ...]
    behind: int | None
    remarks: tuple[Reason, ...]


def hydrometer(run: Run, rig: Rig) -> Cells:
    """What the cells show: each reading by its weakest, for the temperature of the acid (see `soc_from_gravity`).

    Raises NotYet while no cell was read or where the bank is not flooded, Misread for another number of cells.
    """
    if rig.bank.chemistry != "flooded":
        raise NotYet("no_cells_to_open")
    require_time(run, 1)
    read = [mark for mark in run.marks if mark.cells]
    if not read:
        raise NotYet("no_cell_read")
    for mark in read:
        if len(mark.cells) != len(read[0].cells):
            raise Misread("other_number_of_cells", mark.at, found=len(mark.cells), before=len(read[0].cells))
    shown = [soc_from_gravity(rig.bank, mark.cells, ACID_C if mark.ambient_c is None else mark.ambient_c)
             for mark in read]
    weakest = [min(range(len(mark.cells)), key=mark.cells.__getitem__) + 1 for mark in read]
    wider = shown[-1].spread - shown[0].spread > WIDER
    behind = weakest[-1] if len(read) > 1 and wider and len(set(weakest)) == 1 else None
    last = read[-1]
    return Cells(last.cells, weakest[-1], shown[-1],
                 tuple((mark.at, of.spread) for mark, of in zip(read, shown, strict=True)), behind,
                 tuple(_remarks(shown[-1], weakest[-1], behind, last.ambient_c is None)))


def _remarks(shown: Gravity, weakest: int, behind: int | None, untold: bool) -> Iterator[Reason]:
    if behind is not None:
        yield reason("cell_stays_behind", cell=behind)
    elif shown.uneven:
        yield reason("cells_apart", cell=weakest, spread=shown.spread)
    if untold:
        yield reason("acid_taken_as", temp_c=ACID_C)
    yield reason("cells_at_rest")
