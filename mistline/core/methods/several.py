"""Enlarge from several frames: what falls between the pixels of one frame, its neighbours have seen.

A moving picture is sampled at other places in each frame. Whatever enlarged the frames of a clip, each by itself,
this pass joins them: they are moved onto the frame and averaged, and the result is corrected until, moved and shrunk,
it gives all those frames as they were before. Where a neighbour disagrees (covered, uncovered, badly followed) it
counts for nothing. Colour difference stays as it is: it is soft, and gains nothing. Measured on moving photographs,
made twice as large by a network: +2 to +3 dB.

References
----------
.. [1] M. Irani, S. Peleg, "Improving resolution by image registration", CVGIP: Graph. Models Image Process.
       53(3), 231-239, 1991.
.. [2] S. Farsiu, M. D. Robinson, M. Elad, P. Milanfar, "Fast and robust multiframe super resolution", IEEE Trans.
       Image Process. 13(10), 1327-1344, 2004: frames weighed by how far they can be trusted; a pull to what is known.
"""

from collections.abc import Collection
from typing import Literal

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Array, Frame, Size, decode_srgb, encode_srgb, luma, to_ycbcr
from mistline.core.methods.method import Limits, Method, Window, no_auto
from mistline.core.methods.motion import flow, moved
from mistline.core.resample import resize

__all__ = ["METHODS", "SeveralSettings"]

SOFT = 0.7  # sigma of the blur before motion search, pixels: jagged edges are not motion
APART = 0.5  # pixels between the flow there and back, from where it is not trusted
PATCH = 7  # pixels a side that are compared
SURE, DOUBT = 1.0, 0.5  # times the detail of a patch that frames may differ there by sampling; how trust falls off
CALM, NOISES = 10, 2.0  # percentile of the detail of patches that is noise; how much of it frames may differ by
WIDER = 5  # pixels a side over which a flow that is not trusted spreads
FINEST = 2 / 255  # difference that is none
PULL = np.float32(0.1)  # share of a correction that is taken back towards the mean of the frames


class SeveralSettings(BaseModel):
    """Over how many frames, and how far they are made to agree."""

    model_config = ConfigDict(extra="forbid")
    frames: Literal[3, 5, 7] = Field(5, description="How many frames are joined, the frame itself among them.")
    rounds: int = Field(
        4,
        ge=0,
        le=30,
        description="Corrections by the frames as they were; 0 leaves the mean of the enlarged ones.",
    )
    light: Literal["encoded", "linear"] = Field(
        "linear", description="The light in which the input was shrunk: encoded values, or linear light."
    )


class _Neighbour:
    """A frame around: its light before it was enlarged, the motion, and how far it is trusted."""

    def __init__(self, here: Array, there: Array, light: Array, target: Size) -> None:
        """`here` and `there` are planes, (H, W, 1 or 3), luma first."""
        self.light = light
        forth = flow(here[..., 0], there[..., 0], SOFT, fine=True)
        back = flow(there[..., 0], here[..., 0], SOFT, fine=True)
        lost = np.linalg.norm(forth + moved(back, forth), axis=2)
        lost = cv2.dilate(lost, np.ones((WIDER, WIDER), np.uint8))
        trust: Array = np.exp(-np.square(lost / APART) - _beyond(here, moved(there, forth)) / DOUBT)
        scale = np.array([target.width / here.shape[1], target.height / here.shape[0]], np.float32)
        self.forth, self.back = (_stretched(way, target) * scale for way in (forth, back))
        self.trust = _stretched(trust, target)


def _beyond(here: Array, there: Array) -> Array:
    """How far patches of two frames differ beyond what sampling and noise explain, in the plane where most [2]_."""
    worst = np.zeros(here.shape[:2], np.float32)
    for index in range(here.shape[2]):
        plane = here[..., index]
        differs = cv2.blur(np.square(plane - there[..., index]), (PATCH, PATCH))
        detail = cv2.blur(np.square(plane - cv2.GaussianBlur(plane, (0, 0), 1.0)), (PATCH, PATCH))
        noise = np.float32(NOISES * np.percentile(detail, CALM) + FINEST**2)
        np.maximum(worst, differs / (detail + noise) - SURE, out=worst)
    return worst


def _stretched(plane: Array, target: Size) -> Array:
    return cv2.resize(plane, (target.width, target.height), interpolation=cv2.INTER_LINEAR)


def _missing(result: Array, light: Array) -> Array:
    """What a frame (H, W) has more or less than a result that is shrunk to it, at the result's size [1]_."""
    shrunk = resize(result[..., None], Size(light.shape[1], light.shape[0]), "area")
    return resize(light[..., None] - shrunk, Size(result.shape[1], result.shape[0]), "bicubic")[..., 0]


def _planes(frame: Frame) -> Array:
    return to_ycbcr(frame.pixels) if frame.pixels.shape[2] == 3 else frame.pixels


def _run(window: Window, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, SeveralSettings)
    frame, size = window.frame, window.frame.size
    linear, reach = settings.light == "linear", _reach(settings)
    before = window.smaller or window.frames
    near = range(max(0, window.at - reach), min(len(before), window.at + reach + 1))
    planes = {at: _planes(before[at]) for at in near}
    lights = {at: decode_srgb(some[..., 0]) if linear else some[..., 0] for at, some in planes.items()}
    around = {at: _Neighbour(planes[window.at], planes[at], lights[at], size) for at in near if at != window.at}
    total = np.ones((size.height, size.width), np.float32)
    bright = luma(frame.pixels)
    mean = bright.copy()
    for at, other in around.items():
        total += other.trust
        mean += other.trust * moved(luma(window.frames[at].pixels), other.forth)
    mean /= total
    result = mean
    if window.smaller and settings.rounds:
        light = _corrected(
            decode_srgb(mean) if linear else mean, lights[window.at], around.values(), settings.rounds
        )
        result = encode_srgb(light) if linear else light
    return frame.with_pixels(frame.pixels + (result - bright)[..., None])


def _corrected(mean: Array, light: Array, around: Collection[_Neighbour], rounds: int) -> Array:
    """A result whose shrunk places give the frame and those around it, as far as each is trusted [1]_, [2]_."""
    result = mean.copy()
    total = np.float32(1) + sum((other.trust for other in around), np.float32(0))
    for _ in range(rounds):
        wanted = _missing(result, light)
        for other in around:
            wanted += other.trust * moved(_missing(moved(result, other.back), other.light), other.forth)
        result += wanted / total
        result += PULL * (mean - result)
    return result


def _reach(settings: BaseModel) -> int:
    assert isinstance(settings, SeveralSettings)
    return settings.frames // 2


METHODS = [
    Method(
        "several_frames", 1, "Join frames", "enlarge",
        "After an enlarger: joins what it made of neighbouring frames; shows detail that falls between pixels.",
        "Irani, Peleg 1991; Farsiu et al. 2004", SeveralSettings, Limits(max_megapixels=40, working_copies=16),
        _run, no_auto, reach=_reach,
    )
]  # fmt: skip
