"""Bytes on the wire, compressed: a first visit to Today with all it loads, and an htmx swap."""

import re

from benchmarks.pages import application


def lines(folder):
    client = application(folder / "wire.db", 75)
    packed = {"Accept-Encoding": "gzip"}

    def get(path, **headers):
        answer = client.get(path, headers=packed | headers)
        assert answer.status_code == 200, path
        return len(answer.data) + len(str(answer.headers)) + 19

    page = client.get("/1/today").text
    style = client.get(re.search(r'href="(/static/app\.css[^"]*)"', page)[1]).text
    loaded = {"/1/today", *re.findall(r'(?:src|href)="(/static/[^"]+)"', page)}
    loaded |= {f"/static/{font}" for font in re.findall(r"url\((fonts/[^)]+)\)", style)}
    sizes = {path.partition("?")[0]: get(path) for path in sorted(loaded)}
    total = sum(sizes.values())
    yield (f"First visit to Today: {total / 1000:.1f} kB on the wire, "
           f"{'within' if total <= 250_000 else 'OVER'} the aim of 250 kB")
    yield "  " + ", ".join(f"{path.rpartition('/')[2]} {size / 1000:.1f}" for path, size in sizes.items())
    yield f"An htmx swap of Today: {get('/1/today', **{'HX-Request': 'true'}) / 1000:.1f} kB on the wire"
