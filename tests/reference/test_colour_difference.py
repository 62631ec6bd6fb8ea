"""CIEDE2000 against the 34 published pairs of Sharma, Wu and Dalal (2005); L*a*b* against scikit-image."""

from pathlib import Path

import numpy as np
import pytest
from skimage import color, data

from mistline.core.frame import Frame, decode_srgb, encode_srgb
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.colour_difference import ciede2000, lab

PAIRS = np.loadtxt(Path(__file__).parent / "ciede2000_pairs.csv", delimiter=",")


def test_the_table_is_whole() -> None:
    assert PAIRS.shape == (34, 7)


@pytest.mark.parametrize("row", PAIRS, ids=[f"pair {i + 1}" for i in range(34)])
def test_published_pair(row: np.ndarray) -> None:
    first, second, expected = row[:3], row[3:6], row[6]
    assert float(ciede2000(first, second)) == pytest.approx(expected, abs=1e-4)
    assert float(ciede2000(second, first)) == pytest.approx(expected, abs=1e-4)


def test_lab_agrees_with_scikit_image() -> None:
    picture = data.chelsea().astype(np.float64) / 255
    # scikit-image's white is the CIE 1931 D65 in four digits, ours the sum of the sRGB matrix rows.
    assert np.abs(lab(picture) - color.rgb2lab(picture)).max() < 0.02


def test_mean_agrees_with_scikit_image_on_a_photograph(photograph: Frame) -> None:
    other = photograph.with_pixels(np.clip(photograph.pixels * [1.05, 1.0, 0.93], 0, 1))
    expected = color.deltaE_ciede2000(color.rgb2lab(photograph.pixels), color.rgb2lab(other.pixels)).mean()
    assert MEASURES["ciede2000"].of(Evidence(other, photograph)).value == pytest.approx(expected, abs=5e-3)


@pytest.mark.parametrize("apart", [0.01, 0.3, 3.0, 30.0])
@pytest.mark.parametrize("chroma", [0.5, 8.0, 60.0])
def test_in_float32_as_scikit_image_in_float64(chroma: float, apart: float) -> None:
    rng = np.random.default_rng(4)
    first = rng.uniform([0, -chroma, -chroma], [100, chroma, chroma], (20000, 3)).astype(np.float32)
    second = (first + rng.normal(0, apart, first.shape)).astype(np.float32)
    expected = color.deltaE_ciede2000(first.astype(np.float64), second.astype(np.float64))
    assert (np.abs(ciede2000(first, second) - expected) < 1e-5 + 3e-4 * expected).all()


def test_srgb_transfer_agrees_with_colour_science() -> None:
    import colour

    codes = np.linspace(0, 1, 256).astype(np.float32)
    assert np.abs(decode_srgb(codes) - colour.models.eotf_sRGB(codes)).max() < 1e-6
    assert np.abs(encode_srgb(decode_srgb(codes)) - codes).max() < 2e-6
    assert np.array_equal(decode_srgb(-codes), -decode_srgb(codes))
