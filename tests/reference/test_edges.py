"""Edge width and rims on slanted and straight edges of known blur, as in ISO 12233, under contrast, level and noise."""

import cv2
import numpy as np
import pytest
from scipy.stats import norm
from skimage import data

from mistline.core.frame import Size
from mistline.core.measure.edges import edge_profiles, edge_width
from mistline.core.measure.measure import NotMeasurable
from mistline.core.resample import resize

LOW, HIGH = 0.25, 0.7


def _edge(sigma: float, turn: float) -> np.ndarray:
    """A slanted step blurred by a Gaussian: exactly the normal distribution function across the edge."""
    y, x = np.mgrid[0:241, 0:260].astype(np.float64)
    distance = (x - 130) * np.cos(turn) + (y - 120) * np.sin(turn)
    return (LOW + (HIGH - LOW) * norm.cdf(distance / sigma)).astype(np.float32)


@pytest.mark.parametrize("turn", np.radians([5, 30, 60, 95, 185]))
@pytest.mark.parametrize("sigma", [0.7, 1.0, 1.6, 2.4])
def test_width_of_a_known_blur(sigma: float, turn: float) -> None:
    """10-90 % of the normal distribution is 2 * 1.28155 sigma (tables of the normal distribution)."""
    truth, result = edge_profiles(_edge(0.7, turn), _edge(sigma, turn))
    assert result.width == pytest.approx(2 * 1.28155 * sigma, rel=0.05)
    assert truth.rim == pytest.approx(0, abs=0.005) and result.rim == pytest.approx(0, abs=0.005)


@pytest.mark.parametrize("noise", [0, 5])
@pytest.mark.parametrize("amount", [0.3, 1.0])
def test_rims_of_a_known_unsharp_mask(amount: float, noise: float) -> None:
    """Step plus amount times (step - wider step): the over-shoot is the maximum of that difference."""
    sharp, soft = 1.0, 2.0
    truth = _edge(sharp, 0.1)
    result = truth + np.float32(amount) * (truth - _edge(np.hypot(sharp, soft), 0.1))
    result = result + np.random.default_rng(1).normal(0, noise / 255, truth.shape)
    t = np.linspace(0, 8, 4001)
    profile = norm.cdf(t / sharp) + amount * (norm.cdf(t / sharp) - norm.cdf(t / np.hypot(sharp, soft)))
    before, after = edge_profiles(truth, result.astype(np.float32))
    assert after.rim - before.rim == pytest.approx(profile.max() - 1, abs=0.025)


@pytest.mark.parametrize("contrast", [0.4, 0.8, 1.2])
@pytest.mark.parametrize("lift", [-0.1, 0.0, 0.1])
def test_neither_contrast_nor_level_counts(contrast: float, lift: float) -> None:
    truth = _edge(0.9, 0.3)
    result = truth + (truth - cv2.GaussianBlur(truth, (0, 0), 1.5))
    _, plain = edge_profiles(truth, result)
    _, other = edge_profiles(truth, result * np.float32(contrast) + np.float32(lift))
    assert other.rim == pytest.approx(plain.rim, abs=0.003) and other.width == pytest.approx(plain.width, abs=0.02)


@pytest.mark.parametrize(("kernel", "rim"), [("bilinear", 0.0), ("bicubic", 0.035), ("nearest", 0.0)])
def test_rims_of_an_enlarged_hard_step(kernel: str, rim: float) -> None:
    """Bilinear weights are never negative: no rims. Keys' cubic sums to 1.035 beside a step that fell on a pixel's middle."""
    hard = np.full((240, 240), 0.25, np.float32)
    hard[:, 121:] = 0.75
    large = resize(resize(hard[..., None], Size(120, 120), "area"), Size(240, 240), kernel)[..., 0]
    truth, result = edge_profiles(hard, large)
    # A perfect step that the pixels sample goes from 10 to 90 % in 0.8 of the way to the next pixel.
    assert truth.width == pytest.approx(0.8, abs=0.02) and truth.rim == 0
    assert result.rim == pytest.approx(rim, abs=0.006)


@pytest.mark.parametrize("sigma", [5, 10, 20])
def test_noise_gives_no_rims_and_another_width_only_by_chance(sigma: float) -> None:
    truth = _edge(0.9, 0.3)
    noisy = truth + np.random.default_rng(2).normal(0, sigma / 255, truth.shape).astype(np.float32)
    before, after = edge_profiles(truth, noisy)
    assert after.rim < 0.02 and after.width == pytest.approx(before.width, rel=0.1)


def test_too_much_noise_is_said() -> None:
    truth = _edge(0.9, 0.3)
    noisy = truth + np.random.default_rng(2).normal(0, 70 / 255, truth.shape).astype(np.float32)
    with pytest.raises(NotMeasurable, match=r"noise|too few"):
        edge_profiles(truth, noisy)


@pytest.mark.parametrize("name", ["astronaut", "camera", "coffee", "rocket"])
def test_photographs_keep_their_edges_under_contrast_and_noise(name: str) -> None:
    picture = getattr(data, name)()
    plane = (picture if picture.ndim == 2 else picture[..., 1]).astype(np.float32) / 255
    noisy = plane + np.random.default_rng(3).normal(0, 5 / 255, plane.shape).astype(np.float32)
    truth, flat = edge_profiles(plane, plane * np.float32(0.6))
    assert flat.count == edge_profiles(plane, plane)[1].count  # at the same edges
    _, rough = edge_profiles(plane, noisy)
    assert flat.width == pytest.approx(truth.width, rel=0.01) and abs(flat.rim - truth.rim) < 0.003
    assert rough.width == pytest.approx(truth.width, rel=0.06) and abs(rough.rim - truth.rim) < 0.02


def test_lettering_has_crisp_edges_and_not_none() -> None:
    from PIL import Image, ImageDraw, ImageFont

    page = Image.new("L", (600, 200), 230)
    ImageDraw.Draw(page).text((20, 30), "Hollowgate 12", 30, ImageFont.load_default(80))
    width = edge_width(np.asarray(page, np.float32) / 255)
    assert width is not None and 0.6 < width < 2
