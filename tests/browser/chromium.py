"""One Chromium for all browser tests of a process: each has a window of its own in it, and starting it takes longer
than many of them."""

import atexit
import shutil
from functools import cache

from playwright.sync_api import sync_playwright

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update",
         "--disable-sync", "--no-first-run",
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
