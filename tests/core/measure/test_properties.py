"""What every measure must do whatever the picture: identity, symmetry, a monotone answer to damage."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mistline.core.frame import Frame, luma
from mistline.core.measure import MEASURES, measure_all, measure_traits
from mistline.core.measure.edge_width import edge_width
from mistline.core.measure.ssim import structural_similarity
from mistline.core.media.plate import quantise
from mistline.errors import ShapeMismatch

TRUTH_NEEDED = ["psnr_luma", "psnr_rgb", "ssim", "ciede2000"]


def _of(key: str, truth: Frame, result: Frame) -> float:
    return MEASURES[key].of(truth, result).value


@pytest.mark.parametrize("key", TRUTH_NEEDED)
def test_identity_is_the_best_value(key: str, photograph: Frame) -> None:
    best = {"psnr_luma": np.inf, "psnr_rgb": np.inf, "ssim": 1.0, "ciede2000": 0.0}[key]
    assert _of(key, photograph, photograph) == pytest.approx(best, abs=1e-6)


@pytest.mark.parametrize("key", TRUTH_NEEDED)
def test_more_noise_and_more_blur_are_worse(key: str, photograph: Frame) -> None:
    noise = np.random.default_rng(8).normal(0, 1, photograph.pixels.shape)
    noisy = [
        _of(key, photograph, photograph.with_pixels(photograph.pixels + s * noise)) for s in (0.01, 0.03, 0.1)
    ]
    soft = [
        _of(key, photograph, photograph.with_pixels(cv2.GaussianBlur(photograph.pixels, (0, 0), s)))
        for s in (0.5, 1, 3)
    ]
    sign = 1 if MEASURES[key].better == "lower" else -1
    for values in (noisy, soft):
        assert list(np.diff(values) * sign > 0) == [True, True]


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000), st.integers(11, 60), st.integers(11, 60))
def test_fidelity_is_symmetric(seed: int, height: int, width: int) -> None:
    rng = np.random.default_rng(seed)
    one, two = (Frame(rng.random((height, width, 3), np.float32), 8) for _ in range(2))
    for key in TRUTH_NEEDED:
        assert _of(key, one, two) == pytest.approx(_of(key, two, one), rel=1e-4, abs=1e-5)
    assert -1 <= _of("ssim", one, two) <= 1


@pytest.mark.parametrize("key", TRUTH_NEEDED)
def test_frames_of_another_size_are_refused(key: str, photograph: Frame) -> None:
    with pytest.raises(ShapeMismatch):
        _of(key, photograph, photograph.with_pixels(photograph.pixels[:-1]))


def test_ssim_does_not_depend_on_the_strips() -> None:
    """Rows are worked on in strips; a tall pair must give the same map as its parts, inside."""
    rng = np.random.default_rng(2)
    one, two = rng.random((300, 40), np.float32), rng.random((300, 40), np.float32)
    whole = structural_similarity(one, two).map
    part = structural_similarity(one[60:200], two[60:200]).map
    assert whole is not None and part is not None
    assert np.abs(whole[66:194] - part[6:134]).max() < 1e-4


@pytest.mark.parametrize("sigma", [0.8, 1.2, 2.0, 3.0])
def test_edge_width_of_a_known_blur(sigma: float) -> None:
    """The 10-90 % rise of a Gaussian-blurred step is 2.563 sigma (integral of the normal distribution)."""
    y, x = np.mgrid[0:1600, 0:1600]
    fine = ((x - 800) + 0.12 * (y - 800) > 0).astype(np.float32)
    blurred = cv2.resize(cv2.GaussianBlur(fine, (0, 0), 8 * sigma), (200, 200), interpolation=cv2.INTER_AREA)
    assert edge_width(blurred * 0.6 + 0.2) == pytest.approx(2.563 * sigma, rel=0.12)


def test_a_flat_picture_has_no_edge_width() -> None:
    assert edge_width(np.full((64, 64), 0.5, np.float32)) is None


def test_traits_say_what_they_were_measured_on(photograph: Frame) -> None:
    assert measure_traits(quantise(photograph, 8)[0]).measured_on == "the whole picture"
    wide = np.zeros((20, 5000, 1), np.uint8)
    assert measure_traits(wide).measured_on == "the central 4096 x 20 pixels"


def test_identical_pictures_have_no_finite_psnr(photograph: Frame) -> None:
    told: list[float] = []
    values = measure_all(photograph, photograph, told.append)
    assert values["psnr_rgb"] is None and values["ssim"] == pytest.approx(1) and told[-1] == 1.0
    assert values["noise_left"] == pytest.approx(MEASURES["noise_left"].of(photograph, photograph).value)
    assert luma(photograph.pixels).shape == (512, 512)
