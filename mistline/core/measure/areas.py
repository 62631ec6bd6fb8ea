"""Which parts of a picture are flat: what noise, blotches and banding are measured on."""

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array

__all__ = ["blocks", "flat_blocks"]

SOFT = 3.0
FLAT_SHARE = 0.25
DARKEST, BRIGHTEST = 2 / 255, 253 / 255


def blocks(values: Array, side: int) -> Array:
    """Cut (H, W) into rows of (count, side * side); incomplete blocks at the right and bottom do not count.

    A picture smaller than one block is one block.
    """
    rows, columns = values.shape[0] // side, values.shape[1] // side
    if rows * columns == 0:
        return values.reshape(1, -1)
    cut = values[: rows * side, : columns * side].reshape(rows, side, columns, side)
    return cut.transpose(0, 2, 1, 3).reshape(rows * columns, -1)


def flat_blocks(brightness: Array, side: int) -> npt.NDArray[np.bool_]:
    """True for the quarter of the blocks of (H, W) luma whose blurred slope is smallest.

    Blocks at the end of the range (below 2 or above 253 code values of 8 bits) never count.
    """
    soft = cv2.GaussianBlur(brightness, (0, 0), SOFT)
    slope = cv2.magnitude(cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1))
    level, steepness = blocks(soft, side).mean(axis=1), blocks(slope, side).mean(axis=1)
    usable = (level > DARKEST) & (level < BRIGHTEST)
    if not usable.any():
        return usable
    flat: npt.NDArray[np.bool_] = usable & (steepness <= np.quantile(steepness[usable], FLAT_SHARE))
    return flat
