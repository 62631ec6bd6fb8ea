"""Edge width: how many pixels a strong edge needs from 10 % to 90 % of its step, no truth needed.

References
----------
.. [1] S. Zhuo, T. Sim, "Defocus map estimation from a single image", Pattern Recognit. 44(9), 1852-1858,
       2011: the ratio of gradients before and after a known blur gives the blur that was there.
"""

import cv2
import numpy as np

from mistline.core.frame import Array

__all__ = ["edge_width"]

REBLUR = 1.5
RISE = 2.563  # 10-90 % of a Gaussian-blurred step, in sigmas: 2 * 1.28155
SLOPE_BLUR = 1 / 3  # variance that a difference over two pixels adds, square pixels
STRONGEST = 0.02
LEAST_SLOPE = 8 / 255


def edge_width(brightness: Array) -> float | None:
    """Median 10-90 % rise of the strongest edges of (H, W) luma in 0..1, in pixels.

    For a step blurred by sigma s and blurred again by s0, the gradients stand as sqrt(1 + s0^2 / s^2)
    [1]_. Edges are local maxima of the gradient along its direction, the steepest 2 %; the width follows
    from the median ratio. None where no slope reaches 8 code values a pixel.
    """
    again = cv2.GaussianBlur(brightness, (0, 0), REBLUR)

    def slope(values: Array) -> tuple[Array, Array, Array]:
        dx = cv2.Sobel(values, cv2.CV_32F, 1, 0, scale=1 / 8)
        dy = cv2.Sobel(values, cv2.CV_32F, 0, 1, scale=1 / 8)
        return cv2.magnitude(dx, dy), dx, dy

    steep, dx, dy = slope(brightness)
    ratio = steep / np.maximum(slope(again)[0], 1e-6)
    flat = np.abs(dx) >= np.abs(dy)
    beside = np.where(flat, np.maximum(np.roll(steep, 1, 1), np.roll(steep, -1, 1)),
                      np.maximum(np.roll(steep, 1, 0), np.roll(steep, -1, 0)))  # fmt: skip
    peaks = (steep >= beside) & (steep > LEAST_SLOPE)
    peaks[[0, -1]] = False
    peaks[:, [0, -1]] = False
    if peaks.sum() < 20:
        return None
    strong = peaks & (steep >= np.quantile(steep[peaks], 1 - max(STRONGEST, 20 / peaks.sum())))
    middle = float(np.median(ratio[strong]))
    square = REBLUR**2 / (max(middle, 1.0001) ** 2 - 1) - SLOPE_BLUR
    return RISE * float(np.sqrt(max(square, 0.0)))
