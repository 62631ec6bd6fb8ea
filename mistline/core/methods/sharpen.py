"""Sharpen: unsharp mask at edges, and two deconvolutions of a Gaussian blur; all on luma.

References
----------
.. [1] A. Polesel, G. Ramponi, V. J. Mathews, "Image enhancement via adaptive unsharp masking", IEEE Trans.
       Image Process. 9(3), 505-510, 2000: the idea of steering the amount by local activity.
.. [2] W. H. Richardson, "Bayesian-based iterative method of image restoration", J. Opt. Soc. Am. 62(1), 55-59,
       1972; L. B. Lucy, Astron. J. 79, 745-754, 1974.
.. [3] N. Wiener, "Extrapolation, interpolation, and smoothing of stationary time series", MIT Press, 1949.
"""

from collections.abc import Callable
from typing import Literal

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from scipy.fft import irfft2, rfft2

from mistline.core.frame import Array, Frame, Size, luma
from mistline.core.methods.method import Limits, Method, each, no_auto

__all__ = ["METHODS", "UnsharpSettings", "edge_mask"]

SMALLEST = np.float32(1e-4)


class UnsharpSettings(BaseModel):
    """Amount, radius, the slope at which an edge counts fully, and how much over-shoot is left."""

    model_config = ConfigDict(extra="forbid")
    amount: float = Field(0.6, ge=0, le=5, description="Share of the fine detail added again.")
    radius: float = Field(1.2, ge=0.3, le=10, description="Sigma of the blur that splits off detail, pixels.")
    edge: float = Field(4.0, ge=0, le=50, description="Slope of a full edge, code values a pixel; 0 = everywhere.")
    overshoot: float = Field(1.0, ge=0, le=1, description="Share of the rims that stays; 0 = no rims at all.")
    deliver: Literal["picture", "edge_mask"] = Field(
        "picture", description="What comes out: the picture, or the edge mask to look at."
    )


class RichardsonLucySettings(BaseModel):
    """The blur to undo and how often."""

    model_config = ConfigDict(extra="forbid")
    sigma: float = Field(0.8, ge=0.3, le=4, description="Sigma of the blur to undo, pixels.")
    rounds: int = Field(6, ge=1, le=60, description="More rounds: crisper, noisier, more rims.")


class WienerSettings(BaseModel):
    """The blur to undo and how much noise to expect."""

    model_config = ConfigDict(extra="forbid")
    sigma: float = Field(0.8, ge=0.3, le=4, description="Sigma of the blur to undo, pixels.")
    noise: float = Field(0.02, ge=0.0001, le=1, description="Noise against signal; more is gentler.")


def edge_mask(brightness: Array, edge: float) -> Array:
    """Weight 0..1 of each pixel of (H, W) luma: 0 in flat areas, 1 where the slope reaches `edge`.

    The slope is that of the luma blurred with sigma 1, in 8-bit code values a pixel; the weight rises as
    3 t^2 - 2 t^3.
    """
    if edge == 0:
        return np.ones_like(brightness)
    soft = cv2.GaussianBlur(brightness, (0, 0), 1.0)
    dx, dy = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=1 / 8)
    t = np.clip(cv2.magnitude(dx, dy) * np.float32(255 / edge), 0, 1)
    weight: Array = t * t * (3 - 2 * t)
    return weight


def _on_luma(frame: Frame, sharpen: Callable[[Array], Array]) -> Frame:
    brightness = luma(frame.pixels)
    return frame.with_pixels(frame.pixels + (sharpen(brightness) - brightness)[..., None])


@each
def _unsharp(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, UnsharpSettings)
    if settings.deliver == "edge_mask":
        mask = edge_mask(luma(frame.pixels), settings.edge)[..., None]
        return frame.with_pixels(mask.repeat(frame.pixels.shape[2], axis=2))

    def sharpen(y: Array) -> Array:
        detail = y - cv2.GaussianBlur(y, (0, 0), settings.radius)
        sharp = y + np.float32(settings.amount) * edge_mask(y, settings.edge) * detail
        if settings.overshoot == 1:
            return sharp
        around = np.ones((3, 3), np.uint8)
        held = np.clip(sharp, cv2.erode(y, around), cv2.dilate(y, around))
        return held + np.float32(settings.overshoot) * (sharp - held)

    return _on_luma(frame, sharpen)


@each
def _richardson_lucy(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    """Multiply by the blurred ratio of observed to re-blurred, again and again [2]_."""
    assert isinstance(settings, RichardsonLucySettings)

    def blur(values: Array) -> Array:
        return cv2.GaussianBlur(values, (0, 0), settings.sigma, borderType=cv2.BORDER_REFLECT)

    def sharpen(y: Array) -> Array:
        observed = np.maximum(y, SMALLEST)
        estimate = observed
        for _ in range(settings.rounds):
            estimate = estimate * blur(observed / np.maximum(blur(estimate), SMALLEST))
        return estimate

    return _on_luma(frame, sharpen)


@each
def _wiener(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    """Divide by the Gaussian's transfer exp(-2 pi^2 sigma^2 f^2), held back where it is weak [3]_."""
    assert isinstance(settings, WienerSettings)
    margin = 32

    def sharpen(y: Array) -> Array:
        padded = np.pad(y, margin, mode="reflect") if min(y.shape) > margin else np.pad(y, margin, mode="edge")
        fy = np.fft.fftfreq(padded.shape[0])[:, None]
        fx = np.fft.rfftfreq(padded.shape[1])[None]
        transfer = np.exp(-2 * np.pi**2 * settings.sigma**2 * (fx**2 + fy**2)).astype(np.float32)
        gain = transfer * (1 + settings.noise) / (transfer**2 + settings.noise)
        restored = irfft2(rfft2(padded, workers=2) * gain.astype(np.float32), padded.shape, workers=2)
        return restored[margin:-margin, margin:-margin].astype(np.float32)

    return _on_luma(frame, sharpen)


METHODS = [
    Method(
        "unsharp_mask", 1, "Unsharp mask", "sharpen", "Adds fine detail again, at edges only.",
        "Polesel, Ramponi, Mathews 2000", UnsharpSettings, Limits(working_copies=5), _unsharp, no_auto,
    ),
    Method(
        "richardson_lucy", 1, "Richardson-Lucy", "sharpen", "Undoes a known blur step by step; raises noise.",
        "Richardson 1972; Lucy 1974", RichardsonLucySettings, Limits(working_copies=5), _richardson_lucy, no_auto,
    ),
    Method(
        "wiener", 1, "Wiener deconvolution", "sharpen", "Undoes a known blur at once, gently where noise rules.",
        "Wiener 1949", WienerSettings, Limits(max_megapixels=100, working_copies=8), _wiener, no_auto,
    ),
]  # fmt: skip
