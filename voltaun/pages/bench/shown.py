"""A run as the page shows it: what it found so far in words, its figures, its picture, what can be applied."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from voltaun.core.bench.findings import Finding, changes, doubtful, find
from voltaun.core.bench.findings import stands as going
from voltaun.core.bench.going import Going
from voltaun.core.bench.metering import Metered
from voltaun.core.bench.runs import Run
from voltaun.core.bench.trials import Tested
from voltaun.core.reasons import CounterFell, Misread, NotYet
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.figures import figures
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun
from voltaun.pages.figures import bench as pictures
from voltaun.words import going as in_words
from voltaun.words.findings import next_step, said, title
from voltaun.words.reasons import say
from voltaun.words.sentences import figure_words
from voltaun.words.units import show_energy


@dataclass(frozen=True)
class Shown:
    """What a run says at this moment. `fault` is what does not fit, with the reading it stands at."""

    run: Run
    title: str
    headline: str
    advice: str = ""
    rows: tuple[tuple[str, str], ...] = ()
    remarks: tuple[str, ...] = ()
    picture: object = None
    finding: Finding | None = None
    changes: tuple[tuple[str, str, str], ...] = ()  # figure, now, found
    fault: Misread | None = None
    doubt: str = ""  # why the finding is beyond belief
    going: Going | None = None  # how it stands while it runs

    @property
    def asks_reset(self) -> bool:
        """Whether a counter fell, and the page must ask whether it was reset there."""
        return isinstance(self.fault, CounterFell) and self.run.instrument in ("meter", "harvest")

    @property
    def asks_how_long(self) -> bool:
        """Whether it must be said how much of a day a short run of a meter is."""
        return isinstance(self.finding, Metered) and self.finding.daily_wh is None


def shown(run: Run, rig: Rig, now: datetime, sun: RigSun | None = None, usual_share: float | None = None,
          others: Sequence[Run] = ()) -> Shown:
    """Reckon a run and put it in words; `sun` and what part of it is usual are needed for a harvest trial of an
    array; others  what may stand beside it."""
    name, stands = title(run), going(run, rig, sun)
    told = tuple(in_words.rows(stands, rig, now)) if stands else ()
    try:
        finding = find(run, rig, sun, usual_share, others)
    except NotYet as yet:
        if stands:
            return Shown(run, name, in_words.headline(stands, run, rig, now), say(yet.reason), told,
                         picture=pictures.draw(run, None, rig), going=stands)
        return Shown(run, name, say(yet.reason), next_step(run), picture=pictures.draw(run, None, rig))
    except Misread as fault:
        return Shown(run, name, f"Something does not fit: {say(fault.reason)}.", fault=fault)
    headline, advice, rows = said(finding, run, rig)
    doubt = doubtful(run, rig, finding)
    if stands and isinstance(finding, Tested) and _goes_on(run, stands, now):
        headline, advice = in_words.headline(stands, run, rig, now), headline
    return Shown(run, name, headline, advice, (*rows, *told), tuple(map(say, finding.remarks)),
                 pictures.draw(run, finding, rig), finding, tuple(_changed(run, rig, finding)),
                 doubt=say(doubt) if doubt else "", going=stands)


def _goes_on(run: Run, stands: Going, now: datetime) -> bool:
    """Whether a capacity test without its cut-off would not be empty yet."""
    return not run.cut_off and any(each.at > now for of in stands.witnesses for each in of.until)


def _changed(run: Run, rig: Rig, finding: Any) -> Iterator[tuple[str, str, str]]:
    standing = figures(rig)
    if rig.bank.tested_energy_wh is None:
        standing["bank", "tested_energy_wh"] = effective_energy(rig).wh
    for path, value in changes(run, rig, finding).items():
        now = standing.get(path)
        if now != value and path[-1] != "side":
            yield figure_words(path[-1]), _plain(path, now), _plain(path, value)


def _plain(path: tuple[str, ...], value: Any) -> str:
    if value is None:
        return "not known"
    if isinstance(value, str):
        return value
    if path[-1] == "efficiency":
        return f"{value * 100:.1f} %"
    if path[-1].endswith("_wh"):
        return show_energy(value)
    return f"{value:g} W"
