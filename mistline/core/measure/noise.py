"""Noise left: sigma of the grain in the flat areas of one picture, no truth needed.

References
----------
.. [1] J. Immerkaer, "Fast noise variance estimation", Comput. Vis. Image Underst. 64(2), 300-302, 1996.
.. [2] D. L. Donoho, I. M. Johnstone, "Ideal spatial adaptation by wavelet shrinkage", Biometrika 81(3),
       425-455, 1994: the median rule.
"""

import cv2
import numpy as np

from mistline.core.frame import Array, Frame, luma
from mistline.core.measure.measure import Measure, Measured

__all__ = ["MEASURES", "noise_sigma"]

MASK = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
MASK_GAIN = 6.0
BLOCK = 16
FLAT_SHARE = 0.25


def noise_sigma(brightness: Array) -> float:
    """Noise sigma of (H, W) luma in 0..1, in 8-bit code values.

    The difference of two Laplacians [1]_ removes everything that is linear over 3 x 3 pixels. Its
    deviation is taken by the median rule [2]_ over the quarter of 16 x 16 blocks whose blurred gradient is
    smallest, so that texture does not count as noise; blocks at the end of the range (below 2 or above 253
    code values) are left out. Edge rule: the outer pixel and incomplete blocks do not count. Range 0..127.
    """
    rows, columns = brightness.shape[0] // BLOCK, brightness.shape[1] // BLOCK
    if rows * columns == 0:
        rows = columns = 1
        block_rows, block_columns = brightness.shape
    else:
        block_rows = block_columns = BLOCK
    height, width = rows * block_rows, columns * block_columns

    def blocks(values: Array) -> Array:
        cut = values[:height, :width].reshape(rows, block_rows, columns, block_columns)
        return cut.transpose(0, 2, 1, 3).reshape(rows * columns, -1)

    response = cv2.filter2D(brightness, cv2.CV_32F, MASK)
    response[[0, -1]] = np.nan
    response[:, [0, -1]] = np.nan
    soft = cv2.GaussianBlur(brightness, (0, 0), 3.0)
    slope = cv2.magnitude(cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1))
    level, steepness = blocks(soft).mean(axis=1), blocks(slope).mean(axis=1)
    usable = (level > 2 / 255) & (level < 253 / 255)
    if not usable.any():
        return 0.0
    flat = usable & (steepness <= np.quantile(steepness[usable], FLAT_SHARE))
    deviation = np.nanmedian(np.abs(blocks(response)[flat])) / 0.67449
    return float(deviation / MASK_GAIN * 255)


def _left(truth: Frame, result: Frame) -> Measured:
    return Measured(noise_sigma(luma(result.pixels)))


MEASURES = [
    Measure(
        "noise_left", 1, "Noise left", "cv", "nearer to the truth", "noise",
        "Grain in flat areas, in 8-bit code values (cv). Best is what the truth has: less is smeared, "
        "more is noisy.",
        "Immerkaer 1996; Donoho, Johnstone 1994", tie=0.05, digits=2, of=_left,
    )
]  # fmt: skip
