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

from mistline.errors import OutOfLimits

__all__ = [
    "SRGB",
    "Array",
    "Codes",
    "ColourTag",
    "Frame",
    "Region",
    "Size",
    "decode_srgb",
    "encode_srgb",
    "from_ycbcr",
    "luma",
    "to_frame",
    "to_ycbcr",
    "with_channels",
]

Array = npt.NDArray[np.floating[Any]]  # float32 by contract
Codes = npt.NDArray[np.unsignedinteger[Any]]  # uint8 or uint16
LUMA_WEIGHTS = np.array([0.2126, 0.7152, 0.0722], np.float32)
CB_SCALE, CR_SCALE = np.float32(1 / 1.8556), np.float32(1 / 1.5748)  # [1]_


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


@dataclass(frozen=True)
class Region:
    """A rectangle of a picture, in its pixels.

    >>> Region(1, 2, 3, 4).cut(Frame(np.zeros((9, 9, 3), np.float32), 8)).size
    Size(width=3, height=4)
    """

    left: int
    top: int
    width: int
    height: int

    def check(self, size: Size) -> None:
        """Raise `OutOfLimits` if the region is not inside a picture of this size."""
        inside = self.left >= 0 and self.top >= 0 and self.width > 0 and self.height > 0
        if not inside or self.left + self.width > size.width or self.top + self.height > size.height:
            raise OutOfLimits(f"The region does not lie inside the picture of {size} pixels; draw it again.")

    @property
    def slices(self) -> tuple[slice, slice]:
        """Its rows and columns."""
        return slice(self.top, self.top + self.height), slice(self.left, self.left + self.width)

    def cut(self, frame: Frame) -> Frame:
        """The part of the frame; `OutOfLimits` if it is not inside."""
        self.check(frame.size)
        return frame.with_pixels(frame.pixels[self.slices])


def to_frame(codes: Codes) -> Frame:
    """Integers to a frame: code value / largest code value, float32."""
    depth = codes.dtype.itemsize * 8
    # A true division: v / 255 and 257 v / 65535 then give the same float, so the truth control is exact.
    pixels = np.divide(codes, np.float32(2**depth - 1), dtype=np.float32)
    return Frame(pixels, depth)


def with_channels(frame: Frame, count: int) -> Frame:
    """The frame with so many channels, 1 or 3: grey three times, or the luma of colours.

    >>> with_channels(Frame(np.zeros((2, 2, 1), np.float32), 8), 3).pixels.shape
    (2, 2, 3)
    """
    there = frame.pixels.shape[2]
    if there == count:
        return frame
    return frame.with_pixels(
        np.repeat(frame.pixels, count, axis=2) if there < count else luma(frame.pixels)[..., None]
    )


def luma(pixels: Array) -> Array:
    """Encoded luma Y' of (H, W, C) pixels by the BT.709 weights [1]_, as (H, W) float32.

    >>> float(luma(np.ones((1, 1, 3), np.float32))[0, 0])
    1.0
    """
    if pixels.shape[2] == 1:
        return pixels[..., 0]
    weighted: Array = pixels @ LUMA_WEIGHTS
    return weighted


def to_ycbcr(pixels: Array) -> Array:
    """Y', Cb, Cr of R'G'B' (H, W, 3); Y' in 0..1, Cb and Cr in -0.5..0.5."""
    y = luma(pixels)
    return np.stack([y, (pixels[..., 2] - y) * CB_SCALE, (pixels[..., 0] - y) * CR_SCALE], axis=-1)


def from_ycbcr(planes: Array) -> Array:
    """R'G'B' of Y', Cb, Cr; the inverse of `to_ycbcr`."""
    y, blue, red = planes[..., 0], planes[..., 1] / CB_SCALE, planes[..., 2] / CR_SCALE
    green = y - (np.float32(0.0722) * blue + np.float32(0.2126) * red) / np.float32(0.7152)
    return np.stack([y + red, green, y + blue], axis=-1)


def decode_srgb(encoded: Array) -> Array:
    """Linear light from sRGB code values [2]_; odd about 0, so that under-shoots survive."""
    signed = not (encoded >= 0).all()
    magnitude = np.abs(encoded) if signed else encoded
    curved = (magnitude + np.float32(0.055)) * np.float32(1 / 1.055)
    np.log2(curved, out=curved)  # with exp2 twice as fast as a power
    curved *= np.float32(2.4)
    np.exp2(curved, out=curved)
    low = magnitude <= 0.04045
    if low.any():
        np.multiply(magnitude, np.float32(1 / 12.92), out=curved, where=low)
    return np.copysign(curved, encoded, out=curved) if signed else curved


def encode_srgb(linear: Array) -> Array:
    """sRGB code values from linear light [2]_; odd about 0, the inverse of `decode_srgb`."""
    magnitude = np.abs(linear)
    curved = np.float32(1.055) * magnitude ** np.float32(1 / 2.4) - np.float32(0.055)
    return np.copysign(np.where(magnitude <= 0.0031308, magnitude * np.float32(12.92), curved), linear)
