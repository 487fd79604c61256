"""What a night takes, in words."""

from datetime import datetime, timedelta

from voltaun.core.instants import day_start, local_day
from voltaun.core.learned.nights import Nights, dark_hours
from voltaun.core.outlook.outlook import Outlook
from voltaun.core.rig.bank import effective_energy
from voltaun.core.rig.rig import Rig
from voltaun.core.sky.clear_sky import RigSun
from voltaun.words.units import show_percent, show_rough

FEW_DAYS = 7
"""While fewer days of use are known, what a night takes is the surest that there is."""

SAME = 0.02
"""A range of a level that is no wider than this is one figure, a fraction."""


def nights_take(nights: Nights | None, rig: Rig, sun: RigSun | None, now: datetime) -> str | None:
    """`Your nights take about 12 %, 1.1 kWh.`; None where none is known, or it does not get dark."""
    if nights is None or sun is None:
        return None
    energy = effective_energy(rig).wh
    hours = dark_hours(sun, day_start(local_day(now, rig.zone) + timedelta(days=1), rig.zone), energy)
    if not hours:
        return None
    wh = (nights.watts + rig.bank.standby_w) * hours
    took = "Last night took" if nights.count == 1 else "Your nights take"
    return f"{took} about {show_percent(wh / energy)} in {hours:.0f} h of dark, {show_rough(wh)}."


def at_dawn(outlook: Outlook, rig: Rig, sun: RigSun) -> str | None:
    """`At dawn: about 76 %, between 71 % and 80 %.` None where no dawn lies ahead."""
    now = outlook.as_of.astimezone(rig.zone)
    early = now.hour < 12 and dark_hours(sun, now, effective_energy(rig).wh) > 0
    day = outlook.today if early else next(iter(outlook.days), None)
    if day is None:
        return None
    dawn = day.dawn_soc
    if dawn.p90 - dawn.p10 <= SAME:
        return f"At dawn: about {show_percent(dawn.p50)}."
    return f"At dawn: about {show_percent(dawn.p50)}, between {show_percent(dawn.p10)} and {show_percent(dawn.p90)}."
