"""The units of the house: °C, litres and metres, or °F, US gallons and feet. All is kept in the former; the latter is
how it is shown and typed where the house chose so."""

from contextvars import ContextVar

from voltaun.core.rig import mains
from voltaun.words.units import show_number

GALLON_L, FOOT_M = 3.785411784, 0.3048

_CUSTOMARY: ContextVar[bool] = ContextVar("customary", default=False)


_MAINS: ContextVar[float | None] = ContextVar("mains", default=None)


def use(customary: bool, sockets_v: float | None = None) -> None:
    """From here on, in this thread: °F, gallons and feet, or not; and sockets of so many V, those of the rig's country
    where nothing is said."""
    _CUSTOMARY.set(customary)
    _MAINS.set(sockets_v)


def mains_volts(timezone: str) -> float:
    """Volts of a socket: those that the house chose, else what is usual where this time zone is."""
    return _MAINS.get() or mains.mains_volts(timezone)


def customary() -> bool:
    """Whether °F, gallons and feet are shown."""
    return _CUSTOMARY.get()


def degree() -> str:
    """`°C`, or `°F`."""
    return "°F" if customary() else "°C"


def in_degrees(celsius: float) -> float:
    """A temperature in the unit of the house."""
    return celsius * 1.8 + 32 if customary() else celsius


def from_degrees(shown: float) -> float:
    """A temperature that was typed in the unit of the house, °C to a tenth where it was in °F."""
    return round((shown - 32) / 1.8, 1) if customary() else shown


def show_temperature(celsius: float, digits: int = 0) -> str:
    """`-4 °C`, or `25 °F`, with a real minus sign."""
    return f"{show_number(in_degrees(celsius), digits)} {degree()}"


def per_degree(per_celsius: float) -> float:
    """Something for each degree, for each one of the house's unit."""
    return per_celsius / 1.8 if customary() else per_celsius


def in_fuel(litres: float) -> float:
    """Litres, or gallons."""
    return litres / GALLON_L if customary() else litres


def from_fuel(shown: float) -> float:
    """Litres of what was typed in the unit of the house."""
    return shown * GALLON_L if customary() else shown


def fuel_word(one: bool = False) -> str:
    """`litres`, or `gallons`; one: `litre`, `gallon`."""
    return ("gallon" if customary() else "litre") + ("" if one else "s")


def in_length(metres: float) -> float:
    """Metres, or feet."""
    return metres / FOOT_M if customary() else metres


def from_length(shown: float) -> float:
    """Metres of what was typed in the unit of the house."""
    return shown * FOOT_M if customary() else shown


def length_unit() -> str:
    """`m`, or `ft`."""
    return "ft" if customary() else "m"
