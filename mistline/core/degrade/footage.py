"""What happens to a clip only: gate weave and flicker, fields, dropped frames, and a video codec.

References
----------
.. [1] ITU-T H.264, "Advanced video coding for generic audiovisual services"; ISO/IEC 13818-2 (MPEG-2 video). Both by
       FFmpeg's encoders on one thread, 4:2:0, BT.709, 16-235.
.. [2] ITU-R BT.709-6: an interlaced frame holds two fields, taken half a frame apart.
"""

from collections.abc import Iterable, Iterator
from fractions import Fraction
from typing import Any, Literal

import av
import cv2
import numpy as np

from mistline.core.frame import Array, Frame, to_frame, to_ycbcr
from mistline.core.media.planes import rgb_of_planes

__all__ = ["Fields", "coded", "flickered", "held", "interlaced", "weaved"]

Fields = Literal["progressive", "upper first", "lower first"]
RATE = Fraction(25)
GROUP = 12  # frames between key frames


def weaved(frame: Frame, amplitude: float, seed: np.random.SeedSequence) -> Frame:
    """The frame displaced across and down by Gaussian numbers of `amplitude` pixels, as in a worn film gate."""
    across, down = np.random.default_rng(seed).normal(0, amplitude, 2)
    way = np.array([[1, 0, across], [0, 1, down]], np.float64)
    moved = cv2.warpAffine(
        frame.pixels,
        way,
        (frame.size.width, frame.size.height),
        flags=cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_REFLECT,
    )
    return frame.with_pixels(moved.reshape(frame.pixels.shape))


def flickered(linear: Array, percent: float, seed: np.random.SeedSequence) -> Array:
    """Linear light times 1 + a Gaussian number of `percent` hundredths, as of uneven exposure."""
    gain = max(0.0, 1 + float(np.random.default_rng(seed).normal(0, percent / 100)))
    return linear * np.float32(gain)


def interlaced(frames: Iterable[Frame], fields: Fields) -> Iterator[Frame]:
    """Two frames become one of two fields [2]_, which stands for both; a last one without a partner stays."""
    if fields == "progressive":
        yield from frames
        return
    pending: Frame | None = None
    for frame in frames:
        if pending is None:
            pending = frame
            continue
        first, second = (0, 1) if fields == "upper first" else (1, 0)
        woven = np.empty_like(frame.pixels)
        woven[first::2], woven[second::2] = pending.pixels[first::2], frame.pixels[second::2]
        yield pending.with_pixels(woven)
        yield pending.with_pixels(woven)
        pending = None
    if pending is not None:
        yield pending


def held(frames: Iterable[Frame]) -> Iterator[Frame]:
    """Every other frame is dropped and the one before it shown again: half the rate in as many frames."""
    kept: Frame | None = None
    for number, frame in enumerate(frames):
        kept = frame if number % 2 == 0 or kept is None else kept
        yield kept


def _picture(frame: Frame, number: int, width: int, height: int) -> Any:
    """A frame of even size as planes of Y'CbCr, 4:2:0 with chroma on the left column, 16-235 [1]_."""
    pixels = frame.pixels if frame.pixels.shape[2] == 3 else np.repeat(frame.pixels, 3, axis=2)
    more = [(0, height - pixels.shape[0]), (0, width - pixels.shape[1]), (0, 0)]
    planes = to_ycbcr(np.pad(np.clip(pixels, 0, 1), more, mode="edge"))
    luma = 16 + 219 * planes[..., 0]
    rows = 128 + 224 * 0.5 * (planes[0::2, :, 1:] + planes[1::2, :, 1:])
    sides = np.pad(rows, [(0, 0), (1, 1), (0, 0)], mode="edge")
    chroma = 0.25 * sides[:, 0:-2:2] + 0.5 * sides[:, 1:-1:2] + 0.25 * sides[:, 2::2]
    picture = av.VideoFrame(width, height, "yuv420p")
    for plane, values in zip(picture.planes, (luma, chroma[..., 0], chroma[..., 1]), strict=True):
        out = np.zeros((plane.height, plane.line_size), np.uint8)
        out[:, : plane.width] = np.clip(np.rint(values), 0, 255)
        plane.update(out.tobytes())
    picture.pts, picture.time_base = number, 1 / RATE
    return picture


def coded(frames: Iterable[Frame], codec: Literal["h264", "mpeg2"], quality: int) -> Iterator[Frame]:
    """Encode by H.264 (constant rate factor) or MPEG-2 (quantiser scale) and decode again; results have 8 bits [1]_."""
    waiting = iter(frames)
    first = next(waiting, None)
    if first is None:
        return
    height, width, channels = first.pixels.shape
    encoder = av.CodecContext.create("libx264" if codec == "h264" else "mpeg2video", "w")
    encoder.width, encoder.height, encoder.pix_fmt = width + width % 2, height + height % 2, "yuv420p"
    encoder.time_base, encoder.framerate = 1 / RATE, RATE
    encoder.thread_count, encoder.gop_size = 1, GROUP
    scale = str(quality)
    encoder.options = {"crf": scale} if codec == "h264" else {"qmin": scale, "qmax": scale}
    decoder = av.CodecContext.create("h264" if codec == "h264" else "mpeg2video", "r")
    decoder.thread_count = 1

    def back(packets: Iterable[Any]) -> Iterator[Frame]:
        for packet in packets:
            for picture in decoder.decode(packet):
                planes = [
                    np.frombuffer(bytes(plane), np.uint8).reshape(-1, plane.line_size)[
                        : plane.height, : plane.width
                    ]
                    for plane in picture.planes
                ]
                codes = rgb_of_planes(planes, 8, matrix="BT.709", full_range=False)[:height, :width]
                found = to_frame(((codes.astype(np.uint32) + 128) // 257).astype(np.uint8))
                yield found if channels == 3 else found.with_pixels(found.pixels[..., :1])

    def pictures() -> Iterator[Frame]:
        yield first
        yield from waiting

    for number, frame in enumerate(pictures()):
        yield from back(encoder.encode(_picture(frame, number, encoder.width, encoder.height)))
    yield from back(encoder.encode(None))
    yield from back([None])
