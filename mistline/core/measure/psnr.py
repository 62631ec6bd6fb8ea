"""Peak signal-to-noise ratio: how far a result is from the truth, over all pixels alike.

References
----------
.. [1] ITU-T J.340, "Reference algorithm for computing peak signal to noise ratio of a processed video
       sequence with compensation for constant spatial shifts, constant temporal shift, and constant
       luminance gain and offset", 2010.
"""

import math

import numpy as np

from mistline.core.frame import Array, luma
from mistline.core.measure.measure import Evidence, Measure, Measured
from mistline.errors import ShapeMismatch

__all__ = ["MEASURES", "psnr"]

ROWS = 256
EQUAL_DB = 102.0  # half a step of 16 bits: what rounding alone leaves


def psnr(truth: Array, result: Array) -> float:
    """10 log10(1 / MSE) in dB for values in 0..1 [1]_; infinite when the two are identical.

    Parameters
    ----------
    truth, result : (H, W) or (H, W, C) float32
        Of one shape; every pixel counts, edges too. The sum is taken in float64.

    Raises
    ------
    ShapeMismatch
        If the shapes differ.

    >>> round(psnr(np.zeros((4, 4), np.float32), np.full((4, 4), 0.1, np.float32)), 3)
    20.0
    """
    if truth.shape != result.shape:
        raise ShapeMismatch(f"The truth is {truth.shape} and the result {result.shape}; register them first.")
    total = 0.0
    for start in range(0, truth.shape[0], ROWS):
        error = truth[start : start + ROWS] - result[start : start + ROWS]
        total += float(np.sum(np.square(error), dtype=np.float64))
    return math.inf if total == 0 else 10 * math.log10(truth.size / total)


def _luma(evidence: Evidence) -> Measured:
    truth, result = evidence.truth_luma, evidence.result_luma
    return Measured(psnr(truth, result), np.square(truth - result))


def _rgb(evidence: Evidence) -> Measured:
    assert evidence.truth is not None
    return Measured(psnr(evidence.truth.pixels, evidence.result.pixels))


def _agreement(evidence: Evidence) -> Measured:
    """Shrink the result by the trial's own kernel and compare it with the input."""
    assert evidence.input is not None
    if evidence.shrink is None:
        return Measured(None, note="needs a test that knows how its input was made")
    found = psnr(luma(evidence.input.pixels), luma(evidence.shrink(evidence.result).pixels))
    return Measured(found if found < EQUAL_DB else math.inf)


MEASURES = [
    Measure(
        "psnr_luma", 1, "PSNR, luma", "dB", "higher", "close to the truth",
        "Distance from the truth in brightness, all pixels alike. About 0.1 dB is the least that shows.",
        "ITU-T J.340", tie=0.05, digits=2, of=_luma,
    ),
    Measure(
        "psnr_rgb", 1, "PSNR, RGB", "dB", "higher", "close to the truth",
        "Distance from the truth over all three channels.", "ITU-T J.340", tie=0.05, digits=2, of=_rgb,
    ),
    Measure(
        "agreement", 1, "Agreement with the input", "dB", "higher", "close to the truth",
        "The result shrunk as the truth was, against the input: does it still show the same picture? Low "
        "where noise was taken off on purpose.",
        "Back-projection residual of Irani, Peleg 1991, as a PSNR", tie=0.1, digits=1, of=_agreement,
        needs=("input",),
    ),
]  # fmt: skip
