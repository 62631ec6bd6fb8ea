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

__all__ = ["Finding", "Overlay", "boxed", "findings", "overlay"]

SAME, SIMILAR = 0.97, 0.5  # shares of windows
STROKE, AROUND = 5, 9  # pixels of the input: strokes of an overlay are about as wide; what counts as near
LEAST_NOISE, OF_STRUCTURE = 0.1 / 255, 0.05
SURE, LEAST_STEP = 5.0, 1.0 / 255
LEAST_PIXELS, LEAST_SHARE = 40, 0.001
CLIPPED = 0.5  # % of the values
STRIP = 256


@dataclass(frozen=True)
class Finding:
    """Something to know of a file; a grave one says that its figures do not tell what they seem to."""

    words: str
    grave: bool = False


@dataclass(frozen=True)
class Overlay:
    """What lies over a picture: the share of it, and the middle of its largest piece in shares across and down."""

    share: float
    across: float
    down: float
    step: float


def _soft(values: Array, sigma: float) -> Array:
    soft: Array = cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    return soft


def overlay(small: Array, back: Array) -> Overlay | None:
    """What lies over a result that the input does not have, as a watermark does; None where nothing does.

    Both are (H, W) luma as in `likeness`. What a change of level, contrast and sharpness explains is taken off; what is
    left, averaged over 5 x 5 pixels, must be five times what is usual in such a picture, grow with the structure that
    is there, be a code value or more, and hang together. Valid range: strokes of two pixels of the input or more; on
    flat ground an opacity of a twelfth is found, fine strokes over texture need a fifth and may be missed.
    """
    sides = np.stack(
        [np.ones_like(small), small, small - _soft(small, 1), _soft(small, 1) - _soft(small, 3),
         _soft(small, 3) - _soft(small, 9)]
    ).reshape(5, -1).astype(np.float64)  # fmt: skip
    change = (back - small).ravel().astype(np.float64)
    weights = np.linalg.lstsq(sides @ sides.T, sides @ change, rcond=None)[0]
    left = cv2.blur((change - weights @ sides).reshape(small.shape).astype(np.float32), (STROKE, STROKE))
    near = (AROUND, AROUND)
    structure = np.sqrt(np.maximum(cv2.blur(small * small, near) - cv2.blur(small, near) ** 2, 0))
    usual = 1.4826 * float(np.median(np.abs(left))) + LEAST_NOISE + OF_STRUCTURE * structure
    there = (np.abs(left) > SURE * usual) & (np.abs(left) > LEAST_STEP)
    pieces, count = ndimage.label(ndimage.binary_closing(there, iterations=2))
    sizes = np.bincount(pieces.ravel(), minlength=count + 1)[1:]
    share = float(sizes[sizes >= LEAST_PIXELS].sum() / small.size)
    if share < LEAST_SHARE:
        return None
    largest = pieces == 1 + int(sizes.argmax())
    down, across = (
        (place.mean() + 0.5) / length for place, length in zip(largest.nonzero(), small.shape, strict=True)
    )
    return Overlay(share, float(across), float(down), float(np.median(left[largest & there])))


def _in_place(back: Array, place: Mapping[str, float], factor: float) -> tuple[Array, int]:
    """A result sent back to the input, moved to where it belongs; and how far from its edges nothing is known."""
    height, width = back.shape
    right, down, wider, taller = (place.get(key, 0.0) / factor for key in ("right", "down", "wider", "taller"))
    way = np.array([[1 + 2 * wider / width, 0, right - wider], [0, 1 + 2 * taller / height, down - taller]])
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    moved: Array = cv2.warpAffine(back, way, (width, height), flags=flags, borderMode=cv2.BORDER_REFLECT)
    return moved, math.ceil(max(abs(right) + abs(wider), abs(down) + abs(taller))) + 2


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


def findings(evidence: Evidence, place: Mapping[str, float], *, boxed: bool) -> list[Finding]:
    """What is to be known of a result that arrived.

    Parameters
    ----------
    evidence : Evidence
        Of the result, with its input and the way back to it.
    place : parts of the registration
        Where the result was found to lie; none where that could not be told.
    boxed : bool
        Whether the file holds `boxed` codes.
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
    if boxed and evidence.input.bit_depth > 8:
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
        height, width = small.shape
        at = [
            f"{(margin + share * length) * factor:.0f}"
            for share, length in ((over.across, width), (over.down, height))
        ]
        words = (
            f"Something lies over {100 * over.share:.1f} % of it that the input does not have, as a watermark does: "
            f"{over.step * 255:+.0f} cv around {', '.join(at)}."
        )
        found.append(Finding(words, grave=True))
    return found
