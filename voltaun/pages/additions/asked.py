"""What is asked of the simulation: limits, the user's word on the seasons, a price list; read from what was typed."""

from dataclasses import dataclass, field

from voltaun.core.sizing.choices import Limits, Product
from voltaun.core.sizing.years import SEASONS
from voltaun.core.units import QuantityError, parse
from voltaun.database.monitors import put_setting, setting
from voltaun.formats.price_list import PriceListFault, read_prices

NUMBERS = {"most_days": ("Days below in a usual year", 3.0, 0, 366), "panels": ("Up to panels more", 8, 0, 16),
           "strings": ("Up to strings more", 4, 0, 8), "budget": ("To spend", None, 0, 1e9),
           "weight_kg": ("To carry, kg", None, 0, 1e6), "roof_m2": ("Roof left, m²", None, 0.01, 1e5)}
"""The figures of the question: label, what it is unless told, the least and the most."""


@dataclass
class Asked:
    """The question as it is kept: figures by name, what was typed of each season, the price list's text."""

    numbers: dict[str, float | None] = field(default_factory=lambda: {name: of[1] for name, of in NUMBERS.items()})
    habits: dict[str, str] = field(default_factory=dict)
    prices: str = ""

    @property
    def limits(self) -> Limits:
        """What all that is bought may come to."""
        return Limits(self.numbers["budget"], self.numbers["weight_kg"], self.numbers["roof_m2"])

    @property
    def shares(self) -> dict[str, tuple[float, float, float]]:
        """For each season that was told what part of its days is bright, mixed and dark."""
        return {season: habit(text) for season, text in self.habits.items() if text}

    @property
    def products(self) -> list[Product]:
        """The price list; none while it is empty."""
        return read_prices(self.prices.encode()) if self.prices.strip() else []


def habit(text: str) -> tuple[float, float, float]:
    """`2/3/5` as parts of the days: bright, mixed, dark. Raises ValueError."""
    days = [float(part) for part in text.replace(",", ".").split("/")]
    if len(days) != 3 or not min(days) >= 0 or not 0 < sum(days) <= 100:
        raise ValueError
    bright, mixed, dark = (day / sum(days) for day in days)
    return bright, mixed, dark


def kept(db, rig_id: int) -> Asked:
    """The question as it was last asked of this rig; what does not fit any more is left out."""
    told = setting(db, rig_id, "additions", {})
    asked = Asked()
    for name in NUMBERS:
        value = told.get("numbers", {}).get(name, asked.numbers[name])
        asked.numbers[name] = value if value is None or isinstance(value, int | float) else asked.numbers[name]
    for season in SEASONS:
        text = told.get("habits", {}).get(season, "")
        try:
            asked.habits[season] = text if text and habit(text) else ""
        except (ValueError, AttributeError):
            asked.habits[season] = ""
    try:
        asked.prices = str(told.get("prices", ""))
        asked.products  # noqa: B018 (a list that cannot be read is none)
    except PriceListFault:
        asked.prices = ""
    return asked


def keep(db, rig_id: int, asked: Asked) -> None:
    """Keep the question. To be called in a transaction."""
    put_setting(db, rig_id, "additions", {"numbers": asked.numbers, "habits": asked.habits, "prices": asked.prices})


def typed(form, asked: Asked) -> tuple[Asked, list[str]]:
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
            habits[season] = text if text and habit(text) else ""
        except ValueError:
            faults.append(f"{season.capitalize()}: found {text[:40]!r}, expected days in ten bright, mixed and dark, "
                          "such as 2/3/5.")
    return Asked(numbers, habits, asked.prices), faults
