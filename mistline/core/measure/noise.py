"""Noise left: the grain in flat areas, by frequency band; in brightness and in colour.

References
----------
.. [1] J. S. Bendat, A. G. Piersol, "Random data": the part of one signal that another does not explain.
.. [2] `mistline.core.measure.noise_spectrum`: noise of one picture, where no truth is known.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import chain, pairwise

import cv2
import numpy as np

from mistline.core.frame import Array, Frame, to_ycbcr
from mistline.core.measure.areas import explained, without_texture
from mistline.core.measure.measure import (
    Enlarged,
    Evidence,
    Measure,
    Measured,
    NotMeasurable,
    Part,
    Picture,
    by_rows,
    luma_of,
    plane_of,
    shape,
)
from mistline.core.measure.noise_cells import (
    BANDS,
    Cells,
    Indices,
    Real,
    clipped_share,
    cut_cells,
    densities,
    ranges,
    total,
)
from mistline.core.measure.noise_spectrum import Hidden, Noise, Specks, Texture, Uneven, known, read_noise

__all__ = [
    "CLEANEST",
    "LOST",
    "MEASURES",
    "NOISIEST",
    "TEXTURED",
    "in_brightness",
    "in_colour",
    "noise_added",
    "noise_beside",
    "noise_colour",
    "noise_luma",
    "noise_of_input",
]

FLATTEST = 0.15
HARDLY = 0.3  # code values: noise that nobody sees
LEAST_TEXTURE = (0.5 / 255) ** 2
SPREADS = (0.7, 1.4, 2.8)
CALM = 0.25
TOGETHER = 24  # cells that share their gains
LOST = "texture lost"
CLEANEST, NOISIEST = "in its cleanest part", "in its noisiest part"
TEXTURED = "share of frames whose truth is texture all over"
IN_PLACES = "share of what was added that lies in a twentieth of the flat cells"
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
        return plane_of(self.picture, lambda pixels: to_ycbcr(pixels)[..., index], ROWS)


def _planes(picture: Picture, brightness: Array) -> _Planes:
    shares = by_rows((picture,), clipped_share, ROWS)
    return _Planes(picture, brightness, np.concatenate(shares))


def noise_luma(picture: Picture, brightness: Array) -> Noise:
    """Luma noise of one picture (`read_noise`), without a truth."""
    values = picture.pixels if isinstance(picture, Frame) else picture
    colours = () if isinstance(values, Enlarged) or values.shape[2] == 1 else tuple(values.transpose(2, 0, 1))
    return read_noise(brightness, _planes(picture, brightness).clipped, colours=colours)


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
    return evidence.once_of_reference("planes", lambda: _planes(evidence.pair[0], evidence.truth_luma))


def _result(evidence: Evidence) -> _Planes:
    return _planes(evidence.result, evidence.result_luma)


def _flat(evidence: Evidence) -> _Flat:
    """The flattest 15 % of the truth's cells in each range of brightness, as far as they are among its calmest 25 %."""
    truth, result = evidence.once(_truth), evidence.once(_result)
    cells = evidence.once_of_reference("cells", lambda: Cells(truth.luma, truth.clipped))
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


def _neighbours(rows: Indices, columns: Indices) -> list[Indices]:
    """Cells (their indices) that lie near one another: halved across the longer side down to some two dozen."""
    groups, found = [np.arange(len(rows))], []
    while groups:
        group = groups.pop()
        if len(group) < 2 * TOGETHER:
            found.append(group)
            continue
        along = rows if np.ptp(rows[group]) > np.ptp(columns[group]) else columns
        order = group[np.argsort(along[group], kind="stable")]
        groups += [order[: len(order) // 2], order[len(order) // 2 :]]
    return found


@dataclass(frozen=True)
class _Split:
    """A result's cells, split by what its truth explains.

    Attributes
    ----------
    left : (n, 256) array
        What is not explained.
    kept : float
        Energy of what is explained, as a share of the truth's.
    lost : float
        Mean square of the truth less what is explained, in cells that have less energy than the truth's.
    in_places : float
        Share of the energy left in that twentieth of the cells which has most: of noise alike all over about 0.06.
    """

    left: Real
    kept: float
    lost: float
    in_places: float


def _split(truth: Array, result: Array, rows: Indices, columns: Indices) -> _Split:
    """Split a result's cells into what its truth explains and what is left.

    A plane is taken off each cell, and the result is fitted by the truth in four Gaussian bands, each with a gain of
    its own for cells that lie near one another; what is left over is noise [1]_. So a lost or sharpened texture is no
    noise, be it lost all over or in places.
    """
    softer = chain((truth,), (cv2.GaussianBlur(truth, (0, 0), spread) for spread in SPREADS))
    cells = [cut_cells(plane, rows, columns) for plane in softer]  # one plane at a time: large ones take memory
    bands = np.stack([*(fine - coarse for fine, coarse in pairwise(cells)), cells[-1]])
    wanted = cut_cells(result, rows, columns)
    fitted = np.empty_like(wanted)
    for near in _neighbours(rows, columns):
        fitted[near] = explained(wanted[near], bands[:, near])
    there, explains = (np.square(each).sum(axis=1) for each in (cells[0], fitted))
    kept = min(float(explains.sum() / there.sum()), 2.0) if there.sum() > 1e-12 else 0.0
    lost = np.square(cells[0] - fitted).mean(axis=1)[explains < there].sum() / len(there)
    left = wanted - fitted
    energies = np.sort(np.square(left).sum(axis=1))
    most = energies[-math.ceil(len(energies) / 20) :].sum() / max(energies.sum(), 1e-12)
    return _Split(left, kept, float(lost), float(most))


def noise_beside(truth: Array, result: Array, flat: _Flat) -> tuple[Noise, _Split]:
    """Noise of a result plane that its truth plane does not explain, and what was left and lost."""
    split = _split(truth, result, flat.rows, flat.columns)
    found = densities(split.left)
    ranged = [flat.brightness == label for label in np.unique(flat.brightness)]
    density = np.mean([without_texture(found[part], flat.texture[part]) for part in ranged], axis=0)
    variance, octaves = total(density)
    return Noise(255 * math.sqrt(variance), octaves, ()), split


def _split_luma(evidence: Evidence) -> tuple[Noise, _Split]:
    return noise_beside(evidence.once(_truth).luma, evidence.once(_result).luma, evidence.once(_flat))


def noise_added(evidence: Evidence) -> dict[str, float]:
    """Luma noise that the truth does not explain, in code values by octave; empty where it cannot be told."""
    try:
        return evidence.once(_split_luma)[0].bands
    except NotMeasurable:
        return {}


def _told(noise: Noise) -> Measured:
    return Measured(noise.sigma, parts=tuple(Part(name, value) for name, value in noise.bands.items()))


Reader = Callable[[Picture, Array], Noise]


def noise_of_input(evidence: Evidence, read: Reader = noise_luma) -> Noise:
    """Noise of the input at its own size, where it was not made, or what of it is known (`known`).

    `NotMeasurable` where nothing is.
    """
    small = evidence.reference.small if isinstance(evidence.reference, Enlarged) else evidence.input
    assert small is not None

    def of_input() -> Noise | NotMeasurable:
        try:
            return known(read, small, luma_of(small))
        except NotMeasurable as why:
            return why

    found = evidence.once_of_reference((read, "input"), of_input)
    if isinstance(found, NotMeasurable):
        raise NotMeasurable(f"in the input {found}")
    return found


def _beside_input(evidence: Evidence, read: Reader) -> Measured:
    """The result's own noise, or the most that it can be; told only where the input's can be.

    Otherwise an enlarged texture would be taken for noise.
    """
    parts: tuple[Part, ...] = ()
    if isinstance(evidence.reference, Enlarged):
        parts = (Part("of the input", noise_of_input(evidence, read).sigma),)
    try:
        found = _told(read(evidence.result, evidence.result_luma))
    except (Hidden, Specks, Texture) as why:
        return Measured(None, parts=(*parts, Part("at most", why.most)), note=str(why))
    except Uneven as why:
        there = Part(CLEANEST, why.least), Part(NOISIEST, why.most)
        return Measured(None, parts=(*parts, *there), note=str(why))
    except NotMeasurable as why:
        return Measured(None, parts=parts, note=str(why))
    return Measured(found.value, parts=(*parts, *found.parts))


def _noise(evidence: Evidence, read: Reader, planes: tuple[int, ...]) -> Measured:
    """Added noise and what is kept of the truth's own, mean square over the planes (0 is luma).

    The parts are the octaves, how much texture of flat areas was lost, whether the truth has no flat areas, and how
    much of what was added lies in few places. Where much was lost, what was made of it (by a median, by aliasing)
    cannot be told from noise, and the value is the most that it can be.
    """
    truth_codes = evidence.truth
    if truth_codes is None:
        return _beside_input(evidence, read)

    def of_truth() -> tuple[Noise, bool]:
        """Its own noise, none where none can be told, and whether that is because it is texture all over."""
        try:
            return known(read, truth_codes, evidence.truth_luma), False
        except NotMeasurable as why:
            return Noise(0.0, dict.fromkeys(BANDS, 0.0), ()), isinstance(why, Texture)

    own, textured = evidence.once_of_reference(read, of_truth)
    flat, truth, result = evidence.once(_flat), evidence.once(_truth), evidence.once(_result)
    found = [
        noise_beside(truth.colour(index), result.colour(index), flat) if index else evidence.once(_split_luma)
        for index in planes
    ]

    def mean(added: list[float], grain: float) -> float:
        squares = [value**2 + split.kept * grain**2 for value, (_, split) in zip(added, found, strict=True)]
        return math.sqrt(sum(squares) / len(squares))

    bands = {name: mean([noise.bands[name] for noise, _ in found], own.bands[name]) for name in BANDS}
    told = _told(Noise(mean([noise.sigma for noise, _ in found], own.sigma), bands, ()))
    lost = 255 * math.sqrt(sum(split.lost for _, split in found) / len(found))
    in_places = sum(split.in_places for _, split in found) / len(found)
    more = {LOST: lost, TEXTURED: float(textured), IN_PLACES: in_places}
    return Measured(told.value, parts=(*told.parts, *(Part(*part) for part in more.items())))


def in_brightness(evidence: Evidence) -> Measured:
    """Noise of the result in its luma; the parts are its octaves.

    Valid range: beside a truth from 0.3 to 40 code values, where the truth has flat cells of 16 x 16 pixels; without
    one that of `read_noise`: 0.3 to 40 code values, white to four times enlarged but not by repeating pixels, 128
    pixels a side or more, alike all over the picture; right to 10 %, in photographs 9 times in 10 (sensor noise 5 in 6)
    and else mostly by less than a fifth, where texture all over looks like grain; bounded where the calmest parts show
    texture, only some brightnesses show the noise, smoothing left it coarser, or compression in a few places.
    Beside a truth the figure is that of its flat areas, wherever they lie.
    """
    return _noise(evidence, noise_luma, (0,))


def in_colour(evidence: Evidence) -> Measured:
    """Noise of the result in its two colour planes; the parts are its octaves.

    Valid range: as in brightness; without a truth up to 20 % too little where JPEG kept colour at half resolution.
    """
    return _noise(evidence, noise_colour, (1, 2)) if shape(evidence.result)[2] == 3 else Measured(0.0)


def _standing(evidence: Evidence) -> Measured:
    """The share of the noise of flat areas that is the same on the frame before, in %: how the errors correlate [1]_.

    With E what the truth does not explain of the result, in the cells that are flat in both frames: the correlation of
    E with that of the frame before, at the same place. A pattern of variance f under grain of variance g that is new
    on each frame gives f / (f + g). What follows the movement of the picture does not stand still. Valid from 0.3 cv
    on.
    """
    flat, truth = evidence.once(_flat), evidence.truth_luma
    assert evidence.before is not None
    truth_before, result_before = evidence.before
    there = Cells(truth_before, evidence.once(_truth).clipped).variance[flat.rows, flat.columns]
    calm = there <= max(float(flat.texture.max()), LEAST_TEXTURE)
    if calm.sum() < FEWEST:
        raise NotMeasurable("too little is flat in this frame and the one before")
    rows, columns = flat.rows[calm], flat.columns[calm]
    now = _split(truth, evidence.result_luma, rows, columns).left
    before = _split(truth_before, result_before, rows, columns).left
    energies = [float(np.square(cells).mean()) for cells in (now, before)]
    if 255 * math.sqrt(min(energies)) < HARDLY:
        raise NotMeasurable("there is hardly any noise")
    share = max(0.0, float((now * before).mean()) / math.sqrt(energies[0] * energies[1]))
    sigma = 255 * math.sqrt(sum(energies) / 2)
    parts = (Part("new on each frame", sigma * math.sqrt(1 - share)), Part("standing", sigma * math.sqrt(share)))
    return Measured(100 * share, parts=parts)


SOURCE = "Unexplained power in flat areas; without truth Liu, Tanaka, Okutomi 2013; Pyatykh, Hesser, Zheng 2013"
MEASURES = [
    Measure(
        "noise_left", 14, "Noise left", "cv", "nearer to the truth", "noise",
        "Grain in flat areas from 1/32 cycle per pixel up, in 8-bit code values (cv): what the truth does not "
        "explain, with what is kept of its own. Best is what the truth has: less is smeared, more is noisy.",
        SOURCE, tie=0.05, digits=2, of=lambda evidence: evidence.once(in_brightness), needs=(),
        without_truth="Grain in flat areas, in 8-bit code values (cv), where it can be told from texture. How much of "
        "it belongs there only a truth could tell.",
    ),
    Measure(
        "noise_colour", 12, "Colour noise left", "cv", "nearer to the truth", "noise",
        "Colour specks and clouds in flat areas: the mean of both colour planes, in 8-bit code values (cv).",
        SOURCE, tie=0.05, digits=2, of=lambda evidence: evidence.once(in_colour), needs=(),
        without_truth="Colour specks and clouds in flat areas: the mean of both colour planes, in cv.",
    ),
    Measure(
        "noise_standing", 2, "Noise that stands still", "%", "lower", "in motion",
        "Share of the noise in flat areas that is the same on the frame before, as dirt on a window; grain is new on "
        "each frame and counts 0.",
        "Correlation of the error from frame to frame; Bendat, Piersol", tie=5.0, digits=0, of=_standing,
        needs=("truth", "before"),
    ),
]  # fmt: skip
