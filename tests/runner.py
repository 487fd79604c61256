"""Runs every test, on the machine's cores side by side, and closes with the line that counts them."""

import argparse
import gc
import io
import os
import sys
import time
import unittest
from concurrent.futures import ProcessPoolExecutor, as_completed
from multiprocessing import get_context
from pathlib import Path

from tests.days import Day, seed_of_the_tree

ROOT = Path(__file__).parents[1]
FIRST = ("test_browser", "test_trouble", "test_backup", "test_queue", "test_requests", "test_model", "test_plans",
         "test_states", "test_phrasebook", "test_house")
"""What takes longest begins first, so that no core waits at the end."""


def suites(names: list[str], quick: bool = False) -> list[str]:
    """The test classes to run, each a piece of work of its own; quick: without those that say they are slow."""
    loader = unittest.TestLoader()
    suite = unittest.TestSuite()
    for name in names or ["tests"]:
        folder = ROOT / name.replace(".", "/")
        suite.addTest(loader.discover(str(folder), top_level_dir=str(ROOT)) if folder.is_dir() else
                      loader.loadTestsFromName(name))
    found = {f"{type(test).__module__}.{type(test).__qualname__}" for test in _tests(suite)
             if not (quick and getattr(test, "slow", False))}
    broken = sorted(name for name in found if name.startswith("unittest.loader"))
    if broken or loader.errors:
        sys.exit("\n".join(loader.errors) or f"{broken} cannot be loaded\n0 passed, 1 failed")
    if names and all(name.count(".") > 2 for name in names):
        return names

    def late(name):
        return next((n for n, first in enumerate(FIRST) if f".{first}." in name), len(FIRST)), name
    return sorted(found, key=late)


def _tests(suite):
    for each in suite:
        if isinstance(each, unittest.TestSuite):
            yield from _tests(each)
        else:
            yield each


def run(name: str, seed: str) -> tuple[str, int, int, int, float, str]:
    """Run one class on its day; its name, how many tests ran, were skipped and failed, seconds, what was printed."""
    gc.set_threshold(50_000, 20, 50)  # as `python -m voltaun` runs
    out, begun = io.StringIO(), time.monotonic()
    with Day.drawn(seed, name).lived():
        suite = unittest.defaultTestLoader.loadTestsFromName(name)
        result = unittest.TextTestRunner(stream=out, verbosity=1, buffer=True).run(suite)
    # A test with several failed parts is one failed test; a broken set-up counts as one more.
    broken = {getattr(test, "test_case", test).id() for test, _ in result.failures + result.errors}
    failed = len(broken) + len(result.unexpectedSuccesses)
    return name, result.testsRun, len(result.skipped), failed, time.monotonic() - begun, out.getvalue()


def main() -> int:
    asks = argparse.ArgumentParser(prog="python -m tests", description=__doc__)
    asks.add_argument("names", nargs="*", metavar="NAME", help="a folder, module, class or test; all of them without")
    asks.add_argument("--day", default=None, metavar="SEED", help="the seed of the days; the commit without one")
    asks.add_argument("--quick", action="store_true", help="leave out what says that it is slow")
    asked = asks.parse_args()
    seed = asked.day or seed_of_the_tree()
    os.environ.pop("VOLTAUN_NOW", None)
    os.environ |= {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}  # each process has one core
    ran = skipped = failed = 0
    slow = []
    print(f"Each class on a day of its own, by the seed {seed}: python -m tests --day {seed}", flush=True)
    # One more than there are cores: those with a browser wait for it now and then.
    with ProcessPoolExecutor((os.cpu_count() or 1) + 1, mp_context=get_context("spawn")) as pool:
        for done in as_completed([pool.submit(run, name, seed) for name in suites(asked.names, asked.quick)]):
            name, tests, left_out, broken, seconds, text = done.result()
            ran, skipped, failed = ran + tests, skipped + left_out, failed + broken
            slow.append((seconds, name))
            if broken or asked.names:
                print(f"\n{name}\non {Day.drawn(seed, name)}\nagain: python -m tests --day {seed} {name}\n{text}",
                      flush=True)
            else:
                print(".", end="", flush=True)
    print("\nThe longest: " + ", ".join(f"{name.rpartition('tests.')[2]} {seconds:.0f} s"
                                        for seconds, name in sorted(slow, reverse=True)[:6]))
    print(f"{max(0, ran - failed - skipped)} passed, {failed} failed")
    return 0 if ran and not failed else 1
