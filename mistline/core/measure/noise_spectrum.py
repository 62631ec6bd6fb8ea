"""Noise of one picture by frequency band and by brightness, from its calmest cells; texture is not noise.

References
----------
.. [1] X. Liu, M. Tanaka, M. Okutomi, "Single-image noise level estimation for blind denoising", IEEE Trans.
       Image Process. 22(12), 5226-5237, 2013: noise is read where the texture is weakest.
.. [2] S. Pyatykh, J. Hesser, L. Zheng, "Image noise level estimation by principal component analysis", IEEE
       Trans. Image Process. 22(2), 687-699, 2013: cells are kept only as far as they look like noise.
.. [3] A. Foi, M. Trimeche, V. Katkovnik, K. Egiazarian, "Practical Poissonian-Gaussian noise modeling and
       fitting for single-image raw-data", IEEE Trans. Image Process. 17(10), 1737-1754, 2008: noise against level.
.. [4] B. K. Gunturk, Y. Altunbasak, R. M. Mersereau, "Color plane interpolation using alternating projections",
       IEEE Trans. Image Process. 11(9), 997-1013, 2002: the colours of a photograph have their detail in common.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import NamedTuple

import numpy as np
from scipy.special import chdtri

from mistline.core.frame import LUMA_WEIGHTS, Array, Codes
from mistline.core.measure.measure import NotMeasurable
from mistline.core.measure.noise_cells import (
    CELL,
    STEP,
    Cells,
    Indices,
    Real,
    basis,
    binned,
    coefficients,
    correlation,
    cut_cells,
    ranges,
    spectrum,
    total,
)

__all__ = ["Bounded", "Hidden", "Noise", "Specks", "Texture", "Uneven", "known", "read_noise"]

SHARES = (0.3, 0.15, 0.08, 0.04, 0.02, 0.01)  # of the cells, the calmest
MOST = 4000  # cells
SETTLED = 0.93
# By how much of the sigma fewer, calmer cells may undercut, read from each of the first SHARES; and in code values.
UNDERCUT, HARDLY = (0.035, 0.035, 0.03, 0.02, 0.01), 0.1
UNDERCUT_SHARED = 0.015  # where much was taken off that all colours share
FAINT = 0.3  # code values: below that it does not matter what it is
# Specks, in code values: the mean of calm cells that is so many times their median, where so many of them have some,
# but for those that hold edges; in each of the first three SHARES.
SPECKS, UNLIKE, HAVE_SOME, EDGES, LOOKED_AT = 0.5, 2.0, 0.2, 4.0, 3
FEWEST = 32
MEDIAN_ERROR, ERRORS = 1.25, 2.0  # standard error of a median against that of a mean; so many are chance
FEW, CALM = 16, 0.04  # of a range of brightness are enough to scale a known spectrum
# What Gaussian noise of any spectrum passes, with its scatter at 32 cells.
WIDEST, LINKED, ONE_WAY = 1.4, 0.27, 1.6
# How lopsided noise may seem: in many cells, by chance more in few (over the root of their number), and where peaked.
LOPSIDED, LOPSIDED_BY_CHANCE, LOPSIDED_PEAKS = 0.07, 0.6, 0.8
ALIKE = 0.9  # fewer cells whose sigma is more than that share are of the same kind
LOPSIDED_SPECKS, COARSE = "lopsided specks", "more at coarse scales than noise has"
SHARED = "detail that all colours share"
# How the logarithm of the energy rises to each of the three coarsest bins, below 1/16 cycle a pixel: so many times the
# rise before it and so much at the most, for noise of up to four times enlarged, and by chance.
EASING, STEEPEST, RISE_SLACK = (0.7, 0.7, 1.35), (0.2, 0.6, 2.0), 0.15
ANY_RISE = (np.inf,) * 3
COARSER = 0.9  # of the sigma with any rise: where STEEPEST leaves less, it is coarser than noise that can be told
# Times the variance: most of what is so coarse lies below 1/32 cycle a pixel, where cells do not reach.
UNSEEN = 3.0
# What colours share of noise is read where sigma a coefficient is so much (code values; rounding has 0.3), and tells
# nothing where it is more than that correlation. Cells with more than that share of their energy in detail are SHARED.
READ_FROM, MOST_CORRELATED, MOST_SHARED = 0.9, 0.9, 0.15
INDEPENDENT = float(np.square(LUMA_WEIGHTS).sum())  # variance of luma whose colours have 1 and nothing in common
PEAKED = 3.4  # fourth moment; noise of a camera is both peaked and lopsided, in the dark
STEADY = 0.12  # deviation of the logarithm of sigma over brightness
EVEN = 1.25  # a range of brightness whose bins differ more, sigma from sigma, holds texture
# A range of brightness tells its sigma where so many times as many cells have no more than so many times as much.
WIDER, FLAT = 4, 1.03
NEAR = 0.03  # brightnesses whose logarithms scatter (sum of squares) by less tell no power
# A parabola over brightness: of more points than that, leaving less than that share of what their mean leaves, and
# where the logarithm of sigma deviates by more than that.
PARABOLA, NEARER, BENT = 4, 0.4, 0.05
# Sigma is told where less of the cells than that lie beyond the brightnesses that tell theirs, and where by what these
# hold it would be no more than so many times as much.
MOST_HIDDEN, MORE_HIDDEN = 0.45, 1.1
LEAST = 1e-3  # of the sigma of the calmest cells together: parts may have no noise at all
HELD = 0.035  # of the energy; bins with less are not compared
LOWER = 0.3  # of the coefficients: texture adds energy to the others
# Sigma changes by no more than this power of brightness, and by chance (of its logarithm).
POWER, SLACK = 0.6, 0.1
DARKEST = 0.04  # brightness: what is darker counts as that

CELLS_AN_AREA, MOST_AREAS, MOST_IN_AREA, AREA_SHARES = 60, 4, 400, (0.3, 0.15)
NOISIER, AS_NOISY = 1.6, 1.25  # times the sigma; areas that differ by less are noisy alike
RAISED = 1.4  # times the variance: what has less is not looked at any closer
OVERLOOKED = (0.5 / 255) ** 2  # variance
ROUNDED, REPEATED = 2.0, 0.3  # code values that neighbours differ by; share of equal ones from 1.5x on


class Bounded(NotMeasurable):
    """No one figure tells the noise; its sigma lies between `least` and `most`, in code values."""

    def __init__(self, why: str, least: float, most: float) -> None:
        super().__init__(why)
        self.least, self.most = least, most


class Texture(Bounded):
    """The calmest parts are texture, or noise that was smoothed.

    `least` is the white noise that the finest scale shows, or what is left of smoothed noise without its coarsest, or
    what the fewest of the calmest cells hold; `most` what the calmest cells of each brightness hold altogether.
    """


class Hidden(Bounded):
    """Something hides some of the noise; `known` is that of some brightnesses, or what colours do not share."""

    def __init__(self, why: str, known: "Noise", most: float) -> None:
        super().__init__(f"{why}; noise is at most {most:.1f} cv", known.sigma, most)
        self.known = known


class Specks(Bounded):
    """Most calm cells have next to no noise and a few have some, as compression leaves it."""


class Uneven(Bounded):
    """One part of the picture is noisier than another, not only darker or lighter."""


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


@dataclass(frozen=True)
class _Reading:
    """Density of each bin (variance a coefficient, 0..1 squared), and what speaks against noise.

    `finest` is sigma, in code values, of white noise as strong as the two finest bins, where these scatter as noise
    does; else 0. `shaded` is the variance with all that shading adds, `specks` sigma by the mean of the cells where
    that differs (`_specks`), in code values; else 0. `error` is that of sigma by chance, as a share of it.
    """

    density: Real
    heavy: Indices
    level: float
    doubt: str
    finest: float
    shaded: float
    specks: float
    error: float


def _read(cut: Real, level: float, colours: Callable[[], Sequence[Real]] = tuple) -> _Reading:
    """Density by the median over cells, and the tests: chi-square spread, bands that vary together, rise, direction.

    Detail that `colours`, of the same cells, share is taken off; they are cut only where nothing else speaks against
    noise.
    """
    which, share, _ = basis()
    energy = spectrum(cut)
    mean, sums = energy.mean(0), binned(energy)
    freedom = np.maximum(1.0, binned(mean) ** 2 / np.maximum(binned(mean**2), 1e-30))
    first, middle, third = chdtri(freedom, np.array([[0.75], [0.5], [0.25]]))  # quartiles of chi-square
    low, median, high = np.quantile(sums, [0.25, 0.5, 0.75], axis=0)
    density = median / (middle / freedom) / binned(share.ravel())
    width = np.log(np.maximum(high, 1e-30) / np.maximum(low, 1e-30)) / np.log(third / first)
    weight = density * coefficients()
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
    lean, peaked = abs(float(np.vdot(squared, scaled))) / cut.size, float(np.vdot(squared, squared)) / cut.size
    if lean > (LOPSIDED_PEAKS if peaked > PEAKED else LOPSIDED + LOPSIDED_BY_CHANCE / len(cut) ** 0.5):
        doubt = LOPSIDED_SPECKS
    between = np.where((which >= 2) & (which <= 5), mean.reshape(CELL, CELL), 0.0)
    one, other = np.tril(between, -1).sum(), np.triu(between, 1).sum()
    if max(one, other) > ONE_WAY**2 * min(one, other):
        doubt = "a direction"
    if not doubt and (seen := colours()):
        detail = _shared_detail(correlation(seen), density, heavy, len(cut))
        doubt = SHARED if detail @ weight > MOST_SHARED else ""
        density = density * (1 - detail)
    finest = 255 * float(np.sqrt(density[-2:].min())) if width[-2:].max() < WIDEST else 0.0
    hollow, eased = _hollow(density), _hollow(density, ANY_RISE)
    if total(hollow)[0] < COARSER**2 * total(eased)[0]:
        doubt = doubt or COARSE
    specks = _specks(cut, energy, total(hollow)[0])
    free = max(1.0, float((density @ coefficients()) ** 2 / max(density**2 @ coefficients(), 1e-30)))
    error = MEDIAN_ERROR / float(np.sqrt(2 * free * len(cut)))
    return _Reading(hollow, heavy, level, doubt, finest, total(density)[0], specks, error)


def _shared_detail(common: Real, density: Real, heavy: Indices, cells: int) -> Real:
    """Share of luma in each bin that is detail which its colours share [4]_, from their correlation there (`common`).

    Noise has as much in common at every scale, or, after compression, less at coarse ones. So what falls towards fine
    scales is texture, and the finest that are seen tell what noise has.

    >>> grain = np.full(8, (3 / 255) ** 2)
    >>> _shared_detail(np.array([0.6, 0.3, 0, 0, 0, 0, 0, 0]), grain, np.arange(8), 4000).round(1).tolist()
    [0.7, 0.4, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0]
    """
    error = 1 / np.sqrt(cells * coefficients())
    falling, share = np.minimum.accumulate(common), np.zeros_like(common)
    seen = heavy[density[heavy] > (READ_FROM / 255) ** 2]
    noise = float((falling + error)[seen[-1]]) if len(seen) else 1.0
    if noise < MOST_CORRELATED:
        beyond = np.clip((falling - error - noise) / (1 - noise), 0, 1)
        alone = INDEPENDENT + (1 - INDEPENDENT) * max(noise, 0.0)
        share = beyond / (beyond + (1 - beyond) * alone)
    return share


def _specks(cut: Real, energy: Real, median: float) -> float:
    """Sigma by the mean of the cells, in code values; 0 where few have any, or by the median they have much the same.

    Cells that hold edges do not count. `median` is the variance of what most have.
    """
    own = 255 * cut.std(axis=1)
    smooth = own < EDGES
    if not smooth.any() or np.mean(own > FAINT) < HAVE_SOME:
        return 0.0
    variance = total(binned(energy[smooth].mean(0)) / binned(basis()[1].ravel()))[0]
    return 255 * variance**0.5 if variance > UNLIKE**2 * median else 0.0


def _ranks(values: Real) -> Real:
    """Rank of each value in its column, 1 the least; equal values share the mean of theirs.

    >>> _ranks(np.array([[3.0], [1.0], [3.0], [2.0]])).T.tolist()
    [[3.5, 1.0, 3.5, 2.0]]
    """
    # scipy.stats ranks too, but takes long to load.
    order, place = np.argsort(values, axis=0), np.arange(len(values))[:, None]
    rising = np.diff(np.take_along_axis(values, order, 0), axis=0) > 0
    edge = np.ones((1, values.shape[1]), bool)
    first = np.maximum.accumulate(np.where(np.vstack([edge, rising]), place, 0), axis=0)
    last = np.minimum.accumulate(np.where(np.vstack([rising, edge]), place, len(values))[::-1], axis=0)[::-1]
    ranks = np.empty_like(values)
    np.put_along_axis(ranks, order, (first + last) / 2 + 1, axis=0)
    return ranks


def _hollow(density: Real, steepest: tuple[float, ...] = STEEPEST) -> Real:
    """The spectrum without what slow shading and soft texture add at coarse scales.

    Noise, white or softened, rises towards coarse scales ever less steeply and is level there. Finer bins may be
    uneven: filters and compression leave side lobes and floors in them.

    >>> softened = np.array([29.0, 29, 27, 23, 18, 11, 3, 1]) ** 2
    >>> bool(np.allclose(_hollow(softened), softened))
    True
    >>> shaded = np.array([90.0, 30, 11, 10, 10, 10, 10, 10]) ** 2
    >>> np.sqrt(_hollow(shaded)).round(1).tolist()
    [14.4, 12.2, 10.8, 10.0, 10.0, 10.0, 10.0, 10.0]
    """
    level = np.log(np.maximum(density, 1e-14))
    rise = level[3] - level[4]
    for number, (times, most) in reversed(list(enumerate(zip(EASING, steepest, strict=True)))):
        rise = min(level[number] - level[number + 1], min(times * max(rise, 0.0), most) + RISE_SLACK)
        level[number] = level[number + 1] + rise
    found: Real = np.exp(level)
    return found


def read_noise(
    plane: Array, clipped: Array, brightness: Array | None = None, colours: Sequence[Array | Codes] = ()
) -> Noise:
    """Noise of an (H, W) plane in 0..1, no truth needed; `clipped` is that of its picture (`clipped_share`).

    Cells of 16 x 16 pixels lose a plane; those with more than 5 % clipped values do not count. In each of up to
    ten ranges of brightness (of `brightness`, or of the plane itself) the cells with the calmest
    surroundings [1]_ are transformed by DCT. They are noise only if their energies scatter as chi-square does, the
    bands vary independently, and nothing prefers a direction or is lopsided [2]_. The median of each half-octave bin
    gives the spectrum, without what the `colours` of luma, (H, W) each, share at coarse scales alone: that is
    texture [4]_. The ranges of brightness give the curve [3]_: those where more cells hold no more. With every cell
    evened by that curve, sigma is that of most cells that fewer, calmer ones do not undercut.

    Valid range: sigma 0.3 to 40 code values, white to four times enlarged (correlation up to 4 pixels) but by
    repeating pixels, 128 pixels a side or more; alike all over the picture but for its brightness. Checked to 10 %,
    also after JPEG, in tests/reference/test_noise.py; of photographs 9 in 10 (with sensor noise 5 in 6), and the rest
    mostly by less than a fifth: texture all over that looks like grain cannot be told from it. Where their calmest
    parts show texture, or only some brightnesses show the noise, it is bounded. What JPEG wipes out of flat areas is
    gone. Coarser noise, as strong smoothing leaves it, is bounded, not told; so is what compression left as specks in a
    few places.

    Raises
    ------
    Texture
        If the calmest cells are texture at every brightness, or the fewer the calmer, or noise that is too coarse; the
        sentence tells the most that the noise can be.
    Hidden
        If nearly half of the cells are brighter or darker than all whose noise is seen; or fewer, where by what their
        calmest hold (texture, or noise that compression left another spectrum) there could be a tenth more. Or if much
        of what the calmest hold is detail that all colours share.
    Specks
        If most calm cells have none and the mean of all has; told as that of texture.
    Uneven
        If parts of the picture have noise that differs, as where only some of it was cleaned. Parts that are texture
        all over are not seen to.
    NotMeasurable
        If no cell is usable, or the pixels stand in equal blocks.
    """
    places = _Places.of(plane, clipped, brightness, colours)
    readings = places.readings()
    shape = _settled(readings)
    own = 255 * total(shape.density)[0] ** 0.5
    if shape.doubt and (shape.doubt != SHARED or own <= FAINT) and 255 * shape.shaded**0.5 > FAINT:
        if shape.doubt == COARSE:  # perhaps noise that was smoothed, and elsewhere was not
            _hold_even(places, shape, _by_brightness(places, shape, own).noise)
        raise _texture(places, shape)
    if brightness is None and own > ROUNDED and _equal_neighbours(plane, clipped) > REPEATED:
        raise NotMeasurable("its pixels stand in equal blocks, as where they were repeated to enlarge it")
    specks = sorted(reading.specks for reading in readings[:LOOKED_AT])
    if own <= FAINT and specks[0] > SPECKS:
        why = "its calmest parts have specks and little else, as after compression"
        raise Specks(f"{why}; noise is at most {specks[-1]:.1f} cv", own, specks[-1])
    noise, hidden, most = _by_brightness(places, shape, own)
    _hold_even(places, shape, noise)
    if own <= FAINT:
        return noise
    times, shared = _sure(places, noise, own)
    found = _scaled(noise, times)
    if shared or shape.doubt == SHARED:
        why = f"its calmest parts have {SHARED} (without it {found.sigma:.1f} cv)"
    elif hidden > MOST_HIDDEN or most > MORE_HIDDEN * noise.sigma:
        why = f"texture or compression hides it in {hidden:.0%} of the picture (elsewhere {found.sigma:.1f} cv)"
    else:
        return found
    raise Hidden(why, found, max(_at_most(places), found.sigma))


def known(read: Callable[..., Noise], *planes: object) -> Noise:
    """What a reader of noise tells of planes, or where some of it is hidden what is known of it."""
    try:
        return read(*planes)
    except Hidden as why:
        return why.known


def _scaled(noise: Noise, times: float) -> Noise:
    """A noise that is so many times as strong."""
    bands = {name: times * value for name, value in noise.bands.items()}
    return Noise(times * noise.sigma, bands, tuple((level, times * sigma) for level, sigma in noise.curve))


def _sure(places: "_Places", noise: Noise, own: float) -> tuple[float, bool]:
    """Sigma of most cells that look like noise and that fewer, calmer ones hardly undercut, as a share of `own`.

    What texture adds falls with the share of the cells; noise does not, once its cells are evened by brightness. If
    there are none, that of cells from which much was taken that all colours share; and whether it is these.
    """
    readings = places.evened(noise.at(places.level) / own).readings()
    sigmas = [255 * total(reading.density)[0] ** 0.5 for reading in readings]
    if len(sigmas) < 2:
        return sigmas[0] / own, False
    without = None
    for number, (sigma, less) in enumerate(zip(sigmas[:-1], UNDERCUT, strict=False)):
        fewer, doubt = float(np.mean(sigmas[number + 1 :][-2:])) * (1 + readings[-1].error), readings[number].doubt
        if not doubt and fewer > min((1 - less) * sigma, sigma - HARDLY):
            return sigma / own, False
        if doubt == SHARED and fewer > (1 - UNDERCUT_SHARED) * sigma:
            without = without or sigma / own
    if without:
        return without, True
    least, most = min(sigmas) / own * noise.sigma, _at_most(places)
    raise Texture(f"even its calmest parts seem to hold texture; noise is at most {most:.1f} cv", least, most)


@dataclass(frozen=True)
class _Places:
    """Where the usable cells of a plane lie on their grid, how bright and how restless they are."""

    plane: Array
    grid: tuple[int, ...]
    rows: Indices
    columns: Indices
    level: Real
    unrest: Real
    scale: Real
    colours: Sequence[Array | Codes]

    @classmethod
    def of(
        cls, plane: Array, clipped: Array, brightness: Array | None, colours: Sequence[Array | Codes]
    ) -> "_Places":
        cells = Cells(plane, clipped)
        level = cells.level if brightness is None else Cells(brightness, clipped).level
        rows, columns = np.nonzero(cells.usable & np.isfinite(cells.unrest))
        if len(rows) < FEWEST / SHARES[0]:
            raise NotMeasurable("too little of the picture is neither clipped nor at its edge")
        unrest, even = cells.unrest[rows, columns], np.ones(len(rows))
        return cls(plane, level.shape, rows, columns, level[rows, columns], unrest, even, colours)

    def evened(self, scale: Real) -> "_Places":
        """With cells divided by `scale`."""
        return replace(self, unrest=self.unrest / scale**2, scale=scale)

    def calm(self, part: Indices, share: float, fewest: int = FEWEST, most: int = MOST) -> Indices:
        """The calmest of these cells."""
        count = max(fewest, min(int(share * len(part)), most))
        return part[np.argpartition(self.unrest[part], min(count, len(part) - 1))[:count]]

    def at(self, chosen: Indices) -> tuple[Indices, Indices]:
        """Rows and columns of cells on the grid."""
        return self.rows[chosen], self.columns[chosen]

    def cut(self, chosen: Indices) -> tuple[Real, float]:
        """Cells and their mean level."""
        cut = cut_cells(self.plane, *self.at(chosen)) / self.scale[chosen, None]
        return cut, float(self.level[chosen].mean())

    def cut_colours(self, chosen: Indices) -> list[Real]:
        """The same cells of each colour."""
        return [cut_cells(each, *self.at(chosen)) for each in self.colours]

    def calmest(self, part: Indices, share: float, fewest: int = FEWEST) -> _Reading:
        """What the calmest of these cells hold."""
        return _read(*self.cut(self.calm(part, share, fewest)))

    def readings(self) -> list[_Reading]:
        """What the calmest of all hold without detail that their colours share, in fewer and fewer of them."""
        every = np.arange(len(self.rows))
        chosen = [self.calm(every, share) for share in SHARES if share * len(every) >= FEWEST]
        alike = {len(each): each for each in chosen}  # in large pictures several shares are MOST cells
        found = {count: _read(*self.cut(each), partial(self.cut_colours, each)) for count, each in alike.items()}
        return [found[len(each)] for each in chosen]

    def areas(self) -> list[Indices]:
        """The cells of two to four areas across and down; areas with too few are left out."""
        height, width = self.grid
        count = int(np.clip((height * width / CELLS_AN_AREA) ** 0.5, 2, MOST_AREAS))
        label = self.rows * count // height * count + self.columns * count // width
        parts = [np.flatnonzero(label == number) for number in range(count**2)]
        return [part for part in parts if len(part) >= 1.5 * FEWEST]


def _at_most(places: _Places) -> float:
    """What the calm cells of each brightness hold altogether, in code values; by their mean where it is more.

    What is calmest of all may be so because it is dark, or because compression left nothing there.
    """
    parts, there = ranges(places.level), []
    for part in parts:
        cut, level = places.cut(places.calm(part, WIDER * CALM, WIDER * FEW))
        there.append(max(_read(cut, level).shaded, float(cut.var())))
    return 255 * float(np.sqrt(np.average(there, weights=[len(part) for part in parts])))


def _texture(places: _Places, shape: _Reading) -> Texture:
    """Why the noise cannot be told, with its bounds."""
    of, least, most = "texture", shape.finest, _at_most(places)
    if shape.doubt == COARSE:
        of, most = "smoothed noise or texture", most * UNSEEN**0.5
        least = 255 * float(np.sqrt(total(shape.density)[0]))
    why = f"its calmest parts have {shape.doubt}, as {of} has; noise is at most {most:.1f} cv"
    return Texture(why, least, most)


def _least_ratio(density: Real, other: Real, bins: Indices) -> float:
    """Sigma against that of another spectrum, in those of the bins that are raised least.

    Texture adds energy, least at fine scales; the finest bins that hold noise have most coefficients, too. Those that
    hold little of it tell of what filtered it.
    """
    energy = (other * coefficients())[bins]
    bins = bins[energy > HELD * energy.sum()]
    ratio, weight = (density / np.maximum(other, 1e-12))[bins], coefficients()[bins]
    order = np.argsort(ratio)
    place = np.searchsorted(np.cumsum(weight[order]), LOWER * weight.sum())
    return float(np.sqrt(ratio[order[place]]))


class _Curve(NamedTuple):
    """Noise by brightness; the share of the cells beyond where it is seen, and sigma with all that they hold."""

    noise: Noise
    hidden: float
    most: float


def _by_brightness(places: _Places, shape: _Reading, own: float) -> _Curve:
    """The noise of a spectrum `shape` (sigma `own`, cv), scaled to each range of brightness."""
    bands = total(shape.density)[1]
    if own <= FAINT:
        return _Curve(Noise(own, bands, ((shape.level, own),)), 0.0, own)
    found, textured, parts = [], [], []
    for part in ranges(places.level):
        reading, wider = (places.calmest(part, times * CALM, times * FEW) for times in (1, WIDER))
        finest = (reading.density / np.maximum(shape.density, 1e-12))[shape.heavy[-2:]]
        alike = finest.max() < EVEN**2 * finest.min()
        ratio, more = (
            max(_least_ratio(each.density, shape.density, shape.heavy), LEAST) for each in (reading, wider)
        )
        doubtful = wider.doubt and (reading.doubt or wider.doubt != LOPSIDED_SPECKS)
        held = own * ratio if alike else 255 * total(reading.density)[0] ** 0.5
        parts.append((wider.level, part, held))
        if alike and not doubtful and more <= (FLAT + ERRORS * reading.error) * ratio:
            found.append((wider.level, more))
        elif alike:
            textured.append((reading.level, ratio))
    steps = _gentle(found or textured or [(shape.level, 1.0)])
    first, last = steps[0][0], steps[-1][0]
    if found:
        steps = sorted([*steps, *((where, min(ratio, _along(steps, where))) for where, ratio in textured)])
    ratios = _smoothed(steps)
    # Where sigma hardly depends on brightness, that of all the calmest cells together is the surest.
    ratios /= float(np.exp(np.mean(np.log(ratios)))) if np.std(np.log(ratios)) < STEADY else 1.0
    curve = tuple((where, own * float(ratio)) for (where, _), ratio in zip(steps, ratios, strict=True))
    seen = Noise(0, {}, curve).at(places.level)
    most, hidden = seen.copy(), 0
    for level, part, held in parts:
        if not found or not first <= level <= last:
            most[part] = np.maximum(seen[part], held)
            hidden += len(part)
    sigma, greatest = (float(np.sqrt(np.mean(np.square(each)))) for each in (seen, most))
    noise = Noise(sigma, {name: sigma / own * value for name, value in bands.items()}, curve)
    return _Curve(noise, hidden / len(seen), greatest)


def _logarithms(points: list[tuple[float, float]]) -> tuple[Real, Real]:
    brightness, ratios = np.array(points).T
    return np.log(np.maximum(brightness, DARKEST)), np.log(ratios)


def _smoothed(points: list[tuple[float, float]]) -> Real:
    """The ratios by a parabola through their logarithms; by their mean where that is as near, or hardly bent."""
    brightness, ratios = _logarithms(points)
    curve = np.polynomial.Polynomial.fit(brightness, ratios, 2)(brightness) if len(points) > PARABOLA else ratios
    about = np.square(ratios - ratios.mean()).sum()
    bent = np.square(ratios - curve).sum() < NEARER * about and np.std(curve) > BENT
    found: Real = np.exp(curve if bent else np.full_like(ratios, ratios.mean()))
    return found


def _along(points: list[tuple[float, float]], level: float) -> float:
    """What the points say of another brightness: between them, or on with the power that fits them."""
    brightness, ratios = _logarithms(points)
    off = brightness - brightness.mean()
    power = np.clip((off @ ratios) / max(off @ off, NEAR), -POWER, POWER)
    where = np.log(max(level, DARKEST))
    beside = np.clip(where, brightness[0], brightness[-1])
    return float(np.exp(np.interp(beside, brightness, ratios) + power * (where - beside)))


def _hold_even(places: _Places, shape: _Reading, noise: Noise) -> None:
    """Raise `Uneven` where areas of the picture have clearly more noise than their brightness explains.

    Texture may look like noise in an area; then others seldom hold as much of it. So several have to be raised alike,
    or most of all.
    """
    own, areas, raised, others = max(total(shape.density)[0], 1e-12), places.areas(), [], 0

    def explained(level: float) -> float:
        """Variance that a brightness explains."""
        return float(noise.at(np.array([level]))[0] / 255) ** 2

    for part in areas:
        cut, level = places.cut(places.calm(part, AREA_SHARES[0], most=MOST_IN_AREA))
        if cut.var() < RAISED * explained(level) + OVERLOOKED:
            others += 1
            continue
        readings = (_read(*places.cut(places.calm(part, share, most=MOST_IN_AREA))) for share in AREA_SHARES)
        reading = next((reading for reading in readings if not reading.doubt), None)
        if reading is None or not len(reading.heavy):
            continue
        expected = explained(reading.level) / own * shape.density
        ratio = _least_ratio(reading.density + OVERLOOKED, expected + OVERLOOKED, reading.heavy)
        if ratio > NOISIER:
            raised.append((ratio, 255 * total(reading.density)[0] ** 0.5))
        else:
            others += 1
    raised.sort()
    several = 3 if len(areas) > 4 else 2
    alike = (last[0] < AS_NOISY * first[0] for first, last in zip(raised, raised[several - 1 :], strict=False))
    if any(alike) or (len(raised) >= max(several, others)):
        least, most = noise.sigma, float(np.median([sigma for _, sigma in raised]))
        raise Uneven(f"one part of it is noisier ({most:.1f} cv) than another ({least:.1f} cv)", least, most)


def _equal_neighbours(plane: Array, clipped: Array) -> float:
    """Share of the pixels that equal the next one in their row, in the 8 x 8 blocks without clipped ones.

    0 where neighbours differ so little that rounding alone makes many equal.
    """
    height, width = clipped.shape
    cut = plane[: height * STEP, : width * STEP].reshape(height, STEP, width, STEP)
    change = np.diff(cut).transpose(0, 2, 1, 3)[clipped == 0]
    return float((change == 0).mean()) if change.size and 255 * change.std() > ROUNDED else 0.0


def _settled(readings: list[_Reading]) -> _Reading:
    """The reading of most cells that is noise and that fewer, calmer cells do not clearly undercut.

    Else that of most cells that is merely coarse, else the last. What is seen to be lopsided in many cells stays so
    where fewer of the same hide it.
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
    return next((reading for reading in readings[:-1] if reading.doubt == COARSE), readings[-1])


def _gentle(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """From the calmest point outwards, those that do not jump: noise changes slowly with brightness.

    Behind a gamma of 2.2 the noise of light, which grows with its root, falls with the power -0.1 of the encoded
    brightness, and that of reading a sensor out, which does not grow, with -1.2.
    """
    start = min(range(len(points)), key=lambda number: points[number][1])
    darker, lighter = points[:start][::-1], points[start + 1 :]
    kept = [points[start]]
    for walk in (lighter, darker):
        last = points[start]
        for point in walk:
            brighter = max(point[0], DARKEST) / max(last[0], DARKEST)
            if np.log(point[1] / last[1]) <= POWER * abs(np.log(brighter)) + SLACK:
                kept.append(point)
                last = point
    return sorted(kept)
