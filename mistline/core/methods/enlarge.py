"""Enlarge: kernels, over-size then down, back-projection, and smoothing along edges.

References
----------
.. [1] M. Irani, S. Peleg, "Improving resolution by image registration", CVGIP: Graph. Models Image Process.
       53(3), 231-239, 1991: iterative back-projection.
.. [2] J. Weickert, "Coherence-enhancing diffusion filtering", Int. J. Comput. Vis. 31, 111-127, 1999: the
       structure tensor's coherence decides how far to smooth along an edge.
"""

from collections.abc import Callable
from typing import Literal

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Array, Frame, Size, decode_srgb, encode_srgb, luma
from mistline.core.methods.method import Limits, Method, each, no_auto
from mistline.core.resample import resize

__all__ = ["METHODS"]

Light = Literal["encoded", "linear"]
Curve = Literal["bicubic", "bicubic_sharp", "mitchell", "lanczos2", "lanczos3", "lanczos4"]


class _Settings(BaseModel):
    model_config = ConfigDict(extra="forbid")


class PlainSettings(_Settings):
    """What every plain kernel can be told."""

    light: Light = Field("encoded", description="What is averaged: encoded values, or linear light.")


class BicubicSettings(PlainSettings):
    """Which cubic."""

    kernel: Literal["bicubic", "bicubic_sharp", "mitchell"] = Field(
        "bicubic", description="Keys a = -0.5, the sharper a = -0.75, or Mitchell-Netravali."
    )


class LanczosSettings(PlainSettings):
    """How many lobes."""

    lobes: Literal[2, 3, 4] = Field(3, description="More lobes: crisper, wider rims.")


class OversizeSettings(_Settings):
    """First beyond the target, then down to it."""

    kernel: Curve = Field("lanczos3", description="Kernel of the first step.")
    over: int = Field(2, ge=2, le=4, description="How many times the target's size each way.")
    down: Literal["area", "lanczos3"] = Field("area", description="Kernel of the way down.")


class BackProjectionSettings(_Settings):
    """How often the result is made to agree with the input, and in which light it was shrunk."""

    light: Light = Field(
        "linear", description="The light in which the input was shrunk: encoded values, or linear light."
    )

    kernel: Curve = Field("bicubic", description="Kernel of the first enlargement and of each correction.")
    rounds: int = Field(8, ge=1, le=50, description="Corrections.")
    strength: float = Field(1.0, gt=0, le=1.5, description="Share of the difference put back each time.")


class AlongEdgesSettings(_Settings):
    """How far to smooth along edges."""

    reach: float = Field(2.0, ge=0.5, le=8, description="Sigma of the smoothing along an edge, result pixels.")


def in_light(pixels: Array, light: Light, step: Callable[[Array], Array]) -> Array:
    """Run a step on encoded values or in linear light."""
    return step(pixels) if light == "encoded" else encode_srgb(step(decode_srgb(pixels)))


def _kernel(frame: Frame, settings: BaseModel, target: Size, kernel: str) -> Frame:
    assert isinstance(settings, PlainSettings)
    return frame.with_pixels(in_light(frame.pixels, settings.light, lambda pixels: resize(pixels, target, kernel)))


@each
def _bicubic(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, BicubicSettings)
    return _kernel(frame, settings, target, settings.kernel)


@each
def _lanczos(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, LanczosSettings)
    return _kernel(frame, settings, target, f"lanczos{settings.lobes}")


@each
def _oversize(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, OversizeSettings)
    larger = Size(target.width * settings.over, target.height * settings.over)
    return frame.with_pixels(resize(resize(frame.pixels, larger, settings.kernel), target, settings.down))


@each
def _back_projection(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    """Shrink the result by area, enlarge what the input has more or less, add it; again [1]_."""
    assert isinstance(settings, BackProjectionSettings)

    def correct(given: Array) -> Array:
        result = resize(given, target, settings.kernel)
        for _ in range(settings.rounds):
            missing = given - resize(result, frame.size, "area")
            result += np.float32(settings.strength) * resize(missing, target, settings.kernel)
        return result

    return frame.with_pixels(in_light(frame.pixels, settings.light, correct))


@each
def _along_edges(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    """Bicubic, then a blur along the edge direction wherever the structure tensor finds one [2]_."""
    assert isinstance(settings, AlongEdgesSettings)
    large = resize(frame.pixels, target, "bicubic")
    brightness, spread = luma(large), 0.75 * target.width / frame.size.width
    soft = cv2.GaussianBlur(brightness, (0, 0), spread)
    dx, dy = cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1)
    xx, yy, xy = (cv2.GaussianBlur(product, (0, 0), spread) for product in (dx * dx, dy * dy, dx * dy))
    angle = 0.5 * np.arctan2(2 * xy, xx - yy)  # across the edge
    coherence = np.sqrt((xx - yy) ** 2 + 4 * xy**2) / (xx + yy + np.float32(1e-5))
    step_x, step_y = -np.sin(angle), np.cos(angle)
    rows, columns = np.mgrid[0 : target.height, 0 : target.width].astype(np.float32)
    total, weight = large.copy(), 1.0
    for offset in (-2.0, -1.0, 1.0, 2.0):
        share = float(np.exp(-0.5 * offset**2 / 1.0))
        away = np.float32(offset * settings.reach)
        moved = cv2.remap(
            large, columns + away * step_x, rows + away * step_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        total += np.float32(share) * moved.reshape(large.shape)
        weight += share
    mix = (coherence**2)[..., None]
    return frame.with_pixels(large + mix * (total / np.float32(weight) - large))


def _plain(kernel: str, name: str, summary: str, version: int = 1) -> Method:
    return Method(
        id=kernel,
        version=version,
        name=name,
        family="enlarge",
        summary=summary,
        reference="Common practice",
        settings=PlainSettings,
        limits=Limits(),
        run=each(lambda frame, settings, target: _kernel(frame, settings, target, kernel)),
        auto=no_auto,
        resizes=True,
    )


METHODS = [
    _plain("nearest", "Nearest neighbour", "Repeats pixels; shows the input as it is.", version=2),
    _plain("bilinear", "Bilinear", "Straight lines between pixels; soft, no rims."),
    _plain("area", "Area", "The mean under each result pixel; sharp squares when enlarging by whole factors."),
    Method(
        "bicubic",
        1,
        "Bicubic",
        "enlarge",
        "Cubic curves between pixels; a little crisper, slight rims.",
        "Keys 1981; Mitchell, Netravali 1988",
        BicubicSettings,
        Limits(),
        _bicubic,
        no_auto,
        resizes=True,
    ),
    Method(
        "lanczos",
        1,
        "Lanczos",
        "enlarge",
        "Windowed sinc; crisp, with rims.",
        "Duchon 1979",
        LanczosSettings,
        Limits(),
        _lanczos,
        no_auto,
        resizes=True,
    ),
    Method(
        "oversize",
        1,
        "Over-size, then down",
        "enlarge",
        "One pass by a plain kernel, beyond the target and down to it; a whole recipe can be made over-size too.",
        "Common practice",
        OversizeSettings,
        Limits(max_megapixels=50, working_copies=20),
        _oversize,
        no_auto,
        resizes=True,
    ),
    Method(
        "back_projection",
        2,
        "Back-projection",
        "enlarge",
        "Corrects the result until it shrinks back to the input; crisp and true to it, may ring.",
        "Irani, Peleg 1991",
        BackProjectionSettings,
        Limits(working_copies=5),
        _back_projection,
        no_auto,
        resizes=True,
    ),
    Method(
        "along_edges",
        1,
        "Smooth along edges",
        "enlarge",
        "Bicubic with fewer stair steps on diagonal edges.",
        "Weickert 1999",
        AlongEdgesSettings,
        Limits(working_copies=9),
        _along_edges,
        no_auto,
        resizes=True,
    ),
]
