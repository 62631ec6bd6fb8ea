"""What is told of a result that was made elsewhere when it arrives: is it this picture, whole, and in the right box?

What any result can suffer from (place, levels, matrix, noise) is measured like that of every other entry and told by
the sentence on it; here stands what only a file from outside can be.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from scipy import ndimage

from mistline.core.frame import Array, Codes, luma
from mistline.core.measure import Evidence
from mistline.core.measure.likeness import FEWEST, WINDOW, likeness
from mistline.core.measure.measure import Picture, rows_of, shape
from mistline.core.measure.psnr import shrunk
from mistline.core.measure.registration import as_map

__all__ = ["Finding", "boxed", "findings", "frames_off", "overlay"]

SAME, SIMILAR = 0.97, 0.5  # shares of windows
EDGE, NEAR = 1.2, 7  # pixels of the input: what a slope is smoothed by; how near an edge is
SURE, OF_OWN, LEAST_SLOPE = 4.0, 0.25, 0.3 / 255  # the last two a pixel
LEAST_PIXELS, LEAST_SHARE = 40, 0.001
CLIPPED = 0.5  # % of the values
DECIBEL = 10**0.1
STRIP = 256


@dataclass(frozen=True)
class Finding:
    """Something to know of a file; a grave one says that its figures do not tell what they seem to."""

    words: str
    grave: bool = False


def _soft(values: Array, sigma: float) -> Array:
    soft: Array = cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    return soft


def _slope(values: Array) -> Array:
    across, down = (cv2.Sobel(values, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1)))
    slope: Array = cv2.magnitude(across, down)
    return slope


def overlay(small: Array, back: Array) -> tuple[float, float] | None:
    """Where something lies over a result that the input does not have, as a watermark does; None where nothing does.

    Both are (H, W) luma of the input's size: the input, and a result sent back to it. The place is the middle of the
    largest piece, in shares across and down. What a change of tone and sharpness explains is taken off; edges of what
    is left count where they are four times as steep as is usual in it and than the picture's own edges near by let
    expect, so that a tone curve, a lifted shadow or more local contrast is no overlay. Valid range: strokes of two
    pixels of the input or more and letters that stand twelve high; an opacity of a fifth is nearly always found, a
    twelfth where the picture is calm.
    """
    fine, middle = _soft(small, 1), _soft(small, 3)
    tones = (np.ones_like(small), small, small**2, small**3)
    sides = (
        np.stack([*tones, small - fine, fine - middle, middle - _soft(small, 9)]).reshape(7, -1).astype(np.float64)
    )
    change = (back - small).ravel().astype(np.float64)
    weights = np.linalg.lstsq(sides @ sides.T, sides @ change, rcond=None)[0]
    left = _slope(_soft((change - weights @ sides).reshape(small.shape).astype(np.float32), EDGE))
    own = cv2.dilate(_slope(fine), np.ones((NEAR, NEAR), np.uint8))
    there = left > SURE * 1.4826 * float(np.median(left)) + OF_OWN * own + LEAST_SLOPE
    pieces, count = ndimage.label(ndimage.binary_closing(there, iterations=2))
    sizes = np.bincount(pieces.ravel(), minlength=count + 1)[1:]
    if sizes[sizes >= LEAST_PIXELS].sum() < LEAST_SHARE * small.size:
        return None
    largest = np.nonzero(pieces == 1 + int(sizes.argmax()))
    down, across = ((place.mean() + 0.5) / length for place, length in zip(largest, small.shape, strict=True))
    return float(across), float(down)


def _in_place(back: Array, place: Mapping[str, float], factor: float) -> tuple[Array, int]:
    """A result sent back to the input, moved to where it belongs; and how far from its edges nothing is known."""
    height, width = back.shape
    right, down, wider, taller = (place.get(key, 0.0) / factor for key in ("right", "down", "wider", "taller"))
    turned = math.radians(place.get("turned, degrees", 0.0)) / 2
    planes = np.array([[right, wider, -turned * height], [down, turned * width, taller]])
    way = as_map(planes, height, width)
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    moved: Array = cv2.warpAffine(back, way, (width, height), flags=flags, borderMode=cv2.BORDER_REFLECT)
    return moved, math.ceil(np.abs(planes).sum(axis=1).max()) + 2


def _clipped(picture: Picture) -> float:
    """Values at the ends of the range, %."""
    height, ends, count = shape(picture)[0], 0, math.prod(shape(picture))
    for start in range(0, height, STRIP):
        part = rows_of(picture, slice(start, start + STRIP))
        ends += int(np.count_nonzero((part <= 0) | (part >= 1)))
    return 100 * ends / count


def boxed(codes: Codes) -> bool:
    """Whether 16-bit codes hold 8 bits only: each is a code of 8 bits times 257, or times 256.

    >>> boxed(np.uint16([[[0], [257]]])), boxed(np.uint16([[[0], [258]]])), boxed(np.uint8([[[3]]]))
    (True, False, False)
    """
    return codes.dtype == np.uint16 and any(bool((codes % step == 0).all()) for step in (257, 256))


def frames_off(back: Array, inputs: Mapping[int, Array]) -> int:
    """By how many frames a result is early, below 0 late: the input that it fits better than its own by a decibel.

    `back` is a frame of the result sent back to the input, `inputs` those around its own by their distance. What does
    not move tells nothing, and is 0.

    >>> frames = {number: np.full((2, 2), number / 10, np.float32) for number in (-1, 0, 1)}
    >>> frames_off(frames[1], frames), frames_off(frames[0], frames)
    (1, 0)
    """
    errors = {number: float(np.square(back - given).mean()) for number, given in inputs.items()}
    best = min(errors, key=lambda number: errors[number])
    return best if errors[best] * DECIBEL < errors[0] else 0


def findings(evidence: Evidence, place: Mapping[str, float], *, eight_bits: bool) -> list[Finding]:
    """What is to be known of a result that arrived.

    Parameters
    ----------
    evidence : Evidence
        Of the result, with its input and the way back to it.
    place : parts of the registration
        Where the result was found to lie; none where that could not be told.
    eight_bits : bool
        Whether the file has room for 16 bits and holds 8: see `boxed`.
    """
    assert evidence.input is not None
    assert evidence.shrink is not None
    assert evidence.reference is not None
    small = luma(evidence.input.pixels)
    back = luma(shrunk(evidence.result, evidence.shrink))
    margin = 0
    if place.get("sure"):
        back, margin = _in_place(back, place, evidence.factor)
    found = _content(small, back, margin, evidence.factor)
    was, now = _clipped(evidence.reference), _clipped(evidence.result)
    if now - was >= CLIPPED:
        found.append(Finding(f"{now:.1f} % of its values are clipped, {was:.1f} % of the {_held(evidence)}."))
    if eight_bits and evidence.input.bit_depth > 8:
        found.append(Finding("It holds 8 bits in a file of 16, and the input has more."))
    return found


def _held(evidence: Evidence) -> str:
    return "truth" if evidence.truth is not None else "input"


def _content(small: Array, back: Array, margin: int, factor: float) -> list[Finding]:
    inside = tuple(slice(margin, length - margin) for length in small.shape)
    small, back = small[inside], back[inside]
    if min(small.shape, default=0) < 2 * WINDOW:
        return []
    alike, places = likeness(small, back)
    if places >= FEWEST and alike < SIMILAR:
        return [
            Finding(f"This is another picture: {100 * alike:.0f} % of its places look like the input.", grave=True)
        ]
    found = []
    if places >= FEWEST and alike < SAME:
        words = f"It shows something else than the input in {100 * (1 - alike):.0f} % of the places."
        found.append(Finding(words, grave=True))
    over = overlay(small, back)
    if over:
        lengths = zip(over, small.shape[::-1], strict=True)
        at = ", ".join(f"{(margin + share * length) * factor:.0f}" for share, length in lengths)
        words = (
            f"Something lies over it that the input does not have, as a watermark does, most of it around {at}."
        )
        found.append(Finding(words, grave=True))
    return found
