"""Noise sigma on known added noise, and beside scikit-image's estimator."""

import numpy as np
import pytest
from skimage import data
from skimage.restoration import estimate_sigma

from mistline.core.measure.noise import noise_sigma


def _ramp(height: int = 512, width: int = 512) -> np.ndarray:
    y, x = np.mgrid[0:height, 0:width]
    return (0.3 + 0.3 * x / width + 0.1 * y / height).astype(np.float32)


@pytest.mark.parametrize("sigma", [1.0, 3.0, 10.0, 25.0])
def test_known_noise_on_a_ramp_within_five_percent(sigma: float) -> None:
    noise = np.random.default_rng(11).normal(0, sigma / 255, (512, 512))
    assert noise_sigma((_ramp() + noise).astype(np.float32)) == pytest.approx(sigma, rel=0.05)


@pytest.mark.parametrize("sigma", [5.0, 15.0])
def test_known_noise_on_a_photograph_within_five_percent(sigma: float) -> None:
    # Block means leave a clean photograph at half size; texture must not count as noise.
    picture = data.camera().astype(np.float32).reshape(256, 2, 256, 2).mean(axis=(1, 3)) / 255
    picture = np.repeat(np.repeat(picture, 2, 0), 2, 1)
    noise = np.random.default_rng(2).normal(0, sigma / 255, picture.shape)
    assert noise_sigma((picture * 0.6 + 0.2 + noise).astype(np.float32)) == pytest.approx(sigma, rel=0.05)


def test_beside_scikit_image_on_white_noise() -> None:
    noisy = (_ramp() + np.random.default_rng(4).normal(0, 8 / 255, (512, 512))).astype(np.float32)
    assert noise_sigma(noisy) == pytest.approx(estimate_sigma(noisy) * 255, rel=0.03)


def test_no_noise_is_zero() -> None:
    assert noise_sigma(_ramp()) < 0.01


def test_a_black_picture_does_not_count() -> None:
    assert noise_sigma(np.zeros((64, 64), np.float32)) == 0.0
