"""Put grain back, so that a cleaned picture matches its neighbours again.

References
----------
.. [1] A. Newson, J. Delon, B. Galerne, "A stochastic film grain model for resolution-independent rendering",
       Comput. Graph. Forum 36(8), 684-699, 2017: grain is strongest in the middle tones; the parabola used
       here is the variance of their coverage model, 4 u (1 - u).
"""

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Frame, Size, from_ycbcr, luma
from mistline.core.methods.method import Limits, Method, Window, no_auto

__all__ = ["METHODS", "GrainSettings"]


class GrainSettings(BaseModel):
    """Amount, size, colour share and seed; the same seed gives the same grain, another one on each frame."""

    model_config = ConfigDict(extra="forbid")
    amount: float = Field(3.0, ge=0, le=40, description="Sigma in the middle tones, 8-bit code values.")
    size: float = Field(0.7, ge=0, le=4, description="Sigma of a grain, pixels; 0 = single pixels.")
    colour: float = Field(0.2, ge=0, le=1, description="Colour grain against luma grain.")
    seed: int = Field(1, ge=0, le=2**31 - 1, description="Another seed, another pattern.")


def _run(window: Window, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, GrainSettings)
    frame = window.frame
    rng = np.random.default_rng([settings.seed, window.number])
    height, width, channels = frame.pixels.shape
    grain = rng.standard_normal((height, width, channels), np.float32)
    if settings.size > 0:
        grain = cv2.GaussianBlur(grain, (0, 0), settings.size).reshape(grain.shape)
    grain /= grain.std(axis=(0, 1), keepdims=True)
    if channels == 3:
        grain = from_ycbcr(grain * np.array([1, settings.colour, settings.colour], np.float32))
    level = np.clip(luma(frame.pixels), 0, 1)
    strength = np.float32(settings.amount / 255) * np.sqrt(4 * level * (1 - level))
    return frame.with_pixels(frame.pixels + strength[..., None] * grain)


METHODS = [
    Method(
        "grain", 2, "Put grain back", "compose", "Adds film-like grain, strongest in the middle tones.",
        "Newson, Delon, Galerne 2017", GrainSettings, Limits(working_copies=5), _run, no_auto,
    )
]  # fmt: skip
