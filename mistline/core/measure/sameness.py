"""Sameness of two entries: are these two the same picture?"""

from dataclasses import dataclass

import numpy as np

from mistline.core.frame import Frame
from mistline.core.measure.colour_difference import ciede2000, lab
from mistline.core.measure.psnr import psnr

__all__ = ["Sameness", "sameness"]

SAME_DB, DIFFERENT_DB = 60.0, 40.0
SAME_DIFFERENCE = 0.5
ROWS = 64


@dataclass(frozen=True)
class Sameness:
    """PSNR over RGB in dB (infinite if identical), and the colour difference that 99.9 % stay below.

    The colour difference is only worked out for pairs of 40 dB or more: others differ in plain sight.
    """

    psnr: float
    worst: float | None

    @property
    def same(self) -> bool:
        """No eye can tell the two apart: 60 dB or more, and below half a step of CIEDE2000 nearly everywhere.

        The limits are common practice: half a code value of 8 bits on average is 59 dB.
        """
        return self.psnr >= SAME_DB or (self.worst is not None and self.worst < SAME_DIFFERENCE)


def sameness(first: Frame, second: Frame) -> Sameness:
    """Compare two results of one size, without a truth."""
    distance = psnr(first.pixels, second.pixels)
    if distance < DIFFERENT_DB:
        return Sameness(distance, None)
    parts = [
        ciede2000(lab(first.pixels[row : row + ROWS]), lab(second.pixels[row : row + ROWS])).ravel()
        for row in range(0, first.size.height, ROWS)
    ]
    return Sameness(distance, float(np.percentile(np.concatenate(parts), 99.9)))
