"""Noise as it is seen: each octave counts as far as the eye resolves it from where the picture is looked at.

References
----------
.. [1] X. Zhang, B. A. Wandell 1997, as in `seen_colour`: how the eye blurs brightness and colour.
"""

import math
from functools import lru_cache

import numpy as np

from mistline.core.measure.measure import SHARP, Evidence, Measure, Measured, NotMeasurable, Part, shape
from mistline.core.measure.noise import in_brightness, in_colour
from mistline.core.measure.noise_cells import Real, left_by
from mistline.core.measure.seen_colour import FILTERS, nearer

__all__ = ["MEASURES", "sensitivity"]

FAR = 90.0  # pixels a degree
SMALLEST = 256  # of means of several pixels: fewer have too few flat cells


def sensitivity(channels: tuple[int, ...], frequency: Real) -> Real:
    """What the eye passes of gratings of so many cycles a degree, root mean square over opponent colours [1]_.

    A Gaussian exp(-r^2 / s^2) of unit sum passes exp(-(pi s f)^2).

    >>> sensitivity((0,), np.array([0.0, 10.0])).round(2).tolist()
    [1.0, 0.46]
    """
    squares = np.zeros_like(frequency)
    for channel in channels:
        weights, spreads = np.array(FILTERS[channel]).T
        passed = np.exp(-np.square(np.pi * np.multiply.outer(frequency, spreads))) @ weights / weights.sum()
        squares = squares + np.square(passed) / len(channels)
    found: Real = np.sqrt(squares)
    return found


@lru_cache(maxsize=16)
def _passed(channels: tuple[int, ...], pixels_a_degree: float) -> dict[str, float]:
    return left_by(lambda frequency: sensitivity(channels, frequency * pixels_a_degree))


def _from_farther(evidence: Evidence) -> Evidence:
    """The same from so far away that a pixel covers several of its own: their means in linear light."""
    step = max(1, round(evidence.sight / SHARP)) if evidence.sight > FAR else 1
    if step == 1:
        return evidence
    truth = None if evidence.truth is None else nearer(evidence.truth, step)
    reference = evidence.input if evidence.beside is None else evidence.beside.small
    return Evidence(nearer(evidence.result, step), truth, reference, sight=evidence.sight / step)


def _seen(evidence: Evidence) -> Measured:
    """Noise in brightness and colour by octave, weighted; the root of the sum of their squares.

    An octave is weighted by what the filter leaves of white noise in it; against the filter itself that is right to
    8 % for white noise and for grain of 1 pixel. From farther away than 90 pixels a degree the means of several
    pixels are measured.

    Valid range: that of noise left, from 5 pixels a degree of sight on;
    beyond 90 where the means are 256 a side or more.
    """
    seen, found = evidence.once(_from_farther), []
    if seen is not evidence and min(shape(seen.result)[:2]) < SMALLEST:
        raise NotMeasurable(f"from there the picture is less than {SMALLEST} pixels wide or tall to the eye")
    for read, channels in ((in_brightness, (0,)), (in_colour, (1, 2))):
        noise = seen.once(read)
        if noise.value is None:
            raise NotMeasurable(noise.note)
        passed = _passed(channels, seen.sight)
        found.append(math.hypot(*(passed[part.name] * part.value for part in noise.parts if part.name in passed)))
    brightness, colour = found
    return Measured(math.hypot(*found), parts=(Part("brightness", brightness), Part("colour", colour)))


MEASURES = [
    Measure(
        "noise_seen", 2, "Noise as seen", "cv", "nearer to the truth", "noise",
        "Grain and colour specks in flat areas, each octave as far as it is seen from where the trial is looked at: 60 "
        "pixels a degree of sight, or as set up. Best is what the truth has.",
        "Noise left, by the filters of Zhang, Wandell 1997", tie=0.05, digits=2, of=_seen, needs=(),
        without_truth="Grain and colour specks in flat areas, each octave as far as it is seen from where the trial is "
        "looked at: 60 pixels a degree of sight, or as set up.",
    )
]  # fmt: skip
