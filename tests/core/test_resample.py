"""What every kernel must do on any picture: keep the mean of a flat field, be linear, not prefer a side."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mistline.core.frame import Size
from mistline.core.resample import KERNELS, resize

SIDES = st.integers(3, 40)
CASES = given(st.sampled_from(sorted(KERNELS)), SIDES, SIDES, SIDES, SIDES, st.integers(0, 9999))
QUICK = settings(max_examples=60)


def picture(height: int, width: int, seed: int) -> np.ndarray:
    return np.random.default_rng(seed).random((height, width, 2), np.float32)


@QUICK
@CASES
def test_a_constant_stays(
    kernel: str, height: int, width: int, new_height: int, new_width: int, seed: int
) -> None:
    level = np.float32(seed / 9999)
    result = resize(np.full((height, width, 1), level), Size(new_width, new_height), kernel)
    assert result.shape == (new_height, new_width, 1)
    assert np.abs(result - level).max() < 1e-5


@QUICK
@CASES
def test_it_is_linear(kernel: str, height: int, width: int, new_height: int, new_width: int, seed: int) -> None:
    one, two = picture(height, width, seed), picture(height, width, seed + 1)
    size = Size(new_width, new_height)
    mixed = resize(2 * one - 3 * two, size, kernel)
    assert np.abs(mixed - (2 * resize(one, size, kernel) - 3 * resize(two, size, kernel))).max() < 1e-4


@QUICK
@CASES
def test_mirroring_and_turning_commute(
    kernel: str, height: int, width: int, new_height: int, new_width: int, seed: int
) -> None:
    if kernel == "nearest":
        return  # where two pixels are equally near it takes the right one, which mirroring turns to the left
    one, size = picture(height, width, seed), Size(new_width, new_height)
    straight = resize(one, size, kernel)
    assert np.abs(resize(one[:, ::-1], size, kernel)[:, ::-1] - straight).max() < 1e-5
    turned = resize(one.transpose(1, 0, 2), Size(new_height, new_width), kernel)
    assert np.abs(turned.transpose(1, 0, 2) - straight).max() < 1e-5


@pytest.mark.parametrize("kernel", ["nearest", "bilinear", "bicubic", "bicubic_sharp", "lanczos3", "area"])
def test_the_same_size_changes_nothing(kernel: str) -> None:
    one = picture(21, 34, 1)
    assert np.abs(resize(one, Size(34, 21), kernel) - one).max() < 1e-6


@pytest.mark.parametrize("factor", [2, 3, 4, 5])
def test_area_by_whole_factors_is_the_block_mean_and_keeps_the_sum(factor: int) -> None:
    one = picture(20 * factor, 30 * factor, 2)
    small = resize(one, Size(30, 20), "area")
    assert np.abs(small - one.reshape(20, factor, 30, factor, 2).mean(axis=(1, 3))).max() < 1e-6


def test_channels_do_not_mix() -> None:
    one = picture(30, 30, 3)
    both = resize(one, Size(71, 53), "lanczos3")
    alone = resize(np.ascontiguousarray(one[..., 1:]), Size(71, 53), "lanczos3")
    assert np.array_equal(both[..., 1:], alone)


def test_strips_leave_no_seam() -> None:
    """Rows are worked on in strips of 128; a tall result must equal the one of a single strip, row by row."""
    tall = picture(200, 8, 4)
    whole = resize(tall, Size(8, 600), "lanczos3")
    weights = resize(np.eye(200, dtype=np.float32)[:, None], Size(1, 600), "lanczos3")[:, 0]
    expected = np.einsum("oi,iwc->owc", weights, tall)
    assert np.abs(whole - expected).max() < 1e-5
