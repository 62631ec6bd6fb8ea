"""Compression: chroma at half the size, and JPEG.

References
----------
.. [1] ITU-T T.81, "Digital compression and coding of continuous-tone still images", 1992.
.. [2] ITU-R BT.601-7, 2011: 4:2:0 keeps one pair of colour values for four pixels.
"""

import io
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from PIL import Image

from mistline.core.frame import Frame, Size, from_ycbcr, to_frame, to_ycbcr
from mistline.core.resample import resize

__all__ = ["Jpeg", "halve_chroma", "jpeg", "quality_of"]


@dataclass(frozen=True)
class Jpeg:
    """What the tables of a JPEG say: about which quality, and whether colour is kept at half the size each way."""

    quality: int
    half_chroma: bool


def halve_chroma(frame: Frame) -> Frame:
    """Keep one pair of colour values for 2 x 2 pixels [2]_: the mean, brought back by bilinear interpolation."""
    if frame.pixels.shape[2] == 1:
        return frame
    planes = to_ycbcr(frame.pixels)
    size = frame.size
    half = resize(planes[..., 1:], Size((size.width + 1) // 2, (size.height + 1) // 2), "area")
    planes[..., 1:] = resize(half, size, "bilinear")
    return frame.with_pixels(from_ycbcr(planes))


def jpeg(frame: Frame, quality: int, *, half_chroma: bool) -> Frame:
    """Encode as JPEG [1]_ at a quality of 1..100 and decode again; the result has 8 bits."""
    codes = np.clip(np.rint(frame.pixels * 255), 0, 255).astype(np.uint8)
    grey = codes.shape[2] == 1
    file = io.BytesIO()
    picture = Image.fromarray(codes[..., 0] if grey else codes)
    picture.save(file, "JPEG", quality=quality, subsampling=2 if half_chroma else 0)
    back = np.asarray(Image.open(file))
    return to_frame(back[..., None] if grey else back)


@lru_cache(maxsize=1)
def _tables() -> dict[int, list[int]]:
    """The luma quantisation table of each quality, read from files that the encoder of `jpeg` writes."""
    tables = {}
    for quality in range(1, 101):
        file = io.BytesIO()
        Image.new("L", (8, 8)).save(file, "JPEG", quality=quality)
        tables[quality] = list(Image.open(file).quantization[0])
    return tables


def quality_of(table: Sequence[int]) -> int:
    """The quality at which `jpeg` quantises luma most like a table of 64 steps does.

    >>> quality_of([16, 11, 10, 16, 24, 40, 51, 61] + [99] * 56) < 50
    True
    """
    steps = np.log(np.maximum(np.asarray(table, np.float64), 1))
    return min(_tables(), key=lambda quality: float(np.abs(np.log(_tables()[quality]) - steps).sum()))
