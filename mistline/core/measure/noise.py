"""Noise left: the grain in flat areas, by frequency band; in brightness and in colour.

References
----------
.. [1] J. S. Bendat, A. G. Piersol, "Random data": the part of one signal that another does not explain.
.. [2] `mistline.core.measure.noise_spectrum`: noise of one picture, where no truth is known.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from mistline.core.frame import Array, to_ycbcr
from mistline.core.measure.areas import without_texture
from mistline.core.measure.measure import (
    Evidence,
    Measure,
    Measured,
    NotMeasurable,
    Part,
    Picture,
    by_rows,
    shape,
)
from mistline.core.measure.noise_spectrum import (
    BANDS,
    Cells,
    Noise,
    clipped_share,
    cut_cells,
    densities,
    ranges,
    read_noise,
    total,
)

__all__ = ["MEASURES", "noise_beside", "noise_colour", "noise_luma"]

FLATTEST = 0.15
SPREADS = (0.7, 1.4, 2.8)
CALM = 0.25
FEWEST, MOST_CELLS = 8, 400
ROWS = 256


@dataclass(frozen=True)
class _Planes:
    """Luma and where it is clipped; the colour planes come one by one, so that memory stays small."""

    picture: Picture
    luma: Array
    clipped: Array

    def colour(self, index: int) -> Array:
        """Cb (1) or Cr (2)."""
        return np.concatenate(by_rows((self.picture,), lambda pixels: to_ycbcr(pixels)[..., index], ROWS))


def _planes(picture: Picture, brightness: Array) -> _Planes:
    shares = by_rows((picture,), clipped_share, ROWS)
    return _Planes(picture, brightness, np.concatenate(shares))


def noise_luma(picture: Picture, brightness: Array) -> Noise:
    """Luma noise of one picture (`read_noise`), without a truth."""
    return read_noise(brightness, _planes(picture, brightness).clipped)


def noise_colour(picture: Picture, brightness: Array) -> Noise:
    """Colour noise of one picture: the root of the mean square of both colour planes."""
    planes = _planes(picture, brightness)
    if shape(picture)[2] == 1 or not any(np.ptp(planes.colour(index)) > 1e-4 for index in (1, 2)):
        return Noise(0.0, dict.fromkeys(BANDS, 0.0), ((0.5, 0.0),))
    blue, red = (read_noise(planes.colour(index), planes.clipped, planes.luma) for index in (1, 2))
    levels = np.array([where for where, _ in blue.curve])
    curve = np.sqrt((np.square([sigma for _, sigma in blue.curve]) + red.at(levels) ** 2) / 2)
    bands = {name: math.sqrt((blue.bands[name] ** 2 + red.bands[name] ** 2) / 2) for name in BANDS}
    points = tuple((float(where), float(sigma)) for where, sigma in zip(levels, curve, strict=True))
    return Noise(math.sqrt((blue.sigma**2 + red.sigma**2) / 2), bands, points)


@dataclass(frozen=True)
class _Flat:
    """Grid places where the truth is flat and neither picture clipped, with the truth's variance and their range."""

    rows: np.ndarray
    columns: np.ndarray
    texture: np.ndarray
    brightness: np.ndarray


def _truth(evidence: Evidence) -> _Planes:
    return _planes(evidence.pair[0], evidence.truth_luma)


def _result(evidence: Evidence) -> _Planes:
    return _planes(evidence.result, evidence.result_luma)


def _flat(evidence: Evidence) -> _Flat:
    """The flattest 15 % of the truth's cells in each range of brightness, as far as they are among its calmest 25 %."""
    truth, result = evidence.once(_truth), evidence.once(_result)
    cells = Cells(truth.luma, truth.clipped)
    usable = cells.usable & Cells(result.luma, result.clipped).usable
    rows, columns = np.nonzero(usable)
    if len(rows) < FEWEST:
        raise NotMeasurable("too little of the picture is neither clipped nor at its edge")
    variance, chosen = cells.variance[rows, columns], []
    limit = np.quantile(variance, CALM)
    for part in ranges(cells.level[rows, columns]):
        flattest = part[np.argsort(variance[part])[: max(FEWEST, int(FLATTEST * len(part)))]]
        flattest = flattest[:: max(1, len(flattest) // MOST_CELLS)]
        chosen.append(flattest[variance[flattest] <= limit])
    kept = [part for part in chosen if len(part) >= FEWEST] or [np.argsort(variance)[:FEWEST]]
    every = np.concatenate(kept)
    label = np.repeat(np.arange(len(kept)), [len(part) for part in kept])
    return _Flat(rows[every], columns[every], variance[every], label)


def noise_beside(truth: Array, result: Array, flat: _Flat) -> tuple[Noise, float]:
    """Noise of a result plane that its truth plane does not explain, and the share of the truth's own that is kept.

    In the flat cells (16 x 16 pixels, a plane taken off) the result is fitted by the truth in four Gaussian
    bands, each with a gain of its own; what is left over is noise [1]_. So a lost or sharpened texture is no
    noise. The share kept is the energy of the fit over that of the truth.
    """
    softer = [cv2.GaussianBlur(truth, (0, 0), spread) for spread in SPREADS]
    parts = [fine - coarse for fine, coarse in zip([truth, *softer[:-1]], softer, strict=True)] + [softer[-1]]
    bands = np.stack([cut_cells(part, flat.rows, flat.columns) for part in parts])
    wanted = cut_cells(result, flat.rows, flat.columns)
    sides = bands.reshape(len(bands), -1)
    gains = np.linalg.lstsq(sides @ sides.T, sides @ wanted.ravel(), rcond=1e-9)[0]
    explained = np.tensordot(gains, bands, 1)
    found = densities(wanted - explained)
    ranged = [flat.brightness == label for label in np.unique(flat.brightness)]
    density = np.mean([without_texture(found[part], flat.texture[part]) for part in ranged], axis=0)
    variance, octaves = total(density)
    there = float(np.square(bands.sum(0)).sum())
    kept = min(float(np.square(explained).sum()) / there, 2.0) if there > 1e-12 else 0.0
    return Noise(255 * math.sqrt(variance), octaves, ()), kept


def _told(noise: Noise) -> Measured:
    return Measured(noise.sigma, parts=tuple(Part(name, value) for name, value in noise.bands.items()))


def _noise(evidence: Evidence, read: Callable[[Picture, Array], Noise], planes: tuple[int, ...]) -> Measured:
    """Added noise and what is kept of the truth's own, mean square over the planes (0 is luma); or the result's."""
    truth_codes = evidence.truth
    if truth_codes is None:
        return _told(read(evidence.result, evidence.result_luma))

    def of_truth() -> Noise:
        try:
            return read(truth_codes, evidence.truth_luma)
        except NotMeasurable:
            return Noise(0.0, dict.fromkeys(BANDS, 0.0), ())

    own = evidence.once_of_truth(read, of_truth)
    flat, truth, result = evidence.once(_flat), evidence.once(_truth), evidence.once(_result)
    found = []
    for index in planes:
        before, after = (p.colour(index) if index else p.luma for p in (truth, result))
        found.append(noise_beside(before, after, flat))

    def mean(added: list[float], grain: float) -> float:
        squares = [value**2 + kept * grain**2 for value, (_, kept) in zip(added, found, strict=True)]
        return math.sqrt(sum(squares) / len(squares))

    bands = {name: mean([noise.bands[name] for noise, _ in found], own.bands[name]) for name in BANDS}
    return _told(Noise(mean([noise.sigma for noise, _ in found], own.sigma), bands, ()))


def _luma(evidence: Evidence) -> Measured:
    return _noise(evidence, noise_luma, (0,))


def _colour(evidence: Evidence) -> Measured:
    return _noise(evidence, noise_colour, (1, 2)) if shape(evidence.result)[2] == 3 else Measured(0.0)


SOURCE = "Unexplained power in flat areas; without truth Liu, Tanaka, Okutomi 2013; Pyatykh, Hesser, Zheng 2013"
MEASURES = [
    Measure(
        "noise_left", 2, "Noise left", "cv", "nearer to the truth", "noise",
        "Grain in flat areas from 1/32 cycle per pixel up, in 8-bit code values (cv): what the truth does not "
        "explain, with what is kept of its own. Best is what the truth has: less is smeared, more is noisy.",
        SOURCE, tie=0.05, digits=2, of=_luma, needs=(),
    ),
    Measure(
        "noise_colour", 2, "Colour noise left", "cv", "nearer to the truth", "noise",
        "Colour specks and clouds in flat areas: the mean of both colour planes, in 8-bit code values (cv).",
        SOURCE, tie=0.05, digits=2, of=_colour, needs=(),
    ),
]  # fmt: skip
