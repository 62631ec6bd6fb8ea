"""Likeness: do two pictures of one size show the same, whatever their level, contrast, noise and sharpness?

References
----------
.. [1] J. P. Lewis, "Fast normalized cross-correlation", Vision Interface 1995, 120-123: likeness of windows whatever
       their level and contrast.
.. [2] D. L. Donoho, I. M. Johnstone, "Ideal spatial adaptation by wavelet shrinkage", Biometrika 81(3), 425-455, 1994:
       noise by the median of the finest wavelet coefficients.
"""

import cv2
import numpy as np

from mistline.core.frame import Array

__all__ = ["FEWEST", "WINDOW", "likeness"]

FINE, COARSE = 1.0, 3.0  # sigmas of the band that is compared, pixels
WINDOW = 16
STRUCTURE = 2.0 / 255  # least deviation of the band in a window that shows something
BAND_NOISE = 0.27  # of white noise of sigma 1 in the band
ALIKE, FEWEST = 0.5, 8  # correlation; windows that tell something of the whole


def _band(values: Array) -> Array:
    fine, coarse = (cv2.GaussianBlur(values, (0, 0), s, borderType=cv2.BORDER_REFLECT) for s in (FINE, COARSE))
    band: Array = fine - coarse
    return band


def _noise(values: Array) -> float:
    """Sigma of white noise by the finest diagonal Haar coefficients [2]_; texture counts as noise."""
    height, width = (length - length % 2 for length in values.shape)
    v = values[:height, :width]
    finest = (v[::2, ::2] - v[::2, 1::2] - v[1::2, ::2] + v[1::2, 1::2]) / 2
    return float(np.median(np.abs(finest))) / 0.6745


def likeness(small: Array, back: Array) -> tuple[float, int]:
    """Share of the places that look like the input, and the number of places that show anything at all.

    Both are (H, W) luma of the input's size: the input, and a result sent back to it. Places are windows of 16 x 16
    pixels, half overlapping; they are alike where the band from sigma 1 to 3 correlates by 0.5 or more [1]_, and show
    something where it deviates by 2 code values and by twice the noise of the input. Whatever a method does to level,
    contrast, noise and sharpness, it leaves nearly all places alike (0.996 or more of them, in tests); another picture
    does so for a fiftieth. Valid range: results that lie within half a pixel of the input.
    """
    a, b = _band(small), _band(back)

    def mean(values: Array) -> Array:
        means: Array = cv2.blur(values, (WINDOW, WINDOW))[WINDOW // 2 :: WINDOW // 2, WINDOW // 2 :: WINDOW // 2]
        return means

    of_a, of_b = (np.maximum(mean(v * v) - mean(v) ** 2, 0) for v in (a, b))
    both = mean(a * b) - mean(a) * mean(b)
    noise = BAND_NOISE * _noise(small)
    shows = np.sqrt(of_a) > max(STRUCTURE, 2 * noise)
    alike = both >= ALIKE * np.sqrt(np.maximum(of_a * of_b, 1e-14))
    return (float(alike[shows].mean()) if shows.any() else 1.0), int(shows.sum())
