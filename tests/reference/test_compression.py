"""Block grids of JPEG at known quality, effective bits of ramps of known depth, tone shifts of closed form."""

import cv2
import numpy as np
import pytest
from skimage import data

from mistline.core.degrade.compression import halve_chroma, jpeg
from mistline.core.frame import Frame, Size, luma, to_frame
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.colour_difference import lab
from mistline.core.measure.compression import blockiness, effective_bits, grid_pitch
from mistline.core.measure.measure import NotMeasurable
from mistline.core.resample import resize


@pytest.fixture(scope="module")
def photograph() -> Frame:
    return to_frame(data.chelsea())


def test_squares_grow_as_quality_falls(photograph: Frame) -> None:
    found = [
        blockiness(luma(jpeg(photograph, quality, half_chroma=False).pixels), 1) for quality in (95, 60, 30, 10)
    ]
    assert all(np.diff(found) > 0) and found[0] < 10 < found[-1]
    assert abs(blockiness(luma(photograph.pixels), 1)) < 6


@pytest.mark.parametrize("factor", [2, 3, 4])
def test_the_enlarged_grid_is_found(factor: int, photograph: Frame) -> None:
    """JPEG works on 8 x 8 blocks (ITU-T T.81), so the pitch is 8 times the factor."""
    coarse = jpeg(photograph, 15, half_chroma=False)
    large = resize(coarse.pixels, Size(coarse.size.width * factor, coarse.size.height * factor), "nearest")
    assert grid_pitch(luma(large[: large.shape[0] // factor * factor]), smallest=8 * factor)[0] == 8 * factor
    smooth = resize(coarse.pixels, Size(coarse.size.width * factor, coarse.size.height * factor), "bicubic")
    assert blockiness(luma(smooth), factor) > 15
    assert blockiness(luma(smooth), factor + 0.37) < 8


def test_the_grid_of_a_plain_jpeg_is_eight(photograph: Frame) -> None:
    pitch, strength = grid_pitch(luma(jpeg(photograph, 15, half_chroma=False).pixels))
    assert pitch == 8 and strength > 20
    assert grid_pitch(luma(photograph.pixels))[1] < 10


@pytest.mark.parametrize("bits", [6, 8, 10, 12])
def test_ramps_of_known_depth(bits: int) -> None:
    y, x = np.mgrid[0:256, 0:1024]
    ramp = 0.2 + 0.4 * x / 1024 + 0.03 * y / 256
    levels = 2**bits - 1
    stepped = np.repeat(np.round(ramp * levels)[..., None] / levels, 3, 2).astype(np.float32)
    assert effective_bits(stepped, 16).value == pytest.approx(bits, abs=0.15)
    assert effective_bits(np.repeat(ramp[..., None], 3, 2).astype(np.float32), 16).value > 13


def test_a_rough_picture_has_no_ramps() -> None:
    with pytest.raises(NotMeasurable, match="no smooth ramps"):
        effective_bits(np.random.default_rng(1).random((256, 256, 3)).astype(np.float32), 16)


@pytest.mark.parametrize("lift", [-0.08, 0.05])
def test_a_lift_of_all_values_is_the_tone_shift_of_its_darkest_tones(lift: float) -> None:
    """On greys L* is a function of the code value alone (CIE 1976), so the shift has a closed form."""
    grey = np.repeat(np.repeat(np.linspace(0.2, 0.8, 64, dtype=np.float32), 8)[None, :, None], 64, 0)
    measured = MEASURES["tone"].of(Evidence(Frame(grey + np.float32(lift), 8), Frame(grey, 8)))
    parts = {part.name: part.value for part in measured.parts}
    for name, share in (("darkest", 0.01), ("middle", 0.5), ("lightest", 0.99)):
        value = np.float32(np.quantile(grey, share))
        both = lab(np.array([[[value]], [[value + np.float32(lift)]]], np.float32))[:, 0, 0]
        assert parts[name] == pytest.approx(both[1] - both[0], abs=0.15)
    assert abs(measured.value) == pytest.approx(max(abs(v) for v in parts.values()))


def test_lost_detail_is_no_colour_shift_but_a_cast_is(photograph: Frame) -> None:
    soft = photograph.with_pixels(cv2.GaussianBlur(photograph.pixels, (0, 0), 1.0))
    cast = photograph.with_pixels(photograph.pixels * np.float32([1.08, 1, 0.94]))
    shift, mean = MEASURES["ciede2000_soft"].of, MEASURES["ciede2000"].of
    assert shift(Evidence(soft, photograph)).value < 0.5 < mean(Evidence(soft, photograph)).value
    assert shift(Evidence(cast, photograph)).value > 2


def test_half_chroma_keeps_luma_and_grey(photograph: Frame) -> None:
    """4:2:0 as ITU-R BT.601 has it: brightness whole, colour one in four."""
    halved = halve_chroma(photograph)
    assert np.abs(luma(halved.pixels) - luma(photograph.pixels)).max() < 1e-5
    assert np.abs(halved.pixels - photograph.pixels).max() > 0.02
    grey = Frame(photograph.pixels[..., :1], 8)
    assert halve_chroma(grey) is grey
