"""Benchmarks: never part of the tests."""

import statistics
import time
from collections.abc import Callable


def timed(step: Callable[[], object], repeats: int) -> list[float]:
    """Seconds of each repeat, after one warm-up."""
    step()
    seconds = []
    for _ in range(repeats):
        start = time.perf_counter()
        step()
        seconds.append(time.perf_counter() - start)
    return seconds


def shown(seconds: list[float]) -> str:
    return f"{statistics.median(seconds) * 1000:.0f} ms ({min(seconds) * 1000:.0f}-{max(seconds) * 1000:.0f})"
