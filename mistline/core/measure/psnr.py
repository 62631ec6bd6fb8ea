"""Peak signal-to-noise ratio: how far a result is from the truth, over all pixels alike.

References
----------
.. [1] ITU-T J.340, "Reference algorithm for computing peak signal to noise ratio of a processed video
       sequence with compensation for constant spatial shifts, constant temporal shift, and constant
       luminance gain and offset", 2010.
"""

import math
from collections.abc import Callable
from contextlib import suppress

import numpy as np

from mistline.core.frame import Array, Frame, luma, to_frame
from mistline.core.measure.measure import (
    Evidence,
    Given,
    Measure,
    Measured,
    NotMeasurable,
    Part,
    Picture,
    by_rows,
    shape,
)
from mistline.core.measure.noise import noise_of_input
from mistline.errors import ShapeMismatch

__all__ = ["MEASURES", "picture_psnr", "psnr", "shrunk"]

ROWS = 256
EQUAL_DB = 102.0  # half a step of 16 bits: what rounding alone leaves


def psnr(truth: Array, result: Array) -> float:
    """10 log10(1 / MSE) in dB for values in 0..1 [1]_; infinite when the two are identical.

    Parameters
    ----------
    truth, result : (H, W) or (H, W, C) float32
        Of one shape; every pixel counts, edges too. The sum is taken in float64. Valid for every content; above
        about 100 dB rounding to 16 bits is all there is.

    Raises
    ------
    ShapeMismatch
        If the shapes differ.

    >>> round(psnr(np.zeros((4, 4), np.float32), np.full((4, 4), 0.1, np.float32)), 3)
    20.0
    """
    if truth.shape != result.shape:
        raise ShapeMismatch(f"The truth is {truth.shape} and the result {result.shape}; register them first.")
    parts = range(0, truth.shape[0], ROWS)
    total = sum(_squares(truth[start : start + ROWS], result[start : start + ROWS]) for start in parts)
    return _decibels(total, truth.size)


def picture_psnr(truth: Picture, result: Picture) -> float:
    """`psnr` over all channels of two pictures of one size, a few rows at a time."""
    return _decibels(sum(by_rows((truth, result), _squares, ROWS)), int(np.prod(shape(truth))))


def _squares(truth: Array, result: Array) -> float:
    return float(np.sum(np.square(truth - result), dtype=np.float64))


def _decibels(total: float, count: int) -> float:
    return math.inf if total == 0 else 10 * math.log10(count / total)


def _luma(evidence: Evidence) -> Measured:
    truth, result = evidence.truth_luma, evidence.result_luma
    return Measured(psnr(truth, result), np.square(truth - result))


def _rgb(evidence: Evidence) -> Measured:
    return Measured(picture_psnr(*evidence.pair))


def _agreement(evidence: Evidence) -> Measured:
    """Send the result the trial's own way to the input and compare it there; no more than the truth itself reaches.

    A result that agrees with the input better than its own truth would follow the noise of that input. Where the input
    was not made from a truth it is told of enlargements only: at the same size it says how little was done, not how
    well. There it is no more than the noise of the input, where that can be told, leaves to the picture without noise.
    """
    assert evidence.input is not None
    if evidence.shrink is None:
        raise NotMeasurable("needs a test that knows how its input was made")
    truth = evidence.truth if evidence.made else None
    if truth is None and shape(evidence.result)[:2] == evidence.input.pixels.shape[:2]:
        raise NotMeasurable("at the same size it would tell how little was done, where the input was not made")
    small = luma(evidence.input.pixels)
    pictures = [picture for picture in (evidence.result, truth) if picture is not None]
    found = min(psnr(small, luma(shrunk(picture, evidence.shrink))) for picture in pictures)
    found = found if found < EQUAL_DB else math.inf
    if truth is not None:
        return Measured(found)
    with suppress(NotMeasurable):
        noise = noise_of_input(evidence)
        if noise.sigma > 0 and (most := 20 * math.log10(255 / noise.sigma)) < found:
            return Measured(most, parts=(Part("without regard to its noise", min(found, EQUAL_DB)),))
    return Measured(found)


def shrunk(picture: Given, shrink: Callable[[Frame], Frame]) -> Array:
    """The picture shrunk channel by channel, so that memory stays small."""
    small = []
    for index in range(shape(picture)[2]):
        if isinstance(picture, Frame):
            channel = picture.with_pixels(picture.pixels[..., [index]])
        else:
            channel = to_frame(np.ascontiguousarray(picture[..., [index]]))
        small.append(shrink(channel).pixels)
    return np.concatenate(small, axis=2)


MEASURES = [
    Measure(
        "psnr_luma", 1, "PSNR, luma", "dB", "higher", "close to the truth",
        "Distance from the truth in brightness, all pixels alike. About 0.1 dB is the least that shows.",
        "ITU-T J.340", tie=0.05, digits=2, of=_luma, each_frame=True,
    ),
    Measure(
        "psnr_rgb", 1, "PSNR, RGB", "dB", "higher", "close to the truth",
        "Distance from the truth over all three channels.", "ITU-T J.340", tie=0.05, digits=2, of=_rgb, each_frame=True,
    ),
    Measure(
        "agreement", 3, "Agreement with the input", "dB", "higher", "close to the truth",
        "The result blurred and shrunk as the truth was, against the input: does it still show the same picture? The "
        "truth reaches most; what would agree even better follows the noise.",
        "Back-projection residual of Irani, Peleg 1991, as a PSNR", tie=0.1, digits=1, of=_agreement,
        needs=("input",),
        without_truth="The result shrunk back by area, against the input: does it still show the same picture? No more "
        "than the input's own noise allows: what would agree better follows that noise.",
    ),
]  # fmt: skip
