"""Cells of a picture and their noise by frequency: what noise beside a truth and noise of one picture are read from."""

from collections.abc import Callable, Sequence
from functools import cached_property, lru_cache
from itertools import combinations
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.fft import dctn

from mistline.core.frame import Array, Codes, luma
from mistline.core.measure.measure import NotMeasurable

__all__ = [
    "BANDS",
    "CELL",
    "STEP",
    "Cells",
    "Indices",
    "Real",
    "basis",
    "binned",
    "clipped_share",
    "coefficients",
    "correlation",
    "cut_cells",
    "densities",
    "left_by",
    "ranges",
    "spectrum",
    "total",
]

CELL, STEP = 16, 8
WRAP = 128  # pixels after which noise repeats, where a filter is thought of
CLIPPED = 0.05  # share of the luma of a cell that may come from clipped values
LOW, HIGH = 1.5 / 255, 253.5 / 255
CELLS_A_LEVEL, MOST_LEVELS = 150, 10

Real = npt.NDArray[np.float64]
Indices = npt.NDArray[np.intp]
Mask = npt.NDArray[np.bool_]
# Half-octave bins of the radial DCT index k; k / 32 is the frequency in cycles per pixel.
EDGES = 2.0 ** np.array([0.49, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0, 9.0]) - 1e-6
BANDS = {"1/32 to 1/16": (0,), "1/16 to 1/8": (1, 2), "1/8 to 1/4": (3, 4), "1/4 and finer": (5, 6, 7)}


@lru_cache(maxsize=1)
def basis() -> tuple[npt.NDArray[np.int64], Real, Real]:
    """Bin of each DCT coefficient, share of white noise left in it by taking off a plane, and that plane."""
    index = np.hypot(*np.meshgrid(np.arange(CELL), np.arange(CELL), indexing="ij"))
    y, x = np.mgrid[0:CELL, 0:CELL] - (CELL - 1) / 2
    plane = np.stack([np.ones_like(x), x, y]).reshape(3, -1)
    plane /= np.linalg.norm(plane, axis=1, keepdims=True)
    taken = (dctn(plane.reshape(3, CELL, CELL), axes=(1, 2), norm="ortho") ** 2).sum(0)
    return np.digitize(index, EDGES) - 1, 1 - taken, plane


def left_by(passed: Callable[[Real], Real]) -> dict[str, float]:
    """What a filter leaves of the sigma of white noise in each of `BANDS`, as they are read off cells.

    `passed` is its response at frequencies in cycles a pixel, the same in every direction.

    >>> {name: round(value, 3) for name, value in left_by(np.ones_like).items()}["1/16 to 1/8"]
    1.0
    """
    bins, there, plane = basis()
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(WRAP), np.fft.fftfreq(WRAP), indexing="ij"))
    rows, columns = (way.ravel() for way in np.mgrid[:CELL, :CELL])
    apart = np.subtract.outer(rows, rows), np.subtract.outer(columns, columns)

    def energy(power: Real) -> Real:
        """Of each DCT coefficient of cells without their plane, for noise of this power spectrum."""
        covariance = np.fft.ifft2(power).real[apart[0] % WRAP, apart[1] % WRAP]
        for _ in range(2):
            covariance = (covariance - plane.T @ (plane @ covariance)).T
        half = dctn(covariance.reshape(-1, CELL, CELL), axes=(1, 2), norm="ortho").reshape(CELL**2, -1).T
        found: Real = dctn(half.reshape(-1, CELL, CELL), axes=(1, 2), norm="ortho").reshape(CELL**2, -1).diagonal()
        return found.reshape(CELL, CELL)

    left = energy(np.square(passed(frequency)))
    inside = {name: np.isin(bins, every) for name, every in BANDS.items()}
    return {name: float(np.sqrt(left[part].sum() / there[part].sum())) for name, part in inside.items()}


def ranges(level: Real) -> list[Indices]:
    """Places of the levels in up to ten ranges from dark to light, as many in each."""
    return np.array_split(np.argsort(level), int(np.clip(len(level) // CELLS_A_LEVEL, 1, MOST_LEVELS)))


def cut_cells(plane: Array | Codes, rows: Indices, columns: Indices) -> Real:
    """The cells at these grid places, (n, 256), a plane taken off each."""
    views = np.lib.stride_tricks.sliding_window_view(plane, (CELL, CELL))
    cut = views[rows * STEP, columns * STEP].reshape(len(rows), -1).astype(np.float64)
    flat = basis()[2]
    return cut - (cut @ flat.T) @ flat


def _transformed(cut: Real) -> Real:
    """DCT coefficients, (n, 256), of (n, 256) values."""
    found: Real = dctn(cut.reshape(-1, CELL, CELL), axes=(1, 2), norm="ortho").reshape(len(cut), -1)
    return found


def spectrum(cut: Real) -> Real:
    """Energy of each DCT coefficient, (n, 256), of (n, 256) values."""
    return np.square(_transformed(cut))


@lru_cache(maxsize=1)
def _members() -> Real:
    """Whether a coefficient lies in a bin, 1 or 0: (256, bins)."""
    return (basis()[0].ravel()[:, None] == np.arange(len(EDGES) - 1)).astype(np.float64)


def binned(values: Real) -> Real:
    """Sum over the coefficients of each bin: (..., bins) of (..., 256)."""
    found: Real = values @ _members()
    return found


def densities(cut: Real) -> Real:
    """Density of each bin, variance a coefficient, of each of (n, 256) values that a plane was taken off: (n, bins)."""
    return binned(spectrum(cut)) / binned(basis()[1].ravel())


def correlation(colours: Sequence[Real]) -> Real:
    """Correlation of colours in each bin, mean over their pairs: (bins,) of (n, 256) values of each in the same cells.

    Every cell counts alike, however much it holds.
    """
    size = np.sqrt(sum(np.square(each).sum(axis=1, keepdims=True) for each in colours))
    found = [_transformed(each / np.maximum(size, 1e-9)) for each in colours]
    energies = [binned(np.square(each)).sum(axis=0) for each in found]
    pairs = [
        binned(found[one] * found[other]).sum(axis=0) / np.sqrt(np.maximum(energies[one] * energies[other], 1e-30))
        for one, other in combinations(range(len(found)), 2)
    ]
    mean: Real = np.mean(pairs, axis=0)
    return mean


def coefficients() -> Real:
    """Number of coefficients in each bin."""
    return binned(np.ones(CELL**2))


def total(density: Real) -> tuple[float, dict[str, float]]:
    """Variance a pixel and sigma of each band in code values; below 1/32 cycles the coarsest density holds on."""
    counts = coefficients()
    counts[0] += CELL**2 - counts.sum()
    energy = density * counts / CELL**2
    bands = {name: 255 * float(np.sqrt(energy[list(bins)].sum())) for name, bins in BANDS.items()}
    return float(energy.sum()), bands


def clipped_share(pixels: Array) -> Array:
    """Share of clipped values, by their weight in luma, in each 8 x 8 block of (H, W, C): (H // 8, W // 8)."""
    height, width = (length // STEP for length in pixels.shape[:2])
    out = luma(((pixels <= LOW) | (pixels >= HIGH)).astype(np.float32))
    share: Array = out[: height * STEP, : width * STEP].reshape(height, STEP, width, STEP).mean((1, 3))
    return share


class Cells:
    """Cells of 16 x 16 pixels, every 8 pixels, of a plane: level, variance beyond a plane, and how calm it is."""

    def __init__(self, plane: Array, clipped: Array) -> None:
        """`plane` (H, W) is measured; `clipped` (`clipped_share`) tells where it is at the ends of its range."""
        height, width = (length // STEP for length in plane.shape)
        if min(height, width) < 2:
            raise NotMeasurable(f"needs {CELL} pixels a side or more")
        self._shape = height, width
        self._moments = self._of_blocks(plane)
        self.usable: Mask = self._joined(clipped) / 4 <= CLIPPED

    def _blocked(self, values: Array) -> Array:
        height, width = self._shape
        return values[: height * STEP, : width * STEP].reshape(height, STEP, width, STEP)

    def _joined(self, values: npt.NDArray[np.floating[Any]]) -> npt.NDArray[np.floating[Any]]:
        return values[:-1, :-1] + values[1:, :-1] + values[:-1, 1:] + values[1:, 1:]

    def _of_blocks(self, plane: Array) -> tuple[Real, Real]:
        cut = self._blocked(plane - np.float32(plane.mean())).astype(np.float64)
        ramp = np.arange(STEP) - (STEP - 1) / 2
        total, square = cut.sum((1, 3)), np.square(cut).sum((1, 3))
        across, down = np.einsum("ijkl,l->ik", cut, ramp), np.einsum("ijkl,j->ik", cut, ramp)
        half, count = STEP / 2, CELL * CELL
        a, b, c, d = total[:-1, :-1], total[:-1, 1:], total[1:, :-1], total[1:, 1:]
        x = self._joined(across) + half * (b + d - a - c)
        y = self._joined(down) + half * (c + d - a - b)
        spread = CELL * float(np.square(np.arange(CELL) - (CELL - 1) / 2).sum())
        mean = (a + b + c + d) / count
        rest = self._joined(square) - count * mean**2 - (x**2 + y**2) / spread
        return mean + float(plane.mean()), np.maximum(rest, 0) / (count - 3)

    @property
    def level(self) -> Real:
        """Mean of each cell."""
        return self._moments[0]

    @property
    def variance(self) -> Real:
        """Variance of each cell beyond its plane."""
        return self._moments[1]

    @cached_property
    def unrest(self) -> Real:
        """Mean variance of the six calmest of the eight cells around; a cell does not count for itself."""
        inside = np.where(self.usable, self.variance, np.inf)
        wide = np.pad(inside, 2, constant_values=np.inf)
        height, width = inside.shape
        around = np.stack(
            [wide[2 + y : 2 + y + height, 2 + x : 2 + x + width] for y in (-2, 0, 2) for x in (-2, 0, 2) if y or x]
        )
        around.partition(5, axis=0)
        return around[:6].mean(axis=0)
