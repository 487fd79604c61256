"""What an outlook took for granted, in words: a few short sentences for each thing."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from voltaun.core.sky.model import STARTUP_SHARES
from voltaun.words.house_units import show_temperature
from voltaun.words.sentences import by_rule, counted, draw, logged, plan
from voltaun.words.units import show_clock, show_energy, show_percent

if TYPE_CHECKING:
    from voltaun.core.learned.hours import Lean
    from voltaun.core.outlook.outlook import Outlook
    from voltaun.core.rig.rig import Rig

FEW_DAYS = 10
"""With fewer days of the sky logged what was believed beforehand still weighs much."""


def sky_beforehand(outlook: Outlook) -> str:
    """What is believed of the sky before the log tells."""
    own = outlook.sky.kind.points == tuple(STARTUP_SHARES.values())
    return "the start-up shares" if own else "the weather files of the place"


def when_used(lean: Lean) -> str:
    """At what hours the use comes, beyond the list of loads, in a sentence; nothing while the log does not tell."""
    a, b = (float(part) for part in lean.mean)
    most = math.hypot(a, b)
    if most < 0.1:
        return ""
    hour = round(math.atan2(a, b) / (2 * math.pi) * 24) % 24
    return f"By readings within the day it leans towards {show_clock(float(hour))}, by {most * 100:.0f} %."


def use(of: Outlook) -> list[str]:
    """What is used a day, and where that comes from."""
    drain = of.present.drain
    told = f"{show_energy(drain.use_wh)} a day at the battery, "
    if drain.basis == "log":
        told += f"from {logged(drain.days_known, drain.hours_known)}, give or take {show_energy(drain.sd_wh)}."
    else:
        told += "from the list of loads: the log does not tell it yet."
    found = [told, f"Standby takes {show_energy(drain.standby_wh)} more."]
    if drain.hidden_wh:
        found.append(f"There is {draw(of.learned.steady_draw_w, drain.hidden_wh)}.")
    return [*found, when_used(of.lean)]


def sun(of: Outlook) -> list[str]:
    """What part of a clear sky the panels bring, and from how many days."""
    share = of.learned.share
    low, high = (100 * share.quantile(part) for part in (0.1, 0.9))
    rests = f"From {counted(share.days, 'logged day')}" if share.days else "No day of it is logged yet"
    if share.capped_days:
        some = "all" if share.capped_days == share.days else share.capped_days
        rests += f", {f'{some} of them ' if share.days > 1 else ''}capped by a full bank"
    found = [f"{100 * share.mean:.0f} % of a clear sky on average, {low:.0f}–{high:.0f} % on 8 days in 10.",
             f"{rests}."]
    if share.days < FEW_DAYS:
        found.append(f"With so few days, {sky_beforehand(of)} still weigh much.")
    return found


def bank(of: Outlook, rig: Rig) -> list[str]:
    """What the bank holds, and down to where."""
    held, temp = of.learned.effective_energy_wh, of.present.temp_c
    found = [f"{show_energy(of.present.energy_wh)} from full to empty"
             + (f" at {show_temperature(temp)}." if temp is not None else ".")]
    if of.energy_shown and held:
        found.append(f"The log shows {show_energy(held.low)} to {show_energy(held.high)}, and that counts, not Rig.")
    if temp is None:
        found.append("No temperature is known, so no cold is counted.")
    found.append(f"Floors at {show_percent(rig.bank.everyday_floor)} and {show_percent(rig.bank.hard_floor)}.")
    if rig.soc_from == "shunt":
        found.append("A counted percent is relative to the capacity set in the shunt. It cannot show what the bank has "
                     "lost.")
    return found


def planned(of: Outlook, rig: Rig) -> str:
    """What is planned, and when the generator is run."""
    rule = [f"the generator {by_rule(of.rule)}"] if of.rule else []
    return "; ".join([*(plan(each, rig) for each in of.plans), *rule])
