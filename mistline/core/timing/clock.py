"""How long a step takes and what memory it needs; repeats and spread are always part of the figure."""

import os
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

import psutil

__all__ = ["Repeats", "repeat", "reset_peak", "resident_peak"]

T = TypeVar("T")


@dataclass(frozen=True)
class Repeats:
    """Wall-clock seconds of each repeat, and the share of the machine that others used meanwhile."""

    seconds: list[float]
    busy_elsewhere: float

    @property
    def median(self) -> float:
        """Median seconds."""
        return statistics.median(self.seconds)

    @property
    def spread(self) -> float:
        """Slowest less fastest, seconds."""
        return max(self.seconds) - min(self.seconds)


def _cpu_seconds() -> tuple[float, float]:
    machine, own = psutil.cpu_times(), os.times()
    return sum(machine) - machine.idle - getattr(machine, "iowait", 0.0), own.user + own.system


def repeat(step: Callable[[], T], repeats: int, report: Callable[[int], None]) -> tuple[T, Repeats]:
    """Run a step several times; return its last result and the times.

    `busy_elsewhere` is the processor time that other processes used, as a share of all cores over the whole
    span; a figure well above 0 means that the timing was disturbed.
    """
    seconds: list[float] = []
    begun, (machine, own) = time.perf_counter(), _cpu_seconds()
    for number in range(repeats):
        start = time.perf_counter()
        result = step()
        seconds.append(time.perf_counter() - start)
        report(number + 1)
    machine_after, own_after = _cpu_seconds()
    others = (machine_after - machine) - (own_after - own)
    span = (time.perf_counter() - begun) * (os.cpu_count() or 1)
    return result, Repeats(seconds, min(1.0, max(0.0, others / span)) if span > 0.5 else 0.0)


def reset_peak() -> None:
    """Start a new peak of resident memory for this process (Linux)."""
    Path("/proc/self/clear_refs").write_text("5")


def resident_peak() -> int:
    """Peak resident memory of this process since `reset_peak`, bytes (Linux)."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmHWM"):
            return int(line.split()[1]) * 1024
    return 0
