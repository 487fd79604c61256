"""The day's and the month's view of a monitor's samples: ten years once a minute beside sixty days of them."""

import numpy as np

from benchmarks.timing import side_by_side, told
from voltaun.core.log.samples import Samples
from voltaun.database import clearsky, rigs, samples
from voltaun.database.connection import connect, prepare, transaction
from voltaun.demo.honey_house import RIG
from voltaun.pages import create_app

END = 1_795_000_000 // 86_400 * 86_400
MINUTES_A_DAY = 1440


def application(path, days: int):
    """A client on a database with so many days of samples, once a minute."""
    prepare(path)
    db = connect(path)
    clearsky.tables(db, RIG)

    def pieces():
        for day in range(days, 0, -30):
            count = min(30, day) * MINUTES_A_DAY
            at = END - day * 86_400 + 60 * np.arange(count)
            watts = 600 * np.sin(at / 86_400 * 2 * np.pi)
            yield Samples(at, np.full(count, 26.0), watts / 26, watts, 0.6 + 0.2 * np.sin(at / 86_400 * 2 * np.pi),
                          np.full(count, np.nan), np.full(count, np.nan))
    with transaction(db):
        samples.bring(db, rigs.add(db, RIG), pieces())
    db.close()
    return create_app(path).test_client()


def lines(folder):
    short, long = application(folder / "dense-short.db", 60), application(folder / "dense-long.db", 3653)
    for name, asked in (("day", "day=2026-11-10"), ("month", "month=2026-11-01")):
        def get(client, asked=asked):
            assert client.get(f"/1/log/monitor?{asked}").status_code == 200
        ours, theirs = side_by_side(lambda: get(long), lambda: get(short), 15)  # noqa: B023 (called at once)
        yield told(f"A {name} of ten years once a minute", ours, "of sixty days", theirs, 1.5)
