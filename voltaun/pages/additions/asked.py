"""What is asked of the simulation: limits, the user's word on the seasons, a price list; read from what was typed."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from sqlite3 import Connection
from typing import Any

from werkzeug.datastructures import MultiDict

from voltaun.core.rig.rig import Rig
from voltaun.core.sizing import MOST_PANELS, MOST_STRINGS
from voltaun.core.sizing.choices import Limits, Offer, Product, offer_of
from voltaun.core.sizing.measures import LEGAL, NEEDS, Measure, usual_measures
from voltaun.core.sizing.question import habit_from, plane_from, spot_from
from voltaun.core.sizing.suns import Aims, Spot
from voltaun.core.sizing.years import SEASONS
from voltaun.core.units import QuantityError, parse
from voltaun.database.monitors import put_setting, setting
from voltaun.formats.price_list import PriceListFault, read_prices
from voltaun.words.sentences import begin

NUMBERS = {"most_days": ("Days short that will do", 3.0, 0, 366), "panels": ("Panels more, at most", 8, 0, MOST_PANELS),
           "strings": ("Strings more, at most", 4, 0, MOST_STRINGS), "budget": ("To spend", None, 0, 1e9),
           "weight_kg": ("To carry, kg", None, 0, 1e6), "roof_m2": ("Roof left, m²", None, 0.01, 1e5)}
"""The figures of the question: label, what it is unless told, the least and the most."""


@dataclass
class Told:
    """A measure as it is kept: whether it is done in any case, and whether it was taken off the list."""

    measure: Measure
    together: bool = False
    removed: bool = False


@dataclass
class Asked:
    """The question as it is kept: figures by name, what was typed of each season, the price list's text.

    panel  the panel of the list that is added; plane  where: an array's name, or `tilt/azimuth`; both "" as usual
    second_panel, second_plane  the same of panels at a second spot; without a plane there is none
    measures  what is looked at without buying, None for the usual
    all_year  whether it is lived in all year, whatever absences the log shows
    """

    numbers: dict[str, float | None] = field(default_factory=lambda: {name: of[1] for name, of in NUMBERS.items()})
    habits: dict[str, str] = field(default_factory=dict)
    prices: str = ""
    panel: str = ""
    plane: str = ""
    second_panel: str = ""
    second_plane: str = ""
    measures: list[Told] | None = None
    all_year: bool = False

    @property
    def as_usual(self) -> bool:
        """Whether nobody asked for anything yet."""
        return replace(self, habits={season: said for season, said in self.habits.items() if said}) == Asked()

    def listed(self, rig: Rig) -> list[Told]:
        """The measures that are looked at, those that were taken off too."""
        return [Told(of) for of in usual_measures(rig)] if self.measures is None else self.measures

    def aims(self, rig: Rig) -> Aims:
        """Where panels more come to; an array that is gone is nowhere."""
        def spot(plane: str) -> Spot | None:
            try:
                return spot_from(rig, plane)
            except ValueError:
                return None
        return Aims(spot(self.plane) or Spot(), spot(self.second_plane))

    def offer(self, rig: Rig) -> Offer:
        """What may be had of this rig."""
        listed = [of for of in self.listed(rig) if not of.removed]
        panels, strings = (int(self.numbers[name] or 0) for name in ("panels", "strings"))
        return offer_of(rig, [of.measure for of in listed], [of.measure for of in listed if of.together],
                        self.aims(rig), panels=panels, strings=strings, products=tuple(self.products),
                        limits=self.limits, panel=self.panel or None, second_panel=self.second_panel or None)

    @property
    def limits(self) -> Limits:
        """What all that is bought may come to."""
        return Limits(self.numbers["budget"], self.numbers["weight_kg"], self.numbers["roof_m2"])

    @property
    def shares(self) -> dict[str, tuple[float, float, float]]:
        """For each season that was told what part of its days is bright, mixed and dark."""
        return {season: habit_from(text) for season, text in self.habits.items() if text}

    @property
    def products(self) -> list[Product]:
        """The price list; none while it is empty."""
        return read_prices(self.prices.encode()) if self.prices.strip() else []


def kept(db: Connection, rig_id: int) -> Asked:
    """The question as it was last asked of this rig; what does not fit any more is left out."""
    told = setting(db, rig_id, "additions", {})
    told = told if isinstance(told, dict) else {}
    told = {name: value for name, value in told.items() if isinstance(value, dict) == (name in ("numbers", "habits"))}
    asked = Asked()
    for name in NUMBERS:
        value = told.get("numbers", {}).get(name, asked.numbers[name])
        asked.numbers[name] = value if value is None or isinstance(value, int | float) else asked.numbers[name]
    for season in SEASONS:
        text = told.get("habits", {}).get(season, "")
        try:
            asked.habits[season] = text if text and habit_from(text) else ""
        except (ValueError, AttributeError):
            asked.habits[season] = ""
    asked.all_year = told.get("all_year") is True
    asked.panel, asked.second_panel = (str(told.get(name, "")) for name in ("panel", "second_panel"))
    asked.plane, asked.second_plane = (_kept_plane(told, name) for name in ("plane", "second_plane"))
    if isinstance(told.get("measures"), list):
        asked.measures = [of for of in map(_told, told["measures"]) if of]
    try:
        asked.prices = str(told.get("prices", ""))
        asked.products  # noqa: B018 (a list that cannot be read is none)
    except PriceListFault:
        asked.prices = ""
    return asked


def keep(db: Connection, rig_id: int, asked: Asked) -> None:
    """Keep the question. To be called in a transaction."""
    measures = None if asked.measures is None else [
        asdict(of.measure) | {"together": of.together, "removed": of.removed} for of in asked.measures]
    put_setting(db, rig_id, "additions", {"numbers": asked.numbers, "habits": asked.habits, "prices": asked.prices,
                                          "panel": asked.panel, "plane": asked.plane, "measures": measures,
                                          "second_panel": asked.second_panel, "second_plane": asked.second_plane,
                                          "all_year": asked.all_year})


def _kept_plane(told: dict[str, Any], name: str) -> str:
    """A plane as it was kept; "" for one that cannot be."""
    plane = str(told.get(name, ""))
    try:
        if "/" in plane:
            plane_from(plane)
    except ValueError:
        return ""
    return plane


def _told(kept_as: dict[str, Any]) -> Told | None:
    """A measure as it was kept; None for one that cannot be."""
    try:
        names, months = (tuple(kept_as.get(name, ())) for name in ("names", "months"))
        figures: dict[str, Any] = {name: kept_as.get(name) for name in (
            "kind", "below", "until", "hours", "every", "degrees", "share")}
        return Told(Measure(names=names, months=months, **figures), bool(kept_as.get("together")),
                    bool(kept_as.get("removed")))
    except (ValueError, TypeError, AttributeError):
        return None


def typed(form: MultiDict[str, str], asked: Asked) -> tuple[Asked, list[str]]:
    """The question with what was typed of it, and what is wrong with that."""
    faults: list[str] = []
    numbers = dict(asked.numbers)
    for name, (label, usual, low, high) in NUMBERS.items():
        text = form.get(name, "").strip()
        if not text:
            numbers[name] = usual
            continue
        try:
            numbers[name] = parse(text.removesuffix("m²").removesuffix("kg").strip(), "number", low=low, high=high)
        except QuantityError as error:
            faults.append(f"{label}: found {error.found}, expected {error.expected}.")
    for name in ("panels", "strings"):
        numbers[name] = int(numbers[name] or 0)
    habits = {}
    for season in SEASONS:
        text = form.get(season, "").strip()
        try:
            habits[season] = text if text and habit_from(text) else ""
        except ValueError:
            faults.append(f"{season.capitalize()}: found {text[:40]!r}, expected days in ten bright, mixed and dark, "
                          "such as 2/3/5.")
    planes = {}
    for name, own in (("plane", "own_plane"), ("second_plane", "second_own")):
        plane, typed_plane = form.get(name, "").strip(), form.get(own, "").strip()
        if plane == "own":
            try:
                plane_from(typed_plane)
                plane = typed_plane
            except ValueError:
                faults.append(f"A plane of their own: found {typed_plane[:40]!r}, expected tilt and azimuth such as "
                              "60/0.")
        planes[name] = plane
    return replace(asked, numbers=numbers, habits=habits, panel=form.get("panel", asked.panel).strip()[:80],
                   second_panel=form.get("second_panel", asked.second_panel).strip()[:80], plane=planes["plane"],
                   second_plane=planes["second_plane"], all_year=form.get("all_year") == "yes"), faults


FIGURES = {"below": ("percent", "below, %"), "until": ("percent", "to, %"), "hours": ("duration", "hours each time"),
           "every": ("number", "every so many days"), "degrees": ("number", "tilt, °"),
           "share": ("percent", "use left, %")}
"""The figures of a measure: what kind of quantity each is, and its label."""

TAKES = {"leave_off": ("names", "below", "months"), "shift": ("names", "months"), "inverter": ("hours", "months"),
         "generator": ("names", "below", "until", "months"), "drive": ("names", "hours", "every", "months"),
         "mains": ("names", "hours", "every", "months"), "tilt": ("names", "degrees", "months"),
         "away": ("months", "share")}
"""What the form of each kind of measure asks."""


def named(rig: Rig) -> dict[str, list[str]]:
    """What each kind of measure can be done with here, by name; kinds that the rig has nothing for are left out."""
    parts: dict[str, Sequence[Any]] = {
        "leave_off": rig.loads, "shift": rig.loads, "drive": rig.vehicles, "mains": rig.mains,
        "generator": rig.generators, "tilt": [of for of in rig.arrays if not of.aimed_per_day]}
    found = {kind: [part.name for part in of] for kind, of in parts.items() if of}
    return found | ({"inverter": []} if rig.inverter else {}) | {"away": []}


def measure_from(form: MultiDict[str, str]) -> tuple[Measure | None, list[str]]:
    """The measure that was typed, or what is wrong with it."""
    kind = form.get("kind", "")
    faults: list[str] = []
    figures: dict[str, Any] = {}
    if kind not in TAKES:
        return None, [f"Found {kind[:40]!r}, expected one of the measures."]
    for name, (quantity, label) in FIGURES.items():
        text = form.get(name, "").strip()
        if name not in TAKES[kind] or (not text and name not in NEEDS[kind]):
            continue
        low, high = LEGAL[name]
        try:
            value = parse(text.removesuffix("°"), quantity, low=low, high=high)
            figures[name] = int(value) if name == "every" else value
        except QuantityError as error:
            faults.append(f"{label.capitalize()}: found {error.found}, expected {error.expected}.")
    if kind in ("leave_off", "shift") and not form.getlist("names"):
        faults.append("Found no load ticked, expected one at least.")
    months = tuple(sorted({int(month) for month in form.getlist("months") if month.isascii() and month.isdigit()}))
    if not faults:
        try:
            if months:
                figures["months"] = months
            return Measure(kind, tuple(form.getlist("names")), **figures), []
        except ValueError as error:
            faults.append(f"{begin(str(error))}.")
    return None, faults
