"""Gradient damage: where slopes of the truth were flattened or added.

References
----------
.. [1] W. Xue, L. Zhang, X. Mou, A. C. Bovik, "Gradient magnitude similarity deviation: a highly efficient
       perceptual image quality index", IEEE Trans. Image Process. 23(2), 684-695, 2014.
"""

import cv2
import numpy as np

from mistline.core.frame import Array
from mistline.core.measure.areas import halved
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable

__all__ = ["MEASURES", "gradient_deviation"]

SMALLEST = 4
STABLE = np.float32(170 / 255**2)
PREWITT = np.array([[1, 0, -1]] * 3, np.float32) / 3


def gradient_deviation(truth: Array, result: Array) -> Measured:
    """GMSD of (H, W) luma in 0..1 [1]_: 0 is identical, about 0.35 the worst.

    Both are halved by the mean of 2 x 2 pixels first; slopes by Prewitt's 3 x 3 mask, mirrored at the edge;
    the constant is 170 on the scale of 255. The map is the similarity at the full size. Valid range: 4 pixels a side
    or more, every level, blur and noise; displaced pictures are told as damaged.
    """

    def slope(values: Array) -> Array:
        half = halved(values)
        dx, dy = (cv2.filter2D(half, cv2.CV_32F, mask) for mask in (PREWITT, np.ascontiguousarray(PREWITT.T)))
        return cv2.magnitude(dx, dy)

    a, b = slope(truth), slope(result)
    similarity = (2 * a * b + STABLE) / (a * a + b * b + STABLE)
    large = cv2.resize(similarity, truth.shape[::-1], interpolation=cv2.INTER_NEAREST)
    return Measured(float(similarity.std(dtype=np.float64)), large)


def _of(evidence: Evidence) -> Measured:
    if min(evidence.truth_luma.shape) < SMALLEST:
        raise NotMeasurable(f"needs {SMALLEST} pixels a side or more")
    return gradient_deviation(evidence.truth_luma, evidence.result_luma)


MEASURES = [
    Measure(
        "gmsd", 1, "Gradient damage (GMSD)", "", "lower", "close to the truth",
        "How unevenly slopes are damaged; strict on the worst areas. 0 is identical.",
        "Xue, Zhang, Mou, Bovik 2014", tie=0.001, digits=4, of=_of, each_frame=True,
    )
]  # fmt: skip
