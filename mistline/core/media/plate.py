"""Mistline's own lossless pictures: PNG of 8 or 16 bits, and the tiles that the viewer draws from it.

Tiles are 8-bit PNG, `TILE` pixels square, at level 0 (full size) and at halved levels until the picture
fits one tile: `view/<level>/<column>_<row>.png`. The code values of level 0 are exactly those of the
picture, rounded to 8 bits.
"""

from pathlib import Path

import cv2
import numpy as np

from mistline.core.frame import Codes, Frame, Size, to_frame
from mistline.errors import BadMedia

__all__ = [
    "TILE",
    "encode_plate",
    "levels",
    "quantise",
    "read_codes",
    "read_plate",
    "to_eight_bit",
    "write_plate",
    "write_view",
]

TILE = 512
THUMBNAIL = 360
FAST = [cv2.IMWRITE_PNG_COMPRESSION, 2, cv2.IMWRITE_PNG_STRATEGY, cv2.IMWRITE_PNG_STRATEGY_DEFAULT]


def quantise(frame: Frame, bit_depth: int) -> tuple[Codes, float]:
    """Round a frame to integers of 8 or 16 bits; also return the share of values that had to be clipped."""
    top = 2**bit_depth - 1
    scaled = frame.pixels * np.float32(top)
    clipped = float(np.mean((scaled < -0.5) | (scaled > top + 0.5)))
    np.clip(np.rint(scaled, out=scaled), 0, top, out=scaled)
    return scaled.astype(np.uint8 if bit_depth == 8 else np.uint16), clipped


def to_eight_bit(codes: Codes) -> Codes:
    """Round to 8 bits: v / 257 for 16-bit values."""
    if codes.dtype == np.uint8:
        return codes
    return ((codes.astype(np.uint32) + 128) // 257).astype(np.uint8)


def _swap(codes: Codes) -> Codes:
    """RGB to the order that the codec wants, and back."""
    return np.ascontiguousarray(codes[..., ::-1]) if codes.shape[2] == 3 else codes


def encode_plate(codes: Codes) -> bytes:
    """(H, W, 1 or 3) integers as a PNG, losslessly."""
    done, data = cv2.imencode(".png", _swap(codes), FAST)
    if not done:
        raise BadMedia("A picture could not be written as PNG.")
    content: bytes = data.tobytes()
    return content


def write_plate(path: Path, codes: Codes) -> None:
    """Write (H, W, 1 or 3) integers as PNG, losslessly."""
    path.write_bytes(encode_plate(codes))


def read_codes(path: Path) -> Codes:
    """Read back what `write_plate` wrote, (H, W, 1 or 3) integers of the file's bit depth."""
    codes = cv2.imdecode(np.frombuffer(path.read_bytes(), np.uint8), cv2.IMREAD_UNCHANGED)
    if codes is None:
        raise BadMedia(f"{path.name} in the media store is damaged; run the trial again to make it anew.")
    return _swap(codes if codes.ndim == 3 else codes[..., None])


def read_plate(path: Path) -> Frame:
    """Read back what `write_plate` wrote, as a frame."""
    return to_frame(read_codes(path))


def levels(size: Size) -> int:
    """Return the number of tile levels of a picture.

    >>> levels(Size(512, 512)), levels(Size(6000, 4000))
    (1, 5)
    """
    count, longest = 1, max(size.width, size.height)
    while longest > TILE:
        longest, count = (longest + 1) // 2, count + 1
    return count


def write_view(folder: Path, codes: Codes) -> int:
    """Write all tile levels and a thumbnail below `folder`; return the number of levels."""
    level = to_eight_bit(codes)
    count = levels(Size(level.shape[1], level.shape[0]))
    for number in range(count):
        target = folder / str(number)
        target.mkdir(parents=True, exist_ok=True)
        for top in range(0, level.shape[0], TILE):
            for left in range(0, level.shape[1], TILE):
                write_plate(
                    target / f"{left // TILE}_{top // TILE}.png", level[top : top + TILE, left : left + TILE]
                )
        height, width = level.shape[:2]
        if number < count - 1:
            halved = cv2.resize(level, ((width + 1) // 2, (height + 1) // 2), interpolation=cv2.INTER_AREA)
            level = halved if halved.ndim == 3 else halved[..., None]
    scale = THUMBNAIL / max(level.shape[:2])
    if scale < 1:
        small = (max(1, round(level.shape[1] * scale)), max(1, round(level.shape[0] * scale)))
        level = cv2.resize(level, small, interpolation=cv2.INTER_AREA)
        level = level if level.ndim == 3 else level[..., None]
    write_plate(folder / "thumbnail.png", level)
    return count
