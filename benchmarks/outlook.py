"""What the Outlook page takes to answer a what-if and a tapped sky on the demo, and a backtest of two years."""

import re
import time
from datetime import UTC, datetime, timedelta

import numpy as np

from benchmarks.timing import side_by_side
from voltaun.core.log.reading import Reading
from voltaun.core.outlook.backtest import backtest
from voltaun.core.sky.clear_sky import RigSun, RunningTotal
from voltaun.database.connection import connect, prepare
from voltaun.demo.fill import fill
from voltaun.demo.honey_house import RIG
from voltaun.pages import create_app


def lines(folder):
    path = folder / "outlook.db"
    prepare(path)
    db = connect(path)
    fill(db, datetime.now(UTC))
    db.close()
    client = create_app(path).test_client()
    page = client.get("/1/outlook").text
    mark = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', page)[1]
    day = re.search(r'id="sky-([0-9-]+)-mixed"', page)[1]

    def ask():
        assert client.get("/1/outlook?use=20&generator=2").status_code == 200

    def tap():
        assert client.post("/1/outlook/sky", data={"csrf_token": mark, "sky": f"{day}=mixed"},
                           follow_redirects=True).status_code == 200
    asked, tapped = side_by_side(ask, tap, 9)
    for what, taken in (("a what-if", asked), ("a tapped sky", tapped)):
        yield (f"Outlook answers {what} in {taken * 1000:.0f} ms, {'within' if taken <= 0.3 else 'OVER'} the aim of "
               "300 ms")
    rng = np.random.default_rng(1)
    total = RunningTotal(np.tile(np.r_[np.zeros(16), np.full(16, 150.0), np.zeros(16)], 365))
    log = [Reading(datetime(2024, 1, 1, 9, tzinfo=UTC) + timedelta(days=n), soc=0.5, use_wh=1500 + 300 * rng.random(),
                   solar_wh=2400 * rng.random()) for n in range(731)]
    start = time.perf_counter()
    made = backtest(RIG, log, RigSun((total,), (None,), total))
    taken = time.perf_counter() - start
    yield (f"A backtest of two years, {len(made.sun)} outlooks, in {taken:.1f} s, "
           f"{'within' if taken <= 20 else 'OVER'} the aim of 20 s")
