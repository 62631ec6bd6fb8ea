"""Frames, sizes and the sRGB transfer."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mistline.core.frame import Frame, Size, decode_srgb, encode_srgb, luma, to_frame


@given(st.floats(-0.5, 1.5, width=32))
def test_the_transfer_undoes_itself(value: float) -> None:
    code = np.float32([value])
    assert encode_srgb(decode_srgb(code))[0] == pytest.approx(value, abs=3e-6)


def test_the_transfer_has_the_standards_corner() -> None:
    """IEC 61966-2-1: linear below 0.04045, and 0.5 stands for 21.4 % of the light (common knowledge)."""
    assert decode_srgb(np.float32([0.04045]))[0] == pytest.approx(0.04045 / 12.92, abs=1e-6)
    assert decode_srgb(np.float32([0.5]))[0] == pytest.approx(0.2140, abs=1e-4)


def test_luma_weights_are_those_of_bt709() -> None:
    primaries = np.eye(3, dtype=np.float32)[None]
    assert luma(primaries)[0] == pytest.approx([0.2126, 0.7152, 0.0722])
    assert np.array_equal(luma(np.full((2, 2, 1), 0.3, np.float32)), np.full((2, 2), 0.3, np.float32))


@pytest.mark.parametrize(("dtype", "depth"), [(np.uint8, 8), (np.uint16, 16)])
def test_integers_become_0_to_1(dtype: type, depth: int) -> None:
    top = np.iinfo(dtype).max
    frame = to_frame(np.array([[[0], [top]]], dtype))
    assert frame.bit_depth == depth and frame.pixels.dtype == np.float32
    assert frame.pixels.ravel().tolist() == [0.0, 1.0]


def test_sizes_speak_the_trade() -> None:
    # Common practice: 2462 x 1000 at 4x is 9848 x 4000; UHD is 8.3 megapixels.
    assert str(Size(2462 * 4, 1000 * 4)) == "9848 x 4000"
    assert Size(3840, 2160).megapixels == pytest.approx(8.2944)
    frame = Frame(np.zeros((4, 7, 3), np.float32), 8)
    assert frame.size == Size(7, 4) and frame.with_pixels(np.zeros((2, 2, 3))).pixels.dtype == np.float32
