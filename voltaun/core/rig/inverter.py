"""From the AC side of the inverter to the DC side."""

from voltaun.core.rig.parts import Inverter


def dc_energy(inverter: Inverter, ac_wh: float, hours: float) -> float:
    """DC energy behind an AC energy over some elapsed hours, Wh.

    AC Wh / efficiency + idle W × hours on, where the inverter is on its usual share of the elapsed time.
    """
    return ac_wh / inverter.efficiency + idle_energy(inverter, hours)


def idle_energy(inverter: Inverter, hours: float) -> float:
    """What the inverter itself takes over some elapsed hours at its usual hours on a day, Wh."""
    return inverter.idle_w * hours * inverter.hours_on_per_day / 24


def ac_energy(inverter: Inverter, dc_wh: float, hours: float) -> float:
    """AC energy that a DC energy gives over some elapsed hours, Wh; the inverse of `dc_energy`."""
    return (dc_wh - idle_energy(inverter, hours)) * inverter.efficiency
