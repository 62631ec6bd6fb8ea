"""Parts of a picture that measures share: blocks, flat blocks, and the picture at half the size."""

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array

__all__ = ["blocks", "flat_blocks", "halved"]

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


def halved(values: Array) -> Array:
    """(H, W) at half the size by the mean of 2 x 2 pixels; an odd last row or column is left out."""
    height, width = values.shape[0] // 2, values.shape[1] // 2
    half: Array = cv2.resize(values[: 2 * height, : 2 * width], (width, height), interpolation=cv2.INTER_AREA)
    return half


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
