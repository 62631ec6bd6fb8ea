"""Parts of a picture that measures share: blocks, flat blocks, and the picture at half the size."""

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array

__all__ = ["blocks", "explained", "flat_blocks", "flat_share", "halved", "without_texture"]

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


def explained(wanted: npt.NDArray[np.float64], parts: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """What of (n, m) values parts of a reference, (k, n, m), explain, each with a gain of its own; least squares."""
    sides = parts.reshape(len(parts), -1)
    gains = np.linalg.lstsq(sides @ sides.T, sides @ wanted.ravel(), rcond=1e-9)[0]
    found: npt.NDArray[np.float64] = np.tensordot(gains, parts, 1)
    return found


def without_texture(energy: Array, texture: Array) -> Array:
    """What each column of (n, k) energies would be where the truth's own variance (n,) is 0: a line fitted to both.

    Texture that went wrong grows with the texture; noise and blotches do not.
    """
    weight = 1 / (texture + np.median(texture) + 1e-12)
    sides = np.stack([weight, weight * texture], 1)
    found: Array = np.linalg.lstsq(sides, weight[:, None] * energy, rcond=None)[0][0]
    return np.maximum(found, 0)


def flat_share(brightness: Array, *, screen: bool) -> float:
    """Share of the 8 x 8 blocks of (H, W) luma that hold one value only.

    Bars at the edges (whole rows or columns of blocks of one value) do not count, nor do blocks at the ends of the
    range, which a bright sky or a dark corner fills as well - unless the picture is as crisp as a screen.
    """
    height, width = (max(1, length // 8) for length in brightness.shape)
    cut = blocks(brightness, 8)
    height, width = (height, width) if len(cut) == height * width else (1, 1)
    low, high = (values.reshape(height, width) for values in (cut.min(axis=1), cut.max(axis=1)))
    flat = low == high
    for _ in range(4):
        while flat.shape[0] > 1 and flat[0].all() and np.ptp(low[0]) == 0:
            flat, low, high = flat[1:], low[1:], high[1:]
        flat, low, high = (np.rot90(values) for values in (flat, low, high))
    counts = np.ones(flat.shape, bool) if screen else (high > DARKEST) & (low < BRIGHTEST)
    return float(flat[counts].mean()) if counts.any() else 0.0
