"""Alignment of two versions of a scene: how does a larger one lie on a smaller one, and do they show the same at all?

Coordinates are those of edges: the left upper corner of a picture is (0, 0), the right lower one its size.

References
----------
.. [1] D. G. Lowe, "Distinctive image features from scale-invariant keypoints", IJCV 60(2), 91-110, 2004, with
       M. A. Fischler, R. C. Bolles, "Random sample consensus", Commun. ACM 24(6), 381-395, 1981: the first guess.
.. [2] G. D. Evangelidis, E. Z. Psarakis, "Parametric image alignment using enhanced correlation coefficient
       maximization", IEEE Trans. Pattern Anal. 30(10), 1858-1865, 2008: whatever level and contrast do.
.. [3] `core.measure.registration`: what of shift and scale blur and interpolation have biased.
"""

import math
from dataclasses import dataclass, field, replace
from typing import Annotated

import cv2
import numpy as np
import numpy.typing as npt
from annotated_types import Len

from mistline.core.frame import Array, Size
from mistline.core.measure.likeness import likeness
from mistline.core.measure.measure import NotMeasurable
from mistline.core.measure.registration import as_map, common_move, local_field, placement
from mistline.core.resample import resize

__all__ = ["Alignment", "Gain", "Moved", "align", "at_centres", "colour_gains"]

SMALLEST = 64
MOST, FINEST = 1.5e6, 8e6  # pixels that the correlation, and all of it, look at
FEATURES, CLEARER, ENOUGH, NEAR = 2000, 0.75, 12, 1.5
ROUNDS, TOLERANCE, SOFT = 100, 1e-7, 5  # of [2]_
LEAST_CORRELATION, LEAST_ALIKE = 0.5, 0.6
MEAN, LEAST_SPREAD = 8, 1e-6
WINDOWS, LEAST_WINDOW = 300, 64  # how many are told of, and how small they may be
REFINED = 3
OTHER = "these do not show the same scene"

Real = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Moved:
    """A window that lies off though the whole is aligned: its middle in shares of the smaller picture, and by how much.

    Right and down are pixels of the smaller one.
    """

    x: float
    y: float
    right: float
    down: float


@dataclass(frozen=True)
class Alignment:
    """How a larger version lies on a smaller one.

    Attributes
    ----------
    matrix : six floats
        (a, b, c, d, e, f): a point (x, y) of the smaller one is at (a x + b y + c, d x + e y + f) of the larger.
    scale : float
        How many times larger.
    turn : float
        Degrees, clockwise as seen.
    right, down : float
        Where the middle of the smaller one lies from the middle of the larger, in pixels of the smaller.
    error : float
        Standard error of the place of the corners, pixels of the smaller.
    local : float
        Largest displacement that a window of 64 pixels has beyond that, pixels of the smaller; 0 if none is sure.
    windows : list of Moved
        Those of some 300 windows that are sure to lie off beyond that.
    """

    matrix: Annotated[list[float], Len(6, 6)]
    scale: float
    turn: float
    right: float
    down: float
    error: float
    local: float
    windows: list[Moved] = field(default_factory=list)

    @property
    def map(self) -> Real:
        """The matrix, (2, 3)."""
        return np.array(self.matrix).reshape(2, 3)


@dataclass(frozen=True)
class Gain:
    """What values are multiplied by, and what is added."""

    times: float
    plus: float


def at_centres(edges: Real) -> Real:
    """A map of edge coordinates as one of pixel centres, which OpenCV wants.

    >>> at_centres(np.array([[2.0, 0, 0], [0, 2.0, 0]])).tolist()
    [[2.0, 0.0, 0.5], [0.0, 2.0, 0.5]]
    """
    half = np.array([0.5, 0.5])
    return np.column_stack([edges[:, :2], edges[:, :2] @ half + edges[:, 2] - half])


def _at_edges(centres: Real) -> Real:
    half = np.array([0.5, 0.5])
    return np.column_stack([centres[:, :2], centres[:, 2] + half - centres[:, :2] @ half])


def _after(first: Real, second: Real) -> Real:
    """The map that does the first and then the second."""
    return np.column_stack([second[:, :2] @ first[:, :2], second[:, :2] @ first[:, 2] + second[:, 2]])


def _guess(small: Array, large: Array) -> Real:
    """A similarity from one to the other by features, in pixel centres [1]_; both as they are where there are few."""
    found = cv2.SIFT_create(FEATURES)  # type: ignore[attr-defined]
    eight = [np.clip(np.rint(v * 255), 0, 255).astype(np.uint8) for v in (small, large)]
    (points, one), (others, other) = (found.detectAndCompute(v, None) for v in eight)
    if one is not None and other is not None and min(len(one), len(other)) >= ENOUGH:
        pairs = [
            (points[a.queryIdx].pt, others[a.trainIdx].pt)
            for a, b in cv2.BFMatcher().knnMatch(one, other, 2)
            if a.distance < CLEARER * b.distance
        ]
        if len(pairs) >= ENOUGH:
            here, there = (np.ascontiguousarray(one) for one in np.array(pairs, np.float32).transpose(1, 0, 2))
            way, near = cv2.estimateAffinePartial2D(here, there, ransacReprojThreshold=NEAR)
            if way is not None and int(near.sum()) >= ENOUGH:
                return np.asarray(way, np.float64)
    return np.eye(2, 3)


def _brought(large: Array, way: Real, size: Size) -> Array:
    """The larger one in the frame of the smaller."""
    flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
    brought: Array = cv2.warpAffine(
        large, way, (size.width, size.height), flags=flags, borderMode=cv2.BORDER_REFLECT
    )
    return brought


def _sizes(whole: Size, factor: float) -> Size:
    return Size(*(max(SMALLEST, round(length / factor)) for length in (whole.width, whole.height)))


def _scaled(one: Size, other: Size) -> Real:
    """From edge coordinates of a picture to those of the same one at another size."""
    return np.diag([other.width / one.width, other.height / one.height, 1])[:2]


def _growth(way: Real) -> float:
    return math.sqrt(abs(float(np.linalg.det(way[:, :2]))))


def _roughly(small: Array, large: Array) -> Real:
    """From edge coordinates of the smaller to those of the larger by features [1]_ and correlation [2]_."""
    size, whole = Size(*small.shape[::-1]), Size(*large.shape[::-1])
    factor = (whole.width / size.width + whole.height / size.height) / 2
    for _ in range(2):  # once more at the scale that was found
        middle = _sizes(whole, factor)
        brought = resize(large[..., None], middle, "area")[..., 0]
        way = _guess(small, brought)
        grown = _growth(way)
        if not 0.25 < grown < 4 or abs(grown - 1) < 0.01:
            break
        factor = max(1.0, factor * grown)
    rule = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, ROUNDS, TOLERANCE)
    try:
        start = way.astype(np.float32)
        alike, fine = cv2.findTransformECC(small, brought, start, cv2.MOTION_AFFINE, rule, None, SOFT)
    except cv2.error:
        raise NotMeasurable(OTHER) from None
    if alike < LEAST_CORRELATION:
        raise NotMeasurable(OTHER)
    return _after(_at_edges(np.asarray(fine, np.float64)), _scaled(middle, whole))


def align(small: Array, large: Array) -> Alignment:
    """Align two (H, W) lumas; level and contrast may differ.

    The larger one is brought to the size of the smaller by area means; features [1]_ tell roughly how it lies, the
    correlation [2]_ finer (on a megapixel and a half at most), and least squares [3]_ take off what its interpolation
    has biased. Against made warps of
    photographs (factors 1.5 to 3, turned up to 1 degree, noise of 2 code values) the corners are right to 0.05 pixels
    of the smaller one, or to three times the error that is told. Up to a third of the picture may move by itself.

    Valid range: 64 pixels a side or more, factors 1 to 16, turned by up to 10 degrees; where there are few features
    the two must lie within some pixels of one another.

    Raises
    ------
    NotMeasurable
        If they do not show the same scene, or too little to go by.
    """
    size, whole = Size(*small.shape[::-1]), Size(*large.shape[::-1])
    if min(small.shape) < SMALLEST:
        raise NotMeasurable(f"the smaller one needs {SMALLEST} pixels a side or more")
    if whole.width < size.width or whole.height < size.height:
        raise NotMeasurable("the larger version is smaller than the source")
    if small.size > FINEST:
        part = _sizes(size, math.sqrt(small.size / FINEST))
        found, less = align(resize(small[..., None], part, "area")[..., 0], large), size.width / part.width
        matrix = [float(value) for value in _after(_scaled(size, part), found.map).ravel()]
        told = {name: less * getattr(found, name) for name in ("right", "down", "error", "local")}
        windows = [replace(one, right=less * one.right, down=less * one.down) for one in found.windows]
        return replace(found, matrix=matrix, scale=found.scale / less, windows=windows, **told)
    rough = _sizes(size, max(1.0, math.sqrt(small.size / MOST)))
    edges = _after(_scaled(size, rough), _roughly(resize(small[..., None], rough, "area")[..., 0], large))
    middle = _sizes(whole, max(1.0, _growth(edges)))
    brought = resize(large[..., None], middle, "area")[..., 0]
    way = at_centres(_after(edges, _scaled(whole, middle)))
    for _ in range(REFINED):
        placed = placement(small, _brought(brought, way, size), moving=True)
        way = _after(as_map(placed.planes, *small.shape), way)
        way = _after(as_map(common_move(small, _brought(brought, way, size)), *small.shape), way)
    placed = placement(small, _brought(brought, way, size), moving=True)
    laid = _brought(brought, way, size)
    if likeness(small, laid)[0] < LEAST_ALIKE:
        raise NotMeasurable(OTHER)
    edges = _after(_at_edges(way), _scaled(middle, whole))
    scale = _growth(edges)
    turned = np.linalg.inv(edges[:, :2]) @ (np.array([whole.width, whole.height]) / 2 - edges[:, 2])
    away = np.array([size.width, size.height]) / 2 - turned
    return Alignment(
        matrix=[float(value) for value in edges.ravel()],
        scale=scale, turn=math.degrees(math.atan2(edges[1, 0] - edges[0, 1], edges[0, 0] + edges[1, 1])),
        right=float(away[0]), down=float(away[1]), error=math.hypot(placed.error, placed.scale_error),
        local=placed.local, windows=_windows(small, laid),
    )  # fmt: skip


def _windows(small: Array, laid: Array) -> list[Moved]:
    """What still lies off, of some 300 windows."""
    off = local_field(small, laid, side=max(LEAST_WINDOW, round(math.sqrt(small.size / WINDOWS))))
    down, across = off.sure.shape
    return [
        Moved((column + 0.5) / across, (row + 0.5) / down, *(float(way) for way in off.moves[row, column]))
        for row, column in np.argwhere(off.sure)
    ]


def colour_gains(small: Array, large: Array, found: Alignment) -> list[Gain]:
    """For each channel what to multiply the larger version by, and to add, so that its means of 8 x 8 pixels fit.

    Both are (H, W, C) of one number of channels; the fit is by least squares over the encoded values.
    """
    height, width, channels = small.shape
    middle = Size(*(max(1, round(length / found.scale)) for length in large.shape[1::-1]))
    way = _after(found.map, _scaled(Size(*large.shape[1::-1]), middle))
    brought = _brought(resize(large, middle, "area"), at_centres(way), Size(width, height)).reshape(small.shape)
    size = Size(max(1, width // MEAN), max(1, height // MEAN))
    before, after = (resize(np.ascontiguousarray(values), size, "area") for values in (brought, small))
    gains = []
    for channel in range(channels):
        x, y = (values[..., channel].ravel().astype(np.float64) for values in (before, after))
        spread = float(np.square(x - x.mean()).sum())
        gain = float((x - x.mean()) @ (y - y.mean())) / spread if spread > LEAST_SPREAD else 1.0
        gains.append(Gain(gain, float(y.mean() - gain * x.mean())))
    return gains
