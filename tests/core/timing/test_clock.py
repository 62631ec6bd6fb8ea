"""Clocks, memory and the machine's profile."""

import mmap
import statistics
import time

import numpy as np
import pytest

from mistline.core.timing.clock import repeat, reset_peak, resident_peak
from mistline.core.timing.machine import this_machine


def test_every_repeat_is_timed_and_the_last_result_returned() -> None:
    calls: list[int] = []
    told: list[int] = []

    def step() -> int:
        time.sleep(0.02)
        calls.append(1)
        return len(calls)

    result, times = repeat(step, 3, told.append)
    assert (result, told, len(times.seconds)) == (3, [1, 2, 3], 3)
    assert min(times.seconds) >= 0.02
    assert times.median == statistics.median(times.seconds)
    assert times.spread == pytest.approx(max(times.seconds) - min(times.seconds))
    assert 0 <= times.busy_elsewhere <= 1


def test_the_peak_sees_a_large_array_that_is_gone_again() -> None:
    reset_peak()
    before = resident_peak()
    with mmap.mmap(-1, 120_000_000) as fresh:  # pages of its own, whatever the allocator has at hand
        np.frombuffer(fresh, np.uint8)[:] = 1
    assert resident_peak() - before > 100e6
    reset_peak()
    assert resident_peak() < before + 60e6


def test_the_machine_has_a_stable_identity() -> None:
    machine = this_machine()
    this_machine.cache_clear()
    assert machine.id == this_machine().id
    assert machine.cores >= 1 and machine.memory_bytes > 1e8 and machine.libraries["numpy"] == np.__version__
