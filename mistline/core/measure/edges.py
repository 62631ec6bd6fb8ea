"""Edges: how wide they are, and the rims beside them, from profiles averaged along and over many edges.

References
----------
.. [1] ISO 12233:2017, "Photography - Electronic still picture imaging - Resolution and spatial frequency
       responses": a slanted edge gives a step response that is sampled finer than the pixels.
"""

from copy import copy
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part

__all__ = ["MEASURES", "Profile", "edge_profiles", "edge_width"]

REACHES = (8, 5)  # pixels to each side; the shorter where there are too few edges, as in lettering
ALONG = 5.0  # half the length of an edge that is averaged
PLATEAU = 0.5  # from that share of the reach outwards the plateaus are read
MOST, FEWEST = 800, 12
WIDEST = 7.0  # pixels
LEAST_STEP = 24 / 255
CALM = 0.12  # deviation of the plateaus, as a share of the step
NOISIEST = 0.5
RIM, CROWDED = 0.5, 0.1  # share of pixels close to the edge that may lie farther than that from their plateau
BIN = 0.25
BESIDE = np.array([[1, 0, 1]], np.uint8)  # the pixels whose larger one a dilation gives
SURE = 0.02  # standard error of the profile, share of the step

Real = npt.NDArray[np.float64]
Places = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Profile:
    """10-90 % rise in pixels, rims as a share of the step, and how many edges it was averaged over."""

    width: float
    rim: float
    count: int


def _slopes(truth: Array) -> tuple[Array, Array]:
    soft = cv2.GaussianBlur(truth, (0, 0), 1.0)
    return cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=1 / 8)


def _places(truth: Array, reach: int) -> tuple[Places, Places, Real, Real]:
    """Rows, columns and direction (dy, dx) across the edge, at most 800 of the steepest slopes, spread out."""
    dx, dy = _slopes(truth)
    steep, margin = cv2.magnitude(dx, dy), reach + 3
    level, upright = (steep >= cv2.dilate(steep, beside) for beside in (BESIDE, BESIDE.T))
    peak = np.where(np.abs(dx) >= np.abs(dy), level, upright) & (steep > 4 / 255)
    peak[:margin] = peak[-margin:] = False
    peak[:, :margin] = peak[:, -margin:] = False
    rows, columns = np.nonzero(peak)
    if len(rows) < FEWEST:
        raise NotMeasurable("there are too few strong edges")
    # One of each square of 6 x 6 pixels, the steepest first.
    order = np.argsort(-steep[rows, columns], kind="stable")
    _, first = np.unique((rows[order] // 6) * 100_000 + columns[order] // 6, return_index=True)
    chosen = order[np.sort(first)[: 3 * MOST]]
    rows, columns = rows[chosen], columns[chosen]
    # The direction is that of the structure tensor: one slope alone is a matter of noise.
    xx, yy, xy = (cv2.GaussianBlur(a * b, (0, 0), 2.5)[rows, columns] for a, b in ((dx, dx), (dy, dy), (dx, dy)))
    angle = 0.5 * np.arctan2(2.0 * xy, xx - yy)
    ahead = np.sign(np.cos(angle) * dx[rows, columns] + np.sin(angle) * dy[rows, columns])
    ahead[ahead == 0] = 1
    return rows, columns, ahead * np.sin(angle), ahead * np.cos(angle)


def _medians(values: Real) -> Real:
    """Median of each row of (n, m), NaN left out; NaN sorts last."""
    count = np.isfinite(values).sum(axis=1)
    found: Real = np.sort(values, axis=1)[np.arange(len(values)), np.maximum(count // 2, 0)]
    return found


class _Strips:
    """The pixels around each place, (n, 361), with their distance across the edge."""

    def __init__(self, truth: Array, reach: int) -> None:
        self.rows, self.columns, self.dy, self.dx = _places(truth, reach)
        self.reach, self.plateau = reach, PLATEAU * reach
        line = np.arange(-reach - 1, reach + 2)
        self.y, self.x = (axis.ravel() for axis in np.meshgrid(line, line, indexing="ij"))
        across = self.dy[:, None] * self.y + self.dx[:, None] * self.x
        along = self.dx[:, None] * self.y - self.dy[:, None] * self.x
        self.inside = (np.abs(along) <= ALONG) & (np.abs(across) <= reach)
        self.across = across

    def some(self, chosen: npt.NDArray[np.intp]) -> "_Strips":
        """The strips at some of the places."""
        fewer = copy(self)
        for name in ("rows", "columns", "dy", "dx", "inside", "across"):
            setattr(fewer, name, getattr(self, name)[chosen])
        return fewer

    def of(self, values: Array) -> Real:
        """The values at the pixels; what lies outside the strip is NaN."""
        found = values[self.rows[:, None] + self.y, self.columns[:, None] + self.x].astype(np.float64)
        return np.where(self.inside, found, np.nan)

    def scaled(self, values: Array, least: float, calm: float) -> tuple[Real, Real, npt.NDArray[np.bool_]]:
        """Values from 0 to 1 between the plateaus of this very picture, distances from its own 50 % point, fit ones."""
        found = self.of(values)
        left, right = (
            np.where(side, found, np.nan) for side in (self.across < -self.plateau, self.across > self.plateau)
        )
        with np.errstate(invalid="ignore"):
            low, high = _medians(left), _medians(right)
            rough = np.maximum(np.nanstd(left, axis=1), np.nanstd(right, axis=1))
            step = high - low
            share = (found - low[:, None]) / np.where(step > 0, step, 1)[:, None]
            near = np.abs(self.across) <= self.plateau
            middle = self.plateau * (1 - 2 * np.nanmean(np.where(near, share, np.nan), axis=1))
            aside = np.abs(np.where((np.abs(self.across) > 1.5) & near, share - (self.across > 0), 0))
            alone = np.nanmean(aside > RIM, axis=1) < CROWDED
        fit = (step > least) & (rough < calm * step) & (np.abs(middle) < 2) & alone
        return share, self.across - middle[:, None], fit


def _profile(share: Real, distance: Real, reach: int) -> tuple[Real, Real, float]:
    """Mean of all edges in quarter pixels (places, values), and its standard error in the middle."""
    valid = np.isfinite(share) & (np.abs(distance) <= reach - 1)
    number = np.rint(distance[valid] / BIN).astype(int)
    number -= number.min()
    count = np.bincount(number)
    with np.errstate(invalid="ignore"):
        mean = np.bincount(number, share[valid]) / count
        where = np.bincount(number, distance[valid]) / count
        spread = np.sqrt(np.maximum(np.bincount(number, share[valid] ** 2) / count - mean**2, 0) / count)
    full = count >= 4
    return where[full], mean[full], float(np.median(spread[full]))


def _figures(share: Real, distance: Real, reach: int) -> Profile:
    where, mean, error = _profile(share, distance, reach)
    if error > SURE:
        raise NotMeasurable("the noise is too strong to read profiles of edges")
    middle = int(np.argmin(np.abs(where)))
    below, above = np.flatnonzero(mean[: middle + 1] <= 0.1), np.flatnonzero(mean[middle:] >= 0.9) + middle
    if not len(below) or not len(above):
        raise NotMeasurable("edges are wider than can be read")

    def crossing(before: int, level: float) -> float:
        a, b = mean[before], mean[before + 1]
        return float(where[before] + (where[before + 1] - where[before]) * (level - a) / (b - a if b != a else 1))

    width = crossing(int(above[0]) - 1, 0.9) - crossing(int(below[-1]), 0.1)
    # The plateaus stand for themselves: what the profile reaches beyond them, close to the edge, is a rim.
    near = np.abs(where) <= PLATEAU * reach + 1
    over, under = mean[near & (where > 0)].max() - 1, -mean[near & (where < 0)].min()
    return Profile(width, float(max(over - error, 0) + max(under - error, 0)) / 2, len(share))


TruthsEdges = tuple["_Strips", Real, Real]


def edge_profiles(
    truth: Array, result: Array, known: dict[int, TruthsEdges] | None = None
) -> tuple[Profile, Profile]:
    """Profiles across the truth's strong edges, of the truth and, at the same places, of the result.

    Around each of up to 800 steep places of (H, W) luma the pixels within 5 pixels along and 8 across the edge
    are taken as they are, without interpolation; each picture's values are scaled to its own plateaus (medians 4
    to 8 pixels away) and set to its own 50 % point, so that neither contrast nor level nor a shift counts. All
    edges together give one profile in quarter pixels [1]_. Edges count with a step of 24 code values and calm
    plateaus in the truth, and with 12 in the result. The width is the 10-90 % rise - of a step blurred by a
    Gaussian it is 2.563 sigma, of a perfect step that the pixels sample 0.8 pixels; the rim is the mean of over-
    and under-shoot as a share of the step, less twice its standard error.

    Where too few edges have that much room, as in lettering, 5 pixels are taken to each side.

    Valid range: widths of 0.8 to 7 pixels (4 in lettering); noise up to half of the steps, as long as enough edges
    average it out: otherwise it is said. 32 pixels a side or more. In `known` stays what was read off the truth, for
    its other results.
    """
    known = {} if known is None else known
    if min(truth.shape) < 4 * REACHES[0]:
        raise NotMeasurable(f"needs {4 * REACHES[0]} pixels a side or more")
    for reach in REACHES:
        if reach not in known:
            strips = _Strips(truth, reach)
            before, far, fit = strips.scaled(truth, LEAST_STEP, CALM)
            calm = np.flatnonzero(fit)
            known[reach] = strips.some(calm), before[calm], far[calm]
        strips, before, far = known[reach]
        after, away, fit = strips.scaled(result, LEAST_STEP / 2, NOISIEST)
        chosen = np.flatnonzero(fit)[:MOST]
        if len(chosen) >= FEWEST:
            return _figures(before[chosen], far[chosen], reach), _figures(after[chosen], away[chosen], reach)
    raise NotMeasurable("there are too few strong edges with calm surroundings")


def edge_width(brightness: Array) -> float | None:
    """Width of the strong edges of one picture; None where it has none that can be read."""
    try:
        return edge_profiles(brightness, brightness)[0].width
    except NotMeasurable:
        return None


def _edges(evidence: Evidence) -> tuple[Profile, Profile]:
    known: dict[int, TruthsEdges] = evidence.once_of_reference(edge_profiles, dict)
    return edge_profiles(evidence.reference_luma, evidence.result_luma, known)


def _whose(evidence: Evidence) -> str:
    return "of the truth" if evidence.truth is not None else "of the input"


def _width(evidence: Evidence) -> Measured:
    reference, result = evidence.once(_edges)
    readable = [True, True] if evidence.truth is not None else [p.width <= WIDEST for p in (reference, result)]
    if not readable[1]:
        raise NotMeasurable("edges are wider than can be read")
    beside = (Part(_whose(evidence), reference.width),) if readable[0] else ()
    return Measured(result.width, parts=(*beside, Part("edges", float(result.count))))


def _halo(evidence: Evidence) -> Measured:
    reference, result = evidence.once(_edges)
    parts = (Part(_whose(evidence), 100 * reference.rim), Part("of the result", 100 * result.rim))
    return Measured(100 * (result.rim - reference.rim), parts=parts)


SOURCE = "Step response of slanted edges, ISO 12233"
MEASURES = [
    Measure(
        "edge_width", 3, "Edge width", "px", "nearer to the truth", "edges",
        "Pixels that a strong edge needs from 10 to 90 % of its step. Best is what the truth has.",
        SOURCE, tie=0.03, digits=2, of=_width, needs=("reference",),
        without_truth="Pixels that a strong edge of the input needs from 10 to 90 % of its step in the result; beside "
        "it, what the input needs, brought to this size by bilinear interpolation.",
    ),
    Measure(
        "halo", 3, "Rims at edges", "% of the step", "nearer to zero", "edges",
        "Bright and dark rims beside strong edges, beyond those of the truth. Below zero, rims of the truth "
        "were lost.",
        SOURCE, tie=0.3, digits=1, of=_halo, needs=("reference",),
        without_truth="Bright and dark rims beside strong edges, beyond those of the input, brought to the same size "
        "by bilinear interpolation, which makes none.",
    ),
]  # fmt: skip
