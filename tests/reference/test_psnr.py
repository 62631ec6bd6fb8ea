"""PSNR (ITU-T J.340) against scikit-image."""

import numpy as np
import pytest
from skimage import data
from skimage.metrics import peak_signal_noise_ratio

from mistline.core.frame import Frame, luma
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.psnr import psnr


@pytest.mark.parametrize("sigma", [0.001, 0.02, 0.2])
def test_agrees_with_scikit_image(sigma: float) -> None:
    truth = data.coffee().astype(np.float32) / 255
    result = (truth + np.random.default_rng(5).normal(0, sigma, truth.shape)).astype(np.float32)
    frames = Frame(truth, 8), Frame(result, 16)
    for measure, pair in (("psnr_rgb", (truth, result)), ("psnr_luma", (luma(truth), luma(result)))):
        expected = peak_signal_noise_ratio(*(part.astype(np.float64) for part in pair), data_range=1.0)
        assert MEASURES[measure].of(Evidence(*reversed(frames))).value == pytest.approx(
            expected, abs=1e-6 if measure == "psnr_rgb" else 1e-5
        )


def test_one_code_value_of_eight_bits_is_48_decibels() -> None:
    # Common knowledge of the trade: an error of one code value everywhere is 20 log10(255) = 48.13 dB.
    truth = np.full((20, 20), 100 / 255, np.float64)
    assert psnr(truth, truth + 1 / 255) == pytest.approx(48.1308, abs=1e-3)
