"""Sameness of two entries: are these two the same picture, everywhere?

References
----------
.. [1] CIE 142-2001: CIEDE2000, of which one step is about the least that shows on flat areas.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from mistline.core.frame import Array
from mistline.core.measure.colour_difference import ciede2000, lab
from mistline.core.measure.measure import Picture, rows_of, shape
from mistline.core.measure.psnr import picture_psnr

__all__ = ["Sameness", "sameness"]

WINDOW, STEP = 8, 4
SAME_DIFFERENCE = 0.5
SAME_ROUGHNESS = 1.0
ROWS = 256


@dataclass(frozen=True)
class Sameness:
    """PSNR over RGB in dB (infinite if identical), and how much the most different window of 8 x 8 pixels differs.

    `worst` is the largest CIEDE2000 between the means of a window, `roughest` the largest root mean square of the
    difference in a window, in 8-bit code values.
    """

    psnr: float
    worst: float
    roughest: float

    @property
    def same(self) -> bool:
        """No eye can tell the two apart: no window differs by half a step of colour, nor by a code value of grain.

        The limits are common practice: one step of CIEDE2000 is just visible on flat areas, one code value of 8
        bits is the smallest step that a screen shows.
        """
        return self.worst < SAME_DIFFERENCE and self.roughest < SAME_ROUGHNESS


def sameness(first: Picture, second: Picture) -> Sameness:
    """Compare two results of one size window by window, without a truth; windows stand every 4 pixels."""
    worst = roughest = 0.0
    height = shape(first)[0]
    for start in range(0, height, ROWS):
        rows = slice(max(0, min(start, height - WINDOW)), start + ROWS + WINDOW)
        one, two = rows_of(first, rows), rows_of(second, rows)
        error = np.square(one - two).mean(axis=2)
        if not error.any():
            continue
        roughest = max(roughest, 255 * float(np.sqrt(_means(error[..., None]).max())))
        worst = max(worst, float(ciede2000(lab(_means(one)), lab(_means(two))).max()))
    return Sameness(picture_psnr(first, second), worst, roughest)


def _means(values: Array) -> Array:
    """Means of 8 x 8 pixels, every 4 pixels; of the whole where it is smaller."""
    size = min(WINDOW, *values.shape[:2])
    blurred = cv2.blur(np.ascontiguousarray(values), (size, size), anchor=(0, 0)).reshape(values.shape)
    height, width = (length - size + 1 for length in values.shape[:2])
    means: Array = blurred[:height:STEP, :width:STEP]
    return means
