"""Sharpen: unsharp mask, restricted to edges so that flat areas keep their noise as it is.

References
----------
.. [1] A. Polesel, G. Ramponi, V. J. Mathews, "Image enhancement via adaptive unsharp masking", IEEE Trans.
       Image Process. 9(3), 505-510, 2000: the idea of steering the amount by local activity.
"""

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Array, Frame, Size, luma
from mistline.core.methods.method import Limits, Method, Traits

__all__ = ["METHODS", "UnsharpSettings", "edge_mask"]


class UnsharpSettings(BaseModel):
    """Amount, radius and the slope at which an edge counts fully."""

    model_config = ConfigDict(extra="forbid")
    amount: float = Field(0.6, ge=0, le=5, description="Share of the fine detail added again.")
    radius: float = Field(1.2, ge=0.3, le=10, description="Sigma of the blur that splits off detail, pixels.")
    edge: float = Field(4.0, ge=0, le=50, description="Slope of a full edge, code values a pixel; 0 = everywhere.")


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


def _run(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, UnsharpSettings)
    brightness = luma(frame.pixels)
    detail = brightness - cv2.GaussianBlur(brightness, (0, 0), settings.radius)
    added = np.float32(settings.amount) * edge_mask(brightness, settings.edge) * detail
    return frame.with_pixels(frame.pixels + added[..., None])


def _auto(traits: Traits) -> dict[str, float]:
    return {}


METHODS = [
    Method(
        id="unsharp_mask", version=1, name="Unsharp mask", family="sharpen",
        summary="Adds fine detail again, at edges only.", reference="Polesel, Ramponi, Mathews 2000",
        settings=UnsharpSettings, limits=Limits(working_copies=5), run=_run, auto=_auto,
    )
]  # fmt: skip
