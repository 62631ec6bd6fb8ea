"""Structural similarity: how much of the local structure of a truth survives in a result.

References
----------
.. [1] Z. Wang, A. C. Bovik, H. R. Sheikh, E. P. Simoncelli, "Image quality assessment: from error
       visibility to structural similarity", IEEE Trans. Image Process. 13(4), 600-612, 2004.
"""

from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np

from mistline.core.frame import Array, Frame, luma
from mistline.core.measure.measure import Measure, Measured
from mistline.errors import ShapeMismatch

__all__ = ["MEASURES", "structural_similarity"]

RADIUS, SIGMA = 5, 1.5
C1, C2 = np.float32(0.01**2), np.float32(0.03**2)
WINDOW = cv2.getGaussianKernel(2 * RADIUS + 1, SIGMA, cv2.CV_32F)
ROWS = 96


def structural_similarity(truth: Array, result: Array) -> Measured:
    """Mean and map of SSIM over the luma of two registered frames [1]_.

    Parameters
    ----------
    truth, result : (H, W) float32 in 0..1
        Encoded luma, H and W at least 11.

    Returns
    -------
    Measured
        `value` in -1..1 (1 = identical) and `map`, (H, W) float32. 11 x 11 Gaussian window of sigma 1.5,
        K1 = .01, K2 = .03, population variances; the outer 5 pixels do not count in the value.

    Raises
    ------
    ShapeMismatch
        If the frames differ in size or are smaller than the window.
    """
    if truth.shape != result.shape or min(truth.shape) < 2 * RADIUS + 1:
        raise ShapeMismatch(
            f"SSIM needs two frames of one size, 11 pixels a side or more; got {truth.shape}, {result.shape}."
        )
    height = truth.shape[0]
    similarity = np.empty_like(truth)

    def blur(values: Array) -> Array:
        return cv2.sepFilter2D(values, cv2.CV_32F, WINDOW, WINDOW, borderType=cv2.BORDER_REFLECT)

    def strip(start: int) -> None:
        stop = min(start + ROWS, height)
        low, high = max(0, start - RADIUS), min(height, stop + RADIUS)
        # Variances do not change when a constant is taken off, and float32 keeps more digits of them.
        offset = np.float32(truth[low:high].mean())
        x, y = truth[low:high] - offset, result[low:high] - offset
        mean_x, mean_y = blur(x), blur(y)
        cross = mean_x * mean_y
        squares = mean_x * mean_x + mean_y * mean_y
        variances = blur(x * x + y * y) - squares
        covariance = blur(x * y) - cross
        true_cross = cross + offset * (mean_x + mean_y) + offset * offset
        true_squares = squares + 2 * offset * (mean_x + mean_y) + 2 * offset * offset
        top = (2 * true_cross + C1) * (2 * covariance + C2)
        part = top / ((true_squares + C1) * (variances + C2))
        similarity[start:stop] = part[start - low : stop - low]

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(strip, range(0, height, ROWS)))
    inside = similarity[RADIUS:-RADIUS, RADIUS:-RADIUS]
    return Measured(float(inside.mean(dtype=np.float64)), similarity)


def _of(truth: Frame, result: Frame) -> Measured:
    return structural_similarity(luma(truth.pixels), luma(result.pixels))


MEASURES = [
    Measure(
        "ssim", 1, "SSIM", "", "higher", "close to the truth",
        "Local structure kept: 1 is identical. Follows the eye better than PSNR on blur and texture.",
        "Wang, Bovik, Sheikh, Simoncelli 2004", tie=0.001, digits=4, of=_of,
    )
]  # fmt: skip
