"""Prints every figure beside its yardstick and the ratio that was aimed at."""

import tempfile
from pathlib import Path

from benchmarks import additions, dense, first_byte, futures, ledger, outlook, pages, samples, wire


def main():
    with tempfile.TemporaryDirectory() as folder:
        for measure in (futures, ledger, outlook, additions, pages, samples, dense, first_byte, wire):
            for line in measure.lines(Path(folder)):
                print(line, flush=True)


main()
