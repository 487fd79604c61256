"""The question of additions as page and command both put it: what is typed of it, and the one composing of it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from voltaun.core.outlook.ask import Known
from voltaun.core.rig.parts import SolarArray
from voltaun.core.rig.rig import Rig
from voltaun.core.sizing.choices import Offer
from voltaun.core.sizing.simulation import AdditionsAsk
from voltaun.core.sizing.suns import AS_THEY_ARE, Spot, own_plane_of
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


def with_a_first_panel(rig: Rig) -> Rig:
    """A rig without panels with one of a single watt, leaning as far as its latitude and towards the equator: what
    panels of a list are put beside."""
    latitude = rig.place.latitude
    first = SolarArray("Panels", 1.0, 1, round(min(abs(latitude), 75.0)), 180 if latitude > 0 else 0)
    return replace(rig, arrays=(first,))


def additions_ask(rig: Rig, known: Known, sun: RigSun | None, sun_of: Callable[[Rig], RigSun | None],
                  weathers: Sequence[Weather], habits: Mapping[str, tuple[float, float, float]], offer: Offer,
                  **rest: Any) -> AdditionsAsk:
    """The question, with the sun on the offer's other planes; `rest` are further figures of an `AdditionsAsk`.

    sun_of  gives the clear-sky harvest of a rig's arrays; it is asked only where the offer has planes of its own
    """
    if not rig.arrays and any(of.kind == "panel" for of in offer.products):
        rig = with_a_first_panel(rig)
        sun, offer = sun_of(rig), replace(offer, aims=AS_THEY_ARE)
    planes = offer.aims.others(rig)
    other_sun = sun_of(replace(rig, arrays=planes)) if planes else None
    return AdditionsAsk(rig, known, sun, tuple(weathers), habits, offer, other_sun, **rest)
