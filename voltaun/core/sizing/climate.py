"""What weather files say of the sky of a place by the month: what an outlook believes before its log knows better."""

from collections.abc import Sequence
from datetime import date

import numpy as np

from voltaun.core.log.days import clear_sky_of
from voltaun.core.rig.rig import Rig
from voltaun.core.series import Kind
from voltaun.core.sizing.worksheet import SYSTEM_SHARE
from voltaun.core.sky.clear_sky import RigSun, planes
from voltaun.core.sky.model import SKY
from voltaun.core.sky.weather import Weather, on_plane

RANKS = np.arange(0.05, 1.0, 0.1)
"""A month's skies are told by so many equally likely shares."""

FILE_DAYS = 10.0
"""The skies of weather files weigh as much as so many logged days."""

LEAST_CLEAR_WH = 1.0
"""A day on which a clear sky brings less says nothing of its share."""


def month_shares_of(rig: Rig, sun: RigSun, weathers: Sequence[Weather]) -> list[list[float]]:
    """For each month (from January) ten equally likely shares of clear sky by these files, ascending.

    A day's share is what its irradiance on the rig's planes brings at the usual system share, of what a clear sky
    would; the days of the months beside it are among a month's.
    """
    shares, months = [], []
    for weather in weathers:
        came = np.zeros(weather.days)
        for array in rig.arrays:
            plane = on_plane(weather, array.tilt_deg, array.azimuth_deg)[:24 * weather.days].reshape(-1, 24).sum(axis=1)
            shade = np.array([array.shade_by_month[day.month - 1] for day in weather.dates])
            came += plane * shade * array.rated_w / 1000 * SYSTEM_SHARE
        clear = np.array(list(clear_sky_of(weather.dates, sun, rig.zone).values()))
        told = clear > LEAST_CLEAR_WH
        shares.append(np.clip(came[told] / clear[told], 0.0, SKY.most))
        months.append(np.array([day.month for day in weather.dates])[told])
    share, month = np.concatenate(shares), np.concatenate(months)
    found = []
    for each in range(1, 13):
        near = share[np.isin((month - each) % 12, (11, 0, 1))]
        found.append([] if not len(near) else np.quantile(near, RANKS).round(4).tolist())
    return found


def made_for(rig: Rig, files: Sequence[int]) -> list[list[float]]:
    """What `month_shares_of` was made for: the numbers of the files, and the planes of the rig."""
    return [list(files), *(list(plane) for plane in planes(rig))]


def sky_kind(by_month: Sequence[Sequence[float]], today: date) -> Kind:
    """What is believed of the sky before the log tells: of this month by the files, else the start-up skies."""
    points = by_month[today.month - 1] if len(by_month) == 12 else ()
    if not points:
        return SKY
    return Kind(tuple(points), (FILE_DAYS / len(points),) * len(points), SKY.forget_days, SKY.most, SKY.mixed)
