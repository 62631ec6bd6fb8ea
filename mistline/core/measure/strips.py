"""Measure large pictures in strips, so that memory does not grow with the picture.

A picture of up to 16 megapixels is measured whole. A larger one is cut into equal strips of rows, each measured
alone, and the values are put together by pixels: decibels through the mean of the squared errors that they
stand for, all else as the mean. Every figure of such a picture tells the number of strips.
"""

import math
from collections.abc import Callable
from fractions import Fraction

from mistline.core.frame import Codes, Frame, Size, to_frame
from mistline.core.measure import MEASURES, Evidence, Measured, Part, measure_all

__all__ = ["WHOLE", "measure_picture", "strips"]

WHOLE = 16_000_000  # pixels that are measured at once
Shrink = Callable[[Frame, Size], Frame]


def strips(size: Size, unit: int = 1) -> list[slice]:
    """Rows of each strip: at most 16 megapixels, cut at multiples of `unit` rows; one where none is needed.

    >>> [str(rows) for rows in strips(Size(8000, 4000), 3)]
    ['slice(0, 2001, None)', 'slice(2001, 4000, None)']
    """
    count = min(math.ceil(size.pixels / WHOLE), max(1, size.height // unit))
    cuts = [round(number * size.height / count / unit) * unit for number in range(count)]
    return [slice(*ends) for ends in zip(cuts, [*cuts[1:], size.height], strict=True)]


def measure_picture(
    result: Codes, truth: Codes, small: Frame, shrink: Shrink, report: Callable[[float], None] = lambda done: None
) -> dict[str, Measured]:
    """Every measure of a result of any size, without the maps.

    Parameters
    ----------
    result, truth : (H, W, C) integers
        Turned into floats strip by strip.
    small : Frame
        The input of the test.
    shrink : (Frame, Size) -> Frame
        The test's own way to the input, for a strip of the truth.
    report : callable
        Called with the share done, 0..1.
    """
    height, width = truth.shape[:2]
    ratio = Fraction(height, small.size.height)
    cut = strips(Size(width, height), ratio.numerator)

    def one(number: int, rows: slice) -> dict[str, Measured]:
        part = small.with_pixels(small.pixels[round(rows.start / ratio) : round(rows.stop / ratio)])
        evidence = Evidence(
            to_frame(result[rows]), to_frame(truth[rows]), part, lambda frame: shrink(frame, part.size)
        )
        return measure_all(evidence, lambda share: report((number + share) / len(cut)))

    found = [one(number, rows) for number, rows in enumerate(cut)]
    if len(found) == 1:
        return found[0]
    weights = [rows.stop - rows.start for rows in cut]
    return {
        key: _together([values[key] for values in found], weights, decibels=MEASURES[key].unit == "dB")
        for key in found[0]
    }


def _together(values: list[Measured], weights: list[int], *, decibels: bool) -> Measured:
    """One figure from those of the strips that give one."""
    given = [(value, weight) for value, weight in zip(values, weights, strict=True) if value.value is not None]
    if not given:
        return values[0]
    total = sum(weight for _, weight in given)

    def mean(numbers: list[float]) -> float:
        return sum(number * weight for number, (_, weight) in zip(numbers, given, strict=True)) / total

    figures = [value.value for value, _ in given if value.value is not None]
    if decibels:
        errors = mean([10 ** (-figure / 10) for figure in figures])
        joined = -10 * math.log10(errors) if errors else math.inf
    else:
        joined = mean(figures)
    return Measured(joined, parts=(Part("strips", float(len(values))),))
