"""SSIM map of a 3840x2160 luma pair against scikit-image, at equal values."""

import statistics

import numpy as np
from skimage.metrics import structural_similarity as theirs

from bench import shown, timed
from mistline.core.measure.ssim import structural_similarity


def rows() -> list[list[str]]:
    rng = np.random.default_rng(0)
    truth = rng.random((2160, 3840), np.float32)
    result = np.clip(truth + rng.normal(0, 0.05, truth.shape), 0, 1).astype(np.float32)

    def reference() -> float:
        value, _ = theirs(
            truth,
            result,
            data_range=1.0,
            gaussian_weights=True,
            sigma=1.5,
            use_sample_covariance=False,
            full=True,
        )
        return float(value)

    difference = abs(reference() - structural_similarity(truth, result).value)
    slow = timed(reference, 3)
    fast = timed(lambda: structural_similarity(truth, result), 9)
    ratio = statistics.median(slow) / statistics.median(fast)
    name = f"SSIM map, 3840x2160 luma (values differ by {difference:.1e})"
    return [[name, shown(fast), f"scikit-image {shown(slow)}", f"{ratio:.1f}x faster", "8x"]]
