"""One Chromium for all browser tests of a process, and one window in it for those that ask for the same: starting
either takes longer than many a test."""

import atexit
import json
import shutil
from functools import cache

from playwright.sync_api import sync_playwright

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update",
         "--disable-sync", "--no-first-run", "--num-raster-threads=1",
         # One process for all pages of a test: these are our own, and half of a run is starting others.
         "--in-process-gpu", "--renderer-process-limit=1", "--disable-site-isolation-trials",
         "--disable-features=BackForwardCache,MediaRouter,OptimizationHints,Translate"]


@cache
def chromium():
    """The browser, which is closed with the process."""
    playwright = sync_playwright().start()
    browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
    atexit.register(playwright.stop)
    atexit.register(browser.close)
    return browser


@cache
def _opened(options: str):
    """A window by its options as JSON, its blank page, which keeps what is started alive between tests, and the wire
    by which it is emptied."""
    context = chromium().new_context(**json.loads(options))
    blank = context.new_page()
    return context, blank, context.new_cdp_session(blank)


def window(case, **options):
    """A window for a test case: nothing is left in it of the test before, nor of this one for the next."""
    context, blank, wire = _opened(json.dumps(options, sort_keys=True))

    def cleared():
        for page in context.pages:
            if page is not blank:
                page.close()
        context.unroute_all()
        wire.send("Storage.clearDataForOrigin", {"origin": "*", "storageTypes": "all"})
    case.addCleanup(cleared)
    context.set_default_timeout(40_000)
    return context
