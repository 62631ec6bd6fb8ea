"""Structural similarity: how much of the local structure of a truth survives in a result.

References
----------
.. [1] Z. Wang, A. C. Bovik, H. R. Sheikh, E. P. Simoncelli, "Image quality assessment: from error
       visibility to structural similarity", IEEE Trans. Image Process. 13(4), 600-612, 2004.
.. [2] Z. Wang, E. P. Simoncelli, A. C. Bovik, "Multiscale structural similarity for image quality
       assessment", Asilomar Conf. Signals, Systems and Computers, 2003.
"""

import math

import cv2
import numpy as np

from mistline.core.frame import Array
from mistline.core.measure.areas import halved
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable
from mistline.core.threads import on_threads
from mistline.errors import ShapeMismatch

__all__ = ["MEASURES", "multi_scale_similarity", "structural_similarity"]

RADIUS, SIGMA = 5, 1.5
C1, C2 = np.float32(0.01**2), np.float32(0.03**2)
WINDOW = cv2.getGaussianKernel(2 * RADIUS + 1, SIGMA, cv2.CV_32F)
ROWS = 96
WEIGHTS = (0.0448, 0.2856, 0.3001, 0.2363, 0.1333)  # [2]_


def _maps(truth: Array, result: Array) -> tuple[Array, Array]:
    """Maps of luminance times contrast-structure, and of contrast-structure alone."""
    if truth.shape != result.shape or min(truth.shape) < 2 * RADIUS + 1:
        raise ShapeMismatch(
            f"SSIM needs two frames of one size, 11 pixels a side or more; got {truth.shape}, {result.shape}."
        )
    height = truth.shape[0]
    similarity, structure = np.empty_like(truth), np.empty_like(truth)

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
        inside = slice(start - low, stop - low)
        structure[start:stop] = ((2 * covariance + C2) / (variances + C2))[inside]
        similarity[start:stop] = structure[start:stop] * ((2 * true_cross + C1) / (true_squares + C1))[inside]

    on_threads(strip, range(0, height, ROWS), truth.size)
    return similarity, structure


def _inner_mean(values: Array) -> float:
    return float(values[RADIUS:-RADIUS, RADIUS:-RADIUS].mean(dtype=np.float64))


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
        K1 = .01, K2 = .03, population variances; the outer 5 pixels do not count in the value. Valid range: 11
        pixels a side or more, every level, blur and noise; displaced pictures are told as damaged.

    Raises
    ------
    ShapeMismatch
        If the frames differ in size or are smaller than the window.
    """
    similarity, _ = _maps(truth, result)
    return Measured(_inner_mean(similarity), similarity)


def multi_scale_similarity(truth: Array, result: Array) -> float:
    """MS-SSIM of (H, W) luma in 0..1 over five scales [2]_, 0..1; a negative scale counts as 0.

    Each scale is half the one before, by the mean of 2 x 2 pixels; the outer 5 pixels of each scale do not
    count. Valid range: 176 pixels a side or more, so that the window fits in the smallest scale; else as SSIM.
    """
    if min(truth.shape) < 16 * (2 * RADIUS + 1):
        raise NotMeasurable("needs 176 pixels a side or more")
    score = 1.0
    for scale, weight in enumerate(WEIGHTS):
        similarity, structure = _maps(truth, result)
        last = scale == len(WEIGHTS) - 1
        score *= math.pow(max(0.0, _inner_mean(similarity if last else structure)), weight)
        truth, result = halved(truth), halved(result)
    return score


def _single(evidence: Evidence) -> Measured:
    if min(evidence.truth_luma.shape) < 2 * RADIUS + 1:
        raise NotMeasurable(f"needs {2 * RADIUS + 1} pixels a side or more")
    return structural_similarity(evidence.truth_luma, evidence.result_luma)


def _multi(evidence: Evidence) -> Measured:
    return Measured(multi_scale_similarity(evidence.truth_luma, evidence.result_luma))


MEASURES = [
    Measure(
        "ssim", 1, "SSIM", "", "higher", "close to the truth",
        "Local structure kept: 1 is identical. Follows the eye better than PSNR on blur and texture.",
        "Wang, Bovik, Sheikh, Simoncelli 2004", tie=0.001, digits=4, of=_single, each_frame=True,
    ),
    Measure(
        "ms_ssim", 1, "MS-SSIM", "", "higher", "close to the truth",
        "Structure kept at five viewing distances together: 1 is identical.",
        "Wang, Simoncelli, Bovik 2003", tie=0.0005, digits=4, of=_multi,
    ),
]  # fmt: skip
