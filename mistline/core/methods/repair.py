"""Repair a clip in time: frames that were dropped, frames of two fields, levels that flicker.

References
----------
.. [1] H. Jiang, D. Sun, V. Jampani, M.-H. Yang, E. Learned-Miller, J. Kautz, "Super SloMo: high quality estimation of
       multiple intermediate frames for video interpolation", CVPR 2018: flow at a moment between, from both flows.
.. [2] G. de Haan, E. B. Bellers, "Deinterlacing - an overview", Proc. IEEE 86(9), 1839-1857, 1998: line average, and
       fields woven where nothing moves.
.. [3] P. M. B. van Roosmalen, "Restoration of archived film and video", thesis, Delft 1999, ch. 3: flicker as a gain.
.. [4] Common practice for film in video by 2:3 pulldown: each field is woven with the one of the same film frame.
"""

from typing import Literal

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Array, Frame, Size, decode_srgb, encode_srgb, luma
from mistline.core.methods.method import Limits, Method, Window, no_auto
from mistline.core.methods.motion import flow, moved

__all__ = ["METHODS", "DeinterlaceSettings", "FillSettings", "LevelSettings"]

REPEAT = 0.5 / 255  # root mean square of luma: the same frame again
LONGEST_RUN = 3  # frames between two real ones
DISAGREE = 1.5  # pixels between the flow there and back, from where a pixel is taken for covered
STILL = 6 / 255  # difference of two fields of one kind: nothing moves
COMBED = 1.25  # times the alternation of lines of one field: noise makes as much of both
LEAST_LINES = 8  # of a frame whose fields are looked at
SMALL = 64  # pixels across, to tell whether two frames show the same
ALIKE = 0.8  # correlation


class FillSettings(BaseModel):
    """How a missing frame is made of those around it."""

    model_config = ConfigDict(extra="forbid")
    way: Literal["along the motion", "blended"] = Field(
        "along the motion",
        description="Move what is in the picture half way, or lay both frames over one another.",
    )


class DeinterlaceSettings(BaseModel):
    """Which field comes first, and where missing lines are taken from."""

    model_config = ConfigDict(extra="forbid")
    first: Literal["upper", "lower"] = Field("upper", description="The field that was taken first.")
    way: Literal["by motion", "line average", "matching fields"] = Field(
        "by motion",
        description="Lines of the other field where nothing moves, the mean of two lines everywhere, or the field "
        "of this frame or one beside it that was taken at the same moment, as after telecine.",
    )


class LevelSettings(BaseModel):
    """Over how many frames the level is evened out."""

    model_config = ConfigDict(extra="forbid")
    frames: int = Field(9, ge=3, le=25, description="How many frames are looked at, the frame in their middle.")


def _same(one: Frame, other: Frame) -> bool:
    return float(np.sqrt(np.mean(np.square(luma(one.pixels) - luma(other.pixels))))) < REPEAT


def _between(before: Array, after: Array, share: float) -> Array:
    """The frame at a moment between two, 0..1 of the way, along the motion both ways [1]_."""
    there = flow(luma(before), luma(after))
    back = flow(luma(after), luma(before))
    to_before = np.float32(share * share) * back - np.float32(share * (1 - share)) * there
    to_after = np.float32((1 - share) ** 2) * there - np.float32(share * (1 - share)) * back

    def seen(one: Array, other: Array) -> Array:
        """1 where the flow there and back meet, less where something is covered."""
        lost = np.linalg.norm(one + moved(other, one), axis=2)
        weight: Array = np.exp(-np.square(lost / DISAGREE)).astype(np.float32)
        return weight

    def part(frame: Array, way: Array, visible: Array, of: float) -> tuple[Array, Array]:
        """A frame moved to the moment, times how much it counts there; and that weight."""
        weight = np.maximum(np.float32(of) * moved(visible + np.float32(1e-3), way), 1e-4)[..., None]
        return weight * moved(frame, way), weight

    first, first_weight = part(before, to_before, seen(there, back), 1 - share)
    second, second_weight = part(after, to_after, seen(back, there), share)
    made: Array = (first + second) / (first_weight + second_weight)
    return made


def _fill(window: Window, settings: BaseModel, target: Size) -> Frame:
    """A frame that repeats the one before is made anew from the last and the next real one."""
    assert isinstance(settings, FillSettings)
    frames, at = window.frames, window.at
    start = at
    while start > 0 and _same(frames[start], frames[start - 1]):
        start -= 1
    end = at + 1
    while end < len(frames) and _same(frames[end], frames[at]):
        end += 1
    if start == at or end == len(frames):
        return window.frame
    share = (at - start) / (end - start)
    before, after = frames[start].pixels, frames[end].pixels
    if settings.way == "blended":
        return window.frame.with_pixels(before + np.float32(share) * (after - before))
    return window.frame.with_pixels(_between(before, after, share))


def _filled_lines(field: Array, parity: int) -> Array:
    """All lines of a frame from those of one field: its own, and the mean of the two around each other one."""
    height = field.shape[0]
    full = field.copy()
    lines = np.arange(1 - parity, height, 2)
    below = np.where(lines + 1 < height, lines + 1, lines - 1)
    above = np.where(lines - 1 >= 0, lines - 1, lines + 1)
    full[lines] = 0.5 * (field[above] + field[below])
    return full


def _combing(lines: Array) -> float:
    """How much lines alternate with those above and below; little where all are of one moment."""
    bright = luma(lines)
    above, here, below = bright[:-2], bright[1:-1], bright[2:]
    return float(np.maximum((here - above) * (here - below), 0).mean())


def _matched(window: Window, parity: int) -> Array | None:
    """The frame's first field with the other field that fits it best, of this frame or one beside it [4]_.

    None where none fits: lines of two moments alternate more than lines of one moment do at twice the distance.
    """
    here, lines = window.frame.pixels, slice(1 - parity, None, 2)
    best, least = here, _combing(here)
    for near in (window.at - 1, window.at + 1):
        if not 0 <= near < len(window.frames):
            continue
        woven = here.copy()
        woven[lines] = window.frames[near].pixels[lines]
        combing = _combing(woven)
        if combing < least:
            best, least = woven, combing
    return best if least <= COMBED * _combing(here[parity::2]) else None


def _deinterlace(window: Window, settings: BaseModel, target: Size) -> Frame:
    """The field of the frame's own moment with its missing lines; of two frames that are one, the second field."""
    assert isinstance(settings, DeinterlaceSettings)
    frames, at = window.frames, window.at
    second = at > 0 and window.number % 2 == 1 and _same(frames[at], frames[at - 1])
    parity = (0 if settings.first == "upper" else 1) ^ int(second)
    here = window.frame.pixels
    if settings.way == "matching fields" and here.shape[0] >= LEAST_LINES:
        matched = _matched(window, parity)
        if matched is not None:
            return window.frame.with_pixels(matched)
    full = _filled_lines(here, parity)
    if settings.way == "line average" or here.shape[0] < LEAST_LINES:
        return window.frame.with_pixels(full)
    pair = at - int(second)  # first of the two frames that hold these fields
    earlier = frames[pair - 1].pixels if pair > 0 else None
    later = next((frame.pixels for frame in frames[pair + 1 :] if not _same(frame, window.frame)), None)
    # The other field's lines at the moments around this one: before, and after.
    around = (here, later) if second else (earlier, here)
    known = [lines for lines in around if lines is not None]
    if len(known) < 2:
        return window.frame.with_pixels(full)
    lines = slice(1 - parity, None, 2)
    change = np.abs(luma(known[0][lines]) - luma(known[1][lines]))
    change = cv2.dilate(change, np.ones((3, 3), np.uint8))
    still = np.clip(2 - change / STILL, 0, 1)[..., None]
    woven = 0.5 * (known[0][lines] + known[1][lines])
    full[lines] += still * (woven - full[lines])
    return window.frame.with_pixels(full)


def _even_levels(window: Window, settings: BaseModel, target: Size) -> Frame:
    """Light times a gain that brings its mean to the median of the frames around that show the same [3]_."""
    assert isinstance(settings, LevelSettings)

    def small(frame: Frame) -> Array:
        light = decode_srgb(np.clip(luma(frame.pixels), 0, 1))
        height = max(1, round(light.shape[0] * SMALL / light.shape[1]))
        return cv2.resize(light, (min(SMALL, light.shape[1]), height), interpolation=cv2.INTER_AREA)

    around = [small(frame) for frame in window.frames]
    here = around[window.at]
    means = [float(one.mean()) for one in around if one is here or _correlation(one, here) > ALIKE]
    level = float(here.mean())
    if level <= 0:
        return window.frame
    gain = np.float32(float(np.median(means)) / level)
    pixels = window.frame.pixels
    return window.frame.with_pixels(encode_srgb(decode_srgb(np.maximum(pixels, 0)) * gain))


def _correlation(one: Array, other: Array) -> float:
    if one.std() == 0 or other.std() == 0:
        return 1.0
    return float(np.corrcoef(one.ravel(), other.ravel())[0, 1])


METHODS = [
    Method(
        "fill_frames", 1, "Fill in frames", "repair",
        "Makes frames that were dropped or repeated from those around them.", "Jiang et al. 2018; Kroeger et al. 2016",
        FillSettings, Limits(max_megapixels=40, working_copies=12), _fill, no_auto, reach=lambda _: LONGEST_RUN,
    ),
    Method(
        "deinterlace", 2, "Deinterlace", "repair", "Makes whole frames of fields, each at its own moment.",
        "De Haan, Bellers 1998", DeinterlaceSettings, Limits(max_megapixels=40, working_copies=8), _deinterlace,
        no_auto, reach=lambda _: 2,
    ),
    Method(
        "even_levels", 1, "Even levels", "repair", "Takes flicker of brightness out.", "Van Roosmalen 1999",
        LevelSettings, Limits(working_copies=6), _even_levels, no_auto,
        reach=lambda settings: settings.frames // 2,  # type: ignore[attr-defined]
    ),
]  # fmt: skip
