"""Blotches: soft patches that noise reduction leaves in flat areas, between fine grain and shading.

References
----------
.. [1] A. V. Oppenheim, R. W. Schafer, "Discrete-time signal processing": windowed-sinc filters, the power of
       a band as the mean square of its signal (Parseval).
"""

import cv2
import numpy as np

from mistline.core.frame import Array, Size
from mistline.core.measure.areas import blocks, flat_blocks
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable
from mistline.core.resample import resize

__all__ = ["MEASURES", "blotch"]

LEAST_SHRINK = 4
TAPS = 65
SLOWEST = 1 / 64
BLOCK = 8


def blotch(reference: Array, result: Array, factor: float = 1) -> float:
    """RMS, in 8-bit code values, of what a result adds between 1/64 and 1/8 cycles per pixel in flat areas.

    The difference of the two (H, W) lumas in 0..1 is shrunk 4 times by Lanczos 3, which ends at 1/8 cycles
    per pixel, and what is slower than 1/64 is taken off by a windowed sinc of 65 taps [1]_. The mean square
    is taken over the flattest quarter of the reference in blocks of 8 x 8 shrunk pixels. Range 0..127; edges
    mirrored. After an enlargement of more than 2 times the band ends at 1 / (4 factor) already, so that
    detail that the input could not hold does not count as blotches.
    """
    height, width = reference.shape
    shrink = max(LEAST_SHRINK, round(2 * factor))
    if min(height, width) < shrink * BLOCK:
        raise NotMeasurable(f"needs {shrink * BLOCK} pixels a side or more")
    small = Size(width // shrink, height // shrink)
    cut = slice(0, small.height * shrink), slice(0, small.width * shrink)

    def shrunk(values: Array) -> Array:
        return resize(values[cut][..., None], small, "lanczos3")[..., 0]

    change = np.ascontiguousarray(shrunk(result - reference))
    kernel = (np.sinc(2 * SLOWEST * shrink * (np.arange(TAPS) - TAPS // 2)) * np.hamming(TAPS)).astype(np.float32)
    kernel /= kernel.sum()
    band = change - cv2.sepFilter2D(change, cv2.CV_32F, kernel, kernel, borderType=cv2.BORDER_REFLECT)
    flat = flat_blocks(np.ascontiguousarray(shrunk(reference)), BLOCK)
    if not flat.any():
        raise NotMeasurable("there is no flat area")
    return float(np.sqrt(np.mean(np.square(blocks(band, BLOCK)[flat]), dtype=np.float64)) * 255)


def _of(evidence: Evidence) -> Measured:
    return Measured(blotch(evidence.truth_luma, evidence.result_luma, evidence.factor))


MEASURES = [
    Measure(
        "blotch", 1, "Blotches", "cv", "lower", "noise",
        "Soft patches in flat areas that the truth does not have, in 8-bit code values (cv).",
        "Band power, 1/64 to 1/8 cycles per pixel", tie=0.05, digits=2, of=_of,
    )
]  # fmt: skip
