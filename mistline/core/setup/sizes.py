"""Sizes of a test: what is made, from how much, and which part of the source takes part."""

from dataclasses import dataclass
from fractions import Fraction

from mistline.core.frame import Frame, Region, Size, decode_srgb, encode_srgb
from mistline.core.resample import resize
from mistline.errors import OutOfLimits

__all__ = ["Plan", "crop_part", "enlarged", "lessened", "shrunk"]

SMALLEST_INPUT = 16


@dataclass(frozen=True)
class Plan:
    """Sizes of a test.

    Attributes
    ----------
    target, input : Size
        Of the results, and of what the methods are given.
    cropped : (int, int)
        Pixels of the source taken off across and down, half on each side.
    factors : (float, float)
        Target over input, across and down.
    grown : (float, float)
        Target over that part of the source; 1 where the target is the source itself, less where it is made smaller.
    bars : (int, int)
        Pixels that a frame of another shape has beyond the target, across and down; they are not made.
    """

    target: Size
    input: Size
    cropped: tuple[int, int]
    factors: tuple[float, float]
    grown: tuple[float, float] = (1.0, 1.0)
    bars: tuple[int, int] = (0, 0)

    @property
    def part(self) -> Size:
        """That part of the source that takes part."""
        return Size(round(self.target.width / self.grown[0]), round(self.target.height / self.grown[1]))

    @property
    def rgb_bytes(self) -> int:
        """Of a result as RGB of 8 bits, not compressed.

        >>> round(Plan(Size(1500, 2100), Size(1500, 2100), (0, 0), (1, 1)).rgb_bytes / 2**20, 1)
        9.0
        """
        return 3 * self.target.pixels

    @property
    def share(self) -> float:
        """Pixels of the input over those of the target: 1/n^2."""
        return self.input.pixels / self.target.pixels

    @property
    def corner(self) -> tuple[int, int]:
        """Where the part lies in its source, from the left and the top."""
        return self.cropped[0] // 2, self.cropped[1] // 2


def _axis(length: int, factor: Fraction) -> tuple[int, int]:
    """Largest (truth, input) length pair on one axis; whole multiples preferred within a short crop."""
    most = int(length / factor)
    for count in range(most, max(most - 20, SMALLEST_INPUT - 1), -1):
        if (count * factor).denominator == 1:
            return int(count * factor), count
    return round(most * factor), most


def shrunk(source: Size, factor: float) -> Plan:
    """Work out input and truth size; the truth is cropped from the centre to a multiple of the factor.

    For a decimal factor with no whole multiple near, the truth is cropped to the nearest pixel and the
    factor of that axis differs from the one wanted in the third decimal; `factors` says so.

    >>> shrunk(Size(1920, 1080), 5)
    Plan(target=Size(width=1920, height=1080), input=Size(width=384, height=216), cropped=(0, 0),
         factors=(5.0, 5.0), grown=(1.0, 1.0), bars=(0, 0))

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
        target=Size(truth_width, truth_height),
        input=Size(width, height),
        cropped=(source.width - truth_width, source.height - truth_height),
        factors=(truth_width / width, truth_height / height),
    )


def enlarged(source: Size, factor: float) -> Plan:
    """The source is the input, the target `factor` times larger, to the nearest pixel.

    >>> enlarged(Size(1920, 1080), 2).target
    Size(width=3840, height=2160)

    Raises
    ------
    OutOfLimits
        If the source is smaller than 16 pixels on a side.
    """
    if min(source.width, source.height) < SMALLEST_INPUT:
        raise OutOfLimits(
            f"The source has {source} pixels; choose one of at least {SMALLEST_INPUT} pixels a side."
        )
    target = Size(round(source.width * factor), round(source.height * factor))
    factors = target.width / source.width, target.height / source.height
    return Plan(target, source, (0, 0), factors, grown=factors)


def lessened(frame: Frame, size: Size) -> Frame:
    """A frame at a smaller size by area means in linear light; one of that size as it is."""
    if frame.size == size:
        return frame
    return frame.with_pixels(encode_srgb(resize(decode_srgb(frame.pixels), size, "area")))


def crop_part(source: Frame, sizes: Plan) -> Frame:
    """Cut the planned part from the centre of the source."""
    return Region(*sizes.corner, sizes.part.width, sizes.part.height).cut(source)
