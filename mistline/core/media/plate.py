"""Mistline's own lossless pictures: frames of 8 or 16 bits in shards, and the tiles that the viewer draws of them.

A shard holds consecutive frames of a picture, a still has one: a ZIP archive whose members are stored as they are
(its directory tells where each lies, and each has a checksum). A member is a band of rows, so that memory stays small:
`<frame>_<top row>_<width>x<height>x<channels>_<bits>bit.zst` holds, compressed by Zstandard [1]_, the differences of
each value from its left neighbour (modulo 2^bits), first all their low bytes, then all high ones.

Tiles are 8-bit PNG, `TILE` pixels square, at level 0 (full size) and at halved levels until the frame
fits one tile: `view/<frame>/<level>/<column>_<row>.png`. The code values of level 0 are exactly those of the
frame, rounded to 8 bits.

References
----------
.. [1] RFC 8878, "Zstandard Compression and the 'application/zstd' Media Type", 2021.
"""

import errno
import os
import re
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import NamedTuple

import cv2
import imagecodecs
import numpy as np

from mistline.core.frame import Codes, Frame, Region, Size, to_frame
from mistline.core.threads import on_threads
from mistline.errors import BadMedia

__all__ = [
    "SHARD", "TILE", "Plate", "ShardWriter", "encode_png", "is_whole_png", "levels", "quantise", "shard_name",
    "shards_of", "to_eight_bit", "write_png", "write_thumbnail", "write_view",
]  # fmt: skip

TILE = 512
THUMBNAIL = 360
ROWS = 256
SHARD = 12  # frames
BAND = 2**18  # pixels that are packed at once; a part of a frame is read without the rest
MEMBER = re.compile(
    r"(?P<frame>\d+)_(?P<top>\d+)_(?P<width>\d+)x(?P<height>\d+)x(?P<channels>\d)_(?P<bits>8|16)bit\.zst"
)
END = b"\0\0\0\0IEND\xaeB`\x82"
# Differences from the mean of the neighbours, repeats and Huffman codes: a third of the time of the codec's own choice,
# and smaller on photographs.
FAST = [
    cv2.IMWRITE_PNG_COMPRESSION, 1, cv2.IMWRITE_PNG_FILTER, cv2.IMWRITE_PNG_FILTER_AVG,
    cv2.IMWRITE_PNG_STRATEGY, cv2.IMWRITE_PNG_STRATEGY_RLE,
]  # fmt: skip


def quantise(frame: Frame, bit_depth: int) -> tuple[Codes, float]:
    """Round a frame to integers of 8 or 16 bits; also return the share of values that had to be clipped."""
    top = 2**bit_depth - 1
    scaled = frame.pixels * np.float32(top)
    clipped = float(np.mean((scaled < -0.5) | (scaled > top + 0.5)))
    np.clip(np.rint(scaled, out=scaled), 0, top, out=scaled)
    return scaled.astype(np.uint8 if bit_depth == 8 else np.uint16), clipped


def to_eight_bit(codes: Codes) -> Codes:
    """Round to 8 bits: v / 257 for 16-bit values.

    >>> codes = np.arange(2**16, dtype=np.uint16)[:, None]
    >>> np.array_equal(to_eight_bit(codes), np.rint(codes / 257))
    True
    """
    if codes.dtype == np.uint8:
        return codes
    out = np.empty(codes.shape, np.uint8)
    for top in range(0, codes.shape[0], ROWS):
        strip = codes[top : top + ROWS].astype(np.uint32)
        strip *= 255  # so that no division is needed: it takes longest
        strip += 32895
        strip >>= 16
        out[top : top + ROWS] = strip
    return out


def _swap(codes: Codes) -> Codes:
    """RGB to the order that the codec wants, and back."""
    return np.ascontiguousarray(codes[..., ::-1]) if codes.shape[2] == 3 else codes


def encode_png(codes: Codes) -> bytes:
    """(H, W, 1 or 3) integers as a PNG, losslessly."""
    done, data = cv2.imencode(".png", _swap(codes), FAST)
    if not done:
        raise BadMedia("A picture could not be written as PNG.")
    content: bytes = data.tobytes()
    return content


def write_png(path: Path, codes: Codes) -> None:
    """Write (H, W, 1 or 3) integers as PNG, losslessly, straight to the disk.

    Raises
    ------
    OSError
        With ENOSPC if it could not be written to its end.
    """
    if not (cv2.imwrite(str(path), _swap(codes), FAST) and _ends(path)):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(path))


def _ends(path: Path) -> bool:
    """Whether a PNG file goes on to its end marker; the codec does not notice a disk that is full at the last byte."""
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - len(END)))
        return file.read() == END


def shards_of(frames: int) -> list[tuple[int, int]]:
    """How the frames of a picture are shared out: the first frame of each shard and their number.

    >>> shards_of(1), shards_of(30)
    ([(0, 1)], [(0, 12), (12, 12), (24, 6)])
    """
    return [(first, min(SHARD, frames - first)) for first in range(0, frames, SHARD)]


def shard_name(first: int) -> str:
    """File name of the shard that begins with a frame.

    >>> shard_name(48)
    'shards/000048.zip'
    """
    return f"shards/{first:06d}.zip"


def _pack(band: Codes) -> bytes:
    steps = imagecodecs.delta_encode(np.ascontiguousarray(band), axis=1)
    pairs = steps.astype(steps.dtype.newbyteorder("<"), copy=False).view(np.uint8).reshape(1, -1, steps.itemsize)
    split = np.concatenate([part.ravel() for part in cv2.split(pairs)])
    return bytes(imagecodecs.zstd_encode(split.tobytes(), level=1))


def _said(name: str) -> re.Match[str]:
    """What the name of a member tells."""
    said = MEMBER.fullmatch(name)
    if said is None:
        raise ValueError(f"{name} is no band of rows")
    return said


class _Band(NamedTuple):
    """A band of rows of a frame, and where it lies."""

    shard: Path
    name: str
    top: int
    height: int
    width: int


def _unpack(name: str, packed: bytes) -> Codes:
    said = _said(name)
    size = int(said["bits"]) // 8
    split = np.frombuffer(imagecodecs.zstd_decode(packed), np.uint8).reshape(size, 1, -1)
    steps = cv2.merge(list(split)).view(f"<u{size}")
    shape = (int(said["height"]), int(said["width"]), int(said["channels"]))
    band: Codes = imagecodecs.delta_decode(steps.reshape(shape), axis=1)
    return band


class ShardWriter:
    """Writes numbered frames losslessly, one after another; a context that is left whole, or with an `OSError`."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._archive = zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)

    def __enter__(self) -> "ShardWriter":
        return self

    def __exit__(self, *_: object) -> None:
        self._archive.close()

    def add(self, number: int, codes: Codes) -> None:
        """Write a frame, (H, W, 1 or 3) integers of 8 or 16 bits."""
        rows = max(1, BAND // codes.shape[1])
        for top in range(0, codes.shape[0], rows):
            band = codes[top : top + rows]
            height, width, channels = band.shape
            name = f"{number:06d}_{top:06d}_{width}x{height}x{channels}_{8 * codes.itemsize}bit.zst"
            # Without the time of writing: the same frames make the same file.
            self._archive.writestr(zipfile.ZipInfo(name), _pack(band))


class Plate:
    """The frames of a picture, in one shard or in several."""

    def __init__(self, shards: Sequence[Path]) -> None:
        self.shards = shards

    @cached_property
    def _bands(self) -> dict[int, list[_Band]]:
        """The bands of each frame, from top to bottom."""
        found: dict[int, list[_Band]] = {}
        for path in self.shards:
            with self._trusted(path), zipfile.ZipFile(path) as shard:
                for name in sorted(shard.namelist()):
                    said = _said(name)
                    rows = (int(said[part]) for part in ("top", "height", "width"))
                    found.setdefault(int(said["frame"]), []).append(_Band(path, name, *rows))
        return found

    @staticmethod
    @contextmanager
    def _trusted(path: Path) -> Iterator[None]:
        try:
            yield
        except (zipfile.BadZipFile, imagecodecs.ZstdError, ValueError) as error:
            raise BadMedia(
                f"{path.name} in the media store is damaged ({error}); run the trial again to make it anew."
            ) from None

    def codes(self, number: int = 0) -> Codes:
        """A frame as (H, W, 1 or 3) integers of its bit depth."""
        return self._between(number, 0, self.size(number).height)

    def _between(self, number: int, first: int, last: int) -> Codes:
        """The rows of a frame from the first up to the last, which is not among them."""
        wanted = [band for band in self._of(number) if band.top < last and first < band.top + band.height]
        path = wanted[0].shard  # a frame is never in two
        with self._trusted(path), zipfile.ZipFile(path) as shard:
            for band in wanted:
                rows = _unpack(band.name, shard.read(band.name))
                if len(wanted) == 1:
                    return rows[first - band.top : last - band.top]
                if band is wanted[0]:
                    out: Codes = np.empty((last - first, *rows.shape[1:]), rows.dtype)
                low, high = max(first, band.top), min(last, band.top + band.height)
                out[low - first : high - first] = rows[low - band.top : high - band.top]
        return out

    def _of(self, number: int) -> list[_Band]:
        found = self._bands.get(number)
        if not found:
            raise BadMedia(f"The media store does not hold frame {number}; run the trial again to make it anew.")
        return found

    def size(self, number: int = 0) -> Size:
        """The size of a frame; no pixel is read."""
        bands = self._of(number)
        return Size(bands[0].width, sum(band.height for band in bands))

    def cut(self, number: int, region: Region) -> Codes:
        """A part of a frame; only the bands of rows that it touches are read."""
        return self._between(number, region.top, region.top + region.height)[:, region.slices[1]]

    def stream(self, first: int, count: int) -> Iterator[Codes]:
        """Frames one after another."""
        return (self.codes(number) for number in range(first, first + count))

    def frame(self, number: int = 0) -> Frame:
        """A frame as float32."""
        return to_frame(self.codes(number))


def levels(size: Size) -> int:
    """Return the number of tile levels of a picture.

    >>> levels(Size(512, 512)), levels(Size(6000, 4000))
    (1, 5)
    """
    count, longest = 1, max(size.width, size.height)
    while longest > TILE:
        longest, count = (longest + 1) // 2, count + 1
    return count


def is_whole_png(data: bytes) -> bool:
    """Whether a PNG file is what was written: every chunk's checksum, up to its end (ISO/IEC 15948, 5.3).

    >>> whole = encode_png(np.zeros((2, 2, 1), np.uint8))
    >>> is_whole_png(whole), is_whole_png(whole[:-5]), is_whole_png(whole.replace(b"IDAT", b"IDAX"))
    (True, False, False)
    """
    if data[:8] != b"\x89PNG\r\n\x1a\n":
        return False
    place, kind = 8, b""
    while place + 12 <= len(data):
        length = int.from_bytes(data[place : place + 4])
        body = data[place + 4 : place + 8 + length]
        if int.from_bytes(data[place + 8 + length : place + 12 + length]) != zlib.crc32(body):
            return False
        kind, place = body[:4], place + 12 + length
    return kind == b"IEND"


def write_view(folder: Path, codes: Codes) -> int:
    """Write all tile levels and a thumbnail below `folder`; return the number of levels."""
    level = to_eight_bit(codes)
    count = levels(Size(level.shape[1], level.shape[0]))
    for number in range(count):
        target = folder / str(number)
        target.mkdir(parents=True, exist_ok=True)
        height, width = level.shape[:2]

        def cut(place: tuple[int, int], target: Path = target, level: Codes = level) -> None:
            y, x = place
            write_png(target / f"{x // TILE}_{y // TILE}.png", level[y : y + TILE, x : x + TILE])

        on_threads(cut, [(y, x) for y in range(0, height, TILE) for x in range(0, width, TILE)], height * width)
        if number < count - 1:
            halved = cv2.resize(level, ((width + 1) // 2, (height + 1) // 2), interpolation=cv2.INTER_AREA)
            level = halved if halved.ndim == 3 else halved[..., None]
    write_thumbnail(folder, level)
    return count


def write_thumbnail(folder: Path, codes: Codes) -> None:
    """Write a small picture for lists below `folder`."""
    level = to_eight_bit(codes)
    scale = THUMBNAIL / max(level.shape[:2])
    if scale < 1:
        small = (max(1, round(level.shape[1] * scale)), max(1, round(level.shape[0] * scale)))
        level = cv2.resize(level, small, interpolation=cv2.INTER_AREA)
        level = level if level.ndim == 3 else level[..., None]
    folder.mkdir(parents=True, exist_ok=True)
    write_png(folder / "thumbnail.png", level)
