"""The day's plan as one answer, from the same futures as the outlook."""

from dataclasses import dataclass

from voltaun.core.dayplan.ahead import Ahead
from voltaun.core.dayplan.hours import Day, left_over, planned_day
from voltaun.core.dayplan.marks import Marks
from voltaun.core.dayplan.placing import Placing, place
from voltaun.core.dayplan.ration import Rationed, ration
from voltaun.core.dayplan.spare_sun import Laid, lay
from voltaun.core.dayplan.tonight import Tonight, Traded, tonight, trade
from voltaun.core.learned.hours import LEAST_SHARES
from voltaun.core.learned.use import LEAST_DAYS_OF_USE
from voltaun.core.outlook.ask import Ask
from voltaun.core.outlook.lanes import RISKY
from voltaun.core.outlook.outlook import Outlook, outlook_of
from voltaun.core.outlook.prepare import prepare


@dataclass(frozen=True)
class DayPlan:
    """What to do with a day.

    outlook   that it was made from; day  the planned day's hours; placing  the movable loads
    tonight   what may be spent or must be spared until dawn; trade  what leaving a load off then pays for
    spill_list  what to do with sun that would be spilt
    ration    what leaving loads off buys; empty while nothing is short
    at_dawn   so many readings at dawn or dusk are still wanted to know at what hours the use comes; 0 where that is
    known, or where the use is not read at all
    stale     nothing but the outlook is told: the level was not read for long (then the others are empty or None)
    """

    outlook: Outlook
    day: Day | None = None
    placing: Placing | None = None
    tonight: Tonight | None = None
    spill_list: tuple[Laid, ...] = ()
    ration: tuple[Rationed, ...] = ()
    at_dawn: int = 0
    trade: Traded | None = None

    @property
    def stale(self) -> bool:
        """Whether the level is too old to plan by."""
        return self.day is None


def day_plan(ask: Ask, marks: Marks | None = None) -> DayPlan:
    """Plan the day. Raises NoOutlook when there is no level to start from or no use known."""
    marks = marks or Marks()
    ready = prepare(ask)
    looked, made = outlook_of(ready)
    if looked.present.vague:
        return DayPlan(looked)
    ahead = Ahead.of(ready, made)
    day = planned_day(ahead)
    placing = place(ahead, day.day, marks.done.get(day.day, ()), marks.last_done(day.day), marks.moved.get(day.day))
    allowed = tonight(ahead)
    laid = lay(left_over(ahead, day, placing.more), ask.rig.spill_list) if ask.rig.spill_list else []
    short = ration(ahead) if allowed.chance > RISKY else []
    return DayPlan(looked, day, placing, allowed, tuple(laid), tuple(short), _wanted_at_dawn(ask),
                   trade(ahead, allowed))


MOSTLY_READ = 0.5
"""Where less of the use is read than this share, readings at dawn would not tell its hours."""


def _wanted_at_dawn(ask: Ask) -> int:
    """How many more parts of days must be read until the hours of use are learned and not only listed."""
    use = ask.known.learned.use
    if use is None or use.intervals < LEAST_DAYS_OF_USE or use.read_share < MOSTLY_READ:
        return 0
    return max(0, LEAST_SHARES - ask.known.lean.parts)
