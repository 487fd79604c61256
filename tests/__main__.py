"""Runs every test and closes with the line that counts them."""

import os
import sys
import unittest
from pathlib import Path


def main() -> int:
    os.environ.pop("VOLTAUN_NOW", None)
    root = Path(__file__).parents[1]
    names = sys.argv[1:]
    loader = unittest.defaultTestLoader
    suite = loader.loadTestsFromNames(names) if names else loader.discover(str(root / "tests"), top_level_dir=str(root))
    result = unittest.TextTestRunner(verbosity=2 if names else 1, buffer=True).run(suite)
    # A test with several failed parts is one failed test; a broken set-up counts as one more.
    broken = {getattr(test, "test_case", test).id() for test, _ in result.failures + result.errors}
    failed = len(broken) + len(result.unexpectedSuccesses)
    print(f"{max(0, result.testsRun - failed - len(result.skipped))} passed, {failed} failed")
    return 0 if result.wasSuccessful() and result.testsRun else 1


sys.exit(main())
