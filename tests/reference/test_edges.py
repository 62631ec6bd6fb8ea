"""Edge width and rims on slanted edges of known blur, as in ISO 12233."""

import cv2
import numpy as np
import pytest
from scipy.stats import norm

from mistline.core.measure.edges import edge_profiles

LOW, HIGH = 0.25, 0.7


def _edge(sigma: float, turn: float) -> np.ndarray:
    """A slanted step blurred by a Gaussian: exactly the normal distribution function across the edge."""
    y, x = np.mgrid[0:240, 0:240].astype(np.float64)
    distance = (x - 120) * np.cos(turn) + (y - 120) * np.sin(turn)
    return (LOW + (HIGH - LOW) * norm.cdf(distance / sigma)).astype(np.float32)


@pytest.mark.parametrize("turn", np.radians([5, 30, 60, 95, 185]))
@pytest.mark.parametrize("sigma", [0.7, 1.0, 1.6, 2.4])
def test_width_of_a_known_blur(sigma: float, turn: float) -> None:
    """10-90 % of the normal distribution is 2 * 1.28155 sigma (tables of the normal distribution)."""
    found = edge_profiles(_edge(0.7, turn), _edge(sigma, turn))
    assert found.result_width == pytest.approx(2 * 1.28155 * sigma, rel=0.04)
    assert found.truth_rim == pytest.approx(0, abs=0.012) and found.result_rim == pytest.approx(0, abs=0.02)


@pytest.mark.parametrize("amount", [0.3, 1.0])
def test_rims_of_a_known_unsharp_mask(amount: float) -> None:
    """Step plus amount times (step - wider step): the over-shoot is the maximum of that difference."""
    sharp, soft = 1.0, 2.0
    truth = _edge(sharp, 0.1)
    result = truth + np.float32(amount) * (truth - _edge(np.hypot(sharp, soft), 0.1))
    t = np.linspace(0, 8, 4001)
    profile = norm.cdf(t / sharp) + amount * (norm.cdf(t / sharp) - norm.cdf(t / np.hypot(sharp, soft)))
    found = edge_profiles(truth, result.astype(np.float32))
    assert found.result_rim - found.truth_rim == pytest.approx(profile.max() - 1, abs=0.012)


def test_rims_do_not_depend_on_contrast() -> None:
    truth = _edge(0.9, 0.3)
    result = truth + (truth - cv2.GaussianBlur(truth, (0, 0), 1.5))
    strong = edge_profiles(truth, result)
    weak = edge_profiles(truth * 0.4 + 0.2, result * 0.4 + 0.2)
    assert weak.result_rim == pytest.approx(strong.result_rim, abs=0.003)
    assert weak.result_width == pytest.approx(strong.result_width, abs=0.02)
