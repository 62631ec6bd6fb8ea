"""Edges against the truth: how wide they became, and the rims beside them.

References
----------
.. [1] ISO 12233:2017, "Photography - Electronic still picture imaging - Resolution and spatial frequency
       responses": edges as step responses.
"""

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable

__all__ = ["MEASURES", "Edges", "edge_profiles"]

REACH = 8.0
FINE = 4
MOST = 4000
FEWEST = 20
STRONGEST = 0.02
LEAST_STEP = 24 / 255
CALM = 0.12
PLATEAU = 3.0

Places = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Edges:
    """10-90 % rise in pixels of truth and result, and the rim height as a share of the step."""

    truth_width: float
    result_width: float
    truth_rim: float
    result_rim: float
    count: int


def _places(truth: Array) -> tuple[Places, Places, Array, Array]:
    """Rows, columns and direction (dy, dx) of the steepest slopes, at most 4000, far enough inside."""
    dx = cv2.Sobel(truth, cv2.CV_32F, 1, 0, scale=1 / 8)
    dy = cv2.Sobel(truth, cv2.CV_32F, 0, 1, scale=1 / 8)
    steep, margin = cv2.magnitude(dx, dy), int(REACH) + 2
    flat = np.abs(dx) >= np.abs(dy)
    beside = np.where(flat, np.maximum(np.roll(steep, 1, 1), np.roll(steep, -1, 1)),
                      np.maximum(np.roll(steep, 1, 0), np.roll(steep, -1, 0)))  # fmt: skip
    peak = (steep >= beside) & (steep > 8 / 255)
    peak[:margin] = peak[-margin:] = False
    peak[:, :margin] = peak[:, -margin:] = False
    if peak.sum() < FEWEST:
        raise NotMeasurable("there are too few strong edges")
    strong = steep >= np.quantile(steep[peak], 1 - max(STRONGEST, min(1.0, 2000 / peak.sum())))
    rows, columns = np.nonzero(peak & strong)
    every = max(1, len(rows) // MOST)
    rows, columns = rows[::every], columns[::every]
    length = steep[rows, columns]
    return rows, columns, dy[rows, columns] / length, dx[rows, columns] / length


def _rise(profiles: Array, low: Array, high: Array) -> Array:
    """Distance in pixels between the last 10 % and the first 90 % crossing around the middle."""
    share = (profiles - low[:, None]) / (high - low)[:, None]
    middle, ends = profiles.shape[1] // 2, []
    for level, side in ((0.1, -1), (0.9, 1)):
        walk = share[:, middle::side]
        beyond = walk <= level if side < 0 else walk >= level
        first = np.where(beyond.any(1), beyond.argmax(1), walk.shape[1] - 1).clip(1)
        index = np.arange(len(walk))
        a, b = walk[index, first - 1], walk[index, first]
        gap = np.where(np.abs(b - a) > 1e-6, b - a, 1)
        ends.append(first - 1 + np.clip((level - a) / gap, 0, 1))
    return (ends[0] + ends[1]) / FINE


def edge_profiles(truth: Array, result: Array) -> Edges:
    """Profiles across the truth's strongest edges, read at the same places in the result.

    Profiles of (H, W) luma reach 8 pixels to each side of the steepest point, across the edge, in quarter
    pixels by cubic interpolation. The plateaus are the truth's medians beyond 3 pixels; only edges with a
    step of at least 24 code values and calm plateaus (deviation below 12 % of the step) count. The width is
    the median 10-90 % rise [1]_ - of a step blurred by a Gaussian it is 2.563 sigma. The rim is the mean of
    the over- and the under-shoot beyond the plateaus, as a share of the step.
    """
    rows, columns, dy, dx = _places(truth)
    along = np.arange(-REACH * FINE, REACH * FINE + 1, dtype=np.float32) / FINE
    map_x = (columns[:, None] + dx[:, None] * along).astype(np.float32)
    map_y = (rows[:, None] + dy[:, None] * along).astype(np.float32)
    before, after = (cv2.remap(values, map_x, map_y, cv2.INTER_CUBIC) for values in (truth, result))
    left, right = before[:, along < -PLATEAU], before[:, along > PLATEAU]
    low, high = np.median(left, 1), np.median(right, 1)
    step = high - low
    calm = (step > LEAST_STEP) & (np.maximum(left.std(1), right.std(1)) < CALM * step)
    if calm.sum() < FEWEST:
        raise NotMeasurable("there are too few strong edges with calm surroundings")
    before, after, low, high, step = before[calm], after[calm], low[calm], high[calm], step[calm]

    def rim(profiles: Array) -> float:
        over = (profiles[:, along > 0].max(1) - high) / step
        under = (low - profiles[:, along < 0].min(1)) / step
        return float(np.median(np.maximum(over, 0) + np.maximum(under, 0)) / 2)

    return Edges(
        float(np.median(_rise(before, low, high))), float(np.median(_rise(after, low, high))),
        rim(before), rim(after), int(calm.sum()),
    )  # fmt: skip


def _edges(evidence: Evidence) -> Edges:
    return edge_profiles(evidence.truth_luma, evidence.result_luma)


def _width(evidence: Evidence) -> Measured:
    return Measured(evidence.once(_edges).result_width)


def _halo(evidence: Evidence) -> Measured:
    found = evidence.once(_edges)
    return Measured(100 * (found.result_rim - found.truth_rim))


SOURCE = "Step response, ISO 12233"
MEASURES = [
    Measure(
        "edge_width", 1, "Edge width", "px", "nearer to the truth", "edges",
        "Pixels that a strong edge needs from 10 to 90 % of its step. Best is what the truth has.",
        SOURCE, tie=0.03, digits=2, of=_width,
    ),
    Measure(
        "halo", 1, "Rims at edges", "% of the step", "nearer to zero", "edges",
        "Bright and dark rims beside strong edges, beyond those of the truth. Below zero, rims of the truth "
        "were lost.",
        SOURCE, tie=0.3, digits=1, of=_halo,
    ),
]  # fmt: skip
