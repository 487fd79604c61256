"""Timing two things in turn, so that a busy machine slows both alike."""

import statistics
import time


def side_by_side(one, other, rounds: int) -> tuple[float, float]:
    """Median seconds of each, called in turn; each is called once before to warm up."""
    one(), other()
    times = ([], [])
    for _ in range(rounds):
        for call, taken in zip((one, other), times, strict=True):
            start = time.perf_counter()
            call()
            taken.append(time.perf_counter() - start)
    return statistics.median(times[0]), statistics.median(times[1])


def told(what: str, ours: float, yardstick: str, theirs: float, aim: float) -> str:
    """One line: a time, its yardstick, the ratio and the aim."""
    ratio = ours / theirs
    verdict = "within" if ratio <= aim else "OVER"
    return (f"{what}: {ours * 1000:.1f} ms beside {theirs * 1000:.1f} ms ({yardstick}), "
            f"{ratio:.2f} ×, {verdict} the aim of {aim:g} ×")
