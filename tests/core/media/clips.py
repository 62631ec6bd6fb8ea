"""Clips made for tests: each frame carries its number as black and white blocks that survive any codec."""

import os
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

SIZE, BLOCK = (128, 96), 16  # width and height
BITS = SIZE[0] // BLOCK


def numbered(number: int, size: tuple[int, int] = SIZE) -> np.ndarray:
    """(H, W, 3) uint8: a soft picture that moves, its number in blocks on top."""
    width, height = size
    y, x = np.mgrid[:height, :width]
    wave = 128 + 60 * np.sin((x + 3 * number) / 9) * np.cos(y / 13)
    picture = np.stack([wave, 0.5 * wave + 60, 220 - 0.6 * wave], -1)
    for bit in range(BITS):
        picture[:BLOCK, bit * BLOCK : (bit + 1) * BLOCK] = 235 if number >> bit & 1 else 20
    return np.clip(np.rint(picture), 0, 255).astype(np.uint8)


def number_of(codes: np.ndarray) -> int:
    """Read the number back from the blocks of a frame of 16 bits."""
    quarter = BLOCK // 4
    shown = codes[quarter : BLOCK - quarter].mean(axis=(0, 2)) > 32768
    return sum(int(shown[bit * BLOCK + BLOCK // 2]) << bit for bit in range(BITS))


def write_clip(
    path: Path, codec: str, pixels: str, frames: int = 30, rate: Fraction = Fraction(25), size: tuple[int, int] = SIZE,
    container: str | None = None, start: int = 0, tags: dict[str, int] | None = None, picture=numbered,
    stamps: list[int] | None = None, **options: str,
) -> Path:  # fmt: skip
    """Encode numbered frames; `stamps` are time stamps in units of a frame where they are not even."""
    with av.open(str(path), "w", format=container) as out:
        stream = out.add_stream(codec, rate=rate, options=options)
        stream.width, stream.height, stream.pix_fmt = *size, pixels
        for name, value in (tags or {}).items():
            setattr(stream.codec_context, name, value)
        for number in range(frames):
            frame = av.VideoFrame.from_ndarray(picture(number, size), format="rgb24").reformat(format=pixels)
            frame.pts = start + (stamps[number] if stamps else number)
            frame.time_base = 1 / rate
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
    # SVT-AV1, where it may, puts the thread that encodes above everything else on the machine, and with it all that
    # this thread starts afterwards.
    os.sched_setscheduler(0, os.SCHED_OTHER, os.sched_param(0))
    return path
