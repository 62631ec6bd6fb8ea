"""Noise of one picture by frequency band and by brightness, from its calmest cells; texture is not noise.

References
----------
.. [1] X. Liu, M. Tanaka, M. Okutomi, "Single-image noise level estimation for blind denoising", IEEE Trans.
       Image Process. 22(12), 5226-5237, 2013: noise is read where the texture is weakest.
.. [2] S. Pyatykh, J. Hesser, L. Zheng, "Image noise level estimation by principal component analysis", IEEE
       Trans. Image Process. 22(2), 687-699, 2013: cells are kept only as far as they look like noise.
.. [3] A. Foi, M. Trimeche, V. Katkovnik, K. Egiazarian, "Practical Poissonian-Gaussian noise modeling and
       fitting for single-image raw-data", IEEE Trans. Image Process. 17(10), 1737-1754, 2008: noise against level.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.fft import dctn
from scipy.special import chdtri

from mistline.core.frame import Array, luma
from mistline.core.measure.measure import NotMeasurable

__all__ = [
    "BANDS",
    "Cells",
    "Noise",
    "Real",
    "Texture",
    "clipped_share",
    "cut_cells",
    "densities",
    "left_by",
    "ranges",
    "read_noise",
    "total",
]

CELL, STEP = 16, 8
WRAP = 128  # pixels after which noise repeats, where a filter is thought of
CLIPPED = 0.05  # share of the luma of a cell that may come from clipped values
LOW, HIGH = 1.5 / 255, 253.5 / 255
SHARES = (0.3, 0.15, 0.08, 0.04, 0.02)  # of the cells, the calmest
MOST = 4000  # cells
SETTLED = 0.93
FAINT = 0.3  # code values: below that it does not matter what it is
FEWEST = 32
CELLS_A_LEVEL, MOST_LEVELS = 150, 10
FEW, CALM = 16, 0.04  # of a range of brightness are enough to scale a known spectrum
# What Gaussian noise of any spectrum passes, with its scatter at 32 cells.
WIDEST, LINKED, ONE_WAY = 1.4, 0.27, 1.6
# How lopsided noise may seem: in many cells, by chance more in few (over the root of their number), and where peaked.
LOPSIDED, LOPSIDED_BY_CHANCE, LOPSIDED_PEAKS = 0.1, 0.6, 0.8
ALIKE = 0.9  # fewer cells whose sigma is more than that share are of the same kind
LOPSIDED_SPECKS = "lopsided specks"
ROUNDING = 0.45 / 255
RISE_SLACK = 0.16  # of the logarithm of a bin's energy against the next finer one
PEAKED = 3.4  # fourth moment; noise of a camera is both peaked and lopsided, in the dark
STEADY = 0.12  # deviation of the logarithm of sigma over brightness
EVEN = 1.25  # a range of brightness whose bins differ more, sigma from sigma, holds texture
LEAST = 1e-3  # of the sigma of the calmest cells together: parts may have no noise at all
LOWER = 0.3  # of the coefficients: texture adds energy to the others
# The logarithm of sigma changes by no more than that for a brightness of 1, and by chance.
STEEPEST, SLACK = 1.3, 0.1

ROUNDED, REPEATED = 2.0, 0.3  # code values that neighbours differ by; share of equal ones from 1.5x on
Real = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]

# Half-octave bins of the radial DCT index k; k / 32 is the frequency in cycles per pixel.
EDGES = 2.0 ** np.array([0.49, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0, 9.0]) - 1e-6
BANDS = {"1/32 to 1/16": (0,), "1/16 to 1/8": (1, 2), "1/8 to 1/4": (3, 4), "1/4 and finer": (5, 6, 7)}


class Texture(NotMeasurable):
    """The calmest parts are texture.

    In code values, `least` is the white noise that the finest scale shows, `most` what the calmest cells of each
    brightness hold altogether.
    """

    def __init__(self, why: str, least: float, most: float) -> None:
        super().__init__(why)
        self.least, self.most = least, most


@dataclass(frozen=True)
class Noise:
    """Noise of one plane in 8-bit code values.

    Attributes
    ----------
    sigma : float
        Root mean square over the picture, brightness by brightness.
    bands : dict
        Sigma in each octave of `BANDS` (cycles per pixel); their squares add up to sigma squared.
    curve : tuple of (level 0..1, sigma)
        Sigma at the brightnesses where it could be read, in rising order.
    """

    sigma: float
    bands: dict[str, float]
    curve: tuple[tuple[float, float], ...]

    def at(self, level: Real) -> Real:
        """Sigma at each brightness 0..1, between the points of the curve and held beyond them."""
        where, sigma = zip(*self.curve, strict=True)
        found: Real = np.interp(level, where, sigma)
        return found


@lru_cache(maxsize=1)
def _basis() -> tuple[npt.NDArray[np.int64], Real, Real]:
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
    bins, there, plane = _basis()
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


def ranges(level: Real) -> list[npt.NDArray[np.intp]]:
    """Places of the levels in up to ten ranges from dark to light, as many in each."""
    return np.array_split(np.argsort(level), int(np.clip(len(level) // CELLS_A_LEVEL, 1, MOST_LEVELS)))


def cut_cells(plane: Array, rows: npt.NDArray[np.intp], columns: npt.NDArray[np.intp]) -> Real:
    """The cells at these grid places, (n, 256), a plane taken off each."""
    views = np.lib.stride_tricks.sliding_window_view(plane, (CELL, CELL))
    cut = views[rows * STEP, columns * STEP].reshape(len(rows), -1).astype(np.float64)
    flat = _basis()[2]
    return cut - (cut @ flat.T) @ flat


def _spectrum(cut: Real) -> Real:
    """Energy of each DCT coefficient, (n, 16, 16), of (n, 256) values."""
    energy: Real = dctn(cut.reshape(-1, CELL, CELL), axes=(1, 2), norm="ortho") ** 2
    return energy


def densities(cut: Real) -> Real:
    """Density of each bin, variance a coefficient, of each of (n, 256) values that a plane was taken off: (n, bins)."""
    which, share, _ = _basis()
    energy = _spectrum(cut)
    return np.stack(
        [energy[:, which == bin].sum(1) / share[which == bin].sum() for bin in range(len(EDGES) - 1)], 1
    )


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


@dataclass(frozen=True)
class _Reading:
    """Density of each bin (variance a coefficient, 0..1 squared), and what speaks against noise.

    `finest` is sigma, in code values, of white noise as strong as the two finest bins, where these scatter as noise
    does; else 0.
    """

    density: Real
    heavy: npt.NDArray[np.intp]
    level: float
    doubt: str
    finest: float


def _read(cut: Real, level: float) -> _Reading:
    """Density by the median over cells, and the tests: chi-square spread, bands that vary together, rise, direction."""
    which, share, _ = _basis()
    energy, count = _spectrum(cut), len(EDGES) - 1
    density, width, sums = np.zeros(count), np.ones(count), np.zeros((len(energy), count))
    for number in range(count):
        inside = which == number
        sums[:, number] = energy[:, inside].sum(1)
        mean = energy[:, inside].mean(0)
        freedom = max(1.0, mean.sum() ** 2 / max(float((mean**2).sum()), 1e-30))
        first, middle, third = chdtri(freedom, [0.75, 0.5, 0.25])  # quartiles of chi-square
        density[number] = np.median(sums[:, number]) / (middle / freedom) / share[inside].sum()
        low, high = np.maximum(np.quantile(sums[:, number], [0.25, 0.75]), 1e-30)
        width[number] = np.log(high / low) / np.log(third / first)
    weight = density * np.bincount(which[which >= 0], minlength=count)
    weight /= max(float(weight.sum()), 1e-30)
    heavy = np.flatnonzero(weight > 0.02)
    coarse = heavy[heavy <= 4]
    doubt = ""
    if len(heavy) > 1:
        ranks = _ranks(sums[:, heavy]) + 1e-6 * np.arange(len(sums))[:, None]  # equal energies stay so
        linked = np.asarray(np.corrcoef(ranks.T))[np.triu_indices(len(heavy), 1)].mean()
        doubt = "bands that vary together" if linked > LINKED else ""
    if len(coarse) and np.average(width[coarse], weights=weight[coarse]) > WIDEST:
        doubt = "energy that varies from cell to cell"
    scaled = cut / np.maximum(cut.std(axis=1, keepdims=True), 1e-9)
    squared = scaled * scaled  # powers above two are slow
    lean, peaked = abs(float((squared * scaled).mean())), float((squared * squared).mean())
    if lean > (LOPSIDED_PEAKS if peaked > PEAKED else LOPSIDED + LOPSIDED_BY_CHANCE / len(cut) ** 0.5):
        doubt = LOPSIDED_SPECKS
    inside = (which >= 2) & (which <= 5)
    mean = energy.mean(0)
    one, other = (
        mean[inside & part].sum() for part in (np.tri(CELL, k=-1, dtype=bool), np.tri(CELL, k=-1, dtype=bool).T)
    )
    if max(one, other) > ONE_WAY**2 * min(one, other):
        doubt = "a direction"
    finest = 255 * float(np.sqrt(density[-2:].min())) if width[-2:].max() < WIDEST else 0.0
    return _Reading(_hollow(density), heavy, level, doubt, finest)


def _ranks(values: Real) -> Real:
    """Rank of each value in its column, 1 the least; equal values share the mean of theirs.

    >>> _ranks(np.array([[3.0], [1.0], [3.0], [2.0]])).T.tolist()
    [[3.5, 1.0, 3.5, 2.0]]
    """

    def of(column: Real) -> Real:
        _, place, count = np.unique(column, return_inverse=True, return_counts=True)
        mean: Real = (np.cumsum(count) - (count - 1) / 2)[place]  # scipy.stats ranks too, but takes long to load
        return mean

    return np.stack([of(column) for column in values.T], axis=1)


def _hollow(density: Real) -> Real:
    """The spectrum without what slow shading and soft texture add at coarse scales.

    Noise, white or softened, rises towards coarse scales ever less steeply and then stays level; where the rise grows
    again, from one bin to the next coarser one, what is beyond an even rise is not noise.
    """
    level, steepest = np.log(np.maximum(density, 1e-14)), np.inf
    for number in range(len(level) - 2, -1, -1):
        rise = max(level[number] - level[number + 1], 0.0)
        if density[number + 1] > ROUNDING**2:  # finer ones hold what rounding left
            level[number] = min(level[number], level[number + 1] + steepest + RISE_SLACK)
            steepest = min(steepest, rise + RISE_SLACK / 2)
    found: Real = np.exp(level)
    return found


def _counts() -> Real:
    """Number of coefficients in each bin."""
    which = _basis()[0]
    return np.bincount(which[which >= 0], minlength=len(EDGES) - 1).astype(float)


def total(density: Real) -> tuple[float, dict[str, float]]:
    """Variance a pixel and sigma of each band in code values; below 1/32 cycles the coarsest density holds on."""
    counts = _counts()
    counts[0] += CELL**2 - counts.sum()
    energy = density * counts / CELL**2
    bands = {name: 255 * float(np.sqrt(energy[list(bins)].sum())) for name, bins in BANDS.items()}
    return float(energy.sum()), bands


def read_noise(plane: Array, clipped: Array, brightness: Array | None = None) -> Noise:
    """Noise of an (H, W) plane in 0..1, no truth needed; `clipped` is that of its picture (`clipped_share`).

    Cells of 16 x 16 pixels lose a plane; those with more than 5 % clipped values do not count. In each of up to
    ten ranges of brightness (of `brightness`, or of the plane itself) the cells with the calmest
    surroundings [1]_ are transformed by DCT. They are noise only if their energies scatter as chi-square does, the
    bands vary independently, and nothing prefers a direction or is lopsided [2]_. The median of each half-octave bin
    gives the spectrum, the ranges of brightness give the curve [3]_.

    Valid range: sigma 0.3 to 40 code values, white to four times enlarged (correlation up to 4 pixels) but by
    repeating pixels, 128 pixels a side or more. Checked to 10 % in tests/reference/test_noise.py. Noise that is alike
    all over the picture: of one that was cleaned in a part, that part may be what is read.

    Raises
    ------
    NotMeasurable
        If no cell is usable, or the calmest ones are texture at every brightness; the sentence tells the most
        that the noise can be.
    """
    cells = Cells(plane, clipped)
    level = cells.level if brightness is None else Cells(brightness, clipped).level
    rows, columns = np.nonzero(cells.usable & np.isfinite(cells.unrest))
    if len(rows) < FEWEST / SHARES[0]:
        raise NotMeasurable("too little of the picture is neither clipped nor at its edge")
    level, unrest = level[rows, columns], cells.unrest[rows, columns]

    def calmest(part: npt.NDArray[np.intp], share: float, fewest: int = FEWEST) -> _Reading:
        count = max(fewest, min(int(share * len(part)), MOST))
        chosen = part[np.argpartition(unrest[part], min(count, len(part) - 1))[:count]]
        return _read(cut_cells(plane, rows[chosen], columns[chosen]), float(level[chosen].mean()))

    shape = _settled([calmest(np.arange(len(rows)), share) for share in SHARES if share * len(rows) >= FEWEST])
    own = 255 * total(shape.density)[0] ** 0.5
    if shape.doubt and own > FAINT:
        # What is calmest of all may be so because it is dark: each brightness has calmest cells of its own.
        parts = ranges(level)
        there = [total(calmest(part, CALM, FEW).density)[0] for part in parts]
        most = 255 * float(np.sqrt(np.average(there, weights=[len(part) for part in parts])))
        raise Texture(
            f"its calmest parts have {shape.doubt}, as texture has; noise is at most {most:.1f} cv",
            shape.finest,
            most,
        )
    if brightness is None and own > ROUNDED and _equal_neighbours(plane, clipped) > REPEATED:
        raise NotMeasurable("its pixels stand in equal blocks, as where they were repeated to enlarge it")
    found = []
    for part in ranges(level):
        reading = calmest(part, CALM, FEW)
        # Texture adds energy, least at fine scales; the finest bins that hold noise have most coefficients, too.
        ratio = (reading.density / np.maximum(shape.density, 1e-12))[shape.heavy]
        order, weight = np.argsort(ratio), _counts()[shape.heavy]
        place = np.searchsorted(np.cumsum(weight[order]), LOWER * weight.sum()) if len(ratio) else 0
        finest = ratio[-2:]
        if len(ratio) and finest.max() < EVEN**2 * finest.min():
            found.append((reading.level, max(float(np.sqrt(ratio[order[place]])), LEAST)))
    bands = total(shape.density)[1]
    steps = _gentle(found or [(shape.level, 1.0)])
    ratios = np.array([ratio for _, ratio in steps])
    # Where sigma hardly depends on brightness, that of all the calmest cells together is the surest.
    ratios /= float(np.exp(np.mean(np.log(ratios)))) if np.std(np.log(ratios)) < STEADY else 1.0
    curve = tuple((where, own * float(ratio)) for (where, _), ratio in zip(steps, ratios, strict=True))
    if own <= FAINT:
        return Noise(own, bands, ((shape.level, own),))
    sigma = float(np.sqrt(np.mean(np.square(Noise(0, {}, curve).at(level)))))
    scale = sigma / max(own, 1e-12)
    return Noise(sigma, {name: scale * value for name, value in bands.items()}, curve)


def _equal_neighbours(plane: Array, clipped: Array) -> float:
    """Share of the pixels that equal the next one in their row, in the 8 x 8 blocks without clipped ones.

    0 where neighbours differ so little that rounding alone makes many equal.
    """
    height, width = clipped.shape
    cut = plane[: height * STEP, : width * STEP].reshape(height, STEP, width, STEP)
    change = np.diff(cut).transpose(0, 2, 1, 3)[clipped == 0]
    return float((change == 0).mean()) if change.size and 255 * change.std() > ROUNDED else 0.0


def _settled(readings: list[_Reading]) -> _Reading:
    """The reading of most cells that is noise and that fewer, calmer cells do not clearly undercut; else the last.

    What is seen to be lopsided in many cells stays so where fewer of the same hide it.
    """
    sigmas = [total(reading.density)[0] ** 0.5 for reading in readings]
    lopsided = np.inf
    for number, (reading, sigma) in enumerate(zip(readings, sigmas, strict=True)):
        lopsided = min(lopsided, sigma) if reading.doubt == LOPSIDED_SPECKS else lopsided
        if not reading.doubt and sigma > ALIKE * lopsided:
            readings[number] = replace(reading, doubt=LOPSIDED_SPECKS)
    for number, reading in enumerate(readings[:-1]):
        if not reading.doubt and (readings[number + 1].doubt or sigmas[number + 1] > SETTLED * sigmas[number]):
            return reading
    return readings[-1]


def _gentle(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """From the calmest point outwards, those that do not jump: noise changes slowly with brightness."""
    start = min(range(len(points)), key=lambda number: points[number][1])
    darker, lighter = points[:start][::-1], points[start + 1 :]
    kept = [points[start]]
    for walk in (lighter, darker):
        last = points[start]
        for point in walk:
            if np.log(point[1] / last[1]) <= STEEPEST * abs(point[0] - last[0]) + SLACK:
                kept.append(point)
                last = point
    return sorted(kept)
