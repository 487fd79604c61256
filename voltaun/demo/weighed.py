"""What the honey house's people weigh before they buy: prices, limits, a word on the winter, weather of the ridge."""

from datetime import date, timedelta

import numpy as np

from voltaun.core.outlook.plans import A_GUEST, Plan
from voltaun.core.rig.parts import Place
from voltaun.core.sky.weather import Weather

SEED = 11
FIRST, DAYS = date(2021, 1, 1), 3 * 365

PRICES = """name,kind,size,price,weight_kg,area_m2
Roof panel 330,panel,330,190,18.5,1.7
Roof panel 440,panel,440,265,22,2.0
Own unit 12.8 V 200 Ah,battery,2560,890,24,
Unit 25.6 V 280 Ah,battery,7168,2150,58,
Ute charger 40 A,charger,1024,310,2.4,
Chest freezer 340,load,340,620,41,
"""

QUESTION = {"numbers": {"most_days": 3.0, "panels": 8, "strings": 3, "budget": 3000.0, "weight_kg": None,
                        "roof_m2": 18.0},
            "habits": {"winter": "2/3/5", "autumn": "3/4/3"}, "prices": PRICES}


def guests(today: date) -> Plan:
    """Two guests for two days of next week."""
    first = today + timedelta(days=8 - today.weekday())  # its Tuesday
    return Plan("guests", first, first + timedelta(days=1), 1 + 2 * A_GUEST, "2 guests")


def ridge(place: Place) -> Weather:
    """Three made-up years by the hour: a clear sky, darker in winter, with spells of cloud that last some days."""
    import pandas as pd
    from pvlib.location import Location
    rng = np.random.default_rng(SEED)
    begin = pd.Timestamp(FIRST, tz="Etc/GMT-10")
    middles = pd.date_range(begin, periods=24 * DAYS, freq="h") + pd.Timedelta("30min")
    where = Location(place.latitude, place.longitude, "UTC", place.elevation_m)
    sun = where.get_solarposition(middles)
    clear = where.get_clearsky(middles, model="ineichen", solar_position=sun)
    score, shares = 0.0, np.empty(DAYS)
    for day in range(DAYS):
        score = 0.6 * score + 0.8 * rng.standard_normal()
        season = 0.64 + 0.06 * np.cos(2 * np.pi * (day % 365) / 365)
        shares[day] = np.clip(season + 0.26 * score, 0.06, 1.0)
    share = np.repeat(shares, 24)
    ghi = clear["ghi"].to_numpy() * share
    # The darker the day, the more of its light comes from all of the sky.
    dhi = np.minimum(ghi, clear["dhi"].to_numpy() * share + ghi * np.clip(1.1 - share, 0, 1))
    up = np.cos(np.radians(sun["apparent_zenith"].to_numpy()))
    dni = np.where(up > 0.06, (ghi - dhi) / np.maximum(up, 0.06), 0.0).clip(0, 1100)
    return Weather(place.latitude, place.longitude, place.elevation_m, 10.0, FIRST, ghi, dni, dhi, False, "EPW")
