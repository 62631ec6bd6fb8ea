"""Visual information fidelity: how much of what the eye could read in the truth can still be read.

References
----------
.. [1] H. R. Sheikh, A. C. Bovik, "Image information and visual quality", IEEE Trans. Image Process. 15(2),
       430-444, 2006; the pixel-domain form.
"""

import cv2
import numpy as np

from mistline.core.frame import Array
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable
from mistline.core.threads import on_threads

__all__ = ["MEASURES", "information_fidelity"]

EYE_NOISE = 2 / 255**2
LEAST = 1e-10
SCALES = 4
ROWS = 128


def information_fidelity(truth: Array, result: Array) -> float:
    """VIF in the pixel domain of (H, W) luma in 0..1 [1]_: 1 is identical, above 1 is enhanced contrast.

    Four scales with Gaussian windows of 17, 9, 5 and 3 pixels (sigma a fifth of that); from the second on
    both are blurred by that window and every second pixel is kept. Only pixels whose window lies inside
    count. The variance of the eye's noise is 2 on the scale of 255. Sums and variances are taken in float64. Valid
    range: 64 pixels a side or more, every level and noise.
    """
    if min(truth.shape) < 64:
        raise NotMeasurable("needs 64 pixels a side or more")
    top = bottom = 0.0
    x, y = truth, result
    for scale in range(SCALES):
        width = 2 ** (SCALES - scale) + 1
        kernel, radius = cv2.getGaussianKernel(width, width / 5, cv2.CV_32F), width // 2

        def blur(values: Array, kernel: Array = kernel, radius: int = radius) -> Array:
            return cv2.sepFilter2D(values, -1, kernel, kernel)[radius:-radius, radius:-radius]

        if scale:
            x, y = np.ascontiguousarray(blur(x)[::2, ::2]), np.ascontiguousarray(blur(y)[::2, ::2])

        def strip(start: int, x: Array = x, y: Array = y, radius: int = radius, blur=blur) -> tuple[float, float]:  # type: ignore[no-untyped-def]
            rows = slice(start, min(start + ROWS + 2 * radius, x.shape[0]))
            # Dark and flat places have variances that float32 loses beside the square of the mean.
            return _information(x[rows].astype(np.float64), y[rows].astype(np.float64), blur)

        for kept, there in on_threads(strip, range(0, x.shape[0] - 2 * radius, ROWS), x.size):
            top, bottom = top + kept, bottom + there
    return top / bottom if bottom else 1.0


def _information(x: Array, y: Array, blur) -> tuple[float, float]:  # type: ignore[no-untyped-def]
    mean_x, mean_y = blur(x), blur(y)
    variance_x = np.maximum(blur(x * x) - mean_x * mean_x, 0)
    variance_y = np.maximum(blur(y * y) - mean_y * mean_y, 0)
    covariance = blur(x * y) - mean_x * mean_y
    gain = covariance / (variance_x + LEAST)
    lost = variance_y - gain * covariance
    flat = variance_x < LEAST
    gain[flat], lost[flat], variance_x[flat] = 0, variance_y[flat], 0
    dead = variance_y < LEAST
    gain[dead], lost[dead] = 0, 0
    turned = gain < 0
    lost[turned], gain[turned] = variance_y[turned], 0
    lost = np.maximum(lost, LEAST)
    kept = np.log1p(gain * gain * variance_x / (lost + EYE_NOISE))
    there = np.log1p(variance_x / EYE_NOISE)
    return float(kept.sum(dtype=np.float64)), float(there.sum(dtype=np.float64))


def _of(evidence: Evidence) -> Measured:
    return Measured(information_fidelity(evidence.truth_luma, evidence.result_luma))


MEASURES = [
    Measure(
        "vif", 2, "Information kept (VIF)", "", "higher", "close to the truth",
        "Share of the visible information that is still there; above 1 where contrast was raised.",
        "Sheikh, Bovik 2006, pixel domain", tie=0.005, digits=3, of=_of,
    )
]  # fmt: skip
