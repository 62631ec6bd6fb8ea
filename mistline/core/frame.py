"""Frame, size and colour tag: the words that every part of the core speaks.

References
----------
.. [1] ITU-R BT.709-6, "Parameter values for the HDTV standards for production and international
       programme exchange", 2015: luma weights .2126, .7152, .0722.
.. [2] IEC 61966-2-1:1999, "Default RGB colour space - sRGB".
"""

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt

__all__ = [
    "SRGB",
    "Array",
    "Codes",
    "ColourTag",
    "Frame",
    "Size",
    "decode_srgb",
    "encode_srgb",
    "luma",
    "to_frame",
]

Array = npt.NDArray[np.floating[Any]]  # float32 by contract
Codes = npt.NDArray[np.unsignedinteger[Any]]  # uint8 or uint16
LUMA_WEIGHTS = np.array([0.2126, 0.7152, 0.0722], np.float32)


@dataclass(frozen=True)
class Size:
    """Width and height in pixels.

    >>> Size(3840, 2160).megapixels
    8.2944
    """

    width: int
    height: int

    @property
    def pixels(self) -> int:
        """Number of pixels."""
        return self.width * self.height

    @property
    def megapixels(self) -> float:
        """Millions of pixels."""
        return self.pixels / 1e6

    def __str__(self) -> str:
        return f"{self.width} x {self.height}"


@dataclass(frozen=True)
class ColourTag:
    """What the code values mean; nothing guesses, conversions are explicit."""

    primaries: str = "BT.709"
    transfer: str = "sRGB"
    matrix: str = "RGB"
    range: str = "full"


SRGB = ColourTag()


@dataclass(frozen=True)
class Frame:
    """One picture: (H, W, C) float32, C is 1 or 3, nominal 0..1, encoded (not linear) unless said."""

    pixels: Array
    bit_depth: int
    tag: ColourTag = field(default=SRGB)

    @property
    def size(self) -> Size:
        """Width and height."""
        height, width = self.pixels.shape[:2]
        return Size(width, height)

    def with_pixels(self, pixels: Array) -> "Frame":
        """Return the same frame with other pixels (of any size)."""
        return replace(self, pixels=np.ascontiguousarray(pixels, np.float32))


def to_frame(codes: Codes) -> Frame:
    """Integers to a frame: code value / largest code value, float32."""
    depth = codes.dtype.itemsize * 8
    # A true division: v / 255 and 257 v / 65535 then give the same float, so the truth control is exact.
    pixels = np.divide(codes, np.float32(2**depth - 1), dtype=np.float32)
    return Frame(pixels, depth)


def luma(pixels: Array) -> Array:
    """Encoded luma Y' of (H, W, C) pixels by the BT.709 weights [1]_, as (H, W) float32.

    >>> float(luma(np.ones((1, 1, 3), np.float32))[0, 0])
    1.0
    """
    if pixels.shape[2] == 1:
        return pixels[..., 0]
    weighted: Array = pixels @ LUMA_WEIGHTS
    return weighted


def decode_srgb(encoded: Array) -> Array:
    """Linear light from sRGB code values [2]_; odd about 0, so that under-shoots survive."""
    magnitude = np.abs(encoded)
    curved = ((magnitude + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)
    return np.copysign(np.where(magnitude <= 0.04045, magnitude / np.float32(12.92), curved), encoded)


def encode_srgb(linear: Array) -> Array:
    """sRGB code values from linear light [2]_; odd about 0, the inverse of `decode_srgb`."""
    magnitude = np.abs(linear)
    curved = np.float32(1.055) * magnitude ** np.float32(1 / 2.4) - np.float32(0.055)
    return np.copysign(np.where(magnitude <= 0.0031308, magnitude * np.float32(12.92), curved), linear)
