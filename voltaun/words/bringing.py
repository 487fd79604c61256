"""A file that is brought in: what is understood of it, and what is asked of it."""

from __future__ import annotations

from collections.abc import Sequence

from voltaun.words.sentences import counted
from voltaun.words.units import show_percent, show_rough


def understood(levels: tuple[float | None, float | None], use_wh: float | None, solar_wh: float | None,
               is_log: bool) -> list[str]:
    """What a file says as it is understood: the lowest and the highest level, use and sun a day; of samples what came
    out of the bank and went into it."""
    found = []
    if levels[0] is not None:
        low, high = (show_percent(of) for of in levels)
        found.append(f"The level stays at {low}." if low == high else f"The level goes from {low} to {high}.")
    if use_wh is not None:
        found.append(f"About {show_rough(use_wh)} a day {'were used' if is_log else 'came out of the bank'}.")
    if solar_wh is not None:
        found.append(f"About {show_rough(solar_wh)} a day {'came from the sun' if is_log else 'went into it'}.")
    return found


def came_in(added: int, same: int, replaced: int, kept: int) -> list[str]:
    """What came of a file: readings added, there already, put in the place of others, and left as they were."""
    told = [f"{counted(added, 'reading')} added"]
    told += [f"{count} {what}" for count, what in (
        (same, "in the log already"), (replaced, "replaced"), (kept, "kept as they were")) if count]
    return [f"{', '.join(told)}.", "A whole import can be taken back under What was changed."]


_ASKED = {"dates": "{} can be read two ways: say below whether the day or the month comes first.",
          "hour": "The days have no time with them: say below at what hour the readings were taken.",
          "at": "No column is the day yet: choose one below.",
          "year": "{} has no year with it: say below in which year the first row is.",
          "rig": "More than one rig is in the file: say below which rows are of this one.",
          "sums": "Days are left out before {}: say below what the sums of a row are of.",
          "sky": "The sky is in words of your own: say below what they are."}


def asked(kind: str, about: Sequence[str]) -> str:
    """A question that the file leaves open, and what of it is asked about."""
    if kind == "counter":
        rises = "rises" if len(about) == 1 else "rise"
        return f"{' and '.join(about)} only {rises}: say below whether that is a counter."
    return _ASKED[kind].format(*about[:1])


def would_change(count: int, more: bool) -> str:
    """That some figures of the file are doubtful."""
    told = f"{count} or more figures" if more else counted(count, "figure")
    return f"{told} would change what the log says."


def differs(count: int) -> str:
    """That readings of the file differ from those of the log."""
    return (f"{counted(count, 'reading')} in the file {'differ' if count > 1 else 'differs'} from the log; nothing was "
            "written.")
