"""Fit a picture into a frame of another shape.

References
----------
Common practice in delivery: fit inside with bars, fill and crop, or pixel for pixel from the centre.
"""

from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Array, Frame, Size
from mistline.core.methods.method import Limits, Method, each, no_auto
from mistline.core.resample import resize

__all__ = ["METHODS", "FitSettings"]

Rule = Literal["inside", "fill", "centre"]


class FitSettings(BaseModel):
    """The rule, and the kernel that resizes."""

    model_config = ConfigDict(extra="forbid")
    rule: Rule = Field("inside", description="All of it with bars, filled and cropped, or 1:1 from the centre.")
    kernel: Literal["bicubic", "mitchell", "lanczos3"] = Field("lanczos3", description="Kernel of the resizing.")


def scaled(size: Size, target: Size, rule: Rule) -> Size:
    """The size a picture has before it is laid on the middle of the target.

    >>> str(scaled(Size(400, 300), Size(1600, 900), "inside"))
    '1200 x 900'
    >>> str(scaled(Size(400, 300), Size(1600, 900), "fill"))
    '1600 x 1200'
    """
    if rule == "centre":
        return size
    ratios = target.width / size.width, target.height / size.height
    scale = min(ratios) if rule == "inside" else max(ratios)
    return Size(max(1, round(size.width * scale)), max(1, round(size.height * scale)))


def _middle(length: int, wanted: int) -> tuple[slice, slice]:
    """Where the kept part lies in the picture, and where it goes in the frame, along one axis."""
    kept = min(length, wanted)
    return (
        slice((length - kept) // 2, (length - kept) // 2 + kept),
        slice((wanted - kept) // 2, (wanted - kept) // 2 + kept),
    )


@each
def _run(frame: Frame, settings: BaseModel, target: Size) -> Frame:
    assert isinstance(settings, FitSettings)
    size = scaled(frame.size, target, settings.rule)
    pixels: Array = frame.pixels if size == frame.size else resize(frame.pixels, size, settings.kernel)
    rows, rows_to = _middle(size.height, target.height)
    columns, columns_to = _middle(size.width, target.width)
    out = np.zeros((target.height, target.width, pixels.shape[2]), np.float32)
    out[rows_to, columns_to] = pixels[rows, columns]
    return frame.with_pixels(out)


METHODS = [
    Method(
        "fit", 1, "Fit to the frame", "compose", "For a target of another shape: with bars, cropped, or 1:1.",
        "Common practice", FitSettings, Limits(), _run, no_auto, resizes=True,
    )
]  # fmt: skip
