"""MS-SSIM and VIF against sewar, GMSD against OpenCV's quality module."""

import cv2
import numpy as np
import pytest
from sewar.full_ref import msssim, vifp
from skimage import data

from mistline.core.measure.gradients import gradient_deviation
from mistline.core.measure.information import information_fidelity
from mistline.core.measure.ssim import multi_scale_similarity

DAMAGES = ("blur", "noise", "jpeg", "contrast")


def _damaged(codes: np.ndarray, damage: str) -> np.ndarray:
    if damage == "blur":
        return cv2.GaussianBlur(codes, (0, 0), 1.5)
    if damage == "jpeg":
        return cv2.imdecode(cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, 20])[1], 0)
    if damage == "contrast":
        return np.round(128 + 0.8 * (codes.astype(float) - 128)).astype(np.uint8)
    noise = np.random.default_rng(4).normal(0, 12, codes.shape)
    return np.clip(np.round(codes + noise), 0, 255).astype(np.uint8)


@pytest.fixture(params=[(name, damage) for name in ("camera", "chelsea") for damage in DAMAGES], ids="-".join)
def pair(request: pytest.FixtureRequest) -> tuple[np.ndarray, np.ndarray]:
    name, damage = request.param
    codes = getattr(data, name)()
    codes = codes if codes.ndim == 2 else np.ascontiguousarray(codes[:, :450, 1])
    return codes, _damaged(codes, damage)


def _floats(pair: tuple[np.ndarray, np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    return pair[0].astype(np.float32) / 255, pair[1].astype(np.float32) / 255


def test_ms_ssim_agrees_with_sewar(pair: tuple[np.ndarray, np.ndarray]) -> None:
    """Sewar's means of 2 x 2 start a pixel earlier; that tells most where damage lies on a grid (JPEG)."""
    assert multi_scale_similarity(*_floats(pair)) == pytest.approx(msssim(*pair).real, abs=2e-3)


def test_vif_agrees_with_sewar(pair: tuple[np.ndarray, np.ndarray]) -> None:
    assert information_fidelity(*_floats(pair)) == pytest.approx(vifp(*pair), abs=1e-4)


def test_gmsd_agrees_with_opencv(pair: tuple[np.ndarray, np.ndarray]) -> None:
    """The similarity maps agree inside; OpenCV pads with black at the edge, where ours mirrors."""
    truth, result = pair
    quality = cv2.quality.QualityGMSD_create(truth)
    quality.compute(result)
    theirs = np.asarray(quality.getQualityMap())
    found = gradient_deviation(*_floats(pair))
    rows, columns = truth.shape[0] // 2 - 2, truth.shape[1] // 2 - 2
    ours, theirs = found.map[::2, ::2][2:rows, 2:columns], theirs[2:rows, 2:columns]
    assert np.abs(ours - theirs).max() < 1e-3
    assert found.value == pytest.approx(float(theirs.std()), abs=3e-3)


def test_gmsd_of_a_closed_form() -> None:
    """A truth of slope g a pixel has 2 g after halving, and 4 g across Prewitt's mask. Where the result is flat
    the similarity is c / (16 g^2 + c) with c = 170 / 255^2, elsewhere 1: half each deviates by half of that.
    """
    slope = np.float32(0.02)
    truth = np.tile(np.arange(50, dtype=np.float32) * slope, (1600, 1))
    result = truth.copy()
    result[800:] = np.float32(0.5)
    c = 170 / 255**2
    inside = gradient_deviation(truth, result).map[:, 6:-6]
    assert float(inside.std()) == pytest.approx((1 - c / (16 * slope**2 + c)) / 2, rel=0.01)
