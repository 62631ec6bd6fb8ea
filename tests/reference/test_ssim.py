"""SSIM against scikit-image with the settings of Wang, Bovik, Sheikh, Simoncelli 2004."""

import numpy as np
import pytest
from skimage import data
from skimage.metrics import structural_similarity as theirs

from mistline.core.frame import luma
from mistline.core.measure.ssim import structural_similarity


def _pairs() -> list[tuple[str, np.ndarray, np.ndarray]]:
    rng = np.random.default_rng(3)
    pairs = []
    for name in ("astronaut", "chelsea", "coffee", "camera"):
        picture = getattr(data, name)().astype(np.float32) / 255
        truth = luma(picture if picture.ndim == 3 else picture[..., None])
        noisy = np.clip(truth + rng.normal(0, 0.06, truth.shape), 0, 1).astype(np.float32)
        pairs += [(f"{name}, noise", truth, noisy), (f"{name}, tone", truth, (truth**1.3).astype(np.float32))]
    flat = np.full((64, 80), 0.98, np.float32)
    pairs.append(("flat and bright", flat, (flat - 0.01).astype(np.float32)))
    return pairs


@pytest.mark.parametrize(
    ("name", "truth", "result"), _pairs(), ids=lambda value: value if isinstance(value, str) else ""
)
def test_agrees_with_scikit_image(name: str, truth: np.ndarray, result: np.ndarray) -> None:
    expected, full = theirs(
        truth.astype(np.float64), result.astype(np.float64), data_range=1.0, gaussian_weights=True, sigma=1.5,
        use_sample_covariance=False, full=True,
    )  # fmt: skip
    ours = structural_similarity(truth, result)
    assert abs(ours.value - expected) <= 1e-4
    inside = np.abs(ours.map - full)[5:-5, 5:-5]
    assert inside.max() < 2e-3
