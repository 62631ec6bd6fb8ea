"""Reduce noise over time: neighbouring frames are moved onto the frame and averaged, the rest is cleaned in space.

Noise differs from frame to frame and the picture does not, once its motion is undone. A neighbour counts at a pixel
by how well it agrees there: what is covered, uncovered or badly followed differs by more than noise does and counts
for nothing. What noise remains is known from the weights, and is taken out by a filter of one frame.

References
----------
.. [1] E. Dubois, S. Sabri, "Noise reduction in image sequences using motion-compensated temporal filtering",
       IEEE Trans. Commun. 32(7), 826-831, 1984.
.. [2] C. Liu, W. T. Freeman, "A high-quality video denoising algorithm based on reliable motion estimation",
       ECCV 2010: neighbours weighed by their patches.
"""

from typing import Literal

import cv2
import numpy as np
from pydantic import BaseModel, Field

from mistline.core.frame import Array, Frame, Size
from mistline.core.methods.denoise import DenoiseSettings, Planes, automatic
from mistline.core.methods.method import Limits, Method, Window
from mistline.core.methods.motion import flow, moved
from mistline.core.methods.noise_filters import clean_plane

__all__ = ["METHODS", "TemporalSettings"]

PATCH = 7  # pixels a side that are compared
SURE, DOUBT = 1.4, 0.5  # patches agree up to so much of the difference that noise alone makes; how it falls off
SHARE_OF_WARPED = 0.6  # of a neighbour's noise variance is left when it was moved by parts of a pixel, about
IN_LUMA, IN_COLOUR = "sliding_dct", "sparse_dct"
TILE, MARGIN = 128, 16  # pixels that are cleaned at once where frames did not agree, and around them
ALIKE = 0.25  # share of the noise from where a difference counts
SOFTER, SOFTEST = 40.0, 2.0  # blur before motion search, pixels for a sigma of 1, and at most
LEAST_SIGMA = 0.5 / 255


class TemporalSettings(DenoiseSettings):
    """Strengths as of every denoiser; and over how many frames."""

    frames: Literal[3, 5] = Field(5, description="How many frames are averaged, the frame itself among them.")
    in_space: bool = Field(True, description="Clean what noise remains within the frame.")


def _weight(here: Array, other: Array, sigmas: tuple[float, ...]) -> Array:
    """How much a moved neighbour counts at a pixel, 0..1: by the plane whose patches differ most beyond noise [2]_."""
    worst = np.zeros(here.shape[:2], np.float32)
    for index, sigma in enumerate(sigmas):
        difference = cv2.blur(np.square(here[..., index] - other[..., index]), (PATCH, PATCH))
        expected = np.float32((1 + SHARE_OF_WARPED) * max(sigma, LEAST_SIGMA) ** 2)
        np.maximum(worst, difference / expected, out=worst)
    weight: Array = np.exp(-np.maximum(0, worst - SURE) / DOUBT)
    return weight


def _average(planes: list[Array], at: int, sigmas: tuple[float, ...]) -> tuple[Array, Array]:
    """Mean of the frames along the first plane's motion [1]_; and what share of the noise is left at each pixel."""
    here = planes[at]
    total, weights = here.copy(), np.ones(here.shape[:2], np.float32)
    variance = np.ones_like(weights)
    for place, other in enumerate(planes):
        if place == at:
            continue
        there = moved(other, flow(here[..., 0], other[..., 0], min(SOFTEST, SOFTER * sigmas[0])))
        weight = _weight(here, there, sigmas)
        total += weight[..., None] * there
        weights += weight
        variance += SHARE_OF_WARPED * weight**2
    return total / weights[..., None], np.sqrt(variance) / weights


def _cleaned(key: str, plane: Array, mean: Array, left: Array, sigma: float) -> Array:
    """What noise remains taken out: little where many frames agreed, all of it where none did."""
    left = cv2.blur(left, (PATCH, PATCH))  # single pixels that differ by chance are no place where frames disagree
    typical = float(np.median(left))
    clean = clean_plane(key, np.ascontiguousarray(mean), typical * sigma)
    apart = np.clip((left - typical) / max(1 - typical, 1e-3) - ALIKE, 0, 1 - ALIKE) / (1 - ALIKE)
    height, width = plane.shape
    for y in range(0, height, TILE):
        for x in range(0, width, TILE):
            inside = slice(y, y + TILE), slice(x, x + TILE)
            if not apart[inside].any():
                continue
            top, before = max(0, y - MARGIN), max(0, x - MARGIN)
            part = np.ascontiguousarray(plane[top : y + TILE + MARGIN, before : x + TILE + MARGIN])
            single = clean_plane(key, part, sigma)[y - top :, x - before :][:TILE, :TILE]
            clean[inside] += apart[inside] * (single - clean[inside])
    return clean


def _run(window: Window, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, TemporalSettings)
    frame = window.frame
    way = Planes.by(settings, frame.pixels.shape[2])
    if not any(way.sigmas):
        return frame
    reach = _reach(settings)
    first = max(0, window.at - reach)
    planes = [way.split(near.pixels) for near in window.frames[first : window.at + reach + 1]]
    here = planes[window.at - first]
    mean, left = _average(planes, window.at - first, way.sigmas)
    for index, sigma in enumerate(way.sigmas):
        if sigma == 0:
            mean[..., index] = here[..., index]
        elif settings.in_space:
            key = IN_COLOUR if index else IN_LUMA
            mean[..., index] = _cleaned(key, here[..., index], mean[..., index], left, sigma)
    return frame.with_pixels(way.joined(mean))


def _reach(settings: BaseModel) -> int:
    assert isinstance(settings, TemporalSettings)
    return settings.frames // 2


METHODS = [
    Method(
        "temporal", 1, "Over time", "reduce noise",
        "Averages neighbouring frames along the motion; keeps detail that no single frame shows.",
        "Dubois, Sabri 1984; Liu, Freeman 2010", TemporalSettings, Limits(max_megapixels=40, working_copies=16),
        _run, automatic, reach=_reach,
    )
]  # fmt: skip
