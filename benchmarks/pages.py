"""Today and Log with 60 days and with ten years of daily readings."""

import time
from datetime import UTC, datetime, timedelta
from unittest import mock

from benchmarks.timing import side_by_side, told
from voltaun.core.log.reading import Reading
from voltaun.database import clearsky, readings, rigs
from voltaun.database.connection import connect, prepare, transaction
from voltaun.demo.honey_house import RIG
from voltaun.pages import context, create_app


def application(path, days: int):
    """A client on a database with so many daily readings up to now."""
    now = datetime.now(UTC).replace(microsecond=0)
    prepare(path)
    db = connect(path)
    clearsky.tables(db, RIG)
    log = (Reading(now - timedelta(days=n, hours=1), soc=0.5 + n % 45 / 100, solar_wh=2000.0 + 311 * n % 4000,
                   use_wh=3600.0 + 97 * n % 900) for n in range(days))
    with transaction(db):
        readings.add_many(db, rigs.add(db, RIG), log)
    db.close()
    return create_app(path).test_client()


def lines(folder):
    short, long = application(folder / "short.db", 60), application(folder / "long.db", 3653)
    for page in ("today", "log"):
        def get(client, page=page):
            assert client.get(f"/1/{page}").status_code == 200
        ours, theirs = side_by_side(lambda: get(long), lambda: get(short), 15)  # noqa: B023 (called at once)
        yield told(f"{page.capitalize()} with ten years of days", ours, "with 60 days", theirs, 1.2)
    yield from _plan(folder)
    for page in ("sums", "bench", "additions"):
        taken = processor(short, f"/1/{page}")
        yield (f"{page.capitalize()} needs {taken * 1000:.1f} ms of processor, "
               f"{'within' if taken <= 0.012 else 'OVER'} the aim of 12 ms")


def _plan(folder):
    """Today with all of the day's plan reckoned anew each time, and with the outlook alone."""
    client = application(folder / "plan.db", 75)
    kept = client.application.extensions

    def today(*forgotten):
        for name in forgotten:
            kept.pop(f"voltaun-{name}", None)
        assert client.get("/1/today").status_code == 200

    def without():
        with mock.patch.object(context.Look, "plan", None):
            today("plan", "outlook", "present")
    ours, theirs = side_by_side(lambda: today("plan", "outlook", "present"), without, 9)
    yield told("Today with its plan made anew", ours, "with the outlook alone", theirs, 1.4)


def processor(client, path: str, times: int = 20) -> float:
    """Processor seconds of one request, the least of some, once all is loaded and reckoned."""
    taken = []
    for _ in range(times):
        begun = time.process_time()
        assert client.get(path).status_code == 200
        taken.append(time.process_time() - begun)
    return min(taken)
