"""Film the shipped plates: two short invented clips for demo/media.

python demo/clips/film.py demo/media
"""

import argparse
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import tifffile

from mistline.core.frame import Array, decode_srgb, encode_srgb

WIDTH, HEIGHT, RATE = 640, 360, Fraction(25)
SHUTTER, SAMPLES = 0.5, 16  # of a frame's time; moments that are averaged in linear light
View = Callable[[float], Array]  # (time in frames) -> (H, W, 3) in linear light


def light(path: Path) -> Array:
    """A plate in linear light."""
    if path.suffix == ".tif":
        return decode_srgb(tifffile.imread(path).astype(np.float32) / 65535)
    return decode_srgb(cv2.imread(str(path))[..., ::-1].astype(np.float32) / 255)


def window(plate: Array, left: float, top: float, scale: float) -> Array:
    """What a frame sees of a plate that goes on mirrored at its edges; `scale` plate pixels a frame pixel."""
    plate = plate if scale <= 1 else cv2.GaussianBlur(plate, (0, 0), 0.45 * scale)
    move = np.array([[scale, 0, left], [0, scale, top]], np.float32)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    seen: Array = cv2.warpAffine(plate, move, (WIDTH, HEIGHT), flags=flags, borderMode=cv2.BORDER_REFLECT)
    return seen


def tram_ride(media: Path) -> View:
    """Past hedge and netting, the timetable board sliding by in front, with its shadow on the hedge."""
    fence, plate = light(media / "netting-fence.png"), light(media / "destination-board.png")
    fence = cv2.GaussianBlur(fence, (0, 0), 0.6)
    board = cv2.resize(plate[95:1020, 150:1640], (372, 231), interpolation=cv2.INTER_AREA)

    def view(time: float) -> Array:
        bounce = 1.6 * np.sin(time / 3.1) + 0.7 * np.sin(time / 1.3)
        seen = window(fence, 6.5 * time, 130 + bounce, 1.15)
        place = np.array([[1, 0, 700 - 10.5 * time], [0, 1, 66 - 1.8 * bounce]], np.float32)
        cover = cv2.warpAffine(np.ones(board.shape[:2], np.float32), place, (WIDTH, HEIGHT))
        shadow = cv2.GaussianBlur(np.roll(cover, (16, 22), (0, 1)), (0, 0), 7)
        seen *= 1 - 0.55 * shadow[..., None]
        front = cv2.warpAffine(board, place, (WIDTH, HEIGHT))
        return seen * (1 - cover[..., None]) + front

    return view


def night_round(media: Path) -> View:
    """The watchman's slow look along the depot; one lamp is not steady."""
    depot = light(media / "depot-at-night.tif")
    rows, columns = np.mgrid[: depot.shape[0], : depot.shape[1]]
    lamp = np.exp(-((columns - 565) ** 2 + (rows - 90) ** 2) / 2 / 150**2).astype(np.float32)[..., None]

    def view(time: float) -> Array:
        unsteady = 0.35 * (np.sin(time * 1.9) + np.sin(time * 0.83)) / 2
        return window(depot * (1 + unsteady * lamp), 40 + 2.1 * time, 120 + 6 * np.sin(time / 17), 1.0)

    return view


def frames(view: View, count: int) -> Iterator[np.ndarray]:
    """8-bit frames, each the mean of what the open shutter saw."""
    for number in range(count):
        moments = number + SHUTTER * (np.arange(SAMPLES) + 0.5) / SAMPLES
        seen = np.mean([view(moment) for moment in moments], axis=0, dtype=np.float32)
        yield np.clip(np.rint(encode_srgb(seen) * 255), 0, 255).astype(np.uint8)


def film(path: Path, view: View, count: int) -> None:
    """Write a clip as H.264, tagged BT.709."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=RATE, options={"crf": "13", "preset": "slow"})
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        context = stream.codec_context
        context.colorspace = context.color_primaries = context.color_trc = context.color_range = 1
        for pixels in frames(view, count):
            frame = av.VideoFrame.from_ndarray(pixels, format="rgb24")
            out.mux(stream.encode(frame.reformat(format="yuv420p", dst_colorspace="ITU709")))
        out.mux(stream.encode())


def main() -> None:
    """Film both."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("media", type=Path)
    media = parser.parse_args().media
    film(media / "tram-ride.mp4", tram_ride(media), 90)
    film(media / "night-round.mp4", night_round(media), 60)


if __name__ == "__main__":
    main()
