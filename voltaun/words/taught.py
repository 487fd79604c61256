"""What the log teaches, in words."""

from __future__ import annotations

from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from voltaun.words.sentences import draw
from voltaun.words.units import show_energy, show_power, show_rough

if TYPE_CHECKING:
    from voltaun.core.learned.account import Learned
    from voltaun.core.learned.change_points import Draw
    from voltaun.core.learned.patterns import Recent
    from voltaun.core.outlook.present import Present
    from voltaun.core.rig.bank import EffectiveEnergy

_BASES = {"tested": "as a capacity test found", "log": "as the log showed", "rated": "the bank’s rating",
          "station default": "85 % of the rating at the AC side"}


def of_log(learned: Learned) -> list[str]:
    """What is used a day, give or take, and what draws unseen; nothing while the log tells no use."""
    use = learned.use
    if use is None:
        return []
    spread = f", give or take {show_rough(use.sd)}" if use.sd else ""
    return [f"You use about {show_rough(use.mean)} a day{spread}.", *_unseen(learned)]


def headline(learned: Learned, recent: Recent | None) -> list[str]:
    """The same, with the last week where that is clearly otherwise."""
    use = learned.use
    if use is None:
        return []
    lately = f", in the last seven days {show_rough(recent.recent_wh)}" if recent and recent.real else ""
    return [f"You use about {show_rough(use.mean)} a day{lately}.", *_unseen(learned)]


def _unseen(learned: Learned) -> list[str]:
    return [f"There is {draw(learned.steady_draw_w)}."] if learned.steady_draw_w else []


def rig_says(energy: EffectiveEnergy, present: Present | None, learned: Learned) -> list[str]:
    """What the rig says of the bank, and what Today reckons with."""
    found = [f"Rig says {show_energy(energy.wh)}, {_BASES[energy.basis]}."]
    if present:
        weighed = ", each of the two weighed by how well it is known" if learned.effective_energy_wh else ""
        found.append(f"Today reckons with {show_energy(present.energy_wh)}{weighed}.")
    return found


def stands_out(of: Draw, zone: ZoneInfo) -> str:
    """A stretch in which more or less left the bank than the log explains."""
    since = f"{of.since.astimezone(zone):%-d %B}"
    when = f"From {since} to {of.until.astimezone(zone):%-d %B %Y}" if of.until else f"Since {since}"
    what = ("more leaves the bank than the log explains" if of.watts > 0 else
            "less leaves the bank than usual, or something charged unread")
    return f"{when} about {show_power(abs(of.watts))} {what}, give or take {show_power(of.error_w)}."
