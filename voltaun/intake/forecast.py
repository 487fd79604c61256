"""The sky for coming days from a forecast service; another service is one adapter of the shape of `fetch`."""

import json
from datetime import date

from voltaun.core.rig.parts import SKIES
from voltaun.intake import client


class NoForecast(Exception):
    """There is none to be had; the message says why."""


def fetch(address: str, first: date, days: int) -> dict[date, str]:
    """Sky words by day from `first` on, from a service on this machine's loopback. Raises NoForecast."""
    try:
        answer = json.loads(client.ask(address, f"/sky.json?first={first.isoformat()}&days={days}"))
        found = {date.fromisoformat(each["date"]): each["sky"] for each in answer["days"]}
    except (client.Silent, client.Slow) as trouble:
        raise NoForecast(f"The forecast service does not answer: {trouble}.") from trouble
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise NoForecast(f"The forecast service's answer cannot be read ({str(error)[:100]}).") from error
    odd = [word for word in found.values() if word not in SKIES]
    if odd:
        raise NoForecast(f"The forecast service said {str(odd[0])[:40]!r}, expected one of {', '.join(SKIES)}.")
    return {day: word for day, word in found.items() if 0 <= (day - first).days < days}
