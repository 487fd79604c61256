"""Usual things by their generic names: a first answer for somebody without a meter.

Rounded figures of general knowledge, each a guess (grade D) until it is measured.
"""

from dataclasses import dataclass

from voltaun.core.rig.parts import Load


@dataclass(frozen=True)
class Usual:
    """A thing as it usually is.

    watts  while on; surge_w  at its start, None where it has none to speak of; share  of the time that it is on or runs
    low_wh, high_wh  what it takes a day on its own side; end  what it is for, where several ways lead to the same
    """

    name: str
    side: str
    watts: float
    share: float
    low_wh: float
    high_wh: float
    surge_w: float | None = None
    end: str = ""

    @property
    def daily_wh(self) -> float:
        """What it takes a day, Wh on its own side: the middle of its range."""
        return (self.low_wh + self.high_wh) / 2

    def load(self) -> Load:
        """It as a load of a rig."""
        return Load(self.name, self.daily_wh, self.side, self.watts, self.surge_w, evidence="guess")


USUAL = tuple(Usual(*row) for row in (
    # name, side, W while on, share of the time, Wh a day from, to, start-up W, end
    ("Fridge box", "dc", 45, 0.40, 250, 600, 90, "keeping food cool"),
    ("Fridge, small", "ac", 70, 0.35, 400, 800, 500, "keeping food cool"),
    ("Fridge with freezer", "ac", 110, 0.35, 700, 1300, 800, "keeping food cool"),
    ("Chest freezer", "ac", 90, 0.35, 500, 1000, 700, "keeping food cool"),
    ("Freezer box", "dc", 50, 0.55, 500, 900, 100, "keeping food cool"),
    ("Fridge, gas, on electricity", "ac", 150, 0.70, 2000, 3200, None, "keeping food cool"),
    ("Lights, LED", "dc", 20, 0.20, 40, 150),
    ("Lights, old bulbs", "dc", 60, 0.20, 200, 450),
    ("Outdoor light", "dc", 10, 0.35, 40, 120),
    ("Roof fan", "dc", 25, 0.35, 80, 350, None, "keeping cool"),
    ("Table fan", "ac", 40, 0.35, 150, 500, None, "keeping cool"),
    ("Window air conditioner", "ac", 600, 0.30, 2000, 6000, 1800, "keeping cool"),
    ("Split air conditioner", "ac", 700, 0.30, 2000, 7000, 1500, "keeping cool"),
    ("Evaporative cooler", "ac", 120, 0.35, 500, 1500, 300, "keeping cool"),
    ("Fuel heater's fan", "dc", 30, 0.45, 150, 500, 120, "keeping warm"),
    ("Fan heater", "ac", 1500, 0.35, 6000, 18000, None, "keeping warm"),
    ("Oil-filled radiator", "ac", 1000, 0.40, 5000, 14000, None, "keeping warm"),
    ("Electric blanket", "ac", 60, 0.25, 150, 450, None, "keeping warm"),
    ("Electric blanket, 12 V", "dc", 45, 0.25, 120, 350, None, "keeping warm"),
    ("Stove fan or pellet stove", "ac", 60, 0.45, 400, 1200, 350, "keeping warm"),
    ("Heat pump, small", "ac", 600, 0.40, 3000, 9000, 1500, "keeping warm"),
    ("Water pump, 12 V", "dc", 60, 0.03, 20, 80, 150),
    ("Well pump", "ac", 750, 0.03, 200, 900, 2500),
    ("Circulation pump", "ac", 40, 0.45, 200, 700, 80),
    ("Water heater's element", "ac", 1500, 0.10, 2000, 6000, None, "hot water"),
    ("Water heater, gas, its fan", "dc", 30, 0.05, 15, 60, None, "hot water"),
    ("Kettle", "ac", 2000, 0.01, 150, 600, None, "boiling water"),
    ("Kettle, travel", "ac", 800, 0.02, 150, 400, None, "boiling water"),
    ("Kettle, 12 V", "dc", 150, 0.06, 120, 300, None, "boiling water"),
    ("Coffee machine", "ac", 1000, 0.02, 150, 500, None, "boiling water"),
    ("Microwave", "ac", 1200, 0.01, 100, 500, None, "cooking"),
    ("Induction plate", "ac", 1500, 0.03, 500, 1800, None, "cooking"),
    ("Hot plate", "ac", 1200, 0.04, 600, 2000, None, "cooking"),
    ("Rice cooker", "ac", 500, 0.03, 200, 500, None, "cooking"),
    ("Slow cooker", "ac", 150, 0.25, 500, 1200, None, "cooking"),
    ("Oven, small", "ac", 1400, 0.03, 500, 1500, None, "cooking"),
    ("Toaster", "ac", 900, 0.01, 50, 200, None, "cooking"),
    ("Blender", "ac", 400, 0.005, 20, 80, 800),
    ("Router", "dc", 10, 1.0, 180, 300),
    ("Satellite internet", "ac", 60, 1.0, 1000, 1800),
    ("Phone charger", "dc", 10, 0.15, 15, 60),
    ("Tablet charger", "dc", 15, 0.15, 30, 90),
    ("Laptop", "ac", 50, 0.25, 150, 500),
    ("Laptop, by a DC charger", "dc", 50, 0.22, 130, 420),
    ("Desktop computer", "ac", 150, 0.25, 500, 1800),
    ("Screen", "ac", 25, 0.25, 80, 250),
    ("Television", "ac", 70, 0.20, 150, 600),
    ("Television, 12 V", "dc", 30, 0.20, 80, 250),
    ("Radio", "dc", 8, 0.25, 20, 90),
    ("Game console", "ac", 120, 0.12, 150, 600),
    ("Camera, watching", "dc", 6, 1.0, 100, 200),
    ("Electric fence", "dc", 5, 1.0, 60, 180),
    ("Washing machine", "ac", 500, 0.04, 200, 900, 1500),
    ("Washing machine, small", "ac", 250, 0.03, 80, 300, 600),
    ("Spin dryer", "ac", 300, 0.01, 20, 80, 800),
    ("Tumble dryer", "ac", 2000, 0.04, 1500, 3500, 3000),
    ("Vacuum cleaner", "ac", 800, 0.01, 50, 300, 1600),
    ("Iron", "ac", 1500, 0.01, 100, 400),
    ("Hair dryer", "ac", 1400, 0.005, 50, 250),
    ("Sewing machine", "ac", 100, 0.03, 20, 120, 200),
    ("Power tool charger", "ac", 80, 0.05, 50, 200),
    ("Drill or saw", "ac", 900, 0.01, 50, 400, 2500),
    ("Air compressor", "ac", 1100, 0.01, 100, 500, 3500),
    ("Bicycle charger", "ac", 120, 0.15, 250, 600),
    ("Breathing device for sleep", "ac", 40, 0.33, 200, 600),
))
"""Some sixty of them."""


def usual(name: str) -> Usual | None:
    """The usual thing of that name, in any case; None without one."""
    wanted = " ".join(name.split()).casefold()
    return next((of for of in USUAL if of.name.casefold() == wanted), None)


def ways(end: str) -> list[Usual]:
    """The ways to the same end, the least Wh a day first."""
    return sorted((of for of in USUAL if of.end and of.end == end), key=lambda of: of.daily_wh)
