"""Cautions: shown where they apply, short, once per place."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from voltaun.core.rig.rig import Rig
from voltaun.words.house_units import show_temperature

if TYPE_CHECKING:  # for a page that shows a caution these need not be loaded
    from voltaun.core.bench.runs import Run
    from voltaun.core.outlook.outlook import Outlook
    from voltaun.core.outlook.ways import Way
    from voltaun.core.sizing.choices import Product

ESTIMATE = "Planning figures, not promises. Do not stake a medical device on them."
LOCAL_CODES = ("Wire and fuse sizes, building wiring, roof loads, vehicle weights and gas: local codes and licensed "
               "people decide.")
FUSE = ("A battery can deliver hundreds of amps. Put a fuse or breaker at the battery on every positive lead. Tools "
        "insulated, rings off.")
LITHIUM_COLD = "Never charge lithium below 0 °C (32 °F) unless it heats itself."
LITHIUM = f"{LITHIUM_COLD} Rely on its BMS; stop using a swollen or wet pack."
ACID = "The acid burns: gloves, goggles, water at hand."
HYDROGEN = "Flooded lead gives off hydrogen while it charges: fresh air, no flame, eyes covered."
FUMES = "Run a generator outdoors, far from openings, with a carbon-monoxide alarm inside."
BACKFEED = "Never feed a building’s wiring from an inverter or generator except through a proper transfer switch."
COLD_FOOD = "Keep food safe: more than two hours above 5 °C (41 °F) in a fridge is a health matter."
DEEP = "A full discharge wears a lead bank: test it seldom, stop at its cut-off, and charge it again at once."
VEHICLE = ("An overdrawn alternator overheats: local codes and licensed people decide on a vehicle’s wiring, its "
           "fuses and its isolation.")
SERIES_DC = "Panels in series can carry dangerous DC."

TWO_BANKS = "Two kinds of battery are never joined directly: each has a charger of its own, or one charges the other."


def for_buying(products: Sequence[Product]) -> list[str]:
    """What applies to what may be bought of a price list."""
    kinds = {of.kind for of in products}
    told = [FUMES if "generator" in kinds else "", TWO_BANKS if "battery" in kinds else ""]
    return [ESTIMATE, *(caution for caution in told if caution), LOCAL_CODES]


def for_rig(rig: Rig) -> list[str]:
    """What applies to the parts of this rig."""
    told = [FUSE, LITHIUM if rig.chemistry.lithium else ""]
    told.append(HYDROGEN if rig.bank.chemistry == "flooded" else "")
    told.append(SERIES_DC if any(array.panels > 1 for array in rig.arrays) else "")
    told.append(FUMES if rig.generators else "")
    told.append(BACKFEED if rig.inverter or rig.generators else "")
    told.append(LOCAL_CODES)
    return [caution for caution in told if caution]


def for_bench(rig: Rig, run: Run) -> list[str]:
    """What applies to a measurement."""
    told = [DEEP if run.instrument == "capacity" and not rig.chemistry.lithium else "",
            FUSE if run.instrument in ("capacity", "inverter") and not rig.bank.is_station else "",
            f"{ACID} {HYDROGEN}" if run.instrument == "hydrometer" else "",
            COLD_FOOD if run.instrument in ("drawdown", "capacity") and keeps_cold(rig, run) else "",
            FUMES if run.instrument == "harvest" and run.subject in [part.name for part in rig.generators] else ""]
    return [caution for caution in told if caution]


_COLD = ("fridge", "freezer", "cool")


def keeps_cold(rig: Rig, run: Run) -> bool:
    """Whether food may be kept cold on this rig, by the names of its loads; while none are told it may."""
    names = [load.name.lower() for load in rig.loads] + ([run.subject.lower()] if run.subject else [])
    return not names or any(word in name for name in names for word in _COLD)


def for_now(rig: Rig, outlook: Outlook | None) -> list[str]:
    """What applies at this moment: cold, or a generator that will likely be wanted."""
    told = []
    if outlook and rig.chemistry.lithium and outlook.present.temp_c is not None and outlook.present.temp_c < 0:
        told.append(f"The bank was at {show_temperature(outlook.present.temp_c)}. {LITHIUM_COLD} "
                    "No harvest counts until it warms.")
    if outlook and _fumes(outlook.advice.ways[:1]):
        told.append(FUMES)
    return told


def for_other_ways(outlook: Outlook) -> str:
    """What applies to the ways beside the first, which has its own said already; nothing where nothing does."""
    ways = outlook.advice.ways
    return FUMES if _fumes(ways[1:]) and not _fumes(ways[:1]) else ""


def _fumes(ways: Sequence[Way]) -> bool:
    return any(plan.kind == "generator" for way in ways for plan in way.plans)
