"""The question of additions as page and command both put it: what is typed of it, and the one composing of it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from voltaun.core.outlook.ask import Known
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.choices import Offer
from voltaun.core.sizing.simulation import AdditionsAsk
from voltaun.core.sizing.suns import Spot, own_plane_of, with_a_first_panel
from voltaun.core.sky.clear_sky import RigSun
from voltaun.core.sky.weather import Weather


def habit_from(text: str) -> tuple[float, float, float]:
    """`2/3/5`, days in ten bright, mixed and dark (or in a hundred), as parts of the days. Raises ValueError."""
    days = [float(part) for part in text.replace(",", ".").split("/")]
    if len(days) != 3 or not min(days) >= 0 or not any(abs(sum(days) / of - 1) < 0.03 for of in (10, 100)):
        raise ValueError(f"found {text[:40]!r}, expected days bright, mixed and dark that come to ten, such as "
                         "2/3/5")
    bright, mixed, dark = (day / sum(days) for day in days)
    return bright, mixed, dark


def plane_from(text: str) -> Spot:
    """`60/0`, tilt and azimuth in degrees, as a plane of its own for panels more. Raises ValueError."""
    tilt, _, azimuth = text.replace("°", "").replace(",", ".").partition("/")
    return own_plane_of(float(tilt), float(azimuth))


def spot_from(rig: Rig, text: str | None) -> Spot | None:
    """Where panels more come to, in words: an array of the rig by its name, or a plane of their own as `60/0`; None
    where nothing is said. Raises ValueError, also for an array that is not there."""
    names = [array.name for array in rig.arrays]
    if text in names:
        return Spot(names.index(text))
    return plane_from(text) if text else None


def additions_ask(rig: Rig, known: Known, sun: RigSun | None, sun_of: Callable[[Rig], RigSun | None],
                  weathers: Sequence[Weather], habits: Mapping[str, tuple[float, float, float]], offer: Offer,
                  **rest: Any) -> AdditionsAsk:
    """The question, with the sun on the offer's other planes; `rest` are further figures of an `AdditionsAsk`.

    sun_of  gives the clear-sky harvest of a rig's arrays; it is asked only where the offer has planes of its own
    """
    if not rig.arrays and any(of.kind == "panel" for of in offer.products):
        rig = with_a_first_panel(rig)
        sun = sun_of(rig)
    planes = offer.aims.others(rig)
    other_sun = sun_of(replace(rig, arrays=planes)) if planes else None
    return AdditionsAsk(rig, known, sun, tuple(weathers), habits, offer, other_sun, **rest)
