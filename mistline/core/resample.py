"""Enlarge or shrink by a separable kernel: nearest, bilinear, bicubic, Lanczos and area.

Pixel-centre convention: the outer edges of the picture stay where they are, so output sample i stands at
input position (i + 0.5) * n_in / n_out - 0.5 and nothing is shifted. At the edges the kernel is cut off
and renormalised. Values are not clipped: over-shoots reach the next pass.

References
----------
.. [1] R. G. Keys, "Cubic convolution interpolation for digital image processing", IEEE Trans. Acoust.,
       Speech, Signal Process. 29(6), 1153-1160, 1981.
.. [2] C. E. Duchon, "Lanczos filtering in one and two dimensions", J. Appl. Meteorol. 18, 1016-1022, 1979.
.. [3] D. P. Mitchell, A. N. Netravali, "Reconstruction filters in computer graphics", SIGGRAPH 1988, 221-228.
"""

from collections.abc import Callable
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import sparse

from mistline.core.frame import Array, Size
from mistline.core.threads import on_threads

__all__ = ["KERNELS", "resize"]

Real = npt.NDArray[np.float64]
STRIP_ROWS = 128


def _box(x: Real) -> Real:
    return np.where((x >= -0.5) & (x < 0.5), 1.0, 0.0)


def _triangle(x: Real) -> Real:
    return np.maximum(1 - np.abs(x), 0)


def _cubic(b: float, c: float) -> Callable[[Real], Real]:
    """The two-parameter family of [3]_; b = 0 gives Keys' kernel [1]_ with a = -c."""

    def kernel(x: Real) -> Real:
        x = np.abs(x)
        inner = ((12 - 9 * b - 6 * c) * x + (-18 + 12 * b + 6 * c)) * x * x + (6 - 2 * b)
        outer = (((-b - 6 * c) * x + (6 * b + 30 * c)) * x + (-12 * b - 48 * c)) * x + (8 * b + 24 * c)
        return np.where(x < 1, inner, np.where(x < 2, outer, 0.0)) / 6

    return kernel


def _lanczos(lobes: int) -> Callable[[Real], Real]:
    return lambda x: np.where(np.abs(x) < lobes, np.sinc(x) * np.sinc(x / lobes), 0.0)


KERNELS: dict[str, tuple[Callable[[Real], Real], float]] = {
    "nearest": (_box, 0.5),
    "bilinear": (_triangle, 1.0),
    "bicubic": (_cubic(0, 0.5), 2.0),
    "bicubic_sharp": (_cubic(0, 0.75), 2.0),
    "mitchell": (_cubic(1 / 3, 1 / 3), 2.0),
    "lanczos2": (_lanczos(2), 2.0),
    "lanczos3": (_lanczos(3), 3.0),
    "lanczos4": (_lanczos(4), 4.0),
    "area": (_box, 0.5),
}


@lru_cache(maxsize=32)
def _weights(before: int, after: int, kernel: str, antialias: bool) -> sparse.csr_array:
    """The (after, before) matrix that resamples one axis."""
    scale = before / after
    centre = (np.arange(after) + 0.5) * scale - 0.5
    if kernel == "nearest":
        # Where two pixels are as near, they are taken in turn: always the same side would move the picture.
        twice = (2 * np.arange(after) + 1) * before
        tie = twice % (2 * after) == 0
        nearest = twice // (2 * after) - (tie & (np.cumsum(tie) % 2 == 1))
        taps = np.clip(nearest, 0, before - 1)[:, None]
        weights = np.ones((after, 1))
    elif kernel == "area":
        first = np.floor(np.arange(after) * scale).astype(int)
        taps = first[:, None] + np.arange(int(np.ceil(scale)) + 1)[None]
        low, high = (np.arange(after) * scale)[:, None], (np.arange(1, after + 1) * scale)[:, None]
        weights = np.clip(np.minimum(taps + 1, high) - np.maximum(taps, low), 0, None)
    else:
        shape, support = KERNELS[kernel]
        stretch = max(scale, 1.0) if antialias else 1.0
        reach = support * stretch
        first = np.floor(centre - reach).astype(int)
        taps = first[:, None] + np.arange(int(2 * np.ceil(reach)) + 2)[None]
        weights = shape((taps - centre[:, None]) / stretch)
    weights = np.where((taps >= 0) & (taps < before), weights, 0.0)
    weights /= weights.sum(axis=1, keepdims=True)
    rows = np.repeat(np.arange(after), taps.shape[1])
    keep = weights.ravel() != 0
    entries = (weights.ravel()[keep], (rows[keep], np.clip(taps, 0, before - 1).ravel()[keep]))
    return sparse.csr_array(entries, shape=(after, before), dtype=np.float32)


def resize(pixels: Array, size: Size, kernel: str, *, antialias: bool = True) -> Array:
    """Resample to another size.

    Parameters
    ----------
    pixels : (H, W, C) float32
    size : Size
        The size wanted.
    kernel : str
        A key of `KERNELS`: "nearest", "bilinear", "bicubic" (Keys, a = -0.5 [1]_), "bicubic_sharp" (a = -0.75),
        "mitchell" (b = c = 1/3 [3]_), "lanczos2" to "lanczos4" [2]_, or "area" (the mean over each output
        pixel's footprint).
    antialias : bool
        When shrinking, stretch the kernel by the ratio. "nearest" and "area" do not look at it.

    Returns
    -------
    (size.height, size.width, C) float32, not clipped

    >>> resize(np.float32([[[0], [1]]]), Size(4, 1), "bilinear")[0, :, 0].tolist()
    [0.0, 0.25, 0.75, 1.0]
    """
    height, width, channels = pixels.shape
    down = _weights(height, size.height, kernel, antialias)
    across = _weights(width, size.width, kernel, antialias)
    result = np.empty((size.height, size.width, channels), np.float32)
    lines = pixels.reshape(height, width * channels)

    def strip(start: int) -> None:
        stop = min(start + STRIP_ROWS, size.height)
        part = down[start:stop]
        low, high = int(part.indices.min()), int(part.indices.max()) + 1
        tall = (part[:, low:high] @ lines[low:high]).reshape(stop - start, width, channels)
        wide = across @ tall.transpose(1, 0, 2).reshape(width, -1)
        result[start:stop] = wide.reshape(size.width, stop - start, channels).transpose(1, 0, 2)

    on_threads(strip, range(0, size.height, STRIP_ROWS), max(height * width, size.pixels))
    return result
