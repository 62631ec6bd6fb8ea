"""Sizes of a truth test, and the part of the source that is its truth."""

from dataclasses import dataclass
from fractions import Fraction

from mistline.core.frame import Frame, Size
from mistline.errors import OutOfLimits

__all__ = ["Plan", "crop_truth", "plan"]

SMALLEST_INPUT = 16


@dataclass(frozen=True)
class Plan:
    """Sizes of a truth test and what has to be cropped for it."""

    truth: Size
    input: Size
    cropped: tuple[int, int]
    factors: tuple[float, float]

    @property
    def share(self) -> float:
        """Share of the truth's pixels that the input still has: 1/n^2."""
        return self.input.pixels / self.truth.pixels


def _axis(length: int, factor: Fraction) -> tuple[int, int]:
    """Largest (truth, input) length pair on one axis; whole multiples preferred within a short crop."""
    most = int(length / factor)
    for count in range(most, max(most - 20, 0), -1):
        if (count * factor).denominator == 1:
            return int(count * factor), count
    return round(most * factor), most


def plan(source: Size, factor: float) -> Plan:
    """Work out input and truth size; the truth is cropped from the centre to a multiple of the factor.

    For a decimal factor with no whole multiple near, the truth is cropped to the nearest pixel and the
    factor of that axis differs from the one wanted in the third decimal; `factors` says so.

    >>> plan(Size(1920, 1080), 5)
    Plan(truth=Size(width=1920, height=1080), input=Size(width=384, height=216), cropped=(0, 0),
         factors=(5.0, 5.0))

    Raises
    ------
    OutOfLimits
        If the input would be smaller than 16 pixels on a side.
    """
    wanted = Fraction(str(factor))
    truth_width, width = _axis(source.width, wanted)
    truth_height, height = _axis(source.height, wanted)
    if min(width, height) < SMALLEST_INPUT:
        raise OutOfLimits(
            f"At {factor:g}x the input would be {width} x {height} pixels; "
            f"choose a factor that leaves at least {SMALLEST_INPUT} pixels a side."
        )
    return Plan(
        truth=Size(truth_width, truth_height),
        input=Size(width, height),
        cropped=(source.width - truth_width, source.height - truth_height),
        factors=(truth_width / width, truth_height / height),
    )


def crop_truth(source: Frame, sizes: Plan) -> Frame:
    """Cut the planned truth from the centre of the source."""
    left, top = sizes.cropped[0] // 2, sizes.cropped[1] // 2
    return source.with_pixels(source.pixels[top : top + sizes.truth.height, left : left + sizes.truth.width])
