"""Quantities as people read them."""

MONTHS_LONG = 60.0
"""What lasts for more days than this is told as months."""


def show_energy(wh: float | None) -> str:
    """An energy for people: `640 Wh`, `2.15 kWh`, `12.7 kWh`, `765 kWh`; an em dash when not known."""
    if wh is None:
        return "—"
    if abs(wh) < 995:
        return f"{show_number(wh, 0)} Wh"
    if abs(wh) < 9995:
        return f"{show_number(wh / 1000, 2)} kWh"
    return f"{show_number(wh / 1000, 1)} kWh" if abs(wh) < 99_950 else f"{show_number(wh / 1000, 0)} kWh"


def show_rough(wh: float) -> str:
    """An energy that is only known roughly, to two figures: `340 Wh`, `1.9 kWh`, `13 kWh`, `770 kWh`."""
    grain = 10 ** max(0, len(str(round(abs(wh)))) - 2)
    rounded = round(wh / grain) * grain
    if abs(rounded) < 1000:
        return f"{show_number(rounded)} Wh"
    return f"{show_number(rounded / 1000, 1 if abs(rounded) < 10_000 else 0)} kWh"


def show_counter(wh: float) -> str:
    """A counter as it was read, with all of its digits: `12\u202f340 Wh`."""
    whole = f"{wh:,.0f}" if abs(wh - round(wh)) < 0.05 else f"{wh:,.1f}"
    return whole.replace(",", "\u202f") + " Wh"


def show_power(w: float | None) -> str:
    """A power for people: `60 W`, `1.45 kW`; an em dash when not known."""
    if w is None:
        return "—"
    return f"{show_number(w, 0)} W" if abs(w) < 9995 else f"{show_number(w / 1000, 1)} kW"


def show_percent(fraction: float | None) -> str:
    """A fraction as percent: `74 %`."""
    return "—" if fraction is None else f"{show_number(fraction * 100, 0)} %"


def show_duration(hours: float | None) -> str:
    """Hours for people: `40 min`, `9 h 40`, `2 days 5 h`; an em dash when not known."""
    if hours is None:
        return "—"
    minutes = round(hours * 60)
    if minutes < 60:
        return f"{minutes} min"
    if minutes < 48 * 60:
        whole, rest = divmod(minutes, 60)
        return f"{whole} h {rest:02d}" if rest else f"{whole} h"
    days, rest = divmod(round(hours), 24)
    return f"{days} days {rest} h" if rest else f"{days} days"


def rounded(hours: float) -> float:
    """Hours as one would say them: to the minute below a quarter of one, to five below one, to ten below three, to half
    hours below half a day, then whole ones."""
    grain = next((grain for below, grain in ((0.25, 1 / 60), (1, 1 / 12), (3, 1 / 6), (12, 0.5)) if hours < below), 1.0)
    return round(hours / grain) * grain


def lasting(in_days: float) -> str:
    """A length of time as one would say it: `40 min`, `4 h 30`, `25 hours`, `4 days`."""
    hours = in_days * 24
    if in_days > MONTHS_LONG:
        return "more than two months"
    if rounded(hours) < 12:
        return show_duration(rounded(hours))
    return f"{round(hours)} hours" if in_days < 3 else f"{round(in_days)} days"


def show_age(hours: float) -> str:
    """How old a reading is: `23 h`, `3 days`."""
    return f"{round(hours)} h" if hours < 48 else f"{round(hours / 24)} days"


def show_clock(hour: float) -> str:
    """A clock hour for people: `9:00`, `18:30`; past midnight that of the next day."""
    whole, minutes = divmod(round(hour * 60), 60)
    return f"{whole if whole == 24 else whole % 24}:{minutes:02d}"


def show_number(value: float, digits: int = 0) -> str:
    """A number with a real minus sign and thin spaces between thousands."""
    text = f"{value:,.{digits}f}".replace(",", "\u202f")
    if text.strip("-0.") == "":
        text = text.lstrip("-")
    return text.replace("-", "\u2212")
