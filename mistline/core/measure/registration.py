"""Registration: a result that lies a fraction of a pixel off fakes errors all over the picture.

References
----------
.. [1] M. Guizar-Sicairos, S. T. Thurman, J. R. Fienup, "Efficient subpixel image registration algorithms",
       Opt. Lett. 33(2), 156-158, 2008; as in scikit-image.
"""

import numpy as np
from skimage import registration

from mistline.core.frame import Array
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part

__all__ = ["MEASURES", "displacement"]

SIDE = 1024
FINE = 100


def displacement(truth: Array, result: Array) -> tuple[float, float]:
    """How far right and down a result lies of the truth, in pixels, to about 0.01 [1]_.

    Cross-correlation of the central 1024 x 1024 pixels of both (H, W) lumas under a Hann window.
    """
    height, width = (min(length, SIDE) for length in truth.shape)
    if min(height, width) < 32:
        raise NotMeasurable("needs 32 pixels a side or more")
    top, left = (truth.shape[0] - height) // 2, (truth.shape[1] - width) // 2
    window = (np.hanning(height)[:, None] * np.hanning(width)).astype(np.float32)

    def part(values: Array) -> Array:
        cut = values[top : top + height, left : left + width]
        return (cut - cut.mean()) * window

    first, second = part(truth), part(result)
    if not first.any() or not second.any():
        raise NotMeasurable("the picture is flat")
    shift, _, _ = registration.phase_cross_correlation(first, second, upsample_factor=FINE, normalization=None)  # type: ignore[no-untyped-call]
    return -float(shift[1]), -float(shift[0])


def _of(evidence: Evidence) -> Measured:
    right, down = displacement(evidence.truth_luma, evidence.result_luma)
    return Measured(float(np.hypot(right, down)), parts=(Part("right", right), Part("down", down)))


MEASURES = [
    Measure(
        "registration", 1, "Displacement", "px", "lower", "close to the truth",
        "How far the result lies off the truth. From about 0.1 px on it spoils all other figures.",
        "Guizar-Sicairos, Thurman, Fienup 2008", tie=0.02, digits=2, of=_of,
    )
]  # fmt: skip
