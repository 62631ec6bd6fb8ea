"""The slow renderer: the same scene at any size, at a cost that is its pixels."""

import time

import numpy as np
import pytest

from standins.renderer import render


@pytest.mark.parametrize("width", [96, 160])
def test_half_the_size_shows_the_same_scene(width: int) -> None:
    small, large = render(width, width * 9 // 16, 0), render(2 * width, 2 * (width * 9 // 16), 0)
    means = large.astype(float).reshape(small.shape[0], 2, width, 2, 3).mean(axis=(1, 3))
    # Far tiles are finer than a pixel and differ; what lies near is the same.
    assert np.abs(means - small)[-20:].mean() < 4
    assert np.corrcoef(means.ravel(), small.ravel())[0, 1] > 0.97


def test_it_takes_its_cost() -> None:
    begun = time.monotonic()
    render(64, 36, 100)
    assert time.monotonic() - begun >= 100e-6 * 64 * 36
