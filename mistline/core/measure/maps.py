"""Where a result goes wrong: each kind of fault as a map over the picture, and the worst place of it.

References
----------
.. [1] P. J. Burt, E. H. Adelson, "The Laplacian pyramid as a compact image code", IEEE Trans. Commun. 31(4),
       532-540, 1983: a band as the difference of two Gaussians.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from mistline.core.frame import Array, Region, Size
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.measure import luma_of
from mistline.core.measure.registration import misplaced

__all__ = ["MAPS", "FaultMap", "reduced", "worst_place"]

LARGEST = 4_000_000  # pixels of a map that is kept; a larger picture's is its area mean
FLAT = 4 / 255  # local deviation of the truth beyond which a place is not flat
BETWEEN = "How far all finished entries lie apart, retired ones and controls left out, RMS in 8-bit code values."
RIM_REACH = 9  # pixels across that a rim may lie from what it rings about


def _spread(values: Array, sigma: float) -> Array:
    soft: Array = cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    return soft


def _flat(truth: Array, sigma: float) -> Array:
    """1 where the truth is flat around a place, falling to 0 with its local deviation."""
    variance = _spread(truth * truth, sigma) - _spread(truth, sigma) ** 2
    flat: Array = np.exp(-np.maximum(variance, 0) / FLAT**2)
    return flat


def _band(evidence: Evidence, fine: float, coarse: float, around: float) -> Array:
    """RMS around a place, in code values, of what the result adds in a band, where the truth is flat."""
    truth, added = evidence.truth_luma, evidence.result_luma - evidence.truth_luma
    band = (_spread(added, fine) if fine else added) - _spread(added, coarse)
    found: Array = 255 * np.sqrt(_spread(band * band, around)) * _flat(truth, around)
    return found


def _noise(evidence: Evidence) -> Array:
    return _band(evidence, 0, 2, 6)


def _blotches(evidence: Evidence) -> Array:
    return _band(evidence, 2.5, 16, 16)


def _rims(evidence: Evidence) -> Array:
    """Code values by which the result leaves the range of the reference's surroundings."""
    there, result = evidence.reference_luma, evidence.result_luma
    box = np.ones((RIM_REACH, RIM_REACH), np.uint8)
    over = np.maximum(result - cv2.dilate(there, box), 0)
    under = np.maximum(cv2.erode(there, box) - result, 0)
    edge = 1 - _flat(there, RIM_REACH / 2)  # beside an edge; elsewhere it is noise
    rims: Array = 255 * (over + under) * edge
    return rims


def _of(measure: str) -> Callable[[Evidence], Array]:
    """The map that a measure gives beside its value."""

    def found(evidence: Evidence) -> Array:
        there = MEASURES[measure].of(evidence).map
        assert there is not None
        return there

    return found


def _share(measure: str) -> Callable[[Evidence], Array]:
    return lambda evidence: 100 * _of(measure)(evidence)


def _unlike(evidence: Evidence) -> Array:
    return 1 - np.clip(_of("ssim")(evidence), 0, 1)


def _colour(evidence: Evidence) -> Array:
    return _spread(_of("ciede2000")(evidence), 2)


def _disagreement(evidence: Evidence) -> Array:
    """RMS of the lumas of all results about their mean, around each place, in code values."""
    mean, squares, count = evidence.result_luma, np.zeros_like(evidence.result_luma), 1
    for count, other in enumerate(evidence.others, 2):  # Welford's sums: two planes, however many results
        value = luma_of(other)
        away = value - mean
        mean = mean + away / np.float32(count)
        squares += away * (value - mean)
    apart: Array = 255 * np.sqrt(np.maximum(_spread(squares / np.float32(count), 2), 0))
    return apart


@dataclass(frozen=True)
class FaultMap:
    """A kind of fault over the picture: 0 is none, `most` (in `unit`) fills the scale.

    `of` gives (H, W) float32, as large as the frame; it may raise `NotMeasurable`. `without_truth` is its meaning in a
    test without a truth; empty where there is no such map. A map `of_all` entries is one of a trial, not of an entry.
    """

    id: str
    name: str
    unit: str
    most: float
    meaning: str
    of: Callable[[Evidence], Array]
    without_truth: str = ""
    of_all: bool = False


MAPS: dict[str, FaultMap] = {
    found.id: found
    for found in (
        FaultMap(
            "lost", "Lost detail", "%", 100, "Share of the truth's own detail that is gone, in windows of 64 pixels.",
            _share("detail_kept"),
        ),
        FaultMap(
            "invented", "Invented detail", "%", 100,
            "Detail that does not match the truth, as a share of the truth's, in windows of 64 pixels.",
            _share("detail_invented"),
        ),
        FaultMap(
            "noise", "Noise", "cv", 16, "Fine noise where the truth is flat, RMS in 8-bit code values.", _noise,
        ),
        FaultMap(
            "blotches", "Blotches", "cv", 6,
            "Soft patches where the truth is flat, 16 to 100 pixels across, RMS in 8-bit code values.", _blotches,
        ),
        FaultMap(
            "rims", "Rims", "cv", 32,
            "Beside edges: how far the result leaves the range of the truth within 4 pixels, in 8-bit code values.",
            _rims,
            "Beside edges: how far the result leaves the range of the input within 4 pixels, in 8-bit code values.",
        ),
        FaultMap(
            "unlike", "Unlike (1 − SSIM)", "", 1, "Structure that is not that of the truth, windows of 11 pixels.",
            _unlike,
        ),
        FaultMap(
            "colour", "Colour", "ΔE00", 10, "CIEDE2000 colour difference from the truth, over about 5 pixels.",
            _colour,
        ),
        FaultMap(
            "misplaced", "Displacement", "px", 2,
            "How far each place lies off the truth, in windows of 64 pixels; what is within its error counts as none.",
            misplaced,  # a noisy input is no measure of place
        ),
        FaultMap(
            "disagreement", "Disagreement", "cv", 16, BETWEEN, _disagreement, BETWEEN, of_all=True,
        ),
    )
}  # fmt: skip


def reduced(values: Array) -> Array:
    """A map with 4 million pixels at most: the area mean over as many pixels as that needs."""
    shrink = max(1.0, (values.size / LARGEST) ** 0.5)
    size = (max(1, round(values.shape[1] / shrink)), max(1, round(values.shape[0] / shrink)))
    small: Array = values if shrink == 1 else cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    return small


def worst_place(values: Array, side: int) -> tuple[Region, float]:
    """The square of `side` pixels (less in a smaller map) with the greatest mean of an (H, W) map, and that mean.

    >>> import numpy as np
    >>> values = np.zeros((20, 30), np.float32); values[12, 25] = 9
    >>> worst_place(values, 3)[0].slices
    (slice(10, 13, None), slice(23, 26, None))
    """
    size = Size(min(side, values.shape[1]), min(side, values.shape[0]))
    sums = cv2.integral(values.astype(np.float64))
    h, w = size.height, size.width
    boxes = sums[h:, w:] - sums[:-h, w:] - sums[h:, :-w] + sums[:-h, :-w]
    top, left = np.unravel_index(int(boxes.argmax()), boxes.shape)
    return Region(int(left), int(top), w, h), float(boxes.max()) / size.pixels
