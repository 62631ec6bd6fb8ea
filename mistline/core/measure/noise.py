"""Noise left: sigma of the grain in the flat areas of one picture, no truth needed.

References
----------
.. [1] J. Immerkaer, "Fast noise variance estimation", Comput. Vis. Image Underst. 64(2), 300-302, 1996.
.. [2] D. L. Donoho, I. M. Johnstone, "Ideal spatial adaptation by wavelet shrinkage", Biometrika 81(3),
       425-455, 1994: the median rule.
"""

import math

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array, to_ycbcr
from mistline.core.measure.areas import blocks, flat_blocks
from mistline.core.measure.measure import Evidence, Measure, Measured

__all__ = ["MEASURES", "noise_sigma"]

MASK = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
MASK_GAIN = 6.0
BLOCK = 16


def noise_sigma(plane: Array, flat: npt.NDArray[np.bool_] | None = None) -> float:
    """Noise sigma of an (H, W) plane in 0..1, in 8-bit code values.

    The difference of two Laplacians [1]_ removes everything that is linear over 3 x 3 pixels. Its
    deviation is taken by the median rule [2]_ over the quarter of 16 x 16 blocks whose blurred gradient is
    smallest (of this plane, or of another by `flat`), so that texture does not count as noise. Edge rule:
    the outer pixel and incomplete blocks do not count. Range 0..127.
    """
    flat = flat_blocks(plane, BLOCK) if flat is None else flat
    if not flat.any():
        return 0.0
    response = cv2.filter2D(plane, cv2.CV_32F, MASK)
    response[[0, -1]] = np.nan
    response[:, [0, -1]] = np.nan
    deviation = np.nanmedian(np.abs(blocks(response, BLOCK)[flat])) / 0.67449
    return float(deviation / MASK_GAIN * 255)


def _luma(evidence: Evidence) -> Measured:
    return Measured(noise_sigma(evidence.result_luma))


def _colour(evidence: Evidence) -> Measured:
    pixels = evidence.result.pixels
    if pixels.shape[2] == 1:
        return Measured(0.0)
    flat = flat_blocks(evidence.result_luma, BLOCK)
    planes = to_ycbcr(pixels)
    squares = [noise_sigma(np.ascontiguousarray(planes[..., index]), flat) ** 2 for index in (1, 2)]
    return Measured(math.sqrt(sum(squares) / 2))


MEASURES = [
    Measure(
        "noise_left", 1, "Noise left", "cv", "nearer to the truth", "noise",
        "Grain in flat areas, in 8-bit code values (cv). Best is what the truth has: less is smeared, "
        "more is noisy.",
        "Immerkaer 1996; Donoho, Johnstone 1994", tie=0.05, digits=2, of=_luma, needs=(),
    ),
    Measure(
        "noise_colour", 1, "Colour noise left", "cv", "nearer to the truth", "noise",
        "Colour specks in flat areas: the mean of both colour planes, in 8-bit code values (cv).",
        "Immerkaer 1996; Donoho, Johnstone 1994", tie=0.05, digits=2, of=_colour, needs=(),
    ),
]  # fmt: skip
